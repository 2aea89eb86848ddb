//! Pages of an application in which nothing is yet.

use axum::http::{Method, StatusCode};

use crate::{PORT, ask, ask_from, common::Fixture, is_whole, rooms};

#[tokio::test(flavor = "multi_thread")]
async fn an_empty_house_has_all_its_rooms() {
    let f = Fixture::new().await;
    let rooms = rooms(&f);
    std::fs::create_dir_all(f.folder.path().join("watched/quay props")).unwrap();
    for path in [
        "/",
        "/?find=bell&tag=quay&order=name&from=60",
        "/briefs",
        "/briefs/1",
        "/scenes",
        "/work",
        "/parcels",
        "/parcels?find=%25_%5C",
        "/batches",
    ] {
        let (status, page) = ask(&rooms, Method::GET, path).await;
        assert_eq!(status, StatusCode::OK, "{path}");
        is_whole(&page, path);
    }
    for path in [
        "/assets/900",
        "/assets/1/cut",
        "/assets/x/cut",
        "/briefs/900",
        "/scenes/900",
        "/parcels/900",
        "/parcels/900/files/x.zip",
        "/batches/900",
        "/nowhere",
    ] {
        let (status, page) = ask(&rooms, Method::GET, path).await;
        assert_eq!(status, StatusCode::NOT_FOUND, "{path}");
        is_whole(&page, path);
    }
    // A failure leads back to the page of ours that it came from, and to no other.
    let back = "Back to the page before";
    let ours = format!("http://127.0.0.1:{PORT}/parcels?find=a%22&from=60");
    let (_, page) = ask_from(&ours, &rooms, Method::GET, "/parcels/900").await;
    assert!(page.contains(&format!(
        "href=\"/parcels?find=a%22&#38;from=60\">{back}</a>"
    )));
    is_whole(&page, "/parcels/900");
    let others = [
        "",
        "nonsense",
        "https://example.net/parcels",
        "http://127.0.0.1:1/parcels",
        &format!("http://127.0.0.1:{PORT}/"),
        &format!("http://127.0.0.1:{PORT}/parcels/900"),
    ];
    for from in others {
        let (_, page) = ask_from(from, &rooms, Method::GET, "/parcels/900").await;
        assert!(!page.contains(back), "{from}");
    }
    // Partials: names as a brief would make them, with what is wrong with one; the folders that can be watched.
    let typed = "/briefs/names?file_names=%7Basset%7D%7Btier%7D&object_names=%7Bpart%7D&map_names=%7Bsize&suffix=_LOD";
    let (status, names) = ask(&rooms, Method::GET, typed).await;
    assert_eq!(status, StatusCode::OK);
    for says in ["fog_bell_LOD1.glb", "bolt, bolt_2", "a { has no }"] {
        assert!(names.contains(says), "{says} in {names}");
    }
    assert!(
        ask(&rooms, Method::GET, "/batches")
            .await
            .1
            .contains("quay props")
    );
    // Whoever sends something has been given a token.
    for path in [
        "/briefs",
        "/scenes",
        "/assets/1/cuts",
        "/assets/1/parcels",
        "/assets/1/stand-ins",
        "/batches",
        "/plans",
        "/work/1/stop",
        "/work/1/again",
    ] {
        let (status, _) = ask(&rooms, Method::POST, path).await;
        assert_eq!(status, StatusCode::FORBIDDEN, "{path}");
    }
    f.end().await;
}
