//! Cells of one size, kept only near the surface and where the inside goes on across an opening.

use ectome_mesh::{
    Mesh, MeshBuilder, Primitive, Progress, measure,
    nearest::{Place, SurfaceIndex},
};
use glam::{Affine3A, Vec3};
use rayon::prelude::*;

use crate::{
    RebuildError,
    keyed::{HashMap, HashSet},
    pieces::Pieces,
    winding::{Near, Winding},
};

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

/// What is inside: by the winding number of what encloses something, within half the thickness of a sheet, and in gaps between pieces.
pub(crate) struct Sides<'a> {
    winding: &'a Winding,
    surface: &'a SurfaceIndex,
    cell: f32,
    threshold: f32,
    sheets: Option<SurfaceIndex>,
    half_thickness: f32,
    gaps: Option<Gaps<'a>>,
}

/// The winding number of what is inside, in an opening.
const OPENING: f32 = 0.5;
/// A place is beside the surface within so many cells, and in an opening beyond so many.
const NEAR_CELLS: f32 = 1.0;
const FAR_CELLS: f32 = 6.0;
/// Winding numbers this close to what counts are asked for finely.
const CLOSE: f32 = 0.03;

/// Sheets are looked for in so many cells at least: in √3 the corners inside hang together whichever way a sheet lies (E. Andres et al.,
/// *Discrete Analytical Hyperplanes*, 1997). Then the film is drawn in to the thickness that was asked for.
pub(crate) const FILM: f32 = 1.75;

/// Gaps between pieces that are filled.
pub(crate) struct Gaps<'a> {
    /// The source.
    pub index: &'a SurfaceIndex,
    /// The piece of each face.
    pub piece: &'a [u32],
    /// Gaps up to this are filled, in metres.
    pub width: f32,
}

/// The cosine of the angle between the ways from a gap to both its sides, at most: they lie opposite each other. Where pieces meet at an
/// angle they do not, so that a crease stays one.
const OPPOSITE: f32 = -0.7;

impl Gaps<'_> {
    /// Whether a place outside lies between two pieces that are no farther apart.
    fn hold(&self, place: Vec3) -> bool {
        let mut first: Option<Place> = None;
        self.index.visit_within(place, self.width, |found| {
            if first.is_none_or(|b| found.distance < b.distance) {
                first = Some(found);
            }
            first.map_or(self.width, |b| b.distance)
        });
        let Some(first) = first else { return false };
        let way = (first.point - place).normalize_or_zero();
        let left = self.width - first.distance;
        let mut is_between = false;
        self.index.visit_within(place, left, |found| {
            let is_other = self.piece[found.face as usize] != self.piece[first.face as usize];
            let opposite = (found.point - place).normalize_or_zero().dot(way) < OPPOSITE;
            is_between |= is_other && opposite;
            if is_between { 0.0 } else { left }
        });
        is_between
    }
}

impl<'a> Sides<'a> {
    pub fn of(
        pieces: &'a Pieces,
        surface: &'a SurfaceIndex,
        threshold: f32,
        (thickness, cell): (f32, f32),
        gaps: Option<Gaps<'a>>,
    ) -> Self {
        let has_films = thickness > 0.0 && !pieces.sheets.is_empty();
        Self {
            winding: &pieces.solid,
            surface,
            cell,
            threshold,
            sheets: has_films.then(|| SurfaceIndex::of(&soup(&pieces.sheets))),
            half_thickness: 0.5 * thickness.max(FILM * cell),
            gaps,
        }
    }

    /// The thickness in which sheets are looked for, in metres.
    pub fn film_m(&self) -> f32 {
        2.0 * self.half_thickness
    }

    /// A place of the film around a sheet brought to a distance from it.
    pub fn beside_sheet(&self, place: Vec3, distance: f32) -> Vec3 {
        let near = self.sheets.as_ref().and_then(|s| s.nearest(place));
        near.map_or(place, |p| {
            p.point + (place - p.point).normalize_or_zero() * distance
        })
    }

    /// Which of some places that lie close together are inside.
    pub fn are_inside(&self, places: &[Vec3]) -> Vec<bool> {
        let enclosed = self.are_enclosed(places);
        let both = places.iter().zip(enclosed);
        both.map(|(&p, enclosed)| enclosed || self.is_in_sheet(p))
            .collect()
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

    /// Whether a place lies inside what encloses something, or in a gap that is filled.
    pub fn is_enclosed(&self, place: Vec3) -> bool {
        self.holds(place, self.winding.at(place)) || self.is_in_gap(place)
    }

    /// Whether a winding number means inside. Beside the surface that is so from the threshold on; far from it, in an opening, from a half
    /// on: that is the plane of a flat rim, while anything less would bulge. One that is close to either is asked again, finely.
    fn holds(&self, place: Vec3, number: f32) -> bool {
        if number < self.threshold - CLOSE || number > OPENING + CLOSE {
            return number > self.threshold;
        }
        let mut away = FAR_CELLS * self.cell;
        self.surface.visit_within(place, away, |found| {
            away = away.min(found.distance);
            away
        });
        let share = (away / self.cell - NEAR_CELLS) / (FAR_CELLS - NEAR_CELLS);
        let share = share.clamp(0.0, 1.0);
        let share = share * share * (3.0 - 2.0 * share);
        self.winding.finely_at(place) >= self.threshold + share * (OPENING - self.threshold)
    }

    /// The same for places that lie close together.
    pub fn are_enclosed(&self, places: &[Vec3]) -> Vec<bool> {
        let mut numbers = Vec::with_capacity(places.len());
        self.winding
            .at_each(places, &mut Near::default(), &mut numbers);
        let both = places.iter().zip(numbers);
        both.map(|(&p, w)| self.holds(p, w) || self.is_in_gap(p))
            .collect()
    }

    fn is_in_gap(&self, place: Vec3) -> bool {
        self.gaps.as_ref().is_some_and(|g| g.hold(place))
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

impl Cells {
    /// Whether all corners of a cell are inside, or all outside; none where the surface runs through it, or nobody asked.
    pub fn side_at(&self, cell: Key) -> Option<bool> {
        let first = *self.inside.get(&cell)?;
        let same = |bits| self.inside.get(&corner(cell, bits)) == Some(&first);
        (1..8).all(same).then_some(first)
    }
}

/// Corners are asked together in blocks of so many along each axis, as a power of two: 2, 3 and 4 are equally quick on dense surfaces.
const BLOCK: i32 = 2;
/// Blocks between two looks at whether the work was stopped.
const AT_ONCE: usize = 1 << 10;

/// Faces that one thread covers with cells at a time, how many such shares before they are brought together, and faces between two looks
/// at whether the work was stopped.
const FACES: usize = 8192;
const SHARES: usize = 16;
const LOOK_EVERY: usize = 256;

/// Cells at most: more would take more memory than a machine has.
const MOST: usize = 60_000_000;

/// The cells near the surface, continued wherever a face between two cells has both sides.
pub(crate) fn near(
    mesh: &Mesh,
    grid: Grid,
    sides: &Sides<'_>,
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
    let mut known: HashSet<Key> = HashSet::default();
    let room = 0.5 * thickness;
    let starts: Vec<usize> = (0..mesh.face_count()).step_by(FACES).collect();
    for (n, some) in starts.chunks(SHARES).enumerate() {
        progress.at(0.2 * (n * SHARES) as f32 / starts.len() as f32)?;
        let covered: Vec<HashSet<Key>> = some
            .par_iter()
            .map(|&from| {
                let mut own = HashSet::default();
                for f in from..(from + FACES).min(mesh.face_count()) {
                    // Large faces touch many cells each.
                    if f.is_multiple_of(LOOK_EVERY) {
                        progress.go_on()?;
                    }
                    cover(mesh.triangle(f), &grid, room, &mut own);
                    if own.len() > MOST {
                        break;
                    }
                }
                Ok(own)
            })
            .collect::<Result<_, RebuildError>>()?;
        covered.into_iter().for_each(|cells| known.extend(cells));
        if known.len() > MOST {
            return Err(RebuildError::TooFine { cells: known.len() });
        }
    }
    let mut queue: Vec<Key> = known.iter().copied().collect();
    let mut list: Vec<Key> = Vec::new();
    let mut inside: HashMap<Key, bool> = HashMap::default();
    while !queue.is_empty() {
        // In order, so that the result does not depend on how sets are walked.
        queue.sort_unstable();
        let mut asked: Vec<Key> = queue
            .iter()
            .flat_map(|&cell| (0..8).map(move |bits| corner(cell, bits)))
            .filter(|key| !inside.contains_key(key))
            .collect();
        // By blocks, whose corners are asked together.
        asked.sort_unstable_by_key(|key| (key.map(|v| v >> BLOCK), *key));
        asked.dedup();
        let blocks: Vec<&[Key]> = asked
            .chunk_by(|a, b| a.map(|v| v >> BLOCK) == b.map(|v| v >> BLOCK))
            .collect();
        for (n, some) in blocks.chunks(AT_ONCE).enumerate() {
            let done = (n * AT_ONCE) as f32 / blocks.len() as f32;
            progress.at(if list.is_empty() {
                0.2 + 0.8 * done
            } else {
                1.0
            })?;
            let answers: Vec<Vec<bool>> = some
                .par_iter()
                .map(|block| {
                    let places: Vec<Vec3> = block.iter().map(|&key| grid.place(key)).collect();
                    sides.are_inside(&places)
                })
                .collect();
            let keys = some.iter().copied().flatten().copied();
            inside.extend(keys.zip(answers.into_iter().flatten()));
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
