//! Threads and memory of a lane, so that light work is done beside heavy work and pages beside both.

use std::sync::Arc;

use rayon::{ThreadPool, ThreadPoolBuildError, ThreadPoolBuilder};

use crate::work::Lane;

/// Of the memory that is free at the start, what heavy work may take for reading; light work gets the rest of what work
/// gets at all.
const HEAVY_SHARE: f64 = 0.6;
const LIGHT_SHARE: f64 = 0.15;

/// How much further back work stands than pages when both want a processor (nice(2)).
const BEHIND: i32 = 10;

/// What work of one lane runs with.
#[derive(Clone)]
pub(super) struct Resources {
    pub threads: Arc<ThreadPool>,
    /// Bytes that reading a source may take.
    pub budget: u64,
}

impl Resources {
    /// The resources of a lane on this machine, of whose memory work may take at most `memory` bytes.
    pub fn of(lane: Lane, memory: u64) -> Result<Self, ThreadPoolBuildError> {
        let (name, share) = match lane {
            Lane::Light => ("light", LIGHT_SHARE),
            Lane::Any => ("heavy", HEAVY_SHARE),
        };
        let threads = ThreadPoolBuilder::new()
            .thread_name(move |i| format!("{name} {i}"))
            .start_handler(|_| {
                // Of the calling thread only; where it is forbidden, all are equal.
                let _ = rustix::process::setpriority_process(None, BEHIND);
            })
            .build()?;
        Ok(Self {
            threads: Arc::new(threads),
            budget: ((available() as f64 * share) as u64).min(memory),
        })
    }
}

/// Bytes of memory that can be had now.
fn available() -> u64 {
    line("/proc/meminfo", "MemAvailable:").unwrap_or(8 << 30)
}

/// Bytes of memory that the machine has; 0 where it does not tell.
pub(super) fn machine() -> u64 {
    line("/proc/meminfo", "MemTotal:").unwrap_or(0)
}

/// Bytes of memory that this process holds now; 0 where the system does not tell.
pub(super) fn held() -> u64 {
    line("/proc/self/status", "VmRSS:").unwrap_or(0)
}

fn line(file: &str, name: &str) -> Option<u64> {
    let text = std::fs::read_to_string(file).ok()?;
    let rest = text.lines().find_map(|l| l.strip_prefix(name))?;
    let kib: u64 = rest.trim().trim_end_matches("kB").trim().parse().ok()?;
    Some(kib * 1024)
}
