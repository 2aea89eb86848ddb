//! Briefs, chains by them, proof and scenes in the real interface.

use ectome_e2e::{app::App, browser::Browser, http};
use ectome_formats::{Scene, glb};
use ectome_mesh::shapes;

/// A ring 1 m across of 24 000 triangles, as a GLB.
fn ring() -> Vec<u8> {
    let ring = Scene::from(shapes::torus(0.5, 0.16, 200, 60));
    glb::write(&ring, &glb::Options::default()).unwrap()
}

/// Sets fields of a form as a person types them.
fn typed(selector: &str, value: &str) -> String {
    format!(
        "const f = document.querySelector('{selector}'); f.value = '{value}'; \
         f.dispatchEvent(new Event('input', {{ bubbles: true }})); \
         f.dispatchEvent(new Event('change', {{ bubbles: true }})); return 0;"
    )
}

#[tokio::test(flavor = "multi_thread")]
async fn a_chain_is_made_by_its_brief_and_proven() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("ring.glb", &ring())]).unwrap();
    let browser = Browser::start(folder.path()).await;

    // All tiers of the brief in one action.
    browser.open(&app.url("/assets/1/chain")).await;
    browser
        .until("document.querySelector('#brief-chain')")
        .await;
    browser
        .until("document.querySelector('#rule .curve')")
        .await;
    browser.click("#brief-chain button").await;
    browser.until("document.querySelector('.total')").await;
    let tiers = browser
        .run("return document.querySelectorAll('.verdicts > li').length")
        .await;
    let asked = browser
        .run("return document.querySelector('#brief-chain button').textContent.match(/\\d+/)[0]")
        .await;
    assert_eq!(tiers.to_string(), asked.as_str().unwrap());

    // The proof of the second tier (the first takes the source as it is): the verdict in words, the worst outline as a
    // picture.
    browser.click("[data-tier='1'] a[href*='/proof']").await;
    let verdict = browser.text("#verdict").await;
    assert!(
        verdict.contains("As LOD1") && verdict.contains("Outline"),
        "{verdict}"
    );
    browser.click("#worst-outline summary").await;
    browser
        .until("document.querySelector('#worst-outline img').naturalWidth === 640")
        .await;
    let views = browser
        .run("return document.querySelectorAll('.outline-views tr').length")
        .await;
    assert_eq!(views, 26);
    // Looking from one of them draws the stage again, a field colours it and has a scale in real units.
    browser
        .until("document.querySelector('#stage').dataset.drawn > 0")
        .await;
    browser
        .run("document.querySelector('.outline-views').closest('details').open = true; return 0")
        .await;
    browser.click("[data-eye]").await;
    browser.click("[data-field=result]").await;
    browser
        .until("!document.querySelector('#field-scale').hidden && /mm|µm/.test(document.querySelector('#field-high').textContent)")
        .await;
    browser.click("[data-field=result]").await;

    // The wipe: one place, a line that is dragged.
    browser.click("[data-toggle=wipe]").await;
    let line = browser
        .run("const r = document.querySelector('#wipe').getBoundingClientRect(); return [Math.round(r.x + 11), Math.round(r.y + 200)];")
        .await;
    let from = (line[0].as_i64().unwrap(), line[1].as_i64().unwrap());
    browser.drag(from, (from.0 - 200, from.1)).await;
    browser
        .until("Number(document.querySelector('#wipe').getAttribute('aria-valuenow')) < 35")
        .await;
    browser.click("[data-do=size]").await;
    browser.click("[data-view=outline]").await;
    // Another candidate on the left.
    let second = "return document.querySelector('#side-left').options[3].value";
    let second = browser.run(second).await;
    browser
        .run(&typed("#side-left", second.as_str().unwrap()))
        .await;
    browser
        .until("document.querySelector('#label-source').textContent.startsWith('Candidate')")
        .await;
    assert_eq!(browser.complaints().await, Vec::<String>::new());

    // The sheet has a section for each tier, and comes as one picture.
    browser.open(&app.url("/assets/1/sheet")).await;
    browser.text(".sheet-tier").await;
    let sections = browser
        .run("return document.querySelectorAll('.sheet-tier').length")
        .await;
    assert_eq!(sections, tiers);
    let picture = http::get(app.port, "/assets/1/sheet/picture").unwrap();
    assert_eq!(picture.status, 200);

    // A stricter brief, and the same chain does not pass any more.
    browser.open(&app.url("/assets/1/chain")).await;
    browser.click("a[href^='/briefs/']:not(.chip)").await;
    browser.text("#brief-form").await;
    let second_row = |field: &str| format!(".tiers-table tbody tr:nth-child(2) [name={field}]");
    browser
        .run(&typed(&second_row("tier_outline_px"), "0.01"))
        .await;
    browser
        .run(&typed(&second_row("tier_nearest_m"), "0"))
        .await;
    browser.click("#brief-form .is-act").await;
    browser
        .until("document.querySelector('#form-fault').textContent.includes('distance of LOD1')")
        .await;
    browser
        .run(&typed(&second_row("tier_nearest_m"), "2"))
        .await;
    browser.click("#brief-form .is-act").await;
    browser
        .until("document.querySelector('.judged .is-over')?.textContent.includes('1 of')")
        .await;
    browser.click(".judged a").await;
    browser
        .until("document.querySelector('.verdicts li.is-over')?.textContent.includes('limit 0.01')")
        .await;
    browser.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_scene_shares_one_budget_and_candidates_are_pinned_cut_on_and_discarded() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("ring.glb", &ring())]).unwrap();
    let ball = glb::write(
        &Scene::from(shapes::icosphere(0.5, 5)),
        &glb::Options::default(),
    )
    .unwrap();
    http::upload(app.port, &[("ball.glb", &ball)]).unwrap();
    let browser = Browser::without_stage(folder.path()).await;
    for asset in [1, 2] {
        browser
            .open(&app.url(&format!("/assets/{asset}/cut")))
            .await;
        browser
            .until("document.querySelector('#rule .curve')")
            .await;
    }

    browser.open(&app.url("/scenes")).await;
    browser.click(".scene-tabs button").await;
    browser.text("#scene-form").await;
    for asset in [1, 2] {
        browser
            .click(&format!("[name=within][value='{asset}']"))
            .await;
    }
    browser.run(&typed("[name=distance_2]", "6")).await;
    browser.run(&typed("[name=instances_2]", "3")).await;
    browser.run(&typed("[name=triangles]", "6000")).await;
    browser.click("#scene-form [value=save]").await;
    browser
        .until("document.querySelector('#scene-says')?.textContent.includes('% less')")
        .await;
    browser.click("#scene-form [value=cut]").await;
    browser
        .until(
            "document.querySelector('#scene-says')?.textContent.includes('Measured after cutting')",
        )
        .await;
    let sum = browser
        .run("return Number(document.querySelector('.scene-table tfoot b').textContent.replace(/\\D/g, ''))")
        .await;
    assert!(sum.as_u64().unwrap() <= 6000, "{sum}");

    // The tray: cut further, pinned, discarded; what the scene uses stays.
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("document.querySelector('.tray li img')")
        .await;
    browser.run(&typed("#target", "300")).await;
    browser.click("[data-candidate='1'] .go-on").await;
    browser
        .until("document.querySelector('[data-candidate=\"2\"]')?.textContent.includes('from candidate 1')")
        .await;
    browser
        .until("document.querySelector('[data-candidate=\"2\"] .figures')?.textContent.includes('off')")
        .await;
    browser.click("[data-candidate='2'] [value=pin]").await;
    browser
        .until("document.querySelector('#rule .pinned')")
        .await;
    browser.click("[data-candidate='1'] [value=discard]").await;
    browser
        .until("document.querySelector('#form-fault').textContent.includes('a scene')")
        .await;
    browser.click("[data-candidate='2'] [value=discard]").await;
    browser
        .until("!document.querySelector('[data-candidate=\"2\"]') && document.querySelector('[data-candidate=\"1\"]')")
        .await;
    browser.close().await;
}
