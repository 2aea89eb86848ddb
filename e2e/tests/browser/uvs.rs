//! UVs in the real interface: unwrapped, picked, cut open, set to a density, stacked, repaired; then the file is checked.

use ectome_e2e::{app::App, browser::Browser, http, validator};
use ectome_formats::{FileSet, Scene, glb};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, shapes};
use ectome_uv::{layout::Layout, measure};
use glam::{Affine3A, Quat, Vec2, Vec3};

/// Three equal buoys, each a part, side by side: 3 840 triangles without UVs.
fn buoys() -> Vec<u8> {
    let mut builder = MeshBuilder::new();
    for i in 0..3 {
        let frame = Affine3A::from_rotation_translation(
            Quat::from_rotation_y(0.9 * i as f32),
            Vec3::X * 2.4 * i as f32,
        );
        let mut ball = shapes::icosphere(1.0, 3);
        for p in &mut ball.points {
            p.x += 0.2 * p.y * p.y + 0.15 * p.z * p.x + 0.1 * p.z;
        }
        builder
            .part(&format!("buoy {i}"), frame)
            .primitive(Primitive {
                positions: ball.points.clone(),
                corners: ball
                    .corners
                    .iter()
                    .map(|&v| ball.vertex_point[v as usize])
                    .collect(),
                ..Primitive::default()
            });
    }
    glb::write(&Scene::from(builder.finish()), &glb::Options::default()).unwrap()
}

/// Two plates whose UVs overlap, one of them inside-out, and a third beside the sheet.
fn plates() -> Vec<u8> {
    let mut builder = MeshBuilder::new();
    for (i, (at, mirrored)) in [(0.1, false), (0.2, true), (1.3, false)]
        .into_iter()
        .enumerate()
    {
        let corners = [[0., 0.], [1., 0.], [1., 1.], [0., 1.]].map(Vec2::from_array);
        let frame = Affine3A::from_translation(Vec3::X * 1.5 * i as f32);
        builder
            .part(&format!("plate {i}"), frame)
            .primitive(Primitive {
                positions: corners.map(|c| c.extend(0.0)).to_vec(),
                uv_sets: vec![
                    corners
                        .map(|c| {
                            let u = if mirrored { 1.0 - c.x } else { c.x };
                            Vec2::new(at + 0.3 * u, 0.5 - 0.3 * c.y)
                        })
                        .to_vec(),
                ],
                corners: vec![0, 1, 2, 0, 2, 3],
                ..Primitive::default()
            });
    }
    glb::write(&Scene::from(builder.finish()), &glb::Options::default()).unwrap()
}

/// A place on the stage's right half, in shares of it.
async fn on_stage(browser: &Browser, x: f64, y: f64) -> (i64, i64) {
    let place = browser
        .run(&format!(
            "const r = document.querySelector('#stage').getBoundingClientRect(); \
             return [Math.round(r.x + r.width * (0.5 + 0.5 * {x})), Math.round(r.y + r.height * {y})];"
        ))
        .await;
    (place[0].as_i64().unwrap(), place[1].as_i64().unwrap())
}

async fn fact(browser: &Browser, name: &str) -> String {
    let value = browser
        .run(&format!(
            "return [...document.querySelectorAll('#uv-facts div')].find((d) => \
             d.querySelector('dt').textContent === '{name}')?.querySelector('dd').textContent ?? ''"
        ))
        .await;
    value.as_str().unwrap_or_default().to_owned()
}

async fn candidate_shows(browser: &Browser, number: u32) {
    browser
        .until(&format!(
            "document.querySelector('#uvs')?.dataset.number === '{number}' && document.querySelector('#uv-facts') \
             && document.querySelector('#uv-canvas').dataset.drawn > 0"
        ))
        .await;
}

fn downloaded(app: &App, name: &str, folder: &std::path::Path) -> Mesh {
    let answer = http::get(app.port, &format!("/assets/1/download/{name}")).unwrap();
    assert_eq!(answer.status, 200);
    let file = folder.join(name);
    std::fs::write(&file, &answer.body).unwrap();
    let report = validator::validate(&file);
    assert_eq!(report["errors"], 0, "{report}");
    let set = FileSet::new([(name, &answer.body[..])]);
    ectome_formats::read(&set).unwrap().mesh
}

#[tokio::test(flavor = "multi_thread")]
async fn islands_are_made_picked_cut_open_sized_and_stacked() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("buoys.glb", &buoys())]).unwrap();
    let browser = Browser::start(folder.path()).await;
    browser.open(&app.url("/assets/1/uvs")).await;

    // Nothing yet: the source stands on the stage, the column says what to do. Unwrapped, it has islands.
    browser
        .until("document.querySelector('#uvs')?.textContent.includes('no UVs yet')")
        .await;
    browser.click("#unwrap").await;
    candidate_shows(&browser, 1).await;
    let islands: u32 = fact(&browser, "Islands").await.parse().unwrap();
    assert!((6..=60).contains(&islands), "{islands}");
    assert_eq!(fact(&browser, "Overlap").await, "0.00 %");

    // A click on the stage chooses an island there and on the sheet; the sheet says what it is.
    browser
        .until("document.querySelector('#stage').dataset.left === 'mesh' && document.querySelector('#stage').dataset.right === 'chart'")
        .await;
    let middle = on_stage(&browser, 0.5, 0.5).await;
    browser.drag(middle, middle).await;
    browser
        .until("document.querySelector('#chosen-says').dataset.count === '1'")
        .await;
    let says = browser.text("#uv-says").await;
    assert!(
        says.contains("buoy 1") && says.contains("texels/m"),
        "{says}"
    );
    // A click on the sheet, on the middle of the same island, lets it go again.
    for look in ["density", "stretch", "part", "plain", "texture", "checker"] {
        browser.click(&format!("[data-uv-look={look}]")).await;
    }

    // A seam between two places on the stage, along the way it is seen least.
    browser.click("[data-uv-mode=seam]").await;
    let (from, to) = (
        on_stage(&browser, 0.45, 0.42).await,
        on_stage(&browser, 0.55, 0.58).await,
    );
    browser.drag(from, from).await;
    browser
        .until("document.querySelector('#seams-say').textContent.includes('pick where it ends')")
        .await;
    browser.drag(to, to).await;
    browser
        .until("document.querySelector('#seams-say').textContent.includes('1 marked')")
        .await;
    browser.click("#unwrap").await;
    candidate_shows(&browser, 2).await;
    browser
        .until("document.querySelectorAll('.uv-history li').length === 2")
        .await;

    // One density for all, in texels per metre.
    browser
        .run("document.querySelector('[name=texels_per_metre]').value = '90'; return 0")
        .await;
    browser
        .click("#uv-form [value=density]:not([data-fit])")
        .await;
    candidate_shows(&browser, 3).await;
    assert_eq!(fact(&browser, "Texel density").await, "90 texels/m");
    assert_eq!(fact(&browser, "Spread, islands").await, "0.0 %");
    // Too much of it is refused with the most that would fit.
    browser
        .run("document.querySelector('[name=texels_per_metre]').value = '9000'; return 0")
        .await;
    browser
        .click("#uv-form [value=density]:not([data-fit])")
        .await;
    browser
        .until("document.querySelector('#panel [role=alert]')?.textContent.includes('The most that fits')")
        .await;

    // Equal parts stacked, from the first layout, in which they are still equal.
    browser.open(&app.url("/assets/1/uvs?show=1")).await;
    candidate_shows(&browser, 1).await;
    browser
        .run("document.querySelector('#stacks').value = 'repeats'; return 0")
        .await;
    browser.click("#uv-form [value=pack]").await;
    candidate_shows(&browser, 5).await;
    let stacked = fact(&browser, "Stacked, sheets").await;
    assert!(!stacked.starts_with("0,"), "{stacked}");
    // A chain cut from it keeps its islands all the way down.
    let size = fact(&browser, "Brief asks for").await;
    browser.open(&app.url("/assets/1/chain")).await;
    browser
        .until("document.querySelector('#chain-from')?.value === '5'")
        .await;
    browser
        .run("document.querySelector('#chain-form').closest('details').open = true; document.querySelector('#first').value = '2000'; return 0")
        .await;
    browser.click("#chain-button").await;
    browser.until("document.querySelector('.total')").await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());

    // What is downloaded is what was shown, at the size that the brief's textures have.
    let size: u32 = size.split(" at ").nth(1).unwrap().parse().unwrap();
    let apart = downloaded(&app, "buoys_1.glb", folder.path());
    let stacked = downloaded(&app, "buoys_5.glb", folder.path());
    let lower = downloaded(&app, "buoys_LOD1.glb", folder.path());
    let numbers = |mesh: &Mesh| {
        let layout = Layout::of(mesh);
        measure::numbers(mesh, &layout, &measure::islands(mesh, &layout), size)
    };
    let (a, s, l) = (numbers(&apart), numbers(&stacked), numbers(&lower));
    assert!(lower.triangle_count() <= 1000);
    assert!(
        l.islands > 0 && l.islands <= s.islands && l.without_uvs == 0,
        "{l:?}"
    );
    assert_eq!(
        (a.islands as u32, a.stacked, a.overlapping.len()),
        (islands, 0, 0)
    );
    assert_eq!(s.stacked, 2 * s.islands / 3);
    assert!(s.overlapping.is_empty() && s.inside_out.is_empty(), "{s:?}");
    assert!(a.smallest_gap_texels.unwrap() >= 8.0 && s.smallest_gap_texels.unwrap() >= 8.0);
    assert!(s.texels_per_metre > 1.4 * a.texels_per_metre);
    browser.close().await;
}

/// Middle of the held islands, or a grip of them, in pixels of the page.
async fn held(browser: &Browser, what: &str) -> (i64, i64) {
    browser
        .until("document.querySelector('#uv-canvas').dataset.held")
        .await;
    let script = format!(
        "const c = document.querySelector('#uv-canvas'), r = c.getBoundingClientRect();
         const h = JSON.parse(c.dataset.held);
         const p = '{what}' === 'middle' ? [0, 1].map((k) => (h.low[k] + h.high[k]) / 2) : h['{what}'];
         return [Math.round(r.left + p[0]), Math.round(r.top + p[1])]"
    );
    let place = browser.run(&script).await;
    (place[0].as_i64().unwrap(), place[1].as_i64().unwrap())
}

#[tokio::test(flavor = "multi_thread")]
async fn islands_are_put_by_hand() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("plates.glb", &plates())]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/uvs")).await;
    browser.until("document.querySelector('#unwrap')").await;
    browser.click("#unwrap").await;
    candidate_shows(&browser, 1).await;
    let says = "document.querySelector('#moves-say').textContent";

    // Chosen with the keyboard, and moved by typed figures: a quarter turn, half its size.
    browser
        .run("document.querySelector('#uv-canvas').focus(); return 0")
        .await;
    browser.press("\u{e00f}").await; // Page down
    browser
        .until("document.querySelector('#chosen-says').dataset.count === '1'")
        .await;
    browser.click("[data-uv-mode=place]").await;
    browser
        .run("document.querySelector('[data-move=turn]').value = '90'; document.querySelector('[data-move=size]').value = '0,5'; return 0")
        .await;
    browser.click("#move-typed").await;
    browser
        .until(&format!("{says}.includes('90°, ×0.5')"))
        .await;
    // Dragged to the right, then turned by its round grip, then by keys; the last is taken back.
    let from = held(&browser, "middle").await;
    browser.drag(from, (from.0 + 40, from.1)).await;
    browser
        .until(&format!("{says}.startsWith('2 moves')"))
        .await;
    let middle = held(&browser, "middle").await;
    let grip = held(&browser, "turn").await;
    let reach = middle.1 - grip.1;
    browser.drag(grip, (middle.0 + reach, middle.1)).await;
    browser
        .until(&format!("{says}.startsWith('3 moves')"))
        .await;
    assert!(browser.text("#moves-say").await.contains("90°"));
    browser
        .run("document.querySelector('#uv-canvas').focus(); return 0")
        .await;
    browser.press("\u{e014}").await; // Arrow right
    browser
        .until(&format!("{says}.startsWith('4 moves')"))
        .await;
    assert!(browser.text("#moves-say").await.contains("1, 0 texels"));
    browser.click("#moves-back").await;
    browser
        .until(&format!("{says}.startsWith('3 moves')"))
        .await;
    browser.click("#moves-make").await;
    candidate_shows(&browser, 2).await;
    browser
        .until(
            "document.querySelector('.uv-history')?.textContent.includes('1 island put by hand')",
        )
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());

    // In the file one plate of three is half as large, lies elsewhere, and nothing is too near to anything.
    let (before, after) = (
        downloaded(&app, "plates_1.glb", folder.path()),
        downloaded(&app, "plates_2.glb", folder.path()),
    );
    let islands = |mesh: &Mesh| {
        let layout = Layout::of(mesh);
        let list = measure::islands(mesh, &layout);
        let numbers = measure::numbers(mesh, &layout, &list, 2048);
        (list, numbers)
    };
    let ((a, _), (b, numbers)) = (islands(&before), islands(&after));
    let sized: Vec<f64> = a
        .iter()
        .zip(&b)
        .map(|(a, b)| b.density / a.density)
        .filter(|ratio| (ratio - 1.0).abs() > 1e-3)
        .collect();
    assert!(
        sized.len() == 1 && (sized[0] - 0.5).abs() < 1e-3,
        "{sized:?}"
    );
    let moved = a
        .iter()
        .zip(&b)
        .filter(|(a, b)| a.low.distance(b.low) > 1e-4);
    assert_eq!(moved.count(), 1);
    assert!(
        numbers.overlapping.is_empty() && numbers.out_of_range.is_empty(),
        "{numbers:?}"
    );
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_wrong_is_listed_and_repaired() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("plates.glb", &plates())]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/uvs")).await;
    browser
        .until("document.querySelectorAll('#uv-faults li').length === 3")
        .await;
    let faults = browser.text("#uv-faults").await;
    for words in [
        "1 island lies inside-out",
        "2 islands overlap",
        "1 island leaves the sheet",
    ] {
        assert!(faults.contains(words), "{words}: {faults}");
    }
    // Shown on the sheet, then repaired by the button beside it.
    browser.click("[data-uv-show]").await;
    browser
        .until("document.querySelector('#chosen-says').dataset.count === '1'")
        .await;
    browser.click("#uv-faults [value=turn_over]").await;
    browser
        .until("document.querySelector('#uvs')?.dataset.number === '1' && !document.querySelector('#uv-faults')?.textContent.includes('inside-out') && document.querySelector('#uv-facts')")
        .await;
    if browser
        .run("return Boolean(document.querySelector('#uv-faults'))")
        .await
        == true
    {
        browser.click("#uv-faults [value=separate]").await;
    }
    browser.until("document.querySelector('#uv-clean')").await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());

    // A form without what it needs is answered in a sentence.
    let answer = http::post(
        app.port,
        "/assets/1/layouts/0",
        "do=join&padding=8&border=8&sheets=1&effort=0",
    )
    .unwrap();
    assert_eq!(answer.status, 422);
    assert!(
        answer.sentence().contains("exactly two islands"),
        "{}",
        answer.sentence()
    );
    let missing = http::get(app.port, "/assets/1/layouts/77/sheet").unwrap();
    assert_eq!(missing.status, 404);
    let path = http::get(app.port, "/assets/1/layouts/0/path?from=1,2&to=0,0,0").unwrap();
    assert_eq!(path.status, 422);
    browser.close().await;
}
