//! What recipes made: candidates by hash and the tray of an asset.

use ectome_recipe::{CutReport, LoopChoice, Proof, Recipe, Target, UvReport, UvStep};
use serde::{Deserialize, Serialize};
use sqlx::{MySqlConnection, Row, mysql::MySqlRow};

use crate::{
    Store, StoreError,
    asset::Asset,
    document::{json, short, stored},
    retry::retrying,
};

/// How far a candidate is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CandidateState {
    /// Its work has not finished.
    Waiting,
    /// It is there and will never change.
    Ready,
    /// It could not be made.
    Failed,
}

/// A candidate in the tray of an asset.
#[derive(Clone, Debug)]
pub struct Candidate {
    /// Its address.
    pub hash: String,
    /// Its number in the tray.
    pub number: u32,
    /// The most triangles asked for.
    pub target: u64,
    /// How far it is.
    pub state: CandidateState,
    /// Triangles made.
    pub triangles: Option<u64>,
    /// Vertices made.
    pub vertices: Option<u64>,
    /// What the cut did.
    pub report: Option<CutReport>,
    /// The blob of its GLB.
    pub mesh: Option<String>,
    /// Why it could not be made.
    pub fault: Option<String>,
    /// What it looks like beside its source.
    pub proof: Option<Proof>,
    /// The blobs of its pictures.
    pub pictures: Option<PictureBlobs>,
    /// The address of the candidate it was cut from; `None` for the source.
    pub based_on: Option<String>,
    /// It keeps its mark on the Rule.
    pub pinned: bool,
    /// Its recipe ends with a change of UVs.
    pub changes_uvs: bool,
    /// What that change did.
    pub uv: Option<UvReport>,
}

/// The blobs of a proof's pictures and fields.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct PictureBlobs {
    /// The result, PNG.
    pub result: String,
    /// The worst outline, PNG.
    pub outline: String,
    /// The worst view of shading: source, result, difference, PNG.
    pub shading: [String; 3],
    /// The deviation over the source, GLB.
    pub source_field: String,
    /// The deviation over the result, GLB.
    pub result_field: String,
}

impl PictureBlobs {
    /// All of them.
    pub(crate) fn all(self) -> impl Iterator<Item = String> {
        let own = [
            self.result,
            self.outline,
            self.source_field,
            self.result_field,
        ];
        own.into_iter().chain(self.shading)
    }
}

impl Candidate {
    pub(crate) fn from_row(row: &MySqlRow) -> Result<Self, StoreError> {
        let state: String = row.try_get("state")?;
        Ok(Self {
            hash: row.try_get("hash")?,
            number: row.try_get("number")?,
            target: row.try_get("target")?,
            state: match state.as_str() {
                "ready" => CandidateState::Ready,
                "failed" => CandidateState::Failed,
                _ => CandidateState::Waiting,
            },
            triangles: row.try_get("triangles")?,
            vertices: row.try_get("vertices")?,
            report: stored(row, "report")?,
            mesh: row.try_get("mesh")?,
            fault: row.try_get("fault")?,
            proof: stored(row, "proof")?,
            pictures: stored(row, "pictures")?,
            based_on: row.try_get("based_on")?,
            pinned: row.try_get("pinned")?,
            changes_uvs: row.try_get("changes_uvs")?,
            uv: stored(row, "uv")?,
        })
    }
}

/// A candidate that another one is made of.
pub(crate) struct Base {
    /// The blob of its GLB.
    pub mesh: String,
    pub report: Option<CutReport>,
    pub proof: Option<Proof>,
    pub pictures: Option<PictureBlobs>,
}

/// What a worker hands over for a candidate.
pub struct CutResult {
    /// Triangles made.
    pub triangles: u64,
    /// Vertices made.
    pub vertices: u64,
    /// What the cut did.
    pub report: CutReport,
    /// The blob of its GLB.
    pub mesh: String,
    /// What it looks like beside its source, where something was cut.
    pub proof: Option<(Proof, PictureBlobs)>,
    /// What its last step did to UVs.
    pub uv: Option<UvReport>,
}

/// What is asked for: a recipe, the count it is expected to leave, and the candidate it goes on from.
pub(crate) struct Wanted<'a> {
    pub recipe: &'a Recipe,
    pub expected: u64,
    pub based_on: Option<&'a str>,
}

impl<'a> Wanted<'a> {
    pub(crate) fn of(recipe: &'a Recipe, expected: u64) -> Self {
        Self {
            recipe,
            expected,
            based_on: None,
        }
    }
}

impl Store {
    /// Puts the cut of an asset to `target` into its tray and queues the work, unless it was made
    /// before. Returns the candidate's address.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_cut(&self, asset: &Asset, target: u32) -> Result<String, StoreError> {
        self.ask_for(asset, &Wanted::of(&asset.recipe(target), u64::from(target)))
            .await
    }

    /// The same for what candidate `from` of the asset's tray is, cut further with the asset's settings.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_to_go_on(
        &self,
        asset: &Asset,
        from: &Candidate,
        target: u32,
    ) -> Result<String, StoreError> {
        let recipe = self.recipe(&from.hash).await?;
        let recipe = recipe.continued(Target::Triangles(target), asset.settings.clone());
        let wanted = Wanted {
            recipe: &recipe,
            expected: u64::from(target),
            based_on: Some(&from.hash),
        };
        self.ask_for(asset, &wanted).await
    }

    /// The same for other UVs on candidate `from` of the asset's tray, or on the source itself.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_uvs(
        &self,
        asset: &Asset,
        from: Option<&Candidate>,
        step: UvStep,
    ) -> Result<String, StoreError> {
        let recipe = match from {
            Some(c) => self.recipe(&c.hash).await?,
            None => Recipe::whole(&asset.source, &asset.preparation),
        };
        let recipe = recipe.with_uvs(step);
        let source = asset.inspection.as_ref().map_or(0, |i| i.triangles as u64);
        let wanted = Wanted {
            recipe: &recipe,
            expected: from.map_or(source, |c| c.triangles.unwrap_or(c.target)),
            based_on: from.map(|c| c.hash.as_str()),
        };
        self.ask_for(asset, &wanted).await
    }

    /// What was made at an address, whichever trays it stands in; `None` unless it is ready.
    pub(crate) async fn made(&self, hash: &str) -> Result<Option<Base>, StoreError> {
        let row = sqlx::query(
            "SELECT mesh, report, proof, pictures FROM candidates WHERE hash = ? AND state = 'ready' AND mesh IS NOT NULL",
        )
        .bind(hash)
        .fetch_optional(&self.pool)
        .await?;
        let base = |row: MySqlRow| {
            Ok(Base {
                mesh: row.try_get("mesh")?,
                report: stored(&row, "report")?,
                proof: stored(&row, "proof")?,
                pictures: stored(&row, "pictures")?,
            })
        };
        row.map(base).transpose()
    }

    /// The same for merging the flat regions of an asset, which is expected to leave `expected`
    /// triangles.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_flat(&self, asset: &Asset, expected: u64) -> Result<String, StoreError> {
        let recipe = Recipe::merge_flat(&asset.source, &asset.preparation, asset.settings.clone());
        self.ask_for(asset, &Wanted::of(&recipe, expected)).await
    }

    /// The same for taking edge loops out of an asset, which is expected to leave about `expected` triangles.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_loops(
        &self,
        asset: &Asset,
        which: LoopChoice,
        expected: u64,
    ) -> Result<String, StoreError> {
        let recipe = Recipe::take_out_loops(
            &asset.source,
            &asset.preparation,
            which,
            asset.settings.clone(),
        );
        self.ask_for(asset, &Wanted::of(&recipe, expected)).await
    }

    async fn ask_for(&self, asset: &Asset, wanted: &Wanted<'_>) -> Result<String, StoreError> {
        let _naming = self.blobs.naming().await;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let hash = ask(&mut tx, asset, wanted).await?;
            tx.commit().await?;
            Ok(hash)
        })
        .await
    }

    /// Takes a candidate out of the tray of an asset. False when a tier of its chain or a scene uses it.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn discard(&self, asset: u64, hash: &str) -> Result<bool, StoreError> {
        retrying(|| async {
            let done = sqlx::query(
                "DELETE FROM tray WHERE asset = ? AND candidate = ? AND NOT EXISTS (SELECT 1 FROM chain_tiers l \
                 WHERE l.asset = tray.asset AND l.candidate = tray.candidate) AND NOT EXISTS (SELECT 1 FROM \
                 scene_assets s WHERE s.asset = tray.asset AND s.candidate = tray.candidate)",
            )
            .bind(asset)
            .bind(hash)
            .execute(&self.pool)
            .await?;
            Ok(done.rows_affected() > 0)
        })
        .await
        .inspect(|_| self.blobs.ask_for_collection())
    }

    /// Pins a candidate to the Rule, or takes the pin out.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn pin(&self, asset: u64, hash: &str, pinned: bool) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("UPDATE tray SET pinned = ? WHERE asset = ? AND candidate = ?")
                .bind(pinned)
                .bind(asset)
                .bind(hash)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// The tray of an asset, by number.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn tray(&self, asset: u64) -> Result<Vec<Candidate>, StoreError> {
        // Sorted here: sorting joined rows with texts takes the database room on the disk, which may be full.
        let rows = sqlx::query(
            "SELECT c.*, t.number, t.pinned FROM tray t JOIN candidates c ON c.hash = t.candidate WHERE t.asset = ?",
        )
        .bind(asset)
        .fetch_all(&self.pool)
        .await?;
        let mut list = rows
            .iter()
            .map(Candidate::from_row)
            .collect::<Result<Vec<_>, _>>()?;
        list.sort_by_key(|c| c.number);
        Ok(list)
    }

    /// The changes of UVs that led to a candidate, first to last.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn uv_steps(&self, hash: &str) -> Result<Vec<UvStep>, StoreError> {
        Ok(self.recipe(hash).await?.uv_steps().cloned().collect())
    }

    pub(crate) async fn recipe(&self, hash: &str) -> Result<Recipe, StoreError> {
        let row = sqlx::query("SELECT recipe FROM candidates WHERE hash = ?")
            .bind(hash)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| StoreError::missing("candidate", hash))?;
        let text: String = row.try_get("recipe")?;
        serde_json::from_str(&text).map_err(|e| StoreError::stored("recipe", e))
    }

    pub(crate) async fn finish_cut(&self, hash: &str, r: &CutResult) -> Result<(), StoreError> {
        retrying(|| async {
            let report = json(&r.report, "report")?;
            let (proof, pictures) = match &r.proof {
                None => (None, None),
                Some((proof, blobs)) => (Some(json(proof, "proof")?), Some(json(blobs, "pictures")?)),
            };
            let uv = r.uv.as_ref().map(|uv| json(uv, "uv")).transpose()?;
            sqlx::query(
                "UPDATE candidates SET state = 'ready', triangles = ?, vertices = ?, report = ?, mesh = ?, \
                 proof = ?, pictures = ?, uv = ?, fault = NULL WHERE hash = ? AND state <> 'ready'",
            )
            .bind(r.triangles)
            .bind(r.vertices)
            .bind(report)
            .bind(&r.mesh)
            .bind(proof)
            .bind(pictures)
            .bind(uv)
            .bind(hash)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    pub(crate) async fn fail_cut(&self, hash: &str, fault: &str) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE candidates SET state = 'failed', fault = ? WHERE hash = ? AND state <> 'ready'",
            )
            .bind(short(fault))
            .bind(hash)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }
}

pub(crate) async fn ask(
    tx: &mut MySqlConnection,
    asset: &Asset,
    wanted: &Wanted<'_>,
) -> Result<String, StoreError> {
    let hash = wanted.recipe.key();
    let document = json(wanted.recipe, "recipe")?;
    sqlx::query(
        "INSERT IGNORE INTO candidates (hash, recipe, target, based_on, changes_uvs) VALUES (?, ?, ?, ?, ?)",
    )
    .bind(&hash)
    .bind(document)
    .bind(wanted.expected)
    .bind(wanted.based_on)
    .bind(wanted.recipe.last_uv().is_some())
    .execute(&mut *tx)
    .await?;
    // What failed or was stopped is tried again when it is asked for again.
    sqlx::query(
        "UPDATE candidates SET state = 'waiting', fault = NULL WHERE hash = ? AND state = 'failed'",
    )
    .bind(&hash)
    .execute(&mut *tx)
    .await?;
    sqlx::query(
        "INSERT IGNORE INTO tray (asset, candidate, number) \
         SELECT ?, ?, COALESCE(MAX(number), 0) + 1 FROM tray WHERE asset = ?",
    )
    .bind(asset.id)
    .bind(&hash)
    .bind(asset.id)
    .execute(&mut *tx)
    .await?;
    queue_waiting(tx, &hash).await?;
    Ok(hash)
}

/// Queues the work for a candidate that waits in a tray and that nobody works on.
pub(crate) async fn queue_waiting(tx: &mut MySqlConnection, hash: &str) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO work (kind, asset, candidate, light) \
         SELECT 'cut', MIN(t.asset), c.hash, MAX(a.light) FROM candidates c \
         JOIN tray t ON t.candidate = c.hash JOIN assets a ON a.id = t.asset \
         WHERE c.hash = ? AND c.state = 'waiting' AND NOT EXISTS (SELECT 1 FROM work w \
         WHERE w.candidate = c.hash AND w.state IN ('queued', 'running')) GROUP BY c.hash",
    )
    .bind(hash)
    .execute(&mut *tx)
    .await?;
    Ok(())
}
