//! Objects that hang in a tree: they hang so again in the files, where that is asked for, and share their meshes still.

use std::{path::Path, process::Command};

use ectome_formats::{Copy, Scene, glb};
use ectome_mesh::{MeshBuilder, Primitive, shapes};
use glam::{Affine3A, Quat, Vec2, Vec3};

fn ectome(args: &[&Path]) {
    let done = Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .output()
        .unwrap();
    assert!(done.status.success(), "{done:?}");
}

/// A lamp on an arm: a shade, and two equal screws on nodes of their own, one of them mirrored.
fn lamp() -> Scene {
    let mut builder = MeshBuilder::new();
    let local =
        |turn: f32, at: Vec3| Affine3A::from_rotation_translation(Quat::from_rotation_x(turn), at);
    let arm = builder.node("arm", local(0.4, Vec3::Y), None);
    let up = local(0.4, Vec3::Y);
    let flip = Affine3A::from_scale(Vec3::new(-1.0, 1.0, 1.0));
    let objects = [
        ("shade", local(0.0, Vec3::ZERO), 0.5),
        ("screw left", local(0.7, Vec3::X), 0.05),
        ("screw right", flip * local(0.7, Vec3::X), 0.05),
    ];
    let mut frames = Vec::new();
    for (name, own, size) in objects {
        let node = builder.node(name, own, Some(arm));
        let mut ball = shapes::icosphere(size, 3);
        // No symmetry is left, so that one screw is the other's image in one way only.
        ball.points
            .iter_mut()
            .for_each(|p| *p += Vec3::new(0.4 * p.y * p.z, 0.3 * p.x * p.z, 0.0) / size);
        let places = ball.vertex_point.iter().map(|&p| ball.points[p as usize]);
        builder
            .part(name, up * own)
            .hang(Some(node))
            .primitive(Primitive {
                positions: places.clone().collect(),
                uv_sets: vec![
                    places
                        .map(|p| Vec2::new(p.x, p.y) / (4.0 * size) + 0.5)
                        .collect(),
                ],
                corners: ball.corners,
                ..Primitive::default()
            });
        frames.push(up * own);
    }
    Scene {
        copies: vec![Copy {
            of: 1,
            part: 2,
            motion: frames[2] * frames[1].inverse(),
        }],
        ..Scene::from(builder.finish())
    }
}

/// The names of nodes and what they hang from, and how many meshes the file holds.
fn hung(file: &Path) -> (Vec<(String, Option<String>)>, usize) {
    let scene = glb::read("it.glb", &std::fs::read(file).unwrap()).unwrap();
    let nodes = &scene.mesh.nodes;
    let list = nodes.iter().map(|n| {
        let above = n.parent.map(|p| nodes[p as usize].name.clone());
        (n.name.clone(), above)
    });
    (list.collect(), scene.mesh.parts.len() - scene.copies.len())
}

#[test]
fn a_tree_and_shared_meshes_go_through_cut_unwrap_and_chain() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let tree = glb::Options {
        hierarchy: true,
        ..glb::Options::default()
    };
    std::fs::write(at("lamp.glb"), glb::write(&lamp(), &tree).unwrap()).unwrap();
    let brief =
        "name = \"b\"\nhierarchy = true\n[[tier]]\ntriangles = 900\n[[tier]]\ntriangles = 400\n";
    std::fs::write(at("brief.toml"), brief).unwrap();
    let word = Path::new;
    let asked = word("--hierarchy");
    ectome(&[
        word("cut"),
        &at("lamp.glb"),
        word("--to"),
        word("1200"),
        asked,
        word("-o"),
        &at("cut.glb"),
    ]);
    ectome(&[
        word("unwrap"),
        &at("cut.glb"),
        asked,
        word("--stacks"),
        word("mirrored"),
        word("-o"),
        &at("uv.glb"),
    ]);
    ectome(&[
        word("chain"),
        &at("uv.glb"),
        word("--brief"),
        &at("brief.toml"),
        word("-o"),
        &at("chain"),
    ]);
    for (file, suffix) in [
        ("cut.glb", ""),
        ("uv.glb", ""),
        ("chain/uv_LOD0.glb", "_LOD0"),
        ("chain/uv_LOD1.glb", "_LOD1"),
    ] {
        let (nodes, meshes) = hung(&at(file));
        let below = |name: &str| (format!("{name}{suffix}"), Some("arm".to_owned()));
        let wanted = ["shade", "screw left", "screw right"].map(below);
        assert_eq!(nodes[0], ("arm".to_owned(), None), "{file}");
        assert_eq!(nodes[1..], wanted, "{file}");
        assert_eq!(meshes, 2, "{file}: both screws share one mesh");
    }
    // Not asked for, nothing hangs.
    ectome(&[
        word("cut"),
        &at("lamp.glb"),
        word("--to"),
        word("1200"),
        word("-o"),
        &at("flat.glb"),
    ]);
    assert_eq!(hung(&at("flat.glb")).0, []);
}
