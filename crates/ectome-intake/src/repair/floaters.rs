//! Loose pieces: dirt around a scan, stray bits of a model.

use ectome_mesh::{Mesh, edges::pieces, edit, measure::Bounds};
use glam::Vec3;

/// What was dropped.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Dropped {
    /// Pieces that went.
    pub pieces: usize,
    /// Triangles that went with them.
    pub triangles: usize,
}

/// One piece of a mesh.
#[derive(Clone, Copy, Debug)]
pub struct Piece {
    /// Its bounds.
    pub bounds: Bounds,
    /// Its triangles.
    pub triangles: usize,
    /// The part of its first face.
    pub part: u32,
}

/// The pieces of a mesh and the piece of each face.
pub fn list(mesh: &Mesh) -> (Vec<Piece>, Vec<u32>) {
    let (of_face, count) = pieces(mesh);
    let empty = Bounds {
        min: Vec3::INFINITY,
        max: Vec3::NEG_INFINITY,
    };
    let mut all = vec![
        Piece {
            bounds: empty,
            triangles: 0,
            part: u32::MAX,
        };
        count
    ];
    let part = mesh.part_of_faces();
    for (f, &piece) in of_face.iter().enumerate() {
        let piece = &mut all[piece as usize];
        for &v in mesh.face(f) {
            let p = mesh.position(v);
            piece.bounds.min = piece.bounds.min.min(p);
            piece.bounds.max = piece.bounds.max.max(p);
        }
        piece.triangles += mesh.face(f).len() - 2;
        piece.part = piece.part.min(part[f]);
    }
    (all, of_face)
}

/// A piece counts as loose when its diagonal is below this share of the largest piece of its part (common
/// practice, no published source). So a part of twenty equal bolts has no loose pieces.
pub const LOOSE: f32 = 0.1;

/// Which pieces are loose: small beside the largest piece of their part.
pub fn loose(pieces: &[Piece]) -> Vec<bool> {
    let parts = pieces.iter().map(|p| p.part + 1).max().unwrap_or(0);
    let mut largest = vec![0f32; parts as usize];
    for p in pieces {
        let slot = &mut largest[p.part as usize];
        *slot = slot.max(p.bounds.diagonal());
    }
    pieces
        .iter()
        .map(|p| p.bounds.diagonal() < LOOSE * largest[p.part as usize])
        .collect()
}

/// Drops loose pieces whose diagonal is below `size_m` metres; the largest piece of a part always stays.
pub fn drop_below(mesh: &Mesh, size_m: f32) -> (Mesh, Dropped) {
    let (all, of_face) = list(mesh);
    let goes: Vec<bool> = loose(&all)
        .into_iter()
        .zip(&all)
        .map(|(loose, p)| loose && p.bounds.diagonal() < size_m)
        .collect();
    let done = Dropped {
        pieces: goes.iter().filter(|&&g| g).count(),
        triangles: all
            .iter()
            .zip(&goes)
            .filter(|(_, g)| **g)
            .map(|(p, _)| p.triangles)
            .sum(),
    };
    if done.pieces == 0 {
        return (mesh.clone(), done);
    }
    (edit::kept(mesh, |f| !goes[of_face[f] as usize]), done)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes};

    fn balls(radii: &[f32]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for (i, &r) in radii.iter().enumerate() {
            let ball = shapes::icosphere(r, 1);
            builder.primitive(Primitive {
                positions: ball
                    .vertex_point
                    .iter()
                    .map(|&p| ball.points[p as usize] + Vec3::X * 4.0 * i as f32)
                    .collect(),
                corners: ball.corners,
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn only_small_pieces_beside_a_large_one_go() {
        let mesh = balls(&[1.0, 0.05, 0.02, 0.5]);
        let (left, done) = drop_below(&mesh, 0.2);
        left.check().unwrap();
        assert_eq!((done.pieces, done.triangles), (2, 160));
        assert_eq!(list(&left).0.len(), 2);
        assert_eq!(drop_below(&left, 0.2).1, Dropped::default());
    }

    #[test]
    fn a_part_of_equal_pieces_keeps_them_all() {
        assert_eq!(drop_below(&balls(&[0.02; 6]), 1.0).1.pieces, 0);
    }
}
