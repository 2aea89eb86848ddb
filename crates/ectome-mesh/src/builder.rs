//! Loose primitives, as files hold them, become one mesh with shared points.

use glam::{Affine3A, Mat3, Vec2, Vec3, Vec4};

use crate::{
    Channels, Mesh, Node, Part, Run,
    weld::{classes, position_key},
};

/// One primitive as a file holds it: its own vertices and faces, in the part's own space.
#[derive(Clone, Debug, Default)]
pub struct Primitive {
    /// Places, one per vertex.
    pub positions: Vec<Vec3>,
    /// Normals, one per vertex, or empty.
    pub normals: Vec<Vec3>,
    /// UV sets, each one per vertex.
    pub uv_sets: Vec<Vec<Vec2>>,
    /// Linear RGBA, one per vertex, or empty.
    pub colours: Vec<Vec4>,
    /// Vertices of the faces.
    pub corners: Vec<u32>,
    /// Corners of each face; empty when all are triangles.
    pub face_sizes: Vec<u32>,
    /// Index into the material list.
    pub material: Option<u32>,
}

/// Gathers primitives into one [`Mesh`]: places that are equal bit for bit become one point, and
/// vertices that are equal in everything become one vertex, across all primitives of a part.
#[derive(Default)]
pub struct MeshBuilder {
    mesh: Mesh,
    sizes: Vec<u32>,
    any_polygon: bool,
}

impl MeshBuilder {
    /// An empty builder.
    pub fn new() -> Self {
        Self::default()
    }

    /// Adds a part; the primitives that follow belong to it.
    pub fn part(&mut self, name: &str, frame: Affine3A) -> &mut Self {
        self.mesh.parts.push(Part::new(name, frame));
        self
    }

    /// Adds a node of the source's tree below one that was added before, and gives its number.
    pub fn node(&mut self, name: &str, local: Affine3A, parent: Option<u32>) -> u32 {
        self.mesh.nodes.push(Node {
            name: name.to_owned(),
            local,
            parent,
        });
        self.mesh.nodes.len() as u32 - 1
    }

    /// Says which node holds the latest part.
    pub fn hang(&mut self, node: Option<u32>) -> &mut Self {
        if let Some(part) = self.mesh.parts.last_mut() {
            part.node = node;
        }
        self
    }

    /// Adds a primitive to the latest part. Its arrays must be as long as `positions` or empty and
    /// its corners in range; readers check that before they get here.
    pub fn primitive(&mut self, primitive: Primitive) -> &mut Self {
        if self.mesh.parts.is_empty() {
            self.part("", Affine3A::IDENTITY);
        }
        let part = self.mesh.parts.len() - 1;
        let frame = self.mesh.parts[part].frame;
        let normal_map = Mat3::from(frame.matrix3).inverse().transpose();
        let mirrored = frame.matrix3.determinant() < 0.0;
        let mesh = &mut self.mesh;
        let n = primitive.positions.len();
        let first_vertex = mesh.vertex_point.len();
        let first_face = self.sizes.len() as u32;
        let channels = Channels {
            normals: primitive.normals.len() == n && n > 0,
            colours: primitive.colours.len() == n && n > 0,
            uv_sets: primitive.uv_sets.len() as u8,
        };

        mesh.vertex_point
            .extend((first_vertex as u32)..(first_vertex + n) as u32);
        mesh.points.extend(
            primitive
                .positions
                .iter()
                .map(|&p| frame.transform_point3(p)),
        );
        extend_dense(
            &mut mesh.normals,
            first_vertex,
            n,
            channels.normals.then(|| {
                primitive
                    .normals
                    .iter()
                    .map(|&v| (normal_map * v).try_normalize().unwrap_or(Vec3::ZERO))
                    .collect()
            }),
        );
        extend_dense(
            &mut mesh.colours,
            first_vertex,
            n,
            channels.colours.then_some(primitive.colours),
        );
        while mesh.uv_sets.len() < primitive.uv_sets.len() {
            mesh.uv_sets.push(vec![Vec2::ZERO; first_vertex]);
        }
        let mut sets = primitive.uv_sets.into_iter();
        for set in &mut mesh.uv_sets {
            match sets.next() {
                Some(given) => set.extend(given),
                None => set.resize(first_vertex + n, Vec2::ZERO),
            }
        }

        let triangles = vec![3; primitive.corners.len() / 3];
        let sizes = if primitive.face_sizes.is_empty() {
            triangles
        } else {
            primitive.face_sizes
        };
        let mut at = 0;
        for &size in &sizes {
            let face = &primitive.corners[at..at + size as usize];
            at += size as usize;
            let start = mesh.corners.len();
            mesh.corners
                .extend(face.iter().map(|&v| v + first_vertex as u32));
            if mirrored {
                mesh.corners[start + 1..].reverse();
            }
            self.any_polygon |= size != 3;
        }
        self.sizes.extend(sizes);
        mesh.runs.push(Run {
            part: part as u32,
            material: primitive.material,
            faces: first_face..self.sizes.len() as u32,
            channels,
        });
        self
    }

    /// Shares points and vertices and hands the mesh over. Parts without faces stay listed.
    pub fn finish(mut self) -> Mesh {
        let mut mesh = std::mem::take(&mut self.mesh);
        if self.any_polygon {
            let mut starts = Vec::with_capacity(self.sizes.len() + 1);
            let mut at = 0;
            starts.push(0);
            for size in &self.sizes {
                at += size;
                starts.push(at);
            }
            mesh.face_starts = Some(starts);
        }
        share_points(&mut mesh);
        mesh.share_vertices();
        mesh
    }
}

/// Extends an attribute array that is empty until some run carries the attribute.
fn extend_dense<T: Copy + Default>(
    array: &mut Vec<T>,
    before: usize,
    n: usize,
    given: Option<Vec<T>>,
) {
    match given {
        Some(values) => {
            array.resize(before, T::default());
            array.extend(values);
        }
        None if !array.is_empty() => array.resize(before + n, T::default()),
        None => {}
    }
}

/// Makes equal places one point. Places that differ in the last bit stay apart: closing gaps is a
/// weld with a distance, which is a repair the user asks for.
fn share_points(mesh: &mut Mesh) {
    let keys: Vec<_> = mesh.points.iter().map(|&p| position_key(p)).collect();
    let (class, first) = classes(&keys);
    mesh.points = first.iter().map(|&i| mesh.points[i as usize]).collect();
    mesh.vertex_point = class;
}

/// Splits classes by a further key.
fn refine(class: &[u32], key: impl Fn(usize) -> [u32; 3]) -> Vec<u32> {
    let keys: Vec<[u32; 4]> = class
        .iter()
        .enumerate()
        .map(|(v, &c)| {
            let k = key(v);
            [c, k[0], k[1], k[2]]
        })
        .collect();
    classes(&keys).0
}

impl Mesh {
    /// Makes vertices that are equal bit for bit in every attribute one vertex, and drops unused ones.
    pub fn share_vertices(&mut self) {
        let mesh = self;
        let mut used = vec![false; mesh.vertex_count()];
        for &v in &mesh.corners {
            used[v as usize] = true;
        }
        // Vertices of different parts and different channels stay apart, so that a run's channels hold
        // for all its vertices.
        let mut group = vec![0u32; mesh.vertex_count()];
        for run in &mesh.runs {
            let tag = run.part.wrapping_mul(1024)
                + u32::from(run.channels.normals)
                + 2 * u32::from(run.channels.colours)
                + 4 * u32::from(run.channels.uv_sets);
            for face in run.faces.clone() {
                let range = match &mesh.face_starts {
                    Some(s) => s[face as usize] as usize..s[face as usize + 1] as usize,
                    None => 3 * face as usize..3 * face as usize + 3,
                };
                for &v in &mesh.corners[range] {
                    group[v as usize] = tag;
                }
            }
        }
        let mut key_class: Vec<u32> = {
            let keys: Vec<[u32; 2]> = (0..mesh.vertex_count())
                .map(|v| [mesh.vertex_point[v], group[v]])
                .collect();
            classes(&keys).0
        };
        if !mesh.normals.is_empty() {
            key_class = refine(&key_class, |v| position_key(mesh.normals[v]));
        }
        for set in &mesh.uv_sets {
            key_class = refine(&key_class, |v| {
                let uv = set[v] + Vec2::ZERO;
                [uv.x.to_bits(), uv.y.to_bits(), 0]
            });
        }
        if !mesh.colours.is_empty() {
            key_class = refine(&key_class, |v| position_key(mesh.colours[v].truncate()));
            key_class = refine(&key_class, |v| [mesh.colours[v].w.to_bits(), 0, 0]);
        }
        let mut kept = vec![u32::MAX; mesh.vertex_count()];
        let mut keepers = Vec::new();
        let mut remap = vec![u32::MAX; mesh.vertex_count()];
        for v in 0..mesh.vertex_count() {
            if used[v] {
                let slot = &mut kept[key_class[v] as usize];
                if *slot == u32::MAX {
                    *slot = keepers.len() as u32;
                    keepers.push(v);
                }
                remap[v] = *slot;
            }
        }
        mesh.retain_vertices(&keepers, &remap);
    }

    /// Keeps the vertices `keepers` (in that order), renames corners by `remap` (old vertex to
    /// new), and drops points nothing uses any more.
    pub fn retain_vertices(&mut self, keepers: &[usize], remap: &[u32]) {
        for corner in &mut self.corners {
            *corner = remap[*corner as usize];
        }
        if !self.normals.is_empty() {
            self.normals = keepers.iter().map(|&v| self.normals[v]).collect();
        }
        if !self.colours.is_empty() {
            self.colours = keepers.iter().map(|&v| self.colours[v]).collect();
        }
        for set in &mut self.uv_sets {
            *set = keepers.iter().map(|&v| set[v]).collect();
        }
        let mut new_point = vec![u32::MAX; self.points.len()];
        let mut points = Vec::new();
        self.vertex_point = keepers
            .iter()
            .map(|&v| {
                let old = self.vertex_point[v] as usize;
                if new_point[old] == u32::MAX {
                    new_point[old] = points.len() as u32;
                    points.push(self.points[old]);
                }
                new_point[old]
            })
            .collect();
        self.points = points;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn quad(material: u32, x: f32) -> Primitive {
        Primitive {
            positions: vec![
                Vec3::new(x, 0.0, 0.0),
                Vec3::new(x + 1.0, 0.0, 0.0),
                Vec3::new(x + 1.0, 1.0, 0.0),
                Vec3::new(x, 1.0, 0.0),
            ],
            corners: vec![0, 1, 2, 3],
            face_sizes: vec![4],
            material: Some(material),
            ..Primitive::default()
        }
    }

    #[test]
    fn primitives_that_touch_share_points() {
        let mut builder = MeshBuilder::new();
        builder.part("wall", Affine3A::IDENTITY);
        builder.primitive(quad(0, 0.0)).primitive(quad(1, 1.0));
        let mesh = builder.finish();
        mesh.check().unwrap();
        assert_eq!(mesh.points.len(), 6);
        assert_eq!(mesh.face_count(), 2);
        assert_eq!(mesh.triangle_count(), 4);
        assert_eq!(mesh.quads_and_ngons(), (2, 0));
        assert_eq!(mesh.material_count(), 2);
    }

    #[test]
    fn a_mirroring_frame_turns_the_winding() {
        let mut builder = MeshBuilder::new();
        builder.part("m", Affine3A::from_scale(Vec3::new(-1.0, 1.0, 1.0)));
        builder.primitive(quad(0, 0.0));
        let mesh = builder.finish();
        let c = mesh.face(0);
        let normal = (mesh.position(c[1]) - mesh.position(c[0]))
            .cross(mesh.position(c[2]) - mesh.position(c[1]));
        assert!(normal.z > 0.0);
    }

    #[test]
    fn unindexed_soup_is_shared_again() {
        let grid = quad(0, 0.0);
        let soup = Primitive {
            positions: [0, 1, 2, 0, 2, 3].map(|i| grid.positions[i]).to_vec(),
            corners: (0..6).collect(),
            ..Primitive::default()
        };
        let mut builder = MeshBuilder::new();
        builder.primitive(soup);
        let mesh = builder.finish();
        assert_eq!((mesh.vertex_count(), mesh.points.len()), (4, 4));
    }
}
