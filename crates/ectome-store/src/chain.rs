//! The chain of an asset: what fills each tier of its brief.

use std::collections::HashMap;

use ectome_recipe::{Brief, Recipe, Target, far_end::StandIn};
use sqlx::{QueryBuilder, Row};

use crate::{
    Store, StoreError,
    asking::{Wanted, ask},
    asset::Asset,
    candidate::Candidate,
    retry::retrying,
};

/// A tier of an asset's chain.
#[derive(Clone, Debug)]
pub struct ChainTier {
    /// 0 for LOD0.
    pub tier: u32,
    /// Triangles allowed.
    pub limit: u64,
    /// It keeps its candidate when the chain is filled anew.
    pub locked: bool,
    /// What fills it.
    pub candidate: Candidate,
}

/// What a tier is filled with.
#[derive(Clone, Debug, PartialEq)]
pub struct Fill {
    /// Triangles allowed.
    pub limit: u32,
    /// A largest deviation in millimetres that is permitted instead; what that takes is judged by the limit.
    pub within_mm: Option<f64>,
    /// The count such a deviation is expected to take.
    pub expected: u32,
    /// What stands in for the source there, instead of a cut.
    pub stand_in: Option<StandIn>,
}

impl Fill {
    /// A cut to a limit.
    pub fn to(limit: u32) -> Self {
        Self {
            limit,
            within_mm: None,
            expected: limit,
            stand_in: None,
        }
    }

    /// What stands in, within a limit.
    pub fn with(limit: u32, what: StandIn) -> Self {
        Self {
            expected: what.triangles().min(limit),
            stand_in: Some(what),
            ..Self::to(limit)
        }
    }

    /// What each tier of a brief asks for, for an asset of this height.
    pub fn of_brief(brief: &Brief, height_m: f64) -> Vec<Self> {
        let fill = |t: &ectome_recipe::Tier| match StandIn::for_tier(brief, t, height_m) {
            None => Self::to(t.triangles),
            Some(what) => Self::with(t.triangles, what),
        };
        brief.tiers.iter().map(fill).collect()
    }

    fn target(&self) -> Target {
        match self.within_mm {
            None => Target::Triangles(self.limit),
            Some(mm) => Target::WithinMm(mm),
        }
    }
}

impl Store {
    /// Makes the chain of an asset, in place of the chain it had; locked tiers stay. Its tiers are cut from candidate `from`,
    /// so that they have its UVs, or from the source; whichever has no more triangles than a tier allows fills it as it is.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_chain(
        &self,
        asset: &Asset,
        fills: &[Fill],
        from: Option<&Candidate>,
    ) -> Result<(), StoreError> {
        let base = match from {
            Some(c) => Some((c, self.recipe(&c.hash).await?)),
            None => None,
        };
        let _naming = self.naming().await?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            sqlx::query("DELETE FROM chain_tiers WHERE asset = ? AND NOT (locked AND tier < ?)")
                .bind(asset.id)
                .bind(fills.len() as u32)
                .execute(&mut *tx)
                .await?;
            for (tier, fill) in fills.iter().enumerate() {
                let kept = sqlx::query("SELECT 1 FROM chain_tiers WHERE asset = ? AND tier = ?")
                    .bind(asset.id)
                    .bind(tier as u32)
                    .fetch_optional(&mut *tx)
                    .await?;
                if kept.is_some() {
                    continue;
                }
                let hash = match &base {
                    _ if fill.stand_in.is_some() => {
                        let recipe = recipe(asset, fill);
                        ask(&mut tx, asset.id, &Wanted::of(&recipe, u64::from(fill.expected))).await?
                    }
                    None => {
                        let recipe = recipe(asset, fill);
                        ask(&mut tx, asset.id, &Wanted::of(&recipe, u64::from(fill.expected))).await?
                    }
                    // Until it is made, what was asked for says how large it will be.
                    Some((c, _)) if c.triangles.unwrap_or(c.target) <= u64::from(fill.limit) => {
                        c.hash.clone()
                    }
                    Some((c, base)) => {
                        let recipe = base.clone().continued(fill.target(), asset.settings.clone());
                        let wanted = Wanted {
                            recipe: &recipe,
                            expected: u64::from(fill.expected),
                            based_on: Some(&c.hash),
                        };
                        ask(&mut tx, asset.id, &wanted).await?
                    }
                };
                sqlx::query(
                    "INSERT INTO chain_tiers (asset, tier, triangle_limit, candidate) VALUES (?, ?, ?, ?)",
                )
                .bind(asset.id)
                .bind(tier as u32)
                .bind(u64::from(fill.limit))
                .bind(&hash)
                .execute(&mut *tx)
                .await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Cuts one tier anew, from what it was cut from before, so that it keeps those UVs; the others stay.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_tier(
        &self,
        asset: &Asset,
        tier: u32,
        fill: Fill,
    ) -> Result<(), StoreError> {
        let chain = self.chain(asset.id).await?;
        let base = base_of(&chain, tier).filter(|_| fill.stand_in.is_none());
        let recipe = match &base {
            None => recipe(asset, &fill),
            Some(hash) => {
                let base = self.recipe(hash).await?;
                base.continued(fill.target(), asset.settings.clone())
            }
        };
        let wanted = Wanted {
            based_on: base.as_deref(),
            ..Wanted::of(&recipe, u64::from(fill.expected))
        };
        let _naming = self.naming().await?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let hash = ask(&mut tx, asset.id, &wanted).await?;
            put_tier(&mut tx, asset.id, tier, u64::from(fill.limit), &hash).await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Gives a tier a candidate that stands in the asset's tray.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn set_tier(
        &self,
        asset: u64,
        tier: u32,
        limit: u64,
        candidate: &str,
    ) -> Result<(), StoreError> {
        let _naming = self.naming().await?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            put_tier(&mut tx, asset, tier, limit, candidate).await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Locks a tier or unlocks it.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn lock_tier(&self, asset: u64, tier: u32, locked: bool) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("UPDATE chain_tiers SET locked = ? WHERE asset = ? AND tier = ?")
                .bind(locked)
                .bind(asset)
                .bind(tier)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// The chain of an asset, nearest tier first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn chain(&self, asset: u64) -> Result<Vec<ChainTier>, StoreError> {
        let mut all = self.chains_of(&[asset]).await?;
        Ok(all.remove(&asset).unwrap_or_default())
    }

    /// The chains of several assets, each nearest tier first, by the asset; one without tiers is not among them.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn chains_of(
        &self,
        assets: &[u64],
    ) -> Result<HashMap<u64, Vec<ChainTier>>, StoreError> {
        if assets.is_empty() {
            return Ok(HashMap::new());
        }
        // Sorted here: sorting joined rows with texts takes the database room on the disk, which may be full.
        let mut query = QueryBuilder::new(
            "SELECT c.*, t.number, t.pinned, l.asset AS of_asset, l.tier, l.triangle_limit, l.locked FROM chain_tiers l \
             JOIN candidates c ON c.hash = l.candidate \
             JOIN tray t ON t.asset = l.asset AND t.candidate = l.candidate \
             WHERE l.asset IN (",
        );
        let mut list = query.separated(", ");
        for id in assets {
            list.push_bind(*id);
        }
        query.push(")");
        let rows = query.build().fetch_all(&self.pool).await?;
        let candidates = self.candidates(&rows).await?;
        let mut all: HashMap<u64, Vec<ChainTier>> = HashMap::new();
        for (row, candidate) in rows.iter().zip(candidates) {
            let own = all.entry(row.try_get("of_asset")?).or_default();
            own.push(ChainTier {
                tier: row.try_get("tier")?,
                limit: row.try_get("triangle_limit")?,
                locked: row.try_get("locked")?,
                candidate,
            });
        }
        all.values_mut().for_each(|c| c.sort_by_key(|t| t.tier));
        Ok(all)
    }
}

/// The candidate that a tier was cut from, or that another tier of the same chain was; `None` for the source.
pub fn base_of(chain: &[ChainTier], tier: u32) -> Option<String> {
    let own = chain.iter().filter(|t| t.tier == tier);
    let based_on = |t: &ChainTier| {
        t.candidate
            .based_on
            .clone()
            .filter(|_| !t.candidate.changes_uvs)
    };
    own.chain(chain).find_map(based_on)
}

fn recipe(asset: &Asset, fill: &Fill) -> Recipe {
    if let Some(what) = &fill.stand_in {
        return what.recipe(&asset.source, &asset.preparation);
    }
    match fill.within_mm {
        None => asset.fitting(fill.limit),
        Some(_) => asset.recipe_to(fill.target()),
    }
}

async fn put_tier(
    tx: &mut sqlx::MySqlConnection,
    asset: u64,
    tier: u32,
    limit: u64,
    candidate: &str,
) -> Result<(), StoreError> {
    sqlx::query(
        "INSERT INTO chain_tiers (asset, tier, triangle_limit, candidate) VALUES (?, ?, ?, ?) \
         ON DUPLICATE KEY UPDATE triangle_limit = VALUES(triangle_limit), candidate = VALUES(candidate)",
    )
    .bind(asset)
    .bind(tier)
    .bind(limit)
    .bind(candidate)
    .execute(tx)
    .await?;
    Ok(())
}
