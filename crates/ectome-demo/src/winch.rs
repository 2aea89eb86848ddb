//! The rope winch: quads, equal parts by the dozen, two cheeks that are mirror images.

use std::f32::consts::{FRAC_PI_2, TAU};

use ectome_formats::{Library, Scene};
use ectome_mesh::MeshBuilder;
use glam::{Affine3A, Quat, Vec2, Vec3};

use crate::{material, polygons::Polygons};

/// Teeth of each wheel and bolts of each cheek.
const TEETH: u32 = 24;
const BOLTS: u32 = 8;
/// Two bolts are longer than the others by this: near misses that are no repeats.
const LONGER: f32 = 1.03;

/// Lays what stands on +Y along +x.
fn lying() -> Affine3A {
    Affine3A::from_quat(Quat::from_rotation_z(-FRAC_PI_2))
}

fn turned(profile: &[(f32, f32)], segments: u32) -> Polygons {
    let list: Vec<Vec2> = profile.iter().map(|&(r, y)| Vec2::new(r, y)).collect();
    Polygons::turned(&list, segments)
}

fn bolt(length: f32) -> Polygons {
    turned(
        &[
            (0.007, -length),
            (0.007, -0.004),
            (0.016, -0.004),
            (0.016, 0.0),
            (0.0125, 0.0005),
            (0.0125, 0.009),
            (0.0105, 0.011),
            (0.004, 0.012),
        ],
        12,
    )
}

fn cheek() -> Polygons {
    // An A-frame with a round head, from the outside.
    let mut outline = vec![
        Vec2::new(-0.34, 0.0),
        Vec2::new(-0.2, 0.0),
        Vec2::new(-0.07, 0.36),
        Vec2::new(0.07, 0.36),
    ];
    outline.extend([Vec2::new(0.2, 0.0), Vec2::new(0.34, 0.0)]);
    for k in 0..=16 {
        let turn = -0.25 + (std::f32::consts::PI + 0.5) * k as f32 / 16.0;
        outline.push(Vec2::new(0.15 * turn.cos(), 0.52 + 0.15 * turn.sin()));
    }
    Polygons::drawn_out(&outline, 0.045, 3)
}

fn crank() -> Polygons {
    let mut outline = Vec::new();
    for k in 0..=10 {
        let turn = FRAC_PI_2 + std::f32::consts::PI * k as f32 / 10.0;
        outline.push(Vec2::new(0.045 * turn.cos(), 0.045 * turn.sin()));
    }
    for k in 0..=10 {
        let turn = -FRAC_PI_2 + std::f32::consts::PI * k as f32 / 10.0;
        outline.push(Vec2::new(0.3 + 0.03 * turn.cos(), 0.03 * turn.sin() + 0.02));
    }
    Polygons::drawn_out(&outline, 0.022, 2)
}

/// Builds the winch on its bed.
pub fn rope_winch() -> Scene {
    let mut builder = MeshBuilder::new();
    let here = Affine3A::IDENTITY;
    let axle = Vec3::Y * 0.52;
    let mut add = |name: &str, solid: Polygons, material: u32| {
        builder.part(name, here).primitive(solid.finish(material));
    };
    let bed: Vec<Vec2> = [(-0.46, -0.05), (0.46, -0.05), (0.46, 0.0), (-0.46, 0.0)]
        .map(|(z, y)| Vec2::new(z, y))
        .into();
    add(
        "bed",
        Polygons::drawn_out(&bed, 1.0, 12).mapped(|p| Vec3::new(p.z - 0.5, p.y + 0.05, -p.x)),
        2,
    );
    let along = Affine3A::from_translation(axle + Vec3::Y * 0.05) * lying();
    add("drum", turned(&drum_profile(), 64).moved(along), 0);
    add(
        "axle",
        turned(
            &[(0.028, -0.5), (0.032, -0.49), (0.032, 0.49), (0.028, 0.5)],
            32,
        )
        .moved(along),
        0,
    );
    for k in 0..14 {
        let at = Affine3A::from_translation(Vec3::Y * (-0.26 + 0.04 * k as f32));
        add(
            &format!("rope turn {}", k + 1),
            Polygons::ring(0.14, 0.019, 72, 10).moved(along * at),
            3,
        );
    }
    for (side, name) in [(1.0, "right"), (-1.0, "left")] {
        let mirror = Affine3A::from_scale(Vec3::new(side, 1.0, 1.0));
        let stand = Affine3A::from_rotation_translation(
            Quat::from_rotation_y(FRAC_PI_2),
            Vec3::new(0.36, 0.05, 0.0),
        );
        add(&format!("cheek {name}"), cheek().moved(mirror * stand), 1);
        let handle = Affine3A::from_translation(Vec3::new(0.45, 0.57, 0.0))
            * Affine3A::from_quat(Quat::from_rotation_y(FRAC_PI_2));
        add(&format!("crank {name}"), crank().moved(mirror * handle), 0);
        let grip = Affine3A::from_translation(Vec3::new(0.53, 0.59, -0.3)) * lying();
        add(
            &format!("grip {name}"),
            turned(&GRIP, 24).moved(mirror * grip),
            2,
        );
        let wheel = Affine3A::from_translation(Vec3::new(0.33, 0.57, 0.0)) * lying();
        add(
            &format!("wheel {name}"),
            turned(&WHEEL, 96).moved(mirror * wheel),
            1,
        );
        for k in 0..TEETH {
            let turn = Affine3A::from_quat(Quat::from_rotation_y(TAU * k as f32 / TEETH as f32));
            let tooth = [(-0.017, 0.2), (0.017, 0.2), (0.009, 0.235), (-0.009, 0.235)]
                .map(|(x, y)| Vec2::new(x, y));
            let tooth =
                Polygons::drawn_out(&tooth, 0.02, 2).mapped(|p| Vec3::new(p.x, 0.01 - p.z, p.y));
            add(
                &format!("tooth {name} {}", k + 1),
                tooth.moved(mirror * wheel * turn),
                1,
            );
        }
        for k in 0..BOLTS {
            let turn = TAU * (k as f32 + 0.5) / BOLTS as f32;
            let at = Vec3::new(0.405, 0.57 + 0.11 * turn.sin(), 0.11 * turn.cos());
            let place = Affine3A::from_translation(at)
                * lying()
                * Affine3A::from_rotation_y(0.3 * k as f32);
            let length = if k == 3 && side > 0.0 {
                0.05 * LONGER
            } else {
                0.05
            };
            add(
                &format!("bolt {name} {}", k + 1),
                bolt(length).moved(mirror * place),
                0,
            );
        }
    }
    Scene {
        mesh: builder.finish(),
        library: library(),
        copyright: Some(crate::NOTICE.into()),
        ..Scene::default()
    }
}

/// Half the outline of a wheel: distances from its axle, and places along it.
const WHEEL: [(f32, f32); 6] = [
    (0.035, -0.012),
    (0.2, -0.012),
    (0.205, -0.008),
    (0.205, 0.008),
    (0.2, 0.012),
    (0.035, 0.012),
];

/// The same of a grip.
const GRIP: [(f32, f32); 5] = [
    (0.012, -0.06),
    (0.018, -0.055),
    (0.02, 0.0),
    (0.018, 0.055),
    (0.012, 0.06),
];

/// Half the outline of the drum with its two flanges: distances from the axle, and places along it.
fn drum_profile() -> Vec<(f32, f32)> {
    let mut drum = vec![
        (0.03, -0.33),
        (0.19, -0.33),
        (0.2, -0.325),
        (0.2, -0.305),
        (0.19, -0.3),
        (0.13, -0.295),
    ];
    drum.extend((0..=24).map(|k| (0.12, -0.29 + 0.58 * k as f32 / 24.0)));
    drum.extend([
        (0.13, 0.295),
        (0.19, 0.3),
        (0.2, 0.305),
        (0.2, 0.325),
        (0.19, 0.33),
        (0.03, 0.33),
    ]);
    drum
}

fn library() -> Library {
    Library {
        materials: vec![
            material("bright iron", [0.42, 0.43, 0.44], 0.8, 0.45),
            material("green paint", [0.05, 0.17, 0.12], 0.0, 0.5),
            material("oak", [0.30, 0.19, 0.10], 0.0, 0.8),
            material("hemp", [0.48, 0.38, 0.22], 0.0, 0.95),
        ],
        ..Library::default()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{measure, topology::Topology, triangulate::triangulate};

    #[test]
    fn every_solid_is_closed_and_looks_outward() {
        let mesh = triangulate(&rope_winch().mesh).0;
        let t = Topology::of(&mesh);
        assert_eq!(
            (t.open_edges, t.nonmanifold_edges, t.inconsistent_edges),
            (0, 0, 0)
        );
        for run in &mesh.runs {
            let faces = run.faces.clone();
            let own = ectome_mesh::edit::kept(&mesh, |f| faces.contains(&(f as u32)));
            assert!(
                measure::volume(&own) > 0.0,
                "{}",
                mesh.parts[run.part as usize].name
            );
        }
    }
}
