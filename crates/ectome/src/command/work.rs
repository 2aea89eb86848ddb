//! `ectome work`: a worker for an application that runs elsewhere.

use clap::Args;
use ectome_store::{
    work::{Accepts, Kind},
    worker::{self, Identity},
};
use tokio::sync::watch;

use super::{
    failure::Failure,
    place::Elsewhere,
    serve::{asked_to_stop, log_to_terminal},
};
use crate::output::{remark, say};

/// Does work for an application that uses the same database and object store, on this machine or on another.
///
/// Any number may run. Work whose worker dies is taken again by another; Ctrl-C puts back what is being done.
#[derive(Args)]
pub struct Work {
    #[command(flatten)]
    elsewhere: Elsewhere,
    /// The kinds of work to accept: intake, prepare, analyse, make, parcel, plan. Without it, all.
    #[arg(long, value_delimiter = ',', value_parser = kind)]
    kinds: Vec<Kind>,
    /// The most memory that a piece of work may take, as 8GB or 800MB. Without it, all that is free.
    #[arg(long, value_parser = bytes)]
    memory: Option<u64>,
    /// Bytes that stay free on the disk for temporary files: below that, no work is taken.
    #[arg(long, env = "ECTOME_DISK_RESERVE", default_value_t = 512 << 20)]
    disk_reserve: u64,
}

fn kind(word: &str) -> Result<Kind, String> {
    Kind::of(word).ok_or_else(|| {
        let words: Vec<&str> = Kind::ALL.iter().map(|k| k.word()).collect();
        format!("kinds are {}", words.join(", "))
    })
}

/// A size with its unit, decimal as everywhere here.
fn bytes(text: &str) -> Result<u64, String> {
    let units = [("GB", 1e9), ("MB", 1e6)];
    units
        .iter()
        .find_map(|(unit, size)| {
            let number = text.trim().strip_suffix(unit)?.trim().parse::<f64>().ok()?;
            (number > 0.0).then_some((number * size) as u64)
        })
        .ok_or_else(|| "write a size as 8GB or 800MB".to_owned())
}

impl Work {
    pub fn run(self) -> Result<(), Failure> {
        if self.elsewhere.database.is_none() || self.elsewhere.store.is_none() {
            return Err(Failure::Settings(
                "a worker needs --database and --store, or ECTOME_DATABASE and ECTOME_STORE; `ectome serve` has a worker of its \
                 own"
                    .to_owned(),
            ));
        }
        log_to_terminal();
        let runtime = tokio::runtime::Runtime::new().map_err(Failure::Runtime)?;
        runtime.block_on(self.work())
    }

    async fn work(self) -> Result<(), Failure> {
        let scratch = std::env::temp_dir();
        let opened = self.elsewhere.open(&scratch, self.disk_reserve).await?;
        let mut kinds = Vec::new();
        let wanted = if self.kinds.is_empty() {
            Kind::ALL.to_vec()
        } else {
            self.kinds
        };
        for kind in wanted {
            if !kinds.contains(&kind) {
                kinds.push(kind);
            }
        }
        let accepts = Accepts {
            kinds,
            memory: self.memory.unwrap_or(u64::MAX),
        };
        let (stop, stopping) = watch::channel(false);
        let working = tokio::spawn(worker::run(opened.store.clone(), accepts, stopping));
        say!("{} works (Ctrl-C stops it)", Identity::own().name());
        asked_to_stop().await;
        remark!("Stopping.");
        let _ = stop.send(true);
        let _ = working.await;
        opened.close().await;
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    #[rstest]
    #[case("8GB", Some(8_000_000_000))]
    #[case("1.5 GB", Some(1_500_000_000))]
    #[case("800MB", Some(800_000_000))]
    #[case("8", None)]
    #[case("-1GB", None)]
    #[case("GB", None)]
    fn sizes_are_read_with_their_unit(#[case] text: &str, #[case] bytes: Option<u64>) {
        assert_eq!(super::bytes(text).ok(), bytes);
    }
}
