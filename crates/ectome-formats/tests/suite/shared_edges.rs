//! Objects that share edges come back from a file with these edges closed, whatever frames they hang in.

use ectome_formats::{
    Copy, FileSet, Scene, files,
    glb::{self, Coding, Options},
    obj_write, ply_write, stl_write,
};
use ectome_mesh::{Node, Part, edit, shapes, topology::Topology};
use glam::{Affine3A, EulerRot, Quat, Vec3};
use rstest::rstest;

/// A ball whose eight octants are objects, each in a frame of its own, each below a node of its own; closed.
fn octants() -> Scene {
    let ball = shapes::icosphere(0.7, 4);
    let frame = |k: u32| {
        let turn = k as f32 * 0.77 + 0.1;
        Affine3A::from_scale_rotation_translation(
            Vec3::splat(1.0 + 0.013 * k as f32),
            Quat::from_euler(EulerRot::XYZ, turn, 0.3 * turn, 1.7 * turn),
            Vec3::new(0.1 * k as f32, 3.3, -0.7),
        )
    };
    let parts = (0..8)
        .map(|k| Part {
            node: Some(k),
            ..Part::new(format!("octant {k}"), frame(k))
        })
        .collect();
    let octant = |f: usize| {
        let [a, b, c] = ball.triangle(f);
        let bits = ((a + b + c) / 3.0).cmpgt(Vec3::ZERO).bitmask();
        bits & 7
    };
    let mut mesh = edit::regrouped(&ball, parts, octant);
    mesh.nodes = (0..8)
        .map(|k| Node {
            name: format!("node {k}"),
            local: frame(k),
            parent: k.checked_sub(1).filter(|k| k % 2 == 0),
        })
        .collect();
    Scene::from(mesh)
}

fn open_edges(scene: &Scene) -> usize {
    Topology::of(&scene.mesh).open_edges
}

#[rstest]
fn no_edge_opens_in_glb(
    #[values(Coding::Plain, Coding::Quantised, Coding::Compressed)] coding: Coding,
    #[values(false, true)] hierarchy: bool,
    #[values(false, true)] reuses: bool,
) {
    let mut scene = octants();
    assert_eq!(open_edges(&scene), 0);
    if reuses {
        // Said to be another one moved: it is written by itself all the same, since its edges are others' too.
        scene.copies.push(Copy {
            of: 0,
            part: 7,
            motion: Affine3A::from_scale(Vec3::NEG_ONE),
        });
    }
    let options = Options {
        coding,
        hierarchy,
        ..Options::default()
    };
    let bytes = glb::write(&scene, &options).unwrap();
    let back = glb::read("ball.glb", &bytes).unwrap();
    assert_eq!(
        back.mesh
            .parts
            .iter()
            .filter(|p| !p.name.is_empty())
            .count(),
        8
    );
    assert_eq!(back.mesh.face_count(), scene.mesh.face_count());
    assert_eq!(open_edges(&back), 0);
}

/// In files of several tiers too.
#[test]
fn no_edge_opens_in_tiers() {
    let scene = octants();
    let tier = |name: &str| glb::Tier {
        scene: &scene,
        name: name.to_owned(),
        coverage: None,
    };
    let document = glb::tiers(&[tier("LOD0"), tier("LOD1")], &Options::default()).unwrap();
    let back = glb::read("ball.glb", &document.into_glb().unwrap()).unwrap();
    assert_eq!(open_edges(&back), 0);
}

/// Formats without frames write a point of several objects as one number.
#[test]
fn no_edge_opens_in_formats_without_frames() {
    let scene = octants();
    let mut written = obj_write::write(&scene, "ball").unwrap();
    written.push(("ball.ply".to_owned(), ply_write::write(&scene).unwrap()));
    written.push(("ball.stl".to_owned(), stl_write::write(&scene).unwrap()));
    for (name, bytes) in written.iter().filter(|(n, _)| !n.ends_with(".mtl")) {
        let set = FileSet::new([(name.as_str(), &bytes[..])]);
        assert_eq!(open_edges(&files::read(&set).unwrap()), 0, "{name}");
    }
}

/// Objects that stand apart, and such as come back where they were anyway, keep their frames.
#[test]
fn frames_are_kept_where_nothing_is_torn() {
    let mut scene = octants();
    for part in &mut scene.mesh.parts {
        part.frame = Affine3A::from_translation(Vec3::new(0.0, 2.0, 0.0));
    }
    let back = glb::read(
        "ball.glb",
        &glb::write(&scene, &Options::default()).unwrap(),
    )
    .unwrap();
    assert!(back.mesh.parts.iter().all(|p| p.frame.translation.y == 2.0));
    assert_eq!(open_edges(&back), 0);
}
