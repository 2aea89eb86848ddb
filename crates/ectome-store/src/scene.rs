//! Scenes: several assets under one budget.

use sqlx::Row;

use crate::{
    Store, StoreError,
    asking::{Wanted, ask},
    asset::Asset,
    brief::NAME,
    document::fits,
    retry::retrying,
};

/// A scene and its row.
#[derive(Clone, Debug, PartialEq)]
pub struct SceneRow {
    /// Row.
    pub id: u64,
    /// Its name.
    pub name: String,
    /// The brief whose screen it is seen on.
    pub brief: u64,
    /// Triangles for everything together.
    pub triangles: u64,
    /// What stands in it.
    pub members: Vec<SceneAsset>,
}

/// An asset in a scene.
#[derive(Clone, Debug, PartialEq)]
pub struct SceneAsset {
    /// The asset.
    pub asset: u64,
    /// The nearest it is seen from, in metres.
    pub distance_m: f64,
    /// How often it stands there.
    pub instances: u32,
    /// The candidate that the last share asked for.
    pub candidate: Option<String>,
}

impl Store {
    /// Adds a scene or puts it in place of the one in row `id`. Returns its row. Candidates of members that stay are
    /// kept.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn put_scene(&self, id: Option<u64>, scene: &SceneRow) -> Result<u64, StoreError> {
        fits(&scene.name, "The name of a scene", NAME)?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let id = match id {
                None => sqlx::query("INSERT INTO scenes (name, brief, triangles) VALUES (?, ?, ?)")
                    .bind(&scene.name)
                    .bind(scene.brief)
                    .bind(scene.triangles)
                    .execute(&mut *tx)
                    .await?
                    .last_insert_id(),
                Some(id) => {
                    sqlx::query("UPDATE scenes SET name = ?, brief = ?, triangles = ? WHERE id = ?")
                        .bind(&scene.name)
                        .bind(scene.brief)
                        .bind(scene.triangles)
                        .bind(id)
                        .execute(&mut *tx)
                        .await?;
                    id
                }
            };
            let old = sqlx::query("SELECT asset FROM scene_assets WHERE scene = ?")
                .bind(id)
                .fetch_all(&mut *tx)
                .await?;
            for row in old {
                let asset: u64 = row.try_get("asset")?;
                if scene.members.iter().all(|m| m.asset != asset) {
                    sqlx::query("DELETE FROM scene_assets WHERE scene = ? AND asset = ?")
                        .bind(id)
                        .bind(asset)
                        .execute(&mut *tx)
                        .await?;
                }
            }
            for m in &scene.members {
                sqlx::query(
                    "INSERT INTO scene_assets (scene, asset, distance_m, instances) VALUES (?, ?, ?, ?) \
                     ON DUPLICATE KEY UPDATE distance_m = VALUES(distance_m), instances = VALUES(instances)",
                )
                .bind(id)
                .bind(m.asset)
                .bind(m.distance_m)
                .bind(m.instances)
                .execute(&mut *tx)
                .await?;
            }
            tx.commit().await?;
            Ok(id)
        })
        .await
    }

    /// All scenes, oldest first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn scenes(&self) -> Result<Vec<SceneRow>, StoreError> {
        let mut list: Vec<SceneRow> =
            sqlx::query("SELECT id, name, brief, triangles FROM scenes ORDER BY id")
                .fetch_all(&self.pool)
                .await?
                .iter()
                .map(|row| {
                    Ok(SceneRow {
                        id: row.try_get("id")?,
                        name: row.try_get("name")?,
                        brief: row.try_get("brief")?,
                        triangles: row.try_get("triangles")?,
                        members: Vec::new(),
                    })
                })
                .collect::<Result<_, StoreError>>()?;
        let members = sqlx::query("SELECT * FROM scene_assets ORDER BY scene, asset")
            .fetch_all(&self.pool)
            .await?;
        for row in members {
            let scene: u64 = row.try_get("scene")?;
            let member = SceneAsset {
                asset: row.try_get("asset")?,
                distance_m: row.try_get("distance_m")?,
                instances: row.try_get("instances")?,
                candidate: row.try_get("candidate")?,
            };
            if let Some(scene) = list.iter_mut().find(|s| s.id == scene) {
                scene.members.push(member);
            }
        }
        Ok(list)
    }

    /// One scene.
    ///
    /// # Errors
    /// [`StoreError::Missing`] and others.
    pub async fn scene(&self, id: u64) -> Result<SceneRow, StoreError> {
        let found = self.scenes().await?.into_iter().find(|s| s.id == id);
        found.ok_or_else(|| StoreError::missing("scene", id))
    }

    /// Removes a scene; its assets stay.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn remove_scene(&self, id: u64) -> Result<(), StoreError> {
        sqlx::query("DELETE FROM scenes WHERE id = ?")
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Cuts the assets of a scene to their shares.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_shares(
        &self,
        scene: u64,
        shares: &[(&Asset, u32)],
    ) -> Result<(), StoreError> {
        let _naming = self.naming().await?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            for &(asset, triangles) in shares {
                let recipe = asset.fitting(triangles);
                let hash = ask(
                    &mut tx,
                    asset.id,
                    &Wanted::of(&recipe, u64::from(triangles)),
                )
                .await?;
                sqlx::query("UPDATE scene_assets SET candidate = ? WHERE scene = ? AND asset = ?")
                    .bind(&hash)
                    .bind(scene)
                    .bind(asset.id)
                    .execute(&mut *tx)
                    .await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await
    }
}
