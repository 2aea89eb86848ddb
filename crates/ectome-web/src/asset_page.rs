//! One asset: the Rule, the stage, the steps.

use askama::Template;
use axum::{
    Form,
    extract::{Path, Query, State},
    http::HeaderMap,
    response::{Html, IntoResponse, Redirect, Response},
};
use ectome_recipe::{Brief, Inspection, Verdict, chain::halved};
use ectome_store::{
    asset::{Asset, AssetState, SourceFile},
    brief::BriefRow,
    candidate::{Candidate, CandidateState, ChainTier},
    work::Work,
};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::{
    app::App,
    events::{LOOKED_AT, fingerprint},
    failure::Failure,
    statics::VERSION,
    words,
};

/// How many tiers one action makes.
const TIERS: usize = 3;

/// The steps in order: address and name.
const STEPS: [(&str, &str); 5] = [
    ("intake", "Intake"),
    ("parts", "Parts"),
    ("cut", "Cut"),
    ("chain", "Chain"),
    ("parcel", "Parcel"),
];

/// What the address says beyond the path.
#[derive(Deserialize)]
pub struct Shown {
    /// The number of the candidate on the stage.
    show: Option<u32>,
}

struct Tab {
    number: usize,
    address: &'static str,
    name: &'static str,
    says: String,
    class: &'static str,
    here: bool,
}

struct PartLine {
    name: String,
    triangles: String,
    materials: String,
    /// Width of the bar out of 1000.
    share: u64,
    percent: String,
}

struct TrayLine {
    number: u32,
    target: String,
    triangles: String,
    deviation: String,
    state: &'static str,
    fault: String,
    shown: bool,
    tier: Option<u32>,
}

struct TierLine {
    tier: u32,
    limit: String,
    triangles: String,
    margin: String,
    deviation: String,
    switch: String,
    word: &'static str,
    icon: &'static str,
    class: &'static str,
    number: u32,
    ready: bool,
    fault: String,
    size_hint: String,
}

struct FileLine {
    name: String,
    size: String,
}

struct BriefLine {
    id: u64,
    name: String,
    chosen: bool,
}

struct Finding {
    text: String,
    class: &'static str,
}

/// Everything a step's column may show.
struct View {
    id: u64,
    name: String,
    step: &'static str,
    ready: bool,
    fault: Option<String>,
    brief_name: String,
    brief_limits: String,
    briefs: Vec<BriefLine>,
    tabs: Vec<Tab>,
    parts: Vec<PartLine>,
    part_count: usize,
    materials: Vec<String>,
    tray: Vec<TrayLine>,
    tiers: Vec<TierLine>,
    chain_complete: bool,
    chain_verdict: String,
    chain_class: &'static str,
    suggested: u32,
    suggested_chain: String,
    files: Vec<FileLine>,
    facts: Vec<(String, String)>,
    findings: Vec<Finding>,
    result: Option<String>,
    gave_way: Vec<String>,
    counts_all: String,
    counts_candidate: String,
    source_label: String,
    candidate_label: String,
    data: String,
}

#[derive(Template)]
#[template(path = "asset.html")]
struct Page {
    version: &'static str,
    view: View,
    doing: String,
    busy: usize,
    seen: String,
}

#[derive(Template)]
#[template(path = "asset_panel.html")]
struct Panel {
    view: View,
}

/// `GET /assets/{id}`
pub async fn default_step(Path(id): Path<u64>) -> Redirect {
    Redirect::to(&format!("/assets/{id}/cut"))
}

/// `GET /assets/{id}/{step}`
pub async fn page(
    State(app): State<App>,
    Path((id, step)): Path<(u64, String)>,
    Query(shown): Query<Shown>,
) -> Result<Html<String>, Failure> {
    // First the work, then what it made: what is done in between is told by the events.
    let work = app.store.latest_work(LOOKED_AT).await?;
    let view = view(&app, id, &step, shown.show).await?;
    let page = Page {
        seen: fingerprint(&work, Some(id)),
        version: *VERSION,
        busy: work.iter().filter(|w| !w.state.is_over()).count(),
        doing: doing(&work, id)?,
        view,
    };
    Ok(Html(page.render()?))
}

/// `GET /assets/{id}/{step}/panel`
pub async fn panel(
    State(app): State<App>,
    Path((id, step)): Path<(u64, String)>,
    Query(shown): Query<Shown>,
) -> Result<Html<String>, Failure> {
    let view = view(&app, id, &step, shown.show).await?;
    Ok(Html(Panel { view }.render()?))
}

#[derive(Template)]
#[template(path = "doing.html")]
struct Doing<'a> {
    lines: Vec<DoingLine<'a>>,
}

struct DoingLine<'a> {
    id: u64,
    title: String,
    stage: &'a str,
    percent: u32,
}

/// The work of one asset that is under way, as a partial.
pub fn doing(work: &[Work], asset: u64) -> Result<String, Failure> {
    let lines = work
        .iter()
        .rev()
        .filter(|w| w.asset == asset && !w.state.is_over())
        .map(|w| DoingLine {
            id: w.id,
            title: match w.target {
                Some(n) => format!("Cutting to {}", words::grouped(n)),
                None => "Intake".to_owned(),
            },
            stage: if w.stage.is_empty() {
                "Waiting its turn"
            } else {
                &w.stage
            },
            percent: (w.fraction * 100.0) as u32,
        })
        .collect();
    Ok(Doing { lines }.render()?)
}

/// What the Cut form sends.
#[derive(Deserialize)]
pub struct CutForm {
    triangles: String,
}

/// `POST /assets/{id}/cuts`
pub async fn cut(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Form(form): Form<CutForm>,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let target = target(&form.triangles, &asset)?;
    let hash = app.store.ask_for_cut(&asset, target).await?;
    let tray = app.store.tray(id).await?;
    let number = tray.iter().find(|c| c.hash == hash).map(|c| c.number);
    Ok(back(&headers, id, "cut", number))
}

/// `POST /assets/{id}/chains`
pub async fn chain(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Form(form): Form<CutForm>,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let first = target(&form.triangles, &asset)?;
    app.store
        .ask_for_chain(&asset, &halved(first, TIERS))
        .await?;
    let number = app
        .store
        .chain(id)
        .await?
        .first()
        .map(|t| t.candidate.number);
    Ok(back(&headers, id, "chain", number))
}

/// What the brief form sends.
#[derive(Deserialize)]
pub struct BriefForm {
    brief: u64,
}

/// `POST /assets/{id}/brief`
pub async fn brief(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    Form(form): Form<BriefForm>,
) -> Result<Response, Failure> {
    app.store.asset(id).await?;
    if !app.store.briefs().await?.iter().any(|b| b.id == form.brief) {
        return Err(Failure::bad(
            "That brief does not exist any more. Choose another.",
        ));
    }
    app.store.set_brief(id, form.brief).await?;
    Ok(back(&headers, id, "chain", None))
}

/// `POST /assets/{id}/remove`
pub async fn remove(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.asset(id).await?;
    app.store.remove_asset(id).await?;
    Ok(Redirect::to("/"))
}

async fn ready_asset(app: &App, id: u64) -> Result<Asset, Failure> {
    let asset = app.store.asset(id).await?;
    match asset.state() {
        AssetState::Ready => Ok(asset),
        AssetState::Arriving => Err(Failure::bad(format!(
            "The intake of {} is not finished. Cut it when its triangles are counted.",
            asset.name
        ))),
        AssetState::Failed => Err(Failure::bad(format!(
            "{} could not be read, so there is nothing to cut. Drop a repaired file on the shelf.",
            asset.name
        ))),
    }
}

/// A typed target; groups may be set apart by spaces or thin spaces.
fn target(text: &str, asset: &Asset) -> Result<u32, Failure> {
    let digits: String = text.chars().filter(|c| !c.is_whitespace()).collect();
    let source = asset.inspection.as_ref().map_or(0, |i| i.triangles);
    let n: u32 = digits.parse().map_err(|_| {
        Failure::bad(format!(
            "“{text}” is no count of triangles. Type a whole number, such as 6000."
        ))
    })?;
    if n < 4 {
        return Err(Failure::bad(format!(
            "{n} triangles leave no surface. Ask for at least 4."
        )));
    }
    if n as usize >= source {
        return Err(Failure::bad(format!(
            "{} has {} triangles already. Ask for fewer than that.",
            asset.name,
            words::grouped(source as u64)
        )));
    }
    Ok(n)
}

/// Back to a step: as a redirect for forms, as htmx's own for htmx.
fn back(headers: &HeaderMap, id: u64, step: &str, show: Option<u32>) -> Response {
    let show = show.map_or_else(String::new, |n| format!("?show={n}"));
    let address = format!("/assets/{id}/{step}{show}");
    if headers.contains_key("hx-request") {
        [("hx-redirect", address)].into_response()
    } else {
        Redirect::to(&address).into_response()
    }
}

async fn view(app: &App, id: u64, step: &str, show: Option<u32>) -> Result<View, Failure> {
    let Some(&(step, _)) = STEPS.iter().find(|(address, _)| *address == step) else {
        return Err(Failure::new(
            axum::http::StatusCode::NOT_FOUND,
            format!("An asset has no step named {step}."),
        ));
    };
    let asset = app.store.asset(id).await?;
    let briefs = app.store.briefs().await?;
    let tray = app.store.tray(id).await?;
    let chain = app.store.chain(id).await?;
    let files = app.store.source_files(id).await?;
    build(asset, &briefs, &tray, &chain, &files, step, show)
}

fn build(
    asset: Asset,
    briefs: &[BriefRow],
    tray: &[Candidate],
    chain: &[ChainTier],
    files: &[SourceFile],
    step: &'static str,
    show: Option<u32>,
) -> Result<View, Failure> {
    let brief = briefs
        .iter()
        .find(|b| b.id == asset.brief)
        .map(|b| b.brief.clone())
        .ok_or_else(|| Failure::bad("This asset's brief is gone. Choose another one."))?;
    let is_ready = |c: &&Candidate| c.state == CandidateState::Ready;
    let shown = show
        .and_then(|n| tray.iter().find(|c| c.number == n))
        .filter(is_ready)
        .or_else(|| tray.iter().filter(is_ready).next_back());
    let empty = Inspection::default();
    let inspection = asset.inspection.as_ref().unwrap_or(&empty);
    let source = inspection.triangles as u64;
    let ready = asset.state() == AssetState::Ready;

    let tiers: Vec<TierLine> = chain.iter().map(|t| tier_line(t, &brief)).collect();
    let chain_complete = !tiers.is_empty() && tiers.iter().all(|t| t.ready);
    let over = tiers.iter().filter(|t| t.class == "is-over").count();
    let (chain_verdict, chain_class) = match (tiers.len(), chain_complete, over) {
        (0, ..) => (String::new(), ""),
        (_, false, _) => ("in work".to_owned(), "is-quiet"),
        (n, true, 0) => (format!("LOD0–{} pass", n - 1), "is-pass"),
        (n, true, over) => (format!("{over} of {n} over"), "is-over"),
    };
    let first_limit = brief.tiers.first().map_or(1000, |t| t.triangles);
    let suggested = shown
        .map(|c| c.target as u32)
        .unwrap_or(first_limit)
        .min(source.saturating_sub(1).max(4) as u32);
    let suggested_chain_first = chain.first().map_or(first_limit, |t| t.limit as u32);
    let findings = findings(inspection);
    let tabs = tabs(
        step,
        inspection,
        &findings,
        shown,
        &chain_verdict,
        chain_class,
        ready,
    );

    Ok(View {
        id: asset.id,
        step,
        ready,
        brief_name: brief.name.clone(),
        brief_limits: brief
            .tiers
            .iter()
            .map(|t| words::grouped(t.triangles))
            .collect::<Vec<_>>()
            .join(", "),
        briefs: briefs
            .iter()
            .map(|b| BriefLine {
                id: b.id,
                name: b.brief.name.clone(),
                chosen: b.id == asset.brief,
            })
            .collect(),
        tabs,
        parts: part_lines(inspection),
        part_count: inspection.objects.len(),
        materials: inspection.materials.clone(),
        tray: tray
            .iter()
            .rev()
            .map(|c| tray_line(c, shown, chain))
            .collect(),
        chain_complete,
        chain_verdict,
        chain_class,
        suggested,
        suggested_chain: suggested_chain_first.to_string(),
        files: files
            .iter()
            .map(|f| FileLine {
                name: f.name.clone(),
                size: words::bytes(f.bytes),
            })
            .collect(),
        facts: facts(inspection),
        findings,
        result: shown.and_then(|c| result_sentence(c, source)),
        gave_way: shown
            .and_then(|c| c.report.as_ref())
            .map(|r| r.held_by.clone())
            .unwrap_or_default(),
        counts_all: format!(
            "{} triangles|{} vertices|{} objects|{} materials",
            words::grouped(source),
            words::grouped(inspection.vertices as u64),
            words::grouped(inspection.objects.len() as u64),
            words::grouped(inspection.materials.len() as u64),
        ),
        counts_candidate: shown.map_or_else(String::new, |c| {
            format!(
                "{} triangles|{} vertices",
                words::grouped(c.triangles.unwrap_or(0)),
                words::grouped(c.vertices.unwrap_or(0)),
            )
        }),
        source_label: words::grouped(source),
        candidate_label: shown.map_or_else(String::new, |c| {
            format!("{}|{}", c.number, words::grouped(c.triangles.unwrap_or(0)))
        }),
        data: data(&asset, &brief, tray, chain, shown, suggested).to_string(),
        fault: asset.fault,
        name: asset.name,
        tiers,
    })
}

/// What the Rule and the stage draw.
fn data(
    asset: &Asset,
    brief: &Brief,
    tray: &[Candidate],
    chain: &[ChainTier],
    shown: Option<&Candidate>,
    suggested: u32,
) -> Value {
    let tier_of = |c: &Candidate| {
        chain
            .iter()
            .find(|t| t.candidate.hash == c.hash)
            .map(|t| t.tier)
    };
    let limits: Vec<Value> = if chain.is_empty() {
        brief
            .tiers
            .iter()
            .enumerate()
            .map(|(i, t)| json!({ "tier": i, "triangles": t.triangles }))
            .collect()
    } else {
        brief
            .tiers
            .iter()
            .enumerate()
            .map(|(i, t)| {
                let made = chain.iter().find(|c| c.tier as usize == i);
                let over = made
                    .and_then(|c| c.candidate.triangles)
                    .is_some_and(|n| n > u64::from(t.triangles));
                json!({ "tier": i, "triangles": t.triangles, "over": over })
            })
            .collect()
    };
    json!({
        "asset": asset.id,
        "source": asset.inspection.as_ref().map(|i| i.triangles),
        "sourceMesh": asset.stage,
        "bounds": asset.inspection.as_ref().map(|i| i.bounds_m),
        "gates": limits,
        "pixelAtOneMetreMm": brief.pixel_m(1.0) * 1e3,
        "nearest": brief.tiers.first().map_or(1.0, |t| t.nearest_m),
        "target": suggested,
        "shown": shown.map(|c| c.number),
        "candidates": tray.iter().filter(|c| c.state == CandidateState::Ready).map(|c| json!({
            "number": c.number,
            "triangles": c.triangles,
            "mesh": c.mesh,
            "tier": tier_of(c),
            "deviationMm": c.report.as_ref().map(|r| r.deviation_max_mm),
        })).collect::<Vec<_>>(),
    })
}

fn tier_line(t: &ChainTier, brief: &Brief) -> TierLine {
    let c = &t.candidate;
    let ready = c.state == CandidateState::Ready;
    let triangles = c.triangles.unwrap_or(0);
    // The gate is the brief's; a chain may have been made for other limits.
    let limit = brief
        .tiers
        .get(t.tier as usize)
        .map_or(t.limit, |b| u64::from(b.triangles));
    let verdict = Verdict::of(triangles as usize, limit as usize);
    let (word, icon, class) = if ready {
        words::standing(verdict.standing)
    } else if c.state == CandidateState::Failed {
        ("Could not be made", "cross", "is-over")
    } else {
        ("In work", "wait", "is-quiet")
    };
    let deviation = c.report.as_ref().map_or(0.0, |r| r.deviation_max_mm);
    TierLine {
        tier: t.tier,
        limit: words::grouped(limit),
        triangles: words::grouped(triangles),
        margin: if ready {
            let n = (triangles as i64 - limit as i64).unsigned_abs();
            let side = if triangles > limit {
                "over"
            } else {
                "to spare"
            };
            format!("{} {side}", words::grouped(n))
        } else {
            String::new()
        },
        deviation: words::length(deviation),
        switch: words::distance(brief.switch_distance_m(deviation / 1e3)),
        word,
        icon,
        class,
        number: c.number,
        ready,
        fault: c.fault.clone().unwrap_or_default(),
        size_hint: words::grouped(t.limit),
    }
}

fn tray_line(c: &Candidate, shown: Option<&Candidate>, chain: &[ChainTier]) -> TrayLine {
    TrayLine {
        number: c.number,
        target: words::grouped(c.target),
        triangles: c.triangles.map_or_else(|| "…".to_owned(), words::grouped),
        deviation: c
            .report
            .as_ref()
            .map_or_else(String::new, |r| words::length(r.deviation_max_mm)),
        state: match c.state {
            CandidateState::Ready => "ready",
            CandidateState::Waiting => "waiting",
            CandidateState::Failed => "failed",
        },
        fault: c.fault.clone().unwrap_or_default(),
        shown: shown.is_some_and(|s| s.hash == c.hash),
        tier: chain
            .iter()
            .find(|t| t.candidate.hash == c.hash)
            .map(|t| t.tier),
    }
}

fn part_lines(inspection: &Inspection) -> Vec<PartLine> {
    let total = inspection.triangles.max(1) as u64;
    let largest = inspection
        .objects
        .iter()
        .map(|o| o.triangles as u64)
        .max()
        .unwrap_or(1)
        .max(1);
    let mut lines: Vec<(u64, PartLine)> = inspection
        .objects
        .iter()
        .map(|o| {
            let n = o.triangles as u64;
            let line = PartLine {
                name: o.name.clone(),
                triangles: words::grouped(n),
                materials: o.materials.join(", "),
                share: (n * 1000).div_ceil(largest),
                percent: format!("{:.1} %", n as f64 * 100.0 / total as f64),
            };
            (n, line)
        })
        .collect();
    lines.sort_by_key(|(n, _)| std::cmp::Reverse(*n));
    lines.into_iter().map(|(_, line)| line).collect()
}

fn result_sentence(c: &Candidate, source: u64) -> Option<String> {
    let r = c.report.as_ref()?;
    Some(format!(
        "{} of {}. Largest deviation {}, mean {}. Cut in {}.",
        words::grouped(c.triangles?),
        words::grouped(source),
        words::length(r.deviation_max_mm),
        words::length(r.deviation_mean_mm),
        words::seconds(r.seconds_analysis),
    ))
}

fn facts(i: &Inspection) -> Vec<(String, String)> {
    let size: Vec<String> = (0..3)
        .map(|k| format!("{:.2}", i.bounds_m[1][k] - i.bounds_m[0][k]))
        .collect();
    let g = |n: usize| words::grouped(n as u64);
    let mut facts = vec![
        ("Triangles".to_owned(), g(i.triangles)),
        (
            "Quads, n-gons".to_owned(),
            format!("{}, {}", g(i.quads), g(i.ngons)),
        ),
        (
            "Vertices at points".to_owned(),
            format!("{} at {}", g(i.vertices), g(i.points)),
        ),
        (
            "Objects, pieces".to_owned(),
            format!("{}, {}", g(i.objects.len()), g(i.components)),
        ),
        (
            "UV sets, islands".to_owned(),
            format!("{}, {}", i.uv_sets, g(i.uv_islands)),
        ),
        ("Size".to_owned(), format!("{} m", size.join(" × "))),
    ];
    for t in &i.textures {
        let name = if t.name.is_empty() {
            "texture"
        } else {
            &t.name
        };
        facts.push((name.to_owned(), format!("{} × {}", t.width, t.height)));
    }
    facts
}

fn findings(i: &Inspection) -> Vec<Finding> {
    let g = |n: usize| words::grouped(n as u64);
    let mut list = Vec::new();
    let mut add = |n: usize, text: String| {
        if n > 0 {
            list.push(Finding {
                text,
                class: "is-tight",
            });
        }
    };
    add(
        i.nonmanifold_edges,
        format!(
            "{} non-manifold edges. A cut keeps them as they are.",
            g(i.nonmanifold_edges)
        ),
    );
    add(
        i.open_edges,
        format!(
            "{} open edges in {} borders. A cut keeps their outline.",
            g(i.open_edges),
            g(i.open_loops)
        ),
    );
    add(
        i.inconsistent_edges,
        format!(
            "{} edges whose faces are wound against each other.",
            g(i.inconsistent_edges)
        ),
    );
    add(
        i.degenerate_faces,
        format!("{} faces without area.", g(i.degenerate_faces)),
    );
    add(
        i.duplicate_faces,
        format!("{} faces that occur twice.", g(i.duplicate_faces)),
    );
    add(
        i.ngons,
        format!(
            "{} n-gons. They are split into triangles before a cut.",
            g(i.ngons)
        ),
    );
    if i.triangles > 0 && i.uv_sets == 0 {
        add(1, "No UVs. A texture cannot be carried over.".to_owned());
    }
    add(
        i.uv_out_of_range_triangles,
        format!(
            "{} triangles with UVs outside the texture.",
            g(i.uv_out_of_range_triangles)
        ),
    );
    for note in &i.notes {
        add(1, note.clone());
    }
    list
}

fn tabs(
    step: &str,
    inspection: &Inspection,
    findings: &[Finding],
    shown: Option<&Candidate>,
    chain_verdict: &str,
    chain_class: &'static str,
    ready: bool,
) -> Vec<Tab> {
    STEPS
        .iter()
        .enumerate()
        .map(|(i, &(address, name))| {
            let (says, class) = match address {
                "intake" if !ready => ("in work".to_owned(), "is-quiet"),
                "intake" if findings.is_empty() => ("clean".to_owned(), "is-quiet"),
                "intake" => (format!("{} findings", findings.len()), "is-tight"),
                "parts" => (words::grouped(inspection.objects.len() as u64), "is-quiet"),
                "cut" => (
                    shown.map_or_else(
                        || "none yet".to_owned(),
                        |c| words::grouped(c.triangles.unwrap_or(0)),
                    ),
                    if shown.is_some() {
                        "is-kelp"
                    } else {
                        "is-quiet"
                    },
                ),
                "chain" if chain_verdict.is_empty() => ("none yet".to_owned(), "is-quiet"),
                "chain" => (chain_verdict.to_owned(), chain_class),
                _ if chain_class == "is-pass" => ("ready".to_owned(), "is-pass"),
                _ => ("waits for a chain".to_owned(), "is-quiet"),
            };
            Tab {
                number: i + 1,
                address,
                name,
                says,
                class,
                here: address == step,
            }
        })
        .collect()
}
