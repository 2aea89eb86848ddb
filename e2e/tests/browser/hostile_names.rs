//! Names that are pages: hostile text in everything a file or a form can name, through every format, on every page. Nothing
//! may become an element, and no request may leave a page that a harmless name does not send.
//!
//! OWASP, *Application Security Verification Standard* 5.0, chapter 1 (encoding and sanitisation).

use std::{collections::BTreeMap, io::Write, time::Duration};

use ectome_e2e::{app::App, browser::Browser, http};
use ectome_formats::{Image, Scene, glb, obj_write, ply_write};
use ectome_mesh::{MeshBuilder, Primitive, shapes};
use glam::{Affine3A, Vec2};
use serde_json::{Value, json};

/// Ends whatever it may stand in (a script element, an attribute, a title, a text area, a style, a comment) and then asks for
/// the removal of asset 1 in every way a page has.
const HOSTILE: &str = "</script></title></textarea></style>--><i class=pwned hx-post=/assets/1/remove hx-trigger=load></i>\
    <img class=pwned src=/pwned onerror=alert(1)>\"'><svg class=pwned onload=alert(1)>{{7*7}}&lt;b class=pwned&gt;\u{2028}";

/// A mesh whose part, material and texture have that name.
fn scene(name: &str) -> Scene {
    let ball = shapes::icosphere(1.0, 2);
    let places: Vec<_> = ball
        .vertex_point
        .iter()
        .map(|&p| ball.points[p as usize])
        .collect();
    let mut builder = MeshBuilder::new();
    for i in 0..2 {
        builder
            .part(
                name,
                Affine3A::from_translation(glam::Vec3::X * 3.0 * i as f32),
            )
            .primitive(Primitive {
                uv_sets: vec![
                    places
                        .iter()
                        .map(|p| Vec2::new(p.x, p.y) * 0.4 + 0.5)
                        .collect(),
                ],
                positions: places.clone(),
                corners: ball.corners.clone(),
                material: Some(0),
                ..Primitive::default()
            });
    }
    let mut scene = Scene::from(builder.finish());
    let mut png = Vec::new();
    {
        let mut encoder = png::Encoder::new(&mut png, 1, 1);
        encoder.set_color(png::ColorType::Rgb);
        encoder
            .write_header()
            .unwrap()
            .write_image_data(&[90, 120, 130])
            .unwrap();
    }
    scene.library.images.push(Image {
        name: name.to_owned(),
        mime: "image/png".to_owned(),
        bytes: png,
    });
    scene
        .library
        .textures
        .push(json!({ "source": 0, "name": name }));
    scene.library.materials.push(json!({
        "name": name,
        "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } },
    }));
    scene.copyright = Some(name.to_owned());
    scene
}

/// The same mesh in every format, under a file name of its own.
fn files(name: &str) -> Vec<Vec<(String, Vec<u8>)>> {
    let scene = scene(name);
    // Names of files hold no slash and no quote that the form's own header would end at.
    let stem: String = name
        .chars()
        .filter(|c| !"/\"\\\u{2028}".contains(*c))
        .take(150)
        .collect();
    let glb = glb::write(&scene, &glb::Options::default()).unwrap();
    let size = u32::from_le_bytes(glb[12..16].try_into().unwrap()) as usize;
    let mut json: Value = serde_json::from_slice(&glb[20..20 + size]).unwrap();
    json["buffers"][0]["uri"] = "b.bin".into();
    let obj = obj_write::write(&scene, "plain").unwrap();
    let ply = ply_write::write(&scene).unwrap();
    let mut stl = format!("solid {name}\n");
    let [a, b, c] = ["0 0 0", "1 0 0", "0 1 0"];
    stl += &format!(
        "facet normal 0 0 1\nouter loop\nvertex {a}\nvertex {b}\nvertex {c}\nendloop\nendfacet\nendsolid\n"
    );
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    zip.start_file(
        format!("{stem} in a zip.ply"),
        zip::write::SimpleFileOptions::default(),
    )
    .unwrap();
    zip.write_all(&ply).unwrap();
    let mut obj: Vec<(String, Vec<u8>)> = obj;
    // A material file that is not there stands in a note.
    let text = String::from_utf8(obj[0].1.clone()).unwrap();
    obj[0] = (
        format!("{stem}.obj"),
        format!("mtllib {stem}.gone.mtl\n{text}").into_bytes(),
    );
    vec![
        vec![(format!("{stem}.glb"), glb.clone())],
        vec![
            (format!("{stem}.gltf"), serde_json::to_vec(&json).unwrap()),
            ("b.bin".to_owned(), glb[28 + size..].to_vec()),
        ],
        obj,
        vec![(format!("{stem}.ply"), ply)],
        vec![(format!("{stem}.stl"), stl.into_bytes())],
        vec![(format!("{stem}.zip"), zip.finish().unwrap().into_inner())],
        // A fault that repeats what the file says.
        vec![(
            format!("{stem}.obj"),
            format!("mtllib x\nv {stem} 0 0\nf 1 2 3\n").into_bytes(),
        )],
    ]
}

fn encoded(text: &str) -> String {
    url::form_urlencoded::byte_serialize(text.as_bytes()).collect()
}

fn settle(app: &App) {
    for _ in 0..1200 {
        let work = http::get(app.port, "/work").unwrap().text();
        if !work.contains("state-queued") && !work.contains("state-running") {
            return;
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    panic!("work never ends");
}

/// Adds assets of that name; everything that can be typed is that, too. Returns the pages worth opening.
fn fill(app: &App, name: &str) -> Vec<String> {
    let port = app.port;
    let n = encoded(name);
    let sets = files(name);
    for set in &sets {
        let set: Vec<(&str, &[u8])> = set.iter().map(|(n, b)| (n.as_str(), &b[..])).collect();
        let answer = http::upload(port, &set).unwrap();
        assert_eq!(answer.status, 201, "{}", answer.sentence());
    }
    settle(app);
    let post = |path: &str, form: String| {
        let answer = http::post(port, path, &form).unwrap();
        assert!(
            answer.status < 400,
            "{path}: {} {}",
            answer.status,
            answer.sentence()
        );
    };
    post(
        "/assets/1/provenance",
        format!(
            "origin={n}&author={0}&licence={0}&may_pass_on=no",
            encoded(&name.chars().take(200).collect::<String>())
        ),
    );
    post(
        "/assets/1/changes",
        format!("change=rename&part=0&name={n}"),
    );
    settle(app);
    post(
        "/assets/1/changes",
        format!("change=group&part=0,1&name={n}"),
    );
    settle(app);
    post("/assets/1/cuts", "triangles=100".to_owned());
    let short = encoded(&name.chars().take(160).collect::<String>());
    let toml = encoded(&format!(
        "name = {}\nsuffix = \"_LOD\"\n[[tier]]\ntriangles = 200\n",
        json!(
            name.chars()
                .filter(|c| *c != '\u{2028}')
                .take(160)
                .collect::<String>()
        )
    ));
    post("/briefs", format!("toml={toml}"));
    let briefs = http::get(port, "/briefs").unwrap().text();
    let own = briefs.split("href=\"/briefs/").skip(1).find_map(|rest| {
        let (id, after) = rest.split_once('"')?;
        after.starts_with(">&#60;/script").then(|| id.to_owned())
    });
    if let Some(own) = &own {
        post("/assets/1/brief", format!("brief={own}"));
    }
    post("/assets/1/chains", "by=brief&from=0".to_owned());
    post("/scenes", String::new());
    post(
        "/scenes/1",
        format!("name={short}&brief=1&triangles=5000&within=1&distance_1=2&instances_1=1&do=save"),
    );
    post(
        "/assets/1/layouts/0",
        "do=unwrap&manner=soft&padding=2&border=&turns=quarter&sheets=1&effort=0&fit=most&stacks=apart".to_owned(),
    );
    settle(app);
    let mut pages: Vec<String> = [
        "/",
        "/work",
        "/scenes/1",
        "/assets/1/sheet",
        "/briefs",
        "/nowhere/%3Ci%3E",
    ]
    .map(str::to_owned)
    .to_vec();
    pages.extend(own.map(|id| format!("/briefs/{id}")));
    for step in [
        "intake", "parts", "cut", "chain", "uvs", "proof", "parcel", "history",
    ] {
        pages.push(format!("/assets/1/{step}"));
    }
    for asset in 2..=sets.len() {
        pages.push(format!("/assets/{asset}/intake"));
    }
    pages
}

/// What a page asked for and what it holds: requests without what differs by content, and how many elements of each kind.
async fn opened(browser: &Browser, url: &str) -> (Vec<String>, u64, BTreeMap<String, usize>) {
    browser.open(url).await;
    browser.until("document.readyState === 'complete'").await;
    tokio::time::sleep(Duration::from_millis(250)).await;
    let seen = browser
        .run(
            "const asked = performance.getEntriesByType('resource').map((e) => new URL(e.name).pathname);\
             return [asked, document.querySelectorAll('.pwned, [onerror], [onload], i[hx-post], script:not([src]):not([type=\"application/json\"])').length,\
             [...document.querySelectorAll('*')].filter((e) => !e.closest('#rule')).map((e) => e.localName)];",
        )
        .await;
    let mut asked: Vec<String> = serde_json::from_value(seen[0].clone()).unwrap();
    for path in &mut asked {
        // Blobs differ by what they hold.
        if let Some((kind, _)) = path.split_once("/mesh/").or(path.split_once("/picture/")) {
            *path = format!("{kind}/blob");
        }
    }
    asked.sort();
    asked.dedup();
    let mut kinds = BTreeMap::new();
    for name in seen[2].as_array().unwrap() {
        *kinds.entry(name.as_str().unwrap().to_owned()).or_default() += 1;
    }
    (asked, seen[1].as_u64().unwrap(), kinds)
}

#[tokio::test(flavor = "multi_thread")]
async fn hostile_names_are_text_on_every_page() {
    let downloads = tempfile::tempdir().unwrap();
    let browser = Browser::without_stage(downloads.path()).await;
    let mut seen = Vec::new();
    for name in ["Harmless", HOSTILE] {
        let folder = tempfile::tempdir().unwrap();
        let app = App::start(folder.path());
        let pages = tokio::task::block_in_place(|| fill(&app, name));
        let mut list = Vec::new();
        // Of a harmless name only what the other is held against.
        let held_against = [
            "/",
            "/work",
            "/scenes/1",
            "/assets/1/intake",
            "/assets/1/parts",
            "/assets/1/cut",
        ];
        let pages = pages
            .into_iter()
            .filter(|p| name == HOSTILE || held_against.contains(&p.as_str()));
        for page in pages {
            let page = &page;
            let (asked, strange, elements) = opened(&browser, &app.url(page)).await;
            assert_eq!(strange, 0, "{page} with {name}");
            assert!(
                asked
                    .iter()
                    .all(|a| !a.contains("pwned") && !a.contains("remove")),
                "{page}: {asked:?}"
            );
            list.push((page.clone(), asked, elements));
        }
        // Nobody removed anything.
        let listed = http::get(app.port, "/").unwrap().text();
        assert!(listed.contains("href=\"/assets/1/"), "asset 1 is there");
        seen.push(list);
    }
    let hostile = seen.pop().unwrap();
    let harmless = seen.pop().unwrap();
    for (page, asked, _) in &hostile {
        let Some((_, usual, _)) = harmless.iter().find(|(p, ..)| p == page) else {
            continue;
        };
        for path in asked {
            assert!(
                usual.contains(path),
                "{page} asks for {path}, which a harmless name does not"
            );
        }
    }
    // The same elements, too, where the same things are listed.
    for page in ["/assets/1/parts", "/assets/1/intake", "/scenes/1"] {
        let elements = |list: &[(String, Vec<String>, BTreeMap<String, usize>)]| {
            list.iter()
                .find(|(p, ..)| p == page)
                .map(|(.., kinds)| kinds.clone())
        };
        assert_eq!(elements(&hostile), elements(&harmless), "{page}");
    }
    browser.close().await;
}
