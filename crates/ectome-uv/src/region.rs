//! What a division into islands consists of: the rules for it, one region of it, and who has which face.

use std::collections::BTreeMap;

use ectome_mesh::Progress;
use glam::DVec3;

use crate::{
    chart::Chart,
    face_graph::{FaceGraph, NONE},
    flatten::{Bound, Flat},
};

/// What decides about charts.
pub struct Rules<'a> {
    /// The bound each chart must hold.
    pub bound: Bound,
    /// Edges that must be seams.
    pub seams: &'a [bool],
    /// Edges at which islands end, unless one of them would be smaller than `small`.
    pub hard: &'a [bool],
    /// In square metres.
    pub small: f64,
    /// What a seam costs along each edge, per metre.
    pub costs: &'a [f64],
    /// Whether to go on. A trial that is stopped in its midst fails like one without success: who asked for it looks here then.
    pub progress: &'a Progress,
}

/// A chart and how it lies.
#[derive(Clone, Debug)]
pub struct Region {
    /// The chart.
    pub chart: Chart,
    /// Its map.
    pub flat: Flat,
    pub(crate) area: f64,
    pub(crate) normal: DVec3,
    /// Length of its borders, in metres.
    pub(crate) perimeter: f64,
}

impl Rules<'_> {
    /// True where an island ends at first.
    pub(crate) fn ends(&self, e: u32) -> bool {
        self.seams[e as usize] || self.hard[e as usize]
    }
}

impl Region {
    pub(crate) fn new(surface: &FaceGraph, chart: Chart, flat: Flat) -> Self {
        let normal = chart.faces.iter().fold(DVec3::ZERO, |n, &f| {
            n + surface.normal[f as usize] * surface.area[f as usize]
        });
        let length = |s| surface.edges[chart.edge(surface, s) as usize].length;
        Self {
            area: chart.whole_area(),
            normal,
            perimeter: chart.loops.iter().flatten().map(|&s| length(s)).sum(),
            chart,
            flat,
        }
    }
}

/// Which island each face is in, and which edges are seams.
pub(crate) struct Division {
    /// The island of each face, or [`NONE`].
    pub of_face: Vec<u32>,
    /// True for edges that are seams.
    pub seam: Vec<bool>,
}

impl Division {
    pub fn of(surface: &FaceGraph, regions: &[Region], rules: &Rules) -> Self {
        let mut of_face = vec![NONE; surface.faces.len()];
        let mut seam: Vec<bool> = (0..surface.edges.len() as u32)
            .map(|e| rules.ends(e))
            .collect();
        for (i, r) in regions.iter().enumerate() {
            for &f in &r.chart.faces {
                of_face[f as usize] = i as u32;
            }
            for &s in r.chart.loops.iter().flatten() {
                seam[r.chart.edge(surface, s) as usize] = true;
            }
        }
        Self { of_face, seam }
    }

    /// The edges that part two islands and could lie elsewhere, by pair of islands.
    pub fn borders(&self, surface: &FaceGraph, rules: &Rules) -> BTreeMap<[u32; 2], Vec<u32>> {
        let mut borders: BTreeMap<[u32; 2], Vec<u32>> = BTreeMap::new();
        for (e, edge) in surface.edges.iter().enumerate() {
            if edge.fixed || rules.ends(e as u32) {
                continue;
            }
            let [a, b] = edge.faces.map(|f| self.of_face[f as usize]);
            if a != b && a != NONE && b != NONE {
                borders
                    .entry([a.min(b), a.max(b)])
                    .or_default()
                    .push(e as u32);
            }
        }
        borders
    }
}
