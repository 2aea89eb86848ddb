//! Sums of squared distances as quadratic forms.

use std::ops::{Add, AddAssign};

use glam::{DMat3, DVec3};

/// `xᵀAx + 2b·x + c` with symmetric `A`: a weighted sum of squared distances to planes
/// (Garland & Heckbert 1997).
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Quadric {
    /// `A` as xx, xy, xz, yy, yz, zz.
    a: [f64; 6],
    b: DVec3,
    c: f64,
}

impl Quadric {
    /// `weight` times the squared distance to the plane through `point` with unit normal `normal`.
    #[inline]
    pub fn plane(normal: DVec3, point: DVec3, weight: f64) -> Self {
        Self::linear(normal, -normal.dot(point), weight)
    }

    /// `weight` times the square of `g·x + d`.
    #[inline]
    pub fn linear(g: DVec3, d: f64, weight: f64) -> Self {
        let w = g * weight;
        Self {
            a: [
                w.x * g.x,
                w.x * g.y,
                w.x * g.z,
                w.y * g.y,
                w.y * g.z,
                w.z * g.z,
            ],
            b: w * d,
            c: weight * d * d,
        }
    }

    /// `2 b·x + c`.
    #[inline]
    pub fn affine(b: DVec3, c: f64) -> Self {
        Self { a: [0.0; 6], b, c }
    }

    /// `weight` times the squared distance to `point`.
    #[inline]
    pub fn point(point: DVec3, weight: f64) -> Self {
        Self::points(weight, point * weight, weight * point.length_squared())
    }

    /// A sum of squared distances to weighted points, given by the sums of their weights, of weight times
    /// place, and of weight times squared length.
    pub fn points(weight: f64, moment: DVec3, square: f64) -> Self {
        Self {
            a: [weight, 0.0, 0.0, weight, 0.0, weight],
            b: -moment,
            c: square,
        }
    }

    /// The form's value at `x`, never below zero.
    #[inline]
    pub fn at(&self, x: DVec3) -> f64 {
        (x.dot(self.times(x)) + 2.0 * self.b.dot(x) + self.c).max(0.0)
    }

    #[inline]
    fn times(&self, x: DVec3) -> DVec3 {
        let [xx, xy, xz, yy, yz, zz] = self.a;
        DVec3::new(
            xx * x.x + xy * x.y + xz * x.z,
            xy * x.x + yy * x.y + yz * x.z,
            xz * x.x + yz * x.y + zz * x.z,
        )
    }

    /// Where the form is least, or `None` when that place is not well determined.
    #[inline]
    pub fn minimum(&self) -> Option<DVec3> {
        let [xx, xy, xz, yy, yz, zz] = self.a;
        let m = DMat3::from_cols_array(&[xx, xy, xz, xy, yy, yz, xz, yz, zz]);
        let determinant = m.determinant();
        let scale = (xx + yy + zz) / 3.0;
        if determinant <= 1e-14 * scale * scale * scale {
            return None;
        }
        let (r0, r1, r2) = (m.x_axis, m.y_axis, m.z_axis);
        let inverse_columns = [r1.cross(r2), r2.cross(r0), r0.cross(r1)];
        let rhs = -self.b;
        Some(
            DVec3::new(
                inverse_columns[0].dot(rhs),
                inverse_columns[1].dot(rhs),
                inverse_columns[2].dot(rhs),
            ) / determinant,
        )
    }

    /// How far from `start` along `direction`, a unit vector, the form is least; 0 where it does not say.
    #[inline]
    pub fn least_along(&self, start: DVec3, direction: DVec3) -> f64 {
        let bend = direction.dot(self.times(direction));
        let slope = direction.dot(self.times(start) + self.b);
        let [xx, _, _, yy, _, zz] = self.a;
        if bend > 1e-6 * (xx + yy + zz) {
            -slope / bend
        } else {
            0.0
        }
    }

    /// How well a place is held along the axis along which it is held least, as a share of all three: about 0 for faces in one
    /// plane, and for faces in two, which leave the line between them open. The least eigenvalue is the product of the three over the
    /// sum of their products in pairs, up to a factor of three.
    pub fn least_axis(&self) -> f64 {
        let [xx, xy, xz, yy, yz, zz] = self.a;
        let m = DMat3::from_cols_array(&[xx, xy, xz, xy, yy, yz, xz, yz, zz]);
        let pairs = xx * yy - xy * xy + xx * zz - xz * xz + yy * zz - yz * yz;
        let sum = xx + yy + zz;
        if pairs > 1e-15 * sum * sum {
            (m.determinant() / (pairs * sum)).max(0.0)
        } else {
            0.0
        }
    }

    /// The same form scaled.
    #[inline]
    pub fn scaled(mut self, factor: f64) -> Self {
        self.a.iter_mut().for_each(|a| *a *= factor);
        self.b *= factor;
        self.c *= factor;
        self
    }
}

impl Add for Quadric {
    type Output = Self;

    #[inline]
    fn add(mut self, other: Self) -> Self {
        self += other;
        self
    }
}

impl AddAssign for Quadric {
    #[inline]
    fn add_assign(&mut self, other: Self) {
        for (a, o) in self.a.iter_mut().zip(other.a) {
            *a += o;
        }
        self.b += other.b;
        self.c += other.c;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn vector() -> impl Strategy<Value = DVec3> {
        (-1.0..1.0, -1.0..1.0, -1.0..1.0).prop_map(|(x, y, z)| DVec3::new(x, y, z))
    }

    proptest! {
        // The closed form: a sum of weighted squared plane distances.
        #[test]
        fn a_sum_of_planes_is_the_sum_of_squared_distances(
            planes in prop::collection::vec((vector(), vector(), 0.01..2.0), 1..20), x in vector(),
        ) {
            let planes: Vec<_> = planes
                .into_iter()
                .filter(|(n, ..)| n.length() > 0.1)
                .map(|(n, p, w)| (n.normalize(), p, w))
                .collect();
            let form = planes
                .iter()
                .fold(Quadric::default(), |q, &(n, p, w)| q + Quadric::plane(n, p, w));
            let sum: f64 = planes.iter().map(|&(n, p, w)| w * n.dot(x - p).powi(2)).sum();
            prop_assert!((form.at(x) - sum).abs() < 1e-9);
        }

        #[test]
        fn nothing_is_below_the_minimum(points in prop::collection::vec(vector(), 3..9), x in vector()) {
            let form = points
                .iter()
                .fold(Quadric::default(), |q, &p| q + Quadric::point(p, 1.0));
            let least = form.minimum().unwrap();
            prop_assert!(form.at(least) <= form.at(x) + 1e-9);
        }
    }

    #[test]
    fn three_planes_meet_in_their_corner() {
        let corner = DVec3::new(0.2, -0.4, 0.7);
        let form = [DVec3::X, DVec3::Y, DVec3::Z]
            .into_iter()
            .fold(Quadric::default(), |q, n| {
                q + Quadric::plane(n, corner, 1.0)
            });
        assert!(form.minimum().unwrap().distance(corner) < 1e-12);
    }

    #[test]
    fn along_a_line_the_least_is_at_its_foot() {
        let form = Quadric::point(DVec3::new(3.0, 1.0, -2.0), 0.7);
        assert!((form.least_along(DVec3::ZERO, DVec3::X) - 3.0).abs() < 1e-12);
        let plane = Quadric::plane(DVec3::Y, DVec3::ZERO, 1.0);
        assert_eq!(plane.least_along(DVec3::Y, DVec3::X), 0.0);
    }

    #[test]
    fn parallel_planes_leave_the_minimum_open() {
        assert_eq!(Quadric::plane(DVec3::Y, DVec3::ZERO, 1.0).minimum(), None);
    }
}
