//! The proof sheet of a chain: a page to print, and one picture of all tiers.

use ab_glyph::{Font, FontRef, PxScale, ScaleFont, point};
use askama::Template;
use axum::{
    extract::State,
    http::header,
    response::{Html, IntoResponse, Response},
};
use ectome_recipe::{Brief, sight::Look};
use ectome_store::{asset::Asset, candidate::Candidate, chain::ChainTier};
use image::{Rgba, RgbaImage, imageops};

use crate::{
    chain::standing_of,
    extract::Path,
    failure::Failure,
    judged,
    reply::{brief_of, ready_asset},
    state::App,
    static_files::VERSION,
    words,
};

struct Tier {
    number: u32,
    word: &'static str,
    class: &'static str,
    verdict: String,
    remedies: Vec<String>,
    facts: Vec<(&'static str, String)>,
    picture: String,
    pictures: Option<ectome_store::candidate::PictureBlobs>,
}

#[derive(Template)]
#[template(path = "sheet.html")]
struct Page {
    version: &'static str,
    id: u64,
    name: String,
    brief: String,
    source: String,
    verdict: String,
    class: &'static str,
    forbidden: Option<String>,
    picture: Option<String>,
    tiers: Vec<Tier>,
}

/// A chain with what its sheet needs.
struct ProofSheet {
    asset: Asset,
    brief: Brief,
    chain: Vec<ChainTier>,
}

async fn sheet(app: &App, id: u64) -> Result<ProofSheet, Failure> {
    let asset = ready_asset(app, id).await?;
    let brief = brief_of(app, &asset).await?;
    let chain = app.store.chain(id).await?;
    if chain.is_empty() {
        return Err(Failure::bad(format!(
            "{} has no chain yet, so there is nothing to prove. Make its chain first.",
            asset.name
        )));
    }
    Ok(ProofSheet {
        asset,
        brief,
        chain,
    })
}

impl ProofSheet {
    fn verdict(&self) -> (String, &'static str) {
        judged::chain_verdict(&self.brief, &self.asset, &self.chain)
    }

    fn tier(&self, t: &ChainTier) -> Tier {
        let c = &t.candidate;
        let j = judged::judge(&self.brief, &self.asset, t.tier as usize, c);
        let (word, _, class) = standing_of(c, j.as_ref().map(|j| j.standing));
        Tier {
            number: t.tier,
            word,
            class,
            verdict: j.as_ref().map_or_else(|| word.to_owned(), |j| j.sentence()),
            remedies: j
                .iter()
                .flat_map(|j| &j.requirements)
                .filter(|f| !f.remedy.is_empty())
                .map(|f| f.remedy.clone())
                .collect(),
            facts: self.facts(c),
            picture: c.picture.clone().unwrap_or_default(),
            pictures: c.pictures.clone(),
        }
    }

    /// How alike a candidate looks as large as its tier is seen.
    fn look(&self, c: &Candidate) -> Option<Look> {
        let number = judged::tier_of(&self.chain, c);
        let measured = judged::measured(&self.brief, &self.asset, c)?;
        measured.look(&self.brief, self.brief.tiers.get(number)?)
    }

    fn facts(&self, c: &Candidate) -> Vec<(&'static str, String)> {
        let mut list = vec![(
            "Triangles",
            format!(
                "{} of the source's {}",
                words::grouped(c.triangles.unwrap_or(0)),
                words::grouped(self.asset.built_triangles().unwrap_or(0))
            ),
        )];
        if let Some(r) = &c.report {
            list.push((
                "Deviation",
                format!(
                    "mean {}, largest {}",
                    words::length(r.deviation_mean_mm),
                    words::length(r.deviation_max_mm)
                ),
            ));
            let switch = self.brief.switch_distance_m(r.deviation_max_mm / 1e3);
            list.push(("Under a pixel from", words::distance(switch)));
        }
        if let Some(p) = &c.proof {
            list.push((
                "Outline",
                format!(
                    "at worst {} in 26 views",
                    words::length(p.worst_outline().map_or(0.0, |v| v.worst_mm))
                ),
            ));
            list.push((
                "Shading",
                format!(
                    "likeness {:.3}, least {:.3}",
                    p.shading_mean(),
                    p.worst_shading().map_or(1.0, |v| v.similarity)
                ),
            ));
            if let Some(l) = self.look(c) {
                list.push((
                    "Look",
                    format!(
                        "colour {:.1} off, coverage {:.1} % gained and {:.1} % lost, shine {:.1} % off",
                        l.colour_mean,
                        l.gained * 100.0,
                        l.lost * 100.0,
                        l.shine * 100.0
                    ),
                ));
            }
            if let Some(u) = &p.uvs {
                let edge = f64::from(self.brief.texture_px);
                list.push((
                    "UVs",
                    format!(
                        "drift {:.1} texels at {}, {} islands of {}, {:.0} texels/m",
                        u.drift_mean_texels * edge / 2048.0,
                        self.brief.texture_px,
                        words::grouped(u.islands[1] as u64),
                        words::grouped(u.islands[0] as u64),
                        u.density[1] * edge
                    ),
                ));
            }
        }
        list
    }
}

/// `GET /assets/{id}/sheet`: the page to print.
pub async fn page(State(app): State<App>, Path(id): Path<u64>) -> Result<Html<String>, Failure> {
    let sheet = sheet(&app, id).await?;
    let (verdict, class) = sheet.verdict();
    let forbidden = sheet.asset.provenance.may_pass_on == ectome_store::asset::PassOn::No;
    let page = Page {
        version: *VERSION,
        id,
        brief: sheet.brief.name.clone(),
        source: words::grouped(sheet.asset.built_triangles().unwrap_or(0)),
        verdict,
        class,
        forbidden: forbidden.then(|| sheet.asset.provenance.licence.clone()),
        picture: sheet.asset.picture.clone(),
        tiers: sheet.chain.iter().map(|t| sheet.tier(t)).collect(),
        name: sheet.asset.name,
    };
    Ok(Html(page.render()?))
}

/// `GET /assets/{id}/sheet/picture`: the tiers side by side in one PNG.
pub async fn picture(State(app): State<App>, Path(id): Path<u64>) -> Result<Response, Failure> {
    let sheet = sheet(&app, id).await?;
    let mut cells = Vec::new();
    let mut source = Vec::new();
    if let Some(blob) = &sheet.asset.picture {
        source = app.store.blobs.get(blob).await?.to_vec();
    }
    cells.push(Cell {
        title: "Source".to_owned(),
        lines: vec![format!(
            "{} triangles",
            words::grouped(sheet.asset.built_triangles().unwrap_or(0))
        )],
        picture: source,
    });
    for t in &sheet.chain {
        let tier = sheet.tier(t);
        let picture = match &t.candidate.picture {
            Some(blob) => app.store.blobs.get(blob).await?.to_vec(),
            None => cells[0].picture.clone(),
        };
        let mut lines: Vec<String> = tier.verdict.split(". ").map(str::to_owned).collect();
        lines.retain(|l| !l.is_empty());
        cells.push(Cell {
            title: format!("LOD{}", tier.number),
            lines,
            picture,
        });
    }
    let title = format!("{} for {}", sheet.asset.name, sheet.brief.name);
    let png = tokio::task::spawn_blocking(move || contact_sheet(&title, &cells))
        .await
        .ok()
        .flatten()
        .ok_or_else(|| Failure::bad("The picture could not be drawn. Try again."))?;
    let headers = [
        (header::CONTENT_TYPE, "image/png".to_owned()),
        (
            header::CONTENT_DISPOSITION,
            format!(
                "attachment; filename=\"{}_proof.png\"",
                words::stem(&sheet.asset.name)
            ),
        ),
    ];
    Ok((headers, png).into_response())
}

struct Cell {
    title: String,
    lines: Vec<String>,
    picture: Vec<u8>,
}

const CELL: u32 = 360;
const PICTURE: u32 = 270;
const MARGIN: u32 = 20;
const LINE: u32 = 22;
const PAPER: Rgba<u8> = Rgba([0xF3, 0xF0, 0xE7, 255]);
const STAGE: Rgba<u8> = Rgba([0xB9, 0xBC, 0xB8, 255]);
const INK: [u8; 3] = [0x1A, 0x2A, 0x2E];

/// Draws the cells in rows of up to four under a title.
fn contact_sheet(title: &str, cells: &[Cell]) -> Option<Vec<u8>> {
    let font = FontRef::try_from_slice(include_bytes!(
        "../../static/vendor/ibm-plex-sans-condensed-latin-500-normal.ttf"
    ))
    .ok()?;
    let columns = 4.min(cells.len() as u32);
    let most = cells.iter().map(|c| c.lines.len()).max()? as u32;
    let tall = PICTURE + LINE * (most + 1) + MARGIN;
    let rows = (cells.len() as u32).div_ceil(columns);
    let mut sheet =
        RgbaImage::from_pixel(columns * (CELL + MARGIN) + MARGIN, rows * tall + 70, PAPER);
    write(&mut sheet, &font, 26.0, [MARGIN, 40], title);
    for (i, cell) in cells.iter().enumerate() {
        let x = MARGIN + (i as u32 % columns) * (CELL + MARGIN);
        let y = 60 + (i as u32 / columns) * tall;
        let ground = RgbaImage::from_pixel(CELL, PICTURE, STAGE);
        imageops::overlay(&mut sheet, &ground, x.into(), y.into());
        if let Ok(picture) = image::load_from_memory(&cell.picture) {
            let picture = picture.resize(CELL, PICTURE, imageops::FilterType::Triangle);
            let left = x + (CELL - picture.width()) / 2;
            let top = y + (PICTURE - picture.height()) / 2;
            imageops::overlay(&mut sheet, &picture.to_rgba8(), left.into(), top.into());
        }
        write(
            &mut sheet,
            &font,
            20.0,
            [x, y + PICTURE + LINE],
            &cell.title,
        );
        for (k, line) in cell.lines.iter().enumerate() {
            let at = [x, y + PICTURE + LINE * (k as u32 + 2)];
            write(&mut sheet, &font, 16.0, at, line);
        }
    }
    let mut out = std::io::Cursor::new(Vec::new());
    sheet.write_to(&mut out, image::ImageFormat::Png).ok()?;
    Some(out.into_inner())
}

/// Writes a line whose base stands at a place. Letters that the font lacks are left out.
fn write(sheet: &mut RgbaImage, font: &FontRef<'_>, size: f32, [x, y]: [u32; 2], text: &str) {
    let scaled = font.as_scaled(PxScale::from(size));
    let mut at = x as f32;
    // The space inside a number is written as a narrow gap.
    for letter in text.chars() {
        if letter == '\u{a0}' {
            at += size * 0.12;
            continue;
        }
        let id = scaled.glyph_id(letter);
        let glyph = id.with_scale_and_position(size, point(at, y as f32));
        at += scaled.h_advance(id);
        let Some(outline) = font.outline_glyph(glyph) else {
            continue;
        };
        let bounds = outline.px_bounds();
        outline.draw(|dx, dy, cover| {
            let px = bounds.min.x as i64 + i64::from(dx);
            let py = bounds.min.y as i64 + i64::from(dy);
            let inside = (0..i64::from(sheet.width())).contains(&px)
                && (0..i64::from(sheet.height())).contains(&py);
            if inside {
                let pixel = sheet.get_pixel_mut(px as u32, py as u32);
                for k in 0..3 {
                    let (ground, ink) = (f32::from(pixel[k]), f32::from(INK[k]));
                    pixel[k] = (ground + (ink - ground) * cover.min(1.0)) as u8;
                }
            }
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sheet_has_a_cell_for_each_tier_and_letters_in_it() {
        let cell = |title: &str| Cell {
            title: title.to_owned(),
            lines: vec![
                "1\u{a0}204 of 3\u{a0}000 triangles".to_owned(),
                "Passes.".to_owned(),
            ],
            picture: Vec::new(),
        };
        let cells = ["Source", "LOD0", "LOD1", "LOD2"].map(cell);
        let png = contact_sheet("Fog bell", &cells).unwrap();
        let picture = image::load_from_memory(&png).unwrap().to_rgb8();
        assert_eq!(picture.width(), 4 * (CELL + MARGIN) + MARGIN);
        let dark = |p: &&image::Rgb<u8>| p.0.iter().all(|&v| v < 0x50);
        assert!(picture.pixels().filter(dark).count() > 500);
        assert_eq!(
            picture
                .pixels()
                .filter(|p| p.0 == [0xB9, 0xBC, 0xB8])
                .count() as u32,
            4 * CELL * PICTURE
        );
    }
}
