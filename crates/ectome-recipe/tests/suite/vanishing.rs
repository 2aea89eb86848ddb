//! Named parts and materials do not go unless somebody allows it; what goes is named, and the verdict objects.

use ectome_formats::{Library, Scene};
use ectome_mesh::{MeshBuilder, Primitive, Progress, shapes};
use ectome_recipe::{
    Brief, CutSettings, EngineError, Judgement, Measured, Session, Standing, Target,
};
use glam::{Affine3A, Vec3};
use serde_json::json;

fn add(builder: &mut MeshBuilder, name: &str, at: Vec3, size: f32, level: u32, material: u32) {
    let ball = shapes::icosphere(1.0, level);
    let frame = Affine3A::from_translation(at) * Affine3A::from_scale(Vec3::splat(size));
    builder.part(name, frame).primitive(Primitive {
        positions: ball.points.clone(),
        corners: ball
            .corners
            .iter()
            .map(|&v| ball.vertex_point[v as usize])
            .collect(),
        material: Some(material),
        ..Primitive::default()
    });
}

/// A head of 1 280 triangles with two small eyes of 80 in a material of their own.
fn head() -> Scene {
    let mut builder = MeshBuilder::new();
    add(&mut builder, "skull", Vec3::ZERO, 0.1, 3, 0);
    add(
        &mut builder,
        "eye left",
        Vec3::new(-0.03, 0.03, 0.09),
        0.012,
        1,
        1,
    );
    add(
        &mut builder,
        "eye right",
        Vec3::new(0.031, 0.03, 0.09),
        0.0123,
        1,
        1,
    );
    Scene {
        mesh: builder.finish(),
        library: Library {
            materials: vec![json!({ "name": "skin" }), json!({ "name": "eyes" })],
            ..Library::default()
        },
        ..Scene::default()
    }
}

fn cut(
    scene: Scene,
    triangles: u32,
    let_parts_go: bool,
) -> Result<(Scene, ectome_recipe::CutReport), EngineError> {
    let settings = CutSettings {
        let_parts_go,
        ..CutSettings::default()
    };
    let session = Session::new(scene, settings, None, &Progress::new())?;
    session.cut(Target::Triangles(triangles), &Progress::new())
}

#[test]
fn eyes_stay_in_a_head_however_few_triangles_are_left() {
    for triangles in [700, 100, 20] {
        let (scene, report) = cut(head(), triangles, false).unwrap();
        assert!(scene.mesh.triangle_count() <= triangles as usize);
        assert!(scene.mesh.triangles_per_part().iter().all(|&n| n >= 4));
        assert_eq!(scene.mesh.material_count(), 2);
        assert!(
            report.gone.is_empty() && report.held_by.is_empty(),
            "{:?}",
            report.held_by
        );
    }
    // Three parts of four triangles are the least there is; the sentence says why.
    let refused = cut(head(), 8, false).unwrap_err();
    assert!(
        refused.to_string().contains("parts that would vanish"),
        "{refused}"
    );
}

#[test]
fn what_may_go_is_named_and_spoils_the_verdict() {
    let (scene, report) = cut(head(), 60, true).unwrap();
    assert!(scene.mesh.triangle_count() <= 60);
    assert_eq!(report.gone, ["eye left", "eye right", "material eyes"]);
    let brief = Brief::from_limits("head", &[60]).unwrap();
    let measured = Measured {
        triangles: 60,
        gone: report.gone,
        ..Measured::default()
    };
    let judged = Judgement::of(&brief, 0, &brief.tiers[0], &measured);
    assert_eq!(judged.standing, Standing::Over);
    assert!(
        judged
            .sentence()
            .contains("Gone: eye left, eye right, material eyes")
    );
}

#[test]
fn twelve_small_objects_stay_twelve() {
    let mut builder = MeshBuilder::new();
    for i in 0..12u8 {
        let at = Vec3::new(f32::from(i) * 0.3, 0.0, f32::from(i % 3) * 0.2);
        // No two are equal, so none stands for another.
        let size = 0.05 + 0.003 * f32::from(i);
        add(&mut builder, &format!("object {i}"), at, size, 0, 0);
    }
    let scene = Scene {
        mesh: builder.finish(),
        library: Library {
            materials: vec![json!({ "name": "iron" })],
            ..Library::default()
        },
        ..Scene::default()
    };
    let (cut, report) = cut(scene, 60, false).unwrap();
    assert!(cut.mesh.triangle_count() <= 60);
    assert!(
        cut.mesh.triangles_per_part().iter().all(|&n| n >= 4),
        "{report:?}"
    );
}

#[test]
fn a_look_at_fewer_than_there_can_be_shows_the_fewest() {
    let session = Session::new(head(), CutSettings::default(), None, &Progress::new()).unwrap();
    let (glb, triangles) = session.preview(1).unwrap();
    assert_eq!(triangles, 12);
    assert!(!glb.is_empty());
}

/// A smallest count holds at every target above the sum of what stays, through the fold of equal parts too, and a target below it
/// is refused with the way out.
#[test]
fn a_part_keeps_its_smallest_count() {
    let with = |counts: &[(usize, u32)]| {
        let mut scene = head();
        for &(part, n) in counts {
            scene.mesh.parts[part].smallest = n;
        }
        scene
    };
    for triangles in [700, 200, 70] {
        let (scene, _) = cut(with(&[(1, 30), (2, 24)]), triangles, false).unwrap();
        let left = scene.mesh.triangles_per_part();
        assert!(left[1] >= 30 && left[2] >= 24, "{left:?} at {triangles}");
        assert!(scene.mesh.triangle_count() <= triangles as usize);
        assert_eq!(scene.mesh.parts[1].smallest, 30);
    }
    let error = cut(with(&[(1, 40), (2, 40)]), 50, false).unwrap_err();
    let says = error.to_string().to_lowercase();
    assert!(
        says.contains("lower the smallest count of these parts"),
        "{says}"
    );
    assert!(says.contains("eye left"), "{says}");
}

/// Of equal parts, which are cut once, each keeps the most that any of them is to keep.
#[test]
fn equal_parts_keep_the_largest_of_their_smallest_counts() {
    let mut builder = MeshBuilder::new();
    add(&mut builder, "drum", Vec3::ZERO, 1.0, 4, 0);
    for k in 0..4 {
        add(
            &mut builder,
            "stud",
            Vec3::X * (1.2 + 0.3 * k as f32),
            0.1,
            2,
            0,
        );
    }
    let mut mesh = builder.finish();
    mesh.parts[3].smallest = 60;
    let scene = Scene {
        library: Library {
            materials: vec![json!({ "name": "iron" })],
            ..Library::default()
        },
        ..Scene::from(mesh)
    };
    let (scene, report) = cut(scene, 400, false).unwrap();
    assert_eq!(report.copies, 3);
    assert!(
        scene.mesh.triangles_per_part()[1..]
            .iter()
            .all(|&n| n >= 60)
    );
    let smallest: Vec<u32> = scene.mesh.parts.iter().map(|p| p.smallest).collect();
    assert_eq!(smallest, [0, 0, 0, 60, 0]);
}
