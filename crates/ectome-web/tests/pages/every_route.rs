//! Every route: on the way of one asset from its upload to its removal, with forms as the pages show them; for what is not there; and asked
//! the wrong way.

use std::collections::BTreeSet;

use axum::{
    Router,
    body::Body,
    http::{Method, Request, StatusCode, header},
};

use crate::{
    answered, ask,
    common::{Fixture, sheet},
    forms, is_whole, rooms,
    routes::{self, Route},
    send,
};

/// Somebody who goes through the pages.
struct Walk<'a> {
    f: &'a Fixture,
    rooms: Router,
    routes: Vec<Route>,
    /// The routes that were asked for and answered well.
    gone: BTreeSet<Route>,
}

impl<'a> Walk<'a> {
    fn new(f: &'a Fixture) -> Self {
        Self {
            f,
            rooms: rooms(f),
            routes: routes::all(),
            gone: BTreeSet::new(),
        }
    }

    fn note(&mut self, method: &str, path: &str) {
        let route = Route::of(&self.routes, method, path);
        let route = route.unwrap_or_else(|| panic!("no route for {method} {path}"));
        self.gone.insert(route.clone());
    }

    /// What a page says.
    async fn get(&mut self, path: &str) -> String {
        let (status, page) = ask(&self.rooms, Method::GET, path).await;
        assert_eq!(status, StatusCode::OK, "{path}: {page}");
        self.note("GET", path);
        page
    }

    /// Sends fields; the page is left for another one.
    async fn post(&mut self, path: &str, fields: &[(&str, &str)]) {
        let body = url::form_urlencoded::Serializer::new(String::new())
            .extend_pairs(fields)
            .finish();
        let kind = "application/x-www-form-urlencoded";
        let (status, page) = send(&self.rooms, path, kind, body).await;
        assert_eq!(status, StatusCode::SEE_OTHER, "{path} {fields:?}: {page}");
        self.note("POST", path);
    }

    /// Sends the form that a page shows, as it stands but for some fields.
    async fn submit(&mut self, page: &str, action: &str, typed: &[(&str, &str)]) {
        let shown = forms::fields(&self.get(page).await, action);
        let mut fields: Vec<(&str, &str)> = shown
            .iter()
            .map(|(name, value)| (&**name, &**value))
            .filter(|(name, _)| typed.iter().all(|t| t.0 != *name))
            .collect();
        fields.extend(typed);
        self.post(action, &fields).await;
    }

    /// Gives a file.
    async fn give(&mut self, path: &str, name: &str, text: &str) {
        let body = format!(
            "--edge\r\nContent-Disposition: form-data; name=\"files\"; filename=\"{name}\"\r\n\r\n{text}\r\n--edge--\r\n"
        );
        let kind = "multipart/form-data; boundary=edge";
        let (status, page) = send(&self.rooms, path, kind, body).await;
        assert_eq!(status, StatusCode::SEE_OTHER, "{path}: {page}");
        self.note("POST", path);
    }

    /// The number of the candidate that was asked for last, made.
    async fn newest(&self, asset: u64) -> u32 {
        self.f.work_off().await;
        let tray = self.f.store.tray(asset).await.unwrap();
        let newest = tray.iter().max_by_key(|c| c.number).unwrap();
        assert!(newest.fault.is_none(), "{:?}", newest.fault);
        newest.number
    }
}

/// The first address on a page that begins so.
fn address(page: &str, start: &str) -> String {
    let at = page.find(start).unwrap_or_else(|| panic!("no {start}"));
    let rest = &page[at..];
    let end = rest.find(['"', '\'', ' ', '?', '<', '&']).unwrap();
    rest[..end].to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_route_is_gone_on_the_way_of_an_asset() {
    let f = Fixture::new().await;
    let mut w = Walk::new(&f);

    // Intake.
    w.give("/assets", "fog signal.obj", &sheet(16)).await;
    f.work_off().await;
    let id = f.store.assets().await.unwrap()[0].id;
    let at = |rest: &str| format!("/assets/{id}/{rest}");
    let home = w.get("/").await;
    w.get("/cards").await;
    w.get(&address(&home, "/static/")).await;
    w.get(&address(&home, "/picture/")).await;
    w.get("/favicon.ico").await;
    let (status, _) = ask(&w.rooms, Method::GET, &format!("/assets/{id}")).await;
    assert_eq!(status, StatusCode::SEE_OTHER);
    w.note("GET", &format!("/assets/{id}"));
    w.get(&at("intake/panel")).await;
    w.get(&at("marks/0")).await;
    let clip = [
        ("change", "clip"),
        ("px", "8"),
        ("py", "8"),
        ("pz", "0"),
        ("nx", "1"),
        ("ny", "0"),
        ("nz", "0"),
    ];
    let (status, line) = send(
        &w.rooms,
        &at("changes/preview"),
        "application/x-www-form-urlencoded",
        "change=clip&px=8&py=8&pz=0&nx=1&ny=0&nz=0",
    )
    .await;
    assert_eq!(status, StatusCode::OK);
    assert!(line.contains("Would give"), "{line}");
    w.note("POST", &at("changes/preview"));
    w.post(&at("changes"), &clip).await;
    f.work_off().await;
    w.submit(&at("intake"), &at("changes/0/remove"), &[]).await;
    f.work_off().await;
    w.submit(&at("intake"), &at("provenance"), &[("author", "A. Keeper")])
        .await;

    // Cut, in each of its manners.
    w.submit(&at("cut"), &at("settings"), &[("borders", "on")])
        .await;
    f.work_off().await;
    w.get(&at("preview/100")).await;
    w.submit(&at("cut"), &at("cuts"), &[("triangles", "200")])
        .await;
    w.post(&at("flats"), &[("within_mm", "1")]).await;
    w.post(&at("loops"), &[("every", "2")]).await;
    w.post(&at("rebuilds"), &[("triangles", "300")]).await;
    let (status, _) = send(
        &w.rooms,
        &at("rebuild/preview"),
        "application/x-www-form-urlencoded",
        "triangles=300",
    )
    .await;
    assert_eq!(status, StatusCode::OK);
    w.note("POST", &at("rebuild/preview"));
    f.work_off().await;
    w.post(&at("candidates/1"), &[("do", "pin")]).await;
    let cut = w.get(&at("cut?show=1")).await;
    let is_blob = |text: &&str| text.len() == 64 && text.bytes().all(|b| b.is_ascii_hexdigit());
    let blob = cut.split("&#34;").chain(cut.split('"')).find(is_blob);
    w.get(&format!("/mesh/{}.glb", blob.unwrap())).await;

    // UVs and maps.
    w.submit(
        &at("uvs?show=1"),
        &at("layouts/1"),
        &[("do", "unwrap"), ("effort", "0")],
    )
    .await;
    let flat = w.newest(id).await;
    for what in ["sheet", "mesh", "numbers", "path?from=0,0,0&to=4,4,0"] {
        w.get(&at(&format!("layouts/{flat}/{what}"))).await;
    }
    w.submit(
        &at(&format!("maps?show={flat}")),
        &at(&format!("bakes/{flat}")),
        &[
            ("do", "bake"),
            ("map", "normal"),
            ("size", "32"),
            ("padding", "2"),
        ],
    )
    .await;
    let baked = w.newest(id).await;
    w.get(&at(&format!("bakes/{baked}/bake.json"))).await;
    w.give(&at("low"), "low.obj", &sheet(6)).await;
    w.newest(id).await;

    // Chain, proof, parcel.
    w.submit(&at("chain"), &at("brief"), &[]).await;
    w.submit(
        &at("chain"),
        &at("chains"),
        &[("by", "ratio"), ("triangles", "300"), ("tiers", "2")],
    )
    .await;
    f.work_off().await;
    w.post(&at("tiers/0"), &[("do", "lock")]).await;
    w.post(
        &at("stand-ins"),
        &[("as", "hull"), ("hulls", "1"), ("triangles", "40")],
    )
    .await;
    f.work_off().await;
    w.get(&at("sheet")).await;
    w.get(&at("sheet/picture")).await;
    w.get(&at("parcel/files")).await;
    w.get(&at("download/fog_signal_1.glb")).await;
    w.submit(&at("parcel"), &at("parcels"), &[]).await;
    f.work_off().await;
    let list = w.get("/parcels").await;
    let parcel = address(&list, "/parcels/");
    let number = parcel.split('/').nth(2).unwrap().to_owned();
    let parcel = format!("/parcels/{number}");
    let page = w.get(&parcel).await;
    w.get(&address(&page, &format!("{parcel}/files/"))).await;

    // Briefs and scenes.
    w.submit("/briefs/1", "/briefs", &[("copy", "1")]).await;
    w.submit("/briefs/1", "/briefs/1", &[("fps", "72")]).await;
    w.get("/briefs").await;
    w.get("/briefs/1/toml").await;
    w.get("/briefs/names?file_names=%7Basset%7D&object_names=%7Bpart%7D&map_names=%7Bmap%7D&suffix=_LOD")
        .await;
    let copy = f.store.briefs().await.unwrap().last().unwrap().id;
    w.get("/scenes").await;
    w.post("/scenes", &[]).await;
    let scene = format!("/scenes/{}", f.store.scenes().await.unwrap()[0].id);
    let (own, far, count) = (
        id.to_string(),
        format!("distance_{id}"),
        format!("instances_{id}"),
    );
    w.submit(
        &scene,
        &scene,
        &[("within", &own), (&far, "12,5"), (&count, "3")],
    )
    .await;
    assert_eq!(f.store.scenes().await.unwrap()[0].members.len(), 1);
    w.submit(&scene, &format!("{scene}/remove"), &[]).await;

    // Plans and batches.
    w.get(&at("plan")).await;
    let plan = "[[line]]\ndo = \"cut\"\ntriangles = 300\n";
    let typed = [("toml", plan), ("keep_1", "on"), ("triangles_1", "250")];
    w.post(&at("plan"), &typed).await;
    f.work_off().await;
    w.post(&at("plan/rest"), &[]).await;
    w.submit(
        "/batches",
        "/plans",
        &[("plan_name", "small"), ("toml", plan)],
    )
    .await;
    let saved = f.store.saved_plans().await.unwrap()[0].id;
    w.submit("/batches", &format!("/plans/{saved}/remove"), &[])
        .await;
    w.submit("/", "/batches", &[("asset", &own), ("brief", "1")])
        .await;
    f.work_off().await;
    let page = w.get("/batches").await;
    let number = address(&page, "/batches/");
    let number = number.split('/').nth(2).unwrap().to_owned();
    let batch = format!("/batches/{number}");
    w.submit(&batch, &batch, &[("name", "quay")]).await;
    w.submit(&batch, &format!("{batch}/assets/{id}"), &[("plan", plan)])
        .await;
    f.work_off().await;
    w.get(&format!("{batch}/parcels.zip")).await;
    w.submit(&batch, &format!("{batch}/remove"), &[]).await;

    // Newer files, and everything anew.
    w.give(&at("files"), "fog signal.obj", &sheet(17)).await;
    f.work_off().await;
    w.submit(&at("cut"), &at("anew"), &[]).await;
    f.work_off().await;

    // Work that waits.
    w.post(&at("cuts"), &[("triangles", "123")]).await;
    let work = format!("/work/{}", f.store.latest_work(1).await.unwrap()[0].id);
    w.submit("/work", &format!("{work}/first"), &[]).await;
    w.submit("/work", &format!("{work}/stop"), &[]).await;
    w.submit("/work", &format!("{work}/again"), &[]).await;
    w.get("/work/list").await;
    w.get(&format!("{work}/log")).await;
    f.work_off().await;

    // Everything goes again.
    w.submit(&parcel, &format!("{parcel}/remove"), &[]).await;
    let brief = format!("/briefs/{copy}");
    w.submit(&brief, &format!("{brief}/remove"), &[]).await;
    w.submit(&at("intake"), &at("remove"), &[]).await;
    assert!(f.store.assets().await.unwrap().is_empty());

    // A stream without an end.
    let request = Request::get("/events").body(Body::empty()).unwrap();
    let stream = answered(&w.rooms, request).await;
    assert_eq!(stream.headers()[header::CONTENT_TYPE], "text/event-stream");
    w.note("GET", "/events");

    let left: Vec<&Route> = w.routes.iter().filter(|r| !w.gone.contains(r)).collect();
    assert!(left.is_empty(), "not asked for: {left:#?}");
    f.end().await;
}

/// Whatever is not there, or cannot be meant, is a sentence on a whole page, and no fault of ours.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_not_there_is_a_sentence() {
    let f = Fixture::new().await;
    let rooms = rooms(&f);
    let nowhere = |name: &str| match name {
        "step" => "cut".to_owned(),
        "blob" => format!("{}.glb", "0".repeat(64)),
        "file" | "name" | "path" => "..%2F%00.glb".to_owned(),
        _ => "900".to_owned(),
    };
    let nonsense = |_: &str| "%F0%9F%90%9F".to_owned();
    let mut faults = Vec::new();
    for route in routes::all() {
        if !route.address.contains('{') {
            continue;
        }
        for path in [route.with(nowhere), route.with(nonsense)] {
            let (status, page) = match route.method {
                "GET" => ask(&rooms, Method::GET, &path).await,
                _ => send(&rooms, &path, "application/x-www-form-urlencoded", "do=x").await,
            };
            let named = format!("{} {path}: {status}", route.method);
            // What shall be gone, or no longer wait, is so: asking twice is no mistake.
            let ends = ["remove", "stop", "first"]
                .iter()
                .any(|end| path.ends_with(end));
            if ends && status == StatusCode::SEE_OTHER {
                continue;
            }
            if !status.is_client_error() {
                faults.push(named);
                continue;
            }
            is_whole(&page, &named);
            let said = page.split("class=\"sentence\"").nth(1);
            let said = said.and_then(|s| s.split(['>', '<']).nth(1));
            let said = said.unwrap_or_else(|| panic!("{named}: no sentence"));
            assert!(said.ends_with('.') && said.contains(' '), "{named}: {said}");
        }
        // The other way round: what is only sent is not looked at, and what is only looked at is not sent.
        let others = routes::all();
        let other = match route.method {
            "GET" => "POST",
            _ => "GET",
        };
        let path = route.with(nowhere);
        if Route::of(&others, other, &path).is_none() {
            let (status, page) = match other {
                "GET" => ask(&rooms, Method::GET, &path).await,
                _ => send(&rooms, &path, "application/x-www-form-urlencoded", "").await,
            };
            assert_eq!(status, StatusCode::METHOD_NOT_ALLOWED, "{other} {path}");
            is_whole(&page, &path);
        }
    }
    assert!(faults.is_empty(), "{faults:#?}");
    for (path, status) in [
        ("/assets/one/cut", 404),
        ("/assets/-1/cut", 404),
        ("/assets/99999999999999999999/cut", 404),
        ("/assets/1/cut?show=many", 400),
        ("/assets/1/preview/few", 404),
        ("/briefs/x/toml", 404),
        ("/nowhere", 404),
    ] {
        let (said, page) = ask(&rooms, Method::GET, path).await;
        assert_eq!(said.as_u16(), status, "{path}");
        is_whole(&page, path);
    }
    f.end().await;
}
