//! Scenes: several assets under one budget, shared so that the largest error on the screen is least.

use askama::Template;
use axum::{
    extract::State,
    http::HeaderMap,
    response::{Html, IntoResponse, Redirect, Response},
};
use ectome_recipe::{
    Brief,
    budget::{Member, Share, pro_rata, share},
};
use ectome_store::{
    asset::{Asset, AssetState},
    candidate::CandidateState,
    scene::{SceneAsset, SceneRow},
};

use crate::{
    events::{busy_words, fingerprint},
    extract::Path,
    failure::Failure,
    feed::LOOKED_AT,
    fields::{Fields, number},
    state::App,
    static_files::VERSION,
    words,
};

struct Row {
    asset: u64,
    name: String,
    source: String,
    within: bool,
    distance: String,
    instances: u32,
    /// What the row cannot take part for, if anything.
    waits: &'static str,
    plain: String,
    plain_px: String,
    shared: String,
    shared_px: String,
    /// Bar of the share, in thousandths of the budget.
    bar: u32,
    measured: String,
    link: Option<u32>,
}

struct Open {
    id: u64,
    name: String,
    triangles: String,
    budget: String,
    rows: Vec<Row>,
    briefs: Vec<(u64, String, bool)>,
    /// What the share buys, in a sentence.
    says: String,
    class: &'static str,
    can_cut: bool,
    sum: String,
}

#[derive(Template)]
#[template(path = "scenes.html")]
struct Page {
    version: &'static str,
    busy: String,
    seen: String,
    scenes: Vec<(u64, String, bool)>,
    open: Option<Open>,
}

/// `GET /scenes`: the first of them open.
pub async fn list(State(app): State<App>) -> Result<Html<String>, Failure> {
    page(&app, None).await
}

/// `GET /scenes/{id}`
pub async fn one(State(app): State<App>, Path(id): Path<u64>) -> Result<Html<String>, Failure> {
    page(&app, Some(id)).await
}

async fn page(app: &App, id: Option<u64>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let scenes = app.store.scenes().await?;
    let chosen = match id {
        Some(id) => Some(app.store.scene(id).await?),
        None => scenes.first().cloned(),
    };
    let here = chosen.as_ref().map(|s| s.id);
    let open = match chosen {
        None => None,
        Some(scene) => Some(open(app, scene).await?),
    };
    let page = Page {
        version: *VERSION,
        busy: busy_words(&work, app.store.disk.is_low()),
        seen: fingerprint(&work, None),
        scenes: scenes
            .into_iter()
            .map(|s| (s.id, s.name, Some(s.id) == here))
            .collect(),
        open,
    };
    Ok(Html(page.render()?))
}

/// A scene with what its members need.
struct Worked<'a> {
    scene: &'a SceneRow,
    brief: &'a Brief,
    /// Members whose analysis is there, with their assets.
    members: Vec<(&'a Asset, Member)>,
}

impl<'a> Worked<'a> {
    async fn of(
        app: &App,
        scene: &'a SceneRow,
        brief: &'a Brief,
        assets: &'a [Asset],
    ) -> Result<Self, Failure> {
        let mut members = Vec::new();
        for m in &scene.members {
            let Some(asset) = assets.iter().find(|a| a.id == m.asset) else {
                continue;
            };
            let Some(outlook) = app.store.outlook(&asset.recipe(4)).await? else {
                continue;
            };
            members.push((
                asset,
                Member {
                    curve: outlook.curve,
                    pixel_m: brief.pixel_m(m.distance_m),
                    instances: m.instances,
                },
            ));
        }
        Ok(Self {
            scene,
            brief,
            members,
        })
    }

    fn list(&self) -> Vec<Member> {
        self.members.iter().map(|(_, m)| m.clone()).collect()
    }

    fn shares(&self) -> (Option<Share>, Share) {
        let list = self.list();
        (
            share(&list, self.scene.triangles),
            pro_rata(&list, self.scene.triangles),
        )
    }

    fn complete(&self) -> bool {
        !self.members.is_empty() && self.members.len() == self.scene.members.len()
    }
}

async fn open(app: &App, scene: SceneRow) -> Result<Open, Failure> {
    let briefs = app.store.briefs().await?;
    let mut assets = app.store.assets().await?;
    // What could not be read can take no place.
    assets.retain(|a| a.inspection.is_some());
    let brief = briefs
        .iter()
        .find(|b| b.id == scene.brief)
        .ok_or_else(|| Failure::bad("This scene's brief is gone. Choose another one."))?;
    let worked = Worked::of(app, &scene, &brief.brief, &assets).await?;
    let (shared, plain) = worked.shares();
    let at = |asset: u64| worked.members.iter().position(|(a, _)| a.id == asset);
    let px = |v: f64| format!("{v:.1} px");
    let mut rows = Vec::new();
    let mut measured: Vec<f64> = Vec::new();
    for asset in &assets {
        let member = scene.members.iter().find(|m| m.asset == asset.id);
        let i = at(asset.id);
        let made = match member.and_then(|m| m.candidate.as_ref()) {
            None => None,
            Some(hash) => {
                let tray = app.store.tray(asset.id).await?;
                tray.into_iter().find(|c| c.hash == *hash)
            }
        };
        let found = made.as_ref().filter(|c| c.state == CandidateState::Ready);
        let off = found.zip(member).map(|(c, m)| {
            let mm = c.report.as_ref().map_or(0.0, |r| r.deviation_max_mm);
            mm / 1e3 / worked.brief.pixel_m(m.distance_m)
        });
        measured.extend(off);
        let shares =
            i.and_then(|i| Some((shared.as_ref()?.triangles[i], shared.as_ref()?.pixels[i])));
        let cost = shares
            .zip(member)
            .map_or(0.0, |((n, _), m)| f64::from(n) * f64::from(m.instances));
        rows.push(Row {
            asset: asset.id,
            name: asset.name.clone(),
            source: words::grouped(asset.built_triangles().unwrap_or(0)),
            within: member.is_some(),
            distance: member.map_or_else(|| "2".to_owned(), |m| m.distance_m.to_string()),
            instances: member.map_or(1, |m| m.instances),
            waits: match (asset.state(), member, i) {
                (AssetState::Failed, ..) => "could not be read",
                (AssetState::Arriving, ..) => "still arriving",
                (_, Some(_), None) => "being analysed",
                (_, Some(_), _) if !worked.complete() => "waits for the others",
                _ => "",
            },
            plain: i.map_or_else(String::new, |i| words::grouped(plain.triangles[i])),
            plain_px: i.map_or_else(String::new, |i| px(plain.pixels[i])),
            shared: shares.map_or_else(String::new, |(n, _)| words::grouped(n)),
            shared_px: shares.map_or_else(String::new, |(_, e)| px(e)),
            bar: (cost / scene.triangles.max(1) as f64 * 1000.0) as u32,
            measured: match (&made, off) {
                (_, Some(v)) => px(v),
                (Some(c), None) if c.state == CandidateState::Failed => "failed".to_owned(),
                (Some(_), None) => "in work".to_owned(),
                (None, _) => String::new(),
            },
            link: found.map(|c| c.number),
        });
    }
    let (says, class) = sentence(&worked, shared.as_ref(), &plain, &measured);
    let sum: u64 = shared.as_ref().map_or(0, |s| {
        let each = s.triangles.iter().zip(&worked.members);
        each.map(|(&n, (_, m))| u64::from(n) * u64::from(m.instances))
            .sum()
    });
    Ok(Open {
        id: scene.id,
        name: scene.name.clone(),
        triangles: scene.triangles.to_string(),
        budget: words::grouped(scene.triangles),
        rows,
        briefs: briefs
            .iter()
            .map(|b| (b.id, b.brief.name.clone(), b.id == scene.brief))
            .collect(),
        says,
        class,
        can_cut: shared.is_some() && worked.complete(),
        sum: words::grouped(sum),
    })
}

fn sentence(
    worked: &Worked<'_>,
    shared: Option<&Share>,
    plain: &Share,
    measured: &[f64],
) -> (String, &'static str) {
    if worked.scene.members.is_empty() {
        return (
            "Nothing stands in this scene yet. Tick assets, give each its distance and count."
                .to_owned(),
            "is-quiet",
        );
    }
    if !worked.complete() {
        return (
            "Some assets are still being analysed; the share follows when they are.".to_owned(),
            "is-quiet",
        );
    }
    let Some(shared) = shared else {
        return (
            format!(
                "{} triangles are too few for these assets. Raise the budget or take some out.",
                words::grouped(worked.scene.triangles)
            ),
            "is-over",
        );
    };
    let (best, even) = (shared.worst_pixels(), plain.worst_pixels());
    let less = (1.0 - best / even.max(1e-9)) * 100.0;
    let found = if measured.len() == worked.members.len() {
        format!(
            " Measured after cutting: {:.1} px.",
            measured.iter().copied().fold(0.0, f64::max)
        )
    } else {
        String::new()
    };
    (
        format!(
            "Shared by error, the largest expected error is {best:.1} px; in proportion to the sources it would be {even:.1} px: {less:.0} % less.{found}"
        ),
        "is-kelp",
    )
}

/// `POST /scenes`: a new scene.
pub async fn add(State(app): State<App>) -> Result<Redirect, Failure> {
    let briefs = app.store.briefs().await?;
    let brief = briefs.first().ok_or_else(|| {
        Failure::bad("A scene is seen on the screen of a brief, and there is none. Put one in.")
    })?;
    let count = app.store.scenes().await?.len() + 1;
    let scene = SceneRow {
        id: 0,
        name: format!("Scene {count}"),
        brief: brief.id,
        triangles: 100_000,
        members: Vec::new(),
    };
    let id = app.store.put_scene(None, &scene).await?;
    Ok(Redirect::to(&format!("/scenes/{id}")))
}

/// `POST /scenes/{id}`: what stands in it; with `do` = `cut`, its assets are cut to their shares.
pub async fn save(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    app.store.scene(id).await?;
    let briefs = app.store.briefs().await?;
    let chosen = f.numbers("brief").first().copied().map(u64::from);
    let brief = briefs
        .iter()
        .find(|b| Some(b.id) == chosen)
        .ok_or_else(|| Failure::bad("That brief does not exist any more. Choose another."))?;
    let name: String = f.text("name").chars().take(160).collect();
    if name.is_empty() {
        return Err(Failure::bad("The scene needs a name. Type one."));
    }
    let assets = app.store.assets().await?;
    let within = f.numbers("within");
    let mut members = Vec::new();
    for asset in assets
        .iter()
        .filter(|a| within.iter().any(|&w| u64::from(w) == a.id))
    {
        let field = |what: &str| f.text(&format!("{what}_{}", asset.id)).to_owned();
        let what = |of: &str| format!("The {of} of {}", asset.name);
        members.push(SceneAsset {
            asset: asset.id,
            distance_m: number(&field("distance"), &what("distance"), 0.01, 1e5)?,
            instances: number(&field("instances"), &what("count"), 1.0, 1e6)? as u32,
            candidate: None,
        });
    }
    let scene = SceneRow {
        id,
        name,
        brief: brief.id,
        triangles: f.number("triangles", "The budget", 100.0, 1e9)? as u64,
        members,
    };
    app.store.put_scene(Some(id), &scene).await?;
    if f.text("do") == "cut" {
        let worked = Worked::of(&app, &scene, &brief.brief, &assets).await?;
        let (Some(shared), true) = (worked.shares().0, worked.complete()) else {
            return Err(Failure::bad(
                "These assets cannot be cut to a share yet. The line above the table says why.",
            ));
        };
        let shares: Vec<(&Asset, u32)> = worked
            .members
            .iter()
            .zip(&shared.triangles)
            .map(|((asset, _), &n)| (*asset, n))
            .collect();
        app.store.ask_for_shares(id, &shares).await?;
    }
    let address = format!("/scenes/{id}");
    Ok(if headers.contains_key("hx-request") {
        [("hx-redirect", address)].into_response()
    } else {
        Redirect::to(&address).into_response()
    })
}

/// `POST /scenes/{id}/remove`
pub async fn remove(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.remove_scene(id).await?;
    Ok(Redirect::to("/scenes"))
}
