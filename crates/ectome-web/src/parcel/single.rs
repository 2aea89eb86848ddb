//! One candidate as a GLB, and a chain as its files would be: made while somebody waits, kept nowhere.

use axum::{
    extract::State,
    http::{StatusCode, header},
    response::{IntoResponse, Response},
};
use ectome_mesh::Progress;
use ectome_recipe::{
    Brief, engine,
    parcel::{self, Order, Parcel, Tier},
    sheets,
};
use ectome_store::{
    asset::Asset,
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
    parcel::{mark, notice},
    stock::StoreStock,
};

use super::blobs::GLB;
use crate::{extract::Path, failure::Failure, reply::brief_of, state::App, words};

/// `GET /assets/{id}/download/{file}`: `<stem><the brief's suffix><n>.glb` or `<stem>_<number>.glb`.
pub async fn download(
    State(app): State<App>,
    Path((id, file)): Path<(u64, String)>,
) -> Result<Response, Failure> {
    let asset = app.store.asset(id).await?;
    let stem = words::stem(&asset.name);
    let missing = || {
        Failure::new(
            StatusCode::NOT_FOUND,
            format!(
                "{} has no {file} to download. Its Parcel step lists what there is.",
                asset.name
            ),
        )
    };
    let rest = file.strip_prefix(&stem).ok_or_else(missing)?;
    let chain = app.store.chain(id).await?;
    let brief = brief_of(&app, &asset).await?;
    let wanted = rest.strip_suffix(".glb").ok_or_else(missing)?;
    let tier = wanted
        .strip_prefix(&brief.suffix)
        .and_then(|tier| tier.parse::<u32>().ok())
        .and_then(|tier| chain.iter().find(|t| t.tier == tier));
    let (candidate, mark) = match tier {
        Some(found) => (found.candidate.clone(), mark(&brief, found.tier)),
        None => {
            let number = wanted.strip_prefix('_').and_then(|n| n.parse::<u32>().ok());
            let number = number.ok_or_else(missing)?;
            let tray = app.store.tray(id).await?;
            let found = tray.into_iter().find(|c| c.number == number);
            (found.ok_or_else(missing)?, String::new())
        }
    };
    if candidate.state != CandidateState::Ready {
        return Err(missing());
    }
    let tier = tier_of(&app, &asset, &candidate, mark).await?;
    let notice = notice(&asset.provenance);
    let bytes = run_blocking(move || {
        let order = order(&stem, &brief, notice, vec![tier]);
        parcel::single(order).map_err(|e| unwritable(&stem, &e))
    })
    .await?;
    Ok(attachment(&file, GLB, bytes))
}

/// A file that a browser keeps.
pub fn attachment(name: &str, kind: &'static str, bytes: Vec<u8>) -> Response {
    (headers(name, kind), bytes).into_response()
}

/// What is said before a file that a browser keeps. Names are letters that every header takes; others stand in their own form
/// (RFC 6266, section 4.3).
pub fn headers(name: &str, kind: &'static str) -> [(header::HeaderName, String); 2] {
    let plain: String = name
        .chars()
        .map(|c| {
            if c.is_ascii() && !c.is_ascii_control() && !"\"\\".contains(c) {
                c
            } else {
                '_'
            }
        })
        .collect();
    let mut disposition = format!("attachment; filename=\"{plain}\"");
    if plain != name {
        let coded: String = name
            .bytes()
            .map(|b| match b {
                b if b.is_ascii_alphanumeric() || b"-._~".contains(&b) => char::from(b).to_string(),
                b => format!("%{b:02X}"),
            })
            .collect();
        disposition += &format!("; filename*=UTF-8''{coded}");
    }
    [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_DISPOSITION, disposition),
    ]
}

fn order<'a>(stem: &str, brief: &'a Brief, notice: Option<String>, tiers: Vec<Tier>) -> Order<'a> {
    Order {
        asset: stem.to_owned(),
        brief,
        notice,
        date: chrono::Utc::now().format("%Y-%m-%d").to_string(),
        tiers,
        maps: Vec::new(),
        high: None,
        collision: None,
        beside: None,
    }
}

/// A fault of a format, as a sentence.
fn unwritable(stem: &str, e: &ectome_recipe::EngineError) -> Failure {
    Failure::bad(format!("{stem} cannot be written: {e}."))
}

/// What a candidate is.
async fn tier_of(app: &App, asset: &Asset, c: &Candidate, mark: String) -> Result<Tier, Failure> {
    let recipe = app.store.recipe(&c.hash).await?;
    let progress = Progress::new();
    let stock = StoreStock::of(&app.store, asset.id, u64::MAX, &progress);
    run_blocking(move || {
        let sheets = sheets::count(&recipe);
        let scene = engine::scene(&recipe, &stock, &progress).map_err(|e| {
            tracing::error!(error = %e, "a candidate cannot be read back");
            Failure::new(
                StatusCode::INTERNAL_SERVER_ERROR,
                "A stored mesh is damaged. Cut it again.",
            )
        })?;
        Ok(Tier {
            scene,
            sheets,
            mark,
        })
    })
    .await
}

/// The files of a chain as a parcel would hold them.
pub async fn trial(
    app: &App,
    asset: &Asset,
    brief: Brief,
    chain: &[ChainTier],
) -> Result<Parcel, Failure> {
    let stem = words::stem(&asset.name);
    let mut tiers = Vec::new();
    for t in chain {
        tiers.push(tier_of(app, asset, &t.candidate, mark(&brief, t.tier)).await?);
    }
    let notice = notice(&asset.provenance);
    run_blocking(move || {
        let order = order(&stem, &brief, notice, tiers);
        order
            .make(&Progress::new())
            .map_err(|e| unwritable(&stem, &e))
    })
    .await
}

async fn run_blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, Failure> + Send + 'static,
) -> Result<T, Failure> {
    tokio::task::spawn_blocking(work).await.map_err(|e| {
        tracing::error!(error = %e, "work for a request failed");
        Failure::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "Ectome failed on this request. Try again.",
        )
    })?
}
