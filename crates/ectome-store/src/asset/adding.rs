//! Assets are added with their files, and other files take the place of them.

use ectome_recipe::{memory, step::BroughtFile};
use sqlx::{MySqlConnection, Row};

use super::Asset;
use crate::{
    Store, StoreError,
    document::{fits, json},
    folder,
    retry::retrying,
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
    let brought = if asset.low.is_empty() {
        None
    } else {
        Some(json(&asset.low, "low mesh that came along")?)
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
