//! The filled shape of a mesh in parallel projection.

use glam::{Mat3, Vec2, Vec3};

use crate::Mesh;

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
        let points: Vec<Vec2> = mesh.points.iter().map(|&p| self.pixel(p)).collect();
        let mut shape = vec![false; self.pixels * self.pixels];
        for f in 0..mesh.face_count() {
            let triangle = mesh.triangle_points(f).map(|p| points[p as usize]);
            fill(triangle, self.pixels, &mut shape);
        }
        shape
    }

    /// Whether each pixel of a shape lies beside one outside it.
    pub fn border(&self, shape: &[bool]) -> Vec<bool> {
        let n = self.pixels;
        let on = |x: usize, y: usize| shape[y * n + x];
        (0..n * n)
            .map(|i| {
                let (x, y) = (i % n, i / n);
                on(x, y)
                    && ((x == 0 || !on(x - 1, y))
                        || (y == 0 || !on(x, y - 1))
                        || (x + 1 == n || !on(x + 1, y))
                        || (y + 1 == n || !on(x, y + 1)))
            })
            .collect()
    }
}

/// Fills the pixels whose middles lie in a triangle, its sides included, whichever way it turns.
fn fill([a, b, c]: [Vec2; 3], pixels: usize, shape: &mut [bool]) {
    let low = (a.min(b).min(c) - 0.5).ceil().max(Vec2::ZERO);
    let high = (a.max(b).max(c) - 0.5)
        .floor()
        .min(Vec2::splat(pixels as f32 - 1.0));
    if low.x > high.x || low.y > high.y {
        return;
    }
    let turn = (b - a).perp_dot(c - a);
    let sign = if turn < 0.0 { -1.0 } else { 1.0 };
    for y in low.y as usize..=high.y as usize {
        // Where the sides cross this row, a pixel more each way: thin triangles across the axes leave most of their box empty.
        let (mut first, mut last) = (high.x, low.x);
        let middle = y as f32 + 0.5;
        for (s, t) in [(a, b), (b, c), (c, a)] {
            if (s.y.min(t.y) - 0.01..=s.y.max(t.y) + 0.01).contains(&middle) {
                let (left, right) = match (t.y - s.y).abs() < 0.02 {
                    true => (s.x.min(t.x), s.x.max(t.x)),
                    false => {
                        let x = s.x + (t.x - s.x) * ((middle - s.y) / (t.y - s.y)).clamp(0.0, 1.0);
                        (x, x)
                    }
                };
                first = first.min(left - 1.5);
                last = last.max(right + 0.5);
            }
        }
        for x in low.x.max(first) as usize..=high.x.min(last.max(0.0)) as usize {
            if shape[y * pixels + x] {
                continue;
            }
            let q = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
            let inside = [(a, b), (b, c), (c, a)]
                .iter()
                .all(|&(s, t)| sign * (t - s).perp_dot(q - s) >= 0.0);
            if inside {
                shape[y * pixels + x] = true;
            }
        }
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

    // Against every pixel of every box asked alone.
    #[test]
    fn rows_leave_no_pixel_out() {
        let mut state = 3u32;
        let mut random = move || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) as f32 / 16_777_216.0
        };
        let n = 48;
        for i in 0..3000 {
            let mut t = [0; 3].map(|_| Vec2::new(random() * 70.0 - 10.0, random() * 70.0 - 10.0));
            match i % 4 {
                0 => t[2] = t[1] + Vec2::new(random() * 0.3, random() * 0.3),
                1 => t[1].y = t[0].y + 0.03 * (random() - 0.5),
                _ => {}
            }
            let mut shape = vec![false; n * n];
            fill(t, n, &mut shape);
            let [a, b, c] = t;
            let sign = if (b - a).perp_dot(c - a) < 0.0 {
                -1.0
            } else {
                1.0
            };
            for (at, on) in shape.iter().enumerate() {
                let q = Vec2::new((at % n) as f32 + 0.5, (at / n) as f32 + 0.5);
                let sides = [(a, b), (b, c), (c, a)];
                let inside = sides
                    .iter()
                    .all(|&(s, t)| sign * (t - s).perp_dot(q - s) >= 0.0);
                let boxed = q.cmpge(a.min(b).min(c)).all() && q.cmple(a.max(b).max(c)).all();
                assert_eq!(*on, inside && boxed, "{t:?} at {q}");
            }
        }
    }

    #[test]
    fn a_mesh_without_extent_has_no_view() {
        assert!(View::of(&Mesh::default(), Vec3::X, 64).is_none());
    }
}
