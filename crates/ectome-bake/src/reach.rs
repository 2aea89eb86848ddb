//! How far rays look.
//!
//! Outward a ray has to begin beyond everything of the source that belongs to its place, and inward to end behind it. How far
//! the two surfaces are apart is measured both ways, from the low mesh to the source and back, since a bolt stands out from a
//! face whose corners all lie on the source. What is found is taken to the neighbours and smoothed, and never so far that a ray
//! meets another side: outward half way to the next surface of the low mesh, inward half way through it.

use ectome_mesh::{Mesh, measure, nearest, sample};
use glam::Vec3;
use rayon::prelude::*;

use crate::{Matching, Reach, Settings, frame::Frame, target::Target};

/// Metres outward and inward, three entries a face.
pub struct Reaches {
    pub outward: Vec<f32>,
    pub inward: Vec<f32>,
    /// How far source and low mesh are apart, with room, before other sides were thought of; and the source to look for what is
    /// nearest. Where a ray passes beside the source, as at a corner that stands out, the nearest place is what belongs there.
    pub nearby: Option<Nearby>,
}

/// What is looked for where rays meet nothing.
pub struct Nearby {
    pub source: nearest::SurfaceIndex,
    /// Three entries a face.
    within: Vec<f32>,
}

/// Places of the source that are measured from.
const PLACES: usize = 200_000;
/// What is found is multiplied by this, so that nothing just so is missed.
const ROOM: f32 = 1.6;
/// The least, as a share of the diagonal.
const LEAST: f32 = 4e-4;
/// Where rays meet nothing, the nearest place counts within so many times the reach.
const NEARBY: f32 = 2.0;
/// Of the way to another side, the share that is looked along.
const SHARE: f32 = 0.45;

impl Reaches {
    pub fn of(source: &Mesh, low: &Mesh, frame: &Frame, settings: &Settings) -> Self {
        let corners = 3 * low.face_count();
        match settings.reach {
            Reach::Metres(m) => Self {
                outward: vec![m; corners],
                inward: vec![m; corners],
                // Whoever names a reach means it.
                nearby: None,
            },
            Reach::Automatic(scale) => automatic(source, low, frame, scale, &settings.matching),
        }
    }

    /// The place of the source nearest to a place of the low mesh, near enough to belong to it where the reach is multiplied by
    /// `times`. `last` is what was found for a place beside it, and then what was found here: it shortens the search.
    pub fn nearest(
        &self,
        face: usize,
        w: Vec3,
        point: Vec3,
        times: f32,
        last: &mut Option<Vec3>,
    ) -> Option<nearest::Place> {
        let nearby = self.nearby.as_ref()?;
        let at = 3 * face;
        let within =
            nearby.within[at] * w.x + nearby.within[at + 1] * w.y + nearby.within[at + 2] * w.z;
        let found = nearby.source.nearest_after(point, within * times, *last);
        *last = found.map(|n| n.point).or(*last);
        found
    }

    pub fn at(&self, face: usize, w: Vec3) -> (f32, f32) {
        let mix = |list: &[f32]| {
            let at = 3 * face;
            list[at] * w.x + list[at + 1] * w.y + list[at + 2] * w.z
        };
        (mix(&self.outward), mix(&self.inward))
    }
}

fn automatic(source: &Mesh, low: &Mesh, frame: &Frame, scale: f32, matching: &Matching) -> Reaches {
    let diagonal = measure::bounds(low).diagonal();
    let high = nearest::SurfaceIndex::of(source);
    // From the low mesh: its corners, and places on its faces.
    let found = high.nearest_each(&low.points);
    let mut apart: Vec<f32> = found
        .iter()
        .map(|n| n.map_or(0.0, |n| n.distance))
        .collect();
    let inside: Vec<f32> = (0..low.face_count())
        .into_par_iter()
        .map(|f| {
            let [a, b, c] = low.triangle(f);
            let places = [
                (a + b + c) / 3.0,
                (a + b) / 2.0,
                (b + c) / 2.0,
                (c + a) / 2.0,
            ];
            let far = places.map(|p| high.nearest(p).map_or(0.0, |n| n.distance));
            far.into_iter().fold(0.0, f32::max)
        })
        .collect();
    let mut raise = |face: usize, by: f32| {
        for p in low.triangle_points(face) {
            let slot = &mut apart[p as usize];
            *slot = slot.max(by);
        }
    };
    inside.iter().enumerate().for_each(|(f, &d)| raise(f, d));
    // And back.
    let near = nearest::SurfaceIndex::of(low);
    let spread = sample::by_area(source, PLACES.min(4 * source.face_count()));
    let places: Vec<Vec3> = spread.iter().map(|s| s.point).collect();
    let found = near.nearest_each(&places).into_iter().flatten();
    let back: Vec<(u32, f32)> = found.map(|n| (n.face, n.distance)).collect();
    back.iter().for_each(|&(f, d)| raise(f as usize, d));
    let wanted = smoothed(low, &apart, diagonal, scale);
    // Never to another side of the low mesh; where parts are matched, to one that is baked from the same.
    let groups = match matching {
        Matching::All => &[][..],
        Matching::Groups { low, .. } => low,
    };
    let own = Target::of(low, groups);
    let part = low.part_of_faces();
    let corners: Vec<(f32, f32)> = (0..3 * low.face_count())
        .into_par_iter()
        .map(|corner| {
            let face = corner / 3;
            let p = low.triangle_points(face)[corner % 3] as usize;
            let [a, b, c] = low.triangle(face);
            // A little inside the face, so that the neighbours of its corner are not met.
            let place = low.points[p] * 0.9 + (a + b + c) / 3.0 * 0.1;
            let outward = frame.averaged[corner];
            let far = |direction: Vec3| {
                let lift = direction * (1e-4 * diagonal);
                let group = groups.get(part[face] as usize).copied();
                let group = group.filter(|&g| g != Matching::ANY);
                own.first(place + lift, direction, f32::MAX, face as u32, group)
                    .map_or(f32::INFINITY, |t| t * SHARE)
            };
            let most = |free: f32| wanted[p].min(free.max(LEAST * diagonal * 0.5));
            (most(far(outward)), most(far(-outward)))
        })
        .collect();
    let within = (0..low.face_count())
        .flat_map(|f| low.triangle_points(f))
        .map(|p| wanted[p as usize] * NEARBY)
        .collect();
    Reaches {
        outward: corners.iter().map(|c| c.0).collect(),
        inward: corners.iter().map(|c| c.1).collect(),
        nearby: Some(Nearby {
            source: high,
            within,
        }),
    }
}

/// The reach at each point of the low mesh: what was measured around it, to the neighbours at its largest and then smoothed, so that rays
/// of neighbours do not cross.
fn smoothed(low: &Mesh, apart: &[f32], diagonal: f32, scale: f32) -> Vec<f32> {
    let count = low.points.len();
    // To the neighbours at their largest, then smoothed.
    let around = |values: &[f32], join: fn(f32, f32) -> f32| {
        let mut out = values.to_vec();
        for f in 0..low.face_count() {
            let p = low.triangle_points(f).map(|p| p as usize);
            let joined = p.iter().map(|&p| values[p]).reduce(join).unwrap_or(0.0);
            p.iter().for_each(|&p| out[p] = join(out[p], joined));
        }
        out
    };
    let largest = around(apart, f32::max);
    let mut sums = vec![(0.0f32, 0.0f32); count];
    for f in 0..low.face_count() {
        let p = low.triangle_points(f).map(|p| p as usize);
        let mean = p.iter().map(|&p| largest[p]).sum::<f32>() / 3.0;
        p.iter().for_each(|&p| {
            sums[p].0 += mean;
            sums[p].1 += 1.0;
        });
    }
    (0..count)
        .map(|p| {
            let mean = if sums[p].1 > 0.0 {
                sums[p].0 / sums[p].1
            } else {
                0.0
            };
            // Never less than what was measured here.
            (mean.max(apart[p]) * ROOM + LEAST * diagonal) * scale
        })
        .collect()
}
