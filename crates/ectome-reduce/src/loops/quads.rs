//! Faces of up to four corners, given as quads or recovered from triangles.

use ectome_mesh::{Mesh, measure::area_vector, topology::sorted_half_edges};
use glam::{DVec3, Vec3};

/// Two triangles that meet at more than this angle are no quad: cosine of 40°.
const BEND_COSINE: f64 = 0.766;
/// A corner of a quad is off from a right angle by at most this cosine (75°).
const SLANT_COSINE: f64 = 0.966;
/// No corner: the fourth of a triangle.
pub const NONE: u32 = u32::MAX;

/// A mesh as faces of three or four vertices. Larger faces are left out of `faces`.
#[derive(Clone, Debug)]
pub struct Quads {
    /// Vertices of each face; the fourth of a triangle is [`NONE`].
    pub faces: Vec<[u32; 4]>,
    /// The run of each face.
    pub run: Vec<u32>,
    /// How many quads there are.
    pub quads: usize,
    /// How many of them were recovered from pairs of triangles.
    pub recovered: usize,
}

impl Quads {
    /// Takes quads as they are; pairs of triangles that make a good quad are joined, best first, and stay joined where they
    /// lie in rows: two triangles of a scan make a quad by chance, rows of them come of somebody's quads.
    /// `None` when a face has more than four corners.
    pub fn of(mesh: &Mesh) -> Option<Self> {
        let n = mesh.face_count();
        let mut run = Vec::with_capacity(n);
        for (r, stretch) in mesh.runs.iter().enumerate() {
            run.extend(stretch.faces.clone().map(|_| r as u32));
        }
        let mut faces = Vec::with_capacity(n);
        for f in 0..n {
            faces.push(match *mesh.face(f) {
                [a, b, c] => [a, b, c, NONE],
                [a, b, c, d] => [a, b, c, d],
                _ => return None,
            });
        }
        let given = faces.iter().filter(|f| f[3] != NONE).count();
        let mut joined = vec![NONE; n];
        for (_, one, other, quad) in candidates(mesh, &run) {
            let (a, b) = (one as usize, other as usize);
            if joined[a] == NONE && joined[b] == NONE {
                (joined[a], joined[b]) = (other, one);
                faces[a.min(b)] = quad;
            }
        }
        // What only pairs up by chance is taken apart again.
        let rows = if joined.iter().any(|&other| other != NONE) {
            in_rows(mesh, &faces, &joined)
        } else {
            Vec::new()
        };
        for (f, stays) in rows.into_iter().enumerate() {
            if joined[f] != NONE && (f as u32) < joined[f] && !stays {
                let other = joined[f] as usize;
                for t in [f, other] {
                    joined[t] = NONE;
                    if let [a, b, c] = *mesh.face(t) {
                        faces[t] = [a, b, c, NONE];
                    }
                }
            }
        }
        let keep = |f: usize| joined[f] == NONE || (f as u32) < joined[f];
        let kept: Vec<usize> = (0..n).filter(|&f| keep(f)).collect();
        let faces: Vec<[u32; 4]> = kept.iter().map(|&f| faces[f]).collect();
        let quads = faces.iter().filter(|f| f[3] != NONE).count();
        Some(Self {
            run: kept.iter().map(|&f| run[f]).collect(),
            recovered: quads - given,
            quads,
            faces,
        })
    }

    /// The mesh with these faces instead of its own; points and vertices that nothing uses any more go.
    pub fn into_mesh(self, source: &Mesh) -> Mesh {
        let mut mesh = Mesh {
            corners: Vec::new(),
            runs: Vec::new(),
            face_starts: None,
            ..source.clone()
        };
        let mut starts = vec![0u32];
        for (r, run) in source.runs.iter().enumerate() {
            let first = starts.len() as u32 - 1;
            for (face, _) in (self.faces.iter().zip(&self.run)).filter(|(_, of)| **of == r as u32) {
                mesh.corners.extend(face.iter().filter(|&&v| v != NONE));
                starts.push(mesh.corners.len() as u32);
            }
            let stop = starts.len() as u32 - 1;
            if stop > first {
                let mut run = run.clone();
                run.faces = first..stop;
                mesh.runs.push(run);
            }
        }
        let triangles = starts.windows(2).all(|w| w[1] - w[0] == 3);
        mesh.face_starts = (!triangles).then_some(starts);
        mesh.share_vertices();
        mesh
    }
}

/// Which quads lie in rows. `faces` holds a joined quad at the lower of the two numbers that `joined` ties together.
///
/// A point is even where four quads meet and nothing else, or two or one at an open border. A quad lies in a row when all its
/// points are even, or when it is beside one of which that is true; so the rows around a pole, a corner or an end stay.
fn in_rows(mesh: &Mesh, faces: &[[u32; 4]], joined: &[u32]) -> Vec<bool> {
    let stands = |f: usize| joined[f] == NONE || (f as u32) < joined[f];
    let point = |v: u32| mesh.vertex_point[v as usize] as usize;
    let mut quads = vec![0u32; mesh.points.len()];
    let mut others = vec![0u32; mesh.points.len()];
    for (_, face) in faces.iter().enumerate().filter(|(f, _)| stands(*f)) {
        let is_quad = face[3] != NONE;
        for &v in face.iter().filter(|&&v| v != NONE) {
            if is_quad {
                quads[point(v)] += 1
            } else {
                others[point(v)] += 1
            }
        }
    }
    let mut open = vec![false; mesh.points.len()];
    let half_edges = sorted_half_edges(mesh);
    for edge in half_edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        if let [one] = edge {
            (open[one.low as usize], open[one.high as usize]) = (true, true);
        }
    }
    let even = |v: u32| {
        let p = point(v);
        others[p] == 0
            && if open[p] {
                (1..=2).contains(&quads[p])
            } else {
                quads[p] == 4
            }
    };
    let is_core = |f: usize| {
        let face = faces[f];
        stands(f) && face[3] != NONE && face.iter().all(|&v| even(v))
    };
    let core: Vec<bool> = (0..faces.len()).map(is_core).collect();
    // The quad that a face of the mesh became part of.
    let quad_of = |f: usize| match joined[f] {
        NONE => f,
        other => f.min(other as usize),
    };
    let mut stays = core.clone();
    for edge in half_edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        if let [a, b] = edge {
            let [f, g] = [a, b].map(|h| quad_of(h.corner as usize / 3));
            stays[f] |= core[g];
            stays[g] |= core[f];
        }
    }
    stays
}

/// Pairs of triangles over one edge that make a convex, nearly flat quad within a run and without a seam
/// between them, best first: (how far its corners are from right angles, the faces, the quad).
fn candidates(mesh: &Mesh, run: &[u32]) -> Vec<(f64, u32, u32, [u32; 4])> {
    if !mesh.is_triangulated() {
        return Vec::new();
    }
    let mut list = Vec::new();
    for edge in sorted_half_edges(mesh).chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        let [a, b] = edge else { continue };
        let (f, g) = (a.corner / 3, b.corner / 3);
        if run[f as usize] != run[g as usize] {
            continue;
        }
        let at =
            |corner: u32, k: u32| mesh.corners[(corner - corner % 3 + (corner + k) % 3) as usize];
        let (from, to, tip) = (at(a.corner, 0), at(a.corner, 1), at(a.corner, 2));
        let (from2, to2, tip2) = (at(b.corner, 0), at(b.corner, 1), at(b.corner, 2));
        if from != to2 || to != from2 {
            continue; // a seam, or wound apart
        }
        let quad = [from, tip2, to, tip];
        let p = quad.map(|v| mesh.position(v).as_dvec3());
        if let Some(off) = slant(p) {
            let (n1, n2) = (
                area_vector(mesh.triangle(f as usize)),
                area_vector(mesh.triangle(g as usize)),
            );
            if n1.dot(n2) >= BEND_COSINE * n1.length() * n2.length() {
                list.push((off, f, g, quad));
            }
        }
    }
    list.sort_by(|a, b| a.0.total_cmp(&b.0).then((a.1, a.2).cmp(&(b.1, b.2))));
    list
}

/// The sum over the corners of the cosines by which they are off from right angles; `None` where one is too
/// far off or turns inwards.
fn slant(p: [DVec3; 4]) -> Option<f64> {
    let normal = (p[2] - p[0]).cross(p[3] - p[1]);
    let mut sum = 0.0;
    for i in 0..4 {
        let (before, after) = (p[(i + 3) % 4] - p[i], p[(i + 1) % 4] - p[i]);
        let cosine = before.dot(after) / (before.length() * after.length());
        if !cosine.is_finite()
            || cosine.abs() > SLANT_COSINE
            || after.cross(before).dot(normal) <= 0.0
        {
            return None;
        }
        sum += cosine.abs();
    }
    Some(sum)
}

/// Twice the area of a face, by its diagonals.
pub fn double_area(p: [Vec3; 4]) -> f64 {
    let p = p.map(Vec3::as_dvec3);
    (p[2] - p[0]).cross(p[3] - p[1]).length()
}
