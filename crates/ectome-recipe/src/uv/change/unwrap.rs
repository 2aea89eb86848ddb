//! New UVs for everything, or for the islands at some places.

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use ectome_uv::{
    face_graph::NONE,
    layout::Placement,
    unwrap::{self, Ground, Manner, Mark, Options},
};
use serde::{Deserialize, Serialize};

use super::{
    form::{chosen, list},
    kind::Kind,
};
use crate::uv::{
    copies::Copies,
    packing::{Spot, Stacks},
    work::Work,
};
use crate::{EngineError, change::Sent, figures::grouped};

/// New UVs for everything, or for the islands at some places.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Unwrap {
    /// How.
    pub manner: Manner,
    /// Seams that were drawn or rubbed out.
    #[serde(default)]
    pub marks: Vec<Mark>,
    /// Only these islands; empty for all.
    #[serde(default)]
    pub only: Vec<Spot>,
}

impl Kind for Unwrap {
    fn title(&self) -> &'static str {
        if self.only.is_empty() {
            "Unwrapping"
        } else {
            "Unwrapping some islands"
        }
    }

    fn needs_uvs(&self) -> bool {
        false
    }

    fn read(how: &str, sent: &dyn Sent) -> Result<Self, String> {
        let manner = match sent.text("manner") {
            "mechanical" => Manner::Mechanical,
            _ => Manner::Soft,
        };
        let marks = list(sent, "marks", "The marked seams")?;
        let only = match how {
            "some" => chosen(sent, "the islands to unwrap again")?,
            _ => Vec::new(),
        };
        Ok(Self {
            manner,
            marks,
            only,
        })
    }

    fn make(&self, mut work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
        let ground = Ground::of(work.mesh);
        let mut options = Options {
            manner: self.manner,
            ..Options::default()
        };
        for mark in &self.marks {
            let path = ground.path(mark);
            if mark.seam {
                options.seams.extend(path);
            } else {
                options.closed.extend(path);
            }
        }
        // Equal parts, and those that mirror them, are unwrapped once. A mark on one of them means that one, so then each is unwrapped by itself.
        let mirrored = work.packing.stacks == Stacks::Mirrored;
        let copies = if self.marks.is_empty() && self.only.is_empty() {
            Copies::of(work.mesh, mirrored, progress)?
        } else {
            Copies::none(work.mesh)
        };
        let chosen = work.chosen(&self.only)?;
        let faces: Vec<u32> = (0..work.mesh.face_count() as u32)
            .filter(|&f| copies.is_first(f))
            .filter(|&f| self.only.is_empty() || chosen.contains(&work.layout.island[f as usize]))
            .collect();
        let regions = unwrap::unwrap(&ground, faces.clone(), &options, &progress.span(0.0, 0.7))?;
        if self.only.is_empty() {
            work.layout = Layout::empty(work.mesh.face_count());
        } else {
            // The rest is brought to metres as it is, so that the new islands fit beside it.
            let others: Vec<bool> = (0..work.islands.len() as u32)
                .map(|i| !chosen.contains(&i))
                .collect();
            let scale = 1.0 / work.usual_density(&others.iter().map(|o| !o).collect::<Vec<_>>());
            let to_metres = Placement::turned(0.0, scale);
            work.layout.place(&vec![to_metres; work.islands.len()]);
            for &f in &faces {
                work.layout.island[f as usize] = NONE;
            }
        }
        work.layout.add(&regions);
        copies.lay(work.mesh, &mut work.layout, mirrored);
        let copied = if self.only.is_empty() {
            copies.count()
        } else {
            0
        };
        let sentence = format!(
            "{} triangles unwrapped into {} islands{}",
            grouped(faces.len() as u64),
            grouped(regions.len() as u64),
            match copied {
                0 => String::new(),
                n => format!(", {} of equal parts like them", grouped(n as u64)),
            }
        );
        let stacked = work.packing.stacks != Stacks::Apart;
        Ok((work.packed_as(None, stacked, progress)?, sentence))
    }
}
