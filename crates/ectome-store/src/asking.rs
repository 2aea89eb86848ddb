//! What puts a candidate into a tray and its work into the queue.

use ectome_recipe::Recipe;
use sqlx::{MySqlConnection, Row};

use crate::{
    StoreError,
    document::{clipped, json},
};

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

/// Puts what is wanted into the tray of an asset and queues its work, unless it was made before. Returns its address.
///
/// # Errors
/// See [`StoreError`].
pub(crate) async fn ask(
    tx: &mut MySqlConnection,
    asset: u64,
    wanted: &Wanted<'_>,
) -> Result<String, StoreError> {
    let hash = wanted.recipe.key();
    let document = json(wanted.recipe, "recipe")?;
    sqlx::query(
        "INSERT IGNORE INTO candidates (hash, recipe, target, based_on, changes_uvs, wish, prepared) \
         VALUES (?, ?, ?, ?, ?, ?, ?)",
    )
    .bind(&hash)
    .bind(document)
    .bind(wanted.expected)
    .bind(wanted.based_on)
    .bind(wanted.recipe.dresses())
    .bind(clipped(&wanted.recipe.wish(), 120))
    .bind(wanted.recipe.prepared_key())
    .execute(&mut *tx)
    .await?;
    // What failed or was stopped is tried again when it is asked for again.
    retry_candidate(tx, &hash).await?;
    sqlx::query(
        "INSERT IGNORE INTO tray (asset, candidate, number) \
         SELECT ?, ?, COALESCE(MAX(number), 0) + 1 FROM tray WHERE asset = ?",
    )
    .bind(asset)
    .bind(&hash)
    .bind(asset)
    .execute(&mut *tx)
    .await?;
    queue_waiting(tx, &hash).await?;
    Ok(hash)
}

/// Asks again for a candidate that failed, and for what failed because it did.
pub(crate) async fn retry_candidate(
    tx: &mut MySqlConnection,
    hash: &str,
) -> Result<(), StoreError> {
    sqlx::query(
        "UPDATE candidates SET state = 'waiting', fault = NULL WHERE hash = ? AND state = 'failed'",
    )
    .bind(hash)
    .execute(&mut *tx)
    .await?;
    go_on(tx, hash).await?;
    queue_waiting(tx, hash).await
}

/// What failed because candidate `hash` did is tried again with it: candidates made from it, and the latest parcels of chains that it
/// or they are tiers of.
async fn go_on(tx: &mut MySqlConnection, hash: &str) -> Result<(), StoreError> {
    let rows = sqlx::query(
        "WITH RECURSIVE after_it (hash) AS (SELECT CAST(? AS CHAR(32)) UNION \
         SELECT c.hash FROM candidates c JOIN after_it a ON c.based_on = a.hash) \
         SELECT a.hash, c.state FROM after_it a JOIN candidates c ON c.hash = a.hash",
    )
    .bind(hash)
    .fetch_all(&mut *tx)
    .await?;
    for row in rows {
        let (after, state): (String, String) = (row.try_get("hash")?, row.try_get("state")?);
        if state == "failed" {
            sqlx::query("UPDATE candidates SET state = 'waiting', fault = NULL WHERE hash = ?")
                .bind(&after)
                .execute(&mut *tx)
                .await?;
            queue_waiting(tx, &after).await?;
        }
        sqlx::query(
            "INSERT INTO work (kind, asset, parcel, light, needs) \
             SELECT 'parcel', p.asset, p.id, a.light, a.needs FROM parcels p JOIN assets a ON a.id = p.asset \
             WHERE p.state = 'failed' AND EXISTS (SELECT 1 FROM parcel_tiers q WHERE q.parcel = p.id AND q.candidate = ?) \
             AND NOT EXISTS (SELECT 1 FROM parcels later WHERE later.asset = p.asset AND later.number > p.number) \
             AND NOT EXISTS (SELECT 1 FROM work w WHERE w.parcel = p.id AND w.state IN ('queued', 'running'))",
        )
        .bind(&after)
        .execute(&mut *tx)
        .await?;
        sqlx::query(
            "UPDATE parcels p SET p.state = 'waiting', p.fault = NULL WHERE p.state = 'failed' \
             AND EXISTS (SELECT 1 FROM work w WHERE w.parcel = p.id AND w.state = 'queued')",
        )
        .execute(&mut *tx)
        .await?;
    }
    Ok(())
}

/// Queues the work for a candidate that waits in a tray and that nobody works on.
pub(crate) async fn queue_waiting(tx: &mut MySqlConnection, hash: &str) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO work (kind, asset, candidate, light, needs) \
         SELECT 'make', MIN(t.asset), c.hash, MAX(a.light), MAX(a.needs) FROM candidates c \
         JOIN tray t ON t.candidate = c.hash JOIN assets a ON a.id = t.asset \
         WHERE c.hash = ? AND c.state = 'waiting' AND NOT EXISTS (SELECT 1 FROM work w \
         WHERE w.candidate = c.hash AND w.state IN ('queued', 'running')) GROUP BY c.hash",
    )
    .bind(hash)
    .execute(&mut *tx)
    .await?;
    Ok(())
}
