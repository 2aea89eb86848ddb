//! A new skin in the real interface: looked at, cut open, made, and all of it in one go.

use ectome_e2e::{app::App, brief, browser::Browser, http, wait::wait_for};
use ectome_formats::{FileSet, Scene, glb};
use ectome_mesh::{MeshBuilder, Primitive, edit, shapes};
use glam::{Affine3A, Vec3};

/// A ball with two holes, a ball that runs into it, and one buried in it.
fn kit() -> Scene {
    let mut builder = MeshBuilder::new();
    for (name, size, at) in [
        ("hull", 1.0, Vec3::ZERO),
        ("dome", 0.5, Vec3::X),
        ("ballast", 0.6, Vec3::ZERO),
    ] {
        let ball = shapes::icosphere(size, 5);
        let holed = |f: usize| {
            let way = (ball.triangle(f).iter().sum::<Vec3>() / 3.0).normalize();
            name == "hull" && (way.y > 0.96 || way.z > 0.985)
        };
        let open = edit::kept(&ball, |f| !holed(f));
        builder
            .part(name, Affine3A::from_translation(at))
            .primitive(Primitive {
                positions: (0..open.vertex_count() as u32)
                    .map(|v| open.position(v))
                    .collect(),
                corners: open.corners.clone(),
                ..Primitive::default()
            });
    }
    Scene::from(builder.finish())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_kit_bash_gets_a_skin_uvs_and_maps_in_one_go() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let file = glb::write(&kit(), &glb::Options::default()).unwrap();
    let sent = http::upload(app.port, &[("float.glb", &file)]).unwrap();
    assert_eq!(sent.status, 201);
    let asked = "texture_px = 256\nmaps = [\"normal\"]\n[[tier]]\ntriangles = 900\n";
    brief::give(app.port, 1, "Float", asked);
    let browser = Browser::start(folder.path()).await;
    let page = || http::get(app.port, "/assets/1/cut").map_or_else(String::new, |r| r.text());
    wait_for("the asset", || page().contains("rebuild-form"));
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("document.querySelector('#rebuild[open]')")
        .await;
    let worth = browser.text("#rebuild-worth").await;
    assert!(worth.contains("2 openings"), "{worth}");
    // Once all is analysed, so that nothing is drawn anew meanwhile.
    wait_for("the analysis", || !page().contains("Being analysed"));
    // A coarse look, cut open: another picture, the openings numbered.
    browser.click("#rebuild-look").await;
    browser
        .until("document.querySelector('#rebuild-says').textContent.includes('2 openings closed')")
        .await;
    browser
        .until("document.querySelectorAll('.stage-number').length === 2")
        .await;
    const PICTURE: &str = "return document.getElementById('canvas').toDataURL()";
    let whole = browser.run(PICTURE).await;
    browser
        .run(
            "const r = document.getElementById('cut-open-at'); r.value = 50; \
             r.dispatchEvent(new Event('input', { bubbles: true })); return 0",
        )
        .await;
    browser
        .until(&format!(
            "document.getElementById('canvas').toDataURL() !== {whole}"
        ))
        .await;
    // A plane to cut it off at, tied to its fields.
    browser.click("#rebuild-clip").await;
    browser
        .until("!document.getElementById('rebuild-plane').hidden")
        .await;
    browser.click("#rebuild-clip").await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    // What cannot be meant is said and nothing is asked for.
    browser.enter("#gaps_mm", "wide").await;
    browser.click("#rebuild-all").await;
    browser
        .until("document.getElementById('form-fault').textContent.includes('gap in millimetres')")
        .await;
    browser.enter("#gaps_mm", "0").await;
    browser.enter("#detail_mm", "40").await;
    browser.enter("#rebuild-to", "900").await;
    browser.click("#rebuild-all").await;
    browser
        .until("document.querySelector('.tray [data-show=\"4\"]')")
        .await;
    // The first is the skin, and says what it is.
    browser.open(&app.url("/assets/1/cut?show=1")).await;
    browser
        .until("document.querySelector('.skin .openings')")
        .await;
    let skin = browser.text(".skin").await;
    for says in [
        "3 pieces became one skin",
        "2 openings closed",
        "inside dropped",
        "hull",
    ] {
        assert!(skin.contains(says), "{says} in {skin}");
    }
    browser
        .until("document.querySelectorAll('.stage-number').length === 2")
        .await;
    browser.close().await;
    // The last has its count, UVs and pictures, and is closed.
    let page = http::get(app.port, "/assets/1/cut?show=4").unwrap().text();
    let data = page
        .split("\"mesh\":\"")
        .nth(4)
        .or_else(|| page.split("\"mesh\":\"").last());
    let blob = data.unwrap().split('"').next().unwrap().to_owned();
    let bytes = http::get(app.port, &format!("/mesh/{blob}.glb"))
        .unwrap()
        .body;
    let made = ectome_formats::read(&FileSet::new([("low.glb", &bytes[..])])).unwrap();
    let count = made.mesh.triangle_count();
    assert!((600..=900).contains(&count), "{count}");
    assert!(!made.mesh.uv_sets.is_empty() && !made.library.images.is_empty());
}
