//! What the column and the Rule of an asset page show.

use ectome_recipe::{Attention, Brief, CutSettings, Fate, Inspection, UvStep, advice};
use ectome_store::{
    analysis::Outlook,
    asset::{Asset, AssetState, SourceFile},
    brief::BriefRow,
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
};
use serde_json::{Value, json};

use crate::{
    app::App,
    chain_view::{ChainView, chain_view},
    failure::Failure,
    intake_view::{IntakeView, intake_view},
    ledger::{Ledger, ledger},
    page_json::PageJson,
    proof_view::{ProofView, proof_view},
    tray_view::{TrayLine, result_sentence, tray_lines},
    uv_view::{UvView, uv_view},
    words,
};

/// The steps in order: address and name.
const STEPS: [(&str, &str); 7] = [
    ("intake", "Intake"),
    ("parts", "Parts"),
    ("cut", "Cut"),
    ("chain", "Chain"),
    ("uvs", "UVs"),
    ("proof", "Proof"),
    ("parcel", "Parcel"),
];

pub struct Tab {
    pub number: usize,
    pub address: &'static str,
    pub name: &'static str,
    pub says: String,
    pub class: &'static str,
    pub here: bool,
}

pub struct FileLine {
    pub name: String,
    pub size: String,
}

pub struct BriefLine {
    pub id: u64,
    pub name: String,
    pub chosen: bool,
}

/// Everything a step's column may show.
pub struct View {
    pub id: u64,
    pub name: String,
    pub step: &'static str,
    pub ready: bool,
    pub fault: Option<String>,
    /// The number of the candidate that the address asks for.
    pub asked: Option<u32>,
    pub brief_id: u64,
    pub suffix: String,
    pub formats: String,
    pub brief_name: String,
    pub brief_limits: String,
    pub briefs: Vec<BriefLine>,
    pub tabs: Vec<Tab>,
    pub ledger: Ledger,
    pub intake: IntakeView,
    pub materials: Vec<String>,
    pub tray: Vec<TrayLine>,
    /// Candidates made of the source as it was before its last change.
    pub out_of_date: usize,
    pub chain: ChainView,
    pub proof: ProofView,
    pub uvs: UvView,
    pub suggested: u32,
    pub suggested_chain: String,
    pub files: Vec<FileLine>,
    /// Said before cutting a source that would tear.
    pub hint: Option<String>,
    pub result: Option<String>,
    pub gave_way: Vec<String>,
    /// Parts and materials of which nothing is left.
    pub gone: Vec<String>,
    pub counts_all: String,
    pub counts_candidate: String,
    pub source_label: String,
    /// Said where the stage shows a thinned copy of the source.
    pub shown_with: String,
    pub candidate_label: String,
    pub data: PageJson,
    pub analysed: bool,
    /// How much of the source is quads, if enough of it is for edge loops.
    pub quads: Option<String>,
    /// What merging flat areas would save, if it would save anything.
    pub flat: Option<String>,
    pub guards: Vec<GuardLine>,
    pub crease: String,
    pub shares: Vec<ShareLine>,
    pub region: String,
    pub inverse: bool,
    /// Weight of the region in percent.
    pub weight: u32,
    /// What cutting repeats once would spare, if there are any.
    pub repeats: Option<String>,
    pub reuse_repeats: bool,
    /// How many parts are their own mirror image.
    pub halves: Option<String>,
    pub reuse_halves: bool,
    pub let_parts_go: bool,
}

/// A guard that can be set.
pub struct GuardLine {
    pub field: &'static str,
    pub name: &'static str,
    pub on: bool,
}

/// A share of the attention.
pub struct ShareLine {
    pub name: &'static str,
    /// Percent of the whole.
    pub percent: u32,
}

/// Gathers the view of a step.
pub async fn view(app: &App, id: u64, step: &str, show: Option<u32>) -> Result<View, Failure> {
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
    let outlook = app.store.outlook(&asset.recipe(4)).await?;
    let is_ready = |c: &&Candidate| c.state == CandidateState::Ready;
    let on_sheet = tray
        .iter()
        .find(|c| Some(c.number) == show && is_ready(c))
        .or_else(|| tray.iter().rfind(is_ready))
        .filter(|_| step == "uvs" && show != Some(0));
    // What was asked for last stays in the form, made or not.
    let asked = tray
        .iter()
        .find(|c| Some(c.number) == show && c.changes_uvs);
    let uv_steps = match asked.filter(|_| step == "uvs").or(on_sheet) {
        Some(c) => app.store.uv_steps(&c.hash).await?,
        None => Vec::new(),
    };
    build(
        Rows {
            uv_steps: &uv_steps,
            asset,
            briefs: &briefs,
            tray: &tray,
            chain: &chain,
            files: &files,
            outlook,
        },
        step,
        show,
    )
}

/// What the store says about an asset.
struct Rows<'a> {
    asset: Asset,
    briefs: &'a [BriefRow],
    tray: &'a [Candidate],
    chain: &'a [ChainTier],
    files: &'a [SourceFile],
    outlook: Option<Outlook>,
    /// What led to the UVs on the sheet.
    uv_steps: &'a [UvStep],
}

fn build(rows: Rows<'_>, step: &'static str, show: Option<u32>) -> Result<View, Failure> {
    let Rows {
        asset,
        briefs,
        tray,
        chain,
        files,
        outlook,
        uv_steps,
    } = rows;
    let brief = briefs
        .iter()
        .find(|b| b.id == asset.brief)
        .map(|b| b.brief.clone())
        .ok_or_else(|| Failure::bad("This asset's brief is gone. Choose another one."))?;
    let is_ready = |c: &&Candidate| c.state == CandidateState::Ready;
    let asked = show.and_then(|n| tray.iter().find(|c| c.number == n));
    // On the UVs step number 0 is the source itself.
    let on_source = step == "uvs" && show == Some(0);
    let shown = asked
        .filter(is_ready)
        .or_else(|| tray.iter().rfind(is_ready))
        .filter(|_| !on_source);
    let empty = Inspection::default();
    let inspection = asset.inspection.as_ref().unwrap_or(&empty);
    let source = inspection.triangles as u64;
    let ready = asset.state() == AssetState::Ready;

    let chain_shown = chain_view(&brief, &asset, chain, tray, outlook.as_ref());
    let first_limit = brief.tiers.first().map_or(1000, |t| t.triangles);
    // What was asked for last stays in the field, made or not.
    let suggested = asked
        .or(shown)
        .map(|c| c.target as u32)
        .unwrap_or(first_limit)
        .min(source.saturating_sub(1).max(4) as u32);
    let suggested_chain_first = chain.first().map_or(first_limit, |t| t.limit as u32);
    let proof = proof_view(&brief, &asset, tray, chain, shown);
    let tabs = tabs(step, inspection, shown, &chain_shown, &proof, asset.state());

    Ok(View {
        id: asset.id,
        step,
        ready,
        asked: asked.map(|c| c.number).or(on_source.then_some(0)),
        brief_id: asset.brief,
        suffix: brief.suffix.clone(),
        formats: brief.formats.join(", "),
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
        intake: intake_view(&asset, inspection),
        ledger: ledger(inspection),
        materials: inspection.materials.clone(),
        out_of_date: tray.iter().filter(|c| c.is_out_of_date(&asset)).count(),
        tray: tray_lines(&asset, tray, shown, chain),
        proof,
        uvs: uv_view(&brief, inspection, tray, shown, asked, uv_steps),
        suggested,
        suggested_chain: suggested_chain_first.to_string(),
        files: files
            .iter()
            .map(|f| FileLine {
                name: f.name.clone(),
                size: words::bytes(f.bytes),
            })
            .collect(),
        hint: tearing(inspection),
        result: shown.and_then(|c| result_sentence(c, &asset, &brief)),
        gone: shown
            .and_then(|c| c.report.as_ref())
            .map(|r| r.gone.clone())
            .unwrap_or_default(),
        gave_way: shown
            .and_then(|c| c.report.as_ref())
            .map(|r| r.held_by.clone())
            .unwrap_or_default(),
        counts_all: format!(
            "{} triangles|{} vertices|{}|{}",
            words::grouped(source),
            words::grouped(inspection.vertices as u64),
            words::counted(inspection.objects.len() as u64, "object"),
            words::counted(inspection.materials.len() as u64, "material"),
        ),
        counts_candidate: shown.map_or_else(String::new, |c| {
            format!(
                "{} triangles|{} vertices",
                words::grouped(c.triangles.unwrap_or(0)),
                words::grouped(c.vertices.unwrap_or(0)),
            )
        }),
        source_label: words::grouped(source),
        shown_with: match inspection.stage_triangles {
            0 => String::new(),
            n => format!("shown with {}", words::grouped(n as u64)),
        },
        candidate_label: shown.map_or_else(String::new, |c| {
            format!("{}|{}", c.number, words::grouped(c.triangles.unwrap_or(0)))
        }),
        data: PageJson::from(&data(
            &asset,
            &brief,
            tray,
            chain,
            outlook.as_ref(),
            shown,
            suggested,
        )),
        analysed: outlook.is_some(),
        quads: quads_sentence(inspection),
        flat: outlook.and_then(|o| flat_sentence(o.flat?, source)),
        guards: guards(&asset.settings),
        crease: asset
            .settings
            .keep
            .creases
            .map_or_else(|| "35".to_owned(), |a| format!("{a}")),
        shares: shares(&asset.settings.attention),
        region: serde_json::to_string(&asset.settings.region.balls).unwrap_or_default(),
        inverse: asset.settings.region.inverse,
        weight: (asset.settings.region.weight * 100.0).round() as u32,
        repeats: repeats_sentence(inspection),
        reuse_repeats: asset.settings.reuse_repeats,
        halves: match inspection.symmetric.len() {
            0 => None,
            1 => Some("1 part is its own mirror image: cut one half and mirror it".to_owned()),
            n => Some(format!(
                "{n} parts are their own mirror image: cut one half of each"
            )),
        },
        reuse_halves: asset.settings.reuse_halves,
        let_parts_go: asset.settings.let_parts_go,
        fault: asset.fault,
        name: asset.name,
        chain: chain_shown,
    })
}

fn quads_sentence(i: &Inspection) -> Option<String> {
    let share = advice::quad_share(i)?;
    Some(format!(
        "{:.0} % of the source is quads. Take out one edge loop in",
        share * 100.0
    ))
}

/// What is worth doing first.
fn tearing(i: &Inspection) -> Option<String> {
    let count = advice::torn(i)?;
    Some(format!(
        "{} points stand beside another one without being joined, so a cut tears the surface there.",
        words::grouped(count as u64)
    ))
}

fn repeats_sentence(i: &Inspection) -> Option<String> {
    let copies = advice::copies(i)?;
    Some(format!(
        "Cut repeats once and reuse them: {copies} parts are copies"
    ))
}

fn flat_sentence(left: u64, source: u64) -> Option<String> {
    let share = advice::flat_share(left, source)?;
    Some(format!(
        "Flat areas can go from {} to {} triangles, {:.0} % fewer, with no change of shape or texture.",
        words::grouped(source),
        words::grouped(left),
        share * 100.0,
    ))
}

fn guards(settings: &CutSettings) -> Vec<GuardLine> {
    let keep = &settings.keep;
    [
        ("seams", "UV seams", keep.seams),
        ("borders", "Open borders", keep.borders),
        ("materials", "Material edges", keep.materials),
        ("parts", "Part edges", keep.parts),
        ("creases", "Hard edges over", keep.creases.is_some()),
    ]
    .map(|(field, name, on)| GuardLine { field, name, on })
    .into()
}

fn shares(a: &Attention) -> Vec<ShareLine> {
    [
        ("Outline", a.outline),
        ("Shape", a.shape),
        ("UVs", a.uvs),
        ("Shading", a.shading),
        ("Colour", a.colour),
        ("Borders", a.borders),
    ]
    .map(|(name, share)| ShareLine {
        name,
        percent: (share * 100.0).round() as u32,
    })
    .into()
}

/// What the Rule and the stage draw.
fn data(
    asset: &Asset,
    brief: &Brief,
    tray: &[Candidate],
    chain: &[ChainTier],
    outlook: Option<&Outlook>,
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
        "sourceMesh": asset.view,
        "parts": asset.inspection.as_ref().map(|i| i.objects.iter().map(|o| json!({
            "name": o.name, "triangles": o.triangles, "fate": o.fate,
        })).collect::<Vec<_>>()),
        "pending": asset.wanted.is_some(),
        "curve": outlook.map(|o| o.curve.places().iter().map(|&(n, m)| (n, m * 1e3)).collect::<Vec<_>>()),
        "balls": asset.settings.region.balls,
        "bounds": asset.inspection.as_ref().map(|i| i.bounds_m),
        "gates": limits,
        "pixelAtOneMetreMm": brief.pixel_m(1.0) * 1e3,
        "nearest": brief.tiers.first().map_or(1.0, |t| brief.nearest_m(t, asset.height_m())),
        "target": suggested,
        "shown": shown.map(|c| c.number),
        "candidates": tray.iter().filter(|c| c.state == CandidateState::Ready).map(|c| json!({
            "number": c.number,
            "triangles": c.triangles,
            "mesh": c.view,
            "tier": tier_of(c),
            "deviationMm": c.report.as_ref().map(|r| r.deviation_max_mm),
            "pinned": c.pinned,
            "sourceField": c.pictures.as_ref().map(|p| p.source_field.as_str()),
            "resultField": c.pictures.as_ref().map(|p| p.result_field.as_str()),
            "nearest": tier_of(c).and_then(|t| brief.tiers.get(t as usize))
                .map(|t| brief.nearest_m(t, asset.height_m())),
        })).collect::<Vec<_>>(),
    })
}

fn tabs(
    step: &str,
    inspection: &Inspection,
    shown: Option<&Candidate>,
    chain: &ChainView,
    proof: &ProofView,
    state: AssetState,
) -> Vec<Tab> {
    let (ready, failed) = (state == AssetState::Ready, state == AssetState::Failed);
    STEPS
        .iter()
        .enumerate()
        .map(|(i, &(address, name))| {
            let (says, class) = match address {
                "intake" if failed => ("could not be read".to_owned(), "is-over"),
                "intake" if !ready => ("in work".to_owned(), "is-quiet"),
                "intake" if inspection.findings.is_empty() => ("clean".to_owned(), "is-quiet"),
                "intake" => (
                    format!("{} findings", inspection.findings.len()),
                    "is-tight",
                ),
                "parts" => {
                    let there = inspection.objects.iter().filter(|o| o.triangles > 0);
                    let (built, all) = there.fold((0, 0), |(b, n), o| {
                        (b + usize::from(o.fate == Fate::Build), n + 1)
                    });
                    match built == all {
                        true => (words::grouped(all as u64), "is-quiet"),
                        false => (format!("{built} of {all} built"), "is-kelp"),
                    }
                }
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
                "chain" if chain.tiers.is_empty() => ("none yet".to_owned(), "is-quiet"),
                "chain" => (chain.verdict.clone(), chain.class),
                "uvs" => match shown.and_then(|c| c.uv.as_ref()) {
                    Some(uv) => (
                        format!("{:.0} % covered", uv.numbers.coverage_percent),
                        "is-kelp",
                    ),
                    None => match shown.and_then(|c| c.proof.as_ref()).map(|p| p.uv_sets) {
                        Some(1..) => ("kept".to_owned(), "is-quiet"),
                        None if inspection.uv_sets > 0 => ("as imported".to_owned(), "is-quiet"),
                        _ => ("none yet".to_owned(), "is-quiet"),
                    },
                },
                "proof" => (proof.says.clone(), proof.class),
                _ if chain.failed > 0 => ("a tier is missing".to_owned(), "is-over"),
                _ if chain.complete && chain.class == "is-pass" => ("ready".to_owned(), "is-pass"),
                _ if chain.complete => ("ready, does not pass".to_owned(), "is-over"),
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
