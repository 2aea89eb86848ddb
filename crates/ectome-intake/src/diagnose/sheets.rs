//! Pieces that enclose nothing: leaves, cloth, terrain, walls scanned from one side. Their borders are where they end, and no openings.
//!
//! The area vectors of a closed surface add up to nothing, and those of one with an opening to the area vector of what would close it (the
//! divergence theorem). Beside the area of the piece that tells how much is missing: hardly anything of a scan with a hole, half of a
//! bowl, nearly everything of a sheet.

use ectome_mesh::{Mesh, edges, measure};
use glam::DVec3;

/// What closes a piece has at least this share of the piece's area: half is a half ball, which may be meant either way.
const OPEN: f64 = 0.6;

/// How much of a surface is sheets.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Sheets {
    /// Their share of the area (0–1).
    pub share: f64,
    /// The loops of open edges around them.
    pub loops: usize,
}

impl Sheets {
    /// Looks through the pieces of an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let loops = edges::open_loops(mesh);
        if loops.is_empty() {
            return Self::default();
        }
        let (piece_of_face, count) = edges::pieces(mesh);
        let mut sums = vec![(0.0, DVec3::ZERO); count];
        for (f, &piece) in piece_of_face.iter().enumerate() {
            let vector = measure::area_vector(mesh.triangle(f));
            let (area, whole) = &mut sums[piece as usize];
            *area += vector.length();
            *whole += vector;
        }
        let is_sheet = |piece: u32| {
            let (area, whole) = sums[piece as usize];
            whole.length() > OPEN * area
        };
        let around = |l: &&edges::Loop| {
            let side = l.first();
            side.is_some_and(|s| is_sheet(piece_of_face[s.face as usize]))
        };
        let all: f64 = sums.iter().map(|s| s.0).sum();
        let sheets: f64 = (0..count as u32)
            .filter(|&p| is_sheet(p))
            .map(|p| sums[p as usize].0)
            .sum();
        Self {
            share: if all > 0.0 { sheets / all } else { 0.0 },
            loops: loops.iter().filter(around).count(),
        }
    }
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{MeshBuilder, Primitive, edit, shapes};
    use glam::{Affine3A, Vec3};

    use super::*;

    /// What is left of a ball above a height.
    fn cap(above: f32) -> Mesh {
        let ball = shapes::icosphere(1.0, 4);
        edit::kept(&ball, |f| {
            ball.triangle(f).iter().sum::<Vec3>().y / 3.0 > above
        })
    }

    /// Closed forms: a cap of a ball that begins at height h has the area 2π(1 − h), and what closes it π(1 − h²); the share of the two
    /// is (1 + h) / 2.
    #[test]
    fn caps_are_sheets_from_a_fifth_of_the_radius_up() {
        for (height, is_sheet) in [
            (-0.9, false),
            (0.0, false),
            (0.15, false),
            (0.3, true),
            (0.8, true),
        ] {
            let found = Sheets::of(&cap(height));
            assert_eq!(found.loops, usize::from(is_sheet), "{height}");
            assert_eq!(found.share > 0.99, is_sheet, "{height}");
        }
        assert_eq!(Sheets::of(&shapes::icosphere(1.0, 3)), Sheets::default());
    }

    /// A pipe that is open at both ends is none: what would close it cancels out. A card beside it is one.
    #[test]
    fn a_pipe_with_a_card_has_the_share_of_the_card() {
        let n = 64;
        let at = |i: u32, y: f32| {
            let turn = std::f32::consts::TAU * i as f32 / n as f32;
            Vec3::new(turn.cos(), y, turn.sin())
        };
        let mut pipe = Primitive::default();
        for i in 0..n {
            pipe.positions.extend([at(i, 0.0), at(i, 2.0)]);
            let (a, b) = (2 * i, 2 * ((i + 1) % n));
            pipe.corners.extend([a, a + 1, b + 1, a, b + 1, b]);
        }
        let card = Primitive {
            positions: vec![
                Vec3::X * 4.0,
                Vec3::X * 5.0,
                Vec3::X * 5.0 + Vec3::Y,
                Vec3::X * 4.0 + Vec3::Y,
            ],
            corners: vec![0, 1, 2, 0, 2, 3],
            ..Primitive::default()
        };
        let mut builder = MeshBuilder::new();
        builder.part("pipe", Affine3A::IDENTITY).primitive(pipe);
        builder.part("card", Affine3A::IDENTITY).primitive(card);
        let found = Sheets::of(&builder.finish());
        assert_eq!(found.loops, 1);
        // 1 beside 2π · 2.
        let share = 1.0 / (1.0 + 4.0 * std::f64::consts::PI);
        assert!((found.share - share).abs() < 1e-3, "{}", found.share);
    }
}
