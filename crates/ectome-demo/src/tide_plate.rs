//! The tide plate: enamel on iron, numerals turned into mesh, n-gons all over.

use ectome_formats::{Library, Scene};
use ectome_mesh::MeshBuilder;
use glam::{Affine3A, Vec2, Vec3};

use crate::{material, polygons::Polygons};

/// Half the plate's width and its height, in metres.
const HALF: f32 = 0.21;
const HEIGHT: f32 = 1.5;

/// The outline of a numeral stroke by stroke, one wide and one and a half high, counter-clockwise.
fn outline(letter: char) -> Vec<Vec2> {
    let list: &[(f32, f32)] = match letter {
        'V' => &[
            (0.38, 0.0),
            (0.62, 0.0),
            (0.92, 1.38),
            (1.0, 1.38),
            (1.0, 1.5),
            (0.66, 1.5),
            (0.66, 1.38),
            (0.74, 1.38),
            (0.5, 0.34),
            (0.26, 1.38),
            (0.34, 1.38),
            (0.34, 1.5),
            (0.0, 1.5),
            (0.0, 1.38),
            (0.08, 1.38),
        ],
        'X' => &[
            (0.0, 0.0),
            (0.26, 0.0),
            (0.5, 0.52),
            (0.74, 0.0),
            (1.0, 0.0),
            (0.64, 0.76),
            (0.98, 1.5),
            (0.72, 1.5),
            (0.5, 1.0),
            (0.28, 1.5),
            (0.02, 1.5),
            (0.36, 0.76),
        ],
        _ => &[
            (0.3, 0.0),
            (0.7, 0.0),
            (0.7, 0.12),
            (0.6, 0.12),
            (0.6, 1.38),
            (0.7, 1.38),
            (0.7, 1.5),
            (0.3, 1.5),
            (0.3, 1.38),
            (0.4, 1.38),
            (0.4, 0.12),
            (0.3, 0.12),
        ],
    };
    list.iter().map(|&(x, y)| Vec2::new(x, y)).collect()
}

/// A rectangle with rounded corners of `n` steps each.
fn rounded(half: Vec2, radius: f32, n: u32) -> Vec<Vec2> {
    let mut out = Vec::new();
    for (k, sign) in [(1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)]
        .into_iter()
        .enumerate()
    {
        let centre = (half - radius) * Vec2::new(sign.0, sign.1);
        for i in 0..=n {
            let turn = std::f32::consts::FRAC_PI_2 * (k as f32 + i as f32 / n as f32);
            out.push(centre + radius * Vec2::new(turn.cos(), turn.sin()));
        }
    }
    out
}

/// Builds the plate, standing on the ground.
pub fn tide_plate() -> Scene {
    let mut builder = MeshBuilder::new();
    let here = Affine3A::IDENTITY;
    let middle = Vec3::Y * (HEIGHT / 2.0 + 0.02);
    let board = Polygons::drawn_out(&rounded(Vec2::new(HALF, HEIGHT / 2.0), 0.05, 12), 0.014, 1);
    builder
        .part("plate", here)
        .primitive(board.mapped(|p| p + middle).finish(0));
    let rim = Polygons::drawn_out(
        &rounded(Vec2::new(HALF - 0.02, HEIGHT / 2.0 - 0.02), 0.04, 12),
        0.003,
        1,
    );
    builder
        .part("enamel field", here)
        .primitive(rim.mapped(|p| p + middle + Vec3::Z * 0.0141).finish(1));
    for (k, numeral) in ["I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX", "X"]
        .into_iter()
        .enumerate()
    {
        builder.part(&format!("numeral {numeral}"), here);
        let foot = 0.14 + 0.135 * k as f32;
        let mut x = -0.03;
        for letter in numeral.chars() {
            let size = 0.058;
            let glyph = Polygons::drawn_out(&outline(letter), 0.005, 1);
            let step = if letter == 'I' { 0.55 } else { 1.05 };
            let shift = Vec3::new(
                x - if letter == 'I' { 0.22 * size } else { 0.0 },
                foot,
                0.0172,
            );
            builder.primitive(
                glyph
                    .mapped(|p| Vec3::new(p.x * size, p.y * size, p.z) + shift)
                    .finish(2),
            );
            x += step * size;
        }
    }
    builder.part("graduations", here);
    for k in 0..=54 {
        let length = if k % 5 == 0 { 0.085 } else { 0.045 };
        let bar = [(0.0, 0.0), (length, 0.0), (length, 0.006), (0.0, 0.006)];
        let bar = bar.map(|(x, y)| Vec2::new(x, y));
        let shift = Vec3::new(-HALF + 0.03, 0.1 + 0.025 * k as f32, 0.0172);
        builder.primitive(
            Polygons::drawn_out(&bar, 0.003, 1)
                .mapped(|p| p + shift)
                .finish(2),
        );
    }
    for (i, (x, y)) in [(-1.0, 0.0), (1.0, 0.0), (-1.0, 1.0), (1.0, 1.0)]
        .into_iter()
        .enumerate()
    {
        let head = [
            (0.013, 0.0),
            (0.013, 0.004),
            (0.009, 0.008),
            (0.003, 0.0095),
        ];
        let screw = Polygons::turned(&head.map(|(r, y)| Vec2::new(r, y)), 20);
        let at = Vec3::new(x * (HALF - 0.045), 0.065 + y * (HEIGHT - 0.09), 0.0172);
        let turned = Affine3A::from_rotation_translation(
            glam::Quat::from_rotation_x(std::f32::consts::FRAC_PI_2),
            at,
        );
        builder
            .part(&format!("screw {}", i + 1), here)
            .primitive(screw.moved(turned).finish(3));
    }
    Scene {
        mesh: builder.finish(),
        library: Library {
            materials: vec![
                material("iron", [0.08, 0.08, 0.085], 0.6, 0.7),
                material("white enamel", [0.78, 0.76, 0.68], 0.0, 0.25),
                material("black enamel", [0.02, 0.022, 0.03], 0.0, 0.3),
                material("brass", [0.55, 0.36, 0.12], 0.9, 0.4),
            ],
            ..Library::default()
        },
        copyright: Some(crate::NOTICE.into()),
        ..Scene::default()
    }
}
