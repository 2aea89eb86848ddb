//! The mesh while it shrinks: flat arrays, corners of a point in a ring of links.

use ectome_mesh::Mesh;
use glam::{DVec2, Vec2, Vec3, Vec4};

use crate::{
    anchor::Anchor,
    feature::{Class, Features},
    frame::{Frame, Surroundings},
    options::{Options, Weights},
    quadric::Quadric,
    tolerance,
    uv_fit::UvFit,
};

/// "No corner".
pub const NONE: u32 = u32::MAX;

/// A slip of the texture along the surface counts this share of the same distance off the surface; beside seams more (see `forms`). At
/// five times as much an assembly of plates with a chart on every side lies a tenth further off its source, and the texture slips
/// no less (docs/performance.md).
const UV_WEIGHT: f64 = 0.01;
/// The same where nothing may slip: what [`crate::flat`] permits is set against it.
const UV_WEIGHT_FLAT: f64 = 0.05;

/// A turn of the normal by one radian counts as much as this distance, in diagonals. Small on purpose: it decides between places
/// that lie equally near. At a quarter and at four times of its weight bell and figurehead at a hundredth stay within 3 % of their
/// mean deviation (docs/performance.md).
const SHADING_LENGTH: f64 = 1.3e-4;
/// A colour off by the whole range counts as much as this distance, in diagonals: an edge between two colours painted on vertices
/// is worth as much as a dent of a two hundred and fiftieth of the mesh, which a viewer notices about as soon. Without vertex colours
/// it has no say.
const COLOUR_LENGTH: f64 = 4e-3;

/// The mesh while it shrinks. Places are relative to the middle of the source and divided by its
/// diagonal, so that errors compare on meshes of any size.
pub struct State {
    /// Place of each point.
    pub place: Vec<Vec3>,
    /// Error of each point.
    pub quadric: Vec<Quadric>,
    /// Pull of each point to where the source had its surface.
    pub anchor: Vec<Anchor>,
    /// How freely each point may move.
    pub class: Vec<Class>,
    /// The point is on an open border.
    pub on_border: Vec<bool>,
    /// The surface is no surface there.
    pub complex: Vec<bool>,
    /// The guard that keeps each point where it is, as in [`Features`]; 0 for none.
    pub fixed_by: Vec<u8>,
    /// Area of the source's faces around each point.
    pub point_area: Vec<f32>,
    /// Any living corner of each point, or [`NONE`].
    pub first: Vec<u32>,
    /// Raised whenever a point's error or place changes.
    pub version: Vec<u32>,
    /// The point of each corner.
    pub corner_point: Vec<u32>,
    /// The wedge of each corner.
    pub corner_wedge: Vec<u32>,
    /// The next corner of the same point.
    pub next: Vec<u32>,
    /// Whether each face still stands.
    pub alive: Vec<bool>,
    /// The run of each face.
    pub face_run: Vec<u32>,
    /// The part of each run.
    run_part: Vec<u32>,
    /// Faces standing.
    pub triangles: usize,

    /// UVs of each wedge: first set scaled to metres, empty if the mesh has none.
    pub uv: Vec<DVec2>,
    /// Fit of the first UV set around each wedge.
    pub uv_fit: Vec<UvFit>,
    /// Further UV sets of each wedge.
    pub more_uv: Vec<Vec<Vec2>>,
    /// Colour of each wedge, or empty.
    pub colour: Vec<Vec4>,
    /// Area-weighted sum of the source's normals of each wedge.
    pub normal: Vec<Vec3>,
    /// Area vector of the source's faces around each wedge, a third each.
    pub facing: Vec<Vec3>,
    /// Area of the source's faces around each wedge, a third each.
    pub area: Vec<f32>,
    /// One UV unit in scaled metres times the UV weight.
    pub uv_scale: f64,

    /// Number in the source of each point.
    pub source_point: Vec<u32>,
    /// Number in the source of each wedge.
    pub source_wedge: Vec<u32>,
    /// Number in the source of each face.
    pub source_face: Vec<u32>,

    /// Only what costs nothing may go.
    pub flat_only: bool,
    /// How far a point may lie off a plane or a line and count as on it, in diagonals.
    pub flat_off: f64,
    /// What counts how much.
    pub weights: Weights,
    /// Protection of each point, or empty.
    pub protect: Vec<f32>,

    /// The middle of the source.
    pub middle: Vec3,
    /// The diagonal of the source.
    pub diagonal: f32,
}

impl State {
    /// Lays out an all-triangle mesh; a block of a larger one in the larger one's frame.
    pub fn new(
        mesh: &Mesh,
        features: &mut Features,
        options: &Options,
        surroundings: Option<&Surroundings>,
    ) -> Self {
        let Frame {
            middle,
            diagonal,
            uv_length,
        } = surroundings.map_or_else(|| Frame::of(mesh), |around| around.frame);
        let place: Vec<Vec3> = mesh
            .points
            .iter()
            .map(|&p| (p - middle) / diagonal)
            .collect();
        let corner_point: Vec<u32> = mesh
            .corners
            .iter()
            .map(|&v| mesh.vertex_point[v as usize])
            .collect();
        let n = place.len();
        let wedges = features.wedge_vertex.len();
        let faces = mesh.face_count();
        let has_uv = !mesh.uv_sets.is_empty();

        let mut state = Self {
            quadric: vec![Quadric::default(); n],
            anchor: vec![Anchor::default(); n],
            class: std::mem::take(&mut features.class),
            on_border: std::mem::take(&mut features.on_border),
            complex: std::mem::take(&mut features.complex),
            fixed_by: std::mem::take(&mut features.fixed_by),
            point_area: vec![0.0; n],
            source_point: (0..n as u32).collect(),
            source_wedge: (0..wedges as u32).collect(),
            source_face: (0..faces as u32).collect(),
            flat_only: options.flat_only,
            flat_off: tolerance::off(f64::from(options.flat_within_m) / f64::from(diagonal)),
            weights: options.attention.weights(),
            protect: options.protect.clone(),
            first: vec![NONE; n],
            version: vec![0; n],
            next: vec![NONE; mesh.corners.len()],
            alive: vec![false; faces],
            face_run: std::mem::take(&mut features.face_run),
            run_part: mesh.runs.iter().map(|r| r.part).collect(),
            triangles: 0,
            uv: Vec::new(),
            uv_fit: vec![UvFit::default(); if has_uv { wedges } else { 0 }],
            more_uv: mesh
                .uv_sets
                .iter()
                .skip(1)
                .map(|set| pick(set, &features.wedge_vertex))
                .collect(),
            colour: if mesh.colours.is_empty() {
                Vec::new()
            } else {
                pick(&mesh.colours, &features.wedge_vertex)
            },
            normal: vec![Vec3::ZERO; wedges],
            facing: vec![Vec3::ZERO; wedges],
            area: vec![0.0; wedges],
            uv_scale: 1.0,
            place,
            corner_point,
            corner_wedge: std::mem::take(&mut features.corner_wedge),
            middle,
            diagonal,
        };
        if has_uv {
            let weight = if options.flat_only {
                UV_WEIGHT_FLAT
            } else {
                UV_WEIGHT
            };
            state.uv_scale = uv_length * weight * state.weights.uvs.sqrt().max(1e-6);
            state.uv = pick(&mesh.uv_sets[0], &features.wedge_vertex)
                .into_iter()
                .map(|uv| uv.as_dvec2() * state.uv_scale)
                .collect();
        }
        for f in 0..faces {
            let [a, b, c] = [0, 1, 2].map(|k| state.corner_point[3 * f + k]);
            if a != b && b != c && c != a {
                state.alive[f] = true;
                state.triangles += 1;
                (3 * f..3 * f + 3).for_each(|c| state.link(c));
            }
        }
        state
    }

    /// The corners that the face of half-edge `corner` has at point `at` and at the other end.
    pub fn corner_pair(&self, corner: u32, at: u32) -> (u32, u32) {
        let next = corner - corner % 3 + (corner + 1) % 3;
        if self.corner_point[corner as usize] == at {
            (corner, next)
        } else {
            (next, corner)
        }
    }

    /// What it costs that two wedges share one normal: the integral of the squared turn over their
    /// faces (the L²,¹ measure of D. Cohen-Steiner et al., *Variational Shape Approximation*, 2004).
    #[inline]
    pub fn shading_cost(&self, from: u32, into: u32) -> f64 {
        let (from, into) = (from as usize, into as usize);
        let area = f64::from(self.area[from] + self.area[into]);
        let vector = (self.facing[from] + self.facing[into]).as_dvec3();
        if area <= 0.0 {
            return 0.0;
        }
        let turn = (area - vector.length_squared() / area).max(0.0);
        turn * SHADING_LENGTH * SHADING_LENGTH * self.weights.shading
    }

    /// What it costs that two wedges share one colour.
    #[inline]
    pub fn colour_cost(&self, from: u32, into: u32, along: f32, moves: bool) -> f64 {
        if self.colour.is_empty() {
            return 0.0;
        }
        let (from, into) = (from as usize, into as usize);
        let (cf, ci) = (self.colour[from], self.colour[into]);
        let mixed = if moves { cf.lerp(ci, along) } else { ci };
        let square = self.area[from] * cf.distance_squared(mixed)
            + self.area[into] * ci.distance_squared(mixed);
        f64::from(square) * COLOUR_LENGTH * COLOUR_LENGTH * self.weights.colour
    }

    /// True when an edge, given by its faces' corners at both ends, is on a line.
    #[inline]
    pub fn is_line(&self, spokes: &[(u32, u32)]) -> bool {
        let [first, others @ ..] = spokes else {
            return true;
        };
        let wedge = |c: u32| self.corner_wedge[c as usize];
        others.is_empty()
            || others.iter().any(|other| {
                wedge(first.0) != wedge(other.0)
                    || wedge(first.1) != wedge(other.1)
                    || self.face_run[first.0 as usize / 3] != self.face_run[other.0 as usize / 3]
            })
    }

    /// Puts a corner into the ring of its point.
    pub fn link(&mut self, c: usize) {
        let p = self.corner_point[c] as usize;
        self.next[c] = if self.first[p] == NONE {
            c as u32
        } else {
            std::mem::replace(&mut self.next[self.first[p] as usize], c as u32)
        };
        self.first[p] = c as u32;
    }

    /// Collects the living corners of a point and forgets the dead.
    pub fn ring(&mut self, point: u32, into: &mut Vec<u32>) {
        self.look_around(point, into);
        for (i, &c) in into.iter().enumerate() {
            self.next[c as usize] = into[(i + 1) % into.len()];
        }
        self.first[point as usize] = into.first().copied().unwrap_or(NONE);
    }

    /// Collects the living corners of a point and forgets nothing.
    #[inline]
    pub fn look_around(&self, point: u32, into: &mut Vec<u32>) {
        into.clear();
        self.each_around(point, |corner| into.push(corner));
    }

    /// Visits the living corners of a point.
    #[inline]
    pub fn each_around(&self, point: u32, mut visit: impl FnMut(u32)) {
        let start = self.first[point as usize];
        if start == NONE {
            return;
        }
        let mut c = start;
        loop {
            if self.alive[c as usize / 3] {
                visit(c);
            }
            c = self.next[c as usize];
            if c == start {
                break;
            }
        }
    }

    /// The other two corners of a corner's face, in order.
    #[inline]
    pub fn others(corner: u32) -> (u32, u32) {
        let face = corner - corner % 3;
        (face + (corner + 1) % 3, face + (corner + 2) % 3)
    }

    /// Collects, for every edge at `point` sorted by the far point, the corners of its faces at the
    /// far end and here: `(far point, corner here, corner there)`.
    #[inline]
    pub fn spokes(&self, ring: &[u32], into: &mut Vec<(u32, u32, u32)>) {
        into.clear();
        for &c in ring {
            let (next, previous) = Self::others(c);
            into.push((self.corner_point[next as usize], c, next));
            into.push((self.corner_point[previous as usize], c, previous));
        }
        into.sort_unstable();
    }

    /// The part of a face.
    pub fn face_part(&self, face: usize) -> u32 {
        self.run_part[self.face_run[face] as usize]
    }

    /// The place of a corner.
    #[inline]
    pub fn corner_place(&self, corner: u32) -> Vec3 {
        self.place[self.corner_point[corner as usize] as usize]
    }
}

fn pick<T: Copy>(values: &[T], at: &[u32]) -> Vec<T> {
    at.iter().map(|&v| values[v as usize]).collect()
}
