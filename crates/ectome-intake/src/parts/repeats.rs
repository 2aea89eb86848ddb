//! Parts that are equal up to a rigid motion or a mirror.
//!
//! Most parts are told apart by what no motion changes: counts, how faces hang together, area, distances from the middle.
//! Copies usually list their points in one order, so three points far apart give the motion at once. Where they
//! do not, the motion is looked for among points of the rarest kind. Either way every
//! point and every face must then fall on one of the other part: nothing is called equal that is not.

use std::{collections::BTreeMap, sync::OnceLock};

use ectome_mesh::{Cancelled, Mesh, Progress};
use glam::{Affine3A, DVec3};
use rayon::prelude::*;

use super::{
    fall::{Ground, UVS_ALIKE},
    motion::Motion,
    shape::{Shape, all_colours, of_parts},
};

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

/// All groups of two or more equal parts, in the order of their first part.
///
/// # Errors
/// [`Cancelled`].
pub fn find(mesh: &Mesh, progress: &Progress) -> Result<Vec<Group>, Cancelled> {
    let shapes = of_parts(mesh, progress)?;
    // Only parts of equal counts are worth a closer look.
    let mut by_counts: BTreeMap<[usize; 3], Vec<u32>> = BTreeMap::new();
    for (p, s) in shapes
        .iter()
        .enumerate()
        .filter(|(_, s)| s.face_count() > 0)
    {
        let counts = [s.points.len(), s.face_count(), s.corners.len()];
        by_counts.entry(counts).or_default().push(p as u32);
    }
    let alike: Vec<Vec<u32>> = by_counts.into_values().filter(|l| l.len() > 1).collect();
    let groups: Result<Vec<Vec<Group>>, Cancelled> = alike
        .par_iter()
        .map(|parts| among(&shapes, parts, progress))
        .collect();
    let mut groups = groups?.concat();
    groups.sort_by_key(|g| g[0].part);
    Ok(groups)
}

/// A part among others of equal counts.
struct Candidate<'a> {
    part: u32,
    shape: &'a Shape,
    colours: Vec<u64>,
    all_colours: u64,
    radii: Vec<f32>,
    taken: bool,
}

/// How far areas of equal parts may differ, as a share.
const AREAS_ALIKE: f64 = 1e-3;

/// The groups among parts of equal counts: the first that is in none yet begins one, and takes in all that it fits.
fn among(shapes: &[Shape], parts: &[u32], progress: &Progress) -> Result<Vec<Group>, Cancelled> {
    let mut list: Vec<Candidate<'_>> = parts
        .par_iter()
        .map(|&part| {
            let shape = &shapes[part as usize];
            let colours = shape.colours();
            Candidate {
                part,
                shape,
                all_colours: all_colours(&colours),
                colours,
                radii: shape.radii(),
                taken: false,
            }
        })
        .collect();
    // Those that may be equal stand together: the same colours, then by area.
    list.sort_by(|a, b| {
        let areas = a.shape.area.total_cmp(&b.shape.area);
        let parts = a.part.cmp(&b.part);
        a.all_colours.cmp(&b.all_colours).then(areas).then(parts)
    });
    let mut in_order: Vec<usize> = (0..list.len()).collect();
    in_order.sort_by_key(|&i| list[i].part);
    let mut groups = Vec::new();
    for first in in_order {
        progress.go_on()?;
        if list[first].taken {
            continue;
        }
        let one = &list[first];
        let span = AREAS_ALIKE * one.shape.area;
        let near = |c: &Candidate<'_>| {
            c.all_colours == one.all_colours && (c.shape.area - one.shape.area).abs() <= span
        };
        let begin = list[..first].iter().rev().take_while(|c| near(c)).count();
        let end = list[first..].iter().take_while(|c| near(c)).count();
        let window = first - begin..first + end;
        let others = |c: &&Candidate<'_>| c.part > one.part && !c.taken;
        if !list[window.clone()].iter().any(|c| others(&c)) {
            continue;
        }
        let leader = Leader::of(one);
        let fits: Result<Vec<Option<Fit>>, Cancelled> = list[window.clone()]
            .par_iter()
            .map(|c| {
                if others(&c) {
                    leader.fits(c, progress)
                } else {
                    Ok(None)
                }
            })
            .collect();
        let mut group = vec![Instance {
            part: one.part,
            motion: Affine3A::IDENTITY,
            mirrored: false,
            same_uvs: true,
        }];
        for (c, fit) in list[window].iter_mut().zip(fits?) {
            let Some(fit) = fit else { continue };
            c.taken = true;
            group.push(Instance {
                part: c.part,
                motion: fit.motion.affine(),
                mirrored: fit.motion.mirrors(),
                same_uvs: fit.same_uvs,
            });
        }
        if group.len() > 1 {
            group.sort_by_key(|i| i.part);
            groups.push(group);
        }
    }
    Ok(groups)
}

struct Fit {
    /// Takes the first part onto the other.
    motion: Motion,
    same_uvs: bool,
}

/// The first part of a group, with what is asked of it for every other.
struct Leader<'a> {
    ground: Ground<'a>,
    radii: &'a [f32],
    /// Three points far apart.
    three: [usize; 3],
    features: OnceLock<Option<Features>>,
}

/// Two points of rare kinds, which with the middle fix a motion.
struct Features {
    points: [usize; 2],
    colours: [u64; 2],
    /// Their distances from the middle.
    radii: [f64; 2],
    /// Their distance from each other.
    apart: f64,
}

/// What may be looked up for one pair before it counts as different: so many points and faces, and besides so many times all
/// of the part's. Round parts fit in many ways or in none.
const LOOKUPS: usize = 20_000;
const ROUNDS: usize = 64;

impl<'a> Leader<'a> {
    fn of(one: &'a Candidate<'a>) -> Self {
        Self {
            ground: Ground::new(one.shape, one.colours.clone()),
            radii: &one.radii,
            three: far_apart(one.shape),
            features: OnceLock::new(),
        }
    }

    fn fits(&self, c: &Candidate<'_>, progress: &Progress) -> Result<Option<Fit>, Cancelled> {
        let (a, b) = (self.ground.shape, c.shape);
        let near = a.tolerance().max(b.tolerance());
        let alike = |(x, y): (&f32, &f32)| f64::from((x - y).abs()) <= 3.0 * near;
        if a.points.len() < 3 || !self.radii.iter().zip(&c.radii).all(alike) {
            return Ok(None);
        }
        let pick = |s: &Shape| self.three.map(|i| s.points[i]);
        // The same order of points and faces: nothing has to be looked up.
        if a.first == b.first
            && a.corners == b.corners
            && let Some(m) = Motion::of_three(pick(a), pick(b), false)
            && let Some(fit) = in_order(a, b, m, near)
        {
            return Ok(Some(fit));
        }
        let mut effort = 0;
        let check = |back: Option<Motion>, effort: &mut usize| {
            let Some(back) = back else { return Ok(None) };
            let found = self.ground.takes(b, &c.colours, &back, effort, progress)?;
            Ok(found.map(|same_uvs| Fit {
                motion: back.inverse(),
                same_uvs,
            }))
        };
        // The same order of points only.
        for mirrored in [false, true] {
            let back = Motion::of_three(pick(b), pick(a), mirrored);
            if let Some(fit) = check(back, &mut effort)? {
                return Ok(Some(fit));
            }
        }
        let Some(features) = self.features.get_or_init(|| self.rarest()) else {
            return Ok(None);
        };
        // The motions that take the middle and two points of the same kinds onto those.
        let slack = 2.0 * near;
        let of_kind = |k: usize| -> Vec<DVec3> {
            let all = b.points.iter().zip(&c.colours);
            all.filter(|(p, colour)| {
                **colour == features.colours[k]
                    && (p.distance(b.middle) - features.radii[k]).abs() <= slack
            })
            .map(|(p, _)| *p)
            .collect()
        };
        let (firsts, seconds) = (of_kind(0), of_kind(1));
        let to = [
            a.middle,
            a.points[features.points[0]],
            a.points[features.points[1]],
        ];
        for &q0 in &firsts {
            effort += seconds.len() / 8;
            for &q1 in &seconds {
                if (q1.distance(q0) - features.apart).abs() > slack {
                    continue;
                }
                for mirrored in [false, true] {
                    if effort > LOOKUPS + ROUNDS * a.points.len() {
                        return Ok(None);
                    }
                    let back = Motion::of_three([b.middle, q0, q1], to, mirrored);
                    if let Some(fit) = check(back, &mut effort)? {
                        return Ok(Some(fit));
                    }
                }
            }
        }
        Ok(None)
    }

    /// A point of the rarest kind (colour and distance from the middle), and a second far off the line through the first.
    fn rarest(&self) -> Option<Features> {
        let (a, colours) = (self.ground.shape, &self.ground.colours);
        let slack = 2.0 * a.tolerance();
        let radius = |i: usize| a.points[i].distance(a.middle);
        // Not about the middle itself: that fixes no direction.
        let mut kinds: Vec<(u64, f64, usize)> = (0..a.points.len())
            .map(|i| (colours[i], radius(i), i))
            .filter(|k| k.1 > 0.1 * a.diagonal)
            .collect();
        kinds.sort_by(|x, y| x.0.cmp(&y.0).then(x.1.total_cmp(&y.1)).then(x.2.cmp(&y.2)));
        let first = kinds
            .chunk_by(|x, y| x.0 == y.0 && y.1 - x.1 <= slack)
            .min_by_key(|c| c.len())
            .map(|c| c[0].2)?;
        let axis = (a.points[first] - a.middle).normalize_or_zero();
        let off = |i: usize| (a.points[i] - a.middle).cross(axis).length();
        let most = (0..a.points.len()).map(off).fold(0.0, f64::max);
        let apart = |i: usize| a.points[i].distance(a.points[first]);
        let far: Vec<usize> = (0..a.points.len())
            .filter(|&i| off(i) > 0.5 * most)
            .collect();
        let second = far.into_iter().take(64).min_by_key(|&i| {
            let like = |j: &usize| {
                colours[*j] == colours[i]
                    && (radius(*j) - radius(i)).abs() <= slack
                    && (apart(*j) - apart(i)).abs() <= slack
            };
            (0..a.points.len()).filter(like).count()
        })?;
        Some(Features {
            points: [first, second],
            colours: [first, second].map(|i| colours[i]),
            radii: [first, second].map(radius),
            apart: apart(second),
        })
    }
}

/// Whether a motion takes every point of one shape to the point of the same number of the other, where the faces are the
/// same numbers too.
fn in_order(a: &Shape, b: &Shape, motion: Motion, near: f64) -> Option<Fit> {
    let falls = |(&p, &q): (&DVec3, &DVec3)| motion.at(p).distance(q) <= near;
    if a.materials != b.materials || !a.points.iter().zip(&b.points).all(falls) {
        return None;
    }
    let mut uvs = a.uvs.iter().zip(&b.uvs);
    Some(Fit {
        motion,
        same_uvs: a.uvs.len() == b.uvs.len()
            && uvs.all(|(u, v)| (*u - *v).abs().max_element() < UVS_ALIKE),
    })
}

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
        let step = if n.is_multiple_of(5) { 7 } else { 5 };
        let to: Vec<u32> = (0..n).map(|i| (i * step + 3) % n).collect();
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
        let groups = find(&builder.finish(), &Progress::new()).unwrap();
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

    /// A round pin of 64 sides. Each bit of `diagonals` says which way one of its side faces is split.
    fn pin(diagonals: u64) -> Primitive {
        const SIDES: u32 = 64;
        let mut positions = vec![Vec3::ZERO, Vec3::Y * 0.2];
        let mut corners = Vec::new();
        for i in 0..SIDES {
            let (sin, cos) = (std::f32::consts::TAU * i as f32 / SIDES as f32).sin_cos();
            let p = Vec3::new(cos, 0.0, sin) * 0.03;
            positions.extend([p, p + Vec3::Y * 0.2]);
            let (a, b) = (2 + 2 * i, 2 + 2 * ((i + 1) % SIDES));
            corners.extend([0, a, b, 1, b + 1, a + 1]);
            corners.extend(match diagonals >> i & 1 {
                0 => [a, a + 1, b + 1, a, b + 1, b],
                _ => [a, a + 1, b, b, a + 1, b + 1],
            });
        }
        Primitive {
            positions,
            corners,
            ..Primitive::default()
        }
    }

    #[test]
    fn round_parts_are_equal_only_when_their_faces_are_split_alike() {
        let mut builder = MeshBuilder::new();
        for i in 0..6u32 {
            let turn = Affine3A::from_rotation_translation(
                Quat::from_euler(glam::EulerRot::XYZ, i as f32, 0.3, 0.5 * i as f32),
                Vec3::new(i as f32, 0.0, 0.0),
            );
            let once = reordered(pin(0));
            let twice = reordered(reordered(pin(0)));
            let turned = pin(0b1011_0111u64.rotate_left(9 * i));
            builder
                .part(&format!("pin {i}"), turn)
                .primitive(match i % 2 {
                    0 => once,
                    _ => twice,
                });
            builder.part(&format!("marked {i}"), turn).primitive(turned);
            builder
                .part(&format!("odd {i}"), turn)
                .primitive(pin(0x5A17_93C4_0F2E_B68D ^ (0x1_0005 << i)));
        }
        let groups = find(&builder.finish(), &Progress::new()).unwrap();
        let parts: Vec<Vec<u32>> = groups
            .iter()
            .map(|g| g.iter().map(|i| i.part).collect())
            .collect();
        assert_eq!(parts, [[0, 3, 6, 9, 12, 15], [1, 4, 7, 10, 13, 16]]);
    }

    #[test]
    fn a_search_that_is_stopped_ends() {
        let progress = Progress::new();
        progress.cancel();
        assert_eq!(find(&shapes::icosphere(1.0, 2), &progress), Err(Cancelled));
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
            let groups = find(&mesh, &Progress::new()).unwrap();
            prop_assert_eq!(groups.len(), 1);
            prop_assert_eq!(groups[0][1].mirrored, mirror);
            let shapes = of_parts(&mesh, &Progress::new()).unwrap();
            for p in &shapes[0].points {
                let q = groups[0][1].motion.transform_point3(p.as_vec3()).as_dvec3();
                prop_assert!(shapes[1].points.iter().any(|r| r.distance(q) < 1e-4));
            }
        }
    }
}
