//! `ectome run`: the whole way for any number of files, without a server.

use std::{
    cell::RefCell,
    collections::{BTreeSet, HashMap},
    path::{Path, PathBuf},
    time::Instant,
};

use clap::Args;
use ectome_formats::{Reading, Scene, read_within};
use ectome_mesh::Progress;
use ectome_recipe::{
    Artefact, Brief, Change, CutSettings, EngineError, Inspection, Measured, Measurements, Outcome,
    Plan, Recipe, Standing, Step, Stock, Target, Tier, engine, far_end,
    parcel::{
        self,
        sheet::{About, Provenance, Sheet},
    },
    sheets,
};
use serde::Serialize;

use super::{
    failure::Failure,
    plan::{brief, proposed},
    source::{HowArgs, stem},
};
use crate::{
    input::Input,
    output::{self, remark, say},
    watch::Watch,
};

/// Does everything a brief asks for, for each file: repairs, cut, UVs, maps, tiers.
///
/// Writes `DIR/<name>/<name>_LOD<n>` in each format of the brief, the maps, sheet.html and sheet.json with the numbers, and
/// DIR/run.json over all files. A file that fails does not stop the others; the exit status is 1 when one failed or is over
/// its brief.
#[derive(Args)]
pub struct Run {
    /// The files, as for every other command.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The brief.
    #[arg(long, value_name = "BRIEF.toml")]
    brief: PathBuf,
    /// A plan that `ectome plan -o` wrote, for all files. Without it each gets the one that is proposed for it.
    #[arg(long, value_name = "RECIPE.toml")]
    recipe: Option<PathBuf>,
    #[command(flatten)]
    how: HowArgs,
    /// The folder that takes the results; made if missing.
    #[arg(short, long, value_name = "DIR")]
    out: PathBuf,
}

/// What became of one file, as run.json lists it.
#[derive(Serialize)]
struct Done {
    file: String,
    /// The folder its results are in.
    folder: String,
    /// What went wrong; absent where nothing did.
    #[serde(skip_serializing_if = "Option::is_none")]
    failed: Option<String>,
    #[serde(flatten)]
    result: Option<Sheet>,
    seconds: f64,
}

impl Run {
    pub fn run(self) -> Result<(), Failure> {
        let mut brief = brief(&self.brief)?;
        // Whoever runs this without pages wants every map where programs find it.
        brief.delivery.loose_maps = true;
        let first = self.how.changes()?;
        let recipe = match &self.recipe {
            None => None,
            Some(path) => {
                let text = std::fs::read_to_string(path)
                    .map_err(|e| Failure::Steps(path.clone(), e.to_string()))?;
                Some(Plan::from_toml(&text)?)
            }
        };
        let progress = Watch::begin();
        std::fs::create_dir_all(&self.out).map_err(|e| Failure::Write(self.out.clone(), e))?;
        let mut taken = BTreeSet::from(["run.json".to_owned()]);
        let mut all = Vec::new();
        let count = self.files.len();
        for (i, file) in self.files.iter().enumerate() {
            let started = Instant::now();
            let name = free_name(&stem(file), &mut taken);
            let own = progress.span(i as f32 / count as f32, (i + 1) as f32 / count as f32);
            let job = Job {
                file,
                name: &name,
                brief: &brief,
                first: &first,
                recipe: recipe.as_ref(),
                out: &self.out.join(&name),
            };
            let (result, failed) = match job.done(&own) {
                Ok(whole) => {
                    say!("{}: {}", file.display(), sentence(&whole));
                    (Some(whole), None)
                }
                Err(e) if own.is_cancelled() => return Err(e),
                Err(e) => {
                    remark!("ectome: {}: {e}", file.display());
                    (None, Some(e.to_string()))
                }
            };
            all.push(Done {
                file: file.display().to_string(),
                folder: name,
                failed,
                result,
                seconds: started.elapsed().as_secs_f64(),
            });
            // After each file, so that what is there is known should the next one end the program.
            output::json(&all, Some(&self.out.join("run.json")))?;
        }
        let failed = all.iter().filter(|d| d.failed.is_some()).count();
        let is_over = |d: &&Done| {
            let verdict = d.result.as_ref().map(|r| r.verdict);
            verdict == Some(Standing::Over)
        };
        match (failed, all.iter().filter(is_over).count()) {
            (0, 0) => Ok(()),
            (failed, over) => Err(Failure::NotAll {
                failed,
                over,
                count,
                report: self.out.join("run.json"),
            }),
        }
    }
}

/// Runs the recipe of a first tier. Where its source is within the limit already, which parts that are left out may bring
/// about, it goes on without the cut.
fn whole_or_cut(
    mut recipe: Recipe,
    shelf: &Shelf,
    progress: &Progress,
) -> Result<(Recipe, Outcome), EngineError> {
    match engine::run(&recipe, shelf, progress) {
        Err(EngineError::NothingToCut { .. }) => {
            recipe.steps.retain(|s| !matches!(s, Step::Cut(_)));
            let made = engine::run(&recipe, shelf, progress)?;
            Ok((recipe, made))
        }
        made => Ok((recipe, made?)),
    }
}

/// The maps that were baked, each a picture of its own.
fn maps(made: &Outcome) -> Vec<parcel::Map> {
    let maps = made.artefacts.iter().filter(|a| a.kind == Artefact::MAP);
    let map = |a: &Artefact| parcel::Map {
        name: a.which.to_string(),
        bytes: a.bytes.clone(),
    };
    maps.map(map).collect()
}

fn sentence(whole: &Sheet) -> String {
    let tiers: Vec<String> = whole
        .tiers
        .iter()
        .enumerate()
        .map(|(n, t)| format!("LOD{n} {}", t.says))
        .collect();
    tiers.join(" ")
}

/// A folder for each file, also where two have one name.
fn free_name(stem: &str, taken: &mut BTreeSet<String>) -> String {
    // A file may be called "...glb": its folder must lie in the one that was named.
    let stem = match stem.trim_matches('.') {
        "" => "scene",
        stem => stem,
    };
    let mut name = stem.to_owned();
    let mut n = 2;
    // Some file systems do not tell capitals from small letters.
    while !taken.insert(name.to_lowercase()) {
        name = format!("{stem}_{n}");
        n += 1;
    }
    name
}

/// One file on its way.
struct Job<'a> {
    file: &'a Path,
    name: &'a str,
    brief: &'a Brief,
    first: &'a [Change],
    recipe: Option<&'a Plan>,
    out: &'a Path,
}

impl Job<'_> {
    fn done(&self, progress: &Progress) -> Result<Sheet, Failure> {
        let shelf = Shelf {
            input: Input::open(self.file)?,
            kept: RefCell::default(),
        };
        let settings = CutSettings::default();
        let prepared = Recipe::prepared("source", self.first);
        let scene = engine::scene(&prepared, &shelf, &progress.span(0.0, 0.1))?;
        shelf.keep(prepared.key(), scene.clone(), Measurements::default());
        let (own, inspection) = proposed(scene, self.brief, &progress.span(0.1, 0.15))?;
        let plan = self.recipe.cloned().unwrap_or(own);
        let recipes = plan.recipes("source", self.first, &settings)?;
        let mut pictures = Vec::new();
        let mut tiers = Vec::new();
        let mut order = parcel::Order {
            asset: self.name.to_owned(),
            brief: self.brief,
            notice: None,
            date: chrono::Utc::now().format("%Y-%m-%d").to_string(),
            tiers: Vec::new(),
            maps: Vec::new(),
            high: None,
            collision: None,
            beside: Some(engine::scene(&prepared, &shelf, progress)?),
        };
        let share = 0.82 / recipes.len() as f32;
        let mut first: Option<(Recipe, Outcome)> = None;
        for (n, recipe) in recipes.iter().cloned().enumerate() {
            let from = 0.15 + share * n as f32;
            let own = progress.span(from, from + share);
            let made = match &first {
                None => {
                    let (recipe, made) = whole_or_cut(recipe, &shelf, &own)?;
                    let measured = Measurements {
                        cut: made.cut.clone(),
                        proof: made.proof.clone(),
                    };
                    shelf.keep(recipe.key(), made.scene.clone(), measured);
                    order.maps = maps(&made);
                    first = Some((recipe, made.clone()));
                    made
                }
                Some((base, made)) => match recipe.target() {
                    // What the first tier has is few enough already.
                    Some(Target::Triangles(n))
                        if made.scene.mesh.triangle_count() <= n as usize =>
                    {
                        made.clone()
                    }
                    Some(target) => {
                        let further = base.clone().continued(target, settings.clone());
                        engine::run(&further, &shelf, &own)?
                    }
                    None => engine::run(&recipe, &shelf, &own)?,
                },
            };
            tiers.push(self.measured(n, &inspection, &made));
            order.tiers.push(parcel::Tier {
                scene: made.scene,
                mark: format!("{}{n}", self.brief.suffix),
                sheets: first.as_ref().map_or(1, |(base, _)| sheets::count(base)),
            });
            pictures.push(made.artefacts);
        }
        if self.brief.delivery.pair {
            order.high = Some(engine::scene(&prepared, &shelf, progress)?);
        }
        if let Some(hulls) = self.brief.delivery.collision() {
            let source = engine::scene(&prepared, &shelf, progress)?;
            order.collision = Some(far_end::collision_hulls(source, &hulls, progress)?);
        }
        let about = About {
            asset: self.name.to_owned(),
            source_triangles: inspection.triangles,
            source_bytes: shelf.input.bytes() as u64,
            source_materials: inspection.materials.len(),
            tiers,
            plan: plan.lines,
            left: plan.left,
            recipes,
            provenance: Provenance::default(),
            pictures,
        };
        let date = order.date.clone();
        let parcel = order.make(&progress.span(0.97, 1.0))?;
        let (parcel, sheet) = parcel.with_sheet(self.brief, &date, &about);
        std::fs::create_dir_all(self.out).map_err(|e| Failure::Write(self.out.to_owned(), e))?;
        for file in &parcel.files {
            output::write(&self.out.join(&file.name), &file.bytes)?;
        }
        Ok(sheet)
    }

    fn measured(&self, n: usize, inspection: &Inspection, made: &Outcome) -> (Tier, Measured) {
        let mut measured = Measured::of(
            self.brief,
            inspection,
            made.scene.mesh.triangle_count(),
            made.cut.as_ref(),
            made.proof.as_ref(),
        );
        if made.proof.is_none() {
            // What was not cut may have got one set of maps all the same.
            let mesh = &made.scene.mesh;
            let used: BTreeSet<u32> = mesh.runs.iter().filter_map(|r| r.material).collect();
            (measured.materials, measured.uv_sets) = (used.len(), mesh.uv_sets.len());
        }
        // A plan of one's own may have more tiers than the brief: those are judged by its last one.
        let tiers = &self.brief.tiers;
        (tiers[n.min(tiers.len() - 1)].clone(), measured)
    }
}

/// The files of a source, and what was made of them so far.
struct Shelf {
    input: Input,
    kept: RefCell<HashMap<String, (Scene, Measurements)>>,
}

impl Shelf {
    fn keep(&self, key: String, scene: Scene, measured: Measurements) {
        self.kept.borrow_mut().insert(key, (scene, measured));
    }
}

impl Stock for Shelf {
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError> {
        let reading = Reading::new(progress, u64::MAX);
        Ok(read_within(&self.input.set(), &reading)?)
    }

    fn scene(&self, key: &str, _: &Progress) -> Result<Option<Scene>, EngineError> {
        Ok(self.kept.borrow().get(key).map(|k| k.0.clone()))
    }

    fn measurements(&self, key: &str) -> Result<Measurements, EngineError> {
        let kept = self.kept.borrow();
        Ok(kept.get(key).map(|k| k.1.clone()).unwrap_or_default())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_differ_and_lie_where_they_should() {
        let mut taken = BTreeSet::from(["run.json".to_owned()]);
        let mut name = |stem| free_name(stem, &mut taken);
        assert_eq!(name("hatch"), "hatch");
        assert_eq!(name("Hatch"), "Hatch_2");
        assert_eq!((name(".."), name(".")), ("scene".into(), "scene_2".into()));
        assert_eq!(name("run.json"), "run.json_2");
    }
}
