//! Everybody's hands and eyes: every page, in both sets of colours, looked through by axe-core (rules of WCAG 2.2, A and AA).

use ectome_e2e::{access, app::App, browser::Browser, http, wait::wait_for};
use ectome_formats::{FileSet, Scene, glb};
use ectome_mesh::{Mesh, MeshBuilder, Primitive, measure, shapes};
use glam::{Affine3A, Vec3};

/// A float with a ring around it, open at its top: two parts, and something to find.
fn buoy() -> Vec<u8> {
    let mut ball = shapes::icosphere(1.0, 4);
    ball.corners.truncate(ball.corners.len() - 60);
    let ring = shapes::torus(1.3, 0.15, 48, 16);
    let mut builder = MeshBuilder::new();
    for (name, mesh) in [("float", &ball), ("ring", &ring)] {
        builder
            .part(name, Affine3A::IDENTITY)
            .primitive(primitive(mesh));
    }
    glb::write(&Scene::from(builder.finish()), &glb::Options::default()).unwrap()
}

fn primitive(mesh: &Mesh) -> Primitive {
    let positions: Vec<Vec3> = (0..mesh.vertex_count() as u32)
        .map(|v| mesh.position(v))
        .collect();
    Primitive {
        positions,
        normals: measure::smooth_normals(mesh),
        corners: mesh.corners.clone(),
        ..Primitive::default()
    }
}

fn mesh_of(file: &[u8]) -> Mesh {
    let set = FileSet::new([("buoy.glb", file)]);
    ectome_formats::read(&set).unwrap().mesh
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_serious_stands_in_anybodys_way() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let browser = Browser::without_stage(folder.path()).await;
    let mut faults = access::faults(&browser, &app.url("/")).await;
    http::upload(app.port, &[("buoy.glb", &buoy())]).unwrap();
    let shows = |path: &str, text: &str| {
        http::get(app.port, path).is_some_and(|r| r.status == 200 && r.text().contains(text))
    };
    wait_for("intake", || shows("/assets/1/cut", "id=\"cut-form\""));
    http::post(app.port, "/assets/1/cuts", "triangles=1000").unwrap();
    wait_for("the cut", || {
        shows("/assets/1/maps?show=1", "Unwrap it first")
    });
    browser.open(&app.url("/assets/1/uvs?show=1")).await;
    browser.until("document.querySelector('#unwrap')").await;
    browser.click("#unwrap").await;
    wait_for("UVs", || shows("/assets/1/maps?show=2", "id=\"maps-form\""));
    let bake =
        "do=bake&map=normal&size=128&samples=4&padding=4&reach_times=1&bits=8&from=everything";
    http::post(app.port, "/assets/1/bakes/2", bake).unwrap();
    wait_for("maps", || shows("/assets/1/maps?show=3", "data-map="));
    http::post(app.port, "/assets/1/chains", "by=brief&from=3").unwrap();
    wait_for("the chain", || shows("/assets/1/proof", "verdict"));
    for (path, form) in [
        ("/assets/1/parcels", ""),
        ("/scenes", ""),
        ("/batches", "asset=1&brief=1&name=Quay&do=begin"),
    ] {
        assert!(
            http::post(app.port, path, form).unwrap().status < 400,
            "{path}"
        );
    }
    wait_for("the parcel", || {
        shows("/parcels/1", "Download all as one zip")
    });
    let pages = [
        "/",
        "/assets/1/intake",
        "/assets/1/parts",
        "/assets/1/cut",
        "/assets/1/uvs",
        "/assets/1/maps",
        "/assets/1/chain",
        "/assets/1/proof",
        "/assets/1/parcel",
        "/assets/1/sheet",
        "/briefs",
        "/briefs/1",
        "/scenes",
        "/scenes/1",
        "/parcels",
        "/parcels/1",
        "/batches",
        "/batches/1",
        "/work",
        "/nowhere",
    ];
    for page in pages {
        faults.extend(access::faults(&browser, &app.url(page)).await);
    }
    faults.sort();
    faults.dedup();
    assert!(faults.is_empty(), "{}", faults.join("\n"));
    browser.close().await;
}

/// From the drop to the downloaded parcel without a mouse: the Tab key leads to everything, and what has the keyboard shows it.
#[tokio::test(flavor = "multi_thread")]
async fn the_keyboard_alone_goes_the_whole_way() {
    const ENTER: &str = "\u{E007}";
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let file = folder.path().join("buoy.glb");
    std::fs::write(&file, buoy()).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/")).await;
    browser.tab_to("#files").await;
    browser.give(&file).await;
    browser
        .until("document.querySelector('a[href^=\"/assets/1\"]')")
        .await;
    browser.tab_to("a[href^='/assets/1']").await;
    browser.press(ENTER).await;

    // A tab of the steps, what the step is about, its button.
    browser
        .until("document.querySelector('#steps [data-room=\"cut\"]')")
        .await;
    browser.tab_to("#steps [data-room='cut']").await;
    browser.press(ENTER).await;
    browser.until("document.querySelector('#cut-form')").await;
    browser.tab_to("#cut-form [name=triangles]").await;
    browser.press("\u{E009}a").await;
    browser.press("1000").await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelector('#label-candidate')?.textContent.includes('1')")
        .await;
    browser.tab_to("#steps [data-room='uvs']").await;
    browser.press(ENTER).await;
    browser.until("document.querySelector('#unwrap')").await;
    browser.tab_to("#unwrap").await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelector('#uvs')?.dataset.number === '2'")
        .await;

    // Islands are chosen one after the other, several with Shift.
    browser.tab_to("#uv-canvas").await;
    browser
        .until("document.querySelector('#uv-says').textContent !== 'The sheet is being read.'")
        .await;
    browser.press("\u{E00F}").await;
    browser
        .until("document.querySelector('#chosen-says').textContent.startsWith('1 chosen')")
        .await;
    browser.press("\u{E008}\u{E00F}").await;
    browser
        .until("document.querySelector('#chosen-says').textContent.startsWith('2 chosen')")
        .await;

    browser.tab_to("#steps [data-room='maps']").await;
    browser.press(ENTER).await;
    browser.until("document.querySelector('#trial')").await;
    browser.tab_to("#trial").await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelectorAll('.maps [data-map]').length > 0")
        .await;
    browser.tab_to("#steps [data-room='chain']").await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelector('#brief-chain')")
        .await;
    browser.tab_to("#brief-chain button").await;
    browser.press(ENTER).await;
    browser.until("document.querySelector('.verdicts')").await;
    browser.tab_to("#steps [data-room='parcel']").await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelector('#make-parcel')")
        .await;
    browser.tab_to("#make-parcel").await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelector('a[download][href$=\".zip\"]')")
        .await;
    browser.tab_to("a[download][href$='.zip']").await;
    browser.press(ENTER).await;
    let zip = || {
        let files = std::fs::read_dir(folder.path()).unwrap().flatten();
        let mut zips = files.filter(|f| f.path().extension().is_some_and(|e| e == "zip"));
        zips.next()
            .is_some_and(|f| f.metadata().is_ok_and(|m| m.len() > 1000))
    };
    wait_for("the parcel is there", zip);

    // Who wants no single keys switches them off.
    browser.tab_to("#help-button").await;
    browser.press(ENTER).await;
    browser.tab_to("#keys-on").await;
    browser.press(" ").await;
    browser.run("document.activeElement.blur(); return 0").await;
    let edges = "return document.querySelector('[data-toggle=edges]').getAttribute('aria-pressed')";
    browser.press("e").await;
    assert_eq!(browser.run(edges).await, "false");
    browser.tab_to("#keys-on").await;
    browser.press(" ").await;
    browser.run("document.activeElement.blur(); return 0").await;
    browser.press("e").await;
    assert_eq!(browser.run(edges).await, "true");
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}

/// Without a mouse the stage is turned by the arrows, and Enter paints and marks at the cross in its middle; with one, a drag
/// paints. What was protected stays in the file, point for point.
#[tokio::test(flavor = "multi_thread")]
async fn regions_and_seams_are_drawn_by_keys_and_by_strokes() {
    const ENTER: &str = "\u{E007}";
    const LEFT: &str = "\u{E012}";
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("buoy.glb", &buoy())]).unwrap();
    let browser = Browser::start(folder.path()).await;
    wait_for("intake", || {
        http::get(app.port, "/assets/1/cut").is_some_and(|r| r.text().contains("id=\"cut-form\""))
    });
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("document.querySelector('#stage').dataset.left === 'mesh'")
        .await;
    // Work that ends is said aloud too, and would talk over what is painted.
    browser
        .until("document.querySelector('#doing').textContent.trim() === ''")
        .await;
    // All that is said is noted: what is said next takes its place, and that may be soon.
    browser
        .run(
            "window.noted = ''; new MutationObserver(() => { window.noted += ' ' + document.querySelector('#said').textContent; }) \
             .observe(document.querySelector('#said'), { childList: true, characterData: true, subtree: true }); return 0",
        )
        .await;
    browser.click("#paint").await;
    let count = "Number(document.querySelector('#region-says').textContent.replace(/\\D/g, ''))";
    browser.tab_to("#canvas").await;
    browser.press(ENTER).await;
    browser.until(&format!("{count} === 1")).await;
    browser.press(&LEFT.repeat(6)).await;
    browser.press(ENTER).await;
    browser.until(&format!("{count} === 2")).await;
    // A column that comes from before the last stroke takes nothing of it away.
    browser
        .run(
            "document.querySelector('#settings-form').dataset.old = '1'; \
             htmx.ajax('GET', document.querySelector('#panel').getAttribute('hx-get'), { target: '#panel', swap: 'innerHTML' }); return 0",
        )
        .await;
    browser
        .until("document.querySelector('#settings-form') && !document.querySelector('#settings-form').dataset.old")
        .await;
    browser.until(&format!("{count} === 2")).await;
    // What was painted is said aloud, once.
    browser.until("window.noted.includes('2 places')").await;
    // While settings are on their way, a column drawn anew loses nothing and holds nothing up.
    browser
        .run(
            "document.addEventListener('htmx:beforeSend', ({ detail }) => { \
               if (detail.elt.id === 'settings-form') detail.elt.replaceWith(detail.elt.cloneNode(true)); \
             }, { once: true }); return 0",
        )
        .await;
    // Who turns the view and takes a place before the next picture is drawn gets the place of the turned view: the same again,
    // once that picture is there, is none that is new.
    let places = browser
        .run(&format!(
            "const press = (key) => document.querySelector('#canvas').dispatchEvent(new KeyboardEvent('keydown', {{ key, bubbles: true, cancelable: true }})); \
             for (let i = 0; i < 6; i += 1) press('ArrowLeft'); press('Enter'); const first = {count}; \
             return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => {{ press('Enter'); done([first, {count}]); }})));"
        ))
        .await;
    assert_eq!(places, serde_json::json!([3, 3]));
    browser
        .until("JSON.parse(document.querySelector('#data').textContent).balls.length === 3")
        .await;
    // Who leaves the page right after a stroke leaves with the stroke.
    browser
        .run(
            "const press = (key) => document.querySelector('#canvas').dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true })); \
             for (let i = 0; i < 6; i += 1) press('ArrowLeft'); press('Enter'); location.href = '/assets/1/intake'; return 0",
        )
        .await;
    browser
        .until("location.pathname === '/assets/1/intake' && document.querySelector('#data')")
        .await;
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("document.querySelector('#stage').dataset.left === 'mesh' && document.querySelector('#paint')")
        .await;
    browser.until(&format!("{count} === 4")).await;
    browser.click("#paint").await;
    let stage = browser
        .run("const b = document.querySelector('#canvas').getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2]")
        .await;
    let (x, y) = (
        stage[0].as_f64().unwrap() as i64,
        stage[1].as_f64().unwrap() as i64,
    );
    browser.drag((x - 60, y + 50), (x + 60, y + 50)).await;
    browser.until(&format!("{count} > 4")).await;
    browser.click("#paint").await;
    // Strokes are taken once a picture: the last of them may come after the mouse is let go.
    let region = browser
        .run(
            "return new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => \
               done(document.querySelector('#settings-form [name=region]').value))));",
        )
        .await;

    // Cut with the region held: every point of the source in it is a point of the result.
    browser
        .until("document.querySelector('#doing').textContent.trim() === '' && document.querySelector('#cut-button')")
        .await;
    browser
        .run("const t = document.querySelector('#target'); t.value = '1500'; t.dispatchEvent(new Event('input', { bubbles: true })); return 0")
        .await;
    browser.click("#cut-button").await;
    let download =
        || http::get(app.port, "/assets/1/download/buoy_1.glb").filter(|r| r.status == 200);
    wait_for("the cut", || download().is_some());
    let low = mesh_of(&download().unwrap().body);
    assert!(low.triangle_count() <= 1500);
    let balls: Vec<serde_json::Value> = serde_json::from_str(region.as_str().unwrap()).unwrap();
    let source = mesh_of(&buoy());
    let (mut held, mut lost) = (0, 0);
    for point in &source.points {
        let inside = balls.iter().any(|b| {
            let at = [0, 1, 2].map(|k| b["at"][k].as_f64().unwrap() as f32);
            Vec3::from_array(at).distance(*point) < 0.98 * b["radius"].as_f64().unwrap() as f32
        });
        if inside {
            held += 1;
            lost += usize::from(!low.points.iter().any(|p| p.distance(*point) < 1e-6));
        }
    }
    assert!(held > 10 && lost == 0, "{lost} of {held} points went");

    // A seam between two places at the cross.
    browser.open(&app.url("/assets/1/uvs?show=1")).await;
    browser.until("document.querySelector('#unwrap')").await;
    browser.click("#unwrap").await;
    browser
        .until("document.querySelector('#uvs')?.dataset.number === '2' && document.querySelector('#uv-canvas').dataset.drawn > 0 \
             && document.querySelector('#stage').dataset.left === 'mesh' && document.querySelector('#stage').dataset.right === 'chart'")
        .await;
    browser.click("[data-uv-mode=seam]").await;
    browser.tab_to("#canvas").await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelector('#seams-say').textContent.includes('pick where it ends')")
        .await;
    browser.press(&LEFT.repeat(5)).await;
    browser.press(ENTER).await;
    browser
        .until("document.querySelector('#seams-say').textContent.includes('1 marked')")
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}
