//! Choices of what stands somewhere: the source or a candidate.

use ectome_store::candidate::Candidate;

use super::rows::Rows;
use crate::words;

/// One choice.
pub struct Side {
    /// The number of a candidate; 0 for the source.
    pub number: u32,
    pub name: String,
    pub chosen: bool,
}

impl Side {
    /// A candidate by its number and count.
    pub fn candidate(c: &Candidate, chosen: bool) -> Self {
        Self {
            number: c.number,
            name: format!(
                "Candidate {}, {}",
                c.number,
                words::grouped(c.triangles.unwrap_or(0))
            ),
            chosen,
        }
    }

    /// The source with its count.
    pub fn source(rows: &Rows, chosen: bool) -> Self {
        Self {
            number: 0,
            name: format!("Source, {}", words::grouped(rows.source_triangles())),
            chosen,
        }
    }

    /// Candidates that are made, each with the tier it fills.
    pub fn with_tiers(rows: &Rows, chosen: Option<u32>) -> Vec<Self> {
        let name = |c: &Candidate| {
            let tier = rows.chain.iter().find(|t| t.candidate.hash == c.hash);
            let lod = tier.map_or_else(String::new, |t| format!("LOD{}, ", t.tier));
            let n = words::grouped(c.triangles.unwrap_or(0));
            format!("{lod}candidate {}, {n}", c.number)
        };
        rows.made()
            .map(|c| Self {
                number: c.number,
                name: name(c),
                chosen: Some(c.number) == chosen,
            })
            .collect()
    }
}
