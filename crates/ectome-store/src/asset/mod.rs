//! Assets: what one is, how they are added with their files, and what intake makes of them.

mod adding;
mod intake;

use std::collections::HashMap;

use ectome_recipe::{
    Artefact, Change, CutSettings, Done, Fate, Found, Inspection, Recipe, Target, step::BroughtFile,
};
use sqlx::{Row, mysql::MySqlRow};

pub use adding::{LIGHT_BYTES, NewAsset, SourceFile, source_hash};
pub(crate) use intake::{Intake, put_inspection};

use crate::{
    Store, StoreError,
    artefact::{Artefacts, kind},
    asking::queue_waiting,
    document::{json, stored},
    retry::retrying,
};

/// How far an asset is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum AssetState {
    /// Intake has not finished.
    Arriving,
    /// It can be cut.
    Ready,
    /// Intake failed.
    Failed,
}

/// Whether a source may be passed on.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum PassOn {
    /// Its licence allows it.
    Yes,
    /// Its licence forbids it.
    No,
    /// Nobody has said.
    #[default]
    Unknown,
}

impl PassOn {
    /// The word in rows and forms.
    pub fn word(self) -> &'static str {
        match self {
            Self::Yes => "yes",
            Self::No => "no",
            Self::Unknown => "unknown",
        }
    }

    /// From that word; anything else is unknown.
    pub fn of(word: &str) -> Self {
        match word {
            "yes" => Self::Yes,
            "no" => Self::No,
            _ => Self::Unknown,
        }
    }
}

/// Where a source comes from.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Provenance {
    /// Where it was got.
    pub origin: String,
    /// Who made it.
    pub author: String,
    /// Under which licence.
    pub licence: String,
    /// Whether it may be passed on.
    pub may_pass_on: PassOn,
}

/// An asset.
#[derive(Clone, Debug)]
pub struct Asset {
    /// Row.
    pub id: u64,
    /// What a person calls it.
    pub name: String,
    /// The row of its brief.
    pub brief: u64,
    /// The content hash of its files together.
    pub source: String,
    /// What intake found.
    pub inspection: Option<Inspection>,
    /// The key of the recipe that makes what it is prepared to.
    pub prepared: String,
    /// The blob of its picture.
    pub picture: Option<String>,
    /// The blob of the source as the stage shows it: a GLB of triangles.
    pub view: Option<String>,
    /// Why intake failed.
    pub fault: Option<String>,
    /// Guards and attention of the next cut.
    pub settings: CutSettings,
    /// The changes made to the source before it is cut.
    pub preparation: Vec<Change>,
    /// What each of them did.
    pub results: Vec<Done>,
    /// Changes that are being tried.
    pub wanted: Option<Vec<Change>>,
    /// Why the last changes could not be made.
    pub preparation_fault: Option<String>,
    /// The blob of the places of its findings.
    pub marks: Option<String>,
    /// Unit and axis of the source, and how they are known.
    pub space: Option<Found>,
    /// Where it comes from.
    pub provenance: Provenance,
    /// A low mesh that came along and is taken in once the source is.
    pub brought: Option<Vec<BroughtFile>>,
}

impl Asset {
    /// How far it is.
    pub fn state(&self) -> AssetState {
        match (&self.inspection, &self.fault) {
            (_, Some(_)) => AssetState::Failed,
            (Some(_), None) => AssetState::Ready,
            (None, None) => AssetState::Arriving,
        }
    }

    /// The recipe of its next cut.
    pub fn recipe(&self, target: u32) -> Recipe {
        self.recipe_to(Target::Triangles(target))
    }

    /// The recipe of a cut to any target.
    pub fn recipe_to(&self, target: Target) -> Recipe {
        Recipe::cut(
            &self.source,
            &self.preparation,
            target,
            self.settings.clone(),
        )
    }

    /// The recipe of what fits `limit` triangles: a cut, or the source as it is when it has no more.
    pub fn fitting(&self, limit: u32) -> Recipe {
        match self.built_triangles() {
            Some(n) if n <= u64::from(limit) => Recipe::whole(&self.source, &self.preparation),
            _ => self.recipe(limit),
        }
    }

    /// Triangles of the parts that are built, once they are counted.
    pub fn built_triangles(&self) -> Option<u64> {
        let objects = &self.inspection.as_ref()?.objects;
        let built = objects.iter().filter(|o| o.fate == Fate::Build);
        Some(built.map(|o| o.triangles as u64).sum())
    }

    /// Its height, in metres; 0 until it is known.
    pub fn height_m(&self) -> f64 {
        let bounds = self.inspection.as_ref().map(|i| i.bounds_m);
        bounds.map_or(0.0, |[low, high]| f64::from(high[1] - low[1]))
    }

    fn from_row(
        row: &MySqlRow,
        artefacts: &HashMap<String, Artefacts>,
    ) -> Result<Self, StoreError> {
        let prepared: String = row.try_get("prepared")?;
        let none = Artefacts::default();
        let artefacts = artefacts.get(&prepared).unwrap_or(&none);
        let blob = |kind: &str| artefacts.of(kind).map(str::to_owned);
        Ok(Self {
            id: row.try_get("id")?,
            name: row.try_get("name")?,
            brief: row.try_get("brief")?,
            source: row.try_get("source")?,
            inspection: stored(row, "inspection")?,
            picture: blob(Artefact::PICTURE),
            view: blob(kind::VIEW),
            marks: blob(kind::MARKS),
            prepared,
            fault: row.try_get("fault")?,
            settings: serde_json::from_str(row.try_get("settings")?)
                .map_err(|e| StoreError::stored("list of settings", e))?,
            preparation: stored(row, "preparation")?.unwrap_or_default(),
            results: stored(row, "results")?.unwrap_or_default(),
            wanted: stored(row, "wanted")?,
            preparation_fault: row.try_get("preparation_fault")?,
            space: stored(row, "space")?,
            provenance: Provenance {
                origin: row.try_get("origin")?,
                author: row.try_get("author")?,
                licence: row.try_get("licence")?,
                may_pass_on: PassOn::of(row.try_get("may_pass_on")?),
            },
            brought: stored(row, "brought")?,
        })
    }
}

impl Store {
    /// All assets, latest first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn assets(&self) -> Result<Vec<Asset>, StoreError> {
        let rows = sqlx::query("SELECT * FROM assets ORDER BY id DESC")
            .fetch_all(&self.pool)
            .await?;
        self.of_rows(&rows).await
    }

    /// Some assets, in the order of their rows given.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn assets_of(&self, ids: &[u64]) -> Result<Vec<Asset>, StoreError> {
        if ids.is_empty() {
            return Ok(Vec::new());
        }
        let mut query = sqlx::QueryBuilder::new("SELECT * FROM assets WHERE id IN (");
        let mut list = query.separated(", ");
        for id in ids {
            list.push_bind(*id);
        }
        query.push(")");
        let rows = query.build().fetch_all(&self.pool).await?;
        let mut found = self.of_rows(&rows).await?;
        found.sort_by_key(|a| ids.iter().position(|id| *id == a.id));
        Ok(found)
    }

    /// One asset.
    ///
    /// # Errors
    /// [`StoreError::Missing`] and others.
    pub async fn asset(&self, id: u64) -> Result<Asset, StoreError> {
        let row = sqlx::query("SELECT * FROM assets WHERE id = ?")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?
            .ok_or_else(|| StoreError::missing("asset", id))?;
        let asset = self.of_rows(&[row]).await?.pop();
        asset.ok_or_else(|| StoreError::missing("asset", id))
    }

    async fn of_rows(&self, rows: &[MySqlRow]) -> Result<Vec<Asset>, StoreError> {
        let keys: Vec<&str> = rows
            .iter()
            .map(|row| row.try_get("prepared"))
            .collect::<Result<_, _>>()?;
        let artefacts = self.artefacts_of(keys).await?;
        rows.iter()
            .map(|row| Asset::from_row(row, &artefacts))
            .collect()
    }

    /// Gives an asset another brief.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn set_brief(&self, asset: u64, brief: u64) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("UPDATE assets SET brief = ? WHERE id = ?")
                .bind(brief)
                .bind(asset)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }

    /// Removes an asset with everything that hangs on it. Its blobs go with the next
    /// [collection](Store::collect), unless others share them.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn remove_asset(&self, asset: u64) -> Result<(), StoreError> {
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let waiting = sqlx::query(
                "SELECT w.candidate FROM work w WHERE w.asset = ? AND w.candidate IS NOT NULL \
                 AND w.state IN ('queued', 'running')",
            )
            .bind(asset)
            .fetch_all(&mut *tx)
            .await?;
            sqlx::query("DELETE FROM assets WHERE id = ?")
                .bind(asset)
                .execute(&mut *tx)
                .await?;
            // Another asset with the same source may wait for what was being made here.
            for row in waiting {
                queue_waiting(&mut tx, row.try_get("candidate")?).await?;
            }
            tx.commit().await?;
            Ok(())
        })
        .await?;
        self.blobs.ask_for_collection();
        Ok(())
    }

    /// Gives an asset other guards and attention, and queues the analysis they need.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn set_settings(&self, asset: u64, settings: &CutSettings) -> Result<(), StoreError> {
        let document = json(settings, "list of settings")?;
        retrying(|| async {
            sqlx::query("UPDATE assets SET settings = ? WHERE id = ?")
                .bind(&document)
                .bind(asset)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await?;
        self.ask_for_analysis(asset).await
    }
}
