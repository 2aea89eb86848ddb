//! Cells of one size, kept only near the surface and where the inside goes on across an opening.

use std::collections::{HashMap, HashSet};

use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress, measure, nearest::SurfaceIndex};
use glam::{Affine3A, Vec3};
use rayon::prelude::*;

use crate::{RebuildError, pieces::Pieces, winding::Winding};

/// A cell or a corner by its place in the grid.
pub(crate) type Key = [i32; 3];

/// The place of a grid in space.
#[derive(Clone, Copy)]
pub(crate) struct Grid {
    pub origin: Vec3,
    pub cell: f32,
}

impl Grid {
    /// Where a corner lies.
    pub fn place(&self, key: Key) -> Vec3 {
        self.origin + self.cell * Vec3::from_array(key.map(|v| v as f32))
    }

    /// The cell that holds a place.
    pub fn cell_of(&self, place: Vec3) -> Key {
        ((place - self.origin) / self.cell)
            .floor()
            .to_array()
            .map(|v| v as i32)
    }
}

/// The corner of a cell by its three bits: x, y, z.
pub(crate) fn corner(cell: Key, bits: usize) -> Key {
    [0, 1, 2].map(|k| cell[k] + (bits >> k & 1) as i32)
}

/// The cell beside another one.
pub(crate) fn beside(cell: Key, axis: usize, side: i32) -> Key {
    let mut out = cell;
    out[axis] += side;
    out
}

/// What is inside: by the winding number of what encloses something, and within half the thickness of a sheet.
pub(crate) struct Sides {
    winding: Winding,
    threshold: f32,
    sheets: Option<SurfaceIndex>,
    half_thickness: f32,
}

impl Sides {
    pub fn of(pieces: &Pieces, threshold: f32, thickness: f32) -> Self {
        Self {
            winding: Winding::of(&pieces.solid),
            threshold,
            sheets: (!pieces.sheets.is_empty()).then(|| SurfaceIndex::of(&soup(&pieces.sheets))),
            half_thickness: 0.5 * thickness,
        }
    }

    pub fn is_inside(&self, place: Vec3) -> bool {
        self.winding.at(place) >= self.threshold || self.is_in_sheet(place)
    }

    pub fn is_in_sheet(&self, place: Vec3) -> bool {
        self.sheets.as_ref().is_some_and(|s| {
            let near = s.nearest(place);
            near.is_some_and(|p| p.distance <= self.half_thickness)
        })
    }

    /// Whether a place of the skin is part of the film around a sheet: it is as far from it as its thickness says.
    pub fn is_film(&self, place: Vec3, cell: f32) -> bool {
        self.sheets.as_ref().is_some_and(|s| {
            let near = s.nearest(place);
            near.is_some_and(|p| p.distance < self.half_thickness + 0.5 * cell)
        }) && !self.is_enclosed(place)
    }

    /// Whether a place lies inside what encloses something.
    pub fn is_enclosed(&self, place: Vec3) -> bool {
        self.winding.at(place) >= self.threshold
    }
}

fn soup(triangles: &[[Vec3; 3]]) -> Mesh {
    let mut builder = MeshBuilder::new();
    builder.part("", Affine3A::IDENTITY).primitive(Primitive {
        positions: triangles.iter().flatten().copied().collect(),
        corners: (0..3 * triangles.len() as u32).collect(),
        ..Primitive::default()
    });
    builder.finish()
}

/// Cells in order, and which of their corners are inside.
pub(crate) struct Cells {
    pub list: Vec<Key>,
    pub inside: HashMap<Key, bool>,
}

/// Cells at most: more would take more memory than a machine has.
const MOST: usize = 60_000_000;

/// The cells near the surface, continued wherever a face between two cells has both sides.
pub(crate) fn near(
    mesh: &Mesh,
    grid: Grid,
    sides: &Sides,
    thickness: f32,
    progress: &Progress,
) -> Result<Cells, RebuildError> {
    // A surface runs through about two cells for each cell's face of its area; what cannot be is said before memory is taken.
    let expected = 2.0 * measure::area(mesh) / f64::from(grid.cell).powi(2);
    if expected > MOST as f64 {
        return Err(RebuildError::TooFine {
            cells: expected as usize,
        });
    }
    let mut known: HashSet<Key> = HashSet::new();
    let room = 0.5 * thickness;
    for f in 0..mesh.face_count() {
        if f % 4096 == 0 {
            progress.at(0.2 * f as f32 / mesh.face_count() as f32)?;
        }
        cover(mesh.triangle(f), &grid, room, &mut known);
        if known.len() > MOST {
            return Err(RebuildError::TooFine { cells: known.len() });
        }
    }
    let mut queue: Vec<Key> = known.iter().copied().collect();
    let mut list: Vec<Key> = Vec::new();
    let mut inside: HashMap<Key, bool> = HashMap::new();
    while !queue.is_empty() {
        // In order, so that the result does not depend on how sets are walked.
        queue.sort_unstable();
        let mut asked: Vec<Key> = queue
            .iter()
            .flat_map(|&cell| (0..8).map(move |bits| corner(cell, bits)))
            .filter(|key| !inside.contains_key(key))
            .collect();
        asked.sort_unstable();
        asked.dedup();
        for (n, some) in asked.chunks(1 << 14).enumerate() {
            let done = (n << 14) as f32 / asked.len() as f32;
            progress.at(if list.is_empty() {
                0.2 + 0.8 * done
            } else {
                1.0
            })?;
            let answers: Vec<bool> = some
                .par_iter()
                .map(|&key| sides.is_inside(grid.place(key)))
                .collect();
            inside.extend(some.iter().copied().zip(answers));
        }
        let mut next = Vec::new();
        for &cell in &queue {
            for axis in 0..3 {
                for side in 0..2 {
                    let on_face = (0..8).filter(|bits| bits >> axis & 1 == side);
                    let count = on_face.filter(|&bits| inside[&corner(cell, bits)]).count();
                    let other = beside(cell, axis, 2 * side as i32 - 1);
                    if (1..4).contains(&count) && known.insert(other) {
                        next.push(other);
                    }
                }
            }
        }
        list.append(&mut queue);
        if known.len() > MOST {
            return Err(RebuildError::TooFine { cells: known.len() });
        }
        queue = next;
    }
    list.sort_unstable();
    Ok(Cells { list, inside })
}

/// Adds the cells that a triangle may touch: it is divided until it is hardly larger than a cell.
fn cover(triangle: [Vec3; 3], grid: &Grid, room: f32, into: &mut HashSet<Key>) {
    let mut stack = vec![triangle];
    while let Some(t) = stack.pop() {
        let sides = [0, 1, 2].map(|k| t[k].distance_squared(t[(k + 1) % 3]));
        let longest = (0..3)
            .max_by(|&a, &b| sides[a].total_cmp(&sides[b]))
            .unwrap_or(0);
        if sides[longest] > 4.0 * grid.cell * grid.cell {
            let (a, b, c) = (t[longest], t[(longest + 1) % 3], t[(longest + 2) % 3]);
            let middle = 0.5 * (a + b);
            stack.push([a, middle, c]);
            stack.push([middle, b, c]);
            continue;
        }
        let low = grid.cell_of(t[0].min(t[1]).min(t[2]) - room);
        let high = grid.cell_of(t[0].max(t[1]).max(t[2]) + room);
        let normal = (t[1] - t[0]).cross(t[2] - t[0]).normalize_or_zero();
        let reach = 0.5 * grid.cell * normal.abs().element_sum() + room + 1e-4 * grid.cell;
        for x in low[0]..=high[0] {
            for y in low[1]..=high[1] {
                for z in low[2]..=high[2] {
                    let middle = grid.place([x, y, z]) + 0.5 * grid.cell;
                    if normal.dot(middle - t[0]).abs() <= reach {
                        into.insert([x, y, z]);
                    }
                }
            }
        }
    }
}
