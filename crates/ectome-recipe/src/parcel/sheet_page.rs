//! The sheet of a parcel as a page that needs nothing else, for screens and for paper.

use std::fmt::Write as _;

use base64::{Engine, engine::general_purpose::STANDARD};

use super::sheet::Sheet;
use crate::{Artefact, Standing, figures::grouped, sight};

const STYLE: &str = "body{font:16px/1.5 sans-serif;max-width:70rem;margin:2rem auto;padding:0 1rem;color:#1b2329;background:#fff}\
table{border-collapse:collapse;margin:.5rem 0 1.5rem}th,td{text-align:left;padding:.2rem 1rem .2rem 0;border-bottom:1px solid #c9d1d6;vertical-align:top}\
td.n{text-align:right;font-variant-numeric:tabular-nums}figure{display:inline-block;margin:0 1rem 1rem 0}img{max-width:21rem;border:1px solid #c9d1d6}\
pre{white-space:pre-wrap;font-size:.8rem}.over{color:#8a1a17}td{overflow-wrap:anywhere}\
@media print{details,summary{display:none}figure{break-inside:avoid}}@media screen and (prefers-color-scheme:dark){body{color:#dfe6ea;background:#12181c}th,td,img{border-color:#3b474f}}";

/// The page. `pictures` holds what the tiers left to look at, in order.
pub fn html(sheet: &Sheet, pictures: &[Vec<Artefact>]) -> String {
    let mut page = format!(
        "<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" \
         content=\"width=device-width, initial-scale=1\"><title>{name}</title><style>{STYLE}</style></head><body><h1>{name}</h1>\
         <p>For the brief <b>{brief}</b>, {date}: {word}. {from} triangles in {source} and {materials} materials, now {bytes}.</p>",
        name = escaped(&sheet.asset),
        brief = escaped(&sheet.brief),
        date = escaped(&sheet.date),
        word = word(sheet.verdict),
        from = grouped(sheet.source_triangles),
        source = size(sheet.source_bytes),
        materials = sheet.source_materials,
        bytes = size(sheet.bytes),
    );
    provenance(&mut page, sheet);
    if !sheet.plan.is_empty() {
        page += "<h2>What was done</h2>";
        head(&mut page, &["Step", "Why"]);
        for line in &sheet.plan {
            row(&mut page, &[&line.act.says(), &line.why]);
        }
        page += "</table>";
    }
    if !sheet.left.is_empty() {
        page += "<h2>Left as it is</h2><ul>";
        for left in &sheet.left {
            let _ = write!(page, "<li>{}</li>", escaped(left));
        }
        page += "</ul>";
    }
    for n in 0..sheet.tiers.len() {
        tier(
            &mut page,
            sheet,
            n,
            pictures.get(n).map_or(&[], Vec::as_slice),
        );
    }
    page += "<h2>For importers</h2>";
    head(&mut page, &["Looked for", "", "Found"]);
    for check in &sheet.checks {
        let word = if check.passes { "passes" } else { "over" };
        row(&mut page, &[&check.what, word, &check.says]);
    }
    let c = &sheet.conventions;
    row(
        &mut page,
        &[
            "Normal maps",
            "",
            &format!("{}, green {}", c.tangents, c.green),
        ],
    );
    row(&mut page, &["GLB, glTF", "", &c.gltf]);
    row(&mut page, &["OBJ, PLY, STL", "", &c.others]);
    page += "</table><h2>Files</h2>";
    head(&mut page, &["File", "Of", "Size", "BLAKE3"]);
    for file in &sheet.files {
        row(
            &mut page,
            &[&file.name, &file.of, &size(file.bytes), &file.blake3],
        );
    }
    page += "</table>";
    recipes(&mut page, sheet);
    page + "</body></html>\n"
}

fn provenance(page: &mut String, sheet: &Sheet) {
    let p = &sheet.provenance;
    if p.may_be_passed_on == "no" {
        *page += "<p class=\"over\"><b>Not to be passed on.</b> The licence of the source forbids it.</p>";
    }
    let known: Vec<String> = [
        ("By", &p.author),
        ("From", &p.origin),
        ("Licence:", &p.licence),
    ]
    .into_iter()
    .filter(|(_, text)| !text.is_empty())
    .map(|(word, text)| format!("{word} {}.", escaped(text)))
    .collect();
    if !known.is_empty() {
        let _ = write!(page, "<p>{}</p>", known.join(" "));
    }
}

fn tier(page: &mut String, sheet: &Sheet, n: usize, pictures: &[Artefact]) {
    let tier = &sheet.tiers[n];
    let _ = write!(page, "<h2>LOD{n}: {}</h2>", word(tier.verdict));
    let _ = write!(page, "<p>{}</p><table>", escaped(&tier.says));
    let triangles = format!("{} of {}", grouped(tier.triangles), grouped(tier.limit));
    let deviation = format!("{:.3} mm", tier.deviation_max_m * 1e3);
    row(page, &["Triangles", &triangles]);
    row(page, &["Largest deviation", &deviation]);
    row(
        page,
        &[
            "Under a pixel from",
            &format!("{:.2} m on", tier.switch_distance_m),
        ],
    );
    if let Some(held) = sheet.contents.get(n) {
        row(page, &["Vertices", &grouped(held.vertices)]);
        row(
            page,
            &[
                "Objects, materials",
                &format!("{}, {}", held.objects, held.materials),
            ],
        );
        row(page, &["Draw calls", &grouped(held.draw_calls)]);
        for t in &held.textures {
            let space = if t.is_colour { "sRGB" } else { "linear" };
            let halved = t
                .halved_db
                .map_or(String::new(), |db| format!(", {db:.0} dB at half the size"));
            let says = format!(
                "{} × {}, {}, {space}, {}, {} on the device{halved}",
                t.width,
                t.height,
                t.format,
                size(t.bytes),
                size(t.device_bytes)
            );
            row(page, &[&t.name, &says]);
        }
    }
    *page += "</table>";
    if let Some(look) = &tier.look {
        let percent = |share: f64| format!("{:.1} %", share * 100.0);
        *page += "<p>Beside its source, as large as it is seen from there:</p><table>";
        let colour = format!(
            "{:.1} on the whole, {:.1} in the worst twentieth (CIEDE2000)",
            look.colour_mean, look.colour_worst
        );
        let coverage = format!(
            "{} gained, {} lost",
            percent(look.gained),
            percent(look.lost)
        );
        row(page, &["Colour off", &colour]);
        row(page, &["Coverage off", &coverage]);
        row(page, &["Shine off", &percent(look.shine)]);
        *page += "</table>";
    }
    for a in pictures {
        let says = match (a.kind, &*a.which) {
            (Artefact::LOOK, which) => look_says(which),
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

/// What a picture of the look shows, by its name.
fn look_says(which: &str) -> &'static str {
    let (figure, of) = which.split_once('_').unwrap_or((which, ""));
    match (figure, of) {
        (sight::COLOUR, Artefact::SOURCE) => "Worst colour: the source",
        (sight::COLOUR, Artefact::RESULT) => "Worst colour: the tier",
        (sight::COLOUR, _) => "Worst colour: the difference, dark",
        (sight::COVERAGE, Artefact::SOURCE) => "Worst coverage: the source",
        (sight::COVERAGE, Artefact::RESULT) => "Worst coverage: the tier",
        (sight::COVERAGE, _) => "Worst coverage: the difference, dark",
        (_, Artefact::SOURCE) => "Worst shine: the source's mirrored light",
        (_, Artefact::RESULT) => "Worst shine: the tier's",
        _ => "Worst shine: the difference, dark",
    }
}

/// The settings of every step, folded away: sheets are read for the numbers, recipes to do it again.
fn recipes(page: &mut String, sheet: &Sheet) {
    for (n, recipe) in sheet.recipes.iter().enumerate() {
        let text = serde_json::to_string_pretty(&recipe.steps).unwrap_or_default();
        let _ = write!(
            page,
            "<details><summary>Recipe of LOD{n}</summary><pre>{}</pre></details>",
            escaped(&text)
        );
    }
}

fn head(page: &mut String, cells: &[&str]) {
    *page += "<table><tr>";
    for cell in cells {
        let _ = write!(page, "<th scope=\"col\">{cell}</th>");
    }
    *page += "</tr>";
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

fn size(bytes: u64) -> String {
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
    use crate::parcel::sheet::{Conventions, FileLine, Provenance};

    #[test]
    fn names_are_no_markup() {
        let sheet = Sheet {
            asset: "<b>'x'".to_owned(),
            brief: "<script>".to_owned(),
            date: String::new(),
            verdict: Standing::Pass,
            source_triangles: 12,
            source_bytes: 1,
            source_materials: 2,
            bytes: 2_500_000,
            tiers: Vec::new(),
            contents: Vec::new(),
            checks: Vec::new(),
            plan: Vec::new(),
            left: vec!["a & \"b\"".to_owned()],
            conventions: Conventions::default(),
            provenance: Provenance {
                author: "<u>nobody".to_owned(),
                may_be_passed_on: "no".to_owned(),
                ..Provenance::default()
            },
            files: vec![FileLine {
                name: "<i>.glb".to_owned(),
                of: String::new(),
                bytes: 3,
                blake3: String::new(),
            }],
            recipes: Vec::new(),
        };
        let page = html(&sheet, &[]);
        for tag in ["<script>", "<b>'", "<i>", "<u>"] {
            assert!(!page.contains(tag), "{tag}");
        }
        assert!(page.contains("a &amp; &quot;b&quot;") && page.contains("2.5 MB"));
        assert!(page.contains("Not to be passed on."));
    }
}
