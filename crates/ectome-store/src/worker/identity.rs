//! The name of a worker, from which others on the same machine can tell whether it still lives.

use std::path::Path;

/// A name that no other worker bears: host, process, and the space of process numbers it was given in (one machine has
/// several when programs run in containers; namespaces(7)).
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Identity {
    host: String,
    space: String,
    process: u32,
}

impl Identity {
    /// This process.
    pub fn own() -> Self {
        let system = rustix::system::uname();
        let host = system.nodename().to_string_lossy();
        // Reads `pid:[4026531836]`.
        let space = std::fs::read_link("/proc/self/ns/pid").unwrap_or_default();
        let digits = |c: &char| c.is_ascii_digit();
        Self {
            // A name is one word, so that it can be taken apart again.
            host: host
                .split_whitespace()
                .collect::<String>()
                .chars()
                .take(60)
                .collect(),
            space: space.to_string_lossy().chars().filter(digits).collect(),
            process: std::process::id(),
        }
    }

    /// The name in rows and on pages, before the name of the lane.
    pub fn name(&self) -> String {
        format!("{}/{}/{}", self.host, self.space, self.process)
    }

    /// True when `name` is that of a worker which ran where this one runs and is no more.
    pub(crate) fn knows_dead(&self, name: &str) -> bool {
        let before_lane = name.split(' ').next().unwrap_or_default();
        let mut words = before_lane.rsplit('/');
        let (process, space, host) = (words.next(), words.next(), words.next());
        let here = host == Some(&self.host) && space == Some(&self.space);
        let process = process.and_then(|p| p.parse::<u32>().ok());
        match process {
            Some(process) if here && process != self.process => {
                !Path::new(&format!("/proc/{process}")).exists()
            }
            _ => false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_those_that_ran_here_and_are_gone_are_known_dead() {
        let own = Identity::own();
        assert!(!own.knows_dead(&format!("{} light", own.name())));
        let mut other = std::process::Command::new("true").spawn().unwrap();
        let gone = Identity {
            process: other.id(),
            ..own.clone()
        };
        other.wait().unwrap();
        assert!(own.knows_dead(&format!("{} heavy", gone.name())));
        let elsewhere = Identity {
            host: "another".to_owned(),
            ..gone.clone()
        };
        assert!(!own.knows_dead(&elsewhere.name()));
        let contained = Identity {
            space: "1".to_owned(),
            ..gone
        };
        assert!(!own.knows_dead(&contained.name()));
        // What an earlier version called itself.
        assert!(!own.knows_dead("serve light") && !own.knows_dead(""));
    }
}
