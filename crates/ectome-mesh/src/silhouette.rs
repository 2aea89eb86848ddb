//! The filled shape of a mesh in parallel projection.

use glam::{DVec2, Mat3, Vec2, Vec3};

use crate::{
    Mesh,
    scanline::{self, Sides},
};

/// Pixels left free around the mesh.
const MARGIN: f32 = 4.0;

/// A parallel projection onto a square of pixels.
#[derive(Clone, Debug)]
pub struct View {
    axes: Mat3,
    low: Vec2,
    scale: f32,
    pixels: usize,
}

impl View {
    /// A view along `direction` (of length 1) that `mesh` fills but for a small margin; `None` when the mesh
    /// has no extent.
    pub fn of(mesh: &Mesh, direction: Vec3, pixels: usize) -> Option<Self> {
        let (right, up) = direction.any_orthonormal_pair();
        Self::along([right, up, direction], &[mesh], pixels)
    }

    /// The same with room for several meshes in one place, and with what stands upright upright.
    pub fn upright(meshes: &[&Mesh], direction: Vec3, pixels: usize) -> Option<Self> {
        let right = direction.cross(Vec3::Y).try_normalize().unwrap_or(Vec3::X);
        let up = right.cross(direction);
        Self::along([right, up, direction], meshes, pixels)
    }

    fn along([right, up, direction]: [Vec3; 3], meshes: &[&Mesh], pixels: usize) -> Option<Self> {
        let axes = Mat3::from_cols(right, up, direction).transpose();
        let (mut low, mut high) = (Vec2::INFINITY, Vec2::NEG_INFINITY);
        for &p in meshes.iter().flat_map(|m| &m.points) {
            let q = (axes * p).truncate();
            low = low.min(q);
            high = high.max(q);
        }
        let extent = (high - low).max_element();
        (extent > 0.0 && extent.is_finite()).then(|| Self {
            axes,
            low,
            scale: (pixels as f32 - 2.0 * MARGIN) / extent,
            pixels,
        })
    }

    /// Where a place falls, in pixels.
    pub fn pixel(&self, p: Vec3) -> Vec2 {
        ((self.axes * p).truncate() - self.low) * self.scale + MARGIN
    }

    /// Metres that a pixel covers.
    pub fn pixel_m(&self) -> f32 {
        1.0 / self.scale
    }

    /// The pixels whose middles an all-triangle mesh covers, row by row.
    pub fn shape(&self, mesh: &Mesh) -> Vec<bool> {
        let pixel = |&p: &Vec3| self.pixel(p).as_dvec2();
        let points: Vec<DVec2> = mesh.points.iter().map(pixel).collect();
        let mut shape = vec![false; self.pixels * self.pixels];
        for f in 0..mesh.face_count() {
            let triangle = mesh.triangle_points(f).map(|p| points[p as usize]);
            scanline::rows(triangle, [self.pixels; 2], Sides::Whole, |y, columns| {
                shape[y * self.pixels..][columns].fill(true);
            });
        }
        shape
    }

    /// Whether each pixel of a shape lies beside one outside it.
    pub fn border(&self, shape: &[bool]) -> Vec<bool> {
        let n = self.pixels;
        let outside = vec![false; n];
        let row = |y: usize| shape.get(y * n..(y + 1) * n).unwrap_or(&outside);
        let mut border = vec![false; n * n];
        for (y, out) in border.chunks_exact_mut(n).enumerate() {
            let above = if y == 0 { &outside[..] } else { row(y - 1) };
            let (own, below) = (row(y), row(y + 1));
            // Without branches, so that many pixels are looked at together.
            for x in 1..n - 1 {
                let inside = above[x] & below[x] & own[x - 1] & own[x + 1];
                out[x] = own[x] & !inside;
            }
            // Beside the first and the last pixel is nothing.
            out[0] = own[0];
            out[n - 1] = own[n - 1];
        }
        border
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes;

    /// Closed form: a ball of radius r fills πr² and has a border of about 4√2 r pixels.
    #[test]
    fn a_ball_is_a_disc_from_everywhere() {
        let ball = shapes::icosphere(1.0, 5);
        for direction in [Vec3::X, Vec3::ONE.normalize()] {
            let view = View::of(&ball, direction, 208).unwrap();
            let shape = view.shape(&ball);
            let filled = shape.iter().filter(|&&s| s).count() as f64;
            let border = view.border(&shape).iter().filter(|&&b| b).count() as f64;
            assert!(
                (filled / (std::f64::consts::PI * 1e4) - 1.0).abs() < 0.01,
                "{filled}"
            );
            assert!(
                (border / (4.0 * 2f64.sqrt() * 100.0) - 1.0).abs() < 0.03,
                "{border}"
            );
        }
    }

    #[test]
    fn a_mesh_without_extent_has_no_view() {
        assert!(View::of(&Mesh::default(), Vec3::X, 64).is_none());
    }
}
