//! The whole way by one button, in the real interface.

use ectome_e2e::{app::App, brief, browser::Browser, http, validator, wait::wait_for};
use ectome_formats::{FileSet, glb};
use ectome_mesh::Progress;
use ectome_recipe::triangles;

/// The whole way by one button: the plan is shown with its reasons, a line is left out and a figure changed, and everything is there as
/// if it had been done by hand.
#[tokio::test(flavor = "multi_thread")]
async fn one_button_goes_the_whole_way() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let scene = triangles::triangulated(ectome_demo::once::rope_winch(), &Progress::new()).unwrap();
    let file = glb::write(&scene, &glb::Options::default()).unwrap();
    assert_eq!(
        http::upload(app.port, &[("winch.glb", &file)])
            .unwrap()
            .status,
        201
    );
    let asked = "texture_px = 512\nmaterials = 1\nmaps = [\"normal\", \"occlusion\"]\n\
                 [[tier]]\ntriangles = 5000\nnearest_m = 3.0\noutline_px = 8.0\n\
                 [[tier]]\ntriangles = 1500\nnearest_m = 12.0\noutline_px = 8.0\n";
    brief::give(app.port, 1, "Quay", asked);

    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/intake")).await;
    browser.until("document.querySelector('#plan-show')").await;
    browser.click("#plan-show").await;
    browser.until("document.querySelector('#plan-form')").await;
    let plan = browser.text("#plan-form").await;
    for says in [
        "Cut to",
        "Unwrapping",
        "Bake normal, occlusion at",
        "A tier of",
        "Write the parcel",
    ] {
        assert!(plan.contains(says), "{says} in {plan}");
    }
    assert!(plan.contains("Do what is ticked for Quay"), "{plan}");
    // Nothing is done yet.
    assert!(
        !http::get(app.port, "/assets/1/cut")
            .unwrap()
            .text()
            .contains("label-candidate\"><b")
    );
    browser
        .run(
            "const t = [...document.querySelectorAll('#plan-form [name^=triangles_]')]; t[0].value = '4000'; t[1].value = '1000'; \
             document.querySelector('#plan-form [name^=size_]').value = '128'; return t.length",
        )
        .await;
    browser.click("#plan-go").await;
    browser
        .until("document.querySelectorAll('.verdicts li').length === 2 && document.querySelector('.total')")
        .await;
    // The parcel says what it will hold before it is taken.
    browser.open(&app.url("/assets/1/parcel")).await;
    browser.until("document.querySelector('#list-files')").await;
    browser.click("#list-files").await;
    browser.until("document.querySelector('#beside')").await;
    browser
        .run("document.querySelectorAll('.files details').forEach((d) => { d.open = true; }); return 0")
        .await;
    let files = browser.text(".files").await;
    for says in [
        "winch_LOD0.glb",
        "winch_LOD1.glb",
        "128 × 128, PNG, linear",
        "draw calls",
        "The source: ",
    ] {
        assert!(files.contains(says), "{says} in {files}");
    }
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;

    // In the parcel: two tiers at the counts that were typed, with the maps on them, valid.
    let zip =
        || http::get(app.port, "/parcels/1/files/winch_parcel_1.zip").filter(|r| r.status == 200);
    wait_for("the parcel", || zip().is_some());
    let answer = zip().unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(answer.body)).unwrap();
    for (tier, limit) in [(0, 4000), (1, 1000)] {
        let name = format!("winch_LOD{tier}.glb");
        let mut bytes = Vec::new();
        std::io::Read::read_to_end(&mut zip.by_name(&name).unwrap(), &mut bytes).unwrap();
        let path = folder.path().join(&name);
        std::fs::write(&path, &bytes).unwrap();
        let report = validator::validate(&path);
        assert_eq!(
            (&report["errors"], &report["warnings"]),
            (&0.into(), &0.into()),
            "{report}"
        );
        let scene = ectome_formats::read(&FileSet::new([(name.as_str(), &bytes[..])])).unwrap();
        let count = scene.mesh.triangle_count();
        assert!(count <= limit && count > limit / 2, "{count}");
        assert!(!scene.library.images.is_empty(), "the maps are in the file");
    }
    // Every step stands in the tray.
    let uvs = http::get(app.port, "/assets/1/uvs").unwrap().text();
    assert!(uvs.contains("Candidate 2") && uvs.contains("Candidate 3"));
}
