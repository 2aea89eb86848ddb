//! Polygons in triangles, and put together again.

use ectome_formats::Scene;
use ectome_intake::parts::{fold::Fold, repeats};
use ectome_mesh::{Cancelled, Mesh, Progress, Run, triangulate::triangulate};

/// The scene with triangles only. Equal parts are split alike, so that they stay equal: of a rectangle either
/// diagonal is as good, and rounding would decide.
///
/// # Errors
/// [`Cancelled`].
pub fn triangulated(mut scene: Scene, progress: &Progress) -> Result<Scene, Cancelled> {
    if let Some(split) = Split::of(&scene.mesh, progress)? {
        scene.mesh = split.triangles;
    }
    Ok(scene)
}

/// Polygons and the triangles they are split into, over the same vertices.
pub(crate) struct Split {
    /// The polygons. Those of equal parts stand at the end, made anew from the first of them.
    pub polygons: Mesh,
    /// Their triangles: n − 2 for each polygon of n corners, polygon after polygon.
    pub triangles: Mesh,
}

impl Split {
    /// Splits a mesh; `None` when it has triangles only.
    pub fn of(mesh: &Mesh, progress: &Progress) -> Result<Option<Self>, Cancelled> {
        if mesh.is_triangulated() {
            return Ok(None);
        }
        let fold = Fold::of(mesh, &repeats::find(mesh, progress)?, &[]);
        progress.go_on()?;
        let Some(fold) = fold else {
            return Ok(Some(Self {
                polygons: mesh.clone(),
                triangles: triangulate(mesh).0,
            }));
        };
        let split = triangulate(&fold.mesh).0;
        let same: Vec<u32> = (0..fold.mesh.points.len() as u32).collect();
        let mut copied = Vec::new();
        let polygons = fold.unfold_with(&fold.mesh, &same, &mut |f, back| copied.push((f, back)));
        // Copies are split as what they copy, corner for corner.
        let mut begin = vec![0usize; fold.mesh.face_count() + 1];
        for f in 0..fold.mesh.face_count() {
            begin[f + 1] = begin[f] + fold.mesh.face(f).len() - 2;
        }
        let mut corners = split.corners;
        let own = fold.mesh.face_count();
        for (k, (f, back)) in copied.into_iter().enumerate() {
            let (first, copy) = (fold.mesh.face(f), polygons.face(own + k));
            for t in begin[f]..begin[f + 1] {
                let mut triangle = [0, 1, 2].map(|c| {
                    let v = corners[3 * t + c];
                    let at = first.iter().position(|&w| w == v).unwrap_or(0);
                    copy[if back { copy.len() - 1 - at } else { at }]
                });
                if back {
                    triangle.reverse();
                }
                corners.extend(triangle);
            }
        }
        let mut end = 0u32;
        let runs = polygons
            .runs
            .iter()
            .map(|run| {
                let faces = run
                    .faces
                    .clone()
                    .map(|f| polygons.face(f as usize).len() as u32 - 2);
                let begin = end;
                end += faces.sum::<u32>();
                Run {
                    faces: begin..end,
                    ..run.clone()
                }
            })
            .collect();
        Ok(Some(Self {
            triangles: Mesh {
                corners,
                face_starts: None,
                runs,
                ..polygons.clone()
            },
            polygons,
        }))
    }

    /// The polygons over vertices that may be others by now: `triangles` are the same in the same order. A polygon whose
    /// triangles no longer meet in the same vertices stays in triangles.
    pub fn joined(&self, triangles: &Mesh) -> Mesh {
        let mut sizes = Vec::with_capacity(self.polygons.face_count());
        let mut corners = Vec::with_capacity(self.polygons.corners.len());
        let mut runs = Vec::with_capacity(self.polygons.runs.len());
        let mut next = 0;
        let mut whole = Vec::new();
        for run in &self.polygons.runs {
            let first = sizes.len() as u32;
            for f in run.faces.clone() {
                let face = self.polygons.face(f as usize);
                let own = next..next + 3 * (face.len() - 2);
                next = own.end;
                whole.clear();
                for &v in face {
                    let mut now = own.clone().filter(|&c| self.triangles.corners[c] == v);
                    let first = now.next().map(|c| triangles.corners[c]);
                    let agree = now.all(|c| Some(triangles.corners[c]) == first);
                    whole.extend(first.filter(|_| agree));
                }
                if whole.len() == face.len() {
                    sizes.push(face.len() as u32);
                    corners.extend_from_slice(&whole);
                } else {
                    sizes.extend(std::iter::repeat_n(3, face.len() - 2));
                    corners.extend_from_slice(&triangles.corners[own]);
                }
            }
            runs.push(Run {
                faces: first..sizes.len() as u32,
                channels: run.channels,
                ..run.clone()
            });
        }
        for (run, now) in runs.iter_mut().zip(&triangles.runs) {
            run.channels = now.channels;
        }
        let mut starts = vec![0; sizes.len() + 1];
        for (i, n) in sizes.iter().enumerate() {
            starts[i + 1] = starts[i] + n;
        }
        let polygons = sizes.iter().any(|&n| n > 3);
        Mesh {
            corners,
            face_starts: polygons.then_some(starts),
            runs,
            ..triangles.clone()
        }
    }
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::{Affine3A, Vec3};

    use super::*;

    /// Two bent strips of quads, the second a mirrored copy of the first.
    fn strips() -> Mesh {
        let grid = |x: u32, y: u32| 5 * y + x;
        let positions: Vec<Vec3> = (0..25u32)
            .map(|i| {
                let (x, y) = ((i % 5) as f32, (i / 5) as f32);
                Vec3::new(x, y * y * 0.3, (x * 0.7 + y).sin())
            })
            .collect();
        let mut builder = MeshBuilder::new();
        for (name, frame) in [
            ("one", Affine3A::IDENTITY),
            ("other", Affine3A::from_scale(Vec3::new(-1.0, 1.0, 1.0))),
        ] {
            let corners = (0..16u32).flat_map(|i| {
                let (x, y) = (i % 4, i / 4);
                [
                    grid(x, y),
                    grid(x + 1, y),
                    grid(x + 1, y + 1),
                    grid(x, y + 1),
                ]
            });
            builder.part(name, frame).primitive(Primitive {
                positions: positions.clone(),
                corners: corners.collect(),
                face_sizes: vec![4; 16],
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn polygons_and_their_triangles_share_vertices_and_come_together_again() {
        let mesh = strips();
        let split = Split::of(&mesh, &Progress::new()).unwrap().unwrap();
        assert_eq!(split.polygons.check(), Ok(()));
        assert_eq!(split.triangles.check(), Ok(()));
        assert_eq!(split.polygons.quads_and_ngons(), (32, 0));
        assert_eq!(split.triangles.triangle_count(), 64);
        assert_eq!(split.joined(&split.triangles), split.polygons);
        // A seam along one diagonal leaves that quad in triangles.
        let mut seam = split.triangles.clone();
        let v = seam.corners[0];
        let w = seam.copy_vertex(v, seam.vertex_point[v as usize]);
        seam.corners[0] = w;
        let joined = split.joined(&seam);
        assert_eq!(joined.check(), Ok(()));
        let once = split.triangles.corners[..6]
            .iter()
            .filter(|&&c| c == v)
            .count()
            == 1;
        assert_eq!(joined.quads_and_ngons().0, if once { 32 } else { 31 });
        assert!(
            Split::of(&shapes::icosphere(1.0, 1), &Progress::new())
                .unwrap()
                .is_none()
        );
    }
}
