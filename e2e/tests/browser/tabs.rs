//! What pages hear of: many tabs of one browser, a stream that says nothing, a list that cannot be had.

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

/// The worker that tabs share says nothing the first time, as one does that the browser is just ending, and the first list that is asked
/// for does not arrive. The page starts the worker anew, asks again, and shows what came in meanwhile.
#[tokio::test(flavor = "multi_thread")]
async fn a_silent_stream_and_a_lost_list_are_asked_for_again() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let browser = Browser::without_stage(folder.path()).await;
    browser
        .before_pages(
            "const Real = window.SharedWorker; window.workers = 0; window.lost = 0;
             window.SharedWorker = function (address) {
               window.workers += 1;
               return window.workers > 1 ? new Real(address) : { port: { postMessage() {} } };
             };
             const open = XMLHttpRequest.prototype.open;
             XMLHttpRequest.prototype.open = function (how, where, ...rest) {
               const lose = String(where).startsWith('/cards') && window.lost === 0;
               if (lose) window.lost = 1;
               return open.call(this, how, lose ? 'http://127.0.0.1:1/' : where, ...rest);
             };",
        )
        .await;
    browser.open(&app.url("/")).await;
    browser.text("#cards").await;
    let obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n";
    http::upload(app.port, &[("gem.obj", obj.as_bytes())]).unwrap();
    browser
        .until("document.querySelector('.card-asset .figures')?.textContent.includes('triangles')")
        .await;
    browser
        .until("window.workers === 2 && window.lost === 1")
        .await;
    browser.close().await;
}
