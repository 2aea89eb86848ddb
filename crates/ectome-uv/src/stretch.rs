//! How much a map stretches: P. Sander, J. Snyder, S. Gortler, H. Hoppe, *Texture Mapping Progressive Meshes*,
//! SIGGRAPH 2001.
//!
//! Γ ≥ γ are the singular values of the map from the sheet to the surface. L²(T) = √((Γ² + γ²)/2), L∞(T) = Γ; over a mesh
//! the squares are weighed by area in space. Both are given relative to the mean scale, so that 1 is a map true to
//! size.

use glam::{DVec2, DVec3};

/// Stretch that is added up triangle by triangle.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Stretch {
    /// Σ L²(T)² · area in space.
    squares: f64,
    /// The largest Γ.
    largest: f64,
    /// Sum of areas in space.
    space: f64,
    /// Sum of areas on the sheet.
    sheet: f64,
    /// Triangles that have an area in space and none on the sheet.
    collapsed: usize,
}

/// A triangle whose area on the sheet over its area in space is less than this has collapsed.
const COLLAPSED: f64 = 1e-8;

impl Stretch {
    /// Adds a triangle: its corners in a plane true to size, and on the sheet. One without area on the sheet is only
    /// counted as collapsed; one without area in space does not count.
    pub fn add(&mut self, rest: [DVec2; 3], sheet: [DVec2; 3]) {
        let (e, f) = (rest[1] - rest[0], rest[2] - rest[0]);
        let (d, g) = (sheet[1] - sheet[0], sheet[2] - sheet[0]);
        let space = 0.5 * e.perp_dot(f).abs();
        if space == 0.0 {
            return;
        }
        let twice = d.perp_dot(g);
        if 0.5 * twice.abs() < COLLAPSED * space {
            self.collapsed += 1;
            return;
        }
        self.space += space;
        self.sheet += 0.5 * twice.abs();
        // How the place in space moves along u and along v.
        let along_u = (e * g.y - f * d.y) / twice;
        let along_v = (f * d.x - e * g.x) / twice;
        let (p, q, r) = (
            along_u.length_squared(),
            along_u.dot(along_v),
            along_v.length_squared(),
        );
        self.squares += space * 0.5 * (p + r);
        let root = ((p - r).powi(2) + 4.0 * q * q).sqrt();
        self.largest = self.largest.max((0.5 * (p + r + root)).sqrt());
    }

    /// The same for a triangle in space.
    pub fn add_in_space(&mut self, [a, b, c]: [DVec3; 3], sheet: [DVec2; 3]) {
        let (e, f) = (b - a, c - a);
        let base = e.length();
        if base == 0.0 {
            return;
        }
        let along = f.dot(e) / base;
        let height = (f.length_squared() - along * along).max(0.0).sqrt();
        self.add(
            [
                DVec2::ZERO,
                DVec2::new(base, 0.0),
                DVec2::new(along, height),
            ],
            sheet,
        );
    }

    /// Both together.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        Self {
            squares: self.squares + other.squares,
            largest: self.largest.max(other.largest),
            space: self.space + other.space,
            sheet: self.sheet + other.sheet,
            collapsed: self.collapsed + other.collapsed,
        }
    }

    /// Triangles that have an area in space and none on the sheet.
    pub fn collapsed(&self) -> usize {
        self.collapsed
    }

    /// Lengths on the sheet per length in space; 0 for nothing at all.
    pub fn scale(&self) -> f64 {
        if self.space > 0.0 {
            (self.sheet / self.space).sqrt()
        } else {
            0.0
        }
    }

    /// The mean stretch L², 1 for a map true to size; 1 for nothing at all.
    pub fn l2(&self) -> f64 {
        if self.space > 0.0 {
            (self.squares / self.space).sqrt() * self.scale()
        } else {
            1.0
        }
    }

    /// The largest stretch L∞.
    pub fn largest(&self) -> f64 {
        if self.space > 0.0 {
            self.largest * self.scale()
        } else {
            1.0
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const HALF: [DVec2; 3] = [DVec2::ZERO, DVec2::X, DVec2::Y];

    /// Hand-worked: true to size 1 and 1; drawn out to (2, ½) the area stays, Γ = 2 and γ = ½, so L² = √(4.25 / 2).
    #[test]
    fn hand_worked_triangles_have_their_stretch() {
        let mut s = Stretch::default();
        s.add(HALF, HALF.map(|p| 3.0 * p));
        assert!((s.l2() - 1.0).abs() < 1e-12 && (s.largest() - 1.0).abs() < 1e-12);
        assert!((s.scale() - 3.0).abs() < 1e-12);
        let mut s = Stretch::default();
        s.add(HALF, HALF.map(|p| p * DVec2::new(2.0, 0.5)));
        assert!((s.l2() - (4.25f64 / 2.0).sqrt()).abs() < 1e-12);
        assert!((s.largest() - 2.0).abs() < 1e-12);
    }

    /// Hand-worked: two triangles of equal area, one at scale 1 and one at 2: L² = √((1 + ¼)/2 · 5/2) = 1.25.
    #[test]
    fn different_scales_are_stretch() {
        let mut s = Stretch::default();
        s.add(HALF, HALF);
        let mut other = Stretch::default();
        other.add_in_space([DVec3::ZERO, DVec3::Z, DVec3::X], HALF.map(|p| 2.0 * p));
        let both = s.and(other);
        assert!((both.l2() - 1.25).abs() < 1e-12);
        assert!((both.largest() - 2.5f64.sqrt()).abs() < 1e-12);
    }

    #[test]
    fn what_has_no_area_on_the_sheet_has_collapsed() {
        let mut s = Stretch::default();
        s.add(HALF, [DVec2::ZERO, DVec2::X, DVec2::X * 2.0]);
        s.add(HALF, HALF);
        assert_eq!((s.collapsed(), s.l2(), s.largest()), (1, 1.0, 1.0));
    }
}
