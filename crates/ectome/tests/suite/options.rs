//! Options that change what is made: each is given and left out, and what was written differs as its help says.

use std::{
    path::Path,
    process::{Command, Output},
};

use ectome_formats::{FileSet, Scene, glb, read};
use ectome_mesh::{MeshBuilder, Primitive, edit, measure, shapes, topology::Topology};
use glam::{Affine3A, Vec3};
use rstest::rstest;
use serde_json::{Value, json};

fn ectome(folder: &Path, args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_ectome"))
        .args(args)
        .current_dir(folder)
        .output()
        .unwrap()
}

fn done(folder: &Path, args: &[&str]) {
    let output = ectome(folder, args);
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{args:?}: {said}");
}

fn written(folder: &Path, name: &str, scene: &Scene) {
    let bytes = glb::write(scene, &glb::Options::default()).unwrap();
    std::fs::write(folder.join(name), bytes).unwrap();
}

fn made(folder: &Path, name: &str) -> Scene {
    let bytes = std::fs::read(folder.join(name)).unwrap();
    read(&FileSet::new([(name, bytes.as_slice())])).unwrap()
}

fn report(folder: &Path, name: &str) -> Value {
    serde_json::from_slice(&std::fs::read(folder.join(name)).unwrap()).unwrap()
}

/// Balls with a name, a size, a place and a material each.
fn balls(list: &[(&str, f32, Vec3)], level: u32) -> Scene {
    let mut builder = MeshBuilder::new();
    for (n, &(name, size, at)) in list.iter().enumerate() {
        let ball = shapes::icosphere(size, level);
        builder
            .part(name, Affine3A::from_translation(at))
            .primitive(Primitive {
                positions: ball.points.clone(),
                corners: ball
                    .corners
                    .iter()
                    .map(|&v| ball.vertex_point[v as usize])
                    .collect(),
                material: Some(n as u32),
                ..Primitive::default()
            });
    }
    let mut scene = Scene::from(builder.finish());
    scene.library.materials = (0..list.len())
        .map(|n| json!({ "name": format!("paint {n}") }))
        .collect();
    scene
}

/// A plate of `n` × `n` squares in the ground plane with waves of a height, as OBJ behind `before` points.
fn sheet(n: usize, height: f64, before: usize) -> String {
    let mut obj = String::new();
    for j in 0..=n {
        for i in 0..=n {
            let (u, v) = (i as f64 / n as f64, j as f64 / n as f64);
            let y = height * (9.0 * u).sin() * (9.0 * v).cos();
            obj += &format!("v {u} {y} {v}\nvt {u} {}\n", 1.0 - v);
        }
    }
    for j in 0..n {
        for i in 0..n {
            let a = before + j * (n + 1) + i + 1;
            let corners = [a, a + n + 1, a + n + 2, a + 1].map(|c| format!("{c}/{c}"));
            obj += &format!("f {}\n", corners.join(" "));
        }
    }
    obj
}

#[test]
fn a_packed_picture_holds_each_map_in_its_channel() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    std::fs::write(at.join("high.obj"), sheet(60, 0.03, 0)).unwrap();
    std::fs::write(at.join("low.obj"), sheet(2, 0.0, 0)).unwrap();
    let bake = [
        "bake",
        "high.obj",
        "low.obj",
        "--maps",
        "occlusion,height",
        "--size",
        "32",
        "--padding",
        "2",
        "--rays",
        "16",
        "-o",
        "maps",
    ];
    done(
        at,
        &[&bake[..], &["--pack", "mix=height,-,occlusion"]].concat(),
    );
    let open = |name: &str| image::open(at.join("maps").join(name)).unwrap();
    let mix = open("low_mix.png").into_rgb8();
    let height = open("low_height.png").into_luma8();
    let occlusion = open("low_occlusion.png").into_luma8();
    for (x, y, p) in mix.enumerate_pixels() {
        let want = [height.get_pixel(x, y).0[0], occlusion.get_pixel(x, y).0[0]];
        assert_eq!([p.0[0], p.0[2]], want, "{x} {y}");
    }
    let wrong = ectome(at, &[&bake[..], &["--pack", "mix=height"]].concat());
    assert_eq!(wrong.status.code(), Some(2), "{wrong:?}");
}

/// Over the plate lies a waved one of another name, which only a bake from everything sees.
#[test]
fn maps_are_baked_from_parts_of_the_same_name_unless_told_otherwise() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    let (plain, waved) = (sheet(20, 0.0, 0), sheet(40, 0.02, 21 * 21));
    let high = format!("o deck_high\n{plain}o swell\n{waved}");
    std::fs::write(at.join("high.obj"), high).unwrap();
    std::fs::write(
        at.join("low.obj"),
        format!("o deck_low\n{}", sheet(2, 0.0, 0)),
    )
    .unwrap();
    let bent = |from: &str| {
        let bake = [
            "bake",
            "high.obj",
            "low.obj",
            "--maps",
            "normal",
            "--size",
            "32",
            "--padding",
            "2",
            "--from",
            from,
            "-o",
            from,
        ];
        done(at, &bake);
        let map = image::open(at.join(from).join("low_normal.png")).unwrap();
        let straight = |p: &&image::Rgb<u8>| p.0[0].abs_diff(128) < 3 && p.0[1].abs_diff(128) < 3;
        let map = map.into_rgb8();
        map.pixels().filter(|p| !straight(p)).count()
    };
    // Of 1 024 texels; those at the rim of the plate may look past it.
    assert!(bent("same-name") < 40);
    assert!(bent("everything") > 300);
}

#[rstest]
#[case::materials("materials", 2, 1.0)]
#[case::tiles("udim", 1, 2.0)]
fn islands_lie_on_several_sheets(
    #[case] told_apart_as: &str,
    #[case] materials: usize,
    #[case] furthest: f32,
) {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    let mut scene = balls(
        &[("float", 1.0, Vec3::ZERO), ("buoy", 1.0, Vec3::X * 3.0)],
        3,
    );
    scene.library.materials.truncate(1);
    scene
        .mesh
        .runs
        .iter_mut()
        .for_each(|r| r.material = Some(0));
    written(at, "two.glb", &scene);
    done(
        at,
        &[
            "unwrap",
            "two.glb",
            "--size",
            "256",
            "--sheets",
            "2",
            "--sheets-as",
            told_apart_as,
            "-o",
            "out.glb",
            "--report",
            "out.json",
        ],
    );
    let out = made(at, "out.glb");
    let across = out.mesh.uv_sets[0].iter().map(|uv| uv.x);
    let far = across.fold(0.0, f32::max);
    assert!(far <= furthest && far > furthest - 0.5, "{far}");
    let mut used: Vec<_> = out.mesh.runs.iter().map(|r| r.material).collect();
    used.sort_unstable();
    used.dedup();
    assert_eq!(used.len(), materials);
    assert_eq!(report(at, "out.json")["overlap_percent"], 0.0);
}

#[test]
fn small_parts_stay_unless_they_may_go() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    let crumbs: Vec<String> = (0..40).map(|n| format!("crumb {n}")).collect();
    let mut list = vec![("hull", 1.0, Vec3::ZERO)];
    list.extend(
        crumbs
            .iter()
            .enumerate()
            .map(|(n, name)| (name.as_str(), 0.004, Vec3::X * (2.0 + 0.1 * n as f32))),
    );
    written(at, "kit.glb", &balls(&list, 3));
    let parts_of = |further: &[&str], out: &str| {
        let cut = ["cut", "kit.glb", "--to", "300", "-o", out];
        done(at, &[&cut[..], further].concat());
        let cut = made(at, out).mesh;
        assert!(cut.triangle_count() <= 300);
        cut.parts.len()
    };
    assert_eq!(parts_of(&[], "all.glb"), 41);
    assert!(parts_of(&["--let-parts-go"], "fewer.glb") < 41);
}

/// Six slabs make a box of 1.4 with a room of 1 in it, which nothing outside sees.
#[test]
fn hollows_are_filled_unless_they_are_kept() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    let mut builder = MeshBuilder::new();
    for n in 0..6 {
        let (axis, side) = (n % 3, if n < 3 { 0.6 } else { -0.6 });
        let (mut size, mut place) = (Vec3::splat(1.4), Vec3::ZERO);
        (size[axis], place[axis]) = (0.2, side);
        let slab = shapes::cuboid(size);
        let frame = Affine3A::from_translation(place);
        builder
            .part(&format!("slab {n}"), frame)
            .primitive(Primitive {
                positions: slab.points,
                corners: slab.corners,
                ..Primitive::default()
            });
    }
    written(at, "box.glb", &Scene::from(builder.finish()));
    let skin = |further: &[&str], out: &str| {
        let rebuild = ["rebuild", "box.glb", "--detail", "50", "-o", out];
        done(at, &[&rebuild[..], further].concat());
        let mesh = made(at, out).mesh;
        assert_eq!(Topology::of(&mesh).open_edges, 0);
        measure::volume(&mesh)
    };
    let whole = 1.4_f64.powi(3);
    let (full, hollow) = (
        skin(&[], "full.glb"),
        skin(&["--keep-hollows"], "hollow.glb"),
    );
    assert!((full / whole - 1.0).abs() < 0.02, "{full} of {whole}");
    let want = whole - 1.0;
    assert!((hollow / want - 1.0).abs() < 0.02, "{hollow} of {want}");
}

/// A ball within a dish that hides its lower half: by sight, what is seen gets more of the sheet.
#[test]
fn islands_are_sized_by_sight_where_that_is_asked_for() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    let shell = |keep: f32, size: f32| {
        let ball = shapes::icosphere(size, 4);
        edit::kept(&ball, |f| ball.triangle(f).iter().all(|p| p.y < keep))
    };
    let mut builder = MeshBuilder::new();
    for (n, (name, mesh, at)) in [
        ("dish", shell(0.6, 1.0), Vec3::ZERO),
        ("lamp", shapes::icosphere(0.3, 4), Vec3::Y * 2.0),
        ("ballast", shapes::icosphere(0.3, 4), Vec3::Y * -0.5),
    ]
    .into_iter()
    .enumerate()
    {
        builder
            .part(name, Affine3A::from_translation(at))
            .primitive(Primitive {
                positions: (0..mesh.vertex_count() as u32)
                    .map(|v| mesh.position(v))
                    .collect(),
                corners: mesh.corners.clone(),
                material: Some(n as u32),
                ..Primitive::default()
            });
    }
    let mut scene = Scene::from(builder.finish());
    scene.library.materials = (0..3)
        .map(|n| {
            json!({ "name": format!("glaze {n}"), "pbrMetallicRoughness": {
            "baseColorFactor": [0.2 * f64::from(n), 0.4, 0.3, 1.0] } })
        })
        .collect();
    written(at, "dish.glb", &scene);
    // Texels of the lamp for one of the ballast, which is as large.
    let ratio = |further: &[&str], out: &str| {
        let merge = ["merge", "dish.glb", "--size", "256", "-o", out];
        done(at, &[&merge[..], further].concat());
        let mesh = made(at, out).mesh;
        let of = |name: &str| -> f64 {
            let part = mesh.parts.iter().position(|p| p.name == name).unwrap() as u32;
            let runs = mesh.runs.iter().filter(|r| r.part == part);
            let faces = runs.flat_map(|r| r.faces.clone());
            let area = faces.map(|f| {
                let uv = [0, 1, 2].map(|k| mesh.uv_sets[0][mesh.face(f as usize)[k] as usize]);
                f64::from((uv[1] - uv[0]).perp_dot(uv[2] - uv[0]).abs())
            });
            area.sum()
        };
        of("lamp") / of("ballast")
    };
    let (even, by_sight) = (ratio(&[], "even.glb"), ratio(&["--by-sight"], "seen.glb"));
    assert!((even - 1.0).abs() < 0.05, "{even}");
    assert!(by_sight > 1.3, "{by_sight}");
}
