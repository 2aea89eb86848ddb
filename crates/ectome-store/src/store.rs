//! Database and blobs together.

use std::path::Path;

use sqlx::{
    MySqlPool,
    mysql::{MySqlConnectOptions, MySqlPoolOptions},
};

use crate::{StoreError, blobs::Blobs};

/// The name of the database.
const DATABASE: &str = "ectome";

/// Everything that outlives a restart.
#[derive(Clone)]
pub struct Store {
    pub(crate) pool: MySqlPool,
    /// Meshes and pictures.
    pub blobs: Blobs,
}

impl Store {
    /// Connects through a server's socket, makes the database if it is new and brings its schema up
    /// to date.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn open(socket: &Path, blobs: Blobs) -> Result<Self, StoreError> {
        let options = MySqlConnectOptions::new()
            .socket(socket)
            .username("root")
            .charset("utf8mb4")
            .collation("utf8mb4_bin");
        let first = MySqlPoolOptions::new()
            .max_connections(1)
            .connect_with(options.clone())
            .await?;
        sqlx::query(
            "CREATE DATABASE IF NOT EXISTS ectome CHARACTER SET utf8mb4 COLLATE utf8mb4_bin",
        )
        .execute(&first)
        .await?;
        first.close().await;
        let pool = MySqlPoolOptions::new()
            .max_connections(12)
            .after_connect(|connection, _| {
                Box::pin(async move {
                    // Locks rows, not the gaps between them: the queue's scans would otherwise hold
                    // up everybody who adds to it.
                    sqlx::query("SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED")
                        .execute(connection)
                        .await?;
                    Ok(())
                })
            })
            .connect_with(options.database(DATABASE))
            .await?;
        sqlx::migrate!("./migrations").run(&pool).await?;
        Ok(Self { pool, blobs })
    }

    /// Closes all connections.
    pub async fn close(&self) {
        self.pool.close().await;
    }
}
