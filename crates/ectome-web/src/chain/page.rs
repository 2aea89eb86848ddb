//! What the Chain step does: fills tiers, cuts one anew, locks it, gives it another candidate.

use axum::{extract::State, http::HeaderMap, response::Response};
use ectome_recipe::{
    Brief, Tier, chain,
    far_end::{MadeAs, StandIn},
};
use ectome_store::{asset::Asset, candidate::CandidateState, chain::Fill};

use crate::{
    extract::Path,
    failure::Failure,
    fields::Fields,
    reply::{back, brief_of, ready_asset, target},
    state::App,
};

/// `POST /assets/{id}/chains`: fills every tier that is not locked, by `by` = `brief` (its limits), `ratio` (from
/// `triangles`, each `ratio_percent` of the one before, `tiers` in all) or `error` (as few triangles as stay within
/// `pixels` at each tier's nearest distance); cut from candidate `from`, or for 0 from the source.
pub async fn fill(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let brief = brief_of(&app, &asset).await?;
    let fills = match f.text("by") {
        "brief" => Fill::of_brief(&brief, asset.height_m()),
        "error" => {
            let pixels = f.number("pixels", "The permitted error in pixels", 0.05, 100.0)?;
            within(&app, &asset, &brief, pixels).await?
        }
        _ => {
            let first = target(f.text("triangles"), &asset)?;
            let ratio = if f.ticked("ratio_percent") {
                f.number("ratio_percent", "A ratio in percent", 5.0, 95.0)?
            } else {
                50.0
            };
            let tiers = if f.ticked("tiers") {
                f.number("tiers", "The number of tiers", 1.0, 8.0)? as usize
            } else {
                brief.tiers.len()
            };
            let limits = chain::by_ratio(first, ratio / 100.0, tiers);
            limits.into_iter().map(Fill::to).collect::<Vec<_>>()
        }
    };
    let tray = app.store.tray(id).await?;
    let from = match f.text("from") {
        "" | "0" => None,
        number => Some(
            tray.iter()
                .find(|c| c.number.to_string() == number && c.state == CandidateState::Ready)
                .ok_or_else(|| {
                    Failure::bad("The candidate to cut from is not there. Choose one that is made.")
                })?,
        ),
    };
    app.store.ask_for_chain(&asset, &fills, from).await?;
    let chain = app.store.chain(id).await?;
    Ok(back(
        &headers,
        id,
        "chain",
        chain.first().map(|t| t.candidate.number),
    ))
}

/// The tiers of a brief filled from a permitted error on the screen. What the error curve expects them to take stands
/// beside each while it waits.
async fn within(
    app: &App,
    asset: &Asset,
    brief: &Brief,
    pixels: f64,
) -> Result<Vec<Fill>, Failure> {
    let outlook = app.store.outlook(&asset.recipe(4)).await?.ok_or_else(|| {
        Failure::bad(format!(
            "{} is still being analysed. Fill its tiers by error when that is done.",
            asset.name
        ))
    })?;
    let tiers = chain::by_error(brief, asset.height_m(), &outlook.curve, pixels);
    let fill = |(p, asked): (chain::Permitted, Fill)| match asked.stand_in {
        // No cut takes its place, however much may be off.
        Some(_) => asked,
        None => Fill {
            within_mm: Some(p.deviation_m * 1e3),
            expected: p.expected,
            ..Fill::to(p.limit)
        },
    };
    let asked = Fill::of_brief(brief, asset.height_m());
    Ok(tiers.into_iter().zip(asked).map(fill).collect())
}

/// `POST /assets/{id}/tiers/{tier}`: `do` is `cut` (to `triangles`), `stand_in` (`made`: `hull`, `cards` or `card`),
/// `use` (`candidate`), `lock` or `unlock`.
pub async fn tier(
    State(app): State<App>,
    Path((id, tier)): Path<(u64, u32)>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let brief = brief_of(&app, &asset).await?;
    let chain = app.store.chain(id).await?;
    let now = chain.iter().find(|t| t.tier == tier);
    let asked = brief
        .tiers
        .get(tier as usize)
        .map(|t| u64::from(t.triangles));
    if now.is_none() && asked.is_none() {
        return Err(Failure::bad(format!(
            "There is no LOD{tier} in this chain."
        )));
    }
    let unlocked = || match now {
        Some(t) if t.locked => Err(Failure::bad(format!(
            "LOD{tier} is locked. Unlock it first."
        ))),
        _ => Ok(()),
    };
    match f.text("do") {
        "lock" => app.store.lock_tier(id, tier, true).await?,
        "unlock" => app.store.lock_tier(id, tier, false).await?,
        "use" => {
            unlocked()?;
            let number = f.numbers("candidate").first().copied();
            let tray = app.store.tray(id).await?;
            let found = tray
                .iter()
                .find(|c| Some(c.number) == number && c.state == CandidateState::Ready);
            let found = found.ok_or_else(|| {
                Failure::bad("That candidate is not there. Choose one that is made.")
            })?;
            let limit = asked.or(now.map(|t| t.limit)).unwrap_or(found.target);
            app.store.set_tier(id, tier, limit, &found.hash).await?;
        }
        "stand_in" => {
            unlocked()?;
            let made = MadeAs::of(f.text("made"));
            let limit = asked.or(now.map(|t| t.limit)).unwrap_or(0);
            let limit = u32::try_from(limit).unwrap_or(u32::MAX);
            let of_brief = brief.tiers.get(tier as usize).or(brief.tiers.last());
            let asked = of_brief.zip(made).map(|(t, made)| Tier {
                made,
                triangles: limit,
                ..t.clone()
            });
            let what = asked.and_then(|t| StandIn::for_tier(&brief, &t, asset.height_m()));
            let what = what.ok_or_else(|| {
                Failure::bad("Nothing of that kind can stand in. Choose a hull, cards or a card.")
            })?;
            let fill = Fill::with(limit, what);
            app.store.ask_for_tier(&asset, tier, fill).await?;
        }
        _ => {
            unlocked()?;
            let triangles = target(f.text("triangles"), &asset)?;
            app.store
                .ask_for_tier(&asset, tier, Fill::to(triangles))
                .await?;
        }
    }
    Ok(back(&headers, id, "chain", None))
}
