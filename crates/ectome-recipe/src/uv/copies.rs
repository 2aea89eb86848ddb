//! Faces of repeats: which face of which part each one copies.

use std::collections::HashMap;

use ectome_intake::parts::{mirror, repeats};
use ectome_mesh::{Cancelled, Mesh, Progress};
use ectome_uv::{face_graph::NONE, layout::Layout};
use glam::{DVec2, Vec3};

/// For faces that are copies: the face they copy, and the corner of it that each of their corners falls on.
pub struct Copies {
    of: Vec<Option<(u32, [u8; 3])>>,
}

impl Copies {
    /// Finds parts that repeat others or mirror them, so that all get the same seams; with `halves` halves of parts that mirror
    /// each other too, which then share their texels.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of(mesh: &Mesh, halves: bool, progress: &Progress) -> Result<Self, Cancelled> {
        // UVs must not tell parts apart that are about to get new ones.
        let mut bare = mesh.clone();
        super::strip(&mut bare);
        let mut of = vec![None; mesh.face_count()];
        let mut by_part = vec![Vec::new(); mesh.parts.len()];
        for (f, p) in mesh.part_of_faces().into_iter().enumerate() {
            by_part[p as usize].push(f as u32);
        }
        let mut copied = vec![false; mesh.parts.len()];
        for group in repeats::find(&bare, progress)? {
            let first = &by_part[group[0].part as usize];
            for copy in &group[1..] {
                let own = &by_part[copy.part as usize];
                let moved = |p: Vec3| copy.motion.transform_point3(p);
                if let Some(found) = matched(mesh, first, own, moved, copy.mirrored) {
                    copied[copy.part as usize] = true;
                    for (f, m) in own.iter().zip(found) {
                        of[*f as usize] = Some(m);
                    }
                }
            }
        }
        if halves {
            for half in mirror::find(&bare, progress)?
                .into_iter()
                .filter(|h| h.clean)
            {
                let p = half.part as usize;
                if copied[p] {
                    continue;
                }
                let height = |q: Vec3| (q.as_dvec3() - half.point).dot(half.normal);
                let over =
                    |f: &u32| mesh.triangle(*f as usize).map(height).iter().sum::<f64>() > 0.0;
                let (first, own): (Vec<u32>, Vec<u32>) = by_part[p].iter().partition(|f| over(f));
                let image = |q: Vec3| q - (2.0 * height(q) * half.normal).as_vec3();
                if first.len() == own.len()
                    && let Some(found) = matched(mesh, &first, &own, image, true)
                {
                    for (f, m) in own.iter().zip(found) {
                        of[*f as usize] = Some(m);
                    }
                }
            }
            // Copies of a part that was folded itself go back to the half that is worked.
            for f in 0..of.len() {
                if let Some((g, turn)) = of[f]
                    && let Some((h, further)) = of[g as usize]
                {
                    of[f] = Some((h, turn.map(|k| further[k as usize])));
                }
            }
        }
        Ok(Self { of })
    }

    /// Nothing is a copy.
    pub fn none(mesh: &Mesh) -> Self {
        Self {
            of: vec![None; mesh.face_count()],
        }
    }

    /// True for faces that copy no other.
    pub fn is_first(&self, face: u32) -> bool {
        self.of[face as usize].is_none()
    }

    /// Faces that copy another.
    pub fn count(&self) -> usize {
        self.of.iter().flatten().count()
    }

    /// Lays copies exactly on what they copy, as islands of their own. Mirror images lie there only where `mirrored` says that
    /// they may share texels; otherwise they are turned over, so that what is painted on them is not inside-out.
    pub fn lay(&self, mesh: &Mesh, layout: &mut Layout, mirrored: bool) {
        let part = mesh.part_of_faces();
        let mut islands: HashMap<(u32, u32, bool), u32> = HashMap::new();
        let mut count = layout.count as u32;
        for (f, copied) in self.of.iter().enumerate() {
            let Some((g, turn)) = *copied else {
                continue;
            };
            let from = layout.island[g as usize];
            if from == NONE {
                continue;
            }
            let own = layout.uv[g as usize];
            // Two halves of one part are two islands.
            let winding = (turn[1] + 3 - turn[0]) % 3 == 1;
            layout.uv[f] = turn.map(|k| {
                if winding || mirrored {
                    own[k as usize]
                } else {
                    DVec2::new(-own[k as usize].x, own[k as usize].y)
                }
            });
            layout.island[f] = *islands.entry((from, part[f], winding)).or_insert_with(|| {
                count += 1;
                count - 1
            });
        }
        layout.count = count as usize;
        layout.renumber();
    }
}

/// For each face of `own` the face of `first` that `moved` takes onto it; `None` unless that is so for all.
fn matched(
    mesh: &Mesh,
    first: &[u32],
    own: &[u32],
    moved: impl Fn(Vec3) -> Vec3,
    mirrored: bool,
) -> Option<Vec<(u32, [u8; 3])>> {
    let points = |faces: &[u32]| {
        let mut list: Vec<u32> = faces
            .iter()
            .flat_map(|&f| mesh.triangle_points(f as usize))
            .collect();
        list.sort_unstable();
        list.dedup();
        list
    };
    let targets = points(own);
    let (low, high) = targets
        .iter()
        .fold((Vec3::INFINITY, Vec3::NEG_INFINITY), |(l, h), &p| {
            (
                l.min(mesh.points[p as usize]),
                h.max(mesh.points[p as usize]),
            )
        });
    let near = 1e-4 * (high - low).length();
    let cell = |p: Vec3| (p / near.max(1e-12)).round().as_ivec3();
    let mut grid: HashMap<[i32; 3], Vec<u32>> = HashMap::new();
    for &p in &targets {
        grid.entry(cell(mesh.points[p as usize]).to_array())
            .or_default()
            .push(p);
    }
    let mut becomes: HashMap<u32, u32> = HashMap::new();
    for p in points(first) {
        let place = moved(mesh.points[p as usize]);
        let at = cell(place);
        let around = (0..27).flat_map(|i| {
            let by = glam::IVec3::new(i % 3 - 1, i / 3 % 3 - 1, i / 9 - 1);
            grid.get(&(at + by).to_array())
                .into_iter()
                .flatten()
                .copied()
        });
        let distance = |q: u32| mesh.points[q as usize].distance(place);
        let best = around.min_by(|&a, &b| distance(a).total_cmp(&distance(b)).then(a.cmp(&b)))?;
        becomes.insert(p, best);
    }
    let key = |mut t: [u32; 3]| {
        t.sort_unstable();
        t
    };
    let mut faces: HashMap<[u32; 3], (u32, [u32; 3])> = HashMap::new();
    for &f in first {
        let [a, b, c] = mesh.triangle_points(f as usize);
        let to = [*becomes.get(&a)?, *becomes.get(&b)?, *becomes.get(&c)?];
        faces.insert(key(to), (f, to));
    }
    own.iter()
        .map(|&f| {
            let corners = mesh.triangle_points(f as usize);
            let &(g, to) = faces.get(&key(corners))?;
            let place = |p: u32| to.iter().position(|&q| q == p).map(|k| k as u8);
            let turn = [place(corners[0])?, place(corners[1])?, place(corners[2])?];
            let runs_on = (turn[1] + 3 - turn[0]) % 3 == 1;
            (runs_on != mirrored).then_some((g, turn))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::{Affine3A, Quat};

    /// Three equal lopsided balls, the last one mirrored.
    fn three() -> Mesh {
        let mut builder = MeshBuilder::new();
        for i in 0..3 {
            let flip = if i == 2 { -1.0 } else { 1.0 };
            let frame = Affine3A::from_scale_rotation_translation(
                Vec3::new(flip, 1.0, 1.0),
                Quat::from_rotation_y(0.7 * i as f32),
                Vec3::X * 3.0 * i as f32,
            );
            let mut ball = shapes::icosphere(1.0, 2);
            for p in &mut ball.points {
                p.x += 0.3 * p.y * p.y + 0.2 * p.z * p.x + 0.15 * p.y * p.z;
            }
            builder.part("ball", frame).primitive(Primitive {
                positions: ball.points.clone(),
                corners: ball
                    .corners
                    .iter()
                    .map(|&v| ball.vertex_point[v as usize])
                    .collect(),
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn every_face_of_a_repeat_is_a_copy() {
        let mesh = three();
        let count = |c: &Copies| c.of.iter().flatten().count();
        let copies = Copies::of(&mesh, false, &Progress::new()).unwrap();
        assert_eq!(count(&copies), 640);
        for f in 0..mesh.face_count() {
            let Some((g, turn)) = copies.of[f] else {
                continue;
            };
            let (own, first) = (mesh.triangle(f), mesh.triangle(g as usize));
            for k in 0..3 {
                let (a, b) = (own[k], own[(k + 1) % 3]);
                let [c, d] = [k, (k + 1) % 3].map(|j| first[turn[j] as usize]);
                assert!((a.distance(b) - c.distance(d)).abs() < 1e-4);
            }
        }
    }

    #[test]
    fn copies_lie_where_their_first_lies() {
        let mesh = three();
        let copies = Copies::of(&mesh, false, &Progress::new()).unwrap();
        let mut layout = Layout::empty(mesh.face_count());
        for f in 0..320 {
            layout.island[f] = 0;
            layout.uv[f] = mesh.triangle(f).map(|p| p.as_dvec3().truncate());
        }
        layout.count = 1;
        copies.lay(&mesh, &mut layout, true);
        assert_eq!(layout.count, 3);
        let stacks = ectome_uv::stacks::of(&layout);
        assert_eq!(stacks, [0, 0, 0]);
        // Where they may not share texels, the mirror image is turned over: the same seams, the other way about.
        copies.lay(&mesh, &mut layout, false);
        assert_eq!(ectome_uv::stacks::of(&layout), [0, 0, 2]);
        let width = |f: usize| layout.uv[f].map(|p| p.x);
        for f in 640..960 {
            let (g, turn) = copies.of[f].unwrap();
            let first = width(g as usize);
            assert_eq!(width(f), turn.map(|k| -first[k as usize]));
        }
    }
}
