//! Pages asked for in process: no server, no browser. What a page shows is behaviour and stands in `e2e/`; here, that each answers, as what,
//! and that names of strangers are text.

#[path = "../../ectome-store/tests/suite/common/mod.rs"]
mod common;

use std::sync::Arc;

use axum::{
    Router,
    body::{Body, to_bytes},
    http::{Method, Request, StatusCode, header},
};
use common::{Fixture, sheet};
use ectome_recipe::CutSettings;
use ectome_web::{App, Feed, OpenSources, UvSheets};
use tower::ServiceExt;

const PORT: u16 = 4180;
const STEPS: [&str; 8] = [
    "intake", "parts", "cut", "uvs", "maps", "chain", "proof", "parcel",
];

fn rooms(f: &Fixture) -> Router {
    ectome_web::router(App {
        store: f.store.clone(),
        incoming: Arc::new(f.folder.path().join("incoming")),
        upload_limit: 1 << 20,
        open: OpenSources::default(),
        sheets: UvSheets::default(),
        feed: Feed::start(f.store.clone()),
        watched: Some(Arc::new(f.folder.path().join("watched"))),
        port: PORT,
    })
}

async fn ask(rooms: &Router, method: Method, path: &str) -> (StatusCode, String) {
    ask_from("", rooms, method, path).await
}

/// Asks as a browser does that stands at a page.
async fn ask_from(from: &str, rooms: &Router, method: Method, path: &str) -> (StatusCode, String) {
    let request = Request::builder()
        .method(method)
        .uri(path)
        .header(header::HOST, format!("127.0.0.1:{PORT}"))
        .header(header::REFERER, from)
        .body(Body::empty())
        .unwrap();
    let answer = rooms.clone().oneshot(request).await.unwrap();
    let status = answer.status();
    let bytes = to_bytes(answer.into_body(), 1 << 24).await.unwrap();
    (status, String::from_utf8_lossy(&bytes).into_owned())
}

/// A whole page: one heading, one main part, a way past the bar, and nothing of a stranger that a browser would run.
fn is_whole(page: &str, path: &str) {
    let count = |what: &str| page.matches(what).count();
    assert_eq!((count("<h1"), count("<main")), (1, 1), "{path}");
    assert!(page.contains("class=\"skip\""), "{path}");
    assert!(!page.contains("<script>"), "{path}");
}

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

#[tokio::test(flavor = "multi_thread")]
async fn every_step_of_an_asset_answers_before_and_after_its_cut() {
    const NAME: &str = "<script>alert(1)</script> & \"sons\"";
    let f = Fixture::new().await;
    let rooms = rooms(&f);
    let asset = f.asset(NAME, &sheet(16)).await;
    let all = |show: &'static str| {
        let id = asset.id;
        STEPS.into_iter().flat_map(move |step| {
            let page = format!("/assets/{id}/{step}{show}");
            let panel = format!("/assets/{id}/{step}/panel{show}");
            [(page, true), (panel, false)]
        })
    };
    let look = async |show: &'static str| {
        for (path, whole) in all(show) {
            let (status, page) = ask(&rooms, Method::GET, &path).await;
            assert_eq!(status, StatusCode::OK, "{path}");
            assert!(!page.contains(NAME), "{path}: the name is not written out");
            if whole {
                is_whole(&page, &path);
                assert!(page.contains("&#60;script&#62;alert"), "{path}");
            }
        }
    };
    // Not read yet, read, cut.
    look("").await;
    f.work_off().await;
    look("").await;
    let asset = f.store.asset(asset.id).await.unwrap();
    f.store.ask_for_cut(&asset, 100).await.unwrap();
    f.work_off().await;
    look("?show=1").await;
    // A candidate that is not there is no fault: the newest is shown.
    look("?show=77").await;
    let (status, _) = ask(&rooms, Method::GET, &format!("/assets/{}/dance", asset.id)).await;
    assert_eq!(status, StatusCode::NOT_FOUND);
    // A look at a count is there at once, and *not yet* while the source is analysed anew for other settings: no failure.
    let look = format!("/assets/{}/preview/100", asset.id);
    assert_eq!(ask(&rooms, Method::GET, &look).await.0, StatusCode::OK);
    let other = CutSettings {
        reuse_repeats: !asset.settings.reuse_repeats,
        ..asset.settings.clone()
    };
    f.store.set_settings(asset.id, &other).await.unwrap();
    let (status, page) = ask(&rooms, Method::GET, &look).await;
    assert_eq!(status, StatusCode::ACCEPTED);
    assert!(page.contains("still being analysed"), "{page}");
    f.work_off().await;
    assert_eq!(ask(&rooms, Method::GET, &look).await.0, StatusCode::OK);
    f.end().await;
}
