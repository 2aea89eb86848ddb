//! Laying one chart flat, without a fold.

mod cholesky;
mod conformal;
mod dirichlet;
mod simple;
mod sparse;
mod tutte;

use ectome_mesh::Progress;
use glam::{DVec2, DVec3};

use crate::{chart::Chart, face_graph::FaceGraph, pack::orient, stretch::Stretch};
use dirichlet::Improver;

/// What a map may do at most.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Bound {
    /// Mean stretch L².
    pub l2: f64,
    /// Largest stretch L∞.
    pub largest: f64,
    /// Long side of the least box around it, in metres, unless it has more than `chief` square metres.
    pub longest: f64,
    /// A chart of more than this is what the sheet is mostly about, however long it is.
    pub chief: f64,
    /// Least share of that box which it fills, unless it is a single triangle.
    pub fill: f64,
}

/// No bound on shape.
const ANY_SHAPE: Bound = Bound {
    l2: f64::INFINITY,
    largest: f64::INFINITY,
    longest: f64::INFINITY,
    chief: 0.0,
    fill: 0.0,
};

impl Bound {
    /// A bound on stretch alone.
    pub const fn stretch(l2: f64, largest: f64) -> Self {
        Self {
            l2,
            largest,
            ..ANY_SHAPE
        }
    }

    fn holds_shape(&self, chart: &Chart, at: &[DVec2]) -> bool {
        if self.longest.is_infinite() && self.fill <= 0.0 {
            return true;
        }
        let border: Vec<DVec2> = chart
            .loops
            .iter()
            .flatten()
            .map(|&s| at[chart.from(s) as usize])
            .collect();
        let size = orient::least_box_size(border);
        let area = chart.whole_area();
        chart.faces.len() <= 2
            || ((size.x <= self.longest || area > self.chief)
                && area >= self.fill * size.x * size.y)
    }

    fn holds(&self, s: &Stretch) -> bool {
        s.collapsed() == 0 && s.l2() <= self.l2 && s.largest() <= self.largest
    }
}

/// A chart laid flat: upright (counter-clockwise), in metres.
#[derive(Clone, Debug)]
pub struct Flat {
    /// A place for each vertex of the chart.
    pub at: Vec<DVec2>,
    /// How it is stretched.
    pub stretch: Stretch,
}

/// How much work a map is worth.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Care {
    /// Only whether it can be done; a map that folds at first is given up.
    Trial,
    /// As well as it can be done.
    Best,
}

/// Lays a chart flat within `bound`; `None` when that cannot be done without folds and crossings, or when the work is stopped.
pub fn flatten(
    surface: &FaceGraph,
    chart: &Chart,
    bound: &Bound,
    care: Care,
    progress: &Progress,
) -> Option<Flat> {
    if let Some(flat) = projected(surface, chart) {
        return bound.holds_shape(chart, &flat.at).then_some(flat);
    }
    if !chart.is_disk() {
        return None;
    }
    let conformal = conformal::map(chart, &surface.points, progress);
    let mut at = match conformal {
        Some(at) if is_upright(chart, &at) => at,
        _ if care == Care::Trial => return None,
        _ => tutte::map(chart, &surface.points, progress).filter(|at| is_upright(chart, at))?,
    };
    to_size(chart, &mut at);
    let first = measured(chart, &at);
    let exact = Bound::stretch(1.0 + 1e-7, 1.0 + 1e-4);
    if !exact.holds(&first) {
        if care == Care::Trial && hopeless(&first, bound) {
            return None;
        }
        improve(chart, &mut at, bound, care, progress);
        progress.go_on().ok()?;
        to_size(chart, &mut at);
    }
    let stretch = measured(chart, &at);
    (bound.holds(&stretch) && bound.holds_shape(chart, &at) && covers_once(chart, &at))
        .then_some(Flat { at, stretch })
}

/// A map that stretches this much beyond its bound before it is improved will not get there.
fn hopeless(s: &Stretch, bound: &Bound) -> bool {
    s.l2() > 1.0 + 8.0 * (bound.l2 - 1.0)
}

/// Less stretch, step by step, until the work is stopped at the latest.
fn improve(chart: &Chart, at: &mut [DVec2], bound: &Bound, care: Care, progress: &Progress) {
    let Some(improver) = Improver::new(chart) else {
        return;
    };
    let steps = match care {
        Care::Trial => 6,
        Care::Best => 40,
    };
    let mut energy = improver.energy(at);
    for _ in 0..steps {
        let Some(after) = improver.step(at, energy, progress) else {
            return;
        };
        let gain = (energy - after) / after;
        energy = after;
        // A trial only needs to know.
        let known = care == Care::Trial && bound.holds(&measured(chart, at));
        if known || gain < 1e-5 || (care == Care::Best && gain < 1e-4 && energy < 4.02) {
            return;
        }
    }
}

/// Flat charts are laid down as they are, holes and all.
fn projected(surface: &FaceGraph, chart: &Chart) -> Option<Flat> {
    let area = chart.whole_area();
    let normal = chart.faces.iter().fold(DVec3::ZERO, |n, &f| {
        n + surface.normal[f as usize] * surface.area[f as usize]
    });
    // Normals that all agree add up to the area.
    if area <= 0.0 || normal.length() < area * (1.0 - 1e-9) {
        return None;
    }
    let normal = normal.normalize();
    let x = normal.any_orthonormal_vector();
    let y = normal.cross(x);
    let at: Vec<DVec2> = chart
        .point
        .iter()
        .map(|&p| {
            let place = surface.points[p as usize];
            DVec2::new(place.dot(x), place.dot(y))
        })
        .collect();
    let stretch = measured(chart, &at);
    let true_to_size = Bound::stretch(1.0 + 1e-6, 1.0 + 1e-3);
    (is_upright(chart, &at) && true_to_size.holds(&stretch) && covers_once(chart, &at))
        .then_some(Flat { at, stretch })
}

/// No triangle is turned over or without area.
pub fn is_upright(chart: &Chart, at: &[DVec2]) -> bool {
    let size = chart.whole_area();
    chart.corners.iter().zip(&chart.area).all(|(c, &area)| {
        let [a, b, d] = c.map(|v| at[v as usize]);
        let twice = (b - a).perp_dot(d - a);
        // A triangle with area must keep some of it; one without must only not turn.
        twice.is_finite()
            && twice
                > if area > 1e-12 * size {
                    1e-14 * size
                } else {
                    -1e-15 * size
                }
    })
}

/// How a map of a chart is stretched.
pub fn measured(chart: &Chart, at: &[DVec2]) -> Stretch {
    let mut s = Stretch::default();
    for ((c, &[p, q]), &area) in chart.corners.iter().zip(&chart.rest).zip(&chart.area) {
        // What has hardly any area in space is flattened by another shape than its own, and says nothing.
        if area > 1e-3 * p.perp_dot(q).abs() {
            s.add([DVec2::ZERO, p, q], c.map(|v| at[v as usize]));
        }
    }
    s
}

/// Gives a map the area of its chart.
fn to_size(chart: &Chart, at: &mut [DVec2]) {
    let scale = measured(chart, at).scale();
    if scale.is_finite() && scale > 0.0 {
        at.iter_mut().for_each(|p| *p /= scale);
    }
}

fn covers_once(chart: &Chart, at: &[DVec2]) -> bool {
    let segments: Vec<[DVec2; 2]> = chart
        .loops
        .iter()
        .flatten()
        .map(|&s| {
            let c = chart.corners[s.face as usize];
            let (a, b) = (c[s.corner as usize], c[(s.corner as usize + 1) % 3]);
            [at[a as usize], at[b as usize]]
        })
        .collect();
    let sides = chart.loops.iter().flatten().map(|s| (s.face, s.corner));
    simple::is_simple(&segments) && !simple::is_covered_twice(&chart.corners, at, sides)
}
