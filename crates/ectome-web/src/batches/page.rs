//! The pages of batches.

use askama::Template;
use axum::{
    extract::State,
    http::{HeaderMap, StatusCode},
    response::{Html, IntoResponse, Redirect, Response},
};
use ectome_recipe::Plan;

use super::view::{Row, rows};
use crate::{
    events::{busy_words, fingerprint},
    extract::Path,
    failure::Failure,
    feed::LOOKED_AT,
    fields::Fields,
    reply::no_brief,
    state::App,
    static_files::VERSION,
};

struct Line {
    id: u64,
    name: String,
    brief: String,
    plan: &'static str,
    folder: String,
    created: String,
    assets: u64,
}

struct PlanLine {
    id: u64,
    name: String,
    lines: String,
}

#[derive(Template)]
#[template(path = "batches.html")]
struct ListPage {
    version: &'static str,
    busy: String,
    seen: String,
    batches: Vec<Line>,
    plans: Vec<PlanLine>,
    briefs: Vec<(u64, String)>,
    /// Folders that can be watched; none where the server watches nothing.
    folders: Vec<String>,
}

/// `GET /batches`
pub async fn list(State(app): State<App>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let briefs = app.store.briefs().await?;
    let name_of = |id: u64| {
        let found = briefs.iter().find(|b| b.id == id);
        found.map_or_else(String::new, |b| b.brief.name.clone())
    };
    let batches = app.store.batches().await?;
    let plans = app.store.saved_plans().await?;
    let page = ListPage {
        version: *VERSION,
        seen: fingerprint(&work, None),
        busy: busy_words(&work, app.store.disk.is_low()),
        batches: batches
            .into_iter()
            .map(|b| Line {
                id: b.id,
                brief: name_of(b.brief),
                plan: match b.plan {
                    Some(_) => "a chosen plan",
                    None => "a plan proposed for each",
                },
                folder: b.folder.unwrap_or_default(),
                name: b.name,
                created: b.created,
                assets: b.assets,
            })
            .collect(),
        plans: plans
            .into_iter()
            .map(|p| PlanLine {
                id: p.id,
                lines: p
                    .plan
                    .lines
                    .iter()
                    .map(|l| l.act.title())
                    .collect::<Vec<_>>()
                    .join(", "),
                name: p.name,
            })
            .collect(),
        briefs: briefs
            .iter()
            .map(|b| (b.id, b.brief.name.clone()))
            .collect(),
        folders: app.watched_folders(),
    };
    Ok(Html(page.render()?))
}

/// `POST /batches`: a batch of the ticked assets, or a tag for them.
pub async fn begin(
    State(app): State<App>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let assets = f.numbers_of("asset");
    let needs_some = || Failure::bad("No asset is ticked. Tick those that it is for.");
    match f.text("do") {
        word @ ("tag" | "untag") => {
            if assets.is_empty() {
                return Err(needs_some());
            }
            let tag = f.text("new_tag");
            if tag.trim().is_empty() {
                return Err(Failure::bad("Type the tag first."));
            }
            app.store.tag_assets(&assets, tag, word == "tag").await?;
            Ok(to(&headers, "/"))
        }
        _ => {
            let folder = match f.text("folder") {
                "" => None,
                name => {
                    let known = app.watched_folders().into_iter().any(|n| n == name);
                    if !known {
                        return Err(Failure::bad(format!(
                            "There is no folder {name} where this server watches."
                        )));
                    }
                    Some(name.to_owned())
                }
            };
            if assets.is_empty() && folder.is_none() {
                return Err(needs_some());
            }
            let brief: u64 = f.text("brief").parse().map_err(|_| no_brief())?;
            let briefs = app.store.briefs().await?;
            let brief = briefs.iter().find(|b| b.id == brief).ok_or_else(no_brief)?;
            let plan = match f.text("plan") {
                "" => None,
                id => {
                    let plans = app.store.saved_plans().await?;
                    let found = plans.into_iter().find(|p| p.id.to_string() == id);
                    let gone = || Failure::bad("That plan is gone. Choose another one.");
                    Some(found.ok_or_else(gone)?.plan)
                }
            };
            let name = match (f.text("name").trim(), &folder) {
                ("", Some(folder)) => folder.clone(),
                ("", None) => brief.brief.name.clone(),
                (name, _) => name.to_owned(),
            };
            let id = app
                .store
                .add_batch(&name, brief.id, plan.as_ref(), folder.as_deref(), &assets)
                .await?;
            Ok(to(&headers, &format!("/batches/{id}")))
        }
    }
}

fn to(headers: &HeaderMap, address: &str) -> Response {
    if headers.contains_key("hx-request") {
        [("hx-redirect", address.to_owned())].into_response()
    } else {
        Redirect::to(address).into_response()
    }
}

#[derive(Template)]
#[template(path = "batch.html")]
struct OnePage {
    version: &'static str,
    busy: String,
    seen: String,
    id: u64,
    name: String,
    created: String,
    briefs: Vec<(u64, String, bool)>,
    plan: String,
    folder: String,
    /// What could not be taken from the folder.
    refused: Vec<(String, String)>,
    rows: Vec<Row>,
    says: String,
    /// A parcel of some asset is there.
    has_parcels: bool,
}

/// `GET /batches/{id}`
pub async fn one(State(app): State<App>, Path(id): Path<u64>) -> Result<Html<String>, Failure> {
    let work = app.store.latest_work(LOOKED_AT).await?;
    let batch = app.store.batch(id).await?;
    let briefs = app.store.briefs().await?;
    let brief = briefs
        .iter()
        .find(|b| b.id == batch.brief)
        .ok_or_else(no_brief)?;
    let members = app.store.batch_assets(id).await?;
    let (rows, sums) = rows(&app, &brief.brief, members, &work).await?;
    let refused = app.store.watched(id).await?;
    let page = OnePage {
        version: *VERSION,
        seen: fingerprint(&work, None),
        busy: busy_words(&work, app.store.disk.is_low()),
        id,
        briefs: briefs
            .iter()
            .map(|b| (b.id, b.brief.name.clone(), b.id == batch.brief))
            .collect(),
        plan: match &batch.plan {
            Some(plan) => plan.to_toml().map_err(|e| Failure::bad(format!("{e}.")))?,
            None => String::new(),
        },
        folder: batch.folder.unwrap_or_default(),
        refused: refused
            .into_iter()
            .filter_map(|w| Some((w.entry, w.fault?)))
            .collect(),
        name: batch.name,
        created: batch.created,
        says: sums.says(),
        has_parcels: rows.iter().any(|r| r.parcel.is_some()),
        rows,
    };
    Ok(Html(page.render()?))
}

/// A plan that was typed as TOML; nothing for an empty text.
fn typed(text: &str) -> Result<Option<Plan>, Failure> {
    match text.trim() {
        "" => Ok(None),
        text => Plan::from_toml(text)
            .map(Some)
            .map_err(|e| Failure::bad(format!("{e}."))),
    }
}

/// `POST /batches/{id}`: another name, brief or plan; `again` asks for all assets anew.
pub async fn change(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let brief: u64 = f.text("brief").parse().map_err(|_| no_brief())?;
    let plan = typed(f.text("plan"))?;
    let again = f.text("do") == "again";
    app.store
        .change_batch(id, f.text("name").trim(), brief, plan.as_ref(), again)
        .await?;
    Ok(to(&headers, &format!("/batches/{id}")))
}

/// `POST /batches/{id}/assets/{asset}`: a plan of its own, asking again, or leaving.
pub async fn own_plan(
    State(app): State<App>,
    Path((id, asset)): Path<(u64, u64)>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    match f.text("do") {
        "leave" => app.store.leave_batch(id, asset).await?,
        _ => {
            let plan = typed(f.text("plan"))?;
            let members = app.store.batch_assets(id).await?;
            if !members.iter().any(|m| m.asset == asset) {
                return Err(Failure::new(
                    StatusCode::NOT_FOUND,
                    "That asset is not in this batch any more. Reload the page.",
                ));
            }
            app.store.set_own_plan(id, asset, plan.as_ref()).await?;
        }
    }
    Ok(to(&headers, &format!("/batches/{id}")))
}

/// `POST /batches/{id}/remove`
pub async fn remove(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.remove_batch(id).await?;
    Ok(Redirect::to("/batches"))
}

/// `POST /plans`: a plan under a name, for other assets.
pub async fn save_plan(
    State(app): State<App>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let name = f.text("plan_name").trim();
    if name.is_empty() {
        return Err(Failure::bad("Give the plan a name first."));
    }
    let plan = match f.text("do") {
        // From the form of a proposed plan: what is ticked, with its figures.
        "save" => crate::plan::chosen(&f)?,
        _ => typed(f.text("toml"))?.ok_or_else(|| Failure::bad("The plan is empty."))?,
    };
    app.store.save_plan(name, &plan).await?;
    Ok(to(&headers, "/batches"))
}

/// `POST /plans/{id}/remove`
pub async fn remove_plan(State(app): State<App>, Path(id): Path<u64>) -> Result<Redirect, Failure> {
    app.store.remove_plan(id).await?;
    Ok(Redirect::to("/batches"))
}
