//! A mesh with some of its faces changed: what repairs and cuts through planes are written with.

use std::collections::HashMap;

use crate::{Channels, Mesh, Part, Run};

/// Takes the new faces of the run that is being rebuilt.
#[derive(Default)]
pub struct Sink {
    corners: Vec<u32>,
    sizes: Vec<u32>,
}

impl Sink {
    /// Adds a face; one with fewer than three corners is left out.
    pub fn push(&mut self, face: &[u32]) {
        if face.len() >= 3 {
            self.corners.extend_from_slice(face);
            self.sizes.push(face.len() as u32);
        }
    }
}

/// Rebuilds the faces of `mesh` in order: `each` is called with a face's number and its vertices and puts
/// whatever shall stand in its place into the sink. Vertices and points stay; parts stay listed even
/// when nothing is left of them.
pub fn rebuilt(mesh: &Mesh, mut each: impl FnMut(usize, &[u32], &mut Sink)) -> Mesh {
    let mut sink = Sink::default();
    let mut runs = Vec::with_capacity(mesh.runs.len());
    for run in &mesh.runs {
        let first = sink.sizes.len() as u32;
        for f in run.faces.clone() {
            each(f as usize, mesh.face(f as usize), &mut sink);
        }
        runs.push(Run {
            faces: first..sink.sizes.len() as u32,
            ..run.clone()
        });
    }
    let mut out = without_faces(mesh);
    out.runs = runs;
    out.take_faces(sink);
    out
}

/// Keeps the faces for which `keep` is true; nothing unused is left behind.
pub fn kept(mesh: &Mesh, keep: impl Fn(usize) -> bool) -> Mesh {
    let mut out = rebuilt(mesh, |f, face, sink| {
        if keep(f) {
            sink.push(face);
        }
    });
    out.drop_unused();
    out
}

/// Gives every face a part of a new list: `part_of` is asked for each face. Faces of one part come together,
/// in the order of the parts; inside a part they keep their order.
pub fn regrouped(mesh: &Mesh, parts: Vec<Part>, part_of: impl Fn(usize) -> u32) -> Mesh {
    let run = mesh.run_of_faces();
    rearranged(mesh, parts, |f| {
        (part_of(f), mesh.runs[run[f] as usize].material)
    })
}

/// The same with a material for each face. A vertex that several parts use becomes one for each.
pub fn rearranged(
    mesh: &Mesh,
    parts: Vec<Part>,
    owner: impl Fn(usize) -> (u32, Option<u32>),
) -> Mesh {
    // Part, run and material make a new run.
    type Key = (u32, usize, Option<u32>);
    let mut groups: Vec<(Key, Vec<u32>)> = Vec::new();
    let mut slot = HashMap::new();
    for (r, run) in mesh.runs.iter().enumerate() {
        for f in run.faces.clone() {
            let (part, material) = owner(f as usize);
            let key = (part, r, material);
            let at = *slot.entry(key).or_insert_with(|| {
                groups.push((key, Vec::new()));
                groups.len() - 1
            });
            groups[at].1.push(f);
        }
    }
    groups.sort_by_key(|(key, _)| *key);
    let mut out = without_faces(mesh);
    let mut user = vec![u32::MAX; mesh.vertex_count()];
    let mut copies: HashMap<(u32, u32), u32> = HashMap::new();
    let mut sink = Sink::default();
    let mut runs: Vec<Run> = Vec::new();
    let mut own: Vec<u32> = Vec::new();
    for ((part, r, material), faces) in groups {
        let first = sink.sizes.len() as u32;
        for f in faces {
            own.clear();
            for &v in mesh.face(f as usize) {
                let user = &mut user[v as usize];
                if *user == u32::MAX {
                    *user = part;
                }
                own.push(if *user == part {
                    v
                } else {
                    *copies
                        .entry((v, part))
                        .or_insert_with(|| out.copy_vertex(v, mesh.vertex_point[v as usize]))
                });
            }
            sink.push(&own);
        }
        let (given, end) = (&mesh.runs[r], sink.sizes.len() as u32);
        match runs.last_mut() {
            Some(last)
                if (last.part, last.material, last.channels)
                    == (part, material, given.channels) =>
            {
                last.faces.end = end;
            }
            _ => runs.push(Run {
                part,
                material,
                faces: first..end,
                channels: given.channels,
            }),
        }
    }
    out.parts = parts;
    out.runs = runs;
    out.take_faces(sink);
    out
}

fn without_faces(mesh: &Mesh) -> Mesh {
    Mesh {
        points: mesh.points.clone(),
        vertex_point: mesh.vertex_point.clone(),
        normals: mesh.normals.clone(),
        uv_sets: mesh.uv_sets.clone(),
        colours: mesh.colours.clone(),
        parts: mesh.parts.clone(),
        nodes: mesh.nodes.clone(),
        ..Mesh::default()
    }
}

impl Mesh {
    fn take_faces(&mut self, sink: Sink) {
        self.face_starts = sink.sizes.iter().any(|&n| n != 3).then(|| {
            let mut at = 0;
            std::iter::once(0)
                .chain(sink.sizes.iter().map(|n| {
                    at += n;
                    at
                }))
                .collect()
        });
        self.corners = sink.corners;
    }

    /// Drops the vertices that no face uses and the points that no vertex uses.
    pub fn drop_unused(&mut self) {
        let mut remap = vec![u32::MAX; self.vertex_count()];
        let mut keepers = Vec::new();
        for &v in &self.corners {
            let slot = &mut remap[v as usize];
            if *slot == u32::MAX {
                *slot = 0;
            }
        }
        for (v, slot) in remap.iter_mut().enumerate() {
            if *slot == 0 {
                *slot = keepers.len() as u32;
                keepers.push(v);
            }
        }
        self.retain_vertices(&keepers, &remap);
    }

    /// Adds the vertex that lies the share `t` of the way from `a` to `b`, every attribute in between, on the
    /// point `point`.
    pub fn add_vertex_between(&mut self, a: u32, b: u32, t: f32, point: u32) -> u32 {
        let (i, j) = (a as usize, b as usize);
        let v = self.vertex_point.len() as u32;
        self.vertex_point.push(point);
        if !self.normals.is_empty() {
            let n = self.normals[i].lerp(self.normals[j], t);
            self.normals
                .push(n.try_normalize().unwrap_or(self.normals[i]));
        }
        if !self.colours.is_empty() {
            self.colours.push(self.colours[i].lerp(self.colours[j], t));
        }
        for set in &mut self.uv_sets {
            set.push(set[i].lerp(set[j], t));
        }
        v
    }

    /// Adds a copy of vertex `v` on the point `point`.
    pub fn copy_vertex(&mut self, v: u32, point: u32) -> u32 {
        self.add_vertex_between(v, v, 0.0, point)
    }

    /// The run of each face, as indices into [`Mesh::runs`].
    pub fn run_of_faces(&self) -> Vec<u32> {
        let mut of = vec![0; self.face_count()];
        for (r, run) in self.runs.iter().enumerate() {
            of[run.faces.start as usize..run.faces.end as usize].fill(r as u32);
        }
        of
    }

    /// The part of each face.
    pub fn part_of_faces(&self) -> Vec<u32> {
        let mut of = vec![0; self.face_count()];
        for run in &self.runs {
            of[run.faces.start as usize..run.faces.end as usize].fill(run.part);
        }
        of
    }

    /// The points of face `face`, in order.
    pub fn face_points(&self, face: usize) -> impl Iterator<Item = u32> + '_ {
        self.face(face)
            .iter()
            .map(|&v| self.vertex_point[v as usize])
    }

    /// What all vertices of the mesh carry, as far as the arrays tell.
    pub fn channels(&self) -> Channels {
        Channels {
            normals: !self.normals.is_empty(),
            colours: !self.colours.is_empty(),
            uv_sets: self.uv_sets.len() as u8,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{shapes, topology::Topology};

    #[test]
    fn keeping_every_face_changes_nothing() {
        let ball = shapes::icosphere(1.0, 2);
        assert_eq!(kept(&ball, |_| true), ball);
    }

    #[test]
    fn what_only_dropped_faces_used_goes_with_them() {
        let ball = shapes::icosphere(1.0, 1);
        let half = kept(&ball, |f| ball.triangle(f).iter().all(|p| p.y > -1e-6));
        half.check().unwrap();
        assert!(half.points.len() < ball.points.len());
        assert!(half.points.iter().all(|p| p.y > -1e-6));
    }

    #[test]
    fn regrouping_keeps_every_face_and_its_surface() {
        let ball = shapes::icosphere(1.0, 2);
        let parts = vec![Part::default(), Part::default()];
        let two = regrouped(&ball, parts, |f| u32::from(ball.triangle(f)[0].x > 0.0));
        two.check().unwrap();
        assert_eq!(two.runs.len(), 2);
        assert_eq!(Topology::of(&two), Topology::of(&ball));
    }
}
