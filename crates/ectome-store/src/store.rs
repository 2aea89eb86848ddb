//! Database and blobs together.

use std::time::Duration;

use sqlx::{MySqlPool, mysql::MySqlPoolOptions};
use tokio::sync::watch;

use crate::{
    StoreError,
    adopt::adopt,
    blobs::Blobs,
    database::{Connection, Health, address, schema},
    disk::Disk,
    naming::Names,
    stock::Juries,
};

/// How long anybody waits for a connection. A database that is gone is noticed sooner, see [`Store::health`].
const PATIENCE: Duration = Duration::from_secs(5);

/// Everything that outlives a restart.
#[derive(Clone)]
pub struct Store {
    pub(crate) pool: MySqlPool,
    /// Meshes and pictures.
    pub blobs: Blobs,
    /// The disk that everything lies on.
    pub disk: Disk,
    pub(crate) names: Names,
    pub(crate) juries: Juries,
    health: watch::Receiver<Health>,
}

impl Store {
    /// Connects to a database and brings its schema up to date.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub async fn open(
        connection: &Connection,
        blobs: Blobs,
        disk: Disk,
    ) -> Result<Self, StoreError> {
        let options = connection
            .options
            .clone()
            .charset("utf8mb4")
            .collation("utf8mb4_bin");
        let pool = MySqlPoolOptions::new()
            .max_connections(12)
            .acquire_timeout(PATIENCE)
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
            .connect_with(options)
            .await?;
        let health = match &connection.health {
            Some(health) => health.clone(),
            None => {
                address::check(&pool).await?;
                address::watch_over(pool.clone())
            }
        };
        schema::steps().run(&pool).await?;
        let store = Self {
            pool,
            blobs,
            disk,
            names: Names::default(),
            juries: Juries::default(),
            health,
        };
        adopt(&store).await?;
        Ok(store)
    }

    /// How the database is, at once and without asking it.
    pub fn health(&self) -> Health {
        self.health.borrow().clone()
    }

    /// Closes all connections.
    pub async fn close(&self) {
        self.pool.close().await;
    }
}
