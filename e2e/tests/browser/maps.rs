//! Maps in the real interface: tried, baked, looked at alone, green turned, stopped, older than the cut; then the files are
//! checked.

use ectome_e2e::{app::App, browser::Browser, http, unwrap, validator};
use ectome_formats::{Scene, glb};
use ectome_mesh::{MeshBuilder, Primitive, measure, shapes};
use glam::Affine3A;

/// A bumpy float of 20 480 triangles with normals; bumps stand this dense.
fn float(dense: f32) -> Vec<u8> {
    let mut ball = shapes::icosphere(1.0, 5);
    for p in &mut ball.points {
        let bump = (dense * p.x).sin() * (dense * p.y).sin() * (dense * p.z).sin();
        *p *= 1.0 + 0.04 * bump;
    }
    let normals = measure::smooth_normals(&ball);
    let mut builder = MeshBuilder::new();
    builder
        .part("float", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions: ball
                .vertex_point
                .iter()
                .map(|&p| ball.points[p as usize])
                .collect(),
            normals,
            corners: ball.corners.clone(),
            ..Primitive::default()
        });
    glb::write(&Scene::from(builder.finish()), &glb::Options::default()).unwrap()
}

/// Waits until a candidate stands on the Maps step with so many maps.
async fn maps_of(browser: &Browser, number: u32, maps: usize) {
    browser
        .until(&format!(
            "document.querySelectorAll('.maps [data-map]').length === {maps} && \
             document.querySelector('#maps-form').action.endsWith('/bakes/{number}')"
        ))
        .await;
}

/// Sets the form: which maps, and fields by name.
async fn set(browser: &Browser, maps: &str, fields: &str) {
    browser
        .run(&format!(
            "const form = document.querySelector('#maps-form'); const maps = '{maps}'.split(' '); \
             form.querySelectorAll('input[name=map]').forEach((b) => {{ b.checked = maps.includes(b.value); }}); \
             for (const [name, value] of Object.entries({fields})) form.elements[name].value = value; \
             form.dispatchEvent(new Event('input', {{ bubbles: true }})); return 0"
        ))
        .await;
}

fn png(app: &App, number: u32, map: &str) -> image::RgbImage {
    let path = format!("/assets/1/bakes/{number}/float_{map}.png");
    let answer = http::get(app.port, &path).unwrap();
    assert_eq!(answer.status, 200, "{path}");
    image::load_from_memory(&answer.body).unwrap().into_rgb8()
}

#[tokio::test(flavor = "multi_thread")]
async fn maps_are_tried_baked_looked_at_and_handed_over() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("float.glb", &float(9.0))]).unwrap();
    let browser = Browser::start(folder.path()).await;

    // Without a candidate, and without UVs, the step says what comes first.
    browser.open(&app.url("/assets/1/maps")).await;
    browser
        .until("document.querySelector('#panel')?.textContent.includes('Cut the source first')")
        .await;
    assert_eq!(
        http::post(app.port, "/assets/1/cuts", "triangles=1000")
            .unwrap()
            .status,
        303
    );
    browser
        .until("document.querySelector('#panel')?.textContent.includes('Unwrap it first')")
        .await;
    unwrap::by_hand(&browser, &app, 1, 1).await;

    // The form starts from the brief; a trial takes seconds.
    browser.open(&app.url("/assets/1/maps?show=2")).await;
    browser
        .until("document.querySelector('#bake')?.textContent.startsWith('Bake 3 maps at ')")
        .await;
    let says = browser.text("#bake").await;
    browser.click("#trial").await;
    maps_of(&browser, 3, 3).await;
    let shading = browser.text("#maps-shading").await;
    assert!(shading.contains("with these maps"), "{shading}");
    // After a trial the button still bakes at the size of the brief.
    assert_eq!(browser.text("#bake").await, says);
    let trial = png(&app, 3, "normal");
    assert_eq!(trial.dimensions(), (512, 512));

    // One map alone on the stage.
    let drawn = browser
        .run("return Number(document.querySelector('#stage').dataset.drawn)")
        .await;
    browser.click(".maps [data-map]").await;
    browser
        .until(&format!(
            "document.querySelector('.maps [data-map]').getAttribute('aria-pressed') === 'true' && \
             Number(document.querySelector('#stage').dataset.drawn) > {drawn}"
        ))
        .await;

    // Green down differs from up in green only.
    set(&browser, "normal", "{ size: 256, green: 'up' }").await;
    assert_eq!(browser.text("#bake").await, "Bake 1 map at 256");
    browser.click("#bake").await;
    maps_of(&browser, 4, 1).await;
    set(&browser, "normal", "{ size: 256, green: 'down' }").await;
    browser.click("#bake").await;
    maps_of(&browser, 5, 1).await;
    let (up, down) = (png(&app, 4, "normal"), png(&app, 5, "normal"));
    let mut bumpy = false;
    for (a, b) in up.pixels().zip(down.pixels()) {
        assert!(a.0[0].abs_diff(b.0[0]) <= 1 && a.0[2].abs_diff(b.0[2]) <= 1);
        assert!((255 - a.0[1]).abs_diff(b.0[1]) <= 2, "{a:?} {b:?}");
        bumpy |= a.0[1].abs_diff(128) > 20;
    }
    assert!(bumpy, "the map shows the bumps");
    let report = http::get(app.port, "/assets/1/bakes/5/bake.json").unwrap();
    let report: serde_json::Value = serde_json::from_slice(&report.body).unwrap();
    assert_eq!(report["maps"]["normal"]["green"], "down");
    assert_eq!(report["maps"]["normal"]["colour_space"], "linear");

    // What is handed over carries the map and the tangents it was baked with.
    let file = folder.path().join("float_4.glb");
    let answer = http::get(app.port, "/assets/1/download/float_4.glb").unwrap();
    std::fs::write(&file, &answer.body).unwrap();
    let found = validator::validate(&file);
    assert_eq!(found["errors"], 0, "{found}");
    let text = String::from_utf8_lossy(&answer.body);
    assert!(text.contains("\"TANGENT\"") && text.contains("\"normalTexture\""));

    // Ids come with a legend, and a picture of several maps with what the brief packs; the sheet names the part under the
    // pointer.
    let brief = "name = \"Packed\"\n[[packed]]\nname = \"orm\"\nred = \"occlusion\"\ngreen = \"roughness\"\n[[tier]]\n\
                 triangles = 1000\n";
    let form = format!(
        "toml={}",
        brief
            .replace('\n', "%0A")
            .replace('=', "%3D")
            .replace(' ', "+")
    );
    assert_eq!(http::post(app.port, "/briefs", &form).unwrap().status, 303);
    let page = http::get(app.port, "/briefs").unwrap().text();
    let id = page
        .split("href=\"/briefs/")
        .skip(1)
        .find(|l| l.contains(">Packed<"))
        .and_then(|l| l.split('"').next())
        .unwrap()
        .to_owned();
    http::post(app.port, "/assets/1/brief", &format!("brief={id}")).unwrap();
    browser.open(&app.url("/assets/1/maps?show=4")).await;
    browser
        .until("document.querySelector('#maps-form [name=packed]')")
        .await;
    set(&browser, "part_id", "{ size: 128 }").await;
    browser
        .run("document.querySelector('#maps-form [name=packed]').checked = true; return 0")
        .await;
    browser.click("#bake").await;
    maps_of(&browser, 6, 1).await;
    let legend = http::get(app.port, "/assets/1/bakes/6/float_part_id_legend.svg").unwrap();
    assert!(legend.text().contains(">float</text>"), "{}", legend.text());
    assert_eq!(png(&app, 6, "orm").dimensions(), (128, 128));
    browser.open(&app.url("/assets/1/uvs?show=6")).await;
    browser
        .until("document.querySelector('#uv-maps')?.options.length === 2")
        .await;
    browser
        .run(
            "const s = document.querySelector('#uv-maps'); s.value = '0'; \
             s.dispatchEvent(new Event('change', { bubbles: true })); return 0",
        )
        .await;
    // Somewhere along the middle of the sheet an island lies.
    browser
        .until(
            "(() => { const c = document.querySelector('#uv-canvas'); const b = c.getBoundingClientRect(); \
             for (let i = 1; i < 40; i++) { c.dispatchEvent(new PointerEvent('pointermove', { bubbles: true, \
             clientX: b.x + b.width * i / 40, clientY: b.y + b.height / 2 })); \
             if (document.querySelector('#uv-says').textContent.startsWith('Part id: float')) return true; } return false; })()",
        )
        .await;

    // A candidate without maps says where the newest are.
    browser.open(&app.url("/assets/1/maps?show=2")).await;
    browser.until("document.querySelector('#maps-older')").await;

    // A large one is stopped, and says so.
    set(
        &browser,
        "normal occlusion bent_normal thickness",
        "{ size: 8192, samples: '16' }",
    )
    .await;
    browser.click("#bake").await;
    browser
        .until("document.querySelector('#doing')?.textContent.includes('Bak')")
        .await;
    // Meanwhile the stage wears the first map as far as it is made, or the one that is chosen.
    browser
        .until("document.querySelector('#stage').classList.contains('glimpsing')")
        .await;
    let offered = browser
        .run("return [...document.querySelectorAll('#glimpse-of option')].map((o) => o.value).join()")
        .await;
    assert_eq!(
        offered.as_str(),
        Some("Normal,Occlusion,Bent normal,Thickness,Roughness")
    );
    browser
        .run(
            "const s = document.querySelector('#glimpse-of'); s.value = 'Bent normal'; \
             s.dispatchEvent(new Event('change', { bubbles: true })); return 0",
        )
        .await;
    browser
        .until("document.querySelector('#stage').dataset.worn?.endsWith('.png#2')")
        .await;
    // The first picture may come before the first tile is there.
    let deadline = std::time::Instant::now() + std::time::Duration::from_secs(60);
    let (made, edge) = loop {
        let worn = browser
            .run("return document.querySelector('#stage').dataset.worn")
            .await;
        let path = worn.as_str().unwrap().trim_end_matches("#2").to_owned();
        let answer = http::get(app.port, &path).unwrap();
        let made = image::load_from_memory(&answer.body).unwrap().into_rgb8();
        let edge = made.width();
        let mut normals = (0..edge * edge).map(|i| made.get_pixel(i % edge, i / edge).0);
        if normals.any(|p| p != [0x8C, 0x94, 0x92]) {
            break (made, edge);
        }
        assert!(
            std::time::Instant::now() < deadline,
            "no tile is ever shown"
        );
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    };
    assert_eq!(made.height(), 5 * edge);
    // A map of directions is not grey, one of occlusion is.
    let is_grey = |row: u32| {
        (0..edge * edge)
            .map(|i| made.get_pixel(i % edge, edge * row + i / edge))
            .filter(|p| p.0 != [0x8C, 0x94, 0x92])
            .all(|p| p.0[0] == p.0[1] && p.0[1] == p.0[2])
    };
    assert_eq!(
        [0, 1, 2, 3, 4].map(is_grey),
        [false, true, false, true, true]
    );
    browser.click("#doing form button").await;
    browser.open(&app.url("/assets/1/maps?show=7")).await;
    browser
        .until("document.querySelector('#panel')?.textContent.includes('The work was stopped')")
        .await;

    // Few texels are too coarse for dense bumps; the step and the proof name the same islands, and show them.
    http::upload(app.port, &[("rough.glb", &float(30.0))]).unwrap();
    browser.open(&app.url("/assets/2/maps")).await;
    browser
        .until("document.querySelector('#panel')?.textContent.includes('Cut the source first')")
        .await;
    http::post(app.port, "/assets/2/cuts", "triangles=1000").unwrap();
    browser
        .until("document.querySelector('#panel')?.textContent.includes('Unwrap it first')")
        .await;
    unwrap::by_hand(&browser, &app, 2, 1).await;
    browser.open(&app.url("/assets/2/maps?show=2")).await;
    browser.until("document.querySelector('#maps-form')").await;
    set(&browser, "normal", "{ size: 128, samples: '4' }").await;
    browser.click("#bake").await;
    maps_of(&browser, 3, 1).await;
    let coarse =
        "return [...document.querySelectorAll('#coarse li')].map((l) => l.textContent).join()";
    let named = browser.run(coarse).await;
    assert!(named.as_str().unwrap().contains("float"), "{named}");
    browser.open(&app.url("/assets/2/proof?show=3")).await;
    browser.until("document.querySelector('#coarse li')").await;
    assert_eq!(browser.run(coarse).await, named);
    browser
        .run("document.querySelector('#coarse').open = true; return 0")
        .await;
    let drawn = browser
        .run("return Number(document.querySelector('#stage').dataset.drawn)")
        .await;
    browser.click("#coarse [data-spot]").await;
    browser
        .until(&format!(
            "Number(document.querySelector('#stage').dataset.drawn) > {drawn}"
        ))
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}
