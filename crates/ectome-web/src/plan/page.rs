//! Shows the plan for an asset and its brief, and asks for what it says.

use askama::Template;
use axum::{
    extract::State,
    http::{HeaderMap, StatusCode},
    response::{Html, Response},
};
use ectome_mesh::Progress;
use ectome_recipe::{
    Recipe, engine,
    plan::{Act, Plan},
    triangles::triangulated,
};
use ectome_store::stock::StoreStock;
use serde::Deserialize;
use tokio::task::spawn_blocking;

use crate::{
    extract::{Path, Query},
    failure::Failure,
    fields::Fields,
    reply::{back, brief_of, no_brief, ready_asset},
    state::App,
};

/// A line as the page shows it.
struct LineView {
    says: String,
    why: String,
    /// The count of triangles that can be changed.
    triangles: Option<u32>,
    /// The size of maps that can be changed.
    size: Option<u32>,
}

#[derive(Template)]
#[template(path = "plan.html")]
struct PlanView {
    id: u64,
    brief: String,
    /// The briefs: row, name, whether it is the asset's.
    briefs: Vec<(u64, String, bool)>,
    lines: Vec<LineView>,
    left: Vec<String>,
    toml: String,
}

/// What stands behind the question mark.
#[derive(Deserialize)]
pub struct Asked {
    /// The row of the brief that it is for; the asset's own without it.
    brief: Option<u64>,
}

/// `GET /assets/{id}/plan`: what is proposed.
pub async fn proposed(
    State(app): State<App>,
    Path(id): Path<u64>,
    Query(asked): Query<Asked>,
) -> Result<Html<String>, Failure> {
    let asset = ready_asset(&app, id).await?;
    let rows = app.store.briefs().await?;
    let chosen = asked.brief.unwrap_or(asset.brief);
    let row = rows.iter().find(|b| b.id == chosen).ok_or_else(no_brief)?;
    let brief = row.brief.clone();
    let name = brief.name.clone();
    let briefs = rows
        .iter()
        .map(|b| (b.id, b.brief.name.clone(), b.id == chosen))
        .collect();
    let store = app.store.clone();
    let plan = spawn_blocking(move || {
        let progress = Progress::new();
        let stock = StoreStock::of(&store, asset.id, u64::MAX, &progress);
        let recipe = Recipe::whole(&asset.source, &asset.preparation);
        let scene = engine::scene(&recipe, &stock, &progress)?;
        let inspection = asset.inspection.unwrap_or_default();
        Ok::<_, ectome_recipe::EngineError>(Plan::of(
            &triangulated(scene, &progress)?,
            &inspection,
            &brief,
        ))
    })
    .await
    .map_err(|_| unreadable())?
    .map_err(|e| {
        tracing::error!(error = %e, "a source cannot be read back for its plan");
        unreadable()
    })?;
    let toml = plan.to_toml().map_err(|e| Failure::bad(format!("{e}.")))?;
    let lines = plan.lines.into_iter().map(|line| LineView {
        // A figure that can be changed stands in its field.
        says: match &line.act {
            Act::Cut { .. } => "Cut to".to_owned(),
            Act::Tier { stand_in: None, .. } => "A tier of".to_owned(),
            Act::Merge { .. } => "Merge materials over one sheet of".to_owned(),
            Act::Bake { maps } => {
                let size = format!(" at {}", maps.size);
                line.act.says().trim_end_matches(&size).to_owned() + " at"
            }
            act => act.says(),
        },
        triangles: match line.act {
            Act::Cut { triangles }
            | Act::Tier {
                triangles,
                stand_in: None,
            } => Some(triangles),
            _ => None,
        },
        size: match &line.act {
            Act::Bake { maps } => Some(maps.size),
            Act::Merge { merge } => Some(merge.size),
            _ => None,
        },
        why: line.why,
    });
    let view = PlanView {
        id,
        brief: name,
        briefs,
        lines: lines.collect(),
        left: plan.left,
        toml,
    };
    Ok(Html(view.render()?))
}

fn unreadable() -> Failure {
    Failure::new(
        StatusCode::INTERNAL_SERVER_ERROR,
        "The source could not be read back, so nothing can be proposed. Reload the page, or upload the asset again.",
    )
}

/// `POST /assets/{id}/plan`: the lines that are ticked, with the figures that were typed.
pub async fn done(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
    f: Fields,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let plan = chosen(&f)?;
    // What stands in a wrong place, or asks for what cannot be, is said before anything is begun.
    plan.recipes(&asset.source, &asset.preparation, &asset.settings)
        .map_err(|e| Failure::bad(format!("{e}.")))?;
    let brief = match f.text("brief") {
        "" => brief_of(&app, &asset).await?,
        row => {
            let row: u64 = row.parse().map_err(|_| no_brief())?;
            let rows = app.store.briefs().await?;
            let found = rows
                .into_iter()
                .find(|b| b.id == row)
                .ok_or_else(no_brief)?;
            app.store.set_brief(id, row).await?;
            found.brief
        }
    };
    app.store.ask_for_plan(&asset, &plan, &brief).await?;
    Ok(back(&headers, id, "chain", None))
}

/// `POST /assets/{id}/plan/rest`: the last plan without its repairs, which could not be made.
pub async fn rest(
    State(app): State<App>,
    Path(id): Path<u64>,
    headers: HeaderMap,
) -> Result<Response, Failure> {
    let asset = ready_asset(&app, id).await?;
    let brief = brief_of(&app, &asset).await?;
    let mut plan = app.store.last_plan(id).await?.unwrap_or_default();
    plan.lines.retain(|l| !matches!(l.act, Act::Prepare { .. }));
    if plan.lines.is_empty() {
        return Err(Failure::bad(
            "Nothing is left of the last plan. Propose another one on the Intake step.",
        ));
    }
    plan.recipes(&asset.source, &asset.preparation, &asset.settings)
        .map_err(|e| Failure::bad(format!("{e}.")))?;
    app.store.ask_for_plan(&asset, &plan, &brief).await?;
    Ok(back(&headers, id, "chain", None))
}

/// The plan of a form: its text, without the lines that are not ticked, with other figures.
pub fn chosen(f: &Fields) -> Result<Plan, Failure> {
    let mut plan = Plan::from_toml(f.text("toml")).map_err(|e| Failure::bad(format!("{e}.")))?;
    let mut at = 0;
    let mut fault = None;
    plan.lines.retain_mut(|line| {
        at += 1;
        if !f.ticked(&format!("keep_{at}")) {
            return false;
        }
        let typed = match &mut line.act {
            Act::Cut { triangles }
            | Act::Tier {
                triangles,
                stand_in: None,
            } => f
                .number(&format!("triangles_{at}"), "A count of triangles", 4.0, 1e9)
                .map(|n| *triangles = n as u32),
            Act::Bake { maps } => f
                .number(&format!("size_{at}"), "The size of maps", 16.0, 8192.0)
                .map(|n| maps.size = n as u32),
            Act::Merge { merge } => f
                .number(&format!("size_{at}"), "The size of textures", 16.0, 8192.0)
                .map(|n| merge.size = n as u32),
            _ => Ok(()),
        };
        if let Err(e) = typed {
            fault.get_or_insert(e);
        }
        true
    });
    match fault {
        Some(e) => Err(e),
        None if plan.lines.is_empty() => Err(Failure::bad(
            "No line of the plan is ticked, so there is nothing to do. Tick at least one.",
        )),
        None => Ok(plan),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const PLAN: &str =
        "[[line]]\ndo = \"cut\"\ntriangles = 900\n[[line]]\ndo = \"tier\"\ntriangles = 300\n";

    #[test]
    fn a_form_leaves_lines_out_and_changes_figures() {
        let all = [
            ("toml", PLAN),
            ("keep_1", "on"),
            ("triangles_1", "1 200"),
            ("keep_2", "on"),
            ("triangles_2", "300"),
        ];
        let plan = chosen(&Fields::of(&all)).unwrap();
        assert_eq!(plan.lines.len(), 2);
        assert_eq!(plan.lines[0].act, Act::Cut { triangles: 1200 });
        let first = chosen(&Fields::of(&all[..3])).unwrap();
        assert_eq!(first.lines.len(), 1);
    }

    #[test]
    fn what_cannot_be_is_said() {
        for (list, says) in [
            (&[("toml", PLAN)][..], "No line of the plan is ticked"),
            (&[("toml", "no plan")], "the plan cannot be read"),
            (
                &[("toml", PLAN), ("keep_1", "on"), ("triangles_1", "many")],
                "A count of triangles is a number from 4",
            ),
        ] {
            let said = format!("{:?}", chosen(&Fields::of(list)).unwrap_err());
            assert!(said.to_lowercase().contains(&says.to_lowercase()), "{said}");
        }
    }
}
