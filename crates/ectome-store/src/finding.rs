//! Assets found among many: by name, brief and tag, in some order, a stretch at a time.

use sqlx::Row;

use crate::{Store, StoreError, asset::Asset, document::fits, retry::retrying};

/// The order of a list of assets.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Order {
    /// Latest first.
    #[default]
    Latest,
    /// By name.
    Name,
    /// Heaviest first.
    Heaviest,
}

impl Order {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Latest, Self::Name, Self::Heaviest];

    /// The word in addresses.
    pub fn word(self) -> &'static str {
        match self {
            Self::Latest => "latest",
            Self::Name => "name",
            Self::Heaviest => "heaviest",
        }
    }

    /// The order of a word; latest first for any other.
    pub fn of(word: &str) -> Self {
        let known = Self::ALL.into_iter().find(|o| o.word() == word);
        known.unwrap_or_default()
    }
}

/// Which assets are asked for.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct AssetsWanted {
    /// Only those whose name, brief or tag has this in it.
    pub search: String,
    /// Only those with this tag; empty for all.
    pub tag: String,
    /// Their order.
    pub order: Order,
    /// So many at most.
    pub most: u32,
    /// After so many.
    pub from: u32,
}

/// Letters that a tag may have.
const TAG: usize = 40;

/// A text as a pattern that finds it anywhere.
pub(crate) fn anywhere(text: &str) -> String {
    let plain = text
        .trim()
        .replace('\\', "\\\\")
        .replace('%', "\\%")
        .replace('_', "\\_");
    format!("%{plain}%")
}

/// SQL counts with a sign; what it counts has none.
fn counted<K>(rows: Vec<(K, i64)>) -> Vec<(K, u64)> {
    rows.into_iter()
        .map(|(k, n)| (k, n.unsigned_abs()))
        .collect()
}

impl Store {
    /// A stretch of the assets that are asked for, and how many there are in all.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn found_assets(
        &self,
        wanted: &AssetsWanted,
    ) -> Result<(Vec<Asset>, u64), StoreError> {
        let like = anywhere(&wanted.search);
        // Only keys are sorted: rows with whole inspections would take the database room on the disk.
        const WHERE: &str = "FROM assets a JOIN briefs b ON b.id = a.brief \
             WHERE (a.name LIKE ? COLLATE utf8mb4_general_ci OR b.name LIKE ? COLLATE utf8mb4_general_ci \
             OR EXISTS (SELECT 1 FROM asset_tags t WHERE t.asset = a.id AND t.tag LIKE ? COLLATE utf8mb4_general_ci)) \
             AND (? = '' OR EXISTS (SELECT 1 FROM asset_tags t WHERE t.asset = a.id AND t.tag = ?))";
        let order = match wanted.order {
            Order::Latest => "a.id DESC",
            Order::Name => "a.name COLLATE utf8mb4_general_ci, a.id",
            Order::Heaviest => "a.triangles DESC, a.id DESC",
        };
        let count = format!("SELECT COUNT(*) AS n {WHERE}");
        let row = sqlx::query(sqlx::AssertSqlSafe(count))
            .bind(&like)
            .bind(&like)
            .bind(&like)
            .bind(&wanted.tag)
            .bind(&wanted.tag)
            .fetch_one(&self.pool)
            .await?;
        let all = row.try_get::<i64, _>("n")?.unsigned_abs();
        let keys = format!("SELECT a.id {WHERE} ORDER BY {order} LIMIT ? OFFSET ?");
        let rows = sqlx::query(sqlx::AssertSqlSafe(keys))
            .bind(&like)
            .bind(&like)
            .bind(&like)
            .bind(&wanted.tag)
            .bind(&wanted.tag)
            .bind(wanted.most)
            .bind(wanted.from)
            .fetch_all(&self.pool)
            .await?;
        let ids: Vec<u64> = rows
            .iter()
            .map(|row| row.try_get("id"))
            .collect::<Result<_, _>>()?;
        Ok((self.assets_of(&ids).await?, all))
    }

    /// How many assets that could be read each brief judges.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn assets_by_brief(&self) -> Result<Vec<(u64, u64)>, StoreError> {
        let rows: Vec<(u64, i64)> = sqlx::query_as(
            "SELECT brief, COUNT(*) FROM assets WHERE inspection IS NOT NULL GROUP BY brief",
        )
        .fetch_all(&self.pool)
        .await?;
        Ok(counted(rows))
    }

    /// The latest assets that a brief judges, so many at most.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn assets_of_brief(&self, brief: u64, most: u32) -> Result<Vec<Asset>, StoreError> {
        let rows = sqlx::query(
            "SELECT id FROM assets WHERE brief = ? AND inspection IS NOT NULL ORDER BY id DESC LIMIT ?",
        )
        .bind(brief)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        let ids: Vec<u64> = rows
            .iter()
            .map(|row| row.try_get("id"))
            .collect::<Result<_, _>>()?;
        self.assets_of(&ids).await
    }

    /// The tags of each of some assets, by its row.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn tags_of(&self, assets: &[u64]) -> Result<Vec<(u64, String)>, StoreError> {
        if assets.is_empty() {
            return Ok(Vec::new());
        }
        let mut query =
            sqlx::QueryBuilder::new("SELECT asset, tag FROM asset_tags WHERE asset IN (");
        let mut list = query.separated(", ");
        for id in assets {
            list.push_bind(*id);
        }
        query.push(") ORDER BY tag");
        let rows = query.build().fetch_all(&self.pool).await?;
        rows.iter()
            .map(|row| Ok((row.try_get("asset")?, row.try_get("tag")?)))
            .collect()
    }

    /// All tags, and how many assets have each.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn tags(&self) -> Result<Vec<(String, u64)>, StoreError> {
        let rows: Vec<(String, i64)> =
            sqlx::query_as("SELECT tag, COUNT(*) FROM asset_tags GROUP BY tag ORDER BY tag")
                .fetch_all(&self.pool)
                .await?;
        Ok(counted(rows))
    }

    /// Gives assets a tag, or takes it from them.
    ///
    /// # Errors
    /// [`StoreError::TooLong`], and others.
    pub async fn tag_assets(&self, assets: &[u64], tag: &str, on: bool) -> Result<(), StoreError> {
        let tag = tag.trim();
        fits(tag, "A tag", TAG)?;
        if tag.is_empty() {
            return Ok(());
        }
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            for id in assets {
                let query = if on { sqlx::query(
                        "INSERT IGNORE INTO asset_tags (asset, tag) SELECT id, ? FROM assets WHERE id = ?",
                    ) } else { sqlx::query("DELETE FROM asset_tags WHERE tag = ? AND asset = ?") };
                query.bind(tag).bind(id).execute(&mut *tx).await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }
}
