//! Takes work and does it.
//!
//! ```text
//! take ─▶ kernel, which asks for what is kept ─▶ store and record ─▶ end
//!           └───────── heartbeat: lease, progress, "go on?" ─────────┘
//! ```
//!
//! Two lanes run side by side: one takes light work only, so that a small source never waits behind a large one. Whatever
//! the work is at, it is dropped within a moment of its row saying that nobody wants it any more. A database that goes away
//! meanwhile is waited for.

mod fault;
mod identity;
mod kernel;
mod lane;
mod record;

use std::{
    panic::{AssertUnwindSafe, catch_unwind},
    time::Duration,
};

use ectome_formats::files::{MESHES, extension_of};
use ectome_mesh::{Glimpse, Progress};
use ectome_recipe::{EngineError, Recipe, picture};
use tokio::sync::watch;
use tracing::Instrument;

use crate::{
    Store, StoreError,
    stock::StoreStock,
    work::{Accepts, Kind, Lane, MOST_CRASHES, State, Work},
};
pub use identity::Identity;
use kernel::{Made, Task};
use lane::Resources;

/// How often an idle worker looks for work.
const IDLE: Duration = Duration::from_millis(200);
/// How often a busy one reports.
const BEAT: Duration = Duration::from_millis(300);
/// How often it shows what it has made so far.
const GLIMPSE: Duration = Duration::from_millis(900);
/// How long a worker waits for what it dropped. The kernel asks between its steps whether to go on, and a few steps over a
/// million triangles take longer than a person waits: those run out by themselves while the next work begins.
const GRACE: Duration = Duration::from_millis(500);

/// How often a worker says that it is there.
const REPORT: Duration = Duration::from_secs(5);

/// Works until `stop` turns true, on everything that it `accepts`.
pub async fn run(store: Store, accepts: Accepts, stop: watch::Receiver<bool>) {
    let identity = Identity::own();
    // Whoever ran here and is no more holds nothing.
    let dead = store.release_leases(|name| identity.knows_dead(name));
    if let Err(error) = dead.await {
        tracing::error!(%error, "leases could not be released");
    }
    let lanes = [(Lane::Light, "light"), (Lane::Any, "heavy")].map(|(lane, word)| {
        let worker = Worker {
            store: store.clone(),
            name: format!("{} {word}", identity.name()),
            lane,
            accepts: accepts.clone(),
            stop: stop.clone(),
        };
        tokio::spawn(worker.run())
    });
    report(&store, &identity.name(), &accepts, stop).await;
    for lane in lanes {
        let _ = lane.await;
    }
    if let Err(error) = store.forget_worker(&identity.name()).await {
        tracing::warn!(%error, "a worker that ends could not say so");
    }
}

async fn report(store: &Store, name: &str, accepts: &Accepts, mut stop: watch::Receiver<bool>) {
    while !*stop.borrow() {
        if let Err(error) = store.report_worker(name, accepts).await {
            tracing::warn!(%error, "a worker could not say that it is there");
        }
        tokio::select! {
            () = tokio::time::sleep(REPORT) => {}
            _ = stop.changed() => {}
        }
    }
}

/// One lane.
struct Worker {
    store: Store,
    name: String,
    lane: Lane,
    accepts: Accepts,
    stop: watch::Receiver<bool>,
}

/// How far a piece of work came.
enum End {
    /// It is recorded.
    Done,
    /// Its row says that nobody wants it any more, or somebody else has it.
    Dropped,
    /// The worker is asked to stop.
    Stopping,
    /// It failed, and why.
    Failed(String),
}

impl Worker {
    async fn run(mut self) {
        let resources = match Resources::of(self.lane, self.accepts.memory) {
            Ok(resources) => resources,
            Err(error) => return tracing::error!(%error, "a lane has no threads"),
        };
        while !*self.stop.borrow() {
            // New work waits while there is no room for what it makes.
            let taken = if self.store.disk.is_low() {
                Ok(None)
            } else {
                let store = &self.store;
                store.take_work(&self.name, self.lane, &self.accepts).await
            };
            match taken {
                Ok(Some(work)) => {
                    let span = tracing::warn_span!(
                        "work",
                        id = work.id,
                        asset = work.asset,
                        doing = work.doing()
                    );
                    let begun = tokio::time::Instant::now();
                    let done = self.one(&work, &resources).instrument(span.clone()).await;
                    span.in_scope(|| {
                        tracing::info!(seconds = begun.elapsed().as_secs_f64(), "over")
                    });
                    if let Err(error) = done {
                        tracing::error!(work = work.id, %error, "work could not be recorded");
                    }
                    continue;
                }
                Ok(None) => {}
                Err(error) => tracing::warn!(%error, "no work could be taken"),
            }
            tokio::select! {
                () = tokio::time::sleep(IDLE) => {}
                _ = self.stop.changed() => {}
            }
        }
    }

    /// Does one piece of work and ends its row.
    async fn one(&self, work: &Work, resources: &Resources) -> Result<(), StoreError> {
        let again = match work.attempts {
            0 | 1 => String::new(),
            n => format!(", attempt {n}"),
        };
        let taken = format!("Taken by {}{again}", self.name);
        self.store.log_work(work.id, &taken).await;
        let end = if work.crashes >= MOST_CRASHES {
            End::Failed(fault::of_crashes(work, lane::machine()))
        } else {
            match self.do_it(work, resources).await {
                Ok(end) => end,
                Err(error) if error.is_outage() => End::Stopping,
                Err(error) => End::Failed(fault::of_store(&error, &self.store)),
            }
        };
        let says = match &end {
            End::Done => "Done",
            End::Dropped => "Dropped: nobody wants it any more",
            End::Stopping => "Put back: the worker stops",
            End::Failed(fault) => fault.as_str(),
        };
        self.store.log_work(work.id, says).await;
        match end {
            End::Done => {
                self.store
                    .end_work(work, &self.name, State::Done, None)
                    .await
            }
            End::Dropped => Ok(()),
            End::Stopping => self.store.put_back(work, &self.name).await,
            End::Failed(fault) => {
                self.fail(work, &fault).await?;
                self.store
                    .end_work(work, &self.name, State::Failed, Some(&fault))
                    .await
            }
        }
    }

    async fn do_it(&self, work: &Work, resources: &Resources) -> Result<End, StoreError> {
        let progress = Progress::new();
        let asking = async {
            let Some(recipe) = self.recipe(work).await? else {
                return Ok(None);
            };
            let budget = resources.budget;
            let task = self.task(work, &recipe, budget, &progress).await?;
            Ok::<_, StoreError>(Some((recipe, task)))
        };
        let (recipe, task) = match self.beside(work, &progress, asking).await? {
            Beside::Ended(Ok(Some(asked))) => asked,
            // What was wanted is there already: an earlier piece of work made it.
            Beside::Ended(Ok(None)) => return Ok(End::Done),
            Beside::Ended(Err(error)) => return Err(error),
            Beside::Dropped => return Ok(End::Dropped),
            Beside::Stopping => return Ok(End::Stopping),
        };
        let made = {
            let (progress, threads) = (progress.clone(), resources.threads.clone());
            tokio::task::spawn_blocking(move || {
                threads.install(|| catch_unwind(AssertUnwindSafe(|| kernel::run(&task, &progress))))
            })
        };
        let made = match self.beside(work, &progress, made).await? {
            Beside::Ended(Ok(Ok(Ok(made)))) => made,
            Beside::Ended(Ok(Ok(Err(EngineError::Cancelled(_))))) | Beside::Dropped => {
                return Ok(End::Dropped);
            }
            Beside::Ended(Ok(Ok(Err(error)))) => return Ok(End::Failed(fault::of_kernel(&error))),
            Beside::Ended(Ok(Err(_)) | Err(_)) => return Ok(End::Failed(fault::OWN.to_owned())),
            Beside::Stopping => return Ok(End::Stopping),
        };
        progress.stage("Storing");
        let recording = self.record(work, &recipe, made);
        match self.beside(work, &progress, recording).await? {
            Beside::Ended(recorded) => recorded.map(|()| End::Done),
            Beside::Dropped => Ok(End::Dropped),
            Beside::Stopping => Ok(End::Stopping),
        }
    }

    async fn record(&self, work: &Work, recipe: &Recipe, made: Made) -> Result<(), StoreError> {
        let naming = self.store.naming().await?;
        record::record(&self.store, work, recipe, made).await?;
        naming.confirm().await
    }

    /// Runs `doing` to its end and reports meanwhile. Where the row says that it is not wanted any more, it is asked to stop
    /// and waited for a moment; when the worker itself stops, to its end.
    async fn beside<T>(
        &self,
        work: &Work,
        progress: &Progress,
        doing: impl Future<Output = T>,
    ) -> Result<Beside<T>, StoreError> {
        tokio::pin!(doing);
        let mut why = None;
        let mut dropped: Option<tokio::time::Instant> = None;
        let mut shown = tokio::time::Instant::now();
        let mut logged = String::new();
        loop {
            tokio::select! {
                done = &mut doing => {
                    return Ok(match why {
                        None => Beside::Ended(done),
                        Some(why) => why,
                    });
                }
                () = tokio::time::sleep(BEAT) => {}
            }
            if dropped.is_some_and(|at| at.elapsed() >= GRACE) {
                return Ok(Beside::Dropped);
            }
            if why.is_some() {
                continue;
            }
            if *self.stop.borrow() {
                progress.cancel();
                why = Some(Beside::Stopping);
                continue;
            }
            let stage = progress.current_stage();
            if stage != logged && !stage.is_empty() {
                let says = format!("{stage}, at {:.0} %", progress.fraction() * 100.0);
                self.store.log_work(work.id, &says).await;
                logged.clone_from(&stage);
            }
            let beat =
                self.store
                    .heartbeat(work, &self.name, progress.fraction(), &stage, lane::held());
            match beat.await {
                Ok(true) => {
                    if shown.elapsed() >= GLIMPSE
                        && let Some(glimpse) = progress.take_glimpse()
                        && let Err(error) = self.show(work, glimpse).await
                    {
                        tracing::warn!(work = work.id, %error, "no glimpse");
                    }
                    if shown.elapsed() >= GLIMPSE {
                        shown = tokio::time::Instant::now();
                    }
                }
                Ok(false) => {
                    progress.cancel();
                    why = Some(Beside::Dropped);
                    dropped = Some(tokio::time::Instant::now());
                }
                // The row is ours until somebody says otherwise; the database will be back.
                Err(error) => tracing::warn!(work = work.id, %error, "no heartbeat"),
            }
        }
    }

    /// Keeps a glimpse of what the work has made so far, where pages find it.
    async fn show(&self, work: &Work, mut glimpse: Glimpse) -> Result<(), StoreError> {
        let of = std::mem::take(&mut glimpse.of);
        let png = tokio::task::spawn_blocking(move || picture::of_glimpse(&glimpse)).await;
        match png {
            Ok(png) => self.store.show_glimpse(work, &of, png).await,
            Err(_) => Ok(()),
        }
    }

    /// What the work is to make; `None` when that is there.
    async fn recipe(&self, work: &Work) -> Result<Option<Recipe>, StoreError> {
        let store = &self.store;
        Ok(Some(match (work.kind, &work.candidate) {
            (Kind::Make, Some(hash)) => store.recipe(hash).await?,
            (Kind::Analyse, _) => store.asset(work.asset).await?.recipe(4),
            (Kind::Prepare, _) => {
                let asset = store.asset(work.asset).await?;
                match &asset.wanted {
                    Some(changes) => Recipe::prepared(&asset.source, changes),
                    None => return Ok(None),
                }
            }
            (Kind::Parcel, _) => {
                let asset = store.asset(work.asset).await?;
                Recipe::prepared(&asset.source, &asset.preparation)
            }
            (Kind::Plan, _) => {
                let asset = store.asset(work.asset).await?;
                Recipe::whole(&asset.source, &asset.preparation)
            }
            _ => Recipe::prepared(&store.asset(work.asset).await?.source, &[]),
        }))
    }

    /// Everything the kernel needs.
    async fn task(
        &self,
        work: &Work,
        recipe: &Recipe,
        budget: u64,
        progress: &Progress,
    ) -> Result<Task, StoreError> {
        let files = self.store.source_files(work.asset).await?;
        let extensions = files.iter().map(|f| extension_of(&f.name).to_owned());
        let is_mesh = |e: &String| MESHES.iter().any(|m| m.eq_ignore_ascii_case(e));
        Ok(Task {
            kind: work.kind,
            recipe: recipe.clone(),
            extension: extensions.into_iter().find(is_mesh).unwrap_or_default(),
            stock: StoreStock::of(&self.store, work.asset, budget, progress),
            plan: match work.batch {
                Some(batch) => {
                    let (chosen, _, brief) = self.store.batch_task(batch, work.asset).await?;
                    let asset = self.store.asset(work.asset).await?;
                    Some(Box::new(kernel::PlanTask {
                        chosen,
                        brief,
                        inspection: asset.inspection.unwrap_or_default(),
                    }))
                }
                None => None,
            },
            parcel: match work.parcel {
                Some(id) => Some(Box::new(self.store.parcel_task(id).await?)),
                None => None,
            },
        })
    }

    async fn fail(&self, work: &Work, fault: &str) -> Result<(), StoreError> {
        let store = &self.store;
        match (work.kind, &work.candidate) {
            (Kind::Intake, _) => store.fail_intake(work.asset, fault).await,
            (Kind::Prepare, _) => store.fail_preparation(work.asset, fault).await,
            (Kind::Plan, _) => match work.batch {
                Some(batch) => store.fail_plan(batch, work.asset, fault).await,
                None => Ok(()),
            },
            (Kind::Parcel, _) => match work.parcel {
                Some(id) => store.fail_parcel(id, fault).await,
                None => Ok(()),
            },
            (_, Some(hash)) => store.fail_candidate(hash, fault).await,
            // An analysis that failed or was stopped leaves the asset as it was; a cut makes it again.
            (_, None) => Ok(()),
        }
    }
}

/// How something that ran beside heartbeats came out.
enum Beside<T> {
    Ended(T),
    Dropped,
    Stopping,
}
