//! A part taken by itself: its points in order of use, its faces among them.

use ectome_mesh::{Cancelled, Mesh, Progress};
use glam::{DVec3, Vec2};
use rayon::prelude::*;

/// The shape of one part, in flat arrays.
#[derive(Default)]
pub(super) struct Shape {
    /// Places, in order of first use by the faces.
    pub points: Vec<DVec3>,
    /// Corners of all faces, as indices into `points`.
    pub corners: Vec<u32>,
    /// Where each face begins in `corners`, and the end of the last.
    pub first: Vec<u32>,
    /// Material of each face; [`NO_MATERIAL`] for none.
    pub materials: Vec<u32>,
    /// First UV of each corner, [`NO_UV`] where its faces have none; empty when no face has.
    pub uvs: Vec<Vec2>,
    /// Middle of the points.
    pub middle: DVec3,
    /// Diagonal of their bounds.
    pub diagonal: f64,
    /// The largest coordinate: what `f32` rounds by.
    pub reach: f64,
    /// Area of all faces.
    pub area: f64,
}

const NO_MATERIAL: u32 = u32::MAX;
const NO_UV: Vec2 = Vec2::MAX;

/// The shapes of all parts; parts without faces have an empty one.
///
/// # Errors
/// [`Cancelled`].
pub(super) fn of_parts(mesh: &Mesh, progress: &Progress) -> Result<Vec<Shape>, Cancelled> {
    let mut runs_of: Vec<Vec<u32>> = vec![Vec::new(); mesh.parts.len()];
    for (r, run) in mesh.runs.iter().enumerate() {
        runs_of[run.part as usize].push(r as u32);
    }
    // The part that a point was last met in, and its number there.
    let mut met: Vec<(u32, u32)> = vec![(u32::MAX, 0); mesh.points.len()];
    let mut shapes = Vec::with_capacity(mesh.parts.len());
    for (part, runs) in runs_of.iter().enumerate() {
        progress.go_on()?;
        shapes.push(Shape::of(mesh, part as u32, runs, &mut met));
    }
    shapes.par_iter_mut().for_each(Shape::measure);
    progress.go_on()?;
    Ok(shapes)
}

impl Shape {
    fn of(mesh: &Mesh, part: u32, runs: &[u32], met: &mut [(u32, u32)]) -> Self {
        let runs = || runs.iter().map(|&r| &mesh.runs[r as usize]);
        let with_uvs = runs().any(|r| r.channels.uv_sets > 0);
        let faces: usize = runs().map(|r| r.faces.len()).sum();
        let mut shape = Self {
            corners: Vec::with_capacity(3 * faces),
            first: Vec::with_capacity(faces + 1),
            materials: Vec::with_capacity(faces),
            ..Self::default()
        };
        shape.first.push(0);
        for run in runs() {
            let set = mesh.uv_sets.first().filter(|_| run.channels.uv_sets > 0);
            for f in run.faces.clone() {
                for &v in mesh.face(f as usize) {
                    let p = mesh.vertex_point[v as usize];
                    let (last, number) = &mut met[p as usize];
                    if *last != part {
                        (*last, *number) = (part, shape.points.len() as u32);
                        shape.points.push(mesh.points[p as usize].as_dvec3());
                    }
                    shape.corners.push(*number);
                    if with_uvs {
                        shape.uvs.push(set.map_or(NO_UV, |s| s[v as usize]));
                    }
                }
                shape.first.push(shape.corners.len() as u32);
                shape.materials.push(run.material.unwrap_or(NO_MATERIAL));
            }
        }
        shape
    }

    fn measure(&mut self) {
        let Some(&start) = self.points.first() else {
            return;
        };
        let (mut low, mut high) = (start, start);
        for &p in &self.points {
            low = low.min(p);
            high = high.max(p);
            self.middle += p;
        }
        self.middle /= self.points.len() as f64;
        self.diagonal = low.distance(high);
        self.reach = low.abs().max(high.abs()).max_element();
        self.area = (0..self.face_count()).map(|f| self.face_area(f)).sum();
    }

    fn face_area(&self, f: usize) -> f64 {
        let face = self.face(f);
        let p = |k: usize| self.points[face[k] as usize];
        let twice = |k: usize| (p(k) - p(0)).cross(p(k + 1) - p(0));
        0.5 * (1..face.len() - 1).map(twice).sum::<DVec3>().length()
    }

    pub fn face_count(&self) -> usize {
        self.materials.len()
    }

    /// Where the corners of a face are.
    pub fn range(&self, f: usize) -> std::ops::Range<usize> {
        self.first[f] as usize..self.first[f + 1] as usize
    }

    pub fn face(&self, f: usize) -> &[u32] {
        &self.corners[self.range(f)]
    }

    /// How far off a place may be and still be the same.
    pub fn tolerance(&self) -> f64 {
        (1e-4 * self.diagonal).max(8.0 * f64::from(f32::EPSILON) * self.reach)
    }

    /// Distances of the points from their middle, shortest first: no motion changes them.
    pub fn radii(&self) -> Vec<f32> {
        let radius = |p: &DVec3| p.distance(self.middle) as f32;
        let mut radii: Vec<f32> = self.points.iter().map(radius).collect();
        radii.sort_unstable_by(f32::total_cmp);
        radii
    }

    /// A colour for each point that tells how the faces about it hang together and what materials they have: points that fall
    /// on each other by any motion or mirror have equal colours. Colour refinement (B. Weisfeiler and A. Leman, 1968) over the
    /// faces, three rounds.
    pub fn colours(&self) -> Vec<u64> {
        let mut colours = vec![1u64; self.points.len()];
        for _ in 0..3 {
            let mut next: Vec<u64> = colours.iter().map(|&c| mixed(c)).collect();
            for f in 0..self.face_count() {
                let face = self.face(f);
                let begin = (u64::from(self.materials[f]) << 32) | face.len() as u64;
                let sum = |s: u64, &i: &u32| s.wrapping_add(mixed(colours[i as usize] ^ 0x5851));
                let of_face = mixed(face.iter().fold(mixed(begin), sum));
                for &i in face {
                    next[i as usize] = next[i as usize].wrapping_add(of_face);
                }
            }
            colours = next;
        }
        colours
    }
}

/// One number for all colours of a shape, whatever the order of its points.
pub(super) fn all_colours(colours: &[u64]) -> u64 {
    let sum = |s: u64, &c: &u64| s.wrapping_add(mixed(c));
    colours.iter().fold(0, sum)
}

/// Scatters the bits of a number (the finaliser of SplitMix64: G. Steele, D. Lea and C. Flood, 2014).
pub(super) fn mixed(mut x: u64) -> u64 {
    x = x.wrapping_add(0x9e37_79b9_7f4a_7c15);
    x = (x ^ (x >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    x = (x ^ (x >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    x ^ (x >> 31)
}
