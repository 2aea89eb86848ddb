//! The store as the engine asks it: what is kept is read, what is damaged counts as not kept.

use std::sync::{Arc, Mutex};

use bytes::Bytes;
use ectome_formats::{FileSet, FormatError, Reading, Scene, native};
use ectome_mesh::Progress;
use ectome_recipe::{
    CollapseLog, Done, EngineError, FirstPass, FirstPassed, Jury, Measurements, Stock,
    step::BroughtFile,
};
use serde::de::DeserializeOwned;
use tokio::runtime::Handle;

use crate::{
    Store, StoreError,
    artefact::{Artefacts, kind},
    document::stored,
};

/// Sources of more triangles than this are made ready for judging each time: what is kept takes about 150 bytes for each.
const JUDGED: usize = 4_000_000;

/// What the last source was judged by, and its name. Only a cache: tiers of a chain are judged one after another.
#[derive(Clone, Default)]
pub(crate) struct Juries(Arc<Mutex<Option<Kept>>>);

/// What is in it.
type Kept = (String, Arc<Jury>);

/// How long a database that is away is left alone before it is asked again.
const AWAY: std::time::Duration = std::time::Duration::from_millis(500);

/// What is kept for the recipes of one asset. Asked on threads of the kernel, which wait meanwhile.
pub struct StoreStock {
    store: Store,
    asset: u64,
    budget: u64,
    progress: Progress,
    runtime: Handle,
}

impl StoreStock {
    /// The stock of an asset. Reading may take at most about `budget` bytes of memory; whoever waits stops waiting when
    /// `progress` is cancelled. To be made where a runtime is.
    pub fn of(store: &Store, asset: u64, budget: u64, progress: &Progress) -> Self {
        Self {
            store: store.clone(),
            asset,
            budget,
            progress: progress.clone(),
            runtime: Handle::current(),
        }
    }

    /// Asks the store and waits, also for a database that is away for a while.
    fn ask<T>(
        &self,
        mut question: impl AsyncFnMut(&Store) -> Result<T, StoreError>,
    ) -> Result<T, EngineError> {
        loop {
            self.progress.go_on()?;
            match self.runtime.block_on(question(&self.store)) {
                Err(error) if error.is_outage() => std::thread::sleep(AWAY),
                other => return other.map_err(|e| EngineError::Stock(e.to_string())),
            }
        }
    }

    fn artefacts(&self, owner: &str) -> Result<Artefacts, EngineError> {
        self.ask(async |store| store.artefacts(owner).await)
    }

    fn bytes(&self, blob: &str) -> Result<Bytes, EngineError> {
        self.ask(async |store| store.blobs.open(blob).await)
    }

    /// Reads files that belong together, given by name and blob, the mesh first.
    fn read<'a>(
        &self,
        files: impl Iterator<Item = (&'a str, &'a str)>,
        progress: &Progress,
    ) -> Result<Scene, EngineError> {
        let open = files.map(|(name, blob)| Ok((name, self.bytes(blob)?)));
        let files = open.collect::<Result<Vec<_>, EngineError>>()?;
        let set = FileSet::new(files.iter().map(|(n, b)| (*n, &b[..])));
        Ok(ectome_formats::read_within(
            &set,
            &Reading::new(progress, self.budget),
        )?)
    }

    /// A kept scene; `None` when it, or a picture of it, is not there or damaged: then it is made again.
    fn kept(&self, blob: Option<&str>, progress: &Progress) -> Result<Option<Scene>, EngineError> {
        let Some(blob) = blob else { return Ok(None) };
        let reading = Reading::new(progress, self.budget);
        let fetch = |name: &str| self.bytes(name).ok().map(|b| b.to_vec());
        let read = match self.bytes(blob) {
            Ok(bytes) => native::read("a kept scene", &bytes, &fetch, &reading),
            Err(EngineError::Stock(why)) => {
                tracing::warn!(blob, why, "a kept scene cannot be had and is made again");
                return Ok(None);
            }
            Err(other) => return Err(other),
        };
        match read {
            Ok(scene) => Ok(Some(scene)),
            Err(error @ (FormatError::Cancelled(_) | FormatError::OverBudget { .. })) => {
                Err(error.into())
            }
            Err(error) => {
                tracing::warn!(blob, %error, "a kept scene is made again");
                Ok(None)
            }
        }
    }

    /// A kept document, the same way.
    fn document<T: DeserializeOwned>(&self, blob: Option<&str>) -> Result<Option<T>, EngineError> {
        let Some(blob) = blob else { return Ok(None) };
        Ok(serde_json::from_slice(&self.bytes(blob)?).ok())
    }
}

impl Stock for StoreStock {
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError> {
        let files = self.ask(async |store| store.source_files(self.asset).await)?;
        let names = files.iter().map(|f| (f.name.as_str(), f.blob.as_str()));
        self.read(names, progress)
    }

    fn brought(&self, files: &[BroughtFile], progress: &Progress) -> Result<Scene, EngineError> {
        let names = files.iter().map(|f| (f.name.as_str(), f.blob.as_str()));
        self.read(names, progress)
    }

    fn scene(&self, key: &str, progress: &Progress) -> Result<Option<Scene>, EngineError> {
        self.kept(self.artefacts(key)?.of(kind::MESH), progress)
    }

    fn measurements(&self, key: &str) -> Result<Measurements, EngineError> {
        self.ask(async |store| {
            let row = sqlx::query("SELECT report, proof FROM candidates WHERE hash = ?")
                .bind(key)
                .fetch_optional(&store.pool)
                .await?;
            let Some(row) = row else {
                return Ok(Measurements::default());
            };
            Ok(Measurements {
                cut: stored(&row, "report")?,
                proof: stored(&row, "proof")?,
            })
        })
    }

    fn done(&self, key: &str) -> Result<Vec<Done>, EngineError> {
        let kept = self.document(self.artefacts(key)?.of(kind::DONE))?;
        Ok(kept.unwrap_or_default())
    }

    fn artefact(&self, key: &str, kind: &'static str, which: &str) -> Option<Vec<u8>> {
        let artefacts = self.artefacts(key).ok()?;
        let bytes = self.bytes(artefacts.one_of(kind, which)?).ok()?;
        Some(bytes.to_vec())
    }

    fn jury(&self, source: &str) -> Option<Arc<Jury>> {
        let kept = self.store.juries.0.lock().ok()?;
        let (_, jury) = kept.as_ref().filter(|(name, _)| name == source)?;
        Some(jury.clone())
    }

    fn keep_jury(&self, source: &str, jury: &Arc<Jury>) {
        if let Ok(mut kept) = self.store.juries.0.lock() {
            *kept = (jury.triangles() <= JUDGED).then(|| (source.to_owned(), jury.clone()));
        }
    }

    fn analysis(&self, key: &str) -> Result<Option<CollapseLog>, EngineError> {
        let Some(blob) = self.artefacts(key)?.of(kind::LOG).map(str::to_owned) else {
            return Ok(None);
        };
        match CollapseLog::from_bytes(&self.bytes(&blob)?) {
            Ok(log) => Ok(Some(log)),
            Err(error) => {
                tracing::warn!(%error, "a kept analysis is made again");
                Ok(None)
            }
        }
    }

    fn first_pass(
        &self,
        key: &str,
        progress: &Progress,
    ) -> Result<Option<FirstPassed>, EngineError> {
        let artefacts = self.artefacts(key)?;
        let report = artefacts.of(kind::FIRST_PASS_REPORT);
        let Some(report) = self.document::<FirstPass>(report)? else {
            return Ok(None);
        };
        let scene = self.kept(artefacts.of(kind::FIRST_PASS), progress)?;
        Ok(scene.map(|scene| FirstPassed { scene, report }))
    }
}
