//! What the proof of the look costs: pictures of a heavy source from 26 sides, and those of a tier with their comparison.
//!
//! `cargo bench -p ectome-compare --bench look`

use divan::Bencher;
use ectome_compare::{
    look::{View, compare},
    outline::directions,
};
use ectome_mesh::{Mesh, normals, shapes};
use ectome_raster::{Backs, Camera, Light, Picture, Style, Surfaces, render_each};
use ectome_texture::{Coding, Material, Slot, Texture};
use glam::{Vec2, Vec3};

const EDGE: usize = 320;

fn main() {
    divan::main();
}

/// A ball with a grain, so that neither depth nor normals are even; all its normals given, and UVs of a kind.
fn ball(subdivisions: u32) -> Mesh {
    let mut ball = shapes::icosphere(1.0, subdivisions);
    for p in &mut ball.points {
        *p *= 1.0 + 0.02 * (40.0 * p.x).sin() * (31.0 * p.y).cos();
    }
    let uv = |v: u32| {
        let p = ball.position(v);
        Vec2::new(0.5 + 0.5 * p.x, 0.5 + 0.5 * p.y)
    };
    ball.uv_sets = vec![(0..ball.vertex_count() as u32).map(uv).collect()];
    for run in &mut ball.runs {
        run.channels.uv_sets = 1;
        run.material = Some(0);
    }
    normals::set_for_maps(&mut ball);
    ball
}

/// Colours, roughness and normals that differ from texel to texel.
fn textures() -> Vec<Texture> {
    let noise = |seed: usize| -> Vec<u8> {
        (0..1024 * 1024)
            .flat_map(|i: usize| {
                let v = ((i * 2_654_435_761 + seed) >> 13) as u8;
                [v / 2 + 60, v / 3 + 90, 200 - v / 4, 255]
            })
            .collect()
    };
    [Coding::Srgb, Coding::Linear, Coding::Linear]
        .into_iter()
        .enumerate()
        .filter_map(|(i, coding)| Texture::of(1024, 1024, &noise(i), coding, None))
        .collect()
}

fn seen(mesh: &Mesh, textures: &[Texture], backs: Backs) -> Vec<Picture> {
    let cameras: Vec<Camera> = directions()
        .map(|eye| Camera::from_direction(mesh, eye, EDGE, EDGE))
        .collect();
    let material = Material {
        base_texture: Some(Slot::of(0)),
        rough_metal_texture: Some(Slot::of(1)),
        normal_texture: Some((Slot::of(2), 1.0)),
        ..Material::default()
    };
    let surfaces = Surfaces {
        materials: &[material],
        textures,
        either_side: &[],
    };
    let style = Style {
        light: Light::Surroundings,
        clay: false,
        relief: true,
        backs,
        plain: Vec3::splat(0.4),
    };
    render_each(mesh, &surfaces, &cameras, &style)
}

/// A source of 1.3 million triangles, with three textures.
#[divan::bench(sample_count = 5, sample_size = 1)]
fn pictures_of_a_source(bencher: Bencher<'_, '_>) {
    let (ball, textures) = (ball(8), textures());
    bencher.bench(|| seen(&ball, &textures, Backs::Marked));
}

/// A tier of 5 120 and one of 81 920 triangles, with three textures.
#[divan::bench(args = [4, 6], sample_count = 5, sample_size = 1)]
fn a_tier_beside_its_source(bencher: Bencher<'_, '_>, subdivisions: u32) {
    let textures = textures();
    let source = seen(&ball(5), &textures, Backs::Marked);
    let tier = ball(subdivisions);
    fn view(picture: &Picture) -> View<'_> {
        View {
            width: picture.width,
            pixels: &picture.pixels,
            shine: &picture.shine,
            unknown: &picture.backs,
        }
    }
    bencher.bench(|| {
        let of_tier = seen(&tier, &textures, Backs::Culled);
        let pairs: Vec<[View<'_>; 2]> = (source.iter().zip(&of_tier))
            .map(|(a, b)| [view(a), view(b)])
            .collect();
        compare(&pairs)
    });
}
