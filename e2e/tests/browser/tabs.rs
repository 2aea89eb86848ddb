//! Many tabs of one browser.

use ectome_e2e::{app::App, browser::Browser, http};

/// Browsers allow six connections to a server. Ten tabs load all the same, and all of them learn of the cut.
#[tokio::test(flavor = "multi_thread")]
async fn ten_tabs_load_and_all_hear_of_a_cut() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nv 1 1 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 5\nf 3 4 5\nf 4 2 5\n";
    http::upload(app.port, &[("gem.obj", obj.as_bytes())]).unwrap();
    let browser = Browser::start(folder.path()).await;
    let page = app.url("/assets/1/cut");
    browser.open(&page).await;
    browser.until("document.querySelector('#cut-form')").await;
    for _ in 1..10 {
        let tab = browser.client.new_window(true).await.unwrap();
        browser.client.switch_to_window(tab.handle).await.unwrap();
        browser.open(&page).await;
        browser
            .until("document.querySelector('#stage')?.dataset.drawn > 0")
            .await;
    }
    http::post(app.port, "/assets/1/cuts", "triangles=4").unwrap();
    for tab in browser.client.windows().await.unwrap() {
        browser.client.switch_to_window(tab).await.unwrap();
        browser
            .until("document.querySelector('[data-candidate=\"1\"]')")
            .await;
    }
    browser.close().await;
}
