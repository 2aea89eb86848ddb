//! `ectome collect`: takes away what is kept and nobody names any more.

use std::path::PathBuf;

use clap::Args;
use ectome_store::{Store, blobs::Blobs, database::PrivateServer, disk::Disk};

use super::{Failure, grouped, serve::lock};
use crate::output::say;

/// Frees the space of what no asset needs any more. The application does so itself after something was removed and once a
/// day; this is for a data folder whose application is not running.
#[derive(Args)]
pub struct Collect {
    /// The folder of everything that is kept.
    #[arg(long, env = "ECTOME_DATA", default_value = ".run")]
    data: PathBuf,
}

impl Collect {
    pub fn run(self) -> Result<(), Failure> {
        let runtime = tokio::runtime::Runtime::new()
            .map_err(|e| Failure::Serve(format!("the runtime did not start: {e}")))?;
        runtime.block_on(self.collect())
    }

    async fn collect(self) -> Result<(), Failure> {
        let database = self.data.join("database");
        if !database.is_dir() {
            return Err(Failure::Settings(format!(
                "{} holds no data of Ectome: name its folder with --data",
                self.data.display()
            )));
        }
        let _lock = lock(&self.data)?;
        let database = PrivateServer::start(&database).await?;
        let freed = async {
            let blobs = Blobs::in_folder(&self.data.join("blobs"))?;
            let disk = Disk::of(&self.data, 0);
            let store = Store::open(database.connection(), blobs, disk).await?;
            let freed = store.collect().await;
            store.close().await;
            freed
        };
        let freed = freed.await;
        database.stop().await;
        let freed = freed?;
        say!(
            "Freed {} in {} files.",
            megabytes(freed.bytes),
            grouped(freed.blobs)
        );
        Ok(())
    }
}

fn megabytes(bytes: u64) -> String {
    format!("{:.1} MB", bytes as f64 / 1e6)
}
