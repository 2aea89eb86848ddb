//! The source as a skin is fitted to it: what of it can be seen from outside.

use std::sync::atomic::{AtomicU8, Ordering};

use ectome_mesh::{
    Cancelled, Channels, Mesh, Part, Progress, Run, edit,
    nearest::{Place, SurfaceIndex},
};
use glam::Vec3;
use rayon::prelude::*;

use crate::cells::{Cells, Grid, Sides};

/// Beside a face it is asked for what hides it, as a share of a cell.
const BESIDE: f32 = 0.2;
/// A face of at most so many cells is seen or hidden as a whole.
const SMALL: f32 = 1.5;

const UNKNOWN: u8 = 0;
const SEEN: u8 = 1;
const HIDDEN: u8 = 2;

/// The source, its index, and which of its faces others hide.
pub(crate) struct Ground<'a> {
    pub mesh: &'a Mesh,
    pub index: &'a SurfaceIndex,
    pub sides: &'a Sides<'a>,
    pub cell: f32,
    /// By face; empty where one piece is all there is. What is found does not depend on who asks first: it is asked at its middle.
    known: Vec<AtomicU8>,
}

impl<'a> Ground<'a> {
    /// Of a source of several pieces, which may hide one another, or of one.
    pub fn of(
        mesh: &'a Mesh,
        index: &'a SurfaceIndex,
        sides: &'a Sides<'a>,
        cell: f32,
        pieces: usize,
    ) -> Self {
        let faces = if pieces > 1 { mesh.face_count() } else { 0 };
        Self {
            mesh,
            index,
            sides,
            cell,
            known: std::iter::repeat_with(|| AtomicU8::new(UNKNOWN))
                .take(faces)
                .collect(),
        }
    }

    /// The nearest place of the source that can be seen from outside, if one is so near. What can be seen is a little further on, too:
    /// who found such a place before, names it.
    pub fn nearest(&self, place: Vec3, within: f32, seen: Option<(u32, Vec3)>) -> Option<Place> {
        let mut best: Option<Place> = None;
        // Most of what is nearest can be seen: that is asked once, and only where it is hidden is more looked at.
        self.index.visit_within(place, within, |found| {
            if best.is_none_or(|b| found.distance < b.distance) {
                best = Some(found);
            }
            best.map_or(within, |b| b.distance)
        });
        let known = |b: &Place| {
            seen.is_some_and(|(face, at)| {
                face == b.face && at.distance(b.point) < BESIDE * self.cell
            })
        };
        if best.is_none_or(|b| known(&b) || !self.is_hidden(b.face, b.point)) {
            return best;
        }
        best = None;
        self.index.visit_within(place, within, |found| {
            let is_nearer = best.is_none_or(|b| found.distance < b.distance);
            if is_nearer && !self.is_hidden(found.face, found.point) {
                best = Some(found);
            }
            best.map_or(within, |b| b.distance)
        });
        best
    }

    /// The normal of a face; none where it has no area.
    pub fn normal(&self, face: u32) -> Option<Vec3> {
        let [a, b, c] = self.mesh.triangle(face as usize);
        (b - a).cross(c - a).try_normalize()
    }

    /// Whether a place of a face lies inside what others enclose.
    pub fn is_hidden(&self, face: u32, place: Vec3) -> bool {
        let Some(known) = self.known.get(face as usize) else {
            return false;
        };
        match known.load(Ordering::Relaxed) {
            SEEN => return false,
            HIDDEN => return true,
            _ => {}
        }
        let triangle = self.mesh.triangle(face as usize);
        let [a, b, c] = triangle;
        let sides = [a.distance(b), b.distance(c), c.distance(a)];
        let is_small = sides.into_iter().fold(0.0, f32::max) <= SMALL * self.cell;
        let at = if is_small { (a + b + c) / 3.0 } else { place };
        let beside = self.normal(face).unwrap_or_default() * (BESIDE * self.cell);
        let hidden = self.sides.is_enclosed(at + beside) && self.sides.is_enclosed(at - beside);
        if is_small {
            known.store(if hidden { HIDDEN } else { SEEN }, Ordering::Relaxed);
        }
        hidden
    }

    /// The source without what cannot be seen: faces that others hide, and what of large ones lies in others, to about a cell.
    pub fn seen(&self, around: &Around<'_>, progress: &Progress) -> Result<Seen, Cancelled> {
        let faces = self.mesh.face_count();
        if self.known.is_empty() {
            return Ok(Seen {
                mesh: self.mesh.clone(),
                hidden: 0,
            });
        }
        let mut kept: Vec<u32> = Vec::new();
        let mut parts: Vec<(u32, [Vec3; 3])> = Vec::new();
        let mut hidden = 0;
        for from in (0..faces).step_by(AT_ONCE) {
            progress.at(from as f32 / faces as f32)?;
            let answers: Vec<Option<Vec<[Vec3; 3]>>> = (from..faces.min(from + AT_ONCE))
                .into_par_iter()
                .map(|f| self.seen_of(f as u32, around))
                .collect();
            for (n, answer) in answers.into_iter().enumerate() {
                let face = (from + n) as u32;
                match answer {
                    None => kept.push(face),
                    Some(own) => {
                        hidden += usize::from(own.is_empty());
                        parts.extend(own.into_iter().map(|t| (face, t)));
                    }
                }
            }
        }
        Ok(Seen {
            mesh: with_parts(self.mesh, &kept, &parts),
            hidden,
        })
    }

    /// What can be seen of a face: `None` for all of it.
    fn seen_of(&self, face: u32, around: &Around<'_>) -> Option<Vec<[Vec3; 3]>> {
        let mut parts = Vec::new();
        match self.seen_of_part(face, self.mesh.triangle(face as usize), around, &mut parts) {
            Sight::Seen => None,
            Sight::Hidden => Some(Vec::new()),
            Sight::Divided => Some(parts),
        }
    }

    /// What can be seen of a part of a face: where it is not one thing, what can be seen of it is added to a list.
    fn seen_of_part(
        &self,
        face: u32,
        t: [Vec3; 3],
        around: &Around<'_>,
        into: &mut Vec<[Vec3; 3]>,
    ) -> Sight {
        let sides = [0, 1, 2].map(|k| t[k].distance_squared(t[(k + 1) % 3]));
        let k = (0..3)
            .max_by(|&a, &b| sides[a].total_cmp(&sides[b]))
            .unwrap_or(0);
        if sides[k] <= (SMALL * self.cell).powi(2) {
            let middle = t.iter().sum::<Vec3>() / 3.0;
            let hidden = match around.sides_at(middle) {
                // Inside the film of a sheet is the sheet itself.
                Some(true) if self.sides.is_in_sheet(middle) => self.is_hidden(face, middle),
                Some(is_inside) => is_inside,
                None => !around.is_on_skin(middle) && self.is_hidden(face, middle),
            };
            return if hidden { Sight::Hidden } else { Sight::Seen };
        }
        let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
        let middle = 0.5 * (a + b);
        let from = into.len();
        let halves = [[a, middle, c], [middle, b, c]];
        let found = halves.map(|half| self.seen_of_part(face, half, around, into));
        if into.len() == from && found[0] == found[1] {
            return found[0];
        }
        for (half, found) in halves.into_iter().zip(found) {
            if found == Sight::Seen {
                into.push(half);
            }
        }
        Sight::Divided
    }
}

/// What can be seen of a part of a face.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Sight {
    Seen,
    Hidden,
    Divided,
}

/// The cells around a source, by which most of it can be told without asking anew.
pub(crate) struct Around<'a> {
    pub grid: Grid,
    pub cells: &'a Cells,
    pub skin: &'a SurfaceIndex,
}

/// What lies so near to the skin can be seen, as a share of a cell: that makes no difference to what is measured.
const ON_SKIN: f32 = 0.02;

impl Around<'_> {
    /// Whether all corners of the cell that holds a place are inside, or all outside; none where the skin runs through it.
    fn sides_at(&self, place: Vec3) -> Option<bool> {
        self.cells.side_at(self.grid.cell_of(place))
    }

    fn is_on_skin(&self, place: Vec3) -> bool {
        let mut is_near = false;
        let within = ON_SKIN * self.grid.cell;
        self.skin.visit_within(place, within, |_| {
            is_near = true;
            0.0
        });
        is_near
    }
}

/// Faces that are asked between two looks at whether the work was stopped.
const AT_ONCE: usize = 1 << 14;

/// What can be seen of a source.
pub(crate) struct Seen {
    pub mesh: Mesh,
    /// Faces of which nothing can be seen.
    pub hidden: usize,
}

/// Some faces of a mesh, and parts of others in the part and material of theirs. The others lose their UVs and normals.
fn with_parts(mesh: &Mesh, kept: &[u32], parts: &[(u32, [Vec3; 3])]) -> Mesh {
    let run_of = mesh.run_of_faces();
    let owners: Vec<u32> = kept
        .iter()
        .chain(parts.iter().map(|(f, _)| f))
        .copied()
        .collect();
    let mut out = Mesh {
        points: mesh.points.clone(),
        vertex_point: (0..mesh.points.len() as u32).collect(),
        corners: kept
            .iter()
            .flat_map(|&f| mesh.triangle_points(f as usize))
            .collect(),
        parts: vec![Part::default()],
        ..Mesh::default()
    };
    for (_, t) in parts {
        for p in t {
            out.corners.push(out.points.len() as u32);
            out.vertex_point.push(out.points.len() as u32);
            out.points.push(*p);
        }
    }
    out.runs = vec![Run {
        part: 0,
        material: None,
        faces: 0..owners.len() as u32,
        channels: Channels::default(),
    }];
    out.drop_unused();
    let owner = |f: usize| {
        let run = &mesh.runs[run_of[owners[f] as usize] as usize];
        (run.part, run.material)
    };
    let mut out = edit::rearranged(&out, mesh.parts.clone(), owner);
    out.nodes.clone_from(&mesh.nodes);
    out
}
