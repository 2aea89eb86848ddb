//! Whoever gets a file of ours learns from it where it comes from and what may be done with it.

use std::io::Read;

use ectome_e2e::{app::App, http, wait::wait_for};
use ectome_formats::obj_write;

#[test]
fn every_delivered_file_says_its_licence() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let files = obj_write::write(&ectome_demo::once::tide_plate(), "tide_plate").unwrap();
    let files: Vec<(&str, &[u8])> = files.iter().map(|(n, b)| (n.as_str(), &b[..])).collect();
    assert_eq!(http::upload(app.port, &files).unwrap().status, 201);
    let shows =
        |path: &str, text: &str| http::get(app.port, path).is_some_and(|r| r.text().contains(text));
    wait_for("intake", || shows("/assets/1/cut", "id=\"cut-form\""));
    let post = |path: &str, form: &str| {
        let answer = http::post(app.port, path, form).unwrap();
        assert!(answer.status < 400, "{path}: {}", answer.sentence());
    };
    post(
        "/assets/1/provenance",
        "origin=the+quay&author=M.+Moor&licence=Tide-1.0&may_pass_on=yes",
    );
    let toml = "name = \"All\"\nformats = [\"glb\", \"obj\", \"ply\"]\n[[tier]]\ntriangles = 900\n";
    let toml: String = url::form_urlencoded::byte_serialize(toml.as_bytes()).collect();
    post("/briefs", &format!("toml={toml}"));
    let briefs = http::get(app.port, "/briefs").unwrap().text();
    let own = briefs.split("href=\"/briefs/").skip(1).find_map(|rest| {
        let (id, after) = rest.split_once('"')?;
        after.starts_with(">All").then(|| id.to_owned())
    });
    post(
        "/assets/1/brief",
        &format!("brief={}", own.expect("the brief is listed")),
    );
    post("/assets/1/chains", "by=brief&from=0");
    // The chain has to be made before a parcel can be asked for.
    let asked = || {
        let answer = http::post(app.port, "/assets/1/parcels", "");
        answer.is_some_and(|r| r.status < 400)
    };
    wait_for("the chain", asked);
    let zip = || {
        http::get(app.port, "/parcels/1/files/tide_plate_parcel_1.zip").filter(|r| r.status == 200)
    };
    wait_for("the parcel", || zip().is_some());
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(zip().unwrap().body)).unwrap();
    let mut ends = std::collections::BTreeSet::new();
    for i in 0..zip.len() {
        let mut file = zip.by_index(i).unwrap();
        let name = file.name().unwrap().into_owned();
        let mut bytes = Vec::new();
        file.read_to_end(&mut bytes).unwrap();
        let text = String::from_utf8_lossy(&bytes);
        assert!(
            text.contains("Tide-1.0") && text.contains("M. Moor"),
            "{name} does not say it"
        );
        ends.insert(name.rsplit('.').next().unwrap().to_owned());
    }
    let ends: Vec<&str> = ends.iter().map(String::as_str).collect();
    assert_eq!(ends, ["glb", "html", "json", "mtl", "obj", "ply"]);
}
