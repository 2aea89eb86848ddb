//! The Assets page: what there is.

use askama::Template;
use axum::{extract::State, response::Html};
use ectome_store::{
    asset::{Asset, AssetState, PassOn},
    candidate::CandidateState,
    chain::ChainTier,
    work::{State as WorkState, Work},
};

use crate::{
    chain::standing_of,
    events::{busy_words, fingerprint},
    failure::Failure,
    feed::LOOKED_AT,
    judged, outages,
    state::App,
    static_files::VERSION,
    words,
};

/// A tier on a card.
struct TierChip {
    number: u32,
    triangles: String,
    word: &'static str,
    class: &'static str,
}

/// An asset as the page lists it.
struct Card {
    id: u64,
    name: String,
    picture: Option<String>,
    triangles: Option<String>,
    objects: usize,
    brief: String,
    arriving: Option<Arriving>,
    fault: Option<String>,
    forbidden: bool,
    tiers: Vec<TierChip>,
    waiting: usize,
}

/// Intake in progress.
struct Arriving {
    percent: u32,
    stage: String,
}

#[derive(Template)]
#[template(path = "assets.html")]
struct Page {
    version: &'static str,
    cards: Vec<Card>,
    busy: String,
    full: Option<String>,
    limit: String,
    seen: String,
}

#[derive(Template)]
#[template(path = "asset_cards.html")]
struct Cards {
    cards: Vec<Card>,
    full: Option<String>,
}

/// `GET /`
pub async fn page(State(app): State<App>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let page = Page {
        version: *VERSION,
        cards: all_cards(&app, &work).await?,
        full: outages::waiting(&app.store),
        busy: busy_words(&work, app.store.disk.is_low()),
        limit: words::bytes(app.upload_limit),
        seen: fingerprint(&work, None),
    };
    Ok(Html(page.render()?))
}

/// `GET /cards`
pub async fn cards(State(app): State<App>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let cards = Cards {
        cards: all_cards(&app, &work).await?,
        full: outages::waiting(&app.store),
    };
    Ok(Html(cards.render()?))
}

async fn all_cards(app: &App, work: &[Work]) -> Result<Vec<Card>, Failure> {
    let briefs = app.store.briefs().await?;
    let mut cards = Vec::new();
    for asset in app.store.assets().await? {
        let chain = app.store.chain(asset.id).await?;
        let brief = briefs.iter().find(|b| b.id == asset.brief);
        let standing = |t: &ChainTier| {
            let j = judged::judge(&brief?.brief, &asset, t.tier as usize, &t.candidate)?;
            Some(j.standing)
        };
        let tiers = chain
            .iter()
            .filter(|t| t.candidate.state != CandidateState::Waiting)
            .map(|t| {
                let (word, _, class) = standing_of(&t.candidate, standing(t));
                TierChip {
                    number: t.tier,
                    triangles: t
                        .candidate
                        .triangles
                        .map_or_else(String::new, words::grouped),
                    word,
                    class,
                }
            })
            .collect();
        cards.push(Card {
            id: asset.id,
            picture: asset.picture.clone(),
            triangles: asset
                .inspection
                .as_ref()
                .map(|i| words::grouped(i.triangles as u64)),
            objects: asset.inspection.as_ref().map_or(0, |i| i.objects.len()),
            brief: brief.map_or_else(String::new, |b| b.brief.name.clone()),
            arriving: arriving(&asset, work),
            fault: asset.fault.clone(),
            forbidden: asset.provenance.may_pass_on == PassOn::No,
            waiting: chain
                .iter()
                .filter(|t| t.candidate.state == CandidateState::Waiting)
                .count(),
            tiers,
            name: asset.name,
        });
    }
    Ok(cards)
}

fn arriving(asset: &Asset, work: &[Work]) -> Option<Arriving> {
    if asset.state() != AssetState::Arriving {
        return None;
    }
    let work = work
        .iter()
        .find(|w| w.asset == asset.id && w.state == WorkState::Running);
    Some(Arriving {
        percent: work.map_or(0, |w| (w.fraction * 100.0) as u32),
        stage: work.map_or_else(|| "Waiting its turn".to_owned(), |w| w.stage.clone()),
    })
}
