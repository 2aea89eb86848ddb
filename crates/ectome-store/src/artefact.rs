//! What is kept beside rows: meshes, views, pictures, fields and analyses, by owner and kind.
//!
//! The owner is the key of the recipe or of the analysis that made it. One table for all, so that a step may leave whatever
//! it makes and nothing here has to know.

use std::collections::HashMap;

use sqlx::{MySqlConnection, QueryBuilder, Row};

use crate::{Store, StoreError};

/// Kinds that the store itself makes; steps name theirs in [`ectome_recipe::Artefact`].
pub mod kind {
    /// A scene as it is kept between steps.
    pub const MESH: &str = "mesh";
    /// A picture that a kept scene names; `which` is its own key.
    pub const TEXTURE: &str = "texture";
    /// A scene as the stage shows it, GLB of triangles.
    pub const VIEW: &str = "view";
    /// The places of findings, JSON.
    pub const MARKS: &str = "marks";
    /// What each change of a source did, JSON.
    pub const DONE: &str = "done";
    /// An analysis.
    pub const LOG: &str = "log";
    /// What a first pass left, as it is kept between steps.
    pub const FIRST_PASS: &str = "first pass";
    /// What that pass did, JSON.
    pub const FIRST_PASS_REPORT: &str = "first pass report";
}

/// One artefact of an owner.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Named {
    pub kind: &'static str,
    pub which: String,
    /// The key of its blob.
    pub blob: String,
}

impl Named {
    pub fn new(kind: &'static str, which: impl Into<String>, blob: String) -> Self {
        let which = which.into();
        Self { kind, which, blob }
    }
}

/// The blobs of one owner.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Artefacts(HashMap<(String, String), String>);

impl Artefacts {
    /// The blob of a kind of which there is one.
    pub fn of(&self, kind: &str) -> Option<&str> {
        self.one_of(kind, "")
    }

    /// All of a kind, by name.
    pub fn all_of<'a>(&'a self, kind: &str) -> Vec<(&'a str, &'a str)> {
        let own = self.0.iter().filter(|((k, _), _)| k == kind);
        let mut list: Vec<_> = own.map(|((_, which), blob)| (&**which, &**blob)).collect();
        list.sort_unstable();
        list
    }

    /// The blob of one of several of a kind.
    pub fn one_of(&self, kind: &str, which: &str) -> Option<&str> {
        let key = (kind.to_owned(), which.to_owned());
        self.0.get(&key).map(String::as_str)
    }
}

/// Owners that are asked for in one statement.
const AT_ONCE: usize = 500;

impl Store {
    /// The artefacts of an owner.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn artefacts(&self, owner: &str) -> Result<Artefacts, StoreError> {
        let mut all = self.artefacts_of([owner]).await?;
        Ok(all.remove(owner).unwrap_or_default())
    }

    /// The artefacts of each of several owners.
    pub(crate) async fn artefacts_of<'a>(
        &self,
        owners: impl IntoIterator<Item = &'a str>,
    ) -> Result<HashMap<String, Artefacts>, StoreError> {
        let owners: Vec<&str> = owners.into_iter().collect();
        let mut all: HashMap<String, Artefacts> = HashMap::new();
        for some in owners.chunks(AT_ONCE) {
            let mut query = QueryBuilder::new(
                "SELECT owner, kind, which, blob_key FROM artefacts WHERE owner IN (",
            );
            let mut list = query.separated(", ");
            some.iter().for_each(|owner| {
                list.push_bind(*owner);
            });
            query.push(")");
            for row in query.build().fetch_all(&self.pool).await? {
                let key = (row.try_get("kind")?, row.try_get("which")?);
                let own = all.entry(row.try_get("owner")?).or_default();
                own.0.insert(key, row.try_get("blob_key")?);
            }
        }
        Ok(all)
    }
}

/// Names artefacts of an owner. Those that are named already get the blob they are given now.
pub(crate) async fn put(
    tx: &mut MySqlConnection,
    owner: &str,
    list: &[Named],
) -> Result<(), StoreError> {
    for some in list.chunks(AT_ONCE) {
        let mut query = QueryBuilder::new("INSERT INTO artefacts (owner, kind, which, blob_key) ");
        query.push_values(some, |mut row, a| {
            row.push_bind(owner)
                .push_bind(a.kind)
                .push_bind(&a.which)
                .push_bind(&a.blob);
        });
        query.push(" ON DUPLICATE KEY UPDATE blob_key = VALUES(blob_key)");
        query.build().execute(&mut *tx).await?;
    }
    Ok(())
}

/// Gives `owner` what `other` has and it has not.
pub(crate) async fn share(
    tx: &mut MySqlConnection,
    owner: &str,
    other: &str,
    kinds: &[&str],
) -> Result<(), StoreError> {
    for kind in kinds {
        sqlx::query(
            "INSERT IGNORE INTO artefacts (owner, kind, which, blob_key) \
             SELECT ?, kind, which, blob_key FROM artefacts WHERE owner = ? AND kind = ?",
        )
        .bind(owner)
        .bind(other)
        .bind(kind)
        .execute(&mut *tx)
        .await?;
    }
    Ok(())
}
