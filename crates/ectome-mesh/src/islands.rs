//! UV islands: how many there are and where they end.

use glam::Vec2;

use crate::{
    Mesh,
    topology::{UnionFind, runs_up, sorted_half_edges},
    weld::{classes, position_key},
};

/// Classes of vertices that stand on one point with one UV of the first set; `None` without UVs.
fn uv_classes(mesh: &Mesh) -> Option<(Vec<u32>, usize)> {
    let set = mesh.uv_sets.first()?;
    let keys: Vec<[u32; 3]> = mesh
        .vertex_point
        .iter()
        .zip(set)
        .map(|(&p, uv)| {
            let k = position_key(uv.extend(0.0));
            [p, k[0], k[1]]
        })
        .collect();
    let (class, first) = classes(&keys);
    Some((class, first.len()))
}

/// Islands of the first UV set of an all-triangle mesh, among runs that carry it. Faces belong to one
/// island when they share a point with the same UV.
pub fn count(mesh: &Mesh) -> usize {
    of_faces(mesh).1
}

/// The island of each face, numbered from 0 in order of first occurrence, `u32::MAX` for faces without UVs; and how many
/// there are.
pub fn of_faces(mesh: &Mesh) -> (Vec<u32>, usize) {
    let mut island = vec![u32::MAX; mesh.face_count()];
    let Some((class, n)) = uv_classes(mesh) else {
        return (island, 0);
    };
    let with_uvs = || {
        let runs = mesh.runs.iter().filter(|r| r.channels.uv_sets > 0);
        runs.flat_map(|r| r.faces.clone()).map(|f| f as usize)
    };
    let mut sets = UnionFind::new(n);
    for f in with_uvs() {
        let [a, b, c] = corners(mesh, f).map(|v| class[v as usize]);
        sets.join(a, b);
        sets.join(b, c);
    }
    let mut number = vec![u32::MAX; n];
    let mut count = 0;
    for f in with_uvs() {
        let root = sets.find(class[corners(mesh, f)[0] as usize]) as usize;
        if number[root] == u32::MAX {
            number[root] = count;
            count += 1;
        }
        island[f] = number[root];
    }
    (island, count as usize)
}

/// The stretches in the UV square along which islands end: one for each side of a seam, one for each open
/// border.
pub fn outlines(mesh: &Mesh) -> Vec<[Vec2; 2]> {
    let Some((class, _)) = uv_classes(mesh) else {
        return Vec::new();
    };
    let set = &mesh.uv_sets[0];
    // The vertices of an edge in the order of its points.
    let ends = |e: &crate::topology::HalfEdge| {
        let c = e.corner as usize;
        let next = c - c % 3 + (c + 1) % 3;
        let (from, to) = (mesh.corners[c], mesh.corners[next]);
        if runs_up(mesh, e) {
            [from, to]
        } else {
            [to, from]
        }
    };
    let mut out = Vec::new();
    for edge in sorted_half_edges(mesh).chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        let first = ends(&edge[0]).map(|v| class[v as usize]);
        let inner = edge.len() > 1
            && edge[1..]
                .iter()
                .all(|e| ends(e).map(|v| class[v as usize]) == first);
        if !inner {
            out.extend(edge.iter().map(|e| ends(e).map(|v| set[v as usize])));
        }
    }
    out
}

fn corners(mesh: &Mesh, face: usize) -> [u32; 3] {
    [0, 1, 2].map(|k| mesh.corners[3 * face + k])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{MeshBuilder, Primitive};
    use glam::{Affine3A, Vec3};

    /// Two unit squares side by side; with `apart`, their UVs do not meet.
    fn squares(apart: f32) -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.part("squares", Affine3A::IDENTITY);
        for x in [0.0, 1.0] {
            let corner = |dx: f32, y: f32| Vec3::new(x + dx, y, 0.0);
            let positions = vec![
                corner(0.0, 0.0),
                corner(1.0, 0.0),
                corner(1.0, 1.0),
                corner(0.0, 1.0),
            ];
            let uv = |p: &Vec3| Vec2::new(p.x * 0.25 + x * apart, p.y);
            builder.primitive(Primitive {
                uv_sets: vec![positions.iter().map(uv).collect()],
                corners: vec![0, 1, 2, 0, 2, 3],
                positions,
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn a_seam_makes_two_islands_and_ends_both() {
        let whole = squares(0.0);
        assert_eq!((count(&whole), outlines(&whole).len()), (1, 6));
        let cut = squares(0.3);
        assert_eq!((count(&cut), outlines(&cut).len()), (2, 8));
    }

    #[test]
    fn without_uvs_there_are_none() {
        let ball = crate::shapes::icosphere(1.0, 1);
        assert_eq!((count(&ball), outlines(&ball).len()), (0, 0));
    }
}
