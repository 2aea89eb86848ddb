//! Rigid motions, mirrored or not.

use glam::{Affine3A, DMat3, DVec3};

/// A rigid motion, mirrored or not.
#[derive(Clone, Copy)]
pub(super) struct Motion {
    turn: DMat3,
    shift: DVec3,
}

impl Motion {
    /// The mirror across a plane through a point with a unit normal.
    pub fn mirror(normal: DVec3, point: DVec3) -> Self {
        let n = normal;
        let turn = DMat3::IDENTITY - 2.0 * DMat3::from_cols(n * n.x, n * n.y, n * n.z);
        Self {
            turn,
            shift: point - turn * point,
        }
    }

    /// The motion that takes three points to three others, mirrored or not; `None` where three lie on a line.
    pub fn of_three(from: [DVec3; 3], to: [DVec3; 3], mirrored: bool) -> Option<Self> {
        let (f, mut t) = (frame(from)?, frame(to)?);
        if mirrored {
            t.z_axis = -t.z_axis;
        }
        let turn = t * f.transpose();
        Some(Self {
            turn,
            shift: to[0] - turn * from[0],
        })
    }

    pub fn at(&self, p: DVec3) -> DVec3 {
        self.turn * p + self.shift
    }

    pub fn mirrors(&self) -> bool {
        self.turn.determinant() < 0.0
    }

    /// The motion back.
    pub fn inverse(&self) -> Self {
        let turn = self.turn.transpose();
        Self {
            turn,
            shift: -(turn * self.shift),
        }
    }

    pub fn affine(&self) -> Affine3A {
        Affine3A::from_mat3_translation(self.turn.as_mat3(), self.shift.as_vec3())
    }
}

/// An orthonormal frame from three points; `None` when they lie on a line.
fn frame([a, b, c]: [DVec3; 3]) -> Option<DMat3> {
    let x = (b - a).try_normalize()?;
    let z = x.cross(c - a);
    if z.length() < 1e-4 * (c - a).length() {
        return None;
    }
    let z = z.normalize();
    Some(DMat3::from_cols(x, z.cross(x), z))
}
