//! One convex hull, of a bounded count of points.
//!
//! Quickhull (C. B. Barber, D. P. Dobkin, H. Huhdanpaa, *The Quickhull Algorithm for Convex Hulls*, 1996) that always goes on with the
//! point that lies furthest outside of what there is. So it can be stopped at any count of points: what is outside then is no further
//! outside than any point that was left.

use std::{cmp::Ordering, collections::BinaryHeap};

use ectome_mesh::{Cancelled, Progress};
use glam::{DVec3, Vec3};

/// Nearer than this share of the bounds' diagonal to a plane is on it: a few times what a place given in 32 bits is off.
const ON_PLANE: f64 = 4e-7;
/// Of points that are equally far the one is taken that is furthest along a direction which no shape is likely to have an edge across:
/// among all points of a flat face that is a corner, and not one in its middle, which the hull would not need.
const LEAN: DVec3 = DVec3::new(0.6109, 0.2873, 0.7377);
/// What that counts beside distances.
const TIE: f64 = 1e-7;
/// Thinner than this share of their bounds' diagonal, points lie in a plane.
const FLAT: f64 = 1e-5;
/// Such points are moved apart, across the plane, by this share of the diagonal: a hull needs a volume.
const THICKNESS: f64 = 0.002;

/// A convex solid.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Hull {
    /// Its points, in metres; all of them are points that were given, but those of a flat source, which is made thicker.
    pub points: Vec<Vec3>,
    /// Triangles, anticlockwise from outside.
    pub corners: Vec<u32>,
    /// The furthest that a point which was given lies outside, in metres; 0 where the hull holds them all.
    pub stands_out_m: f32,
    /// The points lay in a plane, and were moved apart.
    pub was_flat: bool,
}

impl Hull {
    /// Its volume in cubic metres.
    pub fn volume(&self) -> f64 {
        let p = |v: u32| self.points[v as usize].as_dvec3();
        let of = |t: &[u32]| p(t[0]).dot(p(t[1]).cross(p(t[2]))) / 6.0;
        self.corners.chunks_exact(3).map(of).sum()
    }

    /// The triangles a closed surface of convex shape with so many points has (Euler).
    pub fn triangles_of(points: usize) -> usize {
        2 * points.max(2) - 4
    }

    /// The most points such a surface may have to stay within so many triangles; 4 at the least.
    pub fn points_within(triangles: usize) -> usize {
        (triangles / 2 + 2).max(4)
    }
}

/// The convex hull of points, of at most `most` of them (4 at the least). `None` where they lie on a line, or are not numbers.
///
/// # Errors
/// [`Cancelled`].
pub fn hull(points: &[Vec3], most: usize, progress: &Progress) -> Result<Option<Hull>, Cancelled> {
    let (mut low, mut high) = (DVec3::INFINITY, DVec3::NEG_INFINITY);
    for p in points {
        if !p.is_finite() {
            return Ok(None);
        }
        low = low.min(p.as_dvec3());
        high = high.max(p.as_dvec3());
    }
    let diagonal = (high - low).length();
    if points.is_empty() || diagonal <= 0.0 {
        return Ok(None);
    }
    let Some(first) = simplex(points, diagonal) else {
        return Ok(None);
    };
    match first {
        First::Flat(normal) => {
            let by = (0.5 * THICKNESS * diagonal * normal).as_vec3();
            let both: Vec<Vec3> = points.iter().flat_map(|&p| [p + by, p - by]).collect();
            let made = match simplex(&both, diagonal) {
                Some(First::Solid(first)) => grown(&both, first, diagonal, most, progress)?,
                _ => return Ok(None),
            };
            Ok(Some(Hull {
                was_flat: true,
                ..made
            }))
        }
        First::Solid(first) => grown(points, first, diagonal, most, progress).map(Some),
    }
}

/// What a hull begins with.
enum First {
    /// Four points that hold a volume.
    Solid([u32; 4]),
    /// All points lie in a plane with this normal.
    Flat(DVec3),
}

/// Points that are far apart: two along the longest axis, the one furthest from their line, the one furthest from their plane.
fn simplex(points: &[Vec3], diagonal: f64) -> Option<First> {
    let at = |i: usize| points[i].as_dvec3();
    let furthest = |of: &dyn Fn(DVec3) -> f64| {
        let counts = |p: DVec3| of(p) + TIE * LEAN.dot(p);
        let far = points.iter().map(|p| counts(p.as_dvec3())).enumerate();
        let (i, _) = far.fold((0, f64::MIN), |a, b| if b.1 > a.1 { b } else { a });
        (of(at(i)), i)
    };
    let ends = [DVec3::X, DVec3::Y, DVec3::Z].map(|axis| {
        let (high, b) = furthest(&|p| p.dot(axis));
        let (low, a) = furthest(&|p| -p.dot(axis));
        (high + low, a, b)
    });
    let (_, a, b) = ends.into_iter().max_by(|x, y| x.0.total_cmp(&y.0))?;
    let along = (at(b) - at(a)).normalize_or_zero();
    let (off, c) = furthest(&|p| (p - at(a)).cross(along).length());
    if off <= FLAT * diagonal {
        return None;
    }
    let normal = (at(b) - at(a)).cross(at(c) - at(a)).normalize_or_zero();
    let (up, d) = furthest(&|p| (p - at(a)).dot(normal));
    let (down, e) = furthest(&|p| -(p - at(a)).dot(normal));
    if up.max(down) <= FLAT * diagonal {
        return Some(First::Flat(normal));
    }
    Some(First::Solid(if up >= down {
        // Anticlockwise from outside: the fourth point is behind the first triangle.
        [a, c, b, d].map(|i| i as u32)
    } else {
        [a, b, c, e].map(|i| i as u32)
    }))
}

/// A triangle of the hull that grows.
struct Face {
    corners: [u32; 3],
    /// The face beyond the edge from each corner to the next.
    beyond: [u32; 3],
    normal: DVec3,
    offset: f64,
    /// Points outside of it that no face before it has.
    outside: Vec<u32>,
    is_there: bool,
}

/// A face in line, the one with the point furthest outside first.
#[derive(PartialEq)]
struct Waiting {
    off: f64,
    face: u32,
    point: u32,
}

impl Eq for Waiting {}
impl PartialOrd for Waiting {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}
impl Ord for Waiting {
    fn cmp(&self, other: &Self) -> Ordering {
        let by_distance = self.off.total_cmp(&other.off);
        by_distance.then(other.face.cmp(&self.face))
    }
}

struct Growing<'a> {
    points: &'a [Vec3],
    faces: Vec<Face>,
    line: BinaryHeap<Waiting>,
    on_plane: f64,
}

impl Growing<'_> {
    fn at(&self, v: u32) -> DVec3 {
        self.points[v as usize].as_dvec3()
    }

    fn add(&mut self, corners: [u32; 3], beyond: [u32; 3]) -> u32 {
        let [a, b, c] = corners.map(|v| self.at(v));
        let normal = (b - a).cross(c - a).normalize_or_zero();
        self.faces.push(Face {
            corners,
            beyond,
            normal,
            offset: normal.dot(a),
            outside: Vec::new(),
            is_there: true,
        });
        self.faces.len() as u32 - 1
    }

    fn off(&self, face: u32, v: u32) -> f64 {
        let f = &self.faces[face as usize];
        f.normal.dot(self.at(v)) - f.offset
    }

    /// Gives each point to the first of some faces that it is outside of, and puts these in line.
    fn share_out(&mut self, points: impl Iterator<Item = u32>, among: &[u32]) {
        let mut far = vec![(self.on_plane, f64::MIN, u32::MAX); among.len()];
        for v in points {
            let first = among.iter().enumerate().find_map(|(k, &f)| {
                let off = self.off(f, v);
                (off > self.on_plane).then_some((k, f, off))
            });
            let Some((k, face, off)) = first else {
                continue;
            };
            self.faces[face as usize].outside.push(v);
            let counts = off + TIE * LEAN.dot(self.at(v));
            if counts > far[k].1 {
                far[k] = (off, counts, v);
            }
        }
        for (&face, (off, _, point)) in among.iter().zip(far) {
            if point != u32::MAX {
                self.line.push(Waiting { off, face, point });
            }
        }
    }

    /// The faces that a point sees, and the edges around them, each with its two corners and the face beyond it, one after the other.
    /// `None` where what it sees is no disc, which only rounding makes.
    fn seen(&self, from: u32, v: u32) -> Option<(Vec<u32>, Vec<[u32; 3]>)> {
        let mut seen = vec![from];
        let mut is_seen = std::collections::HashSet::from([from]);
        let mut next = 0;
        let mut around = Vec::new();
        while next < seen.len() {
            let face = &self.faces[seen[next] as usize];
            next += 1;
            for k in 0..3 {
                let other = face.beyond[k];
                if is_seen.contains(&other) {
                    continue;
                }
                if self.off(other, v) > self.on_plane {
                    is_seen.insert(other);
                    seen.push(other);
                }
            }
        }
        for &f in &seen {
            let face = &self.faces[f as usize];
            for k in 0..3 {
                if !is_seen.contains(&face.beyond[k]) {
                    let (a, b) = (face.corners[k], face.corners[(k + 1) % 3]);
                    around.push([a, b, face.beyond[k]]);
                }
            }
        }
        // One loop that passes no corner twice.
        let mut loop_ = Vec::with_capacity(around.len());
        let mut at = *around.first()?;
        for _ in 0..around.len() {
            loop_.push(at);
            let end = at[1];
            let mut following = around.iter().filter(|e| e[0] == end);
            at = *following.next()?;
            if following.next().is_some() {
                return None;
            }
        }
        (at == loop_[0]).then_some((seen, loop_))
    }
}

fn grown(
    points: &[Vec3],
    first: [u32; 4],
    diagonal: f64,
    most: usize,
    progress: &Progress,
) -> Result<Hull, Cancelled> {
    let mut g = Growing {
        points,
        faces: Vec::new(),
        line: BinaryHeap::new(),
        on_plane: ON_PLANE * diagonal,
    };
    let [a, b, c, d] = first;
    g.add([a, b, c], [3, 2, 1]);
    g.add([a, c, d], [0, 2, 3]);
    g.add([c, b, d], [0, 3, 1]);
    g.add([b, a, d], [0, 1, 2]);
    let own = |v: u32| first.contains(&v);
    g.share_out((0..points.len() as u32).filter(|&v| !own(v)), &[0, 1, 2, 3]);
    let mut count = 4;
    let mut lost = 0.0f64;
    let mut rounds = 0u32;
    while count < most.max(4)
        && let Some(Waiting { off, face, point }) = g.line.pop()
    {
        if !g.faces[face as usize].is_there {
            continue;
        }
        rounds += 1;
        if rounds.is_multiple_of(256) {
            progress.go_on()?;
        }
        let Some((seen, around)) = g.seen(face, point) else {
            // Beside what rounding makes of it the point is on the hull: the others of the face go on.
            lost = lost.max(off);
            let mut rest = std::mem::take(&mut g.faces[face as usize].outside);
            rest.retain(|&v| v != point);
            g.share_out(rest.into_iter(), &[face]);
            continue;
        };
        let new: Vec<u32> = (0..around.len() as u32)
            .map(|k| g.faces.len() as u32 + k)
            .collect();
        let n = new.len();
        for (k, &[from, to, beyond]) in around.iter().enumerate() {
            let made = g.add(
                [from, to, point],
                [beyond, new[(k + 1) % n], new[(k + n - 1) % n]],
            );
            let back = &mut g.faces[beyond as usize];
            let edge = (0..3).find(|&e| back.corners[e] == to).unwrap_or(0);
            back.beyond[edge] = made;
        }
        let mut orphans = Vec::new();
        for f in seen {
            let face = &mut g.faces[f as usize];
            face.is_there = false;
            orphans.append(&mut face.outside);
        }
        g.share_out(orphans.into_iter().filter(|&v| v != point), &new);
        count += 1;
    }
    let left = g.line.iter().filter(|w| g.faces[w.face as usize].is_there);
    let stands_out = left.map(|w| w.off).fold(lost, f64::max);
    let mut number = std::collections::HashMap::new();
    let mut out = Hull {
        stands_out_m: stands_out as f32,
        ..Hull::default()
    };
    for face in g.faces.iter().filter(|f| f.is_there) {
        for v in face.corners {
            let next = out.points.len() as u32;
            let n = *number.entry(v).or_insert(next);
            if n == next {
                out.points.push(points[v as usize]);
            }
            out.corners.push(n);
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;
    use proptest::prelude::*;
    use rstest::rstest;

    fn of(points: &[Vec3], most: usize) -> Hull {
        hull(points, most, &Progress::new()).unwrap().unwrap()
    }

    /// Every edge once each way, and Euler's formula for a sphere.
    fn is_closed(h: &Hull) {
        let mut edges = std::collections::HashSet::new();
        for t in h.corners.chunks_exact(3) {
            for k in 0..3 {
                assert!(edges.insert((t[k], t[(k + 1) % 3])), "an edge twice");
            }
        }
        assert!(edges.iter().all(|&(a, b)| edges.contains(&(b, a))));
        assert_eq!(h.corners.len() / 3, Hull::triangles_of(h.points.len()));
    }

    fn is_closed_and_convex(h: &Hull, within: f64) {
        is_closed(h);
        for t in h.corners.chunks_exact(3) {
            let [a, b, c] = [0, 1, 2].map(|k| h.points[t[k] as usize].as_dvec3());
            let normal = (b - a).cross(c - a).normalize();
            for p in &h.points {
                let off = (p.as_dvec3() - a).dot(normal);
                assert!(off <= within, "{off}");
            }
        }
    }

    /// Closed forms: the volume of a box; of a ball with all its points, that of the ball's own triangles.
    #[rstest]
    #[case(shapes::cuboid(Vec3::new(1.0, 2.0, 3.0)), 6.0)]
    #[case(shapes::icosphere(1.0, 4), f64::NAN)]
    fn all_points_of_a_convex_shape_are_its_hull(
        #[case] mesh: ectome_mesh::Mesh,
        #[case] volume: f64,
    ) {
        let h = of(&mesh.points, usize::MAX);
        is_closed_and_convex(&h, 3e-6);
        let volume = if volume.is_nan() {
            ectome_mesh::measure::volume(&mesh)
        } else {
            volume
        };
        assert!((h.volume() / volume - 1.0).abs() < 1e-5, "{}", h.volume());
        assert_eq!(h.points.len(), mesh.points.len());
        assert_eq!(h.stands_out_m, 0.0);
    }

    /// How far the furthest of some points lies outside, 0 where none does.
    fn outside(h: &Hull, points: &[Vec3]) -> f64 {
        let plane = |t: &[u32]| {
            let [a, b, c] = [0, 1, 2].map(|k| h.points[t[k] as usize].as_dvec3());
            let n = (b - a).cross(c - a).normalize();
            (n, n.dot(a))
        };
        let planes: Vec<(DVec3, f64)> = h.corners.chunks_exact(3).map(plane).collect();
        let off = |p: &Vec3| {
            let beyond = planes.iter().map(|(n, d)| n.dot(p.as_dvec3()) - d);
            beyond.fold(f64::MIN, f64::max)
        };
        points.iter().map(off).fold(0.0, f64::max)
    }

    #[test]
    fn a_hull_of_fewer_points_says_how_far_the_rest_stands_out() {
        let ball = shapes::icosphere(1.0, 5);
        let mut before = f32::MAX;
        for most in [4, 8, 20, 60, 200] {
            let h = of(&ball.points, most);
            is_closed_and_convex(&h, 1e-5);
            assert_eq!(h.points.len(), most);
            let furthest = outside(&h, &ball.points);
            // A point is told by the face it is given to, which is not the one it is furthest outside of.
            assert!(f64::from(h.stands_out_m) <= furthest + 1e-6);
            assert!(
                f64::from(h.stands_out_m) >= 0.5 * furthest,
                "{} {furthest}",
                h.stands_out_m
            );
            assert!(h.stands_out_m < before);
            before = h.stands_out_m;
        }
    }

    #[test]
    fn what_is_flat_is_given_a_thickness_and_a_line_is_none() {
        let flat: Vec<Vec3> = (0..50)
            .map(|i| Vec3::new((i % 7) as f32, 1.0, (i / 7) as f32))
            .collect();
        let h = of(&flat, 64);
        assert!(h.was_flat && h.volume() > 0.0);
        is_closed_and_convex(&h, 1e-4);
        let line: Vec<Vec3> = (0..9).map(|i| Vec3::splat(i as f32)).collect();
        assert_eq!(hull(&line, 64, &Progress::new()).unwrap(), None);
        assert_eq!(hull(&[], 64, &Progress::new()).unwrap(), None);
        assert_eq!(hull(&[Vec3::NAN; 9], 64, &Progress::new()).unwrap(), None);
    }

    proptest! {
        /// On a grid, where many points are on one plane: closed and convex, of points that were given, and none outside, which is what a hull is.
        #[test]
        fn points_of_a_grid_have_their_hull(
            raw in prop::collection::vec((0u8..12, 0u8..12, 0u8..12), 12..400)
        ) {
            let points: Vec<Vec3> = raw.iter()
                .map(|&(x, y, z)| Vec3::new(f32::from(x), f32::from(y), f32::from(z)) * 0.37)
                .collect();
            let Some(h) = hull(&points, usize::MAX, &Progress::new()).unwrap() else { return Ok(()) };
            is_closed_and_convex(&h, 1e-5);
            prop_assert!(h.stands_out_m < 1e-5);
            if !h.was_flat {
                prop_assert!(outside(&h, &points) < 1e-5);
                prop_assert!(h.points.iter().all(|p| points.contains(p)));
            }
        }

        /// Beside the hull of a general library (parry3d), on points of which no four are on one plane: of 147 points on a grid whose hull has
        /// 57.05 (by whole numbers, every plane through three of them tried) it makes 64.03.
        #[test]
        fn volumes_are_those_of_another_library(
            raw in prop::collection::vec([-1.0..1.0_f32, -1.0..1.0_f32, -1.0..1.0_f32], 12..400)
        ) {
            let points: Vec<Vec3> = raw.into_iter().map(Vec3::from_array).collect();
            let h = hull(&points, usize::MAX, &Progress::new()).unwrap().unwrap();
            // Of four points that are nearly on one plane some face is slim, and its plane, drawn on, says nothing.
            is_closed(&h);
            let given: Vec<_> = points.iter().map(|p| p.to_array().into()).collect();
            let (p, t) = parry3d::transformation::try_convex_hull(&given).unwrap();
            let theirs: f64 = t.iter().map(|t| {
                let [a, b, c] = t.map(|v| Vec3::from_array(p[v as usize].to_array()).as_dvec3());
                a.dot(b.cross(c)) / 6.0
            }).sum();
            prop_assert!((h.volume() - theirs).abs() < 1e-4 * theirs.max(1.0), "{} {theirs}", h.volume());
        }
    }
}
