//! A slight pull to where the source had its surface.
//!
//! Where a region is flat the quadric leaves the place of a point open; the pull decides it. It is kept apart
//! from the error, so that what costs nothing is known to cost nothing.

use std::ops::{Add, AddAssign};

use glam::DVec3;

use crate::quadric::Quadric;

/// Tiny beside any real error.
const WEIGHT: f64 = 1e-8;

/// Sums over the faces around a point.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Anchor {
    /// Σ area.
    area: f64,
    /// Σ area × middle.
    moment: DVec3,
    /// Σ area × |middle|².
    square: f64,
}

impl Anchor {
    /// A face by its middle and area.
    #[inline]
    pub fn face(middle: DVec3, area: f64) -> Self {
        Self {
            area,
            moment: middle * area,
            square: middle.length_squared() * area,
        }
    }

    /// The pull as a form.
    #[inline]
    pub fn form(&self) -> Quadric {
        Quadric::points(self.area, self.moment, self.square).scaled(WEIGHT)
    }
}

impl Add for Anchor {
    type Output = Self;

    #[inline]
    fn add(mut self, other: Self) -> Self {
        self += other;
        self
    }
}

impl AddAssign for Anchor {
    #[inline]
    fn add_assign(&mut self, other: Self) {
        self.area += other.area;
        self.moment += other.moment;
        self.square += other.square;
    }
}
