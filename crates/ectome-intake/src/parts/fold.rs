//! Repeats are worked once: equal parts are folded into one before a cut and put back in place after it.
//!
//! Only what can be put back without a trace is folded: copies with equal UVs, without vertex colours, that
//! share no point with another part. A part that is its own mirror image can be folded to one half.

use std::collections::HashMap;

use ectome_mesh::{Mesh, Run, edit};
use glam::{Affine3A, DVec3, Mat3};

use super::{mirror::Halves, repeats::Group};

/// A copy to be made after the cut.
#[derive(Clone, Debug)]
struct Copy {
    from: u32,
    to: u32,
    motion: Affine3A,
    mirrored: bool,
    /// The plane of a half, which it shares with its image.
    plane: Option<(DVec3, DVec3)>,
}

/// A mesh without its copies, and how to get them back.
#[derive(Clone, Debug)]
pub struct Fold {
    /// What is worked: parts keep their numbers, copies have no faces.
    pub mesh: Mesh,
    /// How often the triangles of each part count in the whole.
    pub weights: Vec<u16>,
    /// The smallest count that each part has by itself.
    smallest: Vec<u32>,
    copies: Vec<Copy>,
    /// Points of `mesh` that lie on the plane of their half.
    on_plane: Vec<bool>,
}

/// Parts that are put back as copies of another.
#[derive(Clone, Debug, PartialEq)]
pub struct Reused {
    /// The part that is worked.
    pub part: u32,
    /// Copies of it, and the motion that takes it onto each.
    pub copies: Vec<(u32, Affine3A)>,
}

impl Fold {
    /// Folds what can be folded; `None` when nothing can.
    pub fn of(mesh: &Mesh, repeats: &[Group], halves: &[Halves]) -> Option<Self> {
        let lonely = lonely(mesh);
        let coloured = |p: u32| mesh.runs.iter().any(|r| r.part == p && r.channels.colours);
        let may = |p: u32| lonely[p as usize] && !coloured(p);
        let mut weights = vec![1u16; mesh.parts.len()];
        let mut copies = Vec::new();
        let mut gone = vec![false; mesh.parts.len()];
        for group in repeats {
            let Some(first) = group.first().filter(|i| may(i.part)) else {
                continue;
            };
            for i in group[1..].iter().filter(|i| i.same_uvs && may(i.part)) {
                if weights[first.part as usize] == u16::MAX {
                    break;
                }
                weights[first.part as usize] += 1;
                gone[i.part as usize] = true;
                copies.push(Copy {
                    from: first.part,
                    to: i.part,
                    motion: i.motion,
                    mirrored: i.mirrored,
                    plane: None,
                });
            }
        }
        let mut half = vec![None; mesh.parts.len()];
        for h in halves {
            let p = h.part as usize;
            if h.clean && h.same_uvs && may(h.part) && weights[p] == 1 && !gone[p] {
                weights[p] = 2;
                half[p] = Some((h.point, h.normal));
                copies.push(Copy {
                    from: h.part,
                    to: h.part,
                    motion: mirror(h.point, h.normal),
                    mirrored: true,
                    plane: Some((h.point, h.normal)),
                });
            }
        }
        if copies.is_empty() {
            return None;
        }
        let part = mesh.part_of_faces();
        let height = |(point, normal): (DVec3, DVec3), p: u32| {
            (mesh.points[p as usize].as_dvec3() - point).dot(normal)
        };
        let folded = edit::kept(mesh, |f| {
            let p = part[f] as usize;
            match (gone[p], half[p]) {
                (true, _) => false,
                (false, None) => true,
                (false, Some(plane)) => {
                    mesh.face_points(f).map(|q| height(plane, q)).sum::<f64>() > 0.0
                }
            }
        });
        let mut on_plane = vec![false; folded.points.len()];
        for run in &folded.runs {
            let Some((point, normal)) = half[run.part as usize] else {
                continue;
            };
            let size = ectome_mesh::measure::bounds(mesh).diagonal();
            for f in run.faces.clone() {
                for p in folded.face_points(f as usize) {
                    let d = (folded.points[p as usize].as_dvec3() - point).dot(normal);
                    on_plane[p as usize] = d.abs() < 2e-5 * f64::from(size);
                }
            }
        }
        let mut folded = folded;
        for copy in &copies {
            // A part keeps what its copies are to keep, and half of it keeps half.
            let wanted = mesh.parts[copy.to as usize].smallest;
            let own = &mut folded.parts[copy.from as usize].smallest;
            *own = match copy.plane {
                Some(_) => wanted.div_ceil(2),
                None => wanted.max(*own),
            };
        }
        Some(Self {
            mesh: folded,
            weights,
            smallest: mesh.parts.iter().map(|p| p.smallest).collect(),
            copies,
            on_plane,
        })
    }

    /// How often each face of the folded mesh counts.
    pub fn face_weights(&self) -> Vec<u16> {
        let part = self.mesh.part_of_faces();
        part.iter().map(|&p| self.weights[p as usize]).collect()
    }

    /// Parts that become copies.
    pub fn reused(&self) -> Vec<Reused> {
        let mut list: Vec<Reused> = Vec::new();
        for c in self.copies.iter().filter(|c| c.plane.is_none()) {
            match list.iter_mut().find(|r| r.part == c.from) {
                Some(r) => r.copies.push((c.to, c.motion)),
                None => list.push(Reused {
                    part: c.from,
                    copies: vec![(c.to, c.motion)],
                }),
            }
        }
        list
    }

    /// Puts the copies back beside what a cut made of the folded mesh. `source` is the point of the folded
    /// mesh that each point of `cut` was.
    pub fn unfold(&self, cut: &Mesh, source: &[u32]) -> Mesh {
        self.unfold_with(cut, source, &mut |_, _| {})
    }

    /// The same; `copied` is told of each face that is put back, in order: the face of `cut` it copies, and whether its corners
    /// run backward.
    pub fn unfold_with(
        &self,
        cut: &Mesh,
        source: &[u32],
        copied: &mut dyn FnMut(usize, bool),
    ) -> Mesh {
        let mut out = cut.clone();
        for (part, &own) in out.parts.iter_mut().zip(&self.smallest) {
            part.smallest = own;
        }
        let mut corners = std::mem::take(&mut out.corners);
        let mut starts = out.face_starts.take();
        let mut runs = std::mem::take(&mut out.runs);
        let mut faces = cut.face_count() as u32;
        let mut face = Vec::new();
        for copy in &self.copies {
            let mut put = Put {
                copy,
                cut,
                on_plane: |p| self.on_plane[source[p as usize] as usize],
                normal_map: Mat3::from(copy.motion.matrix3),
                points: HashMap::new(),
                vertices: HashMap::new(),
            };
            for run in cut.runs.iter().filter(|r| r.part == copy.from) {
                let first = faces;
                for f in run.faces.clone() {
                    face.clear();
                    face.extend(
                        cut.face(f as usize)
                            .iter()
                            .map(|&v| put.vertex(&mut out, v)),
                    );
                    if copy.mirrored {
                        face.reverse();
                    }
                    copied(f as usize, copy.mirrored);
                    corners.extend_from_slice(&face);
                    if let Some(starts) = &mut starts {
                        starts.push(corners.len() as u32);
                    }
                    faces += 1;
                }
                runs.push(Run {
                    part: copy.to,
                    faces: first..faces,
                    ..run.clone()
                });
            }
        }
        out.corners = corners;
        out.face_starts = starts;
        out.runs = runs;
        out
    }
}

/// Copies of the vertices of one part.
struct Put<'a, P> {
    copy: &'a Copy,
    cut: &'a Mesh,
    on_plane: P,
    normal_map: Mat3,
    points: HashMap<u32, u32>,
    vertices: HashMap<u32, u32>,
}

impl<P: Fn(u32) -> bool> Put<'_, P> {
    fn vertex(&mut self, out: &mut Mesh, v: u32) -> u32 {
        if let Some(&w) = self.vertices.get(&v) {
            return w;
        }
        let p = self.cut.vertex_point[v as usize];
        let shared = self.copy.plane.filter(|_| (self.on_plane)(p));
        let w = match shared {
            Some((point, normal)) => self.shared_vertex(out, v, p, point, normal),
            None => {
                let point = *self.points.entry(p).or_insert_with(|| {
                    let place = self.cut.points[p as usize];
                    out.points.push(self.copy.motion.transform_point3(place));
                    out.points.len() as u32 - 1
                });
                let w = out.copy_vertex(v, point);
                if !out.normals.is_empty() {
                    out.normals[w as usize] = self.normal_map * self.cut.normals[v as usize];
                }
                w
            }
        };
        self.vertices.insert(v, w);
        w
    }

    /// A vertex on the plane: one point for both halves, and one vertex unless the plane is a hard edge.
    fn shared_vertex(&self, out: &mut Mesh, v: u32, p: u32, point: DVec3, normal: DVec3) -> u32 {
        let place = out.points[p as usize].as_dvec3();
        out.points[p as usize] = (place - normal * (place - point).dot(normal)).as_vec3();
        let Some(&n) = self.cut.normals.get(v as usize) else {
            return v;
        };
        let across = normal.as_vec3();
        if n.dot(across).abs() < 0.3 {
            out.normals[v as usize] = (n - across * n.dot(across)).normalize_or(n);
            return v;
        }
        let w = out.copy_vertex(v, p);
        out.normals[w as usize] = self.normal_map * n;
        w
    }
}

fn mirror(point: DVec3, normal: DVec3) -> Affine3A {
    let n = normal.as_vec3();
    let turn = Mat3::IDENTITY - 2.0 * Mat3::from_cols(n * n.x, n * n.y, n * n.z);
    let point = point.as_vec3();
    Affine3A::from_mat3_translation(turn, point - turn * point)
}

/// Parts that share no point with another.
fn lonely(mesh: &Mesh) -> Vec<bool> {
    let mut owner = vec![u32::MAX; mesh.points.len()];
    let mut lonely = vec![true; mesh.parts.len()];
    for run in &mesh.runs {
        for f in run.faces.clone() {
            for p in mesh.face_points(f as usize) {
                let slot = &mut owner[p as usize];
                if *slot == u32::MAX {
                    *slot = run.part;
                } else if *slot != run.part {
                    lonely[*slot as usize] = false;
                    lonely[run.part as usize] = false;
                }
            }
        }
    }
    lonely
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::parts::{mirror, repeats};
    use ectome_mesh::{MeshBuilder, Primitive, Progress, measure, shapes, topology::Topology};
    use glam::{Quat, Vec3};

    fn cones(n: u32) -> Mesh {
        let mut builder = MeshBuilder::new();
        for i in 0..n {
            let flip = if i % 2 == 1 { -1.0 } else { 1.0 };
            let frame = Affine3A::from_scale_rotation_translation(
                Vec3::new(flip, 1.0, 1.0),
                Quat::from_rotation_y(i as f32),
                Vec3::X * 3.0 * i as f32,
            );
            let mut ball = shapes::icosphere(1.0, 2);
            for p in &mut ball.points {
                p.x += 0.3 * p.y * p.y + 0.2 * p.z * p.x;
            }
            builder.part("cone", frame).primitive(Primitive {
                positions: ball
                    .vertex_point
                    .iter()
                    .map(|&p| ball.points[p as usize])
                    .collect(),
                corners: ball.corners,
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn folding_and_unfolding_gives_the_mesh_back() {
        let mesh = cones(5);
        let fold = Fold::of(&mesh, &repeats::find(&mesh, &Progress::new()).unwrap(), &[]).unwrap();
        assert_eq!(fold.mesh.face_count(), 320);
        assert_eq!(fold.weights, [5, 1, 1, 1, 1]);
        let all: Vec<u32> = (0..fold.mesh.points.len() as u32).collect();
        let back = fold.unfold(&fold.mesh, &all);
        back.check().unwrap();
        assert_eq!(back.triangles_per_part(), mesh.triangles_per_part());
        assert!((measure::volume(&back) / measure::volume(&mesh) - 1.0).abs() < 1e-5);
        let (a, b) = (measure::bounds(&back), measure::bounds(&mesh));
        assert!(a.min.distance(b.min) < 1e-4 && a.max.distance(b.max) < 1e-4);
    }

    #[test]
    fn a_half_and_its_image_close_again() {
        let ball = shapes::torus(1.0, 0.3, 24, 12);
        let halves = mirror::find(&ball, &Progress::new()).unwrap();
        // Cells of the torus split along one diagonal: mirrored they fall on the other. Quads would do.
        let quads = {
            let mut builder = MeshBuilder::new();
            builder.primitive(Primitive {
                positions: ball
                    .vertex_point
                    .iter()
                    .map(|&p| ball.points[p as usize])
                    .collect(),
                corners: ball
                    .corners
                    .chunks_exact(6)
                    .flat_map(|q| [q[0], q[1], q[2], q[5]])
                    .collect(),
                face_sizes: vec![4; ball.corners.len() / 6],
                ..Primitive::default()
            });
            builder.finish()
        };
        let found = mirror::find(&quads, &Progress::new()).unwrap();
        assert!(found[0].clean);
        assert!(
            Fold::of(&ball, &[], &halves).is_none(),
            "triangles do not mirror"
        );
        let fold = Fold::of(&quads, &[], &found).unwrap();
        assert_eq!(fold.mesh.face_count() * 2, quads.face_count());
        let half = ectome_mesh::triangulate::triangulate(&fold.mesh).0;
        let all: Vec<u32> = (0..half.points.len() as u32).collect();
        let back = fold.unfold(&half, &all);
        back.check().unwrap();
        let t = Topology::of(&back);
        assert_eq!(
            (t.open_edges, t.nonmanifold_edges, t.inconsistent_edges),
            (0, 0, 0)
        );
        assert_eq!(t.euler_characteristic, 0);
    }

    #[test]
    fn parts_that_touch_their_neighbours_are_not_folded() {
        let mut builder = MeshBuilder::new();
        for x in 0..3 {
            let b = shapes::cuboid(Vec3::ONE);
            builder
                .part("brick", Affine3A::from_translation(Vec3::X * x as f32))
                .primitive(Primitive {
                    positions: b
                        .vertex_point
                        .iter()
                        .map(|&p| b.points[p as usize])
                        .collect(),
                    corners: b.corners,
                    ..Primitive::default()
                });
        }
        let mesh = builder.finish();
        let groups = repeats::find(&mesh, &Progress::new()).unwrap();
        assert_eq!(groups[0].len(), 3);
        assert!(Fold::of(&mesh, &groups, &[]).is_none());
    }
}
