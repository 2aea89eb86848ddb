//! Many assets at once, in the real interface: ticked, tagged, begun as a batch, watched in a folder.

use ectome_e2e::{app::App, browser::Browser, http, wait::wait_for};
use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;

fn ball(radius: f32) -> Vec<u8> {
    let scene = Scene::from(shapes::icosphere(radius, 4));
    glb::write(&scene, &glb::Options::default()).unwrap()
}

const BRIEF: &str = "name = \"Quay\"\n[[tier]]\ntriangles = 900\nnearest_m = 3.0\noutline_px = 9.0\n[[tier]]\ntriangles = 300\nnearest_m = 9.0\noutline_px = 9.0\n";

#[tokio::test(flavor = "multi_thread")]
async fn ticked_assets_go_the_whole_way_together() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    for name in ["buoy", "float", "lamp"] {
        let file = ball(0.5);
        assert_eq!(
            http::upload(app.port, &[(&format!("{name}.glb"), &file)])
                .unwrap()
                .status,
            201
        );
    }
    let toml: String = url::form_urlencoded::byte_serialize(BRIEF.as_bytes()).collect();
    assert!(
        http::post(app.port, "/briefs", &format!("toml={toml}"))
            .unwrap()
            .status
            < 400
    );
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/")).await;
    browser
        .until("document.querySelectorAll('.card-asset .figures b').length === 3")
        .await;
    browser.click(".many summary").await;
    // Nothing is ticked: that is said, and nothing happens.
    browser.click("button[value='begin']").await;
    browser
        .until("document.querySelector('#form-fault').textContent.includes('No asset is ticked')")
        .await;
    // The browser writes of a refusal in its console; after it nothing more may stand there.
    let refused = browser.complaints().await;
    assert!(refused.iter().all(|c| c.contains("422")), "{refused:?}");
    browser.click("#tick-all").await;
    browser
        .until("document.querySelector('#ticked-says').textContent === '3 ticked'")
        .await;
    browser
        .run("document.querySelector('[name=new_tag]').value = 'harbour'; return 0")
        .await;
    browser.click("button[value='tag']").await;
    browser
        .until("document.querySelectorAll('.tags a').length === 3")
        .await;
    // By the tag, and by a name that only one has.
    browser.open(&app.url("/?tag=harbour")).await;
    browser
        .until("document.querySelectorAll('.card-asset').length === 3")
        .await;
    browser.open(&app.url("/?find=float")).await;
    browser
        .until("document.querySelectorAll('.card-asset').length === 1")
        .await;
    browser.open(&app.url("/")).await;
    browser
        .until("document.querySelectorAll('.card-asset').length === 3")
        .await;
    browser.click(".many summary").await;
    browser.click("#tick-all").await;
    browser
        .run(
            "const s = document.querySelector('#many [name=brief]'); \
             s.value = [...s.options].find((o) => o.text === 'Quay').value; \
             document.querySelector('#many [name=name]').value = 'Night'; return 0",
        )
        .await;
    browser.click("button[value='begin']").await;
    browser
        .until("document.querySelector('#batch-says')?.textContent.startsWith('3 done')")
        .await;
    // All of it at once: a folder for each asset, each with its sheet.
    let page = http::get(app.port, "/batches/1").unwrap().text();
    assert!(page.contains("/batches/1/parcels.zip"));
    let answer = http::get(app.port, "/batches/1/parcels.zip").unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(answer.body)).unwrap();
    let names: Vec<String> = (0..zip.len())
        .map(|i| zip.by_index(i).unwrap().name().unwrap().into_owned())
        .collect();
    let sheets: Vec<&String> = names
        .iter()
        .filter(|n| n.ends_with("/sheet.json"))
        .collect();
    assert_eq!(sheets.len(), 3, "{names:?}");
    let mut sheet = Vec::new();
    std::io::Read::read_to_end(&mut zip.by_name(sheets[0]).unwrap(), &mut sheet).unwrap();
    assert!(serde_json::from_slice::<serde_json::Value>(&sheet).is_ok());
    let table = browser.text(".batch-table").await;
    assert!(
        table.contains("LOD0\u{2013}1 pass") && table.contains("KiB"),
        "{table}"
    );
    let pictures = browser
        .run("return document.querySelectorAll('.pair img').length")
        .await;
    assert_eq!(pictures, 6);
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    // Each has a parcel in the list.
    browser.open(&app.url("/parcels?find=Quay")).await;
    browser
        .until("document.querySelectorAll('#parcel-list tbody tr').length === 3")
        .await;
    browser.close().await;
}

/// What is put into a watched folder joins, changes and is refused, each with its own sentence.
#[test]
fn a_watched_folder_fills_its_batch() {
    let folder = tempfile::tempdir().unwrap();
    let inbox = folder.path().join("inbox");
    std::fs::create_dir_all(inbox.join("props")).unwrap();
    let app = App::watching(&folder.path().join("data"), &inbox);
    let toml: String = url::form_urlencoded::byte_serialize(BRIEF.as_bytes()).collect();
    assert!(
        http::post(app.port, "/briefs", &format!("toml={toml}"))
            .unwrap()
            .status
            < 400
    );
    let briefs = http::get(app.port, "/batches").unwrap().text();
    let row = briefs
        .split("<option value=\"")
        .skip(1)
        .find_map(|rest| {
            let (id, after) = rest.split_once('"')?;
            after.starts_with(">Quay<").then(|| id.to_owned())
        })
        .unwrap();
    // Only what lies there can be watched.
    let form = |name: &str| format!("do=begin&folder={name}&brief={row}&plan=");
    let refused = http::post(app.port, "/batches", &form("..%2F..")).unwrap();
    assert_eq!(refused.status, 422);
    assert!(
        http::post(app.port, "/batches", &form("props"))
            .unwrap()
            .status
            < 400
    );
    let page = || http::get(app.port, "/batches/1").unwrap().text();
    std::fs::write(inbox.join("props/buoy.glb"), ball(0.5)).unwrap();
    std::fs::write(inbox.join("props/notes.txt"), "no mesh").unwrap();
    std::fs::write(inbox.join("props/.hidden.glb"), ball(0.5)).unwrap();
    std::os::unix::fs::symlink("/etc", inbox.join("props/link")).unwrap();
    wait_for("the batch", || page().contains("1 done"));
    wait_for("the file without a mesh", || {
        let shown = page();
        shown.contains("notes.txt") && shown.contains("holds no mesh")
    });
    let shown = page();
    assert!(
        !shown.contains(".hidden.glb") && !shown.contains(">link<"),
        "{shown}"
    );
    let parcels = || {
        http::get(app.port, "/parcels")
            .unwrap()
            .text()
            .matches("Download")
            .count()
    };
    wait_for("the parcel", || parcels() == 1);
    // A newer file takes the place of the old one, and the whole way is gone again.
    std::fs::write(inbox.join("props/buoy.glb"), ball(0.8)).unwrap();
    wait_for("the second parcel", || parcels() == 2);
    wait_for("the batch to say so", || page().contains("1 done"));
    drop(app);
}
