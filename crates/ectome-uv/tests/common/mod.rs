//! Shapes whose maps are known, and a layout packed the usual way.

use std::f32::consts::TAU;

use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress};
use ectome_uv::{
    arrange::{self, Wishes},
    layout::Layout,
    measure::{self, Numbers},
    pack::Settings,
    unwrap::{self, Manner, Options},
};
use glam::{Affine3A, Vec3};

/// A mesh of one part from places and corners.
pub fn single(positions: Vec<Vec3>, corners: Vec<u32>) -> Mesh {
    let mut builder = MeshBuilder::new();
    builder
        .part("shape", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions,
            corners,
            ..Primitive::default()
        });
    builder.finish()
}

/// The wall between two circles around y, of `around` by `along` quads; a radius of zero is an apex.
pub fn wall(radii: [f32; 2], height: f32, around: u32, along: u32) -> Mesh {
    let mut positions = Vec::new();
    for j in 0..=along {
        let t = j as f32 / along as f32;
        let r = radii[0] + (radii[1] - radii[0]) * t;
        for i in 0..around {
            let a = TAU * i as f32 / around as f32;
            positions.push(Vec3::new(r * a.cos(), height * t, -r * a.sin()));
        }
    }
    let at = |i: u32, j: u32| j * around + i % around;
    let mut corners = Vec::new();
    for j in 0..along {
        for i in 0..around {
            let [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
            corners.extend([a, b, c]);
            if radii[1] > 0.0 || j + 1 < along {
                corners.extend([a, c, d]);
            }
        }
    }
    single(positions, corners)
}

/// A mesh unwrapped and packed.
#[allow(dead_code)]
pub fn laid_out(mesh: &Mesh, manner: Manner, settings: &Settings) -> (Layout, Numbers) {
    let options = Options {
        manner,
        ..Options::default()
    };
    let progress = Progress::new();
    let layout = unwrap::whole(mesh, &options, &progress).unwrap();
    let islands = measure::islands(mesh, &layout);
    let packed = arrange::pack(&layout, &islands, &Wishes::default(), settings, &progress).unwrap();
    let islands = measure::islands(mesh, &packed);
    let numbers = measure::numbers(mesh, &packed, &islands, settings.size);
    (packed, numbers)
}
