//! Hulls and cards in the real interface: made, looked at, given to tiers by a brief, delivered.

use ectome_e2e::{app::App, brief, browser::Browser, http, validator, wait::wait_for};
use ectome_formats::{FileSet, Scene, glb};
use ectome_mesh::{MeshBuilder, Primitive, measure, shapes};
use glam::{Affine3A, Vec3};

/// Three balls in a bent row: one hull over them holds much that is none of theirs.
fn bar_of_weights() -> Scene {
    let ball = shapes::icosphere(0.4, 4);
    let mut builder = MeshBuilder::new();
    for (i, at) in [
        Vec3::ZERO,
        Vec3::new(1.2, 0.5, 0.0),
        Vec3::new(2.4, 0.0, 0.3),
    ]
    .into_iter()
    .enumerate()
    {
        let places = ball
            .vertex_point
            .iter()
            .map(|&p| ball.points[p as usize] + at);
        builder
            .part(&format!("weight {i}"), Affine3A::IDENTITY)
            .primitive(Primitive {
                positions: places.collect(),
                normals: measure::smooth_normals(&ball),
                corners: ball.corners.clone(),
                ..Primitive::default()
            });
    }
    Scene::from(builder.finish())
}

#[tokio::test(flavor = "multi_thread")]
async fn hulls_and_cards_stand_in_and_are_delivered() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let file = glb::write(&bar_of_weights(), &glb::Options::default()).unwrap();
    let sent = http::upload(app.port, &[("weights.glb", &file)]).unwrap();
    assert_eq!(sent.status, 201);
    let asked = "[[tier]]\ntriangles = 3000\nnearest_m = 3.0\noutline_px = 8.0\n\
                 [[tier]]\ntriangles = 60\nmade = \"hull\"\nnearest_m = 20.0\noutline_px = 8.0\n\
                 [[tier]]\ntriangles = 8\nmade = \"cards\"\nnearest_m = 60.0\noutline_px = 8.0\n\
                 [delivery]\ncollision_hulls = 6\n";
    brief::give(app.port, 1, "Quay, far away", asked);
    let page = || http::get(app.port, "/assets/1/chain").map_or_else(String::new, |r| r.text());
    wait_for("the asset", || page().contains("hull-form"));

    // By hand: hulls that follow it, then cards; each stands on the stage and says what it is.
    let browser = Browser::start(folder.path()).await;
    browser.open(&app.url("/assets/1/chain")).await;
    browser.until("document.querySelector('#far-end')").await;
    let open = "document.querySelector('#far-end').open = true; return 0";
    browser.run(open).await;
    browser
        .run("document.querySelector('#hulls').value = '6'; return 0")
        .await;
    browser.click("#hull-form button").await;
    browser
        .until("document.querySelector('#far-end .says')?.textContent.includes('convex hulls')")
        .await;
    let says = browser.text("#far-end .says").await;
    assert!(
        says.contains("of what one hull over everything would"),
        "{says}"
    );
    browser.run(open).await;
    browser.click("#cards-form button").await;
    browser
        .until("document.querySelector('#far-end .says')?.textContent.includes('4 cards')")
        .await;
    browser
        .until("document.querySelector('#stage').dataset.right === 'mesh'")
        .await;

    // By the brief: every tier is made as it says, and judged.
    browser.click("#brief-chain button").await;
    browser
        .until("document.querySelectorAll('.verdicts li').length === 3 && document.querySelector('.total')")
        .await;
    let tiers = browser.text(".verdicts").await;
    for says in ["8 of 8 triangles", "of 60 triangles", "000 triangles"] {
        assert!(tiers.contains(says), "{says} in {tiers}");
    }
    // One tier made as something else by hand.
    browser
        .run("const d = document.querySelector('[data-tier=\"2\"] details'); d.open = true; d.querySelector('[name=made]').value = 'card'; return 0")
        .await;
    browser.click("[data-tier=\"2\"] [value=stand_in]").await;
    browser
        .until(
            "document.querySelector('[data-tier=\"2\"]')?.textContent.includes('2 of 8 triangles')",
        )
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;

    // Delivered: the tiers and the hulls for collisions, all valid; the card wears its pictures.
    assert!(
        http::post(app.port, "/assets/1/parcels", "")
            .unwrap()
            .status
            < 400
    );
    let read = |name: &str| -> Option<Scene> {
        let zip = http::get(app.port, "/parcels/1/files/weights_parcel_1.zip");
        let answer = zip.filter(|r| r.status == 200)?;
        let mut zip = zip::ZipArchive::new(std::io::Cursor::new(answer.body)).ok()?;
        let mut bytes = Vec::new();
        std::io::Read::read_to_end(&mut zip.by_name(name).ok()?, &mut bytes).ok()?;
        let path = folder.path().join(name);
        std::fs::write(&path, &bytes).ok()?;
        let report = validator::validate(&path);
        let faults = (&report["errors"], &report["warnings"]);
        assert_eq!(faults, (&0.into(), &0.into()), "{name} {report}");
        ectome_formats::read(&FileSet::new([(name, &bytes[..])])).ok()
    };
    wait_for("the parcel", || read("weights_LOD0.glb").is_some());
    let hull = read("weights_LOD1.glb").unwrap();
    assert!((20..=60).contains(&hull.mesh.triangle_count()));
    let card = read("weights_LOD2.glb").unwrap();
    assert_eq!(card.mesh.triangle_count(), 2);
    assert_eq!(card.library.materials[0]["alphaMode"], "MASK");
    assert_eq!(card.library.images.len(), 2);
    let hulls = read("weights_collision.glb").unwrap();
    assert!((2..=6).contains(&hulls.mesh.parts.len()));
    assert!(hulls.mesh.parts[0].name.starts_with("weights_collision"));
}
