//! What recipes made: candidates by hash, the tray of an asset, its chain.

use ectome_recipe::{CutReport, LoopChoice, Recipe};
use sqlx::{MySqlConnection, Row, mysql::MySqlRow};

use crate::{Store, StoreError, asset::Asset, retry::retrying};

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
}

impl Candidate {
    fn from_row(row: &MySqlRow) -> Result<Self, StoreError> {
        let report: Option<String> = row.try_get("report")?;
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
            report: report
                .map(|text| serde_json::from_str(&text))
                .transpose()
                .map_err(|e| StoreError::stored("report", e))?,
            mesh: row.try_get("mesh")?,
            fault: row.try_get("fault")?,
        })
    }
}

/// A tier of an asset's chain.
#[derive(Clone, Debug)]
pub struct ChainTier {
    /// 0 for LOD0.
    pub tier: u32,
    /// Triangles allowed.
    pub limit: u64,
    /// What fills it.
    pub candidate: Candidate,
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
}

impl Store {
    /// Puts the cut of an asset to `target` into its tray and queues the work, unless it was made
    /// before. Returns the candidate's address.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_cut(&self, asset: &Asset, target: u32) -> Result<String, StoreError> {
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let hash = ask(&mut tx, asset, &asset.recipe(target), u64::from(target)).await?;
            tx.commit().await?;
            Ok(hash)
        })
        .await
    }

    /// The same for merging the flat regions of an asset, which is expected to leave `expected`
    /// triangles.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_flat(&self, asset: &Asset, expected: u64) -> Result<String, StoreError> {
        retrying(|| async {
            let recipe =
                Recipe::merge_flat(&asset.source, &asset.preparation, asset.settings.clone());
            let mut tx = self.pool.begin().await?;
            let hash = ask(&mut tx, asset, &recipe, expected).await?;
            tx.commit().await?;
            Ok(hash)
        })
        .await
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
        retrying(|| async {
            let recipe = Recipe::take_out_loops(
                &asset.source,
                &asset.preparation,
                which,
                asset.settings.clone(),
            );
            let mut tx = self.pool.begin().await?;
            let hash = ask(&mut tx, asset, &recipe, expected).await?;
            tx.commit().await?;
            Ok(hash)
        })
        .await
    }

    /// Makes the chain of an asset: one cut for each limit, in place of the chain it had.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_chain(&self, asset: &Asset, limits: &[u32]) -> Result<(), StoreError> {
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            sqlx::query("DELETE FROM chain_tiers WHERE asset = ?")
                .bind(asset.id)
                .execute(&mut *tx)
                .await?;
            for (tier, &limit) in limits.iter().enumerate() {
                let hash = ask(&mut tx, asset, &asset.recipe(limit), u64::from(limit)).await?;
                sqlx::query(
                    "INSERT INTO chain_tiers (asset, tier, triangle_limit, candidate) VALUES (?, ?, ?, ?)",
                )
                .bind(asset.id)
                .bind(tier as u32)
                .bind(u64::from(limit))
                .bind(&hash)
                .execute(&mut *tx)
                .await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// The tray of an asset, by number.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn tray(&self, asset: u64) -> Result<Vec<Candidate>, StoreError> {
        sqlx::query(
            "SELECT c.*, t.number FROM tray t JOIN candidates c ON c.hash = t.candidate \
             WHERE t.asset = ? ORDER BY t.number",
        )
        .bind(asset)
        .fetch_all(&self.pool)
        .await?
        .iter()
        .map(Candidate::from_row)
        .collect()
    }

    /// The chain of an asset, nearest tier first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn chain(&self, asset: u64) -> Result<Vec<ChainTier>, StoreError> {
        sqlx::query(
            "SELECT c.*, t.number, l.tier, l.triangle_limit FROM chain_tiers l \
             JOIN candidates c ON c.hash = l.candidate \
             JOIN tray t ON t.asset = l.asset AND t.candidate = l.candidate \
             WHERE l.asset = ? ORDER BY l.tier",
        )
        .bind(asset)
        .fetch_all(&self.pool)
        .await?
        .iter()
        .map(|row| {
            Ok(ChainTier {
                tier: row.try_get("tier")?,
                limit: row.try_get("triangle_limit")?,
                candidate: Candidate::from_row(row)?,
            })
        })
        .collect()
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
            let report =
                serde_json::to_string(&r.report).map_err(|e| StoreError::stored("report", e))?;
            sqlx::query(
                "UPDATE candidates SET state = 'ready', triangles = ?, vertices = ?, report = ?, mesh = ?, \
                 fault = NULL WHERE hash = ? AND state <> 'ready'",
            )
            .bind(r.triangles)
            .bind(r.vertices)
            .bind(report)
            .bind(&r.mesh)
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
            .bind(fault)
            .bind(hash)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }
}

async fn ask(
    tx: &mut MySqlConnection,
    asset: &Asset,
    recipe: &Recipe,
    target: u64,
) -> Result<String, StoreError> {
    let hash = recipe.key();
    let document = serde_json::to_string(recipe).map_err(|e| StoreError::stored("recipe", e))?;
    sqlx::query("INSERT IGNORE INTO candidates (hash, recipe, target) VALUES (?, ?, ?)")
        .bind(&hash)
        .bind(document)
        .bind(target)
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
        "INSERT INTO work (kind, asset, candidate) \
         SELECT 'cut', MIN(t.asset), c.hash FROM candidates c JOIN tray t ON t.candidate = c.hash \
         WHERE c.hash = ? AND c.state = 'waiting' AND NOT EXISTS (SELECT 1 FROM work w \
         WHERE w.candidate = c.hash AND w.state IN ('queued', 'running')) GROUP BY c.hash",
    )
    .bind(hash)
    .execute(&mut *tx)
    .await?;
    Ok(())
}
