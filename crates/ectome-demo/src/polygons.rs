//! Solids of quads and n-gons, as a modeller leaves them.

use std::f32::consts::TAU;

use ectome_mesh::Primitive;
use glam::{Affine3A, Vec2, Vec3};

/// A solid of polygons under construction.
#[derive(Clone, Default)]
pub struct Polygons(Primitive);

impl Polygons {
    fn face(&mut self, corners: &[u32]) {
        self.0.corners.extend_from_slice(corners);
        self.0.face_sizes.push(corners.len() as u32);
    }

    /// Turned around +Y: `profile` lists radius and height from below to above, ends on the axis or closed by
    /// one n-gon each. Quads all around.
    pub fn turned(profile: &[Vec2], segments: u32) -> Self {
        let mut p = Self::default();
        for q in profile {
            for i in 0..segments {
                let (s, c) = (TAU * i as f32 / segments as f32).sin_cos();
                p.0.positions.push(Vec3::new(q.x * s, q.y, q.x * c));
            }
        }
        let at = |j: u32, i: u32| j * segments + i % segments;
        for j in 0..profile.len() as u32 - 1 {
            for i in 0..segments {
                p.face(&[at(j, i), at(j, i + 1), at(j + 1, i + 1), at(j + 1, i)]);
            }
        }
        let last = profile.len() as u32 - 1;
        let low: Vec<u32> = (0..segments).rev().map(|i| at(0, i)).collect();
        let high: Vec<u32> = (0..segments).map(|i| at(last, i)).collect();
        p.face(&low);
        p.face(&high);
        p
    }

    /// A ring around +Y with a square-ish section: quads only.
    pub fn ring(radius: f32, tube: f32, around: u32, across: u32) -> Self {
        let mut p = Self::default();
        for i in 0..around {
            let (s, c) = (TAU * i as f32 / around as f32).sin_cos();
            for j in 0..across {
                let (u, v) = (TAU * j as f32 / across as f32).sin_cos();
                let r = radius + tube * v;
                p.0.positions.push(Vec3::new(r * s, tube * u, r * c));
            }
        }
        let at = |i: u32, j: u32| (i % around) * across + j % across;
        for i in 0..around {
            for j in 0..across {
                p.face(&[at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]);
            }
        }
        p
    }

    /// An outline in the x–y plane (counter-clockwise) drawn out along +z, in `steps` rows of quads; its two ends
    /// are n-gons.
    pub fn drawn_out(outline: &[Vec2], depth: f32, steps: u32) -> Self {
        let n = outline.len() as u32;
        let mut p = Self::default();
        for k in 0..=steps {
            let z = depth * k as f32 / steps as f32;
            p.0.positions.extend(outline.iter().map(|q| q.extend(z)));
        }
        for k in 0..steps {
            for i in 0..n {
                let (a, b) = (k * n + i, k * n + (i + 1) % n);
                p.face(&[a, b, b + n, a + n]);
            }
        }
        let back: Vec<u32> = (0..n).rev().collect();
        let front: Vec<u32> = (steps * n..(steps + 1) * n).collect();
        p.face(&back);
        p.face(&front);
        p
    }

    /// Every place moved.
    pub fn mapped(mut self, map: impl Fn(Vec3) -> Vec3) -> Self {
        self.0.positions.iter_mut().for_each(|q| *q = map(*q));
        self
    }

    /// The solid elsewhere; a mirroring motion turns the faces so that they look outward still.
    pub fn moved(self, motion: Affine3A) -> Self {
        let mirrored = motion.matrix3.determinant() < 0.0;
        let mut p = self.mapped(|q| motion.transform_point3(q));
        if mirrored {
            let mut at = 0;
            for &n in &p.0.face_sizes {
                p.0.corners[at..at + n as usize].reverse();
                at += n as usize;
            }
        }
        p
    }

    /// The finished primitive.
    pub fn finish(mut self, material: u32) -> Primitive {
        self.0.material = Some(material);
        self.0
    }
}
