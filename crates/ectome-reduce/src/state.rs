//! The mesh while it shrinks: flat arrays, corners of a point in a ring of links.

use ectome_mesh::{Mesh, measure};
use glam::{DVec2, DVec3, Vec2, Vec3, Vec4};

use crate::{
    feature::{Class, Features},
    quadric::Quadric,
};

/// "No corner".
pub const NONE: u32 = u32::MAX;

/// How much a border edge weighs against the faces beside it.
const BORDER_WEIGHT: f64 = 4.0;
/// The same for seams, hard edges and material edges.
const LINE_WEIGHT: f64 = 0.5;
/// Pull towards where the source had its points: tiny beside any real error, but it decides where
/// flat regions leave the place of a point open.
const ANCHOR_WEIGHT: f64 = 1e-6;
/// A slip of the texture along the surface counts this share of the same distance off the surface.
const UV_WEIGHT: f64 = 0.2;

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
    fn face(p: [DVec3; 3], uv: [DVec2; 3], weight: f64) -> Option<Self> {
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
        for axis in 0..2 {
            let g = f1 * (uv[1][axis] - uv[0][axis]) + f2 * (uv[2][axis] - uv[0][axis]);
            let d = uv[0][axis] - g.dot(p[0]);
            fit.square += Quadric::linear(g, d, weight);
            fit.gradient[axis] = g * weight;
            fit.offset[axis] = d * weight;
        }
        Some(fit)
    }

    /// Both fits together.
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

    fn moment(&self, x: DVec3) -> DVec2 {
        DVec2::new(self.gradient[0].dot(x), self.gradient[1].dot(x)) + self.offset
    }

    /// The best UV at `x`, if any face speaks for it.
    pub fn best_at(&self, x: DVec3) -> Option<DVec2> {
        (self.weight > 0.0).then(|| self.moment(x) / self.weight)
    }

    /// The error of UV `s` at `x`.
    pub fn error(&self, x: DVec3, s: DVec2) -> f64 {
        let e = self.square.at(x) - 2.0 * s.dot(self.moment(x)) + self.weight * s.length_squared();
        e.max(0.0)
    }

    /// The error at the best UV, as a form in `x` alone.
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

/// The mesh while it shrinks. Places are relative to the middle of the source and divided by its
/// diagonal, so that errors compare on meshes of any size.
pub struct State {
    /// Place of each point.
    pub place: Vec<Vec3>,
    /// Error of each point.
    pub quadric: Vec<Quadric>,
    /// How freely each point may move.
    pub class: Vec<Class>,
    /// The point is on an open border.
    pub on_border: Vec<bool>,
    /// The surface is no surface there.
    pub complex: Vec<bool>,
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

    /// The middle of the source.
    pub middle: Vec3,
    /// The diagonal of the source.
    pub diagonal: f32,
}

impl State {
    /// Lays out an all-triangle mesh.
    pub fn new(mesh: &Mesh, features: Features) -> (Self, Vec<ectome_mesh::topology::HalfEdge>) {
        let bounds = measure::bounds(mesh);
        let middle = bounds.centre();
        let diagonal = bounds.diagonal().max(f32::MIN_POSITIVE);
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
            class: features.class,
            on_border: features.on_border,
            complex: features.complex,
            first: vec![NONE; n],
            version: vec![0; n],
            next: vec![NONE; mesh.corners.len()],
            alive: vec![false; faces],
            face_run: features.face_run,
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
            corner_wedge: features.corner_wedge,
            middle,
            diagonal,
        };
        if has_uv {
            state.uv_scale = uv_scale(mesh, diagonal) * UV_WEIGHT;
            state.uv = pick(&mesh.uv_sets[0], &features.wedge_vertex)
                .into_iter()
                .map(|uv| uv.as_dvec2() * state.uv_scale)
                .collect();
        }
        // Proper faces are those that have half-edges.
        for e in &features.half_edges {
            state.alive[e.corner as usize / 3] = true;
        }
        state.triangles = state.alive.iter().filter(|&&a| a).count();
        for f in 0..faces {
            if state.alive[f] {
                state.add_face(mesh, f);
            }
        }
        for edge in features
            .half_edges
            .chunk_by(|a, b| (a.low, a.high) == (b.low, b.high))
        {
            state.add_line(edge);
        }
        (state, features.half_edges)
    }

    fn add_face(&mut self, mesh: &Mesh, f: usize) {
        let corners = [3 * f, 3 * f + 1, 3 * f + 2];
        for c in corners {
            let p = self.corner_point[c] as usize;
            self.next[c] = if self.first[p] == NONE {
                c as u32
            } else {
                std::mem::replace(&mut self.next[self.first[p] as usize], c as u32)
            };
            self.first[p] = c as u32;
        }
        let p = corners.map(|c| self.place[self.corner_point[c] as usize].as_dvec3());
        let vector = 0.5 * (p[1] - p[0]).cross(p[2] - p[0]);
        let area = vector.length();
        let middle = (p[0] + p[1] + p[2]) / 3.0;
        let mut form = Quadric::point(middle, area * ANCHOR_WEIGHT);
        if let Some(normal) = vector.try_normalize() {
            form += Quadric::plane(normal, p[0], area);
        }
        let wedges = corners.map(|c| self.corner_wedge[c] as usize);
        let fit = (!self.uv.is_empty())
            .then(|| UvFit::face(p, wedges.map(|w| self.uv[w]), area))
            .flatten();
        for (c, w) in corners.into_iter().zip(wedges) {
            self.quadric[self.corner_point[c] as usize] += form;
            if let Some(fit) = &fit {
                self.uv_fit[w] = self.uv_fit[w].plus(fit);
            }
            if !mesh.normals.is_empty() {
                self.normal[w] += mesh.normals[mesh.corners[c] as usize] * area as f32;
            }
            self.facing[w] += vector.as_vec3() / 3.0;
            self.area[w] += area as f32 / 3.0;
        }
    }

    /// Planes through the edges of lines, upright on their faces, keep lines where they are.
    fn add_line(&mut self, edge: &[ectome_mesh::topology::HalfEdge]) {
        let (a, b) = (edge[0].low as usize, edge[0].high as usize);
        if self.class[a] == Class::Inside || self.class[b] == Class::Inside {
            return;
        }
        let mut spokes = [(0, 0); 2];
        for (spoke, e) in spokes.iter_mut().zip(edge) {
            *spoke = self.corner_pair(e.corner, edge[0].low);
        }
        if edge.len() > 2 || (edge.len() == 2 && !self.is_line(&spokes)) {
            return;
        }
        let weight = if edge.len() == 1 {
            BORDER_WEIGHT
        } else {
            LINE_WEIGHT
        };
        let (pa, pb) = (self.place[a].as_dvec3(), self.place[b].as_dvec3());
        for e in edge {
            let f = e.corner as usize / 3;
            let p = [0, 1, 2].map(|k| self.place[self.corner_point[3 * f + k] as usize].as_dvec3());
            let across = (p[1] - p[0]).cross(p[2] - p[0]).cross(pb - pa);
            if let Some(normal) = across.try_normalize() {
                let form = Quadric::plane(normal, pa, weight * pa.distance_squared(pb));
                self.quadric[a] += form;
                self.quadric[b] += form;
            }
        }
    }

    /// The corners that the face of half-edge `corner` has at point `at` and at the other end.
    fn corner_pair(&self, corner: u32, at: u32) -> (u32, u32) {
        let next = corner - corner % 3 + (corner + 1) % 3;
        if self.corner_point[corner as usize] == at {
            (corner, next)
        } else {
            (next, corner)
        }
    }

    /// True when an edge, given by its faces' corners at both ends, is on a line.
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

    /// Collects the living corners of a point and forgets the dead.
    pub fn ring(&mut self, point: u32, into: &mut Vec<u32>) {
        into.clear();
        let start = self.first[point as usize];
        if start == NONE {
            return;
        }
        let mut c = start;
        loop {
            if self.alive[c as usize / 3] {
                into.push(c);
            }
            c = self.next[c as usize];
            if c == start {
                break;
            }
        }
        for (i, &c) in into.iter().enumerate() {
            self.next[c as usize] = into[(i + 1) % into.len()];
        }
        self.first[point as usize] = into.first().copied().unwrap_or(NONE);
    }

    /// The other two corners of a corner's face, in order.
    #[inline]
    pub fn others(corner: u32) -> (u32, u32) {
        let face = corner - corner % 3;
        (face + (corner + 1) % 3, face + (corner + 2) % 3)
    }

    /// Collects, for every edge at `point` sorted by the far point, the corners of its faces at the
    /// far end and here: `(far point, corner here, corner there)`.
    pub fn spokes(&self, ring: &[u32], into: &mut Vec<(u32, u32, u32)>) {
        into.clear();
        for &c in ring {
            let (next, previous) = Self::others(c);
            into.push((self.corner_point[next as usize], c, next));
            into.push((self.corner_point[previous as usize], c, previous));
        }
        into.sort_unstable();
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

/// Diagonals per UV unit: the square root of surface area over UV area.
fn uv_scale(mesh: &Mesh, diagonal: f32) -> f64 {
    let set = &mesh.uv_sets[0];
    let mut uv_area = 0.0;
    let mut area = 0.0;
    for f in 0..mesh.face_count() {
        let uv = [0, 1, 2].map(|k| set[mesh.corners[3 * f + k] as usize].as_dvec2());
        let flat = 0.5 * (uv[1] - uv[0]).perp_dot(uv[2] - uv[0]).abs();
        if flat > 0.0 {
            uv_area += flat;
            area += measure::area_vector(mesh.triangle(f)).length();
        }
    }
    if uv_area > 0.0 {
        (area / uv_area).sqrt() / f64::from(diagonal)
    } else {
        1.0
    }
}
