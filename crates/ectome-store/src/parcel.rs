//! Parcels: what was handed over, kept with its day, brief, verdict and files.

use ectome_recipe::{
    Artefact, Brief,
    parcel::{
        self, Map,
        files::File,
        names,
        sheet::{About, Provenance, Sheet},
    },
    sight,
};
use sqlx::{Row, mysql::MySqlRow};

use crate::{
    Store, StoreError,
    asset::{self, Asset},
    candidate::{Candidate, CandidateState},
    chain::ChainTier,
    document::{json, short, stored},
    finding::anywhere,
    retry::retrying,
    work::Work,
};

/// How far a parcel is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ParcelState {
    /// Its files are not written yet.
    Waiting,
    /// It can be downloaded.
    Ready,
    /// It could not be made.
    Failed,
}

/// A parcel.
#[derive(Clone, Debug, PartialEq)]
pub struct Parcel {
    /// Row.
    pub id: u64,
    /// The asset.
    pub asset: u64,
    /// The asset's name now.
    pub asset_name: String,
    /// Counts the parcels of its asset from 1.
    pub number: u32,
    /// When it was asked for: day and time of the database's clock, such as `2026-11-28 14:05`.
    pub asked: String,
    /// How far it is.
    pub state: ParcelState,
    /// Why it could not be made.
    pub fault: Option<String>,
    /// A hash of everything that its files depend on.
    pub key: String,
    /// The brief as it was.
    pub brief: Brief,
    /// Bytes of its files.
    pub bytes: u64,
    /// Its sheet, once it is made.
    pub sheet: Option<Sheet>,
}

/// A file of a parcel.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ParcelFile {
    /// Its name.
    pub name: String,
    /// Its bytes.
    pub bytes: u64,
    /// The key of its blob.
    pub blob: String,
}

/// A stretch of a list of parcels.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ParcelsWanted {
    /// Only those of one asset.
    pub asset: Option<u64>,
    /// Only those whose asset, brief or verdict has this in it.
    pub search: String,
    /// So many at most.
    pub most: u32,
    /// After so many.
    pub from: u32,
}

/// What making a parcel needs, apart from the meshes.
pub(crate) struct ParcelTask {
    /// The brief.
    pub brief: Brief,
    /// The asset's name as the stem of files.
    pub stem: String,
    /// The day it was asked for.
    pub date: String,
    /// What is known of origin and licence.
    pub notice: Option<String>,
    /// The recipe of each tier.
    pub tiers: Vec<ectome_recipe::Recipe>,
    /// The maps of the first tier.
    pub maps: Vec<Map>,
    /// The rest of what its sheet says.
    pub about: About,
}

impl ParcelTask {
    /// The order that a kernel makes, once the tiers' scenes are there.
    pub fn order(&self, tiers: Vec<parcel::Tier>) -> parcel::Order<'_> {
        parcel::Order {
            asset: self.stem.clone(),
            brief: &self.brief,
            notice: self.notice.clone(),
            date: self.date.clone(),
            tiers,
            maps: self.maps.clone(),
            high: None,
            collision: None,
            beside: None,
        }
    }
}

/// What stands for `{tier}` in names of a tier's files.
pub fn mark(brief: &Brief, tier: u32) -> String {
    format!("{}{tier}", brief.suffix)
}

/// What a file says of its origin, if anything is known. It stands in the file's own copyright field.
pub fn notice(p: &asset::Provenance) -> Option<String> {
    let mut words: Vec<String> = Vec::new();
    let mut say = |before: &str, what: &str| {
        if !what.is_empty() {
            words.push(format!("{before}{what}."));
        }
    };
    say("By ", &p.author);
    say("From ", &p.origin);
    say("Licence: ", &p.licence);
    if p.may_pass_on == asset::PassOn::No {
        words.push("Not to be passed on.".to_owned());
    }
    (!words.is_empty()).then(|| words.join(" "))
}

impl Parcel {
    fn from_row(row: &MySqlRow) -> Result<Self, StoreError> {
        let state: String = row.try_get("state")?;
        let brief: String = row.try_get("brief")?;
        Ok(Self {
            id: row.try_get("id")?,
            asset: row.try_get("asset")?,
            asset_name: row.try_get("asset_name")?,
            number: row.try_get("number")?,
            asked: row.try_get("asked_at")?,
            state: match state.as_str() {
                "waiting" => ParcelState::Waiting,
                "ready" => ParcelState::Ready,
                _ => ParcelState::Failed,
            },
            fault: row.try_get("fault")?,
            key: row.try_get("key_")?,
            brief: serde_json::from_str(&brief).map_err(|e| StoreError::stored("brief", e))?,
            bytes: row.try_get("bytes")?,
            sheet: stored(row, "sheet")?,
        })
    }
}

/// The start of a query for rows that [`Parcel::from_row`] reads.
macro_rules! parcel_rows {
    () => {
        "SELECT p.*, DATE_FORMAT(p.asked, '%Y-%m-%d %H:%i') AS asked_at, a.name AS asset_name \
         FROM parcels p JOIN assets a ON a.id = p.asset"
    };
}

/// A hash of everything that the files of a parcel depend on.
pub fn key_of(asset: &Asset, brief: &Brief, chain: &[ChainTier]) -> Result<String, StoreError> {
    let mut hasher = blake3::Hasher::new();
    let mut add = |text: &str| {
        hasher.update(text.as_bytes());
        hasher.update(&[0]);
    };
    add(&ectome_recipe::parcel::VERSION.to_string());
    add(&asset.name);
    add(&format!("{:?}", asset.provenance));
    add(&json(brief, "brief")?);
    for t in chain {
        add(&t.candidate.hash);
    }
    Ok(hasher.finalize().to_hex().to_string())
}

impl Store {
    /// Asks for a parcel of the chain an asset has, for a brief. Tiers that are still being made are waited for. The latest parcel,
    /// where it would be the same, is returned instead; one that failed is made again.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn ask_for_parcel(
        &self,
        asset: &Asset,
        brief: &Brief,
        chain: &[ChainTier],
    ) -> Result<u64, StoreError> {
        let key = key_of(asset, brief, chain)?;
        let document = json(brief, "brief")?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            // Whoever asks at the same time waits here.
            sqlx::query("SELECT id FROM assets WHERE id = ? FOR UPDATE")
                .bind(asset.id)
                .fetch_optional(&mut *tx)
                .await?;
            let last = sqlx::query(
                "SELECT id, key_, state FROM parcels WHERE asset = ? ORDER BY number DESC LIMIT 1",
            )
            .bind(asset.id)
            .fetch_optional(&mut *tx)
            .await?;
            if let Some(row) = last {
                let (id, known): (u64, String) = (row.try_get("id")?, row.try_get("key_")?);
                let state: String = row.try_get("state")?;
                if known == key && state != "failed" {
                    tx.commit().await?;
                    return Ok(id);
                }
            }
            let id = sqlx::query(
                "INSERT INTO parcels (asset, number, key_, brief, brief_name) \
                 SELECT ?, COALESCE(MAX(number), 0) + 1, ?, ?, ? FROM parcels WHERE asset = ?",
            )
            .bind(asset.id)
            .bind(&key)
            .bind(&document)
            .bind(&brief.name)
            .bind(asset.id)
            .execute(&mut *tx)
            .await?
            .last_insert_id();
            for t in chain {
                sqlx::query("INSERT INTO parcel_tiers (parcel, tier, candidate) VALUES (?, ?, ?)")
                    .bind(id)
                    .bind(t.tier)
                    .bind(&t.candidate.hash)
                    .execute(&mut *tx)
                    .await?;
            }
            sqlx::query(
                "INSERT INTO work (kind, asset, parcel, light, needs) \
                 SELECT 'parcel', id, ?, light, needs FROM assets WHERE id = ?",
            )
            .bind(id)
            .bind(asset.id)
            .execute(&mut *tx)
            .await?;
            tx.commit().await?;
            Ok(id)
        })
        .await
    }

    /// A parcel.
    ///
    /// # Errors
    /// [`StoreError::Missing`], and others.
    pub async fn parcel(&self, id: u64) -> Result<Parcel, StoreError> {
        let row = sqlx::query(concat!(parcel_rows!(), " WHERE p.id = ?"))
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        row.as_ref()
            .map_or_else(|| Err(StoreError::missing("parcel", id)), Parcel::from_row)
    }

    /// Parcels, latest first.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn parcels(&self, wanted: &ParcelsWanted) -> Result<Vec<Parcel>, StoreError> {
        let like = anywhere(&wanted.search);
        // The keys first: sorting rows with whole sheets takes the database room on the disk.
        let rows = sqlx::query(concat!(
            parcel_rows!(),
            " JOIN (SELECT q.id FROM parcels q JOIN assets b ON b.id = q.asset \
             WHERE (? IS NULL OR q.asset = ?) \
             AND (b.name LIKE ? COLLATE utf8mb4_general_ci OR q.brief_name LIKE ? COLLATE utf8mb4_general_ci \
             OR q.verdict LIKE ? COLLATE utf8mb4_general_ci) \
             ORDER BY q.id DESC LIMIT ? OFFSET ?) shown ON shown.id = p.id"
        ))
        .bind(wanted.asset)
        .bind(wanted.asset)
        .bind(&like)
        .bind(&like)
        .bind(&like)
        .bind(wanted.most)
        .bind(wanted.from)
        .fetch_all(&self.pool)
        .await?;
        let mut list = rows
            .iter()
            .map(Parcel::from_row)
            .collect::<Result<Vec<_>, _>>()?;
        list.sort_by_key(|p| std::cmp::Reverse(p.id));
        Ok(list)
    }

    /// The files of a parcel, in order.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn parcel_files(&self, id: u64) -> Result<Vec<ParcelFile>, StoreError> {
        let rows = sqlx::query(
            "SELECT name, bytes, blob_key FROM parcel_files WHERE parcel = ? ORDER BY place",
        )
        .bind(id)
        .fetch_all(&self.pool)
        .await?;
        rows.iter()
            .map(|row| {
                Ok(ParcelFile {
                    name: row.try_get("name")?,
                    bytes: row.try_get("bytes")?,
                    blob: row.try_get("blob_key")?,
                })
            })
            .collect()
    }

    /// Removes a parcel with its files.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn remove_parcel(&self, id: u64) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query("DELETE FROM parcels WHERE id = ?")
                .bind(id)
                .execute(&self.pool)
                .await?;
            Ok(())
        })
        .await?;
        self.blobs.ask_for_collection();
        Ok(())
    }

    /// Everything that making a parcel needs.
    ///
    /// # Errors
    /// [`StoreError::Unmade`] where a tier could not be made, and others.
    pub(crate) async fn parcel_task(&self, id: u64) -> Result<ParcelTask, StoreError> {
        let parcel = self.parcel(id).await?;
        let asset = self.asset(parcel.asset).await?;
        let tray = self.tray(asset.id).await?;
        let tiers = self.parcel_tiers(&parcel, &tray).await?;
        let mut recipes = Vec::new();
        let mut results = Vec::new();
        let mut pictures = Vec::new();
        let mut maps = Vec::new();
        for (n, candidate) in tiers.iter().enumerate() {
            if candidate.state != CandidateState::Ready {
                let why = candidate.fault.clone().unwrap_or_default();
                return Err(StoreError::Unmade { tier: n, why });
            }
            let recipe = self.recipe(&candidate.hash).await?;
            let artefacts = self.artefacts(&candidate.hash).await?;
            let looks = [
                (Artefact::PICTURE, ""),
                (Artefact::OUTLINE, ""),
                (Artefact::SHADING, Artefact::SOURCE),
                (Artefact::SHADING, Artefact::RESULT),
                (Artefact::SHADING, Artefact::DIFFERENCE),
            ];
            let named = looks.map(|(kind, which)| (kind, which.to_owned()));
            let of_look = sight::FIGURES.into_iter().flat_map(sight::names);
            let of_look = of_look.map(|which| (Artefact::LOOK, which));
            let mut own = Vec::new();
            for (kind, which) in named.into_iter().chain(of_look) {
                if let Some(blob) = artefacts.one_of(kind, &which) {
                    let bytes = self.blobs.open(blob).await?.to_vec();
                    own.push(Artefact::one_of(kind, which, bytes));
                }
            }
            pictures.push(own);
            if n == 0 {
                maps = self.maps_of(candidate, &tray).await?;
            }
            let measured = candidate.measured(&parcel.brief, &asset);
            let tier = parcel.brief.tiers.get(n).or(parcel.brief.tiers.last());
            if let (Some(measured), Some(tier)) = (measured, tier) {
                results.push((tier.clone(), measured));
            }
            recipes.push(recipe);
        }
        let files = self.source_files(asset.id).await?;
        let inspection = asset.inspection.as_ref();
        Ok(ParcelTask {
            stem: names::stem(&asset.name),
            date: parcel.asked.chars().take(10).collect(),
            notice: notice(&asset.provenance),
            about: About {
                asset: asset.name.clone(),
                source_triangles: inspection.map_or(0, |i| i.triangles),
                source_bytes: files.iter().map(|f| f.bytes).sum(),
                source_materials: inspection.map_or(0, |i| i.materials.len()),
                tiers: results,
                plan: Vec::new(),
                left: Vec::new(),
                recipes: recipes.clone(),
                provenance: Provenance {
                    origin: asset.provenance.origin.clone(),
                    author: asset.provenance.author.clone(),
                    licence: asset.provenance.licence.clone(),
                    may_be_passed_on: asset.provenance.may_pass_on.word().to_owned(),
                },
                pictures,
            },
            tiers: recipes,
            maps,
            brief: parcel.brief,
        })
    }

    /// The maps that a candidate wears: its own, or those of what it was cut from.
    async fn maps_of(
        &self,
        candidate: &Candidate,
        tray: &[Candidate],
    ) -> Result<Vec<Map>, StoreError> {
        let mut at = Some(candidate.clone());
        while let Some(c) = at {
            let artefacts = self.artefacts(&c.hash).await?;
            let mut maps = Vec::new();
            for (name, blob) in artefacts.all_of(Artefact::MAP) {
                let bytes = self.blobs.open(blob).await?.to_vec();
                maps.push(Map {
                    name: name.to_owned(),
                    bytes,
                });
            }
            if !maps.is_empty() {
                return Ok(maps);
            }
            at = tray
                .iter()
                .find(|t| Some(&t.hash) == c.based_on.as_ref())
                .cloned();
        }
        Ok(Vec::new())
    }

    async fn parcel_tiers(
        &self,
        parcel: &Parcel,
        tray: &[Candidate],
    ) -> Result<Vec<Candidate>, StoreError> {
        let rows = sqlx::query("SELECT candidate FROM parcel_tiers WHERE parcel = ? ORDER BY tier")
            .bind(parcel.id)
            .fetch_all(&self.pool)
            .await?;
        rows.iter()
            .enumerate()
            .map(|(n, row)| {
                let hash: String = row.try_get("candidate")?;
                let found = tray.iter().find(|c| c.hash == hash).cloned();
                found.ok_or_else(|| StoreError::Unmade {
                    tier: n,
                    why: "It was discarded.".to_owned(),
                })
            })
            .collect()
    }

    /// Keeps the files of a parcel. Doing it twice changes nothing.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub(crate) async fn finish_parcel(
        &self,
        work: &Work,
        files: Vec<File>,
        sheet: &Sheet,
    ) -> Result<(), StoreError> {
        let Some(id) = work.parcel else { return Ok(()) };
        let mut kept = Vec::new();
        for file in files {
            let bytes = file.bytes.len() as u64;
            kept.push((file.name, bytes, self.blobs.put(file.bytes).await?));
        }
        let document = json(sheet, "sheet")?;
        retrying(|| async {
            let mut tx = self.pool.begin().await?;
            sqlx::query("DELETE FROM parcel_files WHERE parcel = ?")
                .bind(id)
                .execute(&mut *tx)
                .await?;
            for (place, (name, bytes, blob)) in kept.iter().enumerate() {
                sqlx::query(
                    "INSERT INTO parcel_files (parcel, place, name, bytes, blob_key) VALUES (?, ?, ?, ?, ?)",
                )
                .bind(id)
                .bind(place as u32)
                .bind(name)
                .bind(bytes)
                .bind(blob)
                .execute(&mut *tx)
                .await?;
            }
            sqlx::query(
                "UPDATE parcels SET state = 'ready', fault = NULL, made = NOW(6), verdict = ?, bytes = ?, sheet = ? WHERE id = ?",
            )
            .bind(sheet.verdict.word())
            .bind(kept.iter().map(|f| f.1).sum::<u64>())
            .bind(&document)
            .bind(id)
            .execute(&mut *tx)
            .await?;
            tx.commit().await?;
            Ok(())
        })
        .await
    }

    /// Records that a parcel could not be made.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub(crate) async fn fail_parcel(&self, id: u64, fault: &str) -> Result<(), StoreError> {
        retrying(|| async {
            sqlx::query(
                "UPDATE parcels SET state = 'failed', fault = ? WHERE id = ? AND state = 'waiting'",
            )
            .bind(short(fault))
            .bind(id)
            .execute(&self.pool)
            .await?;
            Ok(())
        })
        .await
    }
}
