//! One source, analysed once, cut to any number of counts.

use std::{
    sync::{Arc, OnceLock},
    time::Instant,
};

use ectome_compare::{Details, Report};
use ectome_formats::{Copy, Library, Scene, glb};
use ectome_intake::parts::{fold::Fold, mirror, repeats};
use ectome_mesh::{Cancelled, Mesh, Progress, measure};
use ectome_reduce::{
    CollapseLog, Cut, CutError, LARGE, Options, Replay, Size, analyse, first_pass, refine,
};
use serde_json::json;

use crate::{
    CardsReport, CutReport, CutSettings, EngineError, ErrorCurve, Keep, Target,
    flips::{settle_flips, undo_flips},
    jury::Jury,
    kept::{FirstPassed, Kept},
    leaves::Leaves,
    measured::{gone, part_at, report},
    proof::{self, Pair, Proven, prove},
    report::FirstPass,
    shortfall::HeldBy,
};

/// What merging flat regions would leave of a source.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FlatOutlook {
    /// Triangles where nothing may move.
    pub triangles: u64,
    /// A small distance, in millimetres…
    pub near_mm: f64,
    /// …and the triangles where what is flat within it is merged.
    pub near: u64,
}

/// A distance that hardly shows on something of a diagonal: the greatest of 1, 2 and 5 times a power of ten that is no more than a
/// five-thousandth of it.
fn near_mm(diagonal_mm: f64) -> f64 {
    let most = (diagonal_mm / 5e3).max(1e-6);
    let power = 10f64.powf(most.log10().floor());
    let step = [5.0, 2.0].into_iter().find(|s| s * power <= most);
    step.unwrap_or(1.0) * power
}

/// Larger sources are made ready to be judged after their analysis, not beside it: both together take twice the memory.
const JUDGED_MEANWHILE: usize = 2_000_000;

/// What the results of a session are judged against when it is not the session's own source.
pub struct Origin {
    /// A scene of triangles.
    pub scene: Scene,
    /// Its UVs are not those of the results: they were laid out anew.
    pub has_other_uvs: bool,
    /// It is a skin that was laid over a source: it has the shape and not the pictures.
    pub is_skin: bool,
}

/// A source of triangles with its analysis, ready to be cut.
pub struct Session {
    /// What is analysed: the source, or what a first pass left of it.
    source: Scene,
    /// Leaf cards, which are pruned, and what is cut without them.
    leaves: Option<Leaves>,
    /// What is cut when repeats are cut once; otherwise the source, without leaf cards.
    fold: Option<Fold>,
    /// Triangles of the source itself.
    triangles: usize,
    first_pass: Option<FirstPass>,
    /// This session made that pass.
    fresh_pass: bool,
    /// What results are judged against when it is not the source of this session: the source of a cut that is cut
    /// further.
    origin: Option<Origin>,
    /// The leaf cards of that.
    leaves_of_origin: Option<Leaves>,
    log: CollapseLog,
    replay: Replay,
    options: Options,
    /// Made when the first result is measured.
    jury: OnceLock<Arc<Jury>>,
    /// Seconds that finding equal parts took.
    seconds_searching: f64,
    /// Seconds the analysis took; 0 when an earlier one was used.
    seconds_analysis: f64,
    fresh: bool,
}

impl Session {
    /// Opens a scene of triangles. An earlier analysis is used if it belongs to it; otherwise one is made.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn new(
        source: Scene,
        settings: CutSettings,
        analysis: Option<CollapseLog>,
        progress: &Progress,
    ) -> Result<Self, EngineError> {
        let worked = Worked::of(source, &settings, &progress.span(0.0, 0.5))?;
        // The analysis is done by one core for most of its time: meanwhile others make the judge ready.
        let small = worked.scene.mesh.triangle_count() <= JUDGED_MEANWHILE;
        let judging = (analysis.is_none() && small).then(|| {
            let scene = worked.judged().clone();
            std::thread::spawn(move || Jury::of(&scene).inspect(|jury| jury.make_ready(&scene)))
        });
        // Work that is stopped ends at once and does not wait for the judge, which nobody asks for any more.
        let session = Self::open(worked, settings, analysis, progress)?;
        // A judge that was not made is made when the first result is measured, and says then what is wrong.
        let jury = judging.and_then(|thread| thread.join().ok()?.ok());
        Ok(session.judged_by(jury.map(Arc::new)))
    }

    /// The same after what a first pass left.
    pub(crate) fn open(
        worked: Worked,
        settings: CutSettings,
        analysis: Option<CollapseLog>,
        progress: &Progress,
    ) -> Result<Self, EngineError> {
        let progress = &match worked.first_pass {
            Some(_) => progress.span(0.5, 1.0),
            None => progress.clone(),
        };
        let mut worked = worked;
        worked.scene.copies.clear();
        let searching = Instant::now();
        let fold = folded(&worked.measured().mesh, &settings, progress)?;
        let seconds_searching = searching.elapsed().as_secs_f64();
        let mesh = fold.as_ref().map_or(&worked.measured().mesh, |f| &f.mesh);
        let options = settings.options(mesh);
        let known = analysis.and_then(|log| Some((Replay::new(mesh, &log).ok()?, log)));
        let started = Instant::now();
        let fresh = known.is_none();
        let (replay, log) = match known {
            Some(known) => known,
            None => {
                let mut log = analyse(mesh, &options, &progress.span(0.0, 0.7))?;
                if let Some(fold) = &fold {
                    log.set_weights(fold.face_weights());
                }
                let replay = Replay::new(mesh, &log).map_err(|_| {
                    EngineError::Order("analyses a source that is not made of triangles")
                })?;
                (replay, log)
            }
        };
        let seconds_analysis = if fresh {
            started.elapsed().as_secs_f64()
        } else {
            0.0
        };
        Ok(Self {
            triangles: match &worked.first_pass {
                Some(first) => first.of,
                None => worked.scene.mesh.triangle_count(),
            },
            source: worked.scene,
            leaves: worked.leaves,
            leaves_of_origin: None,
            first_pass: worked.first_pass,
            fresh_pass: worked.fresh,
            fold,
            origin: None,
            log,
            replay,
            options,
            jury: OnceLock::new(),
            seconds_searching,
            seconds_analysis,
            fresh,
        })
    }

    /// Judges results against `origin`, which this session's source was made of.
    #[must_use]
    pub fn judged_against(mut self, origin: Option<Origin>) -> Self {
        self.leaves_of_origin = origin.as_ref().and_then(|o| Leaves::of(&o.scene));
        self.origin = origin;
        self
    }

    /// With a jury of what results are judged against, which somebody kept.
    #[must_use]
    pub(crate) fn judged_by(self, jury: Option<Arc<Jury>>) -> Self {
        let seat = jury.map_or_else(OnceLock::new, OnceLock::from);
        Self { jury: seat, ..self }
    }

    /// What results are judged against.
    fn judged(&self) -> &Scene {
        self.origin.as_ref().map_or(&self.source, |o| &o.scene)
    }

    /// The same as it is measured: without leaf cards, where results are measured without them too.
    fn measured(&self) -> &Scene {
        let leaves = match (&self.origin, &self.leaves) {
            (None, own) => own.as_ref(),
            (Some(_), None) => None,
            (Some(_), Some(_)) => self.leaves_of_origin.as_ref(),
        };
        let rest = leaves.map(|l| &l.rest).filter(|r| r.mesh.face_count() > 0);
        rest.unwrap_or(self.judged())
    }

    /// The expected largest deviation in metres against triangles, heaviest first.
    pub fn error_curve(&self) -> ErrorCurve {
        let list = self.log.error_curve(CURVE_PLACES);
        match &self.leaves {
            None => list.into(),
            Some(leaves) => {
                let all = |(rest, error)| (leaves.for_all(&self.source.mesh, rest), error);
                list.into_iter().map(all).collect::<Vec<_>>().into()
            }
        }
    }

    /// What this session made that others go on from.
    pub fn into_kept(self) -> Kept {
        let (scene, fresh) = (self.source, self.fresh_pass);
        let first_pass = self.first_pass.filter(|_| fresh);
        Kept {
            analysis: self.fresh.then_some(self.log),
            first_pass: first_pass.map(|report| FirstPassed { scene, report }),
        }
    }

    /// The analysis, whoever made it.
    pub fn analysis(&self) -> &CollapseLog {
        &self.log
    }

    /// What merging flat regions would leave: of those that are flat, and of those that nearly are.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn flat_outlook(&self, progress: &Progress) -> Result<FlatOutlook, EngineError> {
        let protect = match self.fold {
            None => self.options.protect.clone(),
            Some(_) => Vec::new(),
        };
        let mesh = &self.source.mesh;
        let left = |within_mm: f64, progress: &Progress| -> Result<u64, EngineError> {
            let options = Options {
                protect: protect.clone(),
                flat_within_m: (within_mm / 1e3) as f32,
                ..self.options.clone()
            };
            let cut = ectome_reduce::merge_flat(mesh, &options, progress)?;
            Ok(cut.mesh.triangle_count() as u64)
        };
        let near_mm = near_mm(f64::from(measure::bounds(mesh).diagonal()) * 1e3);
        Ok(FlatOutlook {
            triangles: left(0.0, &progress.span(0.0, 0.5))?,
            near_mm,
            near: left(near_mm, &progress.span(0.5, 1.0))?,
        })
    }

    /// Triangles of the source.
    pub fn triangles(&self) -> usize {
        self.triangles
    }

    /// A look at the result for `target` triangles, or for the fewest that can be had, as a GLB: geometry and the names of its
    /// materials, no pictures. Not measured, not kept.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn preview(&self, target: usize) -> Result<(Vec<u8>, usize), EngineError> {
        self.reaches(target)?;
        let cut = self.replayed(self.for_rest(target).max(self.replay.least()))?;
        let (mesh, _) = self.with_leaves(self.unfolded(&cut), target);
        let triangles = mesh.triangle_count();
        let library = Library {
            materials: (0..self.source.library.materials.len() as u32)
                .map(|m| json!({ "name": self.source.library.name(m), "extras": { "number": m } }))
                .collect(),
            ..Library::default()
        };
        let scene = Scene {
            mesh,
            library,
            ..Scene::default()
        };
        Ok((glb::write(&scene, &glb::Options::default())?, triangles))
    }

    /// What is analysed and cut.
    fn worked(&self) -> &Mesh {
        let whole = self.leaves.as_ref().map_or(&self.source, |l| &l.rest);
        self.fold.as_ref().map_or(&whole.mesh, |f| &f.mesh)
    }

    /// Of so many triangles, those that are not for leaf cards.
    fn for_rest(&self, target: usize) -> usize {
        let whole = &self.source.mesh;
        (self.leaves.as_ref()).map_or(target, |l| l.for_rest(whole, target))
    }

    /// A cut with as many leaf cards as have room.
    fn with_leaves(&self, cut: Mesh, target: usize) -> (Mesh, Option<CardsReport>) {
        match &self.leaves {
            None => (cut, None),
            Some(leaves) => {
                let (mesh, report) = leaves.with(&self.source.mesh, &cut, target);
                (mesh, Some(report))
            }
        }
    }

    /// A cut with its copies put back.
    fn unfolded(&self, cut: &Cut) -> Mesh {
        match &self.fold {
            None => cut.mesh.clone(),
            Some(fold) => fold.unfold(&cut.mesh, &cut.point_source),
        }
    }

    fn replayed(&self, target: usize) -> Result<Cut, EngineError> {
        let mesh = self.worked();
        let cut = self.replay.at(mesh, &self.log, target);
        cut.map_err(|e| match e {
            CutError::Held {
                target,
                reached,
                held,
            } => EngineError::Held {
                target,
                reached,
                held: HeldBy::list(&held, mesh),
            },
            other => other.into(),
        })
    }

    /// What a first pass took cannot come back.
    fn reaches(&self, target: usize) -> Result<(), EngineError> {
        match &self.first_pass {
            Some(first) if target > first.triangles => Err(EngineError::BeyondFirstPass {
                target,
                triangles: self.triangles,
                most: first.triangles,
            }),
            _ => Ok(()),
        }
    }

    /// Cuts to a target, fits the result to the source once more and measures the result against the source.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn cut(
        &self,
        target: Target,
        progress: &Progress,
    ) -> Result<(Scene, CutReport), EngineError> {
        let Cutting { scene, report, .. } = self.cut_measured(target, progress)?;
        Ok((scene, report))
    }

    /// The same with its proof.
    ///
    /// # Errors
    /// See [`EngineError`].
    pub fn cut_proven(
        &self,
        target: Target,
        progress: &Progress,
    ) -> Result<(Scene, CutReport, Proven), EngineError> {
        let made = self.cut_measured(target, &progress.span(0.0, 0.9))?;
        progress.stage("Proving");
        let started = Instant::now();
        let jury = self.jury()?;
        let shown = self.fine_look();
        let shown = shown.as_ref().unwrap_or(&self.measured().mesh);
        let measured = (&made.measured, &made.details);
        let seen = Pair {
            high: self.judged(),
            low: &made.scene,
        };
        let pair = Pair {
            high: self.measured(),
            low: made.rest.as_ref().unwrap_or(&made.scene),
        };
        let mut proven = prove(pair, seen, jury, shown, measured)?;
        if self.origin.as_ref().is_some_and(|o| o.is_skin) {
            proven = proven.without_look();
        }
        progress.at(1.0)?;
        let report = CutReport {
            seconds_proving: started.elapsed().as_secs_f64(),
            ..made.report
        };
        Ok((made.scene, report, proven))
    }

    /// The source as a field is shown on it: of a heavy one, a cut that looks the same.
    fn fine_look(&self) -> Option<Mesh> {
        let heavy = self.measured().mesh.triangle_count() > proof::SHOWN;
        let fine = (heavy && self.origin.is_none()).then(|| self.replayed(proof::SHOWN).ok())??;
        Some(self.unfolded(&fine))
    }

    /// What results are judged by, made when the first is.
    pub(crate) fn jury(&self) -> Result<&Arc<Jury>, EngineError> {
        if let Some(jury) = self.jury.get() {
            return Ok(jury);
        }
        let mut jury = Jury::of(self.measured())?;
        if self.origin.as_ref().is_some_and(|o| o.has_other_uvs) {
            jury = jury.without_uvs();
        }
        let jury = Arc::new(jury);
        Ok(self.jury.get_or_init(|| jury))
    }

    fn cut_measured(&self, target: Target, progress: &Progress) -> Result<Cutting, EngineError> {
        match target {
            Target::WithinMm(mm) => self.fewest_within(mm / 1e3, progress),
            _ => self.cut_to(target.triangles(self.triangles()), progress),
        }
    }

    /// The fewest triangles whose measured deviation is at most `limit_m`. The error curve says where to begin; deviation
    /// falls about as triangles grow, which the next guess goes by.
    fn fewest_within(&self, limit_m: f64, progress: &Progress) -> Result<Cutting, EngineError> {
        if !(limit_m > 0.0 && limit_m.is_finite()) {
            return Err(EngineError::Order("permits a deviation of nothing"));
        }
        let most = self.triangles().saturating_sub(1).max(4);
        let curve = self.error_curve();
        let least = curve.least() as usize;
        let mut n = (curve.needs(limit_m) as usize).clamp(least, most.max(least));
        // Counts known to be too few, and the fewest known to hold.
        let (mut fails, mut best): (usize, Option<Cutting>) = (least - 1, None);
        for round in 0..TRIES {
            let part = round as f32 / TRIES as f32;
            let made = self.cut_to(n, &progress.span(part, part + 1.0 / TRIES as f32))?;
            let off = made.report.deviation_max_mm / 1e3;
            if off <= limit_m {
                let close = off > limit_m * 0.9;
                best = Some(made);
                if close {
                    break;
                }
            } else {
                fails = fails.max(n);
            }
            let holds = best.as_ref().map_or(most + 1, |b| b.report.target);
            let guess = n as f64 * (off / (limit_m * 0.95)).clamp(0.25, 4.0);
            n = (guess as usize).clamp(fails + 1, holds.saturating_sub(1).max(fails + 1));
            if n >= holds || n > most {
                break;
            }
        }
        best.ok_or(EngineError::NotWithin {
            limit_mm: limit_m * 1e3,
            tried: fails,
            from_another: self.origin.is_some(),
        })
    }

    fn cut_to(&self, target: usize, progress: &Progress) -> Result<Cutting, EngineError> {
        if target < 4 {
            return Err(EngineError::TargetTooSmall { target });
        }
        if self.triangles() <= target {
            return Err(EngineError::NothingToCut {
                triangles: self.triangles(),
                target,
            });
        }
        self.reaches(target)?;
        progress.stage("Cutting");
        progress.at(0.7)?;
        let started = Instant::now();
        let mesh = &self.measured().mesh;
        let mut cut = self.replayed(self.for_rest(target))?;
        let seconds_replay = started.elapsed().as_secs_f64();
        let started = Instant::now();
        progress.stage("Fitting");
        let judge = &self.jury()?.judge;
        let plain = cut.mesh.points.clone();
        refine(
            self.worked(),
            &self.options,
            &mut cut,
            &progress.span(0.72, 0.82),
        )?;
        undo_flips(judge, &mut cut, &plain);
        if self.options.keep == Keep::default() && self.options.protect.is_empty() {
            settle_flips(judge, &mut cut.mesh);
        }
        cut.mesh = self.unfolded(&cut);
        let seconds_fitting = started.elapsed().as_secs_f64();
        progress.stage("Measuring");
        let started = Instant::now();
        // Of what is nothing but leaf cards there is nothing to measure: it is beside itself.
        let low = if cut.mesh.face_count() > 0 {
            &cut.mesh
        } else {
            mesh
        };
        let (measured, details) = judge.examine(mesh, low, &progress.span(0.82, 1.0))?;
        let before = match &self.origin {
            None => self.triangles(),
            Some(origin) => origin.scene.mesh.triangle_count(),
        };
        let mut report = CutReport {
            deviation_worst_part: part_at(mesh, judge.surface(), measured.counted.worst_at_m),
            seconds_fitting,
            target,
            seconds_searching: self.seconds_searching,
            seconds_analysis: self.seconds_analysis,
            seconds_replay,
            seconds_measuring: started.elapsed().as_secs_f64(),
            ..report(&cut, &measured, mesh, before)
        };
        if let Some(first) = &self.first_pass {
            first.add_to(&mut report, measured.diagonal_m);
        }
        let copies = self.fold.as_ref().map_or_else(Vec::new, copies_of);
        report.copies = copies.len();
        let (whole, cards) = self.with_leaves(cut.mesh.clone(), target);
        report.cards = cards;
        report.triangles_after = whole.triangle_count();
        report.gone = gone(&self.source, &whole);
        let rest = cards.map(|_| Scene {
            mesh: if cut.mesh.face_count() > 0 {
                cut.mesh
            } else {
                mesh.clone()
            },
            library: self.source.library.clone(),
            ..Scene::default()
        });
        let scene = Scene {
            mesh: whole,
            library: self.source.library.clone(),
            copyright: self.source.copyright.clone(),
            copies,
            notes: self.source.notes.clone(),
        };
        Ok(Cutting {
            scene,
            rest,
            report,
            measured,
            details,
        })
    }
}

/// How many places of an error curve are kept.
pub const CURVE_PLACES: usize = 160;

/// How often a count is tried when the fewest triangles for a deviation are looked for.
const TRIES: usize = 7;

/// A cut with all that was measured of it.
struct Cutting {
    scene: Scene,
    /// What was measured, where that is not all of it.
    rest: Option<Scene>,
    report: CutReport,
    measured: Report,
    details: Details,
}

/// What is analysed and cut: a source of triangles, or what a first pass left of one that is too large to analyse at once.
pub(crate) struct Worked {
    scene: Scene,
    /// Its leaf cards. What has to go through a first pass is cut as it is.
    leaves: Option<Leaves>,
    first_pass: Option<FirstPass>,
    /// The pass was made here and now.
    fresh: bool,
}

impl Worked {
    /// What a first pass left earlier.
    pub fn kept(kept: FirstPassed) -> Self {
        Self {
            scene: kept.scene,
            leaves: None,
            first_pass: Some(kept.report),
            fresh: false,
        }
    }

    /// What is analysed: the scene without leaf cards.
    fn measured(&self) -> &Scene {
        self.leaves.as_ref().map_or(&self.scene, |l| &l.rest)
    }

    /// What results are measured against: the same, or all of it where there is nothing but leaf cards.
    fn judged(&self) -> &Scene {
        let rest = self.measured();
        if rest.mesh.face_count() > 0 {
            rest
        } else {
            &self.scene
        }
    }

    /// A source of triangles; one of more than [`ectome_reduce::LARGE`] is cut block by block first.
    pub fn of(
        mut scene: Scene,
        settings: &CutSettings,
        progress: &Progress,
    ) -> Result<Self, EngineError> {
        let leaves = Leaves::of(&scene);
        let analysed = leaves.as_ref().map_or(&scene, |l| &l.rest);
        if analysed.mesh.triangle_count() <= LARGE {
            return Ok(Self {
                scene,
                leaves,
                first_pass: None,
                fresh: false,
            });
        }
        let first_pass = FirstPass::of(&mut scene, settings, progress)?;
        Ok(Self {
            scene,
            leaves: None,
            first_pass: Some(first_pass),
            fresh: true,
        })
    }
}

impl FirstPass {
    /// Replaces the mesh of a source.
    fn of(
        source: &mut Scene,
        settings: &CutSettings,
        progress: &Progress,
    ) -> Result<Self, EngineError> {
        let of = source.mesh.triangle_count();
        let options = settings.options(&source.mesh);
        let done = first_pass(&source.mesh, &options, Size::default(), progress)?;
        source.mesh = done.mesh;
        Ok(Self {
            of,
            triangles: source.mesh.triangle_count(),
            blocks: done.blocks,
            deviation_mean_mm: done.mean_m * 1e3,
            deviation_max_mm: done.largest_m * 1e3,
            measured_points: done.measured,
            seconds: done.seconds,
        })
    }

    /// Deviations of a result were measured against what this pass left. By the triangle inequality the
    /// source itself is at most this pass's deviation further away.
    fn add_to(&self, report: &mut CutReport, diagonal_m: f64) {
        let percent = |mm: f64| mm / (diagonal_m * 1e3) * 100.0;
        report.deviation_mean_mm += self.deviation_mean_mm;
        report.deviation_max_mm += self.deviation_max_mm;
        report.deviation_mean_percent_of_diagonal += percent(self.deviation_mean_mm);
        report.deviation_max_percent_of_diagonal += percent(self.deviation_max_mm);
        report.first_pass = Some(self.clone());
    }
}

/// Folds the repeats of a mesh. A painted region tells copies apart, so there nothing is folded.
fn folded(
    mesh: &Mesh,
    settings: &CutSettings,
    progress: &Progress,
) -> Result<Option<Fold>, Cancelled> {
    if !settings.region.balls.is_empty() {
        return Ok(None);
    }
    let groups = if settings.reuse_repeats {
        repeats::find(mesh, progress)?
    } else {
        Vec::new()
    };
    let halves = if settings.reuse_halves {
        mirror::find(mesh, progress)?
    } else {
        Vec::new()
    };
    Ok(Fold::of(mesh, &groups, &halves))
}

/// The copies of a fold as a writer stores them.
fn copies_of(fold: &Fold) -> Vec<Copy> {
    fold.reused()
        .into_iter()
        .flat_map(|r| {
            r.copies.into_iter().map(move |(part, motion)| Copy {
                of: r.part,
                part,
                motion,
            })
        })
        .collect()
}
