//! Runs recipes.
//!
//! A recipe is run from its end: the last step asks for what it needs, and what comes before it is made only if nobody kept
//! it. So a candidate that goes on from another never makes that one again, a source is read once, and a cut whose source
//! went through a first pass never loads the whole of it.
//!
//! ```text
//! last step ─ scene() ─▶ kept under the key of what comes before? ─ yes ─▶ read
//!           ─ origin() ▶                                          ─ no ──▶ the step before, likewise … ─▶ files
//! ```

use std::{cell::RefCell, collections::BTreeMap, sync::Arc, time::Instant};

use ectome_formats::{FileSet, Reading, Scene};
use ectome_mesh::Progress;
use ectome_reduce::CollapseLog;

use crate::{
    Change, CutReport, CutSettings, Done, EngineError, Proof, Recipe, Session, UvReport,
    artefact::Artefact,
    jury::Jury,
    kept::{FirstPassed, Kept, Measurements},
    session::Origin,
    session::Worked,
    sheets,
    step::{BroughtFile, Input, Nature, Operation, Output, Step},
    triangles::triangulated,
};

/// What is there already, and the files for when nothing is. Keys are those of [`Recipe`].
pub trait Stock {
    /// Reads the source's files.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError>;

    /// Reads a mesh that was made elsewhere.
    ///
    /// # Errors
    /// See [`EngineError`]; [`EngineError::Stock`] where nothing is kept but the source.
    fn brought(&self, files: &[BroughtFile], progress: &Progress) -> Result<Scene, EngineError> {
        let _ = progress;
        let name = files.first().map_or("", |f| f.name.as_str());
        Err(EngineError::Stock(format!("{name} is not at hand")))
    }

    /// What the recipe with this key makes.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn scene(&self, key: &str, progress: &Progress) -> Result<Option<Scene>, EngineError> {
        let _ = (key, progress);
        Ok(None)
    }

    /// What was measured of it.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn measurements(&self, key: &str) -> Result<Measurements, EngineError> {
        let _ = key;
        Ok(Measurements::default())
    }

    /// What each of its changes did to the source.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn done(&self, key: &str) -> Result<Vec<Done>, EngineError> {
        let _ = key;
        Ok(Vec::new())
    }

    /// What results are judged by that have this source, if somebody kept it.
    fn jury(&self, source: &str) -> Option<Arc<Jury>> {
        let _ = source;
        None
    }

    /// Offers it for the next result of the same source.
    fn keep_jury(&self, source: &str, jury: &Arc<Jury>) {
        let _ = (source, jury);
    }

    /// Something that is kept beside what the recipe with this key makes, by its kind and its name.
    fn artefact(&self, key: &str, kind: &'static str, which: &str) -> Option<Vec<u8>> {
        let _ = (key, kind, which);
        None
    }

    /// The analysis with this [`Recipe::analysis_key`].
    ///
    /// # Errors
    /// See [`EngineError`].
    fn analysis(&self, key: &str) -> Result<Option<CollapseLog>, EngineError> {
        let _ = key;
        Ok(None)
    }

    /// What a first pass left before that analysis.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn first_pass(
        &self,
        key: &str,
        progress: &Progress,
    ) -> Result<Option<FirstPassed>, EngineError> {
        let _ = (key, progress);
        Ok(None)
    }
}

/// Files alone: nothing is kept.
impl Stock for FileSet<'_> {
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError> {
        let reading = Reading::new(progress, u64::MAX);
        Ok(ectome_formats::read_within(self, &reading)?)
    }
}

/// What a recipe made.
#[derive(Clone, Debug)]
pub struct Outcome {
    /// The mesh and its materials, polygons as they are.
    pub scene: Scene,
    /// What each change did to the source, in order.
    pub done: Vec<Done>,
    /// What the last cut did, if the recipe cuts.
    pub cut: Option<CutReport>,
    /// What the last cut looks like beside its source, in figures.
    pub proof: Option<Proof>,
    /// What the last step did to UVs, if it changed them.
    pub uv: Option<UvReport>,
    /// Pictures and fields, made by this run.
    pub artefacts: Vec<Artefact>,
    /// The key of the kept result whose other artefacts hold for this one too.
    pub artefacts_of: Option<String>,
    /// What a later cut of the same source may go on from.
    pub kept: Kept,
}

/// Runs a recipe.
///
/// # Errors
/// See [`EngineError`].
pub fn run(
    recipe: &Recipe,
    stock: &dyn Stock,
    progress: &Progress,
) -> Result<Outcome, EngineError> {
    let started = Instant::now();
    let run = Run::of(recipe, stock);
    let steps = recipe.steps.len();
    let mut out = run.make(steps, progress)?;
    progress.at(1.0)?;
    let measures = |s: &Step| matches!(s.nature(), Nature::Reduces | Nature::Rebuilds);
    if let Some(cut) = out
        .cut
        .as_mut()
        .filter(|_| recipe.steps.last().is_some_and(measures))
    {
        cut.took(started.elapsed());
    }
    if let Some(cut) = &mut out.cut {
        cut.describe(&out.scene);
    }
    let sheets = sheets::count(recipe);
    if let Some(proof) = out.proof.as_mut().filter(|_| sheets > 1) {
        proof.sheet_materials = sheets::materials(&out.scene.mesh, sheets);
    }
    Ok(Outcome {
        scene: out.scene,
        done: run.done.into_inner().into_values().collect(),
        cut: out.cut,
        proof: out.proof,
        uv: out.uv,
        artefacts: out.artefacts,
        artefacts_of: run.artefacts_of.into_inner(),
        kept: out.kept,
    })
}

/// What a recipe makes, read where it is kept and made where it is not; only the scene.
///
/// # Errors
/// See [`EngineError`].
pub fn scene(
    recipe: &Recipe,
    stock: &dyn Stock,
    progress: &Progress,
) -> Result<Scene, EngineError> {
    Run::of(recipe, stock).scene(recipe.steps.len(), progress)
}

/// Opens the source of a recipe's last cut, analysed and ready to be cut to any count.
///
/// # Errors
/// See [`EngineError`]; [`EngineError::Order`] for a recipe that does not cut.
pub fn open(
    recipe: &Recipe,
    stock: &dyn Stock,
    progress: &Progress,
) -> Result<Session, EngineError> {
    let run = Run::of(recipe, stock);
    let at = recipe.steps.len().saturating_sub(1);
    let settings = recipe.steps.get(at).and_then(Operation::analysis);
    let settings = settings.ok_or(EngineError::Order("does not end with a cut"))?;
    let input = Standing {
        run: &run,
        at,
        progress: progress.span(0.0, 0.2),
    };
    input.session(settings, &progress.span(0.2, 1.0))
}

/// A recipe that is being run.
struct Run<'a> {
    recipe: &'a Recipe,
    stock: &'a dyn Stock,
    /// What the changes did, by step.
    done: RefCell<BTreeMap<usize, Done>>,
    /// What the step before the one that runs now measured and left to look at.
    before: RefCell<Option<(Measurements, Vec<Artefact>)>>,
    artefacts_of: RefCell<Option<String>>,
}

impl<'a> Run<'a> {
    fn of(recipe: &'a Recipe, stock: &'a dyn Stock) -> Self {
        Self {
            recipe,
            stock,
            done: RefCell::default(),
            before: RefCell::default(),
            artefacts_of: RefCell::default(),
        }
    }

    /// The recipe of the first `steps` steps.
    fn first(&self, steps: usize) -> Recipe {
        Recipe {
            source: self.recipe.source.clone(),
            steps: self.recipe.steps[..steps].to_vec(),
        }
    }

    /// Runs the step that stands `steps`-th, and what it asks for.
    fn make(&self, steps: usize, progress: &Progress) -> Result<Output, EngineError> {
        let Some(at) = steps.checked_sub(1) else {
            return Err(EngineError::Order("does not start with reading its source"));
        };
        let step = &self.recipe.steps[at];
        let cost = |list: &[Step]| list.iter().map(Operation::cost).sum::<f32>();
        let begin = cost(&self.recipe.steps[..at]) / cost(&self.recipe.steps[..steps]);
        let own = progress.span(begin, 1.0);
        let input = Standing {
            run: self,
            at,
            progress: progress.span(0.0, begin),
        };
        progress.at(0.0)?;
        progress.stage(step.title());
        let mut out = step.run(&input, &own)?;
        own.at(1.0)?;
        if let Some(done) = out.done.clone() {
            self.done.borrow_mut().insert(at, done);
        }
        if step.nature() == Nature::Dresses
            && let Some((mut held, artefacts)) = self.before.take()
        {
            if step.replaces_uvs() {
                held = held.without_uvs();
            }
            out.cut = out.cut.or(held.cut);
            out.proof = out.proof.or(held.proof);
            if let (Some(proof), Some((views, maps, looks))) = (&mut out.proof, out.shading.take())
            {
                proof.shading = views;
                proof.maps = Some(maps);
                proof.looks = looks;
            }
            let own: Vec<&str> = out.artefacts.iter().map(|a| a.kind).collect();
            let held = artefacts.into_iter().filter(|a| !own.contains(&a.kind));
            out.artefacts.extend(held);
        }
        Ok(out)
    }

    /// What the first `steps` steps make.
    fn scene(&self, steps: usize, progress: &Progress) -> Result<Scene, EngineError> {
        if steps > 0 {
            let key = self.first(steps).key();
            if let Some(scene) = self.stock.scene(&key, progress)? {
                self.before
                    .replace(Some((self.stock.measurements(&key)?, Vec::new())));
                let is_change = |s: &usize| matches!(self.recipe.steps[*s], Step::Prepare(_));
                let changes = (0..steps).filter(is_change);
                self.done
                    .borrow_mut()
                    .extend(changes.zip(self.stock.done(&key)?));
                self.artefacts_of.replace(Some(key));
                return Ok(scene);
            }
        }
        let out = self.make(steps, progress)?;
        let measured = Measurements {
            cut: out.cut,
            proof: out.proof,
        };
        self.before.replace(Some((measured, out.artefacts)));
        Ok(out.scene)
    }
}

/// The first step that changes the surface, after the last that laid a new one.
fn first_reduction(steps: &[Step]) -> Option<usize> {
    let new = steps.iter().rposition(|s| s.nature() == Nature::Rebuilds);
    let from = new.map_or(0, |at| at + 1);
    let first = steps[from..]
        .iter()
        .position(|s| s.nature() == Nature::Reduces);
    first.map(|at| from + at)
}

/// A step that stands in a recipe, for which its [`Input`] is made.
struct Standing<'a> {
    run: &'a Run<'a>,
    /// Where the step stands.
    at: usize,
    /// For what is made before it.
    progress: Progress,
}

impl Standing<'_> {
    /// Names what [`origin`](Self::origin) and [`session`](Self::session) judge results against.
    fn judged_key(&self) -> String {
        let before = &self.run.recipe.steps[..self.at];
        match first_reduction(before) {
            None => {
                let key = self.run.first(self.at + 1).analysis_key();
                format!("analysed {}", key.unwrap_or_default())
            }
            Some(first) => {
                let bare = before[first..].iter().any(Operation::replaces_uvs);
                format!("{} {bare}", self.run.first(first).key())
            }
        }
    }
}

impl Input for Standing<'_> {
    fn is_first(&self) -> bool {
        self.at == 0
    }

    fn import(&self, progress: &Progress) -> Result<Scene, EngineError> {
        self.run.stock.import(progress)
    }

    fn brought(&self, files: &[BroughtFile], progress: &Progress) -> Result<Scene, EngineError> {
        self.run.stock.brought(files, progress)
    }

    fn changes(&self) -> Vec<Change> {
        self.run.recipe.changes()
    }

    fn key_with(&self, step: Step) -> String {
        let mut recipe = self.run.first(self.at);
        recipe.steps.push(step);
        recipe.key()
    }

    fn artefact(&self, key: &str, kind: &'static str, which: &str) -> Option<Vec<u8>> {
        self.run.stock.artefact(key, kind, which)
    }

    fn scene(&self) -> Result<Scene, EngineError> {
        let scene = self.run.scene(self.at, &self.progress)?;
        self.progress.stage(self.run.recipe.steps[self.at].title());
        Ok(scene)
    }

    fn with_all_parts(&self) -> Result<Scene, EngineError> {
        let before = &self.run.recipe.steps[..self.at];
        let prepares = |s: &Step| s.nature() == Nature::Prepares && !s.leaves_parts_out();
        let steps = before.iter().take_while(|s| prepares(s)).count();
        self.run.scene(steps, &self.progress.span(0.0, 0.3))
    }

    fn origin(&self) -> Result<Option<Origin>, EngineError> {
        let before = &self.run.recipe.steps[..self.at];
        let Some(first) = first_reduction(before) else {
            return Ok(None);
        };
        let quiet = self.progress.span(1.0, 1.0);
        let origin = self.run.scene(first, &quiet)?;
        let scene = triangulated(origin, &quiet)?;
        self.progress.stage(self.run.recipe.steps[self.at].title());
        Ok(Some(Origin {
            scene,
            // Then the UVs of what came before say nothing about what follows.
            is_skin: (before[..first].iter()).any(|s| matches!(s, Step::Rebuild(_))),
            has_other_uvs: before[first..].iter().any(Operation::replaces_uvs),
        }))
    }

    fn judged(&self, session: Session) -> Result<Session, EngineError> {
        let session = session.judged_against(self.origin()?);
        Ok(session.judged_by(self.run.stock.jury(&self.judged_key())))
    }

    fn keep_jury(&self, session: &Session) -> Result<(), EngineError> {
        self.run
            .stock
            .keep_jury(&self.judged_key(), session.jury()?);
        Ok(())
    }

    fn session(&self, settings: &CutSettings, progress: &Progress) -> Result<Session, EngineError> {
        let key = self.run.first(self.at + 1).analysis_key();
        let key = key.unwrap_or_default();
        let stock = self.run.stock;
        let worked = match stock.first_pass(&key, &self.progress)? {
            Some(kept) => Worked::kept(kept),
            None => {
                let scene = triangulated(self.scene()?, &self.progress)?;
                Worked::of(scene, settings, &progress.span(0.0, 0.5))?
            }
        };
        Session::open(worked, settings.clone(), stock.analysis(&key)?, progress)
    }
}
