//! What taking a loop out would cost, and which loops must stay.

use std::{collections::HashSet, fmt};

use ectome_mesh::Mesh;
use glam::{Vec2, Vec3};

use crate::Options;

use super::{
    Quads,
    quads::{NONE, double_area},
    trace::{End, Graph, Walk},
};

/// A slip of the texture counts this share of the same distance off the surface.
const UV_WEIGHT: f64 = 0.05;
/// A loop is an extreme when it stands out from both neighbours by this share of its radius…
const STANDS_OUT: f32 = 1e-3;
/// …or when the surface turns there by more than this on the mean, in radians (40°).
const SHARP: f32 = 0.7;

/// Why a loop stays.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Held {
    /// UV seam, hard edge, material or part edge.
    Line,
    /// It meets itself or runs beside itself.
    Spiral,
    /// It ends at a point where more or fewer than four quads meet, or at a triangle.
    EndsInside,
    /// The widest or narrowest place of a profile, or a sharp edge.
    Extreme,
    /// It would change a guarded open border.
    Border,
    /// It runs through protected points.
    Protected,
    /// What is left would fold, or too little would be left.
    TooLittle,
}

impl fmt::Display for Held {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Line => "seam, hard edge, or edge of a material or part",
            Self::Spiral => "spiral, runs beside or across itself",
            Self::EndsInside => "ends inside the surface",
            Self::Extreme => "extreme of a curve, or sharp edge",
            Self::Border => "ends at a guarded border",
            Self::Protected => "in the protected region",
            Self::TooLittle => "too little would be left around it",
        })
    }
}

/// An edge loop.
#[derive(Clone, Debug)]
pub struct EdgeLoop {
    /// Its points in order.
    pub points: Vec<u32>,
    /// It comes back to its start.
    pub closed: bool,
    /// Triangles that go with it.
    pub triangles: usize,
    /// The furthest one of its points would be from the surface without it, in metres.
    pub deviation_m: f64,
    /// Integral of the squared distance over the surface beside it (m⁴), with what the texture slips.
    pub cost: f64,
    /// Why it stays, if it must.
    pub held: Option<Held>,
    pub(super) edges: Vec<u32>,
}

/// All loops of a quad mesh, cheapest first; those that must stay stand behind, in order of cost too.
pub fn find(mesh: &Mesh, quads: &Quads, options: &Options) -> Vec<EdgeLoop> {
    ranked(mesh, quads, &Graph::of(mesh, quads), options)
}

pub(super) fn ranked(
    mesh: &Mesh,
    quads: &Quads,
    graph: &Graph,
    options: &Options,
) -> Vec<EdgeLoop> {
    let uv_length = uv_length(mesh);
    let mut seen = vec![false; graph.edges.len()];
    let mut loops = Vec::new();
    for start in 0..graph.edges.len() as u32 {
        let edge = &graph.edges[start as usize];
        let inner = edge.faces[1] != NONE
            && edge
                .faces
                .iter()
                .all(|&f| quads.faces[f as usize][3] != NONE);
        if seen[start as usize] || !inner || edge.is_broken {
            continue;
        }
        let walk = graph.walk(start, quads);
        walk.edges.iter().for_each(|&e| seen[e as usize] = true);
        loops.push(judge(mesh, quads, graph, options, walk, uv_length));
    }
    let key = |l: &EdgeLoop| (l.held.is_some(), l.cost);
    loops.sort_by(|a, b| {
        let (a, b) = (key(a), key(b));
        a.0.cmp(&b.0).then(a.1.total_cmp(&b.1))
    });
    loops
}

fn judge(
    mesh: &Mesh,
    quads: &Quads,
    graph: &Graph,
    options: &Options,
    walk: Walk,
    uv_length: f64,
) -> EdgeLoop {
    let mut of = EdgeLoop {
        closed: walk.end == End::Closed,
        triangles: 2 * walk.edges.len(),
        deviation_m: 0.0,
        cost: 0.0,
        held: None,
        points: walk.points,
        edges: walk.edges,
    };
    if walk.end == End::Inside {
        of.held = Some(Held::EndsInside);
    } else if of.edges.iter().any(|&e| graph.edges[e as usize].is_line) {
        of.held = Some(Held::Line);
    } else if meets_itself(graph, &of) {
        of.held = Some(Held::Spiral);
    } else if options.keep.borders && !of.closed {
        of.held = Some(Held::Border);
    } else if of
        .points
        .iter()
        .any(|&p| options.protect.get(p as usize).is_some_and(|&w| w > 0.0))
    {
        of.held = Some(Held::Protected);
    }
    let stays = matches!(of.held, Some(Held::EndsInside | Held::Spiral));
    if !stays {
        let (mut turn, mut rows) = (0.0, [Vec::new(), Vec::new()]);
        for (i, &e) in of.edges.iter().enumerate() {
            let Some(strip) = Strip::of(mesh, quads, graph, e) else {
                of.held.get_or_insert(Held::TooLittle);
                continue;
            };
            let [a, b] = strip.off(mesh, uv_length);
            of.deviation_m = of.deviation_m.max(a.0).max(b.0);
            let square = |x: f64, y: f64| (x * x + x * y + y * y) / 9.0;
            of.cost += strip.area * (square(a.0, b.0) + UV_WEIGHT * square(a.1, b.1));
            turn += strip.turn(mesh);
            // The left face is the one whose side runs along with the walk.
            let along = mesh.vertex_point[strip.own[0][0] as usize] == of.points[i];
            rows[usize::from(along)].push(mesh.position(strip.quad[3]));
            rows[usize::from(!along)].push(mesh.position(strip.quad[0]));
            if of.held.is_none() && !strip.is_sound(mesh, graph) {
                of.held = Some(Held::TooLittle);
            }
        }
        turn /= of.edges.len() as f32;
        let own: Vec<Vec3> = of.points.iter().map(|&p| mesh.points[p as usize]).collect();
        if of.held.is_none() && (turn > SHARP || (of.closed && stands_out(&own, &rows))) {
            of.held = Some(Held::Extreme);
        }
    }
    of
}

/// Whether a point or a face beside it comes twice.
fn meets_itself(graph: &Graph, of: &EdgeLoop) -> bool {
    let mut points = HashSet::new();
    let mut faces = HashSet::new();
    !of.points.iter().all(|p| points.insert(*p))
        || !of
            .edges
            .iter()
            .flat_map(|&e| graph.edges[e as usize].faces)
            .all(|f| faces.insert(f))
}

/// Whether the mean radius of a closed loop is larger, or smaller, than that of both its neighbours.
fn stands_out(own: &[Vec3], rows: &[Vec<Vec3>; 2]) -> bool {
    let radius = |row: &[Vec3]| {
        let middle = row.iter().sum::<Vec3>() / row.len().max(1) as f32;
        row.iter().map(|p| p.distance(middle)).sum::<f32>() / row.len().max(1) as f32
    };
    let (r, a, b) = (radius(own), radius(&rows[0]), radius(&rows[1]));
    let margin = STANDS_OUT * r;
    (r > a + margin && r > b + margin) || (r < a - margin && r < b - margin)
}

/// The two quads beside an edge of a loop, and the quad they become: its vertices run from the right-hand
/// side of the edge's start to its left-hand side.
pub(super) struct Strip {
    /// The joined quad.
    pub quad: [u32; 4],
    /// The left face, which takes its place, and the right one, which goes.
    pub faces: [u32; 2],
    /// The edge's vertices in each face, at the start and the end of `quad`'s first side.
    own: [[u32; 2]; 2],
    area: f64,
}

impl Strip {
    pub fn of(mesh: &Mesh, quads: &Quads, graph: &Graph, edge: u32) -> Option<Self> {
        let faces = graph.edges[edge as usize].faces;
        let turned = |f: u32| -> Option<[u32; 4]> {
            let k = graph.face_edges[f as usize]
                .iter()
                .position(|&e| e == edge)?;
            let face = quads.faces[f as usize];
            (face[3] != NONE).then(|| [0, 1, 2, 3].map(|i| face[(k + i) % 4]))
        };
        let (l, r) = (turned(faces[0])?, turned(faces[1])?);
        let area = 0.5
            * (double_area(l.map(|v| mesh.position(v))) + double_area(r.map(|v| mesh.position(v))));
        Some(Self {
            quad: [r[2], r[3], l[2], l[3]],
            faces,
            own: [[l[0], r[1]], [l[1], r[0]]],
            area,
        })
    }

    /// At both ends: how far the point is from what replaces it, and how far its UV, in metres.
    fn off(&self, mesh: &Mesh, uv_length: f64) -> [(f64, f64); 2] {
        let [ra, rb, lb, la] = self.quad;
        [(self.own[0], la, ra), (self.own[1], lb, rb)].map(|(own, l, r)| {
            let [p, a, b] = [own[0], l, r].map(|v| mesh.position(v));
            let along = (p - a).dot(b - a) / (b - a).length_squared().max(f32::MIN_POSITIVE);
            let along = along.clamp(0.0, 1.0);
            let distance = f64::from(p.distance(a.lerp(b, along)));
            let slip = mesh
                .uv_sets
                .first()
                .filter(|_| own[0] == own[1])
                .map_or(0.0, |uv| {
                    let at: [Vec2; 3] = [own[0], l, r].map(|v| uv[v as usize]);
                    f64::from(at[0].distance(at[1].lerp(at[2], along))) * uv_length
                });
            (distance, slip)
        })
    }

    /// How far the surface turns at the start of the edge, in radians.
    fn turn(&self, mesh: &Mesh) -> f32 {
        let [r, _, _, l] = self.quad;
        let [p, l, r] = [self.own[0][0], l, r].map(|v| mesh.position(v));
        let angle = (p - l).angle_between(r - p);
        if angle.is_finite() { angle } else { 0.0 }
    }

    /// Whether the joined quad is a face and looks the way both did.
    fn is_sound(&self, mesh: &Mesh, graph: &Graph) -> bool {
        let point = self.quad.map(|v| mesh.vertex_point[v as usize]);
        let distinct = (0..4).all(|i| (0..i).all(|j| point[i] != point[j]));
        let joined = |a: u32, b: u32| {
            graph.around(a).iter().any(|&e| {
                let ends = graph.edges[e as usize].ends;
                ends == [a.min(b), a.max(b)]
            })
        };
        let [r0, r1, l1, l0] = self.quad.map(|v| mesh.position(v));
        let [p0, p1] = [self.own[0][0], self.own[1][0]].map(|v| mesh.position(v));
        let normal = |a: Vec3, b: Vec3, c: Vec3, d: Vec3| (c - a).cross(d - b).normalize_or_zero();
        let now = normal(r0, r1, l1, l0);
        let (left, right) = (normal(p0, p1, l1, l0), normal(r0, r1, p1, p0));
        distinct
            && !joined(point[0], point[3])
            && !joined(point[1], point[2])
            && now.dot(left) > 0.2
            && now.dot(right) > 0.2
    }
}

/// Metres per UV unit, over all faces; 1 without UVs.
fn uv_length(mesh: &Mesh) -> f64 {
    let Some(uv) = mesh.uv_sets.first() else {
        return 1.0;
    };
    let (mut flat, mut area) = (0.0, 0.0);
    for f in 0..mesh.face_count() {
        let face = mesh.face(f);
        for k in 1..face.len() - 1 {
            let v = [face[0], face[k], face[k + 1]];
            let [a, b, c] = v.map(|v| mesh.position(v));
            let [s, t, u] = v.map(|v| uv[v as usize]);
            area += f64::from((b - a).cross(c - a).length());
            flat += f64::from((t - s).perp_dot(u - s).abs());
        }
    }
    if flat > 0.0 {
        (area / flat).sqrt()
    } else {
        1.0
    }
}
