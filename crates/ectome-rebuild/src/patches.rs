//! One vertex for each patch of surface in a cell, and a quad around each edge of the grid that the surface crosses (G. Nielson, *Dual
//! Marching Cubes*, 2004). A cell through which two sheets of surface pass has two vertices, so they stay apart.
//!
//! Where a face between two cells has its inside corners opposite each other, they are taken to be apart. Should the same two patches
//! then meet twice across it, the skin would touch itself along an edge: there they are taken to be joined instead (R. Wenger,
//! *Isosurfaces: Geometry, Topology, and Algorithms*, 2013).

use ectome_mesh::{Cancelled, Progress};

use crate::{
    cells::{Cells, Key, beside, corner},
    keyed::{HashMap, HashSet},
};

/// The surface in the grid.
pub(crate) struct Patches {
    /// For each vertex: the edges of the grid that its patch crosses, each as its inside and its outside corner.
    pub crossings: Vec<Vec<(Key, Key)>>,
    /// Corners of quads, counter-clockwise from outside.
    pub quads: Vec<[u32; 4]>,
}

/// No patch.
const NONE: u8 = u8::MAX;

/// The edge along an axis from a corner whose bit of that axis is 0.
fn edge(axis: usize, bits: usize) -> usize {
    let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
    4 * axis + (bits >> u & 1) + 2 * (bits >> v & 1)
}

/// The corners of an edge: the one whose bit is 0 first.
fn ends(edge: usize) -> [usize; 2] {
    let axis = edge / 4;
    let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
    let first = (edge & 1) << u | (edge >> 1 & 1) << v;
    [first, first | 1 << axis]
}

/// The corners of a face in a circle.
fn circle(axis: usize, side: usize) -> [usize; 4] {
    let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
    [(0, 0), (1, 0), (1, 1), (0, 1)].map(|(a, b)| side << axis | a << u | b << v)
}

/// The edges of a face in a circle: the first between its first two corners.
fn edges_of(axis: usize, side: usize) -> [usize; 4] {
    let c = circle(axis, side);
    [0, 1, 2, 3].map(|k| {
        let (a, b) = (c[k], c[(k + 1) % 4]);
        edge((a ^ b).trailing_zeros() as usize, a & b)
    })
}

/// A face by the cell on its upper side and its axis.
type Face = (Key, usize);

fn face_of(cell: Key, axis: usize, side: usize) -> Face {
    (
        if side == 1 {
            beside(cell, axis, 1)
        } else {
            cell
        },
        axis,
    )
}

/// Which edges of a face hang together, as pairs.
fn links(signs: [bool; 8], axis: usize, side: usize, joined: bool) -> Vec<[usize; 2]> {
    let (corners, edges) = (circle(axis, side), edges_of(axis, side));
    let crossed: Vec<usize> = (0..4)
        .filter(|&k| signs[corners[k]] != signs[corners[(k + 1) % 4]])
        .collect();
    match crossed.len() {
        2 => vec![[edges[crossed[0]], edges[crossed[1]]]],
        // Around each inside corner, or around each outside one.
        4 => (0..4)
            .filter(|&k| signs[corners[k]] != joined)
            .map(|k| [edges[(k + 3) % 4], edges[k]])
            .collect(),
        _ => Vec::new(),
    }
}

/// The patch of each edge of a cell, and how many there are.
fn patches(cell: Key, signs: [bool; 8], joined: &HashSet<Face>) -> ([u8; 12], u8) {
    let mut parent: [usize; 12] = std::array::from_fn(|e| e);
    fn root(parent: &[usize; 12], mut e: usize) -> usize {
        while parent[e] != e {
            e = parent[e];
        }
        e
    }
    for axis in 0..3 {
        for side in 0..2 {
            let is_joined = joined.contains(&face_of(cell, axis, side));
            for [a, b] in links(signs, axis, side, is_joined) {
                let (a, b) = (root(&parent, a), root(&parent, b));
                parent[a.max(b)] = a.min(b);
            }
        }
    }
    let mut out = [NONE; 12];
    let mut count = 0;
    for e in 0..12 {
        let [a, b] = ends(e);
        if signs[a] == signs[b] {
            continue;
        }
        let r = root(&parent, e);
        if out[r] == NONE {
            out[r] = count;
            count += 1;
        }
        out[e] = out[r];
    }
    (out, count)
}

/// The vertices and quads of cells.
pub(crate) fn of(cells: &Cells, progress: &Progress) -> Result<Patches, Cancelled> {
    let signs =
        |cell: Key| -> [bool; 8] { std::array::from_fn(|bits| cells.inside[&corner(cell, bits)]) };
    let mixed: Vec<Key> = cells
        .list
        .iter()
        .copied()
        .filter(|&cell| {
            let s = signs(cell);
            s.contains(&true) && s.contains(&false)
        })
        .collect();
    let mut joined: HashSet<Face> = HashSet::default();
    let mut own: HashMap<Key, ([u8; 12], u8)> = mixed
        .iter()
        .map(|&cell| (cell, patches(cell, signs(cell), &joined)))
        .collect();
    // Faces across which the same two patches meet twice; each round settles those it finds.
    for _ in 0..8 {
        progress.go_on()?;
        let mut found = Vec::new();
        for &cell in &mixed {
            for axis in 0..3 {
                let pairs = links(
                    signs(cell),
                    axis,
                    1,
                    joined.contains(&face_of(cell, axis, 1)),
                );
                let other = beside(cell, axis, 1);
                let (Some(here), Some(there)) = (own.get(&cell), own.get(&other)) else {
                    continue;
                };
                let [first, second] = pairs[..] else { continue };
                // The same edge has the axis' bit cleared on the other side.
                let across = |e: usize| {
                    let [a, b] = ends(e);
                    edge((a ^ b).trailing_zeros() as usize, (a & b) & !(1 << axis))
                };
                let same = here.0[first[0]] == here.0[second[0]]
                    && there.0[across(first[0])] == there.0[across(second[0])];
                if same {
                    found.push((cell, other, face_of(cell, axis, 1)));
                }
            }
        }
        if found.is_empty() {
            break;
        }
        for (cell, other, face) in found {
            if !joined.remove(&face) {
                joined.insert(face);
            }
            for c in [cell, other] {
                let again = patches(c, signs(c), &joined);
                own.insert(c, again);
            }
        }
    }
    progress.go_on()?;
    let mut first: HashMap<Key, u32> = HashMap::default();
    let mut crossings: Vec<Vec<(Key, Key)>> = Vec::new();
    for &cell in &mixed {
        let (patch, count) = own[&cell];
        let base = crossings.len();
        first.insert(cell, base as u32);
        crossings.resize_with(base + usize::from(count), Vec::new);
        let s = signs(cell);
        for e in (0..12).filter(|&e| patch[e] != NONE) {
            let [a, b] = ends(e);
            let (inside, outside) = if s[a] { (a, b) } else { (b, a) };
            crossings[base + usize::from(patch[e])]
                .push((corner(cell, inside), corner(cell, outside)));
        }
    }
    let quads = quads(&mixed, &signs, &own, &first);
    Ok(Patches { crossings, quads })
}

/// The quads around the edges of the grid that the surface crosses.
fn quads(
    mixed: &[Key],
    signs: &impl Fn(Key) -> [bool; 8],
    own: &HashMap<Key, ([u8; 12], u8)>,
    first: &HashMap<Key, u32>,
) -> Vec<[u32; 4]> {
    let mut quads = Vec::new();
    for &cell in mixed {
        // The three edges that begin at the cell's first corner; every edge of the grid is one of these of some cell.
        let s = signs(cell);
        for axis in 0..3 {
            if s[0] == s[1 << axis] {
                continue;
            }
            let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
            // The four cells around it, in a circle as seen from where the axis points to.
            let around = [(0, 0), (1, 0), (1, 1), (0, 1)];
            let vertices = around.map(|(du, dv)| {
                let other = beside(beside(cell, u, -du), v, -dv);
                let bits = (du as usize) << u | (dv as usize) << v;
                let (patch, _) = own.get(&other)?;
                let at = patch[edge(axis, bits)];
                (at != NONE).then(|| first[&other] + u32::from(at))
            });
            // Cells go on across every face with both sides, so all four are there.
            if let [Some(a), Some(b), Some(c), Some(d)] = vertices {
                quads.push(if s[0] { [a, b, c, d] } else { [a, d, c, b] });
            }
        }
    }
    quads
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn edges_and_faces_are_numbered_alike() {
        for e in 0..12 {
            let [a, b] = ends(e);
            assert_eq!(edge((a ^ b).trailing_zeros() as usize, a), e);
        }
        let mut seen = [0; 12];
        for axis in 0..3 {
            for side in 0..2 {
                edges_of(axis, side).into_iter().for_each(|e| seen[e] += 1);
            }
        }
        assert_eq!(seen, [2; 12]);
    }

    /// Every pattern of signs gives closed patches: each crossed edge belongs to one, and one inside corner to one patch of three.
    #[test]
    fn every_pattern_has_its_patches() {
        for pattern in 0..256usize {
            let signs: [bool; 8] = std::array::from_fn(|k| pattern >> k & 1 == 1);
            let (patch, count) = patches([0; 3], signs, &HashSet::default());
            let crossed = (0..12)
                .filter(|&e| signs[ends(e)[0]] != signs[ends(e)[1]])
                .count();
            assert_eq!(patch.iter().filter(|p| **p != NONE).count(), crossed);
            assert!(
                count <= 4 && (count > 0) == (crossed > 0),
                "{pattern} {count}"
            );
            for p in 0..count {
                assert!(patch.iter().filter(|q| **q == p).count() >= 3);
            }
        }
    }
}
