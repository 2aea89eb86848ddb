//! Assets, their files and parts.

use std::collections::HashMap;

use ectome_recipe::{
    Artefact, Change, CutSettings, Done, Fate, Found, Inspection, Recipe, Target, memory,
    step::BroughtFile,
};
use sqlx::{MySqlConnection, Row, mysql::MySqlRow};

use crate::{
    Store, StoreError,
    artefact::{self, Artefacts, Named, kind},
    asking::{Wanted, ask, queue_waiting},
    batch::queue_plans,
    document::{fits, json, short, stored},
    folder,
    retry::retrying,
    work::LIGHT_TRIANGLES,
};

/// A file as it came in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SourceFile {
    /// Its name.
    pub name: String,
    /// Its blob.
    pub blob: String,
    /// Its size.
    pub bytes: u64,
}

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

/// What a source was prepared to.
pub(crate) struct Intake {
    /// The key of the recipe that makes it.
    pub key: String,
    /// The changes.
    pub changes: Vec<Change>,
    /// What each of them did.
    pub results: Vec<Done>,
    /// What it consists of.
    pub inspection: Inspection,
    /// What is kept of it.
    pub artefacts: Vec<Named>,
}

/// The content hash of files together: names and contents, in order.
pub fn source_hash(files: &[SourceFile]) -> String {
    let mut hasher = blake3::Hasher::new();
    for file in files {
        hasher.update(file.name.as_bytes());
        hasher.update(&[0]);
        hasher.update(file.blob.as_bytes());
        hasher.update(&[0]);
    }
    hasher.finalize().to_hex().to_string()
}

/// An asset that is to be added.
#[derive(Clone, Debug)]
pub struct NewAsset {
    /// What a person calls it.
    pub name: String,
    /// The row of its brief.
    pub brief: u64,
    /// Its files; their blobs are stored already.
    pub files: Vec<SourceFile>,
    /// The files of a low mesh that came along, stored likewise; may be empty.
    pub low: Vec<BroughtFile>,
}

/// Letters that names of assets and of files may have.
const NAME: usize = 200;
const FILE_NAME: usize = 400;

/// Files of so many bytes together are taken in on the lane for light work.
pub const LIGHT_BYTES: u64 = 8 << 20;

impl NewAsset {
    /// Makes sure that everything has room where it is kept.
    ///
    /// # Errors
    /// [`StoreError::TooLong`].
    pub fn check(&self) -> Result<(), StoreError> {
        fits(&self.name, "The name of an asset", NAME)?;
        let low = self.low.iter().map(|f| &f.name);
        let names = self.files.iter().map(|f| &f.name).chain(low);
        names
            .into_iter()
            .try_for_each(|name| fits(name, "The name of a file", FILE_NAME))
    }
}

impl Store {
    /// Adds an asset with its files and queues its intake. Returns the asset's row.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn add_asset(
        &self,
        name: &str,
        brief: u64,
        files: &[SourceFile],
    ) -> Result<u64, StoreError> {
        let new = NewAsset {
            name: name.to_owned(),
            brief,
            files: files.to_vec(),
            low: Vec::new(),
        };
        let rows = self.add_assets(&[new]).await?;
        rows.first()
            .copied()
            .ok_or_else(|| StoreError::missing("asset", name))
    }

    /// Adds assets, all of them or none, and queues their intake. Returns their rows.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn add_assets(&self, new: &[NewAsset]) -> Result<Vec<u64>, StoreError> {
        new.iter().try_for_each(NewAsset::check)?;
        let receipts = new
            .iter()
            .map(|_| folder::secret())
            .collect::<Result<Vec<_>, _>>()?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            let mut rows = Vec::new();
            for (asset, receipt) in new.iter().zip(&receipts) {
                // When the connection broke in the last try, the assets may be there.
                let known = sqlx::query("SELECT id FROM assets WHERE receipt = ?")
                    .bind(receipt)
                    .fetch_optional(&mut *tx)
                    .await?;
                match known {
                    Some(row) => rows.push(row.try_get("id")?),
                    None => rows.push(insert(&mut tx, asset, receipt).await?),
                }
            }
            tx.commit().await?;
            Ok(rows)
        })
        .await
    }

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

    /// The files an asset came in.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn source_files(&self, asset: u64) -> Result<Vec<SourceFile>, StoreError> {
        sqlx::query(
            "SELECT name, blob_key, bytes FROM source_files WHERE asset = ? ORDER BY position",
        )
        .bind(asset)
        .fetch_all(&self.pool)
        .await?
        .iter()
        .map(|row| {
            Ok(SourceFile {
                name: row.try_get("name")?,
                blob: row.try_get("blob_key")?,
                bytes: row.try_get("bytes")?,
            })
        })
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

    /// Puts other files in place of an asset's and asks for all that was done to it to be
    /// done to them. Until that is done, pages show what they showed.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn replace_files(
        &self,
        asset: &Asset,
        files: &[SourceFile],
    ) -> Result<(), StoreError> {
        let wanted = json(&asset.preparation, "list of changes")?;
        let bytes: u64 = files.iter().map(|f| f.bytes).sum();
        files
            .iter()
            .try_for_each(|f| fits(&f.name, "The name of a file", FILE_NAME))?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            sqlx::query("DELETE FROM source_files WHERE asset = ?")
                .bind(asset.id)
                .execute(&mut *tx)
                .await?;
            insert_files(&mut tx, asset.id, files).await?;
            sqlx::query(
                "UPDATE assets SET source = ?, wanted = ?, preparation_fault = NULL, light = ?, needs = ? WHERE id = ?",
            )
            .bind(source_hash(files))
            .bind(&wanted)
            .bind(bytes <= LIGHT_BYTES)
            .bind(memory::to_take_in(bytes))
            .bind(asset.id)
            .execute(&mut *tx)
            .await?;
            sqlx::query(
                "INSERT INTO work (kind, asset, light, needs) SELECT 'prepare', id, light, needs FROM assets WHERE id = ?",
            )
            .bind(asset.id)
            .execute(&mut *tx)
            .await?;
            tx.commit().await?;
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

    /// Records what intake found. `read` is the source as it was read, where that is not what it is prepared to: the key of its
    /// recipe and what is kept of it.
    pub(crate) async fn finish_intake(
        &self,
        asset: u64,
        intake: &Intake,
        found: &Found,
        (read, as_read): (&str, &[Named]),
    ) -> Result<(), StoreError> {
        let found = json(found, "unit and axis")?;
        let changes = json(&intake.changes, "list of changes")?;
        let results = json(&intake.results, "list of results")?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            artefact::put(&mut tx, read, as_read).await?;
            put_inspection(&mut tx, asset, intake).await?;
            sqlx::query("UPDATE assets SET space = ?, preparation = ?, results = ? WHERE id = ?")
                .bind(&found)
                .bind(&changes)
                .bind(&results)
                .bind(asset)
                .execute(&mut *tx)
                .await?;
            take_in_what_came_along(&mut tx, asset, &intake.changes).await?;
            queue_plans(&mut tx, "m.asset = ?", asset).await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    pub(crate) async fn fail_intake(&self, asset: u64, fault: &str) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("UPDATE assets SET fault = ? WHERE id = ?")
                .bind(short(fault))
                .bind(asset)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await
    }
}

/// Asks for the low mesh that came along with a source, once.
async fn take_in_what_came_along(
    tx: &mut MySqlConnection,
    asset: u64,
    changes: &[Change],
) -> Result<(), StoreError> {
    let row =
        sqlx::query("SELECT source, brought FROM assets WHERE id = ? AND brought IS NOT NULL")
            .bind(asset)
            .fetch_optional(&mut *tx)
            .await?;
    let Some(row) = row else { return Ok(()) };
    let source: String = row.try_get("source")?;
    if let Some(files) = stored(&row, "brought")? {
        let recipe = Recipe::brought(source, changes, files);
        ask(tx, asset, &Wanted::of(&recipe, 0)).await?;
    }
    sqlx::query("UPDATE assets SET brought = NULL WHERE id = ?")
        .bind(asset)
        .execute(&mut *tx)
        .await?;
    Ok(())
}

/// Records what a source, as it is prepared now, consists of.
pub(crate) async fn put_inspection(
    tx: &mut MySqlConnection,
    asset: u64,
    intake: &Intake,
) -> Result<(), StoreError> {
    let inspection = json(&intake.inspection, "inspection")?;
    artefact::put(tx, &intake.key, &intake.artefacts).await?;
    sqlx::query(
        "UPDATE assets SET inspection = ?, prepared = ?, fault = NULL, light = ?, needs = ? WHERE id = ?",
    )
    .bind(inspection)
    .bind(&intake.key)
    .bind(intake.inspection.triangles <= LIGHT_TRIANGLES)
    .bind(memory::to_work_on(intake.inspection.triangles))
    .bind(asset)
    .execute(&mut *tx)
    .await?;
    Ok(())
}

async fn insert_files(
    tx: &mut MySqlConnection,
    id: u64,
    files: &[SourceFile],
) -> Result<(), StoreError> {
    for (position, file) in files.iter().enumerate() {
        sqlx::query(
            "INSERT INTO source_files (asset, position, name, blob_key, bytes) VALUES (?, ?, ?, ?, ?)",
        )
        .bind(id)
        .bind(position as u32)
        .bind(&file.name)
        .bind(&file.blob)
        .bind(file.bytes)
        .execute(&mut *tx)
        .await?;
    }
    Ok(())
}

async fn insert(
    tx: &mut MySqlConnection,
    asset: &NewAsset,
    receipt: &str,
) -> Result<u64, StoreError> {
    let bytes: u64 = asset.files.iter().map(|f| f.bytes).sum();
    let light = bytes <= LIGHT_BYTES;
    let needs = memory::to_take_in(bytes);
    let brought = match asset.low.is_empty() {
        true => None,
        false => Some(json(&asset.low, "low mesh that came along")?),
    };
    let id = sqlx::query(
        "INSERT INTO assets (name, brief, source, receipt, light, needs, brought) VALUES (?, ?, ?, ?, ?, ?, ?)",
    )
    .bind(&asset.name)
    .bind(asset.brief)
    .bind(source_hash(&asset.files))
    .bind(receipt)
    .bind(light)
    .bind(needs)
    .bind(brought)
    .execute(&mut *tx)
    .await?
    .last_insert_id();
    insert_files(tx, id, &asset.files).await?;
    sqlx::query("INSERT INTO work (kind, asset, light, needs) VALUES ('intake', ?, ?, ?)")
        .bind(id)
        .bind(light)
        .bind(needs)
        .execute(tx)
        .await?;
    Ok(id)
}
