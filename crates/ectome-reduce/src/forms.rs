//! The errors with which every point and wedge begins.

use ectome_mesh::{Mesh, topology::HalfEdge};
use glam::{DVec3, DVec4, Vec3, Vec4};
use rayon::prelude::*;

use crate::{
    anchor::Anchor, feature::Class, outline_presence, quadric::Quadric, state::State, uv_fit::UvFit,
};

/// How much a border edge weighs against the faces beside it.
const BORDER_WEIGHT: f64 = 4.0;
/// The same for seams, hard edges and material edges.
const LINE_WEIGHT: f64 = 0.5;
/// How much more the texture counts on faces that touch a line: there its slip moves the outline of an island as well. At 1 outlines
/// are twice as far off, at 100 the surface is a fifth further off (docs/performance.md).
const BESIDE_SEAMS: f64 = 5.0;
/// Where the surface turns by a right angle within this length, in diagonals, it counts in full.
const OUTLINE_LENGTH: f64 = 0.02;
/// How much an edge that turns sharply adds to the weight of the surface beside it.
const OUTLINE_SHARE: f64 = 0.15;

/// Fills the errors of a state whose rings are linked.
pub fn fill(state: &mut State, mesh: &Mesh, wedge_vertex: &[u32], half_edges: &[HalfEdge]) {
    let faces: Vec<Vec4> = (0..state.alive.len())
        .into_par_iter()
        .with_min_len(4096)
        .map(|f| {
            let vector = area_vector(places(state, 3 * f as u32));
            let area = vector.length();
            (vector / area.max(f64::MIN_POSITIVE))
                .extend(area)
                .as_vec4()
        })
        .collect();
    let presence = if state.weights.outline > 1.0 {
        outline_presence::presence(mesh)
    } else {
        Vec::new()
    };
    let points: Vec<(Quadric, Anchor, f32)> = (0..state.place.len() as u32)
        .into_par_iter()
        .with_min_len(1024)
        .map_init(Vec::new, |ring, p| {
            state.look_around(p, ring);
            let (mut form, anchor, area) = of_point(state, &faces, p, ring);
            if let Some(&presence) = presence.get(p as usize) {
                form = form.scaled(state.weights.of_outline(presence));
            }
            (form, anchor, area)
        })
        .collect();
    for (p, (form, anchor, area)) in points.into_iter().enumerate() {
        state.quadric[p] = form;
        state.anchor[p] = anchor;
        state.point_area[p] = area;
    }
    let wedges: Vec<OfWedge> = wedge_vertex
        .par_iter()
        .enumerate()
        .with_min_len(1024)
        .map_init(Vec::new, |ring, (w, &v)| {
            state.look_around(mesh.vertex_point[v as usize], ring);
            ring.retain(|&c| state.corner_wedge[c as usize] == w as u32);
            of_wedge(state, mesh, &faces, ring)
        })
        .collect();
    for (w, of) in wedges.into_iter().enumerate() {
        if let Some(fit) = state.uv_fit.get_mut(w) {
            *fit = of.fit;
        }
        state.normal[w] = of.normal;
        state.facing[w] = of.facing;
        state.area[w] = of.area;
    }
    for edge in half_edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        add_line(state, edge);
    }
}

fn places(state: &State, corner: u32) -> [DVec3; 3] {
    let (n, p) = State::others(corner);
    [corner, n, p].map(|c| state.corner_place(c).as_dvec3())
}

fn area_vector(p: [DVec3; 3]) -> DVec3 {
    0.5 * (p[1] - p[0]).cross(p[2] - p[0])
}

/// Planes of the faces around a point by their area (Garland & Heckbert 1997), more where the surface
/// turns.
fn of_point(state: &State, faces: &[Vec4], point: u32, ring: &[u32]) -> (Quadric, Anchor, f32) {
    let mut form = Quadric::default();
    let mut anchor = Anchor::default();
    let mut sum = 0.0;
    let place = state.place[point as usize].as_dvec3();
    for &c in ring {
        let (next, previous) = State::others(c);
        let face = faces[c as usize / 3].as_dvec4();
        let (normal, area) = (face.truncate(), face.w);
        sum += area;
        let far = state.corner_point[next as usize];
        let far_place = state.place[far as usize].as_dvec3();
        let middle = (place + far_place + state.corner_place(previous).as_dvec3()) / 3.0;
        anchor += Anchor::face(middle, area);
        form += Quadric::plane(normal, place, area * state.weights.shape);
        // The edge that leaves along this face's first side, with the face beyond it.
        let beyond = ring
            .iter()
            .find(|&&d| state.corner_point[State::others(d).1 as usize] == far);
        if let Some(&beyond) = beyond {
            let other = faces[beyond as usize / 3].as_dvec4();
            let length = place.distance(far_place);
            let weight = state.weights.outline * turn_weight(length, face, other);
            form += Quadric::plane(normal, place, weight);
            form += Quadric::plane(other.truncate(), place, weight);
        }
    }
    let protected = state.protect.get(point as usize).copied().unwrap_or(0.0);
    if protected > 0.0 {
        form = form.scaled(1.0 / f64::from((1.0 - protected).max(1e-3)).powi(2));
    }
    (form, anchor, sum as f32)
}

/// Where the surface turns, it is a silhouette from many directions: an edge between faces whose
/// normals are θ apart is one from θ/π of all directions. So there the surface weighs more. What
/// counts is the turn per length, so that a finer mesh of the same shape is weighed alike. Faces are given
/// as normal and area.
fn turn_weight(length: f64, face: DVec4, other: DVec4) -> f64 {
    let area = (face.w + other.w) * (2.0 / 3.0);
    // The chord between the normals is the angle between them, nearly.
    let turn = (face.truncate() - other.truncate()).length();
    let across = area / length.max(1e-12);
    let per_length = turn / across.max(1e-12) * OUTLINE_LENGTH / std::f64::consts::FRAC_PI_2;
    0.25 * area * per_length.min(1.0) * OUTLINE_SHARE
}

#[derive(Default)]
struct OfWedge {
    fit: UvFit,
    normal: Vec3,
    facing: Vec3,
    area: f32,
}

fn of_wedge(state: &State, mesh: &Mesh, faces: &[Vec4], ring: &[u32]) -> OfWedge {
    let mut of = OfWedge::default();
    for &c in ring {
        let face = faces[c as usize / 3];
        let area = f64::from(face.w);
        if !state.uv.is_empty() {
            let (n, q) = State::others(c);
            let uv = [c, n, q].map(|c| state.uv[state.corner_wedge[c as usize] as usize]);
            let class = |c: u32| state.class[state.corner_point[c as usize] as usize];
            let seam = [c, n, q].into_iter().any(|c| class(c) != Class::Inside);
            let weight = if seam && !state.flat_only {
                area * BESIDE_SEAMS
            } else {
                area
            };
            if let Some(fit) = UvFit::face(places(state, c), uv, weight) {
                of.fit = of.fit.plus(&fit);
            }
        }
        if !mesh.normals.is_empty() {
            of.normal += mesh.normals[mesh.corners[c as usize] as usize] * area as f32;
        }
        of.facing += face.truncate() * (face.w / 3.0);
        of.area += area as f32 / 3.0;
    }
    of
}

/// Planes through the edges of lines, upright on their faces, keep lines where they are.
fn add_line(state: &mut State, edge: &[HalfEdge]) {
    let (a, b) = (edge[0].low as usize, edge[0].high as usize);
    if state.class[a] == Class::Inside || state.class[b] == Class::Inside {
        return;
    }
    let mut spokes = [(0, 0); 2];
    for (spoke, e) in spokes.iter_mut().zip(edge) {
        *spoke = state.corner_pair(e.corner, edge[0].low);
    }
    if edge.len() > 2 || (edge.len() == 2 && !state.is_line(&spokes)) {
        return;
    }
    let weight = if edge.len() == 1 {
        BORDER_WEIGHT * state.weights.borders
    } else {
        LINE_WEIGHT
    };
    let (pa, pb) = (state.place[a].as_dvec3(), state.place[b].as_dvec3());
    for e in edge {
        let across = area_vector(places(state, e.corner)).cross(pb - pa);
        if let Some(normal) = across.try_normalize() {
            let form = Quadric::plane(normal, pa, weight * pa.distance_squared(pb));
            state.quadric[a] += form;
            state.quadric[b] += form;
        }
    }
}
