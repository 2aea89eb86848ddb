//! Faces of the source that are baked from whichever side a ray meets them.

use ectome_formats::Scene;
use ectome_mesh::{
    Mesh, measure,
    topology::{face_components, sorted_half_edges},
};
use glam::Vec3;

/// Faces that are met from both sides, and how many pieces are among them because they are wound inwards.
pub struct Sides {
    /// By the numbers of the faces; empty where there are none.
    pub either: Vec<bool>,
    /// Closed pieces that are inside out as a whole.
    pub inward: usize,
}

impl Sides {
    /// Looks at a source of triangles: what a material shows from both sides is met from both, and so is a closed piece that is inside out.
    /// A new skin looks outward wherever its source was wound inwards, so rays would come upon nothing but backs there.
    pub fn of(source: &Scene) -> Self {
        let mesh = &source.mesh;
        let mut either = vec![false; mesh.face_count()];
        let shows_both = |m: u32| {
            let material = source.library.materials.get(m as usize);
            material.is_some_and(|m| m["doubleSided"].as_bool() == Some(true))
        };
        for run in (mesh.runs.iter()).filter(|r| r.material.is_some_and(shows_both)) {
            either[run.faces.start as usize..run.faces.end as usize].fill(true);
        }
        let inward = inside_out(mesh, &mut either);
        if !either.contains(&true) {
            either = Vec::new();
        }
        Self { either, inward }
    }
}

/// Marks the faces of closed pieces whose volume is negative, and counts those pieces. A hollow is such a piece as well: it lies inside another,
/// and stays as it is.
fn inside_out(mesh: &Mesh, marked: &mut [bool]) -> usize {
    let (piece, count) = face_components(mesh);
    let mut volume = vec![0.0f64; count];
    let mut bounds = vec![(Vec3::INFINITY, Vec3::NEG_INFINITY); count];
    let middle = measure::bounds(mesh).centre();
    for (f, &p) in piece.iter().enumerate() {
        let [a, b, c] = mesh.triangle(f);
        let [u, v, w] = [a, b, c].map(|q| (q - middle).as_dvec3());
        volume[p as usize] += u.dot(v.cross(w));
        let own = &mut bounds[p as usize];
        *own = (own.0.min(a).min(b).min(c), own.1.max(a).max(b).max(c));
    }
    if volume.iter().all(|v| *v >= 0.0) {
        return 0;
    }
    let mut closed = vec![true; count];
    let edges = sorted_half_edges(mesh);
    for edge in edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        if edge.len() != 2 {
            closed[piece[edge[0].corner as usize / 3] as usize] = false;
        }
    }
    let holds = |outer: usize, inner: usize| {
        volume[outer] > 0.0
            && bounds[outer].0.cmple(bounds[inner].0).all()
            && bounds[outer].1.cmpge(bounds[inner].1).all()
    };
    let outer: Vec<usize> = (0..count)
        .filter(|&p| closed[p] && volume[p] > 0.0)
        .collect();
    let is_inward: Vec<bool> = (0..count)
        .map(|p| closed[p] && volume[p] < 0.0 && !outer.iter().any(|&o| holds(o, p)))
        .collect();
    for (slot, &p) in marked.iter_mut().zip(&piece) {
        *slot |= is_inward[p as usize];
    }
    is_inward.iter().filter(|i| **i).count()
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::Affine3A;

    use super::*;

    /// A ball, one inside out beside it, one inside out inside it as a hollow.
    #[test]
    fn closed_pieces_that_are_inside_out_are_found_and_hollows_are_not() {
        let mut builder = MeshBuilder::new();
        for (size, at, turned) in [(1.0, 0.0, false), (1.0, 3.0, true), (0.5, 0.0, true)] {
            let ball = shapes::icosphere(size, 2);
            let corner = |&v: &u32| ball.vertex_point[v as usize];
            let mut corners: Vec<u32> = ball.corners.iter().map(corner).collect();
            if turned {
                corners.reverse();
            }
            builder
                .part("ball", Affine3A::IDENTITY)
                .primitive(Primitive {
                    positions: ball.points.iter().map(|p| *p + Vec3::X * at).collect(),
                    corners,
                    ..Primitive::default()
                });
        }
        let sides = Sides::of(&Scene::from(builder.finish()));
        assert_eq!(sides.inward, 1);
        let n = sides.either.len() / 3;
        let of = |k: usize| sides.either[k * n..(k + 1) * n].iter().all(|e| *e);
        assert_eq!([of(0), of(1), of(2)], [false, true, false]);
    }
}
