//! `ectome collect`: takes away what is kept and nobody names any more.

use std::path::PathBuf;

use clap::Args;

use ectome_recipe::figures::grouped;

use super::{failure::Failure, place::Elsewhere, serve::lock};
use crate::output::say;

/// Frees the space of what no asset needs any more. The application does so itself after something was removed and once a
/// day; this is for a data folder whose application is not running.
#[derive(Args)]
pub struct Collect {
    /// The folder of everything that is kept.
    #[arg(long, env = "ECTOME_DATA", default_value = ".run")]
    data: PathBuf,
    #[command(flatten)]
    elsewhere: Elsewhere,
}

impl Collect {
    pub fn run(self) -> Result<(), Failure> {
        let runtime = tokio::runtime::Runtime::new().map_err(Failure::Runtime)?;
        runtime.block_on(self.collect())
    }

    async fn collect(self) -> Result<(), Failure> {
        // Several may use what is elsewhere; the folder is one's alone.
        let mut _lock = None;
        if let Some(folder) = self.elsewhere.needs(&self.data) {
            if !folder.is_dir() {
                return Err(Failure::Settings(format!(
                    "{} holds no data of Ectome: name its folder with --data",
                    self.data.display()
                )));
            }
            _lock = Some(lock(&self.data)?);
        }
        let opened = self.elsewhere.open(&self.data, 0).await?;
        let freed = opened.store.collect().await;
        opened.close().await;
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
