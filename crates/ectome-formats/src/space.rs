//! Units and the axis that points up: said by the format, or guessed with a reason.

use ectome_mesh::{Mesh, measure};
use glam::{Affine3A, Mat3, Vec3};
use serde::{Deserialize, Serialize};

use crate::Scene;

/// The units that a person may name, by their symbols, and the metres in each.
pub const UNITS: [(&str, f32); 5] = [
    ("m", 1.0),
    ("cm", 0.01),
    ("mm", 0.001),
    ("in", 0.0254),
    ("ft", 0.3048),
];

/// Metres in the unit of a symbol; `None` where [`UNITS`] does not have it.
pub fn metres(symbol: &str) -> Option<f32> {
    let unit = UNITS.iter().find(|(name, _)| *name == symbol);
    unit.map(|&(_, metres)| metres)
}

/// The axis that points up in a source.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Up {
    /// +Y, as in glTF.
    #[default]
    Y,
    /// +Z, as in surveys and workshops.
    Z,
    /// +X.
    X,
}

/// How a source measures.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct Space {
    /// Metres in one of its units.
    pub unit_m: f32,
    /// The axis that points up.
    pub up: Up,
}

impl Default for Space {
    fn default() -> Self {
        Self {
            unit_m: 1.0,
            up: Up::Y,
        }
    }
}

/// A space and where it is known from.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Found {
    /// The space.
    pub space: Space,
    /// The format says so; otherwise it is guessed.
    pub certain: bool,
    /// Why, in a sentence.
    pub reason: String,
}

impl Space {
    /// Takes places of this space to metres with +Y up, right-handed.
    pub fn to_scene(&self) -> Affine3A {
        let turn = match self.up {
            Up::Y => Mat3::IDENTITY,
            // x stays, z goes up, y goes to the back.
            Up::Z => Mat3::from_cols(Vec3::X, -Vec3::Z, Vec3::Y),
            // z stays, x goes up, y goes to the left.
            Up::X => Mat3::from_cols(Vec3::Y, -Vec3::X, Vec3::Z),
        };
        Affine3A::from_mat3(turn * self.unit_m)
    }

    /// The mesh in metres with +Y up.
    pub fn applied(&self, mesh: &Mesh) -> Mesh {
        let mut out = mesh.clone();
        let turn = Mat3::from(self.to_scene().matrix3) * (1.0 / self.unit_m);
        moved(&mut out, turn, self.unit_m, Vec3::ZERO);
        out
    }

    /// A scene in metres with +Y up as this space holds it.
    pub fn write(&self, scene: &mut Scene) {
        let turn = Mat3::from(self.to_scene().matrix3) * (1.0 / self.unit_m);
        scene.motion(turn.transpose(), 1.0 / self.unit_m, Vec3::ZERO);
    }
}

impl Scene {
    /// Turns everything about the origin, scales it, then shifts it.
    pub fn motion(&mut self, turn: Mat3, scale: f32, shift: Vec3) {
        moved(&mut self.mesh, turn, scale, shift);
        let motion = Affine3A::from_mat3_translation(turn * scale, shift);
        for copy in &mut self.copies {
            copy.motion = motion * copy.motion * motion.inverse();
        }
    }
}

/// Turns a mesh about the origin, scales it, then shifts it, with the pivots of its parts and the tree they hang in.
fn moved(mesh: &mut Mesh, turn: Mat3, scale: f32, shift: Vec3) {
    let motion = Affine3A::from_mat3_translation(turn * scale, shift);
    for p in &mut mesh.points {
        *p = motion.transform_point3(*p);
    }
    for n in &mut mesh.normals {
        *n = turn * *n;
    }
    let unit = Affine3A::from_scale(Vec3::splat(scale));
    for part in &mut mesh.parts {
        // Pivots move with their parts; their own scale stays what it was.
        part.frame = motion * part.frame * unit.inverse();
    }
    // So does the tree they hang in: its roots turn, and what hangs below keeps its own turn at the new scale.
    for node in &mut mesh.nodes {
        node.local = match node.parent {
            None => motion * node.local * unit.inverse(),
            Some(_) => unit * node.local * unit.inverse(),
        };
    }
}

/// The largest extent at which a file is taken to count in metres.
const METRES: f32 = 50.0;
/// The largest at which it is taken to count in centimetres; beyond, in millimetres.
const CENTIMETRES: f32 = 500.0;

/// What the space of a mesh most likely is. glTF says: metres, +Y up. The others leave it open.
pub fn of(extension: &str, mesh: &Mesh) -> Found {
    let format = extension.to_uppercase();
    if matches!(format.as_str(), "GLB" | "GLTF") {
        return Found {
            space: Space::default(),
            certain: true,
            reason: "glTF counts in metres with Y up.".to_owned(),
        };
    }
    let b = measure::bounds(mesh);
    let size = b.max - b.min;
    let longest = size.max_element();
    let (unit_m, unit) = match longest {
        l if l <= METRES => (1.0, "metres"),
        l if l <= CENTIMETRES => (0.01, "centimetres"),
        _ => (0.001, "millimetres"),
    };
    // Something that stands on a ground: flat at zero along one axis, on both sides of zero along another.
    let stands = |low: f32, size: f32| low.abs() <= 0.02 * size;
    let straddles = |low: f32, high: f32, size: f32| low < -0.2 * size && high > 0.2 * size;
    let up = if stands(b.min.z, size.z)
        && straddles(b.min.y, b.max.y, size.y)
        && straddles(b.min.x, b.max.x, size.x)
    {
        Up::Z
    } else {
        Up::Y
    };
    let axis = match up {
        Up::Z => "Z points up, since everything stands on z = 0 and lies on both sides of y = 0",
        _ => "Y points up, as nothing speaks against it",
    };
    Found {
        space: Space { unit_m, up },
        certain: false,
        reason: format!(
            "{format} says neither unit nor axis. Its longest side counts {longest:.4}, which is most likely \
             {unit}; {axis}."
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;
    use rstest::rstest;

    #[rstest]
    #[case::metres(Vec3::new(1.0, 2.0, 1.0), Vec3::ZERO, 1.0, Up::Y)]
    #[case::centimetres(Vec3::new(100.0, 180.0, 60.0), Vec3::ZERO, 0.01, Up::Y)]
    #[case::millimetres(Vec3::new(900.0, 1800.0, 600.0), Vec3::ZERO, 0.001, Up::Y)]
    #[case::standing_on_z(Vec3::new(1.0, 1.0, 3.0), Vec3::Z * 1.5, 1.0, Up::Z)]
    #[case::standing_on_y(Vec3::new(1.0, 3.0, 1.0), Vec3::Y * 1.5, 1.0, Up::Y)]
    fn guesses_follow_size_and_stance(
        #[case] size: Vec3,
        #[case] shift: Vec3,
        #[case] unit_m: f32,
        #[case] up: Up,
    ) {
        let mut mesh = shapes::cuboid(size);
        mesh.points.iter_mut().for_each(|p| *p += shift);
        let found = of("obj", &mesh);
        assert_eq!(found.space, Space { unit_m, up });
        assert!(!found.certain && found.reason.contains("OBJ"));
        assert_eq!(of("glb", &mesh).space, Space::default());
    }

    #[rstest]
    fn what_points_up_ends_along_y_and_volumes_keep_their_sign(
        #[values(Up::X, Up::Y, Up::Z)] up: Up,
    ) {
        let axis = match up {
            Up::X => Vec3::X,
            Up::Y => Vec3::Y,
            Up::Z => Vec3::Z,
        };
        let space = Space { unit_m: 0.01, up };
        assert!((space.to_scene().transform_vector3(axis) - Vec3::Y * 0.01).length() < 1e-9);
        let mesh = space.applied(&shapes::cuboid(Vec3::new(100.0, 200.0, 300.0)));
        assert!((measure::volume(&mesh) - 6.0).abs() < 1e-5);
    }
}
