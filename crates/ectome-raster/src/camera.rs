//! Where the picture is taken from.

use ectome_mesh::Mesh;
use glam::Vec3;

/// A perspective camera.
#[derive(Clone, Debug)]
pub struct Camera {
    /// Position, in metres.
    pub eye: Vec3,
    /// Unit vector to the right.
    pub right: Vec3,
    /// Unit vector up.
    pub up: Vec3,
    /// Unit vector into the picture.
    pub forward: Vec3,
    /// Half the vertical field of view, as a tangent.
    pub tan_half: f32,
    /// Width in pixels.
    pub width: usize,
    /// Height in pixels.
    pub height: usize,
}

impl Camera {
    /// A three-quarter view from slightly above that `mesh` fills, with a small margin.
    pub fn fitting(mesh: &Mesh, width: usize, height: usize) -> Self {
        Self::from_direction(mesh, Vec3::new(0.62, 0.32, 1.0), width, height)
    }

    /// A view of `mesh` from `direction` (towards the eye) that it fills.
    pub fn from_direction(mesh: &Mesh, direction: Vec3, width: usize, height: usize) -> Self {
        let forward = -direction.normalize();
        let right = forward.cross(Vec3::Y).try_normalize().unwrap_or(Vec3::X);
        let up = right.cross(forward);
        let tan_half = 0.22;
        let tan_side = tan_half * width as f32 / height as f32;
        // Each of the four sides of the view must leave every point inside: for the side with
        // outward slope s, eye·n ≥ point·n. Solve for both axes apart.
        let (mut l, mut r, mut b, mut t) = (f32::MIN, f32::MIN, f32::MIN, f32::MIN);
        for &p in &mesh.points {
            let (x, y, z) = (p.dot(right), p.dot(up), p.dot(forward));
            l = l.max(-x - z * tan_side);
            r = r.max(x - z * tan_side);
            b = b.max(-y - z * tan_half);
            t = t.max(y - z * tan_half);
        }
        if mesh.points.is_empty() {
            (l, r, b, t) = (1.0, 1.0, 1.0, 1.0);
        }
        let margin = 1.06;
        let x = (r - l) / 2.0;
        let y = (t - b) / 2.0;
        let z = (-(r + l) / 2.0 / tan_side).min(-(t + b) / 2.0 / tan_half);
        let (low, high) = mesh
            .points
            .iter()
            .map(|p| p.dot(forward))
            .fold((f32::MAX, f32::MIN), |(a, b), z| (a.min(z), b.max(z)));
        let middle = if low <= high { (low + high) / 2.0 } else { 0.0 };
        let z = middle - (middle - z).max(1e-6) * margin;
        Self {
            eye: right * x + up * y + forward * z,
            right,
            up,
            forward,
            tan_half,
            width,
            height,
        }
    }

    /// Pixel coordinates and depth of a place; depth is positive in front of the eye.
    #[inline]
    pub fn project(&self, p: Vec3, scale: f32) -> Vec3 {
        let d = p - self.eye;
        let depth = d.dot(self.forward);
        let size = self.height as f32 * scale / (2.0 * self.tan_half);
        Vec3::new(
            self.width as f32 * scale / 2.0 + d.dot(self.right) / depth * size,
            self.height as f32 * scale / 2.0 - d.dot(self.up) / depth * size,
            depth,
        )
    }
}
