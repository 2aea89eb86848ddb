//! What the parcel will hold, file by file, before anything is handed over.

use askama::Template;
use axum::{extract::State, response::Html};

use super::page::{Written, written};
use crate::{
    extract::Path,
    failure::Failure,
    judged,
    reply::{brief_of, ready_asset},
    state::App,
    words,
};

struct FileRow {
    name: String,
    bytes: String,
}

struct TierRow {
    name: String,
    triangles: String,
    vertices: String,
    materials: String,
    draw_calls: String,
    device: String,
    verdict: String,
    class: &'static str,
    files: Vec<FileRow>,
    textures: Vec<String>,
}

#[derive(Template)]
#[template(path = "parcel_files.html")]
struct FilesView {
    tiers: Vec<TierRow>,
    /// Source beside result, in a sentence.
    beside: String,
}

/// `GET /assets/{id}/parcel/files`: every file with what it weighs and holds.
pub async fn files(State(app): State<App>, Path(id): Path<u64>) -> Result<Html<String>, Failure> {
    let asset = ready_asset(&app, id).await?;
    let brief = brief_of(&app, &asset).await?;
    let chain = app.store.chain(id).await?;
    if chain.is_empty() || !judged::is_complete(&asset, &chain) {
        return Err(Failure::bad(
            "The chain is not complete, or out of date, so its files cannot be listed. Make every tier first.",
        ));
    }
    let stem = words::stem(&asset.name);
    let source: u64 = app
        .store
        .source_files(id)
        .await?
        .iter()
        .map(|f| f.bytes)
        .sum();
    let list = written(&app, &stem, &brief, &chain, &asset).await?;
    let all: u64 = list
        .iter()
        .flat_map(|w| &w.files)
        .map(|(_, b)| b.len() as u64)
        .sum();
    let before = asset
        .inspection
        .as_ref()
        .map_or((0, 0), |i| (i.materials.len(), i.triangles));
    let first = list.first().map(|w| &w.contents);
    let beside = format!(
        "The source: {}, {} triangles, {}. The parcel: {} ({:.1} %), {} triangles and {} in its first tier.",
        words::bytes(source),
        words::grouped(before.1 as u64),
        words::counted(before.0 as u64, "material"),
        words::bytes(all),
        all as f64 * 100.0 / source.max(1) as f64,
        words::grouped(first.map_or(0, |c| c.triangles)),
        words::counted(first.map_or(0, |c| c.materials) as u64, "material"),
    );
    let tiers = list
        .into_iter()
        .zip(&chain)
        .map(|(Written { files, contents }, t)| {
            let judgement = judged::judge(&brief, &asset, t.tier as usize, &t.candidate);
            let (word, _, class) =
                crate::chain::standing_of(&t.candidate, judgement.map(|j| j.standing));
            TierRow {
                name: format!("LOD{}", t.tier),
                triangles: words::grouped(contents.triangles),
                vertices: words::grouped(contents.vertices),
                materials: words::counted(contents.materials as u64, "material"),
                draw_calls: words::counted(contents.draw_calls as u64, "draw call"),
                device: words::bytes(contents.device_bytes()),
                verdict: word.to_owned(),
                class,
                files: files
                    .iter()
                    .map(|(name, bytes)| FileRow {
                        name: name.clone(),
                        bytes: words::bytes(bytes.len() as u64),
                    })
                    .collect(),
                textures: contents
                    .textures
                    .iter()
                    .map(|t| {
                        let space = if t.is_colour { "sRGB" } else { "linear" };
                        let name = if t.name.is_empty() {
                            "unnamed"
                        } else {
                            &t.name
                        };
                        format!(
                            "{name}: {} × {}, {}, {space}, {} on the device",
                            t.width,
                            t.height,
                            t.format,
                            words::bytes(t.device_bytes)
                        )
                    })
                    .collect(),
            }
        });
    let view = FilesView {
        tiers: tiers.collect(),
        beside,
    };
    Ok(Html(view.render()?))
}
