//! What axe-core finds on a page: an open library that knows the rules of WCAG.

use std::path::Path;

use crate::browser::Browser;

/// Looks once the colours of the other set are drawn and nothing is on its way from one to the other any more.
const LOOK: &str = "const frame = () => new Promise((done) => requestAnimationFrame(done)); \
    const settled = async () => { \
      await frame(); await frame(); \
      const goes = () => document.getAnimations().some((a) => a instanceof CSSTransition && a.playState === 'running'); \
      for (let i = 0; i < 40 && goes(); i++) await new Promise((done) => setTimeout(done, 50)); \
      await frame(); \
    }; \
    return settled() \
      .then(() => axe.run(document, { resultTypes: ['violations'] })) \
      .then((r) => r.violations \
        .filter((v) => ['serious', 'critical'].includes(v.impact) || v.tags.includes('best-practice')) \
        .flatMap((v) => v.nodes.map((n) => `${v.id}: ${n.target} ${n.html.slice(0, 160)} ${n.any.map((a) => a.message).join('; ').slice(0, 200)}`)))";

/// Opens a page and lists what is serious or worse in light and in dark: the rule, what it says, and what on the page it is about.
///
/// # Panics
/// When the library is not installed; `./check` installs it.
pub async fn faults(browser: &Browser, url: &str) -> Vec<String> {
    let file = Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../tools/access/node_modules/axe-core/axe.min.js");
    let library = std::fs::read_to_string(&file).expect("./check installs axe-core");
    browser.prefer("light").await;
    browser.open(url).await;
    // What a page fills in when it is there has been.
    browser
        .run("return new Promise((done) => setTimeout(() => done(0), 1500))")
        .await;
    browser.run(&library).await;
    let path = url
        .split_once("//")
        .and_then(|(_, rest)| rest.split_once('/'));
    let path = path.map_or("", |(_, path)| path);
    let mut faults = Vec::new();
    for scheme in ["light", "dark"] {
        browser.prefer(scheme).await;
        let found = browser.run(LOOK).await;
        let found = found.as_array().expect("axe-core answers with a list");
        faults.extend(
            found
                .iter()
                .map(|fault| format!("{scheme} /{path} {}", fault.as_str().unwrap_or_default())),
        );
    }
    faults
}
