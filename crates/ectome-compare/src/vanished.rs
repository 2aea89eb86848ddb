//! Loose pieces of a source of which a cut left nothing.
//!
//! A piece that floats a metre off the rest and vanishes is a metre away from whatever is left, and yet nobody misses more than
//! the piece. So where it counts, a vanished piece counts by its own size: how large the place is at which something is
//! missing, not how far from anything it is.

use ectome_mesh::{Mesh, edit, measure::Bounds, nearest, topology::face_components};
use glam::Vec3;
use rayon::prelude::*;

/// A piece of a source that a cut has nothing of.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Vanished {
    /// Its middle, in metres.
    pub at: Vec3,
    /// The diagonal of its bounds, in metres.
    pub size_m: f32,
    /// One of its faces.
    pub face: u32,
}

/// The loose pieces of a source of triangles.
pub struct Pieces {
    /// The piece of each face.
    of_face: Vec<u32>,
    bounds: Vec<Bounds>,
    /// A face of each.
    first: Vec<u32>,
}

/// A piece is missing when no corner of it has anything of the cut within this share of its own size.
const MISSING: f32 = 0.5;

impl Pieces {
    /// Takes a source apart; one of a single piece has none that could vanish.
    pub fn of(mesh: &Mesh) -> Self {
        let (of_face, count) = face_components(mesh);
        let mut bounds = vec![None::<Bounds>; count];
        let mut first = vec![0; count];
        for (f, &piece) in of_face.iter().enumerate() {
            let slot = &mut bounds[piece as usize];
            if slot.is_none() {
                first[piece as usize] = f as u32;
            }
            for p in mesh.triangle_points(f) {
                let p = mesh.points[p as usize];
                *slot = Some(match *slot {
                    None => Bounds { min: p, max: p },
                    Some(b) => Bounds {
                        min: b.min.min(p),
                        max: b.max.max(p),
                    },
                });
            }
        }
        Self {
            of_face,
            bounds: bounds.into_iter().flatten().collect(),
            first,
        }
    }

    /// The pieces of which `left` has nothing, largest first, and each face's share in that: true where it is missing.
    pub fn vanished(
        &self,
        mesh: &Mesh,
        left: &nearest::SurfaceIndex,
    ) -> (Vec<Vanished>, Vec<bool>) {
        if self.bounds.len() < 2 {
            return (Vec::new(), Vec::new());
        }
        // A corner of a few faces tells most pieces apart; only those that seem to be missing are looked at closely.
        let far = |piece: usize, f: usize| {
            let reach = self.bounds[piece].diagonal() * MISSING;
            let p = mesh.triangle_points(f)[0];
            left.nearest(mesh.points[p as usize])
                .is_none_or(|n| n.distance > reach)
        };
        let mut missing: Vec<bool> = (0..self.bounds.len())
            .into_par_iter()
            .map(|piece| far(piece, self.first[piece] as usize))
            .collect();
        if !missing.contains(&true) {
            return (Vec::new(), Vec::new());
        }
        let suspects: Vec<usize> = (0..self.of_face.len())
            .filter(|&f| missing[self.of_face[f] as usize])
            .collect();
        let near: Vec<u32> = suspects
            .par_iter()
            .filter(|&&f| !far(self.of_face[f] as usize, f))
            .map(|&f| self.of_face[f])
            .collect();
        near.into_iter()
            .for_each(|piece| missing[piece as usize] = false);
        let gone = (0..missing.len()).filter(|&piece| missing[piece]);
        let mut list: Vec<Vanished> = gone
            .map(|piece| {
                let b = self.bounds[piece];
                Vanished {
                    at: (b.min + b.max) / 2.0,
                    size_m: b.diagonal(),
                    face: self.first[piece],
                }
            })
            .collect();
        list.sort_by(|a, b| b.size_m.total_cmp(&a.size_m).then(a.face.cmp(&b.face)));
        if list.is_empty() {
            return (list, Vec::new());
        }
        let faces = self.of_face.iter().map(|&p| missing[p as usize]);
        (list, faces.collect())
    }

    /// The size of the piece of a face, in metres.
    pub fn size_m(&self, face: u32) -> f32 {
        self.bounds[self.of_face[face as usize] as usize].diagonal()
    }
}

/// A source without the faces that are missing.
pub fn without(mesh: &Mesh, missing: &[bool]) -> Mesh {
    edit::kept(mesh, |f| !missing[f])
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::Affine3A;

    /// Several meshes as one, a part each.
    fn together(list: &[&Mesh]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for mesh in list {
            builder
                .part("piece", Affine3A::IDENTITY)
                .primitive(Primitive {
                    positions: (0..mesh.vertex_count())
                        .map(|v| mesh.position(v as u32))
                        .collect(),
                    corners: mesh.corners.clone(),
                    ..Primitive::default()
                });
        }
        builder.finish()
    }

    #[test]
    fn a_floater_far_away_is_missing_and_a_shell_close_by_is_not() {
        let ball = shapes::icosphere(1.0, 4);
        let mut floater = shapes::icosphere(0.01, 1);
        floater.points.iter_mut().for_each(|p| p.y += 1.8);
        let coat = shapes::icosphere(1.001, 3);
        let source = together(&[&ball, &floater, &coat]);
        let left = nearest::SurfaceIndex::of(&ball);
        let (list, faces) = Pieces::of(&source).vanished(&source, &left);
        assert_eq!(list.len(), 1, "{list:?}");
        assert!(list[0].at.distance(Vec3::Y * 1.8) < 1e-3);
        assert!((0.02..0.04).contains(&list[0].size_m));
        assert_eq!(
            faces.iter().filter(|&&f| f).count(),
            floater.triangle_count()
        );
        let rest = without(&source, &faces);
        assert_eq!(
            rest.triangle_count(),
            ball.triangle_count() + coat.triangle_count()
        );
        assert!(Pieces::of(&ball).vanished(&ball, &left).0.is_empty());
    }
}
