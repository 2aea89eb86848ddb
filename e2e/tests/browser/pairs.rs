//! A low mesh that was made elsewhere, in the real interface: dropped together with its source, brought by hand, baked, its reach
//! painted by a drag over the stage, baked again there only, and laid out on two sheets.

use ectome_e2e::{app::App, browser::Browser, http};
use ectome_formats::{Scene, glb};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, shapes};
use ectome_recipe::{Manner, UvStep};
use fantoccini::Locator;
use glam::{Affine3A, Vec3};

/// A ball of 20 480 triangles with a blunt horn towards the camera that stands out by a quarter of its radius.
fn horned() -> Mesh {
    let mut ball = shapes::icosphere(1.0, 5);
    let towards = Vec3::new(0.5, 0.4, 1.0).normalize();
    for p in &mut ball.points {
        let near = (-(*p - towards).length_squared() * 25.0).exp();
        *p *= 1.0 + 0.25 * near;
    }
    ball
}

fn bytes(scene: &Scene) -> Vec<u8> {
    glb::write(scene, &glb::Options::default()).unwrap()
}

/// The source as a GLB.
fn source() -> Vec<u8> {
    let ball = horned();
    let mut builder = MeshBuilder::new();
    let places = ball.vertex_point.iter().map(|&p| ball.points[p as usize]);
    builder
        .part("buoy_high", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions: places.collect(),
            corners: ball.corners.clone(),
            ..Primitive::default()
        });
    bytes(&Scene::from(builder.finish()))
}

/// A plain ball with UVs, as somebody made it elsewhere.
fn low(subdivisions: u32) -> Vec<u8> {
    let plain = Scene::from(shapes::icosphere(1.0, subdivisions));
    let unwrap = UvStep::unwrap(Manner::Soft);
    bytes(&unwrap.apply(plain, &Default::default()).unwrap().0)
}

/// Waits for the Maps step of a candidate with so many maps.
async fn maps_of(browser: &Browser, number: u32, maps: usize) {
    browser
        .until(&format!(
            "document.querySelectorAll('.maps [data-map]').length === {maps} && \
             document.querySelector('#maps-form').action.endsWith('/bakes/{number}')"
        ))
        .await;
}

/// Bakes object-space normals alone, at 256 texels with a reach of so many millimetres.
async fn bake(browser: &Browser, reach_mm: &str) {
    browser
        .run(&format!(
            "const form = document.querySelector('#maps-form'); \
             form.querySelectorAll('input[name=map]').forEach((b) => {{ b.checked = b.value === 'normal_object'; }}); \
             form.elements.size.value = '256'; form.elements.padding.value = '4'; form.elements.reach_mm.value = '{reach_mm}'; \
             form.dispatchEvent(new Event('input', {{ bubbles: true }})); return 0"
        ))
        .await;
    browser.click("#bake").await;
}

fn report(app: &App, number: u32) -> serde_json::Value {
    let path = format!("/assets/1/bakes/{number}/bake.json");
    serde_json::from_slice(&http::get(app.port, &path).unwrap().body).unwrap()
}

fn map(app: &App, number: u32) -> image::RgbImage {
    let path = format!("/assets/1/bakes/{number}/buoy_normal_object.png");
    let answer = http::get(app.port, &path).unwrap();
    assert_eq!(answer.status, 200, "{path}");
    image::load_from_memory(&answer.body).unwrap().into_rgb8()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pair_is_dropped_baked_and_painted() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let browser = Browser::start(folder.path()).await;
    let write = |name: &str, bytes: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, bytes).unwrap();
        path.to_str().unwrap().to_owned()
    };
    let pair = [
        write("buoy_low.glb", &low(2)),
        write("buoy_high.glb", &source()),
    ];

    // Two files, one asset, and the low one is its candidate.
    browser.open(&app.url("/")).await;
    browser
        .client
        .find(Locator::Css("#files"))
        .await
        .unwrap()
        .send_keys(&pair.join("\n"))
        .await
        .unwrap();
    browser
        .until("document.querySelectorAll('.card-asset').length === 1")
        .await;
    browser.open(&app.url("/assets/1/maps")).await;
    browser
        .until("document.querySelector('#maps-form')?.action.endsWith('/bakes/1')")
        .await;
    let title = browser.run("return document.title").await.to_string();
    assert!(title.contains("Buoy") && !title.contains("high"), "{title}");
    let says = browser.text("#counts").await;
    assert!(says.contains("320"), "{says}");

    // Rays that look a short way miss the horn; the page frames where.
    bake(&browser, "60").await;
    maps_of(&browser, 2, 1).await;
    let missed = report(&app, 2)["misses_percent"].as_f64().unwrap();
    assert!(missed > 1.0, "{missed} % missed");
    browser
        .until("document.querySelector('.misses [data-spot]')")
        .await;
    browser.click(".misses [data-spot]").await;

    // A drag over the low mesh paints; only that is baked again.
    browser
        .run("document.querySelector('#brush').closest('details').open = true; return 0")
        .await;
    browser.click("#brush").await;
    browser.enter("[name=brush_times]", "6").await;
    let middle = browser
        .run(
            "const b = document.querySelector('#stage').getBoundingClientRect(); \
             return [Math.round(b.x + b.width * 3 / 4), Math.round(b.y + b.height / 2), Math.round(b.height / 5)]",
        )
        .await;
    let [x, y, reach] = [0, 1, 2].map(|i| middle[i].as_i64().unwrap());
    for step in -8..=8 {
        let up = y + step * reach / 8;
        let (left, right) = ((x - reach, up), (x + reach, up));
        let ends = if step % 2 == 0 {
            (left, right)
        } else {
            (right, left)
        };
        browser.drag(ends.0, ends.1).await;
    }
    browser
        .until("document.querySelector('#brush-says').textContent.startsWith('Painted: ')")
        .await;
    browser.click("#bake-again").await;
    maps_of(&browser, 3, 1).await;
    let again = report(&app, 3);
    let left = again["misses_percent"].as_f64().unwrap();
    assert!(left < missed, "{left} % of {missed} % still miss");
    assert!(again["rays"].as_u64() <= report(&app, 2)["rays"].as_u64());
    browser
        .until("document.querySelector('#maps-form [name=painted]')?.checked === true")
        .await;
    let (before, after) = (map(&app, 2), map(&app, 3));
    let changed = before.pixels().zip(after.pixels()).filter(|(a, b)| a != b);
    let changed = changed.count();
    assert!(changed > 100 && changed < 256 * 256 / 2, "{changed} texels");

    // Taking the paint back gives the first maps again, without work: they are kept.
    browser
        .run("document.querySelector('#maps-form [name=painted]').click(); return 0")
        .await;
    browser.click("#bake-again").await;
    maps_of(&browser, 2, 1).await;

    // Another low mesh is brought by hand.
    browser
        .run("document.querySelector('#bring').open = true; return 0")
        .await;
    browser
        .client
        .find(Locator::Css("#bring input[type=file]"))
        .await
        .unwrap()
        .send_keys(&write("made_elsewhere.glb", &low(3)))
        .await
        .unwrap();
    browser.click("#bring-it").await;
    browser
        .until("document.querySelector('#maps-form')?.action.endsWith('/bakes/4')")
        .await;
    browser
        .until("document.querySelector('#counts')?.textContent.includes('280')")
        .await;

    // On two sheets each map is two pictures.
    browser.open(&app.url("/assets/1/uvs?show=4")).await;
    browser.until("document.querySelector('#unwrap')").await;
    browser.enter("[name=sheets]", "2").await;
    browser.click("#unwrap").await;
    browser
        .until("document.querySelector('#uvs')?.dataset.number === '5'")
        .await;
    browser.open(&app.url("/assets/1/maps?show=5")).await;
    browser.until("document.querySelector('#bake')").await;
    bake(&browser, "").await;
    maps_of(&browser, 6, 2).await;
    let panel = browser.text("#maps-form").await;
    assert!(
        panel.contains("Sheet 1") && panel.contains("Sheet 2"),
        "{panel}"
    );
    let second = http::get(app.port, "/assets/1/bakes/6/buoy_normal_object_2.png").unwrap();
    assert_eq!(second.status, 200);
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}

/// What is no mesh, what is of another size, and several at once: each a sentence, and nothing stays behind.
#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_be_brought_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("buoy.glb", &source())]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/maps")).await;
    browser
        .until("document.querySelector('#panel')?.textContent.includes('Cut the source first')")
        .await;
    let none = http::upload_to(app.port, "/assets/1/low", &[("notes.txt", b"hello")]).unwrap();
    assert_eq!(none.status, 422);
    assert!(none.sentence().contains("no mesh"), "{}", none.sentence());
    let two = [("a.glb", &low(1)[..]), ("b.glb", &low(2)[..])];
    let two = http::upload_to(app.port, "/assets/1/low", &two).unwrap();
    assert!(two.sentence().contains("one low mesh at a time"));
    let mut far = shapes::icosphere(1.0, 2);
    far.points.iter_mut().for_each(|p| p.x += 40.0);
    let far = bytes(&Scene::from(far));
    let sent = http::upload_to(app.port, "/assets/1/low", &[("far.glb", &far)]).unwrap();
    assert_eq!(sent.status, 303);
    browser.open(&app.url("/assets/1/maps?show=1")).await;
    browser
        .until("document.querySelector('#panel')?.textContent.includes('not in one space')")
        .await;
    let junk = http::upload_to(app.port, "/assets/1/low", &[("junk.glb", b"glTF????")]).unwrap();
    assert_eq!(junk.status, 303);
    browser.open(&app.url("/assets/1/maps?show=2")).await;
    browser
        .until("document.querySelector('#panel')?.textContent.includes('junk.glb is cut short')")
        .await;
    browser.close().await;
}
