//! Flat regions: half the triangles and more for no change of shape or texture.

use ectome_compare::compare;
use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress, measure, topology::Topology};
use ectome_reduce::{Options, merge_flat};
use glam::{Affine3A, Vec2, Vec3};

use crate::common::sides;

/// A shelf: boards and uprights of many quads each, some of them bent at the end, one UV island a side.
fn shelf(n: u32) -> Mesh {
    let mut builder = MeshBuilder::new();
    let boards = [
        (Vec3::new(0.0, 0.1, 0.0), Vec3::new(1.0, 0.02, 0.3)),
        (Vec3::new(0.0, 0.6, 0.0), Vec3::new(1.0, 0.02, 0.3)),
        (Vec3::new(0.0, 1.1, 0.0), Vec3::new(1.0, 0.02, 0.3)),
        (Vec3::new(-1.03, 0.6, 0.0), Vec3::new(0.02, 0.7, 0.3)),
        (Vec3::new(1.03, 0.6, 0.0), Vec3::new(0.02, 0.7, 0.3)),
    ];
    for (k, (at, half)) in boards.into_iter().enumerate() {
        builder.part(&format!("board {k}"), Affine3A::from_translation(at));
        for mut side in sides(n, |side, place, across| {
            let cell = Vec2::new((side % 3) as f32, (side / 3) as f32) / 3.0;
            (place * half, cell + across * 0.3)
        }) {
            let normal =
                measure::area_vector([0, 1, 2].map(|k| side.positions[side.corners[k] as usize]));
            side.normals = vec![normal.normalize().as_vec3(); side.positions.len()];
            builder.primitive(side);
        }
    }
    builder.finish()
}

fn merged(mesh: &Mesh) -> Mesh {
    merge_flat(mesh, &Options::default(), &Progress::new())
        .unwrap()
        .mesh
}

#[test]
fn a_shelf_loses_nearly_everything_and_keeps_its_shape_and_its_texture() {
    let mesh = shelf(40);
    let flat = merged(&mesh);
    flat.check().unwrap();
    assert_eq!(
        flat.triangle_count(),
        5 * 12,
        "a box needs twelve triangles"
    );
    let report = compare(&mesh, &flat, &Progress::new()).unwrap();
    assert!(
        report.deviation_max_percent_of_diagonal < 1e-4,
        "{report:?}"
    );
    assert!(report.uv_drift_max_texels.unwrap() < 0.1, "{report:?}");
    assert_eq!(report.flipped_faces, 0);
    assert!((measure::volume(&flat) / measure::volume(&mesh) - 1.0).abs() < 1e-6);
    assert_eq!(Topology::of(&flat).open_edges, 0);
}

#[test]
fn a_curved_surface_has_nothing_flat_to_give() {
    let ball = ectome_mesh::shapes::icosphere(1.0, 4);
    assert_eq!(merged(&ball).triangle_count(), ball.triangle_count());
}

#[test]
fn a_texture_that_lies_unevenly_is_not_flat() {
    let mut mesh = shelf(12);
    for uv in &mut mesh.uv_sets[0] {
        uv.x += 0.02 * (uv.y * 50.0).sin();
    }
    let flat = merged(&mesh);
    let report = compare(&mesh, &flat, &Progress::new()).unwrap();
    assert!(report.uv_drift_max_texels.unwrap() < 0.1, "{report:?}");
    assert!(flat.triangle_count() > 5 * 12);
}

/// Letters as text turned into mesh has them: outlines of many short, partly straight edges, filled with
/// thin triangles.
#[test]
fn text_turned_into_mesh_loses_more_than_half() {
    let mut builder = MeshBuilder::new();
    for k in 0..6 {
        // A stroke of the letter: a strip whose long sides have a point every 1/64, triangulated as a fan
        // zigzag.
        let mut p = Primitive {
            uv_sets: vec![Vec::new()],
            ..Primitive::default()
        };
        for i in 0..=64 {
            for y in [0.0, 0.2] {
                let place = Vec3::new(i as f32 / 64.0, y + 0.3 * k as f32, 0.0);
                p.positions.push(place);
                p.uv_sets[0].push(place.truncate() * 0.4);
            }
        }
        for i in 0..64 {
            let a = 2 * i;
            p.corners.extend([a, a + 2, a + 1, a + 1, a + 2, a + 3]);
        }
        builder
            .part(&format!("stroke {k}"), Affine3A::IDENTITY)
            .primitive(p);
    }
    let mesh = builder.finish();
    let flat = merged(&mesh);
    assert!(2 * flat.triangle_count() <= mesh.triangle_count());
    let report = compare(&mesh, &flat, &Progress::new()).unwrap();
    assert!(
        report.deviation_max_percent_of_diagonal < 1e-4,
        "{report:?}"
    );
    assert!(report.uv_drift_max_texels.unwrap() < 0.1, "{report:?}");
}
