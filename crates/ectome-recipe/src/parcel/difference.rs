//! How a parcel differs from the one before it, line by line.

use std::collections::BTreeMap;

use super::sheet::Sheet;
use crate::figures::grouped;

/// One thing that is another now.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Difference {
    /// What.
    pub what: String,
    /// As it was; empty where it was not there.
    pub before: String,
    /// As it is; empty where it is no more.
    pub now: String,
}

/// What is another in `now` than it was in `before`: figures of the tiers, then files.
pub fn between(before: &Sheet, now: &Sheet) -> Vec<Difference> {
    let mut list = Vec::new();
    let mut say = |what: &str, before: String, now: String| {
        if before != now {
            list.push(Difference {
                what: what.to_owned(),
                before,
                now,
            });
        }
    };
    say("Brief", before.brief.clone(), now.brief.clone());
    say(
        "Verdict",
        before.verdict.word().to_owned(),
        now.verdict.word().to_owned(),
    );
    say("Bytes", grouped(before.bytes), grouped(now.bytes));
    let tiers = before.contents.len().max(now.contents.len());
    for n in 0..tiers {
        let (old, new) = (before.contents.get(n), now.contents.get(n));
        let figure = |of: Option<&super::contents::Contents>,
                      f: fn(&super::contents::Contents) -> u64| {
            of.map_or_else(String::new, |c| grouped(f(c)))
        };
        for (what, f) in [
            (
                "triangles",
                (|c| c.triangles) as fn(&super::contents::Contents) -> u64,
            ),
            ("vertices", |c| c.vertices),
            ("materials", |c| c.materials as u64),
            ("draw calls", |c| c.draw_calls as u64),
            (
                "bytes of textures on the device",
                super::contents::Contents::device_bytes,
            ),
        ] {
            say(&format!("LOD{n}: {what}"), figure(old, f), figure(new, f));
        }
        let deviation = |s: &Sheet| {
            let tier = s.tiers.get(n);
            tier.map_or_else(String::new, |t| {
                format!("{:.3} mm", t.deviation_max_m * 1e3)
            })
        };
        say(
            &format!("LOD{n}: largest deviation"),
            deviation(before),
            deviation(now),
        );
    }
    let files = |s: &Sheet| -> BTreeMap<String, (String, u64)> {
        let lines = s.files.iter();
        lines
            .map(|f| (f.name.clone(), (f.blake3.clone(), f.bytes)))
            .collect()
    };
    let (old, new) = (files(before), files(now));
    let names: std::collections::BTreeSet<&String> = old.keys().chain(new.keys()).collect();
    for name in names {
        let (a, b) = (old.get(name), new.get(name));
        if a.map(|f| &f.0) != b.map(|f| &f.0) {
            let bytes = |f: Option<&(String, u64)>| {
                f.map_or_else(String::new, |f| format!("{} bytes", grouped(f.1)))
            };
            let (before, mut now) = (bytes(a), bytes(b));
            if before == now {
                now += ", others";
            }
            list.push(Difference {
                what: name.clone(),
                before,
                now,
            });
        }
    }
    list
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::parcel::{
        contents::Contents,
        sheet::{Conventions, FileLine, Provenance},
    };

    fn sheet(triangles: u64, files: &[(&str, &str, u64)]) -> Sheet {
        let line = |&(name, hash, bytes): &(&str, &str, u64)| FileLine {
            name: name.to_owned(),
            of: String::new(),
            bytes,
            blake3: hash.to_owned(),
        };
        Sheet {
            asset: "bell".to_owned(),
            brief: "Quay".to_owned(),
            date: "2026-11-28".to_owned(),
            verdict: crate::Standing::Pass,
            source_triangles: 9,
            source_bytes: 9,
            source_materials: 1,
            bytes: files.iter().map(|f| f.2).sum(),
            tiers: Vec::new(),
            contents: vec![Contents {
                triangles,
                ..Contents::default()
            }],
            checks: Vec::new(),
            plan: Vec::new(),
            left: Vec::new(),
            conventions: Conventions::default(),
            provenance: Provenance::default(),
            files: files.iter().map(line).collect(),
            recipes: Vec::new(),
        }
    }

    #[test]
    fn what_is_another_is_listed_and_nothing_else() {
        let before = sheet(
            100,
            &[("a.glb", "x", 50), ("b.png", "y", 7), ("c.png", "z", 7)],
        );
        assert!(between(&before, &before).is_empty());
        let now = sheet(
            80,
            &[
                ("a.glb", "w", 40),
                ("b.png", "q", 7),
                ("c.png", "z", 7),
                ("d.png", "v", 1),
            ],
        );
        let list: Vec<[String; 3]> = between(&before, &now)
            .into_iter()
            .map(|d| [d.what, d.before, d.now])
            .collect();
        let expected = [
            ["Bytes", "64", "55"],
            ["LOD0: triangles", "100", "80"],
            ["a.glb", "50 bytes", "40 bytes"],
            ["b.png", "7 bytes", "7 bytes, others"],
            ["d.png", "", "1 bytes"],
        ];
        assert_eq!(list, expected.map(|row| row.map(str::to_owned)));
    }
}
