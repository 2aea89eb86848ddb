//! The sheet of one file: everything that was made of it and the numbers that prove it, on a page that needs nothing else.

use std::fmt::Write as _;

use base64::{Engine, engine::general_purpose::STANDARD};
use ectome_recipe::{Artefact, Standing, figures::grouped};

use super::run::Whole;

const STYLE: &str = "body{font:16px/1.5 sans-serif;max-width:70rem;margin:2rem auto;padding:0 1rem;color:#1b2329;background:#fff}\
table{border-collapse:collapse;margin:.5rem 0 1.5rem}th,td{text-align:left;padding:.2rem 1rem .2rem 0;border-bottom:1px solid #c9d1d6;vertical-align:top}\
td.n{text-align:right;font-variant-numeric:tabular-nums}figure{display:inline-block;margin:0 1rem 1rem 0}img{max-width:21rem;border:1px solid #c9d1d6}\
@media(prefers-color-scheme:dark){body{color:#dfe6ea;background:#12181c}th,td,img{border-color:#3b474f}}";

/// The page. `pictures` holds what the tiers left to look at, in order.
pub fn html(name: &str, whole: &Whole, pictures: &[Vec<Artefact>]) -> String {
    let mut page = format!(
        "<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" \
         content=\"width=device-width, initial-scale=1\"><title>{name}</title><style>{STYLE}</style></head><body><h1>{name}</h1>\
         <p>For the brief <b>{brief}</b>: {word}. {from} triangles in {source}, now {bytes}.</p>",
        name = escaped(name),
        brief = escaped(&whole.brief),
        word = word(whole.verdict),
        from = grouped(whole.source_triangles),
        source = size(whole.source_bytes),
        bytes = size(whole.bytes),
    );
    page += "<h2>What was done</h2><table><tr><th scope=\"col\">Step</th><th scope=\"col\">Why</th></tr>";
    for line in &whole.plan {
        row(&mut page, &[&line.act.says(), &line.why]);
    }
    page += "</table>";
    if !whole.left.is_empty() {
        page += "<h2>Left as it is</h2><ul>";
        for left in &whole.left {
            let _ = write!(page, "<li>{}</li>", escaped(left));
        }
        page += "</ul>";
    }
    for (n, tier) in whole.tiers.iter().enumerate() {
        let _ = write!(page, "<h2>LOD{n}: {}</h2>", word(tier.verdict));
        let _ = write!(page, "<p>{}</p><table>", escaped(&tier.says));
        row(
            &mut page,
            &[
                "Triangles",
                &format!("{} of {}", grouped(tier.triangles), grouped(tier.limit)),
            ],
        );
        row(
            &mut page,
            &[
                "Largest deviation",
                &format!("{:.3} mm", tier.deviation_max_m * 1e3),
            ],
        );
        row(
            &mut page,
            &[
                "Under a pixel from",
                &format!("{:.2} m on", tier.switch_distance_m),
            ],
        );
        page += "</table>";
        for a in pictures.get(n).into_iter().flatten() {
            let says = match (a.kind, &*a.which) {
                (Artefact::PICTURE, _) => "The tier",
                (Artefact::OUTLINE, _) => "Worst outline, beside the source",
                (Artefact::SHADING, Artefact::SOURCE) => "Worst shading: the source",
                (Artefact::SHADING, Artefact::RESULT) => "Worst shading: the tier",
                (Artefact::SHADING, _) => "Worst shading: the difference, dark",
                _ => continue,
            };
            let data = STANDARD.encode(&a.bytes);
            let _ = write!(
                page,
                "<figure><img alt=\"{says}\" src=\"data:image/png;base64,{data}\"><figcaption>{says}</figcaption></figure>"
            );
        }
    }
    page += "<h2>Files</h2><table><tr><th scope=\"col\">File</th><th scope=\"col\">Size</th></tr>";
    for (file, bytes) in &whole.files {
        row(&mut page, &[file, &size(*bytes)]);
    }
    page + "</table></body></html>\n"
}

fn row(page: &mut String, cells: &[&str]) {
    *page += "<tr>";
    for cell in cells {
        let _ = write!(page, "<td>{}</td>", escaped(cell));
    }
    *page += "</tr>";
}

fn word(standing: Standing) -> &'static str {
    match standing {
        Standing::Pass => "passes",
        Standing::Tight => "passes, within 5 % of a limit",
        Standing::Over => "over a limit",
    }
}

fn size(bytes: usize) -> String {
    match bytes {
        0..1_000_000 => format!("{:.1} kB", bytes as f64 / 1e3),
        _ => format!("{:.1} MB", bytes as f64 / 1e6),
    }
}

/// Names come from files: none of their characters may be taken for markup.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out += "&amp;",
            '<' => out += "&lt;",
            '>' => out += "&gt;",
            '"' => out += "&quot;",
            '\'' => out += "&#39;",
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_no_markup() {
        let whole = Whole {
            brief: "<script>".to_owned(),
            source_triangles: 12,
            source_bytes: 1,
            bytes: 2_500_000,
            verdict: Standing::Pass,
            plan: Vec::new(),
            left: vec!["a & \"b\"".to_owned()],
            tiers: Vec::new(),
            files: vec![("<i>.glb".to_owned(), 3)],
        };
        let page = html("<b>'x'", &whole, &[]);
        assert!(!page.contains("<script>") && !page.contains("<b>'") && !page.contains("<i>"));
        assert!(page.contains("a &amp; &quot;b&quot;") && page.contains("2.5 MB"));
    }
}
