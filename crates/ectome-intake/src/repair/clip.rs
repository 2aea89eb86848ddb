//! A plane that keeps one side, or that cuts a mesh into sections.

use std::collections::{HashMap, HashSet};

use earcut::Earcut;
use ectome_mesh::{
    Mesh, Part,
    edges::{Side, edges, loops_of, sorted_sides},
    edit, measure,
    triangulate::polygon,
};
use glam::{DVec3, Vec2, Vec3};
use serde::{Deserialize, Serialize};

/// A plane.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Plane {
    /// A point on it, in metres.
    pub point: [f32; 3],
    /// The direction of the side that is kept; any length but zero.
    pub normal: [f32; 3],
}

impl Plane {
    /// Its figures mean something: a finite point, and a direction that is longer than nothing.
    pub fn is_sound(&self) -> bool {
        let [point, normal] = [self.point, self.normal].map(Vec3::from);
        let across = normal.length_squared();
        point.is_finite() && across.is_finite() && across > 0.0
    }

    fn unit(&self) -> DVec3 {
        Vec3::from(self.normal).as_dvec3().normalize_or(DVec3::Y)
    }

    /// Signed distance of a place, positive on the kept side.
    pub fn distance(&self, p: Vec3) -> f64 {
        (p.as_dvec3() - Vec3::from(self.point).as_dvec3()).dot(self.unit())
    }
}

/// What a clip did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Clipped {
    /// Triangles beyond the plane, once those that crossed it were divided.
    pub removed: usize,
    /// Triangles of the cap.
    pub cap: usize,
    /// Outlines on the plane that were capped.
    pub outlines: usize,
}

/// A mesh none of whose faces crosses a plane.
struct Parted {
    mesh: Mesh,
    /// For each face: on the kept side.
    above: Vec<bool>,
    /// For each point: on the plane.
    on: Vec<bool>,
}

/// Divides the faces that cross a plane; new vertices carry what lies between the old ones.
fn part_along(mesh: &Mesh, plane: &Plane) -> Parted {
    // Points this near count as on the plane, so that no slivers come about.
    let near = 1e-6 * f64::from(measure::bounds(mesh).diagonal());
    let mut side: Vec<f64> = mesh
        .points
        .iter()
        .map(|&p| {
            let d = plane.distance(p);
            if d.abs() <= near { 0.0 } else { d }
        })
        .collect();
    let mut grown = mesh.clone();
    let mut points: HashMap<[u32; 2], u32> = HashMap::new();
    let mut vertices: HashMap<[u32; 2], u32> = HashMap::new();
    let mut faces: Vec<Vec<Vec<u32>>> = Vec::new();
    let mut crossing: HashMap<u32, usize> = HashMap::new();
    for f in 0..mesh.face_count() {
        let face = mesh.face(f);
        let d = |v: u32| side[mesh.vertex_point[v as usize] as usize];
        let above = face.iter().any(|&v| d(v) > 0.0);
        let below = face.iter().any(|&v| d(v) < 0.0);
        if !(above && below) {
            continue;
        }
        let mut cross = |a: u32, b: u32| -> u32 {
            let [pa, pb] = [a, b].map(|v| mesh.vertex_point[v as usize]);
            // Always from the lower point, so that both faces of an edge get the same place.
            let (a, b, pa, pb) = if pa < pb {
                (a, b, pa, pb)
            } else {
                (b, a, pb, pa)
            };
            let t = side[pa as usize] / (side[pa as usize] - side[pb as usize]);
            let point = *points.entry([pa, pb]).or_insert_with(|| {
                let [x, y] = [pa, pb].map(|p| mesh.points[p as usize].as_dvec3());
                grown.points.push(x.lerp(y, t).as_vec3());
                side.push(0.0);
                grown.points.len() as u32 - 1
            });
            *vertices
                .entry([a, b])
                .or_insert_with(|| grown.add_vertex_between(a, b, t as f32, point))
        };
        let pieces = pieces(mesh, face, |v| side_of(mesh, &mesh.points, plane, v, near));
        let mut out = Vec::new();
        for piece in pieces {
            let d = |v: u32| side_of(mesh, &mesh.points, plane, v, near);
            let (mut up, mut down) = (Vec::new(), Vec::new());
            for (k, &v) in piece.iter().enumerate() {
                let w = piece[(k + 1) % piece.len()];
                if d(v) >= 0.0 {
                    up.push(v);
                }
                if d(v) <= 0.0 {
                    down.push(v);
                }
                if d(v) * d(w) < 0.0 {
                    let m = cross(v, w);
                    up.push(m);
                    down.push(m);
                }
            }
            let proper = |list: &Vec<u32>, sign: f64| {
                list.len() >= 3 && piece.iter().any(|&v| d(v) * sign > 0.0)
            };
            if proper(&up, 1.0) {
                out.push(up);
            }
            if proper(&down, -1.0) {
                out.push(down);
            }
        }
        crossing.insert(f as u32, faces.len());
        faces.push(out);
    }
    let parted = edit::rebuilt(&grown, |f, face, sink| match crossing.get(&(f as u32)) {
        None => sink.push(face),
        Some(&at) => faces[at].iter().for_each(|face| sink.push(face)),
    });
    let normal = plane.unit().as_vec3();
    let above = (0..parted.face_count())
        .map(|f| is_above(&parted, f, &side, normal))
        .collect();
    Parted {
        above,
        on: side.iter().map(|&d| d == 0.0).collect(),
        mesh: parted,
    }
}

/// The face in pieces that a line parts in two at most: itself, or its triangles.
fn pieces(mesh: &Mesh, face: &[u32], side: impl Fn(u32) -> f64) -> Vec<Vec<u32>> {
    let signs: Vec<f64> = face.iter().map(|&v| side(v)).collect();
    let changes = (0..face.len())
        .filter(|&k| signs[k] * signs[(k + 1) % face.len()] < 0.0)
        .count()
        + signs.iter().filter(|&&s| s == 0.0).count();
    if face.len() == 3 || (changes == 2 && face.len() == 4) {
        vec![face.to_vec()]
    } else {
        let places: Vec<Vec3> = face.iter().map(|&v| mesh.position(v)).collect();
        polygon(&places)
            .into_iter()
            .map(|t| t.map(|i| face[i as usize]).to_vec())
            .collect()
    }
}

/// Whether a face lies on the kept side of the plane that no face crosses.
fn is_above(parted: &Mesh, f: usize, side: &[f64], normal: Vec3) -> bool {
    let sum: f64 = parted.face_points(f).map(|p| side[p as usize]).sum();
    if sum != 0.0 {
        return sum > 0.0;
    }
    // In the plane: it closes the side its back looks at.
    let face = parted.face(f);
    let [a, b, c] = [0, 1, 2].map(|k| parted.position(face[k]));
    (b - a).cross(c - a).dot(normal) < 0.0
}

fn side_of(mesh: &Mesh, points: &[Vec3], plane: &Plane, v: u32, near: f64) -> f64 {
    let d = plane.distance(points[mesh.vertex_point[v as usize] as usize]);
    if d.abs() <= near { 0.0 } else { d }
}

/// Keeps what lies on the side the plane's normal points to. With `cap`, the outlines on the plane are
/// closed, each part for itself; outlines that do not close stay open.
pub fn clip(mesh: &Mesh, plane: &Plane, cap: bool) -> (Mesh, Clipped) {
    let parted = part_along(mesh, plane);
    let mut done = Clipped::default();
    let base = &parted.mesh;
    let mut kept = edit::rebuilt(base, |f, face, sink| {
        if parted.above[f] {
            sink.push(face);
        }
    });
    done.removed = base.triangle_count() - kept.triangle_count();
    if cap {
        (kept, done.cap, done.outlines) = capped(&kept, plane, &parted.on);
    }
    kept.drop_unused();
    (kept, done)
}

/// Closes the outlines on the plane. Returns how many triangles and outlines.
fn capped(mesh: &Mesh, plane: &Plane, on: &[bool]) -> (Mesh, usize, usize) {
    let part = mesh.part_of_faces();
    let sides = sorted_sides(mesh);
    let mut by_part: Vec<Vec<Side>> = vec![Vec::new(); mesh.parts.len()];
    for edge in edges(&sides) {
        if !(on[edge[0].low as usize] && on[edge[0].high as usize]) {
            continue;
        }
        for s in edge {
            let own = part[s.face as usize];
            let alone = edge.iter().filter(|o| part[o.face as usize] == own).count() == 1;
            if alone {
                by_part[own as usize].push(*s);
            }
        }
    }
    let normal = -plane.unit().as_vec3();
    let across = normal.any_orthonormal_vector();
    let up = normal.cross(across);
    let flat = |p: u32| {
        let q = mesh.points[p as usize];
        Vec2::new(q.dot(across), q.dot(up))
    };
    let mut grown = mesh.clone();
    let mut behind: HashMap<u32, Vec<[u32; 3]>> = HashMap::new();
    let (mut triangles, mut outlines) = (0, 0);
    for list in by_part {
        // Against the sides: the cap lies on their other hand.
        let loops: Vec<Vec<Side>> = loops_of(list)
            .into_iter()
            .map(|mut l| {
                l.reverse();
                l
            })
            .collect();
        let rings: Vec<Vec<Vec2>> = loops
            .iter()
            .map(|l| l.iter().map(|s| flat(s.ends()[1])).collect())
            .collect();
        let areas: Vec<f32> = rings.iter().map(|r| signed_area(r)).collect();
        for outer in (0..rings.len()).filter(|&i| areas[i] > 0.0) {
            // The holes that lie in this outline and in no smaller one.
            let holes: Vec<usize> = (0..rings.len())
                .filter(|&h| {
                    areas[h] < 0.0 && {
                        let inside = |o: usize| contains(&rings[o], rings[h][0]);
                        let smallest = (0..rings.len())
                            .filter(|&o| areas[o] > 0.0 && inside(o))
                            .min_by(|&a, &b| areas[a].total_cmp(&areas[b]));
                        smallest == Some(outer)
                    }
                })
                .collect();
            let members: Vec<usize> = std::iter::once(outer).chain(holes).collect();
            let mut starts = Vec::new();
            let mut corners: Vec<(Side, Vec2)> = Vec::new();
            for &m in &members {
                if m != outer {
                    starts.push(corners.len() as u32);
                }
                corners.extend(loops[m].iter().copied().zip(rings[m].iter().copied()));
            }
            let filled = filled(mesh, &mut grown, &corners, &starts, normal);
            let entry = behind.entry(corners[0].0.face).or_default();
            triangles += filled.len();
            entry.extend(filled);
            outlines += members.len();
        }
    }
    let out = edit::rebuilt(&grown, |f, face, sink| {
        sink.push(face);
        for t in behind.get(&(f as u32)).into_iter().flatten() {
            sink.push(t);
        }
    });
    (out, triangles, outlines)
}

/// Fills outlines, of which those behind the first begin at `starts`, with triangles of new vertices that look along `normal`.
fn filled(
    mesh: &Mesh,
    grown: &mut Mesh,
    corners: &[(Side, Vec2)],
    starts: &[u32],
    normal: Vec3,
) -> Vec<[u32; 3]> {
    let mut ears: Vec<u32> = Vec::new();
    let places = corners.iter().map(|(_, p)| p.to_array());
    Earcut::new().earcut(places, starts, &mut ears);
    let own: Vec<u32> = corners
        .iter()
        .map(|(s, _)| {
            let face = mesh.face(s.face as usize);
            let v = face[(s.corner as usize + 1) % face.len()];
            let w = grown.copy_vertex(v, s.ends()[1]);
            if !grown.normals.is_empty() {
                grown.normals[w as usize] = normal;
            }
            w
        })
        .collect();
    let mut filled: Vec<[u32; 3]> = ears.chunks_exact(3).map(|e| [e[0], e[1], e[2]]).collect();
    // Ears all turn the same way, which their sum says better than one that may be thin as a line.
    let turn: f32 = filled
        .iter()
        .map(|e| {
            let [a, b, c] = e.map(|i| corners[i as usize].1);
            (b - a).perp_dot(c - a)
        })
        .sum();
    if turn < 0.0 {
        filled.iter_mut().for_each(|e| e.swap(1, 2));
    }
    let mut next: Vec<u32> = (1..=corners.len() as u32).collect();
    let mut first = 0;
    for end in starts.iter().copied().chain([corners.len() as u32]) {
        next[end as usize - 1] = first;
        first = end;
    }
    put_back(&mut filled, &next);
    filled.iter().map(|t| t.map(|i| own[i as usize])).collect()
}

/// Ear clipping leaves points out that lie on a straight line between their neighbours; the faces beyond still
/// use them. Each triangle over such a stretch becomes a fan.
///
/// Every fan takes one side away that nothing lies on the other hand of and adds none, so this ends.
fn put_back(triangles: &mut Vec<[u32; 3]>, next: &[u32]) {
    let round = |&[a, b, c]: &[u32; 3]| [[a, b], [b, c], [c, a]];
    let mut sides: HashSet<[u32; 2]> = triangles.iter().flat_map(round).collect();
    let mut whole = Vec::with_capacity(triangles.len());
    let mut open = std::mem::take(triangles);
    while let Some([a, b, c]) = open.pop() {
        let stretch = [[a, b, c], [b, c, a], [c, a, b]]
            .into_iter()
            .find_map(|[a, b, c]| {
                if sides.contains(&[b, a]) || next[a as usize] == b {
                    return None;
                }
                let mut chain = vec![a];
                while chain[chain.len() - 1] != b {
                    chain.push(next[chain[chain.len() - 1] as usize]);
                    if chain.len() > next.len() {
                        return None;
                    }
                }
                (!chain.contains(&c)).then_some((chain, c))
            });
        match stretch {
            Some((chain, c)) => {
                let fan: Vec<[u32; 3]> = chain.windows(2).map(|w| [w[0], w[1], c]).collect();
                sides.extend(fan.iter().flat_map(round));
                open.extend(fan);
            }
            None => whole.push([a, b, c]),
        }
    }
    *triangles = whole;
}

/// Shoelace formula.
fn signed_area(ring: &[Vec2]) -> f32 {
    let n = ring.len();
    0.5 * (0..n)
        .map(|i| ring[i].perp_dot(ring[(i + 1) % n]))
        .sum::<f32>()
}

/// Whether a place lies inside a ring: crossings of a ray to the right.
fn contains(ring: &[Vec2], p: Vec2) -> bool {
    let n = ring.len();
    (0..n)
        .filter(|&i| {
            let (a, b) = (ring[i], ring[(i + 1) % n]);
            (a.y > p.y) != (b.y > p.y) && p.x < a.x + (p.y - a.y) / (b.y - a.y) * (b.x - a.x)
        })
        .count()
        % 2
        == 1
}

/// Cuts a mesh into sections along planes at equal distances: `cells` along x, y and z. Every part that
/// reaches into several cells becomes as many parts, named for their cell; returns how many parts there are
/// then.
pub fn sections(mesh: &Mesh, cells: [u32; 3]) -> (Mesh, usize) {
    let bounds = measure::bounds(mesh);
    let size = bounds.max - bounds.min;
    let mut planes = Vec::new();
    for axis in 0..3 {
        for k in 1..cells[axis] {
            let mut normal = [0.0; 3];
            normal[axis] = 1.0;
            let mut point = bounds.min;
            point[axis] += size[axis] * k as f32 / cells[axis] as f32;
            planes.push(Plane {
                point: point.to_array(),
                normal,
            });
        }
    }
    let cell = |middle: Vec3| -> [u32; 3] {
        std::array::from_fn(|axis| {
            let at = (middle[axis] - bounds.min[axis]) / size[axis].max(f32::MIN_POSITIVE);
            ((at * cells[axis] as f32) as u32).min(cells[axis] - 1)
        })
    };
    parted_by(mesh, &planes, cell, |[x, y, z]| {
        format!("{}-{}-{}", x + 1, y + 1, z + 1)
    })
}

/// Cuts a mesh along a plane: every part that reaches to both its sides becomes two, of which the one the
/// normal points to is called 1. Returns how many parts there are then.
pub fn divide(mesh: &Mesh, plane: &Plane) -> (Mesh, usize) {
    let side = |middle: Vec3| u8::from(plane.distance(middle) < 0.0);
    parted_by(mesh, std::slice::from_ref(plane), side, |s| {
        (s + 1).to_string()
    })
}

/// Divides the faces that cross planes and groups what is left by part and by the cell its middle lies in.
fn parted_by<K: Copy + Ord + std::hash::Hash>(
    mesh: &Mesh,
    planes: &[Plane],
    cell: impl Fn(Vec3) -> K,
    name: impl Fn(K) -> String,
) -> (Mesh, usize) {
    let mut out = mesh.clone();
    for plane in planes {
        out = part_along(&out, plane).mesh;
    }
    let old = out.part_of_faces();
    let of_face: Vec<(u32, K)> = (0..out.face_count())
        .map(|f| {
            let face = out.face(f);
            let middle = face.iter().map(|&v| out.position(v)).sum::<Vec3>() / face.len() as f32;
            (old[f], cell(middle))
        })
        .collect();
    let mut keys = of_face.clone();
    keys.sort_unstable();
    keys.dedup();
    // Parts without faces stay listed.
    let mut parts: Vec<Part> = Vec::new();
    let mut number: HashMap<(u32, K), u32> = HashMap::new();
    for (p, part) in mesh.parts.iter().enumerate() {
        let own: Vec<_> = keys.iter().filter(|k| k.0 as usize == p).collect();
        if own.is_empty() {
            parts.push(part.clone());
        }
        for key in &own {
            number.insert(**key, parts.len() as u32);
            parts.push(Part {
                name: match own.len() {
                    1 => part.name.clone(),
                    _ => format!("{} {}", part.name, name(key.1)),
                },
                ..part.clone()
            });
        }
    }
    let count = parts.len();
    let out = edit::regrouped(&out, parts, |f| number[&of_face[f]]);
    (out, count)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{
        MeshBuilder, Primitive, shapes, topology::Topology, triangulate::triangulate,
    };
    use proptest::prelude::*;
    use rstest::rstest;

    fn plane(point: [f32; 3], normal: [f32; 3]) -> Plane {
        Plane { point, normal }
    }

    // Closed forms: half a box; a spherical cap holds π h² (r − h/3); a torus halved by its own plane or
    // across holds half of 2π²Rr².
    #[rstest]
    #[case::half_box(shapes::cuboid(Vec3::new(1.0, 2.0, 3.0)), plane([0.0; 3], [1.0, 0.0, 0.0]), 3.0, 1e-6)]
    #[case::cap(shapes::icosphere(1.0, 6), plane([0.0, 0.5, 0.0], [0.0, 2.0, 0.0]), std::f64::consts::PI * 0.25 * (1.0 - 0.5 / 3.0), 3e-3)]
    #[case::torus_slice(shapes::torus(1.0, 0.25, 200, 80), plane([0.0, 0.0, 0.0], [0.0, 1.0, 0.0]), std::f64::consts::PI.powi(2) * 0.0625, 3e-3)]
    #[case::torus_across(shapes::torus(1.0, 0.25, 200, 80), plane([0.01, 0.0, 0.0], [1.0, 0.0, 0.0]), std::f64::consts::PI.powi(2) * 0.0625 - 0.01 * 2.0 * std::f64::consts::PI * 0.0625, 5e-3)]
    fn a_clipped_solid_is_closed_and_holds_what_it_should(
        #[case] mesh: Mesh,
        #[case] plane: Plane,
        #[case] volume: f64,
        #[case] slack: f64,
    ) {
        let (half, done) = clip(&mesh, &plane, true);
        half.check().unwrap();
        let half = triangulate(&half).0;
        let t = Topology::of(&half);
        assert_eq!(
            (t.open_edges, t.nonmanifold_edges, t.inconsistent_edges),
            (0, 0, 0)
        );
        assert!((measure::volume(&half) / volume - 1.0).abs() < slack);
        assert!(done.cap > 0 && done.outlines > 0);
        assert!(half.points.iter().all(|&p| plane.distance(p) > -1e-5));
    }

    #[test]
    fn quads_stay_quads_where_the_plane_allows() {
        let mut builder = MeshBuilder::new();
        builder.primitive(Primitive {
            positions: [[0., 0.], [1., 0.], [1., 1.], [0., 1.]]
                .map(|p| Vec3::new(p[0], p[1], 0.0))
                .to_vec(),
            uv_sets: vec![
                [[0., 0.], [1., 0.], [1., 1.], [0., 1.]]
                    .map(Vec2::from_array)
                    .to_vec(),
            ],
            corners: vec![0, 1, 2, 3],
            face_sizes: vec![4],
            ..Primitive::default()
        });
        let (right, _) = clip(
            &builder.finish(),
            &plane([0.25, 0.0, 0.0], [1.0, 0.0, 0.0]),
            true,
        );
        assert_eq!(right.quads_and_ngons(), (1, 0));
        for v in 0..4 {
            assert!((right.position(v).truncate() - right.uv_sets[0][v as usize]).length() < 1e-6);
        }
    }

    #[test]
    fn sections_keep_the_surface_and_name_their_cells() {
        let ball = shapes::icosphere(1.0, 4);
        let (cut, parts) = sections(&ball, [2, 1, 2]);
        cut.check().unwrap();
        assert_eq!(parts, 4);
        assert!(cut.parts.iter().any(|p| p.name == "sphere 2-1-1"));
        assert!((measure::area(&triangulate(&cut).0) - measure::area(&ball)).abs() < 1e-4);
    }

    /// Three planes through the middle of a ball, one after another, make its eight octants.
    #[test]
    fn three_planes_make_eight_octants() {
        let ball = shapes::icosphere(1.0, 4);
        let mut cut = (ball.clone(), 1);
        for normal in [[1.0, 1.0, 0.0], [1.0, -1.0, 0.0], [0.0, 0.0, 1.0]] {
            cut = divide(&cut.0, &plane([0.0; 3], normal));
            cut.0.check().unwrap();
        }
        assert_eq!(cut.1, 8);
        let whole = measure::area(&ball);
        let flat = triangulate(&cut.0).0;
        assert!((measure::area(&flat) / whole - 1.0).abs() < 1e-5);
        let part = flat.part_of_faces();
        for p in 0..8 {
            let own = edit::kept(&flat, |f| part[f] == p);
            assert!((measure::area(&own) * 8.0 / whole - 1.0).abs() < 0.02);
        }
    }

    #[test]
    fn a_stretch_that_ear_clipping_left_out_is_put_back_once() {
        // A square whose upper side has three more places, and a second ring beside it.
        let next = vec![1, 2, 3, 4, 5, 6, 0, 8, 9, 7];
        let mut triangles = vec![[0, 1, 2], [0, 2, 6], [7, 8, 9]];
        put_back(&mut triangles, &next);
        triangles.sort_unstable();
        assert_eq!(
            triangles,
            [
                [0, 1, 2],
                [2, 3, 0],
                [3, 4, 0],
                [4, 5, 0],
                [5, 6, 0],
                [7, 8, 9]
            ]
        );
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        #[test]
        fn both_sides_of_any_plane_make_the_whole(x in -0.9f32..0.9, n in prop::array::uniform3(-1f32..1.0)) {
            prop_assume!(Vec3::from(n).length() > 0.2);
            let ring = shapes::torus(1.0, 0.4, 24, 14);
            let there = plane([x, 0.05, 0.1], n);
            let back = plane(there.point, n.map(|v| -v));
            let [a, b] = [there, back].map(|p| triangulate(&clip(&ring, &p, true).0).0);
            for half in [&a, &b] {
                let t = Topology::of(half);
                prop_assert_eq!(t.open_edges, 0);
                prop_assert_eq!(t.inconsistent_edges, 0);
            }
            let sum = measure::volume(&a) + measure::volume(&b);
            prop_assert!((sum / measure::volume(&ring) - 1.0).abs() < 1e-4);
        }
    }
}
