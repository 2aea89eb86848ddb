//! The surface as unwrapping sees it: triangles between points, and the edges they share.

use ectome_mesh::{Mesh, measure, topology::sorted_half_edges};
use glam::DVec3;

/// No face, no edge.
pub const NONE: u32 = u32::MAX;

/// An edge between two points.
#[derive(Clone, Copy, Debug)]
pub struct Edge {
    /// Its points, the lower first.
    pub points: [u32; 2],
    /// The faces on both sides; [`NONE`] where there is none.
    pub faces: [u32; 2],
    /// In metres.
    pub length: f64,
    /// The angle between the normals of its faces in radians: above zero where the surface is convex, below where
    /// it is concave, zero at borders.
    pub turn: f64,
    /// It ends an island whatever happens: a border, an edge of more than two faces, of faces that do not agree, or
    /// between parts.
    pub fixed: bool,
}

/// Triangles, edges, areas and normals of a mesh.
#[derive(Clone, Debug)]
pub struct FaceGraph {
    /// Places, in metres.
    pub points: Vec<DVec3>,
    /// The points of each face.
    pub faces: Vec<[u32; 3]>,
    /// The edge that leaves each corner; [`NONE`] for faces that use a point twice.
    pub face_edges: Vec<[u32; 3]>,
    /// The edges.
    pub edges: Vec<Edge>,
    /// Area of each face, in square metres.
    pub area: Vec<f64>,
    /// Unit normal of each face; zero without area.
    pub normal: Vec<DVec3>,
    /// The part of each face.
    pub part: Vec<u32>,
}

impl FaceGraph {
    /// The surface of an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let n = mesh.face_count();
        let points: Vec<DVec3> = mesh.points.iter().map(|p| p.as_dvec3()).collect();
        let faces: Vec<[u32; 3]> = (0..n).map(|f| mesh.triangle_points(f)).collect();
        let (mut area, mut normal) = (Vec::with_capacity(n), Vec::with_capacity(n));
        for f in 0..n {
            let vector = measure::area_vector(mesh.triangle(f));
            area.push(vector.length());
            normal.push(vector.normalize_or_zero());
        }
        let part = mesh.part_of_faces();
        let mut face_edges = vec![[NONE; 3]; n];
        let mut edges = Vec::new();
        let sides = sorted_half_edges(mesh);
        for shared in sides.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
            let [low, high] = [shared[0].low, shared[0].high];
            let place = |c: u32| ((c / 3) as usize, (c % 3) as usize);
            let ups: Vec<bool> = shared
                .iter()
                .map(|s| {
                    let (f, k) = place(s.corner);
                    faces[f][k] == low
                })
                .collect();
            let joins = shared.len() == 2
                && ups[0] != ups[1]
                && part[place(shared[0].corner).0] == part[place(shared[1].corner).0];
            let length = points[low as usize].distance(points[high as usize]);
            if joins {
                let (f, k) = place(shared[0].corner);
                let (g, m) = place(shared[1].corner);
                // Convex where the far corner of one face lies below the plane of the other.
                let far = points[faces[g][(m + 2) % 3] as usize];
                let below = (far - points[low as usize]).dot(normal[f]) <= 0.0;
                let angle = match normal[f].length_squared().min(normal[g].length_squared()) {
                    0.0 => 0.0,
                    _ => normal[f].dot(normal[g]).clamp(-1.0, 1.0).acos(),
                };
                face_edges[f][k] = edges.len() as u32;
                face_edges[g][m] = edges.len() as u32;
                edges.push(Edge {
                    points: [low, high],
                    faces: [f as u32, g as u32],
                    length,
                    turn: if below { angle } else { -angle },
                    fixed: false,
                });
            } else {
                for s in shared {
                    let (f, k) = place(s.corner);
                    face_edges[f][k] = edges.len() as u32;
                    edges.push(Edge {
                        points: [low, high],
                        faces: [f as u32, NONE],
                        length,
                        turn: 0.0,
                        fixed: true,
                    });
                }
            }
        }
        Self {
            points,
            faces,
            face_edges,
            edges,
            area,
            normal,
            part,
        }
    }

    /// The face across edge `edge` from `face`, or [`NONE`].
    pub fn across(&self, edge: u32, face: u32) -> u32 {
        let [a, b] = self.edges[edge as usize].faces;
        if a == face { b } else { a }
    }

    /// True for faces that can lie on a map: three different points.
    pub fn is_proper(&self, face: usize) -> bool {
        self.face_edges[face][0] != NONE
    }
}
