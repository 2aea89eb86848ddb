//! How UVs lie on the surface around a wedge.

use glam::{DVec2, DVec3};

use crate::quadric::Quadric;

/// The best linear fit of UVs around a wedge, with its error (Hoppe 1999). UVs are scaled to
/// metres by the mean size of a UV unit on the surface.
#[derive(Clone, Copy, Debug, Default)]
pub struct UvFit {
    /// Σ w (g·x + d)² over both coordinates.
    square: Quadric,
    /// Σ w g for u and v.
    gradient: [DVec3; 2],
    /// Σ w d for u and v.
    offset: DVec2,
    /// Σ w.
    weight: f64,
}

impl UvFit {
    /// The fit of one face, unless it has no area.
    pub fn face(p: [DVec3; 3], uv: [DVec2; 3], weight: f64) -> Option<Self> {
        let (e1, e2) = (p[1] - p[0], p[2] - p[0]);
        let normal = e1.cross(e2);
        let n2 = normal.length_squared();
        if n2 <= 0.0 || n2 < 1e-12 * e1.length_squared() * e2.length_squared() {
            return None;
        }
        // The gradient in the plane of the face: g·e1 = Δ1, g·e2 = Δ2, g·n = 0.
        let (f1, f2) = (e2.cross(normal) / n2, normal.cross(e1) / n2);
        let mut fit = Self {
            weight,
            ..Self::default()
        };
        let along = [uv[1] - uv[0], uv[2] - uv[0]];
        for (axis, start) in uv[0].to_array().into_iter().enumerate() {
            let g = f1 * along[0][axis] + f2 * along[1][axis];
            let d = start - g.dot(p[0]);
            fit.square += Quadric::linear(g, d, weight);
            fit.gradient[axis] = g * weight;
            fit.offset[axis] = d * weight;
        }
        Some(fit)
    }

    /// Both fits together.
    #[inline]
    pub fn plus(&self, other: &Self) -> Self {
        Self {
            square: self.square + other.square,
            gradient: [
                self.gradient[0] + other.gradient[0],
                self.gradient[1] + other.gradient[1],
            ],
            offset: self.offset + other.offset,
            weight: self.weight + other.weight,
        }
    }

    #[inline]
    fn moment(&self, x: DVec3) -> DVec2 {
        DVec2::new(self.gradient[0].dot(x), self.gradient[1].dot(x)) + self.offset
    }

    /// The best UV at `x`, if any face speaks for it.
    #[inline]
    pub fn best_at(&self, x: DVec3) -> Option<DVec2> {
        (self.weight > 0.0).then(|| self.moment(x) / self.weight)
    }

    /// The error of UV `s` at `x`.
    #[inline]
    pub fn error(&self, x: DVec3, s: DVec2) -> f64 {
        let e = self.square.at(x) - 2.0 * s.dot(self.moment(x)) + self.weight * s.length_squared();
        e.max(0.0)
    }

    /// The error of UV `s` anywhere, as a form in the place.
    #[inline]
    pub fn tied_to(&self, s: DVec2) -> Quadric {
        let along = self.gradient[0] * s.x + self.gradient[1] * s.y;
        self.square
            + Quadric::affine(
                -along,
                self.weight * s.length_squared() - 2.0 * s.dot(self.offset),
            )
    }

    /// The error at the best UV, as a form in `x` alone.
    #[inline]
    pub fn eliminated(&self) -> Quadric {
        if self.weight <= 0.0 {
            return self.square;
        }
        (0..2).fold(self.square, |q, axis| {
            let g = self.gradient[axis] / self.weight;
            let d = self.offset[axis] / self.weight;
            q + Quadric::linear(g, d, -self.weight)
        })
    }
}
