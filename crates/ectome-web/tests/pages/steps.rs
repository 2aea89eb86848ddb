//! The steps of an asset.

use axum::http::{Method, StatusCode};
use ectome_recipe::CutSettings;

use crate::{
    ask,
    common::{Fixture, sheet},
    is_whole, rooms,
};

const STEPS: [&str; 9] = [
    "intake", "parts", "cut", "uvs", "maps", "chain", "proof", "parcel", "history",
];

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
    // The history has what was cut on right behind what it was cut from, one deeper, and what is newer behind both.
    f.store.ask_for_cut(&asset, 80).await.unwrap();
    f.work_off().await;
    let first = &f.store.tray(asset.id).await.unwrap()[0];
    f.store.ask_to_go_on(&asset, first, 60).await.unwrap();
    f.work_off().await;
    let history = format!("/assets/{}/history", asset.id);
    let (_, page) = ask(&rooms, Method::GET, &history).await;
    let lines = page.split("<li class=\"depth-").skip(1);
    let told: Vec<String> = lines
        .map(|line| {
            let number = line.split("data-number=\"").nth(1).unwrap();
            format!("{} {}", &line[..1], &number[..1])
        })
        .collect();
    assert_eq!(told, ["0 1", "1 3", "0 2"]);
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
