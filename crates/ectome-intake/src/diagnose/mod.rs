//! What is wrong with a mesh, worst first: how often, where, what it will cause and what repairs it.

mod faces;
pub mod sheets;
pub mod surface;
pub mod uv;
mod whole;

use ectome_mesh::{Cancelled, Mesh, Progress, measure::Bounds};
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// Something that is wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// Edges with three faces or more.
    NonManifoldEdges,
    /// Points at which faces only touch.
    NonManifoldPoints,
    /// Whole pieces that look inward, or faces against their neighbours.
    InsideOutFaces,
    /// Borders.
    OpenBorders,
    /// Points that nearly coincide.
    CoincidentPoints,
    /// Faces on the same points.
    DuplicateFaces,
    /// Faces without area.
    DegenerateFaces,
    /// Loose small pieces.
    Floaters,
    /// A flat piece under everything.
    StrayGround,
    /// Faces of more than four corners.
    Ngons,
    /// A size no prop has.
    AbsurdScale,
    /// Faces that a texture is meant for but that have no UVs.
    MissingUvs,
    /// Faces whose UVs have no area.
    ZeroAreaUvs,
    /// UVs over each other.
    OverlappingUvs,
    /// UVs outside 0–1.
    OutOfRangeUvs,
    /// A texture that is not there.
    MissingTextures,
    /// A texture larger than any target takes.
    LargeTextures,
}

/// A stretch on the mesh that is shown for a finding, in metres; a place when both ends are one.
pub type Mark = [[f32; 3]; 2];

/// One thing that is wrong.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    /// What.
    pub kind: Kind,
    /// How many.
    pub count: usize,
    /// Further figures, in words; empty where the count says it all.
    #[serde(default)]
    pub detail: String,
    /// How much it harms a cut: 3 spoils it, 2 shows in it, 1 costs triangles or care.
    pub rank: u8,
}

/// All that is wrong, and where.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Diagnosis {
    /// In order of harm.
    pub findings: Vec<Finding>,
    /// For each finding, where it is: at most [`MOST_MARKS`].
    pub marks: Vec<Vec<Mark>>,
}

/// Marks kept for one finding.
pub const MOST_MARKS: usize = 1500;

/// Findings under construction.
#[derive(Default)]
struct List(Vec<(Finding, Vec<Mark>)>);

impl List {
    fn add(&mut self, kind: Kind, rank: u8, count: usize, detail: String, marks: Vec<Mark>) {
        if count > 0 {
            let finding = Finding {
                kind,
                count,
                detail,
                rank,
            };
            self.0.push((finding, marks));
        }
    }
}

/// A place as a mark.
fn spot(p: Vec3) -> Mark {
    [p.to_array(), p.to_array()]
}

/// The middle of a face as a mark.
fn face_spot(mesh: &Mesh, face: usize) -> Mark {
    let face = mesh.face(face);
    spot(face.iter().map(|&v| mesh.position(v)).sum::<Vec3>() / face.len() as f32)
}

/// An edge as a mark.
fn edge_mark(mesh: &Mesh, a: u32, b: u32) -> Mark {
    [a, b].map(|p| mesh.points[p as usize].to_array())
}

/// The edges of a box as marks.
fn box_marks(b: &Bounds) -> Vec<Mark> {
    let corner = |i: usize| -> [f32; 3] {
        std::array::from_fn(|k| if i >> k & 1 == 1 { b.max[k] } else { b.min[k] })
    };
    (0..8usize)
        .flat_map(|i| (0..3).filter_map(move |k| (i >> k & 1 == 0).then_some((i, i | 1 << k))))
        .map(|(i, j)| [corner(i), corner(j)])
        .collect()
}

/// Examines the geometry of a mesh; what is wrong with pictures the caller adds with
/// [`Diagnosis::add`].
///
/// # Errors
/// [`Cancelled`].
pub fn diagnose(mesh: &Mesh, progress: &Progress) -> Result<Diagnosis, Cancelled> {
    let mut list = List::default();
    progress.at(0.0)?;
    surface::examine(mesh, &mut list, &progress.span(0.0, 0.65))?;
    progress.at(0.65)?;
    faces::examine(mesh, &mut list);
    progress.at(0.75)?;
    whole::examine(mesh, &mut list);
    progress.at(0.85)?;
    uv::examine(mesh, &mut list);
    progress.at(1.0)?;
    let mut diagnosis = Diagnosis::default();
    for (finding, marks) in list.0 {
        diagnosis.add(finding, marks);
    }
    Ok(diagnosis)
}

impl Diagnosis {
    /// Adds a finding at its place in the order of harm.
    pub fn add(&mut self, finding: Finding, mut marks: Vec<Mark>) {
        if marks.len() > MOST_MARKS {
            // Evenly over all of them, so that every region shows.
            let n = marks.len();
            marks = (0..MOST_MARKS).map(|i| marks[i * n / MOST_MARKS]).collect();
        }
        let key = |f: &Finding| (std::cmp::Reverse(f.rank), f.kind);
        let at = self.findings.partition_point(|f| key(f) <= key(&finding));
        self.findings.insert(at, finding);
        self.marks.insert(at, marks);
    }

    /// The count of one kind; 0 when it was not found.
    pub fn count(&self, kind: Kind) -> usize {
        self.findings
            .iter()
            .find(|f| f.kind == kind)
            .map_or(0, |f| f.count)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_sound_ball_has_nothing_wrong_but_its_missing_uvs() {
        let d = diagnose(&shapes::icosphere(0.5, 4), &Progress::new()).unwrap();
        let kinds: Vec<Kind> = d.findings.iter().map(|f| f.kind).collect();
        assert_eq!(kinds, [Kind::MissingUvs]);
    }

    #[test]
    fn what_harms_most_stands_first() {
        let mut d = Diagnosis::default();
        for (kind, rank) in [
            (Kind::Ngons, 1),
            (Kind::OpenBorders, 2),
            (Kind::NonManifoldEdges, 3),
        ] {
            let finding = Finding {
                kind,
                rank,
                count: 1,
                detail: String::new(),
            };
            d.add(finding, vec![spot(Vec3::ZERO); 4000]);
        }
        assert_eq!(d.findings[0].kind, Kind::NonManifoldEdges);
        assert!(d.marks.iter().all(|m| m.len() == MOST_MARKS));
    }
}
