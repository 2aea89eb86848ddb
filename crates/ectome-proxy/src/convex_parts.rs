//! A shape as a bounded count of convex hulls, for collisions.
//!
//! The shape is taken apart in cells by planes where that takes most of the concavity away (K. Mamou, *Volumetric Hierarchical
//! Approximate Convex Decomposition*, in Game Engine Gems 3, 2016; from parry3d), into more parts than are wanted. Then those two whose
//! common hull adds least volume are joined, again and again, until there are few enough: planes alone give no exact count.

use std::panic::{AssertUnwindSafe, catch_unwind};

use ectome_mesh::{Mesh, Progress};
use glam::Vec3;
use parry3d::{
    math::Vector,
    transformation::{
        vhacd::{VHACD, VHACDParameters},
        voxelization::FillMode,
    },
};

use crate::{Hull, ProxyError, hull};

/// How a shape is taken apart.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Settings {
    /// The most hulls.
    pub most: usize,
    /// The most points of each.
    pub points_each: usize,
    /// Cells along the longest side of the bounds.
    pub cells: u32,
}

/// Parts that are made before any are joined, times those wanted.
const SPARE: usize = 2;
/// Points of a part while parts are joined.
const WORKING_POINTS: usize = 128;
/// Parts are joined also where fewer would be too many no more, while that adds less than this share of the whole hull's volume.
const NOTHING_ADDED: f64 = 5e-4;
/// Concavity that is no reason to cut further, as parry3d counts it: a share of the volume of the whole hull.
const CONCAVITY: f32 = 2e-3;

/// At most so many convex hulls that together stand for the triangles of a mesh, largest first.
///
/// # Errors
/// [`ProxyError::Empty`] where nothing has an extent, [`ProxyError::Cancelled`]; [`ProxyError::Apart`] where the shape cannot be taken
/// apart.
pub fn convex_parts(
    mesh: &Mesh,
    settings: &Settings,
    progress: &Progress,
) -> Result<Vec<Hull>, ProxyError> {
    let each = settings.points_each.max(4);
    if settings.most <= 1 {
        let one = hull(&mesh.points, each, progress)?;
        return Ok(vec![one.ok_or(ProxyError::Empty)?]);
    }
    let whole = hull(&mesh.points, WORKING_POINTS.max(each), progress)?;
    let whole = whole.ok_or(ProxyError::Empty)?;
    progress.stage("Taking the shape apart");
    progress.at(0.1)?;
    let mut parts = Vec::new();
    for points in apart(mesh, settings, progress)? {
        parts.extend(hull(&points, WORKING_POINTS.max(each), progress)?);
    }
    progress.at(0.6)?;
    progress.stage("Joining parts");
    joined(
        &mut parts,
        settings.most,
        whole.volume(),
        &progress.span(0.6, 0.95),
    )?;
    parts.sort_by(|a, b| b.volume().total_cmp(&a.volume()));
    let mut out = Vec::with_capacity(parts.len());
    for part in parts {
        out.extend(hull(&part.points, each, progress)?.map(|made| Hull {
            was_flat: part.was_flat || made.was_flat,
            stands_out_m: made.stands_out_m.max(part.stands_out_m),
            ..made
        }));
    }
    progress.at(1.0)?;
    Ok(out)
}

/// Where the surface lies in each part: its corners, and where it leaves the part's cells.
fn apart(
    mesh: &Mesh,
    settings: &Settings,
    progress: &Progress,
) -> Result<Vec<Vec<Vec3>>, ProxyError> {
    let points: Vec<Vector> = mesh.points.iter().map(|p| p.to_array().into()).collect();
    let corners: Vec<[u32; 3]> = (0..mesh.face_count())
        .map(|f| mesh.triangle_points(f))
        .collect();
    let parameters = VHACDParameters {
        concavity: CONCAVITY,
        resolution: settings.cells.clamp(16, 256),
        max_convex_hulls: (settings.most * SPARE) as u32,
        fill_mode: FillMode::FloodFill {
            detect_cavities: false,
        },
        ..VHACDParameters::default()
    };
    let made = progress.beside(move || {
        let taken_apart = || {
            let made = VHACD::decompose(&parameters, &points, &corners, true);
            let parts = made.voxel_parts().iter().map(|part| {
                let places = part.compute_primitive_intersections(&points, &corners);
                let place = |p: &Vector| Vec3::from_array(p.to_array());
                places.iter().map(place).collect()
            });
            parts.collect()
        };
        // It asserts what it expects of shapes, which strangers do not know.
        catch_unwind(AssertUnwindSafe(taken_apart)).ok()
    })?;
    made.ok_or(ProxyError::Apart)
}

/// Joins the two parts whose common hull adds least, until there are at most `most` and what is added would be more than nothing.
fn joined(
    parts: &mut Vec<Hull>,
    most: usize,
    whole: f64,
    progress: &Progress,
) -> Result<(), ProxyError> {
    let begun = parts.len();
    let both = |a: &Hull, b: &Hull| -> Result<Option<(f64, Hull)>, ProxyError> {
        let points = [&a.points[..], &b.points].concat();
        let made = hull(&points, WORKING_POINTS, &Progress::new())?;
        Ok(made.map(|made| {
            let made = Hull {
                stands_out_m: made.stands_out_m.max(a.stands_out_m).max(b.stands_out_m),
                was_flat: false,
                ..made
            };
            (made.volume() - a.volume() - b.volume(), made)
        }))
    };
    // For each part what joining it with each that stands behind it would add.
    let mut added: Vec<Vec<f64>> = Vec::with_capacity(begun);
    for (i, a) in parts.iter().enumerate() {
        progress.at(0.8 * i as f32 / begun.max(1) as f32)?;
        let row = parts[i + 1..]
            .iter()
            .map(|b| Ok(both(a, b)?.map_or(f64::MAX, |m| m.0)));
        added.push(row.collect::<Result<_, ProxyError>>()?);
    }
    loop {
        let pairs = added.iter().enumerate();
        let pairs = pairs.flat_map(|(i, row)| {
            row.iter()
                .enumerate()
                .map(move |(k, &by)| (by, i, i + 1 + k))
        });
        let Some((by, i, j)) = pairs.min_by(|a, b| a.0.total_cmp(&b.0)) else {
            return Ok(());
        };
        if parts.len() <= most && by > NOTHING_ADDED * whole {
            return Ok(());
        }
        progress.go_on()?;
        let Some((_, made)) = both(&parts[i], &parts[j])? else {
            return Ok(());
        };
        parts[i] = made;
        parts.remove(j);
        added.remove(j);
        for (k, row) in added.iter_mut().enumerate().take(j) {
            row.remove(j - k - 1);
        }
        for k in 0..parts.len() {
            let (a, b) = (k.min(i), k.max(i));
            if a != b {
                added[a][b - a - 1] = both(&parts[a], &parts[b])?.map_or(f64::MAX, |m| m.0);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, measure, shapes};
    use glam::Affine3A;
    use rstest::rstest;

    const SETTINGS: Settings = Settings {
        most: 8,
        points_each: 32,
        cells: 48,
    };

    fn boxes(list: &[(Vec3, Vec3)]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for &(at, size) in list {
            let one = shapes::cuboid(size);
            builder
                .part("box", Affine3A::IDENTITY)
                .primitive(Primitive {
                    positions: one.points.iter().map(|&p| p + at).collect(),
                    corners: one.corners.clone(),
                    ..Primitive::default()
                });
        }
        builder.finish()
    }

    /// Closed forms: shapes made of convex parts that touch or stand apart come apart into few, with their volume. Planes along the
    /// axes may divide a T into three where two would do.
    #[rstest]
    #[case(&[(Vec3::ZERO, Vec3::ONE)], 1, 1.0)]
    #[case(&[(Vec3::ZERO, Vec3::ONE), (Vec3::X * 4.0, Vec3::ONE)], 2, 2.0)]
    #[case(&[(Vec3::ZERO, Vec3::new(4.0, 1.0, 1.0)), (Vec3::new(1.5, 2.0, 0.0), Vec3::new(1.0, 3.0, 1.0))], 3, 7.0)]
    fn boxes_come_apart(#[case] list: &[(Vec3, Vec3)], #[case] most: usize, #[case] volume: f64) {
        let parts = convex_parts(&boxes(list), &SETTINGS, &Progress::new()).unwrap();
        assert!(parts.len() <= most, "{}", parts.len());
        let sum: f64 = parts.iter().map(Hull::volume).sum();
        assert!((sum / volume - 1.0).abs() < 0.03, "{sum} of {volume}");
    }

    /// A ring is never fewer than its parts; more parts come nearer to its volume, and the same come out again.
    #[test]
    fn a_ring_is_followed_the_nearer_the_more_parts_there_are() {
        let ring = shapes::torus(1.0, 0.25, 64, 24);
        let volume = measure::volume(&ring);
        let mut before = f64::MAX;
        for most in [1, 2, 4, 8, 16] {
            let settings = Settings { most, ..SETTINGS };
            let parts = convex_parts(&ring, &settings, &Progress::new()).unwrap();
            assert!(parts.len() <= most);
            assert!(parts.iter().all(|p| p.points.len() <= SETTINGS.points_each));
            let sum: f64 = parts.iter().map(Hull::volume).sum();
            assert!(sum <= 1.02 * before, "{most}: {sum} after {before}");
            assert_eq!(
                parts,
                convex_parts(&ring, &settings, &Progress::new()).unwrap()
            );
            before = sum;
        }
        assert!(before / volume < 1.25, "{}", before / volume);
    }

    #[test]
    fn sheets_soup_and_nothing_end_in_hulls_or_a_sentence() {
        let sheet = ectome_mesh::edit::kept(&shapes::cuboid(Vec3::ONE), |f| f < 2);
        let parts = convex_parts(&sheet, &SETTINGS, &Progress::new()).unwrap();
        assert!(!parts.is_empty() && parts[0].was_flat);
        let none = convex_parts(&Mesh::default(), &SETTINGS, &Progress::new());
        assert_eq!(none.err(), Some(ProxyError::Empty));
        let mut nan = shapes::icosphere(1.0, 2);
        nan.points[3].x = f32::NAN;
        let none = convex_parts(&nan, &SETTINGS, &Progress::new());
        assert_eq!(none.err(), Some(ProxyError::Empty));
        let progress = Progress::new();
        progress.cancel();
        let stopped = convex_parts(&shapes::icosphere(1.0, 5), &SETTINGS, &progress);
        assert!(matches!(stopped, Err(ProxyError::Cancelled(_))));
    }
}
