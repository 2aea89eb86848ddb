//! What the parcel will hold, file by file, before anything is handed over.

use askama::Template;
use axum::{extract::State, response::Html};

use super::{
    kept::{figures, texture_words},
    single::trial,
};
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
    of: String,
    bytes: String,
}

struct TierRow {
    name: String,
    figures: String,
    verdict: String,
    class: &'static str,
    textures: Vec<String>,
}

#[derive(Template)]
#[template(path = "parcel_files.html")]
struct FilesView {
    tiers: Vec<TierRow>,
    files: Vec<FileRow>,
    checks: Vec<(String, String, bool)>,
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
    let source = app.store.source_files(id).await?;
    let source: u64 = source.iter().map(|f| f.bytes).sum();
    let parcel = trial(&app, &asset, brief.clone(), &chain).await?;
    let all: u64 = parcel.files.iter().map(|f| f.bytes.len() as u64).sum();
    let before = asset
        .inspection
        .as_ref()
        .map_or((0, 0), |i| (i.materials.len(), i.triangles));
    let first = parcel.tiers.first();
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
    let tiers = parcel.tiers.iter().zip(&chain).map(|(held, t)| {
        let judgement = judged::judge(&brief, &asset, t.tier as usize, &t.candidate);
        let (word, _, class) =
            crate::chain::standing_of(&t.candidate, judgement.map(|j| j.standing));
        TierRow {
            name: format!("LOD{}", t.tier),
            figures: figures(held),
            verdict: word.to_owned(),
            class,
            textures: held.textures.iter().map(texture_words).collect(),
        }
    });
    let view = FilesView {
        tiers: tiers.collect(),
        files: parcel
            .files
            .iter()
            .map(|f| FileRow {
                name: f.name.clone(),
                of: f.of.clone(),
                bytes: words::bytes(f.bytes.len() as u64),
            })
            .collect(),
        checks: parcel
            .checks
            .into_iter()
            .map(|c| (c.what, c.says, c.passes))
            .collect(),
        beside,
    };
    Ok(Html(view.render()?))
}
