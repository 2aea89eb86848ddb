//! The Assets page: what there is, found by name, brief and tag, a stretch at a time.

use askama::Template;
use axum::{extract::State, response::Html};
use ectome_store::{
    asset::{Asset, AssetState, PassOn},
    candidate::CandidateState,
    chain::ChainTier,
    finding::{AssetsWanted, Order},
    work::{State as WorkState, Work},
};

use serde::Deserialize;

use crate::{
    chain::standing_of,
    events::{busy_words, fingerprint},
    extract::Query,
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
    tags: Vec<String>,
    tiers: Vec<TierChip>,
    waiting: usize,
}

/// Intake in progress.
struct Arriving {
    percent: u32,
    stage: String,
}

/// What stands behind the question mark.
#[derive(Clone, Default, Deserialize)]
#[serde(default)]
pub struct Search {
    find: String,
    tag: String,
    order: String,
    from: u32,
}

/// Cards of a page.
const ON_A_PAGE: u32 = 60;

impl Search {
    fn wanted(&self) -> AssetsWanted {
        AssetsWanted {
            search: self.find.clone(),
            tag: self.tag.clone(),
            order: Order::of(&self.order),
            most: ON_A_PAGE,
            from: self.from,
        }
    }

    /// The same from another place on, as the end of an address.
    fn address(&self, from: u32) -> String {
        let query: String = url::form_urlencoded::Serializer::new(String::new())
            .append_pair("find", &self.find)
            .append_pair("tag", &self.tag)
            .append_pair("order", &self.order)
            .append_pair("from", &from.to_string())
            .finish();
        format!("?{query}")
    }
}

/// What is shown of all that was found.
struct Stretch {
    cards: Vec<Card>,
    /// How much was found, and which of it is shown, in words; empty where everything is.
    says: String,
    earlier: Option<String>,
    later: Option<String>,
    /// Nothing was looked for.
    is_all: bool,
}

#[derive(Template)]
#[template(path = "assets.html")]
struct Page {
    version: &'static str,
    stretch: Stretch,
    search: Search,
    tags: Vec<(String, u64)>,
    briefs: Vec<(u64, String)>,
    plans: Vec<(u64, String)>,
    /// The address of the cards as they are.
    here: String,
    busy: String,
    full: Option<String>,
    limit: String,
    seen: String,
}

#[derive(Template)]
#[template(path = "asset_cards.html")]
struct Cards {
    stretch: Stretch,
    full: Option<String>,
}

/// `GET /`
pub async fn page(
    State(app): State<App>,
    Query(search): Query<Search>,
) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let briefs = app.store.briefs().await?;
    let plans = app.store.saved_plans().await?;
    let page = Page {
        version: *VERSION,
        stretch: stretch(&app, &work, &search).await?,
        here: format!("/cards{}", search.address(search.from)),
        tags: app.store.tags().await?,
        briefs: briefs.into_iter().map(|b| (b.id, b.brief.name)).collect(),
        plans: plans.into_iter().map(|p| (p.id, p.name)).collect(),
        search,
        full: outages::waiting(&app.store),
        busy: busy_words(&work, app.store.disk.is_low()),
        limit: words::bytes(app.upload_limit),
        seen: fingerprint(&work, None),
    };
    Ok(Html(page.render()?))
}

/// `GET /cards`
pub async fn cards(
    State(app): State<App>,
    Query(search): Query<Search>,
) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let cards = Cards {
        stretch: stretch(&app, &work, &search).await?,
        full: outages::waiting(&app.store),
    };
    Ok(Html(cards.render()?))
}

async fn stretch(app: &App, work: &[Work], search: &Search) -> Result<Stretch, Failure> {
    let (assets, all) = app.store.found_assets(&search.wanted()).await?;
    let (first, last) = (search.from, search.from + assets.len() as u32);
    let is_all = search.find.trim().is_empty() && search.tag.is_empty();
    let says = match (is_all, all == assets.len() as u64) {
        (true, true) => String::new(),
        (false, true) => format!("{} found.", words::counted(all, "asset")),
        _ => format!(
            "{} to {last} of {}.",
            first + 1,
            words::counted(all, "asset")
        ),
    };
    Ok(Stretch {
        says,
        earlier: (first > 0).then(|| search.address(first.saturating_sub(ON_A_PAGE))),
        later: (u64::from(last) < all).then(|| search.address(last)),
        is_all,
        cards: cards_of(app, work, assets).await?,
    })
}

async fn cards_of(app: &App, work: &[Work], assets: Vec<Asset>) -> Result<Vec<Card>, Failure> {
    let briefs = app.store.briefs().await?;
    let ids: Vec<u64> = assets.iter().map(|a| a.id).collect();
    let tags = app.store.tags_of(&ids).await?;
    let mut chains = app.store.chains_of(&ids).await?;
    let mut cards = Vec::new();
    for asset in assets {
        let chain = chains.remove(&asset.id).unwrap_or_default();
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
            tags: tags
                .iter()
                .filter(|(id, _)| *id == asset.id)
                .map(|(_, tag)| tag.clone())
                .collect(),
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
