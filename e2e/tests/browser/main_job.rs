//! The main job in the real interface: a heavy mesh goes in, a chain under budget comes out.

use std::{collections::BTreeMap, fs, io::Read, path::Path};

use ectome_e2e::{
    app::App,
    browser::{Browser, PATIENCE},
    validator::validate,
};
use ectome_formats::{Scene, glb};
use ectome_mesh::{Mesh, Progress, topology::Topology};
use ectome_recipe::{CutSettings, Session, Target, triangles};
use fantoccini::Locator;
use glam::Vec2;

/// The fog bell, thinned so that a browser without a graphics card draws it at once: textured, many
/// parts.
fn small_bell() -> Scene {
    let bell = triangles::triangulated(ectome_demo::once::fog_bell(), &Progress::new()).unwrap();
    let progress = Progress::new();
    let session = Session::new(bell, CutSettings::default(), None, &progress).unwrap();
    session.cut(Target::Triangles(24_000), &progress).unwrap().0
}

/// Lowest and highest UV of each part.
fn uv_ranges(mesh: &Mesh) -> BTreeMap<String, (Vec2, Vec2)> {
    let mut ranges = BTreeMap::new();
    for run in &mesh.runs {
        let name = mesh.parts[run.part as usize].name.clone();
        let range = ranges
            .entry(name)
            .or_insert((Vec2::splat(f32::MAX), Vec2::splat(f32::MIN)));
        for f in run.faces.clone() {
            for &v in mesh.face(f as usize) {
                let uv = mesh.uv_sets[0][v as usize];
                *range = (range.0.min(uv), range.1.max(uv));
            }
        }
    }
    ranges
}

/// Opens a downloaded tier and checks it against its limit and the source.
fn check_tier(file: &Path, limit: usize, tier: usize, source: &Scene) {
    let report = validate(file);
    assert_eq!(report["errors"], 0, "{report}");
    assert_eq!(report["warnings"], 0, "{report}");
    let low = glb::read("tier.glb", &fs::read(file).unwrap()).unwrap();
    let triangles = low.mesh.triangle_count();
    // The validator counts what is stored: a repeat once, however often it stands.
    let stored = report["triangles"].as_u64().unwrap() as usize;
    assert!(stored <= triangles && (stored == triangles || !low.copies.is_empty()));
    assert!(
        triangles <= limit && triangles * 100 >= limit * 97,
        "{triangles} of {limit}"
    );
    let suffix = format!("_LOD{tier}");
    let names: Vec<&str> = source.mesh.parts.iter().map(|p| p.name.as_str()).collect();
    assert!(low.mesh.parts.iter().all(|p| {
        p.name
            .strip_suffix(&suffix)
            .is_some_and(|name| names.contains(&name))
    }));
    assert_eq!(
        low.library.materials.len(),
        source.library.materials.len(),
        "materials are carried over"
    );
    assert_eq!(
        low.library.images.len(),
        source.library.images.len(),
        "textures are carried over"
    );
    let before = Topology::of(&source.mesh);
    let after = Topology::of(&low.mesh);
    assert!(after.open_edges <= before.open_edges);
    assert!(after.nonmanifold_edges <= before.nonmanifold_edges);
    let allowed = uv_ranges(&source.mesh);
    for (part, (low_uv, high_uv)) in uv_ranges(&low.mesh) {
        let (from, to) = allowed[part.strip_suffix(&suffix).unwrap()];
        // One texel of a 2048 texture.
        let slack = Vec2::splat(1.0 / 2048.0);
        assert!(
            low_uv.cmpge(from - slack).all() && high_uv.cmple(to + slack).all(),
            "{part}: {low_uv}…{high_uv} outside {from}…{to}"
        );
    }
}

/// Waits until a download is complete.
async fn downloaded(folder: &Path, name: &str) -> std::path::PathBuf {
    let file = folder.join(name);
    let deadline = std::time::Instant::now() + PATIENCE;
    while !file.exists() {
        assert!(std::time::Instant::now() < deadline, "{name} never arrived");
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    file
}

#[tokio::test(flavor = "multi_thread")]
async fn a_heavy_mesh_goes_in_and_a_chain_under_budget_comes_out() {
    let folder = tempfile::tempdir().unwrap();
    let downloads = folder.path().join("downloads");
    fs::create_dir(&downloads).unwrap();
    let source = small_bell();
    let upload = folder.path().join("harbour_bell.glb");
    fs::write(
        &upload,
        glb::write(&source, &glb::Options::default()).unwrap(),
    )
    .unwrap();
    let app = App::start(&folder.path().join("data"));
    let browser = Browser::start(&downloads).await;

    // Upload: the card appears with its count by itself.
    browser.open(&app.url("/")).await;
    assert!(
        browser
            .text(".empty")
            .await
            .contains("There are no assets yet")
    );
    browser
        .client
        .find(Locator::Css("#files"))
        .await
        .unwrap()
        .send_keys(upload.to_str().unwrap())
        .await
        .unwrap();
    // The list is drawn anew while it is counted: what it says in the end is waited for.
    browser
        .until(&format!(
            "document.querySelector('.card-asset .figures')?.textContent.includes('triangles, {} objects')",
            source.mesh.parts.len()
        ))
        .await;
    browser
        .until("document.querySelector('.picture img')?.naturalWidth === 640")
        .await;

    // The asset page: counts, and the source on the stage.
    browser.click(".card-asset a").await;
    browser
        .until("document.querySelector('#stage')?.dataset.drawn > 0")
        .await;
    let counts = browser.text("#counts").await;
    assert!(counts.contains("objects"), "{counts}");

    // Drag the pin of the Rule to the place of about 3 000 triangles: the stage follows.
    browser
        .until("document.querySelector('#rule .curve')")
        .await;
    let place = |expression: &str| {
        format!(
            "const r = document.querySelector('{expression}').getBoundingClientRect(); \
         return [Math.round(r.x + r.width / 2), Math.round(r.y + r.height / 2)];"
        )
    };
    let pin = browser.run(&place("#rule .pin line")).await;
    let point = |v: &serde_json::Value| (v[0].as_i64().unwrap(), v[1].as_i64().unwrap());
    let from = point(&pin);
    browser.drag(from, (from.0 + 480, from.1)).await;
    browser
        .until("document.querySelector('#label-candidate')?.textContent.startsWith('Preview')")
        .await;
    let typed = browser
        .run("return document.getElementById('target').value.replace(/\\D/g, '')")
        .await;
    let target: usize = typed.as_str().unwrap().parse().unwrap();
    assert!(target > 500 && target < 8_000, "{target}");
    let button = browser.text("#cut-button").await;
    assert_eq!(
        button.replace(|c: char| !c.is_ascii_digit(), ""),
        target.to_string()
    );

    // Cut: the candidate comes by itself, and the counts prove it.
    browser.click("#cut-button").await;
    browser
        .until("document.querySelector('#label-candidate')?.textContent.includes('Candidate 1')")
        .await;
    let counts = browser
        .run("return document.querySelector('#counts').textContent.replace(/[\\u00a0 ]/g, '')")
        .await;
    let counts = counts.as_str().unwrap();
    let made: usize = counts
        .split("fromsource:")
        .nth(1)
        .and_then(|rest| rest.split("triangles").next()?.trim().parse().ok())
        .unwrap_or_else(|| panic!("{counts}"));
    // Equal parts are cut once: a step takes two triangles of each.
    assert!(made <= target && made + 8 >= target, "{made} for {target}");
    browser
        .until("!document.querySelector('.doing-line')")
        .await;

    // The chain in one action, each tier judged.
    browser.click("[data-room='chain']").await;
    browser.text("#brief-chain").await;
    browser.click("details.fill summary").await;
    browser
        .run(
            "const f = document.getElementById('first'); f.value = '4000'; \
             f.dispatchEvent(new Event('input', { bubbles: true })); return 0;",
        )
        .await;
    browser.click("#chain-button").await;
    browser.until("document.querySelector('.total')").await;
    let verdicts = browser
        .run("return [...document.querySelectorAll('.verdicts li')].map((l) => l.textContent)")
        .await;
    assert_eq!(verdicts.as_array().unwrap().len(), 3, "{verdicts}");
    for (tier, limit) in [4000, 2000, 1000].into_iter().enumerate() {
        let verdict = verdicts[tier].as_str().unwrap();
        assert!(
            verdict.contains("triangles") && verdict.contains("Outline"),
            "{verdict}"
        );
        assert!(!verdict.contains("over its limit"), "{verdict} for {limit}");
    }

    // The parcel: a file per tier and the zip, opened and counted.
    browser.click("[data-room='parcel']").await;
    browser.text(".downloads").await;
    browser.click("#list-files").await;
    browser.until("document.querySelector('.checks')").await;
    let listed = browser.text(".files").await;
    for says in [
        "harbour_bell_LOD2.glb",
        "Read back",
        "draw calls",
        "The source: ",
    ] {
        assert!(listed.contains(says), "{says} in {listed}");
    }
    assert!(!listed.contains("over\n"), "{listed}");
    for tier in 0..3 {
        let name = format!("harbour_bell_LOD{tier}.glb");
        browser.click(&format!("a[href$='{name}']")).await;
        let file = downloaded(&downloads, &name).await;
        check_tier(&file, 4000 >> tier, tier, &source);
    }
    // It is made as work, kept, and found again in the list of parcels.
    browser.click("#make-parcel").await;
    browser
        .until("document.querySelector('.kept a[href$=\"_1.zip\"]')")
        .await;
    browser.open(&app.url("/parcels?find=harbour")).await;
    // 51 draw calls are more than the brief allows: the list says so as the step did.
    assert!(listed.contains("Does not pass"), "{listed}");
    browser
        .until("document.querySelector('#parcel-list td small.is-over')")
        .await;
    browser.click("#parcel-list a[href='/parcels/1']").await;
    let page = browser.text("#parcel").await;
    for says in [
        "harbour_bell_LOD0.glb",
        "sheet.html",
        "For importers",
        "LOD2",
    ] {
        assert!(page.contains(says), "{says} in {page}");
    }
    browser.click("a[href$='_1.zip']").await;
    let zip = downloaded(&downloads, "harbour_bell_parcel_1.zip").await;
    let mut zip = zip::ZipArchive::new(fs::File::open(zip).unwrap()).unwrap();
    let names: Vec<String> = zip
        .file_names()
        .map(|name| name.unwrap().into_owned())
        .collect();
    assert_eq!(names.len(), 5, "{names:?}");
    for tier in 0..3 {
        let name = format!("harbour_bell_LOD{tier}.glb");
        let mut bytes = Vec::new();
        zip.by_name(&name).unwrap().read_to_end(&mut bytes).unwrap();
        assert_eq!(bytes, fs::read(downloads.join(&name)).unwrap());
    }
    assert_eq!(browser.complaints().await, Vec::<String>::new());

    // Another brief judges the same chain anew; the page works at its plain address.
    browser.open(&app.url("/assets/1/chain?show=2")).await;
    browser
        .until("document.querySelector('#label-candidate')?.textContent.includes('Candidate 2')")
        .await;
    browser
        .run(
            "const s = document.getElementById('brief'); \
             s.value = [...s.options].find((o) => o.text.startsWith('Phone, small')).value; \
             s.dispatchEvent(new Event('change', { bubbles: true })); return 0;",
        )
        .await;
    browser
        .until("document.querySelector('.verdicts')?.textContent.includes('over its limit')")
        .await;
    browser.close().await;
}

/// A flat board of `n` × `n` quads with an open border, as OBJ text.
fn board(n: usize) -> String {
    let mut text = String::from("o board\n");
    for j in 0..=n {
        for i in 0..=n {
            text += &format!("v {i} {j} 0\n");
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = j * (n + 1) + i + 1;
            text += &format!("f {} {} {} {}\n", a, a + 1, a + n + 2, a + n + 1);
        }
    }
    text
}

#[tokio::test(flavor = "multi_thread")]
async fn guards_and_attention_are_kept_and_flat_areas_merge() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    ectome_e2e::http::upload(app.port, &[("board.obj", board(24).as_bytes())]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/cut")).await;
    // What merging would give is said before it is done.
    browser
        .until(
            "document.querySelector('.flat:not(.loops)')?.textContent.includes('to 2 triangles')",
        )
        .await;
    browser.click("input[name=borders]").await;
    // All 96 points of the border stay now: a polygon of 96 corners takes 94 triangles.
    browser
        .until(
            "document.querySelector('.flat:not(.loops)')?.textContent.includes('to 94 triangles')",
        )
        .await;
    // The column is drawn anew when the analysis ends; a drag that is under way then is not lost.
    // A division of the attention bar, dragged: what one share gains the next one loses.
    let edge = browser
        .run(
            "const r = document.querySelector('.attention .divider').getBoundingClientRect(); \
             return [Math.round(r.x + 4), Math.round(r.y + 10)];",
        )
        .await;
    let at = (edge[0].as_i64().unwrap(), edge[1].as_i64().unwrap());
    browser.drag(at, (at.0 + 31, at.1)).await;
    browser
        .until("document.querySelector('[name=attention]').value === '25,30,20,10,5,10'")
        .await;
    browser
        .until(
            "document.querySelector('.flat:not(.loops)')?.textContent.includes('to 94 triangles')",
        )
        .await;
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("document.querySelector('[name=attention]')?.value === '25,30,20,10,5,10'")
        .await;
    let kept = browser
        .run("return document.querySelector('input[name=borders]').checked")
        .await;
    assert_eq!(kept, true);
    browser
        .until("document.querySelector('.flat:not(.loops) button')")
        .await;
    browser.click(".flat:not(.loops) button").await;
    browser
        .until("document.querySelector('#label-candidate')?.textContent.includes('94')")
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}

/// A board that is not quite flat: what that would give within a distance is said, another distance can be typed, and the result
/// stays within it.
#[tokio::test(flavor = "multi_thread")]
async fn nearly_flat_areas_merge_within_a_distance() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    // 24 m along each edge, and up to 1 mm of waves.
    let mut lines: Vec<String> = board(24).lines().map(str::to_owned).collect();
    for (i, line) in lines.iter_mut().enumerate() {
        if let Some(flat) = line.strip_suffix(" 0").filter(|l| l.starts_with("v ")) {
            *line = format!("{flat} {}", 0.001 * (i as f64 * 1.7).sin());
        }
    }
    let text = lines.join("\n");
    ectome_e2e::http::upload(app.port, &[("board.obj", text.as_bytes())]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("document.querySelector('#nearly-flat')?.textContent.includes('Flat within 5.00 mm: down to 2 triangles')")
        .await;
    browser.enter("#nearly-flat [name=within_mm]", "4").await;
    browser
        .run("document.querySelector('#nearly-flat [name=faces]').value = 'quads'; return 0")
        .await;
    browser.click("#nearly-flat button").await;
    browser
        .until("document.querySelector('#label-candidate')?.textContent.includes('2')")
        .await;
    browser
        .until("document.querySelector('#panel')?.textContent.includes('Largest deviation')")
        .await;
    let says = browser.text("#panel").await;
    let off = says.split("Largest deviation ").nth(1).unwrap();
    let (off, unit) = off.split_once(' ').unwrap();
    let off: f64 = off.parse().unwrap();
    assert!(unit.starts_with("mm") && off <= 4.0, "{says}");
    let work = ectome_e2e::http::get(app.port, "/work").unwrap();
    let work = String::from_utf8_lossy(&work.body);
    assert!(work.contains("flat within 4.00 mm, into quads"), "{work}");
    let wrong = ectome_e2e::http::post(app.port, "/assets/1/flats", "within_mm=4&faces=circles");
    assert_eq!(wrong.unwrap().status, 422);
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_refusal_on_the_page_is_a_sentence_beside_the_form() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n";
    ectome_e2e::http::upload(app.port, &[("pyramid.obj", obj.as_bytes())]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/cut")).await;
    browser.text("#cut-form").await;
    browser.enter("#target", "plenty").await;
    browser.click("#cut-button").await;
    browser
        .until("document.getElementById('form-fault')?.textContent.includes('plenty')")
        .await;
    let fault = browser.text("#form-fault").await;
    assert!(fault.contains("whole number"), "{fault}");

    // A picture dropped as a mesh: the Assets page says so and goes on.
    browser.open(&app.url("/")).await;
    let photo = folder.path().join("photo.glb");
    fs::write(&photo, b"\x89PNG\r\n\x1a\n not a mesh at all").unwrap();
    browser
        .client
        .find(Locator::Css("#files"))
        .await
        .unwrap()
        .send_keys(photo.to_str().unwrap())
        .await
        .unwrap();
    browser
        .until("document.querySelector('.card-asset .fault')?.textContent.includes('photo.glb')")
        .await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn every_page_answers_and_complains_about_nothing_in_light_and_dark() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    let obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n";
    ectome_e2e::http::upload(app.port, &[("pyramid.obj", obj.as_bytes())]).unwrap();
    let browser = Browser::start(folder.path()).await;
    for scheme in ["light", "dark"] {
        browser.prefer(scheme).await;
        for path in [
            "/",
            "/work",
            "/assets/1/intake",
            "/assets/1/parts",
            "/assets/1/cut",
            "/assets/1/chain",
            "/assets/1/parcel",
        ] {
            browser.open(&app.url(path)).await;
            browser.text("header.bar").await;
            // Nothing is wider than the window.
            let wide = browser
                .run("return document.documentElement.scrollWidth > innerWidth")
                .await;
            assert_eq!(wide, false, "{path} in {scheme}");
        }
    }
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}

/// An open tube of quads: `n` columns, `n` bands, a little wider at the top.
fn tube(n: usize) -> String {
    let mut text = String::from("o tube\n");
    for j in 0..=n {
        for i in 0..n {
            let turn = std::f64::consts::TAU * i as f64 / n as f64;
            let r = 1.0 + 0.02 * j as f64;
            text += &format!(
                "v {} {} {}\n",
                r * turn.cos(),
                j as f64 * 0.1,
                -r * turn.sin()
            );
        }
    }
    for j in 0..n {
        for i in 0..n {
            let (a, b) = (j * n + i + 1, j * n + (i + 1) % n + 1);
            text += &format!("f {a} {b} {} {}\n", b + n, a + n);
        }
    }
    text
}

#[tokio::test(flavor = "multi_thread")]
async fn edge_loops_are_taken_out_of_quads() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    ectome_e2e::http::upload(app.port, &[("tube.obj", tube(24).as_bytes())]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("document.querySelector('.loops')?.textContent.includes('100 % of the source is quads')")
        .await;
    browser.click(".loops button").await;
    // 24 columns become 12; of the 23 rows inside every second goes, 11 of them: 12 × 13 quads are left.
    browser
        .until("document.querySelector('#label-candidate')?.textContent.includes('312')")
        .await;
    browser
        .until("document.querySelector('.note')?.textContent.includes('23 loops taken out')")
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
    // Numbers that are not on offer get a sentence.
    let answer = ectome_e2e::http::post(app.port, "/assets/1/loops", "every=1").unwrap();
    assert!(answer.text().contains("One loop in 2"), "{}", answer.text());
}
