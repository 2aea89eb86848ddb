//! Intake and parts in the real interface: a zip is dropped, a finding is shown, a repair is tried, made and taken
//! back, a plane is dragged, parts get their fates, and what is downloaded holds only what is built.

use std::{fs, io::Write};

use ectome_e2e::{
    app::App,
    browser::{Browser, PATIENCE},
    validator::validate,
};
use ectome_formats::{glb, obj_write};
use ectome_mesh::topology::Topology;
use fantoccini::Locator;

/// The winch as OBJ in a zip, and a torn ball as PLY, dropped together.
fn uploads(folder: &std::path::Path) -> String {
    let zip_path = folder.join("rope_winch.zip");
    let mut zip = zip::ZipWriter::new(fs::File::create(&zip_path).unwrap());
    for (name, bytes) in obj_write::write(&ectome_demo::once::rope_winch(), "rope_winch").unwrap() {
        let options = zip::write::SimpleFileOptions::default();
        zip.start_file(format!("props/{name}"), options).unwrap();
        zip.write_all(&bytes).unwrap();
    }
    zip.finish().unwrap();
    let mut ball = ectome_mesh::shapes::icosphere(0.5, 4);
    ball = ectome_mesh::edit::kept(&ball, |f| f % 640 != 0);
    let ply_path = folder.join("net_float.ply");
    fs::write(
        &ply_path,
        ectome_formats::ply_write::write(&ball.into()).unwrap(),
    )
    .unwrap();
    format!("{}\n{}", zip_path.display(), ply_path.display())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_source_is_examined_repaired_and_sorted_before_it_is_cut() {
    let folder = tempfile::tempdir().unwrap();
    let downloads = folder.path().join("downloads");
    fs::create_dir(&downloads).unwrap();
    let app = App::start(&folder.path().join("data"));
    let browser = Browser::start(&downloads).await;
    browser.open(&app.url("/")).await;
    browser
        .client
        .find(Locator::Css("#files"))
        .await
        .unwrap()
        .send_keys(&uploads(folder.path()))
        .await
        .unwrap();
    browser
        .until("document.querySelectorAll('.card-asset .figures').length === 2")
        .await;

    // The ball with holes: the finding is shown, closing is tried first and then made.
    browser.open(&app.url("/assets/1/intake")).await;
    let title = browser.run("return document.title").await;
    let (ball, winch) = match title.as_str() {
        Some(t) if t.starts_with("Net float") => (1, 2),
        _ => (2, 1),
    };
    browser
        .open(&app.url(&format!("/assets/{ball}/intake")))
        .await;
    browser
        .until("document.querySelector('#stage')?.dataset.drawn > 0")
        .await;
    browser
        .until("[...document.querySelectorAll('.findings b')].some((b) => b.textContent.includes('8 open borders'))")
        .await;
    browser
        .run("[...document.querySelectorAll('.findings > li')].find((l) => l.textContent.includes('open borders')).querySelector('.show').click()")
        .await;
    browser
        .until("document.querySelector('.show[aria-pressed=true]')")
        .await;
    // The press follows at once on a column that was drawn anew, as it does when work ends under a person's hand.
    browser
        .run(
            "const press = () => { const d = document.querySelector('.findings [data-repair=close_holes]'); d.open = true; d.querySelector('[name=size_mm]').value = '500'; d.querySelector('button[type=button]').click(); }; \
             const anew = (event) => { if (event.target.id !== 'panel') return; document.removeEventListener('htmx:afterSwap', anew); setTimeout(press, 0); }; \
             document.addEventListener('htmx:afterSwap', anew); \
             htmx.ajax('GET', document.getElementById('panel').getAttribute('hx-get'), { target: '#panel', swap: 'innerHTML' });",
        )
        .await;
    browser
        .until("document.querySelector('.findings .preview-line')?.textContent.includes('8 holes closed')")
        .await;
    browser
        .run("document.querySelector('.findings [data-repair=close_holes] .is-act').click()")
        .await;
    browser
        .until("document.querySelector('.changes')?.textContent.includes('8 holes closed')")
        .await;
    browser
        .until("![...document.querySelectorAll('.findings b')].some((b) => b.textContent.includes('open borders'))")
        .await;

    let at_rest = "document.querySelector('.chip[href=\"/work\"]').textContent === 'No work'";
    browser.until(at_rest).await;

    // The plane of the clip form follows a drag on the stage.
    browser
        .run("const d = document.querySelector('.more [data-repair=clip]'); d.open = true; d.scrollIntoView()")
        .await;
    browser
        .until("document.querySelector('.more [data-repair=clip] [name=py]')")
        .await;
    let before = browser
        .run("return document.querySelector('.more [data-repair=clip] [name=py]').value")
        .await;
    // Framed anew: showing the finding had moved the view.
    browser.click("[data-do=frame]").await;
    browser.drag((235, 650), (235, 590)).await;
    browser
        .until(&format!(
            "document.querySelector('.more [data-repair=clip] [name=py]').value !== {before}"
        ))
        .await;
    let height = browser
        .run("return Number(document.querySelector('.more [data-repair=clip] [name=py]').value)")
        .await;
    browser
        .run("document.querySelector('.more [data-repair=clip] .is-act').click()")
        .await;
    browser
        .until("document.querySelector('.changes')?.textContent.includes('clipped off')")
        .await;
    let low = browser
        .run("return JSON.parse(document.getElementById('data').textContent).bounds[0][1]")
        .await;
    let (low, height) = (low.as_f64().unwrap(), height.as_f64().unwrap());
    assert!(
        (low - height).abs() < 1e-3,
        "clipped at {height}, lowest {low}"
    );
    // Taken back, the lower half is there again.
    browser
        .run("[...document.querySelectorAll('.changes button')].at(-1).click()")
        .await;
    browser
        .until("JSON.parse(document.getElementById('data').textContent).bounds[0][1] < -0.49")
        .await;

    // The licence forbids passing it on: the mark stands in the bar.
    browser
        .run("const f = document.querySelector('.provenance'); f.licence.value = 'Study only'; f.may_pass_on.value = 'no'; f.querySelector('button').click()")
        .await;
    browser.until("document.querySelector('.forbidden')").await;
    browser
        .open(&app.url(&format!("/assets/{ball}/parcel")))
        .await;
    assert!(browser.text(".note.is-over").await.contains("Study only"));

    // The winch: equal parts share a row; rope is imprinted; the cut holds none of it.
    browser
        .open(&app.url(&format!("/assets/{winch}/parts")))
        .await;
    browser
        .until("[...document.querySelectorAll('#ledger tr')].some((r) => r.textContent.includes('×48'))")
        .await;
    browser
        .run("const f = document.getElementById('ledger-filter'); f.value = 'rope'; f.dispatchEvent(new Event('input', { bubbles: true }))")
        .await;
    browser
        .until("[...document.querySelectorAll('#ledger tbody tr')].filter((r) => !r.hidden).length === 1")
        .await;
    browser
        .run("[...document.querySelectorAll('#ledger tbody tr')].find((r) => !r.hidden).querySelector('[name=part]').click()")
        .await;
    browser
        .until("document.getElementById('chosen-says').textContent.startsWith('14 parts chosen')")
        .await;
    browser.click("[value='fate:imprint']").await;
    browser
        .until(
            "document.getElementById('ships')?.textContent.startsWith('75 of 89 parts are built')",
        )
        .await;
    browser
        .open(&app.url(&format!("/assets/{winch}/cut")))
        .await;
    browser
        .until("document.querySelector('#stage')?.dataset.drawn > 0")
        .await;
    browser.enter("#target", "3000").await;
    browser.click("#cut-button").await;
    browser
        .until("document.querySelector('.tray .shown small')")
        .await;
    browser
        .open(&app.url(&format!("/assets/{winch}/parcel")))
        .await;
    browser.click(".downloads a[href$='_1.glb']").await;
    let file = downloads.join("Rope_winch_1.glb");
    let deadline = std::time::Instant::now() + PATIENCE;
    let file = loop {
        let found = fs::read_dir(&downloads)
            .unwrap()
            .flatten()
            .map(|e| e.path());
        if let Some(p) = found
            .into_iter()
            .find(|p| p.extension().is_some_and(|e| e == "glb"))
        {
            break p;
        }
        assert!(
            std::time::Instant::now() < deadline,
            "{} never arrived",
            file.display()
        );
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    };
    let report = validate(&file);
    assert_eq!(
        (&report["errors"], &report["warnings"]),
        (&0.into(), &0.into()),
        "{report}"
    );
    let low = glb::read("winch.glb", &fs::read(&file).unwrap()).unwrap();
    assert!(low.mesh.triangle_count() <= 3000);
    assert!(low.mesh.parts.iter().all(|p| !p.name.starts_with("rope")));
    assert_eq!(Topology::of(&low.mesh).open_edges, 0);
    assert!(!low.copies.is_empty(), "repeats are stored once");
    assert_eq!(browser.complaints().await, Vec::<String>::new());
    browser.close().await;
}
