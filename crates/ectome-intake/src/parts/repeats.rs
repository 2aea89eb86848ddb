//! Parts that are equal up to a rigid motion or a mirror.
//!
//! Copies usually list their points in one order, so three points far apart give the motion at once. Where they
//! do not, the motion is looked for among points of the rarest distance from the middle. Either way every
//! point and every face must then fall on one of the other part: nothing is called equal that is not.

use std::collections::HashMap;

use ectome_mesh::Mesh;
use glam::{Affine3A, DMat3, DVec3, Vec2};

use super::shape::{Places, Shape, from_lowest, of_parts};

/// One of several equal parts.
#[derive(Clone, Debug, PartialEq)]
pub struct Instance {
    /// The part.
    pub part: u32,
    /// Takes the first part of its group onto this one.
    pub motion: Affine3A,
    /// The motion mirrors.
    pub mirrored: bool,
    /// Every corner has the UV of the corner that falls on it.
    pub same_uvs: bool,
}

/// Equal parts, the first with the identity as its motion.
pub type Group = Vec<Instance>;

/// Motions that are tried for one pair before it counts as different.
const TRIES: usize = 3000;

/// All groups of two or more equal parts, in the order of their first part.
pub fn find(mesh: &Mesh) -> Vec<Group> {
    let shapes = of_parts(mesh);
    let mut groups: Vec<Group> = Vec::new();
    // Only parts of equal counts are worth a closer look.
    let mut by_counts: HashMap<(usize, usize, usize), Vec<usize>> = HashMap::new();
    for (p, shape) in shapes
        .iter()
        .enumerate()
        .filter(|(_, s)| !s.faces.is_empty())
    {
        let corners = shape.faces.iter().map(Vec::len).sum();
        let key = (shape.points.len(), shape.faces.len(), corners);
        let known = by_counts.entry(key).or_default();
        let found = known.iter().find_map(|&g| {
            let first = &shapes[groups[g][0].part as usize];
            Some((g, fits(first, shape)?))
        });
        match found {
            Some((g, fit)) => groups[g].push(Instance {
                part: p as u32,
                motion: fit.motion.affine(),
                mirrored: fit.motion.mirrors(),
                same_uvs: fit.same_uvs,
            }),
            None => {
                known.push(groups.len());
                groups.push(vec![Instance {
                    part: p as u32,
                    motion: Affine3A::IDENTITY,
                    mirrored: false,
                    same_uvs: true,
                }]);
            }
        }
    }
    groups.retain(|g| g.len() > 1);
    groups
}

/// A rigid motion, mirrored or not.
#[derive(Clone, Copy)]
pub(super) struct Motion {
    turn: DMat3,
    shift: DVec3,
}

impl Motion {
    pub fn mirror(normal: DVec3, point: DVec3) -> Self {
        let n = normal;
        let turn = DMat3::IDENTITY - 2.0 * DMat3::from_cols(n * n.x, n * n.y, n * n.z);
        Self {
            turn,
            shift: point - turn * point,
        }
    }

    pub fn at(&self, p: DVec3) -> DVec3 {
        self.turn * p + self.shift
    }

    fn mirrors(&self) -> bool {
        self.turn.determinant() < 0.0
    }

    pub fn affine(&self) -> Affine3A {
        Affine3A::from_mat3_translation(self.turn.as_mat3(), self.shift.as_vec3())
    }
}

/// An orthonormal frame from three points; `None` when they lie on a line.
fn frame([a, b, c]: [DVec3; 3]) -> Option<DMat3> {
    let x = (b - a).try_normalize()?;
    let z = x.cross(c - a);
    if z.length() < 1e-4 * (c - a).length() {
        return None;
    }
    let z = z.normalize();
    Some(DMat3::from_cols(x, z.cross(x), z))
}

/// The motion that takes three points to three others, mirrored or not.
fn motion(from: [DVec3; 3], to: [DVec3; 3], mirrored: bool) -> Option<Motion> {
    let (f, mut t) = (frame(from)?, frame(to)?);
    if mirrored {
        t.z_axis = -t.z_axis;
    }
    let turn = t * f.transpose();
    Some(Motion {
        turn,
        shift: to[0] - turn * from[0],
    })
}

struct Fit {
    motion: Motion,
    same_uvs: bool,
}

fn fits(a: &Shape, b: &Shape) -> Option<Fit> {
    let tolerance = a.tolerance().max(b.tolerance());
    if (a.area - b.area).abs() > 1e-3 * a.area.max(b.area)
        || (a.points.len() < 3)
        || (a.diagonal * 2.0 < b.diagonal)
        || (b.diagonal * 2.0 < a.diagonal)
    {
        return None;
    }
    // The same order of points and faces: nothing has to be looked up.
    let three = far_apart(a);
    let pick = |s: &Shape| three.map(|i| s.points[i]);
    if a.faces == b.faces
        && let Some(fit) =
            motion(pick(a), pick(b), false).and_then(|m| in_order(a, b, m, tolerance))
    {
        return Some(fit);
    }
    let places = Places::of(&b.points, tolerance);
    let faces = Faces::of(b);
    let check = |m: Motion| {
        // A few points first: most wrong motions fail there.
        let few = a.points.iter().step_by((a.points.len() / 8).max(1));
        if !few.into_iter().all(|&p| places.at(m.at(p)).is_some()) {
            return None;
        }
        let same_uvs = faces.fall_on(a, &m, &places, b)?;
        Some(Fit {
            motion: m,
            same_uvs,
        })
    };
    // The same order of points only.
    for mirrored in [false, true] {
        if let Some(fit) = motion(pick(a), pick(b), mirrored).and_then(check) {
            return Some(fit);
        }
    }
    by_features(a, b, tolerance, check)
}

/// Whether a motion takes every point of one shape to the point of the same number of the other, where the faces are the
/// same numbers too.
fn in_order(a: &Shape, b: &Shape, motion: Motion, tolerance: f64) -> Option<Fit> {
    let near = |(&p, &q): (&DVec3, &DVec3)| motion.at(p).distance(q) <= tolerance;
    if a.materials != b.materials || !a.points.iter().zip(&b.points).all(near) {
        return None;
    }
    let like = |(x, y): (&Vec<Vec2>, &Vec<Vec2>)| {
        let close = |(u, v): (&Vec2, &Vec2)| (*u - *v).abs().max_element() < UVS_ALIKE;
        x.len() == y.len() && x.iter().zip(y).all(close)
    };
    Some(Fit {
        motion,
        same_uvs: a.uvs.len() == b.uvs.len() && a.uvs.iter().zip(&b.uvs).all(like),
    })
}

/// UVs are alike within this, in shares of the sheet.
const UVS_ALIKE: f32 = 1e-5;

/// Three points far apart and off one line.
fn far_apart(s: &Shape) -> [usize; 3] {
    let farthest = |measure: &dyn Fn(DVec3) -> f64| {
        let all = s.points.iter().enumerate();
        all.max_by(|x, y| measure(*x.1).total_cmp(&measure(*y.1)))
            .map_or(0, |(i, _)| i)
    };
    let a = farthest(&|p| p.distance(s.middle));
    let b = farthest(&|p| p.distance(s.points[a]));
    let line = (s.points[b] - s.points[a]).normalize_or_zero();
    let c = farthest(&|p| (p - s.points[a]).cross(line).length());
    [a, b, c]
}

/// Tries the motions that take the middle and two points of rare distances onto such points.
fn by_features(
    a: &Shape,
    b: &Shape,
    tolerance: f64,
    check: impl Fn(Motion) -> Option<Fit>,
) -> Option<Fit> {
    let radius = |s: &Shape, p: DVec3| p.distance(s.middle);
    let slack = 2.0 * tolerance;
    let like = |r: f64, x: f64| (r - x).abs() <= slack;
    // The rarest distance from the middle, among those that are not about zero.
    let mut radii: Vec<(f64, usize)> = a
        .points
        .iter()
        .enumerate()
        .map(|(i, &p)| (radius(a, p), i))
        .filter(|(r, _)| *r > 0.1 * a.diagonal)
        .collect();
    radii.sort_by(|x, y| x.0.total_cmp(&y.0));
    let (_, p0) = radii
        .chunk_by(|x, y| y.0 - x.0 <= slack)
        .min_by_key(|c| c.len())
        .and_then(|c| c.first())
        .copied()?;
    let axis = (a.points[p0] - a.middle).normalize_or_zero();
    // The second as far off the line through the first as any, of a rare kind among those.
    let off = |p: DVec3| (p - a.middle).cross(axis).length();
    let most = a.points.iter().map(|&p| off(p)).fold(0.0, f64::max);
    let kind = |s: &Shape, first: DVec3, p: DVec3| (radius(s, p), p.distance(first));
    let mut choices: Vec<usize> = (0..a.points.len())
        .filter(|&i| off(a.points[i]) > 0.5 * most)
        .collect();
    choices.truncate(64);
    let p1 = choices.into_iter().min_by_key(|&i| {
        let (r, d) = kind(a, a.points[p0], a.points[i]);
        a.points
            .iter()
            .filter(|&&q| {
                let (x, y) = kind(a, a.points[p0], q);
                like(r, x) && like(d, y)
            })
            .count()
    })?;
    let (r0, (r1, d1)) = (radius(a, a.points[p0]), kind(a, a.points[p0], a.points[p1]));
    let from = [a.middle, a.points[p0], a.points[p1]];
    let mut tries = 0;
    for &q0 in b.points.iter().filter(|&&q| like(r0, radius(b, q))) {
        for &q1 in b.points.iter().filter(|&&q| {
            let (x, y) = kind(b, q0, q);
            like(r1, x) && like(d1, y)
        }) {
            for mirrored in [false, true] {
                tries += 1;
                if tries > TRIES {
                    return None;
                }
                let found = motion(from, [b.middle, q0, q1], mirrored).and_then(&check);
                if found.is_some() {
                    return found;
                }
            }
        }
    }
    None
}

/// The faces of a shape by their corners.
pub(super) struct Faces(HashMap<Vec<u32>, Vec<u32>>);

impl Faces {
    pub fn of(shape: &Shape) -> Self {
        let mut map: HashMap<Vec<u32>, Vec<u32>> = HashMap::new();
        for (f, face) in shape.faces.iter().enumerate() {
            map.entry(from_lowest(face.clone()))
                .or_default()
                .push(f as u32);
        }
        Self(map)
    }

    /// Whether every face of `a`, moved, falls on one of `b` with the same material, and whether their
    /// UVs agree; `None` when one does not.
    pub fn fall_on(&self, a: &Shape, m: &Motion, places: &Places<'_>, b: &Shape) -> Option<bool> {
        let mut to = Vec::with_capacity(a.points.len());
        let mut taken = vec![false; b.points.len()];
        for &p in &a.points {
            let q = places.at(m.at(p))?;
            if std::mem::replace(&mut taken[q as usize], true) {
                return None;
            }
            to.push(q);
        }
        let mut used = vec![false; b.faces.len()];
        let mut same_uvs = a.uvs.len() == b.uvs.len();
        for (f, face) in a.faces.iter().enumerate() {
            let mut moved: Vec<u32> = face.iter().map(|&i| to[i as usize]).collect();
            let mut uvs = a.uvs.get(f).cloned().unwrap_or_default();
            if m.mirrors() {
                moved.reverse();
                uvs.reverse();
            }
            let list = self.0.get(&from_lowest(moved.clone()))?;
            let &g = list
                .iter()
                .find(|&&g| !used[g as usize] && a.materials[f] == b.materials[g as usize])?;
            used[g as usize] = true;
            if same_uvs && !uvs.is_empty() {
                let other = &b.faces[g as usize];
                let turn = other.iter().position(|&q| q == moved[0]).unwrap_or(0);
                same_uvs = (0..uvs.len()).all(|k| {
                    let uv = b.uvs[g as usize][(turn + k) % uvs.len()];
                    (uv - uvs[k]).abs().max_element() < UVS_ALIKE
                });
            }
        }
        Some(same_uvs)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, shapes};
    use glam::{Quat, Vec3};
    use proptest::prelude::*;

    /// A lump without any symmetry.
    fn lump(stretch: f32) -> Primitive {
        let ball = shapes::icosphere(0.3, 2);
        let positions = ball
            .vertex_point
            .iter()
            .map(|&p| {
                let q = ball.points[p as usize];
                let bump = 1.0 + 0.4 * (q.x * 7.0 + 1.0).sin() * (q.y * 5.0).cos() + 0.3 * q.z;
                q * bump * Vec3::new(1.0, 1.4, 0.8) * Vec3::new(1.0, stretch, 1.0)
            })
            .collect();
        Primitive {
            positions,
            corners: ball.corners,
            ..Primitive::default()
        }
    }

    /// A six-sided bolt: symmetric, so many motions fit.
    fn bolt(height: f32) -> Primitive {
        let mut positions = vec![Vec3::ZERO, Vec3::Y * height];
        let mut corners = Vec::new();
        for i in 0..6u32 {
            let turn = std::f32::consts::TAU * i as f32 / 6.0;
            let p = Vec3::new(turn.cos(), 0.0, turn.sin()) * 0.05;
            positions.extend([p, p + Vec3::Y * height]);
            let (a, b) = (2 + 2 * i, 2 + 2 * ((i + 1) % 6));
            corners.extend([0, a, b, 1, b + 1, a + 1, a, a + 1, b + 1, a, b + 1, b]);
        }
        Primitive {
            positions,
            corners,
            ..Primitive::default()
        }
    }

    fn reordered(mut p: Primitive) -> Primitive {
        let n = p.positions.len() as u32;
        let to: Vec<u32> = (0..n).map(|i| (i * 5 + 3) % n).collect();
        assert!(!n.is_multiple_of(5));
        let mut positions = p.positions.clone();
        for (i, &t) in to.iter().enumerate() {
            positions[t as usize] = p.positions[i];
        }
        p.positions = positions;
        p.corners.iter_mut().for_each(|c| *c = to[*c as usize]);
        let faces = p.corners.len() / 3;
        p.corners = (0..faces)
            .rev()
            .flat_map(|f| [1, 2, 0].map(|k| p.corners[3 * f + k]))
            .collect();
        p
    }

    #[test]
    fn copies_are_found_whatever_their_order_and_near_misses_are_not() {
        let mut builder = MeshBuilder::new();
        let turned = |x: f32| {
            Affine3A::from_rotation_translation(
                Quat::from_euler(glam::EulerRot::XYZ, x, 2.0 * x, 0.5),
                Vec3::new(3.0 * x, 1.0, -x),
            )
        };
        builder.part("bolt a", turned(0.1)).primitive(bolt(0.1));
        builder
            .part("bolt b", turned(1.3))
            .primitive(reordered(bolt(0.1)));
        builder
            .part("bolt longer", turned(0.7))
            .primitive(bolt(0.1005));
        builder.part("lump", turned(0.3)).primitive(lump(1.0));
        builder
            .part("lump again", turned(2.0))
            .primitive(reordered(lump(1.0)));
        builder
            .part("lump stretched", turned(0.9))
            .primitive(lump(1.002));
        let mirror = turned(0.4) * Affine3A::from_scale(Vec3::new(-1.0, 1.0, 1.0));
        builder.part("lump mirrored", mirror).primitive(lump(1.0));
        let groups = find(&builder.finish());
        let parts: Vec<Vec<(u32, bool)>> = groups
            .iter()
            .map(|g| g.iter().map(|i| (i.part, i.mirrored)).collect())
            .collect();
        assert_eq!(
            parts,
            [
                vec![(0, false), (1, false)],
                vec![(3, false), (4, false), (6, true)]
            ]
        );
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        #[test]
        fn the_motion_takes_the_first_onto_the_other(x in -3f32..3.0, y in -3f32..3.0, mirror in any::<bool>()) {
            let turn = Affine3A::from_rotation_translation(
                Quat::from_euler(glam::EulerRot::XYZ, x, y, x * y), Vec3::new(x, y, 1.0));
            let flip = Vec3::new(if mirror { -1.0 } else { 1.0 }, 1.0, 1.0);
            let mut builder = MeshBuilder::new();
            builder.part("a", Affine3A::IDENTITY).primitive(lump(1.0));
            builder.part("b", turn * Affine3A::from_scale(flip)).primitive(lump(1.0));
            let mesh = builder.finish();
            let groups = find(&mesh);
            prop_assert_eq!(groups.len(), 1);
            prop_assert_eq!(groups[0][1].mirrored, mirror);
            let shapes = of_parts(&mesh);
            for p in &shapes[0].points {
                let q = groups[0][1].motion.transform_point3(p.as_vec3()).as_dvec3();
                prop_assert!(shapes[1].points.iter().any(|r| r.distance(q) < 1e-4));
            }
        }
    }
}
