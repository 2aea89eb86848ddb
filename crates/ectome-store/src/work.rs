//! The queue of work.
//!
//! A worker takes the oldest row that nobody holds with `SELECT … FOR UPDATE SKIP LOCKED`, so that
//! several workers never wait for each other, and leases it for a few seconds. A heartbeat renews the
//! lease and carries the progress. A row whose lease ran out belongs to a worker that died; the next
//! one takes it again.

use sqlx::{Row, mysql::MySqlRow};

use crate::{
    Store, StoreError,
    document::{clipped, short},
    retry::retrying,
};

/// Seconds a lease lasts without a heartbeat.
pub const LEASE_SECONDS: u32 = 10;
/// How often a piece of work may kill its worker before it is given up.
pub const MOST_CRASHES: u32 = 3;
/// Sources of so many triangles at most are light work.
pub const LIGHT_TRIANGLES: usize = 200_000;

/// Which work a worker takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lane {
    /// Light work only, so that it never waits behind heavy work.
    Light,
    /// Heavy work, and light work when there is no other.
    Any,
}

/// What a worker accepts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Accepts {
    /// The kinds of work.
    pub kinds: Vec<Kind>,
    /// The most memory that a piece of work may be likely to take, in bytes.
    pub memory: u64,
}

impl Accepts {
    /// Everything.
    pub fn all() -> Self {
        Self {
            kinds: Kind::ALL.to_vec(),
            memory: u64::MAX,
        }
    }

    fn words(&self) -> String {
        let words: Vec<_> = self.kinds.iter().map(|k| k.word()).collect();
        words.join(",")
    }
}

/// What kind of work it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// Reads and inspects a source.
    Intake,
    /// Makes changes to a source and inspects it again.
    Prepare,
    /// Finds the order in which a source is best taken apart.
    Analyse,
    /// Makes a candidate.
    Make,
    /// Writes the files of a chain.
    Parcel,
    /// Proposes a plan for an asset of a batch and asks for what it says.
    Plan,
}

impl Kind {
    /// All of them.
    pub const ALL: [Self; 6] = [
        Self::Intake,
        Self::Prepare,
        Self::Analyse,
        Self::Make,
        Self::Parcel,
        Self::Plan,
    ];

    /// The word in rows and on the command line.
    pub fn word(self) -> &'static str {
        match self {
            Self::Intake => "intake",
            Self::Prepare => "prepare",
            Self::Analyse => "analyse",
            Self::Make => "make",
            Self::Parcel => "parcel",
            Self::Plan => "plan",
        }
    }

    /// The kind of a word.
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|k| k.word() == word)
    }
}

/// How far it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum State {
    /// Nobody has taken it.
    Queued,
    /// A worker holds it.
    Running,
    /// It is done.
    Done,
    /// It failed.
    Failed,
    /// Somebody stopped it.
    Stopped,
}

impl State {
    /// The word in rows and pages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Queued => "queued",
            Self::Running => "running",
            Self::Done => "done",
            Self::Failed => "failed",
            Self::Stopped => "stopped",
        }
    }

    /// True when nothing more will happen to it.
    pub fn is_over(self) -> bool {
        matches!(self, Self::Done | Self::Failed | Self::Stopped)
    }
}

/// A piece of work.
#[derive(Clone, Debug, PartialEq)]
pub struct Work {
    /// Row.
    pub id: u64,
    /// What kind.
    pub kind: Kind,
    /// The asset it is for.
    pub asset: u64,
    /// The asset's name.
    pub asset_name: String,
    /// The candidate it makes.
    pub candidate: Option<String>,
    /// The parcel it makes.
    pub parcel: Option<u64>,
    /// The batch it is for.
    pub batch: Option<u64>,
    /// How lately somebody wanted it sooner; 0 for never.
    pub hurried: u64,
    /// What was asked for, in words, where a candidate is made.
    pub wish: Option<String>,
    /// How far it is.
    pub state: State,
    /// The fraction done, 0–1.
    pub fraction: f32,
    /// What it is doing, in words.
    pub stage: String,
    /// Why it failed.
    pub fault: Option<String>,
    /// How often it was taken: whoever took it before holds it no more.
    pub attempts: u32,
    /// How often its worker ended in the middle of it.
    pub crashes: u32,
    /// Bytes of memory that its worker held when it last reported.
    pub memory: u64,
    /// Bytes of memory that it is likely to take.
    pub needs: u64,
    /// Who has it or had it last.
    pub worker: Option<String>,
    /// Some worker that reported lately would take it.
    pub accepted: bool,
    /// Seconds since it was taken, until it ended.
    pub seconds: Option<f64>,
    /// Pictures of what it has made so far, one below the other, as the key of their blob.
    pub glimpse: Option<String>,
    /// What each of these pictures shows, as a word.
    pub glimpse_of: Vec<String>,
    /// The candidate that what it makes goes on from.
    pub based_on: Option<String>,
}

impl Work {
    fn from_row(row: &MySqlRow) -> Result<Self, StoreError> {
        let kind: String = row.try_get("kind")?;
        let state: String = row.try_get("state")?;
        Ok(Self {
            id: row.try_get("id")?,
            kind: Kind::of(&kind).ok_or_else(|| StoreError::stored("kind of work", kind))?,
            asset: row.try_get("asset")?,
            asset_name: row.try_get("asset_name")?,
            candidate: row.try_get("candidate")?,
            parcel: row.try_get("parcel")?,
            batch: row.try_get("batch")?,
            hurried: row.try_get("hurried")?,
            wish: row.try_get("wish")?,
            state: match state.as_str() {
                "queued" => State::Queued,
                "running" => State::Running,
                "done" => State::Done,
                "stopped" => State::Stopped,
                _ => State::Failed,
            },
            fraction: row.try_get("fraction")?,
            stage: row.try_get("stage")?,
            fault: row.try_get("fault")?,
            attempts: row.try_get("attempts")?,
            crashes: row.try_get("crashes")?,
            memory: row.try_get("memory")?,
            needs: row.try_get("needs")?,
            worker: row.try_get("worker")?,
            accepted: row.try_get("accepted")?,
            seconds: row.try_get("seconds")?,
            glimpse: row.try_get("glimpse")?,
            glimpse_of: (row.try_get::<Option<String>, _>("glimpse_of")?)
                .map_or_else(Vec::new, |of| of.split(' ').map(str::to_owned).collect()),
            based_on: row.try_get("based_on")?,
        })
    }

    /// What it does, in words.
    pub fn title(&self) -> String {
        format!("{}: {}", self.asset_name, self.doing())
    }

    /// The same without the name of its asset.
    pub fn doing(&self) -> String {
        match (self.kind, &self.wish) {
            (Kind::Intake, _) => "Intake".to_owned(),
            (Kind::Prepare, _) => "Preparing".to_owned(),
            (Kind::Analyse, _) => "Analysing".to_owned(),
            (Kind::Make, Some(wish)) => wish.clone(),
            (Kind::Make, None) => "Making".to_owned(),
            (Kind::Parcel, _) => "Writing the parcel".to_owned(),
            (Kind::Plan, _) => "Planning for a batch".to_owned(),
        }
    }
}

/// The start of a query for rows that [`Work::from_row`] reads.
macro_rules! work_rows {
    () => {
        "SELECT w.*, a.name AS asset_name, c.wish, c.based_on, EXISTS (SELECT 1 FROM workers k WHERE \
         FIND_IN_SET(w.kind, k.kinds) AND k.memory >= w.needs AND k.seen > NOW(6) - INTERVAL 15 SECOND) AS accepted, \
         CAST(TIMESTAMPDIFF(MICROSECOND, w.started, COALESCE(w.finished, NOW(6))) / 1e6 AS DOUBLE) \
         AS seconds FROM work w JOIN assets a ON a.id = w.asset \
         LEFT JOIN candidates c ON c.hash = w.candidate"
    };
}

impl Store {
    /// All work that is not over and the `count` latest pieces, newest first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn latest_work(&self, count: u32) -> Result<Vec<Work>, StoreError> {
        // Sorted here: sorting joined rows with texts takes the database room on the disk, which may be full.
        let rows = sqlx::query(concat!(
            work_rows!(),
            " JOIN ((SELECT id FROM work ORDER BY id DESC LIMIT ?) UNION \
             (SELECT id FROM work WHERE state IN ('queued', 'running'))) shown ON shown.id = w.id"
        ))
        .bind(count)
        .fetch_all(&self.pool)
        .await?;
        let mut list = rows
            .iter()
            .map(Work::from_row)
            .collect::<Result<Vec<_>, _>>()?;
        list.sort_by_key(|w| std::cmp::Reverse(w.id));
        Ok(list)
    }

    /// A piece of work.
    ///
    /// # Errors
    /// [`StoreError::Missing`], and others.
    pub async fn work(&self, id: u64) -> Result<Work, StoreError> {
        let row = sqlx::query(concat!(work_rows!(), " WHERE w.id = ?"))
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        row.as_ref()
            .map_or_else(|| Err(StoreError::missing("work", id)), Work::from_row)
    }

    /// Takes the oldest work of a lane that nobody holds and whose base is not being made by other work, which would be made twice;
    /// analyses after everything a person waits for. Work whose lease
    /// ran out while it was running has lost its worker in the middle: that counts as a crash.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn take_work(
        &self,
        worker: &str,
        lane: Lane,
        accepts: &Accepts,
    ) -> Result<Option<Work>, StoreError> {
        let kinds = accepts.words();
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let row = sqlx::query(
                "SELECT id FROM work \
                 WHERE (state = 'queued' OR (state = 'running' AND lease_until < NOW(6))) AND (light OR ?) \
                 AND FIND_IN_SET(kind, ?) AND needs <= ? \
                 AND NOT EXISTS (SELECT 1 FROM candidates c JOIN work b ON b.candidate = c.based_on \
                 WHERE c.hash = work.candidate AND b.state IN ('queued', 'running')) \
                 AND NOT EXISTS (SELECT 1 FROM parcel_tiers q JOIN work b ON b.candidate = q.candidate \
                 WHERE q.parcel = work.parcel AND b.state IN ('queued', 'running')) \
                 ORDER BY hurried DESC, kind = 'analyse', light, id LIMIT 1 FOR UPDATE SKIP LOCKED",
            )
            .bind(lane == Lane::Any)
            .bind(&kinds)
            .bind(accepts.memory)
            .fetch_optional(&mut *tx)
            .await?;
            let Some(row) = row else {
                // What was looked at stays locked until this is over, and others pass over what is locked.
                tx.rollback().await?;
                return Ok(None);
            };
            let id: u64 = row.try_get("id")?;
            sqlx::query(
                "UPDATE work SET crashes = crashes + (state = 'running'), state = 'running', worker = ?, \
                 attempts = attempts + 1, fraction = 0, lease_until = NOW(6) + INTERVAL ? SECOND, started = NOW(6) WHERE id = ?",
            )
            .bind(worker)
            .bind(LEASE_SECONDS)
            .bind(id)
            .execute(&mut *tx)
            .await?;
            let row = sqlx::query(concat!(work_rows!(), " WHERE w.id = ?"))
                .bind(id)
                .fetch_one(&mut *tx)
                .await?;
            tx.commit().await?;
            Ok(Some(Work::from_row(&row)?))
        })
        .await
    }

    /// Renews the lease and records progress. Returns false when the work should stop: somebody
    /// asked, its asset went, or the lease was lost.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn heartbeat(
        &self,
        work: &Work,
        worker: &str,
        fraction: f32,
        stage: &str,
        memory: u64,
    ) -> Result<bool, StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE work SET fraction = ?, stage = ?, memory = ?, lease_until = NOW(6) + INTERVAL ? SECOND \
                 WHERE id = ? AND worker = ? AND attempts = ? AND state = 'running'",
            )
            .bind(fraction)
            .bind(clipped(stage, 80))
            .bind(memory)
            .bind(LEASE_SECONDS)
            .bind(work.id)
            .bind(worker)
            .bind(work.attempts)
            .execute(&self.pool)
            .await?;
            let row = sqlx::query(
                "SELECT COUNT(*) AS held FROM work WHERE id = ? AND worker = ? AND attempts = ? \
                 AND state = 'running'",
            )
            .bind(work.id)
            .bind(worker)
            .bind(work.attempts)
            .fetch_one(&self.pool)
            .await?;
            Ok(row.try_get::<i64, _>("held")? > 0)
        })
        .await
    }

    /// Shows what work has made so far.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub(crate) async fn show_glimpse(
        &self,
        work: &Work,
        of: &[String],
        png: Vec<u8>,
    ) -> Result<(), StoreError> {
        let naming = self.naming().await?;
        let blob = self.blobs.put(png).await?;
        sqlx::query(
            "UPDATE work SET glimpse = ?, glimpse_of = ? WHERE id = ? AND attempts = ? AND state = 'running'",
        )
        .bind(&blob)
        .bind(of.join(" "))
        .bind(work.id)
        .bind(work.attempts)
        .execute(&self.pool)
        .await?;
        naming.confirm().await
    }

    /// Ends work that `worker` holds.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn end_work(
        &self,
        work: &Work,
        worker: &str,
        state: State,
        fault: Option<&str>,
    ) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE work SET state = ?, fault = ?, fraction = IF(? = 'done', 1, fraction), stage = '', \
                 finished = NOW(6), lease_until = NULL WHERE id = ? AND worker = ? AND attempts = ? \
                 AND state = 'running'",
            )
            .bind(state.word())
            .bind(fault.map(short))
            .bind(state.word())
            .bind(work.id)
            .bind(worker)
            .bind(work.attempts)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    /// Stops work. Its row ends here and now, so nobody takes it again; a worker that is at it learns of that at its next
    /// heartbeat and drops it.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn stop_work(&self, id: u64) -> Result<(), StoreError> {
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let stopped = sqlx::query(
                "UPDATE work SET state = 'stopped', stage = '', finished = NOW(6), lease_until = NULL \
                 WHERE id = ? AND state IN ('queued', 'running')",
            )
            .bind(id)
            .execute(&mut *tx)
            .await?
            .rows_affected();
            if stopped > 0 {
                sqlx::query(
                    "UPDATE candidates c JOIN work w ON w.candidate = c.hash SET c.state = 'failed', \
                     c.fault = 'The work was stopped. Ask for it again to start over.' \
                     WHERE w.id = ? AND c.state = 'waiting'",
                )
                .bind(id)
                .execute(&mut *tx)
                .await?;
                sqlx::query(
                    "UPDATE parcels p JOIN work w ON w.parcel = p.id SET p.state = 'failed', \
                     p.fault = 'The work was stopped. Ask for it again to start over.' \
                     WHERE w.id = ? AND p.state = 'waiting'",
                )
                .bind(id)
                .execute(&mut *tx)
                .await?;
                sqlx::query(
                    "UPDATE assets a JOIN work w ON w.asset = a.id SET a.wanted = NULL, a.preparation_fault = \
                     'The work was stopped. Ask for it again to start over.' WHERE w.id = ? AND w.kind = 'prepare'",
                )
                .bind(id)
                .execute(&mut *tx)
                .await?;
                sqlx::query(
                    "UPDATE assets a JOIN work w ON w.asset = a.id SET a.fault = \
                     'The intake was stopped. Drop the file again.' WHERE w.id = ? AND w.kind = 'intake'",
                )
                .bind(id)
                .execute(&mut *tx)
                .await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Puts work back that `worker` holds and cannot go on with now. It counts as never taken.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn put_back(&self, work: &Work, worker: &str) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE work SET state = 'queued', worker = NULL, lease_until = NULL, fraction = 0, stage = '', \
                 started = NULL WHERE id = ? AND worker = ? AND attempts = ? AND state = 'running'",
            )
            .bind(work.id)
            .bind(worker)
            .bind(work.attempts)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }

    /// Ends the leases of everything that workers `is_dead` names held.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn release_leases(&self, is_dead: impl Fn(&str) -> bool) -> Result<(), StoreError> {
        let held = sqlx::query(
            "SELECT DISTINCT worker FROM work WHERE state = 'running' AND worker IS NOT NULL",
        )
        .fetch_all(&self.pool)
        .await?;
        for row in held {
            let worker: String = row.try_get("worker")?;
            if !is_dead(&worker) {
                continue;
            }
            retrying(|| async {
                sqlx::query(
                    "UPDATE work SET lease_until = NOW(6) - INTERVAL 1 SECOND \
                     WHERE state = 'running' AND worker = ?",
                )
                .bind(&worker)
                .execute(&self.pool)
                .await?;
                sqlx::query("DELETE FROM workers WHERE name = ?")
                    .bind(&worker)
                    .execute(&self.pool)
                    .await?;
                Ok(())
            })
            .await?;
        }
        Ok(())
    }

    /// Says that a worker is there and what it accepts. Those that were not heard of for an hour are forgotten.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn report_worker(&self, worker: &str, accepts: &Accepts) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO workers (name, kinds, memory) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE \
             kinds = VALUES(kinds), memory = VALUES(memory), seen = NOW(6)",
        )
        .bind(clipped(worker, 120))
        .bind(accepts.words())
        .bind(accepts.memory)
        .execute(&self.pool)
        .await?;
        sqlx::query("DELETE FROM workers WHERE seen < NOW(6) - INTERVAL 1 HOUR")
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Says that a worker is gone.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn forget_worker(&self, worker: &str) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM workers WHERE name = ?")
            .bind(worker)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
