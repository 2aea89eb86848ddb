//! What puts a candidate into a tray and its work into the queue.

use ectome_recipe::Recipe;
use sqlx::MySqlConnection;

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
    .bind(asset)
    .bind(&hash)
    .bind(asset)
    .execute(&mut *tx)
    .await?;
    queue_waiting(tx, &hash).await?;
    Ok(hash)
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
