//! Open borders closed with patches that continue the surface around them.

use std::collections::{HashMap, HashSet};

use ectome_mesh::{
    Mesh,
    edges::{Loop, open_loops},
    edit,
    measure::Bounds,
};
use glam::{DVec3, Vec2, Vec3, Vec4};

use super::patch::Patch;

/// What was closed.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Closed {
    /// Borders closed.
    pub holes: usize,
    /// Triangles added.
    pub triangles: usize,
    /// Borders larger than what was to be closed, which stay open.
    pub open: usize,
    /// The extent of the smallest of them, in metres.
    pub smallest_open_m: f32,
}

/// A border.
#[derive(Clone, Debug)]
pub struct Hole {
    /// Its sides, in the direction of the faces they belong to.
    pub sides: Loop,
    /// Length all around, in metres.
    pub length_m: f32,
    /// Bounds of its points.
    pub bounds: Bounds,
}

/// The borders that close, largest extent first.
pub fn list(mesh: &Mesh) -> Vec<Hole> {
    of(mesh, open_loops(mesh))
}

/// The same of loops that are known.
pub fn of(mesh: &Mesh, loops: Vec<Loop>) -> Vec<Hole> {
    let mut holes: Vec<Hole> = loops
        .into_iter()
        .map(|sides| {
            let places: Vec<Vec3> = sides
                .iter()
                .map(|s| mesh.points[s.ends()[0] as usize])
                .collect();
            let n = places.len();
            Hole {
                length_m: (0..n)
                    .map(|i| places[i].distance(places[(i + 1) % n]))
                    .sum(),
                bounds: places.iter().fold(
                    Bounds {
                        min: places[0],
                        max: places[0],
                    },
                    |b, &p| Bounds {
                        min: b.min.min(p),
                        max: b.max.max(p),
                    },
                ),
                sides,
            }
        })
        .collect();
    holes.sort_by(|a, b| b.bounds.diagonal().total_cmp(&a.bounds.diagonal()));
    holes
}

/// Closes the borders whose extent (the diagonal of their bounds) is at most `size_m` metres. UVs, colours
/// and normals run on into the patch; where a seam ends at the border, the patch belongs to the island with
/// the longer stretch of it.
pub fn close_up_to(mesh: &Mesh, size_m: f32) -> (Mesh, Closed) {
    let (holes, larger): (Vec<Hole>, Vec<Hole>) = list(mesh)
        .into_iter()
        .filter(|h| h.sides.len() >= 3)
        .partition(|h| h.bounds.diagonal() <= size_m);
    let mut done = Closed {
        open: larger.len(),
        smallest_open_m: larger.last().map_or(0.0, |h| h.bounds.diagonal()),
        ..Closed::default()
    };
    if holes.is_empty() {
        return (mesh.clone(), done);
    }
    // Edges between border points that stand already: a patch must not use them a third time.
    let mut on_border = vec![false; mesh.points.len()];
    for s in holes.iter().flat_map(|h| &h.sides) {
        s.ends().iter().for_each(|&p| on_border[p as usize] = true);
    }
    let mut standing: HashSet<[u32; 2]> = HashSet::new();
    for f in 0..mesh.face_count() {
        let points: Vec<u32> = mesh.face_points(f).collect();
        for k in 0..points.len() {
            let (a, b) = (points[k], points[(k + 1) % points.len()]);
            if on_border[a as usize] && on_border[b as usize] {
                standing.insert([a.min(b), a.max(b)]);
            }
        }
    }
    let run = mesh.run_of_faces();
    let mut grown = mesh.clone();
    let mut behind: HashMap<u32, Vec<[u32; 3]>> = HashMap::new();
    for hole in &holes {
        let (face, triangles) = close(&mut grown, mesh, hole, &run, &mut standing);
        done.holes += 1;
        done.triangles += triangles.len();
        behind.entry(face).or_default().extend(triangles);
    }
    let mut out = edit::rebuilt(&grown, |f, face, sink| {
        sink.push(face);
        for t in behind.get(&(f as u32)).into_iter().flatten() {
            sink.push(t);
        }
    });
    out.drop_unused();
    (out, done)
}

/// One place of the ring, in the direction of the patch.
struct Place {
    point: u32,
    /// The vertex of the face whose side leaves here.
    vertex: u32,
    /// True when it continues the island that the patch belongs to.
    continues: bool,
}

fn close(
    grown: &mut Mesh,
    mesh: &Mesh,
    hole: &Hole,
    run: &[u32],
    standing: &mut HashSet<[u32; 2]>,
) -> (u32, Vec<[u32; 3]>) {
    let (ring, face) = ring(mesh, &hole.sides, run);
    let n = ring.len();
    let points: Vec<DVec3> = ring
        .iter()
        .map(|p| mesh.points[p.point as usize].as_dvec3())
        .collect();
    // The ring runs against the sides: side i of the ring is side n − 2 − i of the border.
    let across: Vec<DVec3> = (0..n)
        .map(|i| {
            let side = hole.sides[(2 * n - 2 - i) % n];
            face_normal(mesh, side.face as usize)
        })
        .collect();
    let patch = Patch::over(points, &across, |i, j| {
        let (a, b) = (ring[i].point, ring[j].point);
        standing.contains(&[a.min(b), a.max(b)])
    });
    for t in &patch.triangles {
        for k in 0..3 {
            let (i, j) = (t[k] as usize, t[(k + 1) % 3] as usize);
            if i < n && j < n {
                let (a, b) = (ring[i].point, ring[j].point);
                standing.insert([a.min(b), a.max(b)]);
            }
        }
    }
    let vertices = vertices(grown, mesh, &ring, &patch);
    let triangles = patch
        .triangles
        .iter()
        .map(|t| t.map(|i| vertices[i as usize]))
        .collect();
    (face, triangles)
}

/// The ring in the direction of the patch, and the face behind which the patch will stand: one of the
/// island that has the longest stretch of the border.
fn ring(mesh: &Mesh, sides: &Loop, run: &[u32]) -> (Vec<Place>, u32) {
    let n = sides.len();
    let start = |i: usize| mesh.face(sides[i].face as usize)[sides[i].corner as usize];
    let end = |i: usize| {
        let face = mesh.face(sides[i].face as usize);
        face[(sides[i].corner as usize + 1) % face.len()]
    };
    let same =
        |v: u32, w: u32| v == w || mesh.uv_sets.iter().all(|s| s[v as usize] == s[w as usize]);
    // True where side i runs on into side i + 1 without a seam.
    let runs_on: Vec<bool> = (0..n)
        .map(|i| {
            let j = (i + 1) % n;
            same(end(i), start(j)) && run[sides[i].face as usize] == run[sides[j].face as usize]
        })
        .collect();
    let mut continues = vec![true; n];
    let mut keeper = 0;
    if let Some(first) = runs_on.iter().position(|r| !r) {
        // Stretches between seams, each from the side after one seam to the side before the next.
        let mut stretches: Vec<Vec<usize>> = vec![Vec::new()];
        for k in 1..=n {
            let i = (first + k) % n;
            let at = stretches.len() - 1;
            stretches[at].push(i);
            if !runs_on[i] && k < n {
                stretches.push(Vec::new());
            }
        }
        let length = |list: &Vec<usize>| -> f32 {
            list.iter()
                .map(|&i| {
                    let [a, b] = sides[i].ends().map(|p| mesh.points[p as usize]);
                    a.distance(b)
                })
                .sum()
        };
        let longest = stretches
            .iter()
            .max_by(|a, b| length(a).total_cmp(&length(b)));
        if let Some(list) = longest {
            continues.fill(false);
            list.iter().for_each(|&i| continues[i] = true);
            keeper = list[0];
        }
    }
    let ring = (0..n)
        .rev()
        .map(|i| Place {
            point: sides[i].ends()[0],
            vertex: start(i),
            continues: continues[i],
        })
        .collect();
    (ring, sides[keeper].face)
}

/// The vertices of the patch: the ring's own where the island goes on, new ones elsewhere.
fn vertices(grown: &mut Mesh, mesh: &Mesh, ring: &[Place], patch: &Patch) -> Vec<u32> {
    let n = ring.len();
    // UVs of foreign places: in between, along the ring, what the island has on both sides of them.
    let mut uvs: Vec<Vec<Vec2>> = mesh
        .uv_sets
        .iter()
        .map(|s| ring.iter().map(|p| s[p.vertex as usize]).collect())
        .collect();
    for i in (0..n).filter(|&i| !ring[i].continues) {
        let walk = |step: usize| {
            let mut length = 0.0;
            let mut at = i;
            for _ in 0..n {
                let next = (at + step) % n;
                length += patch.points[at].distance(patch.points[next]);
                at = next;
                if ring[at].continues {
                    break;
                }
            }
            (at, length as f32)
        };
        let ((a, from), (b, to)) = (walk(n - 1), walk(1));
        for set in &mut uvs {
            set[i] = set[a].lerp(set[b], from / (from + to).max(f32::MIN_POSITIVE));
        }
    }
    let mut rows: Vec<[f64; 2]> = Vec::new();
    for set in &mut uvs {
        rows.clear();
        rows.extend(set.iter().map(|uv| uv.as_dvec2().to_array()));
        patch.spread(&mut rows);
        *set = rows
            .iter()
            .map(|r| Vec2::new(r[0] as f32, r[1] as f32))
            .collect();
    }
    let mut colours: Vec<[f64; 4]> = Vec::new();
    if !mesh.colours.is_empty() {
        let of = |p: &Place| mesh.colours[p.vertex as usize].as_dvec4().to_array();
        colours.extend(ring.iter().map(of));
        patch.spread(&mut colours);
    }
    let mut normals = vec![DVec3::ZERO; patch.points.len()];
    for t in &patch.triangles {
        let [a, b, c] = t.map(|i| patch.points[i as usize]);
        t.iter()
            .for_each(|&i| normals[i as usize] += (b - a).cross(c - a));
    }
    (0..patch.points.len())
        .map(|i| {
            if i < n && ring[i].continues {
                return ring[i].vertex;
            }
            let (like, point) = match ring.get(i) {
                Some(p) => (p.vertex, p.point),
                None => {
                    grown.points.push(patch.points[i].as_vec3());
                    (ring[0].vertex, grown.points.len() as u32 - 1)
                }
            };
            let v = grown.copy_vertex(like, point);
            for (set, uvs) in grown.uv_sets.iter_mut().zip(&uvs) {
                set[v as usize] = uvs[i];
            }
            if i >= n && !mesh.normals.is_empty() {
                grown.normals[v as usize] =
                    normals[i].try_normalize().map_or(Vec3::Y, |n| n.as_vec3());
            }
            if i >= n && !mesh.colours.is_empty() {
                grown.colours[v as usize] = Vec4::from_array(colours[i].map(|c| c as f32));
            }
            v
        })
        .collect()
}

fn face_normal(mesh: &Mesh, f: usize) -> DVec3 {
    let face = mesh.face(f);
    let p = |k: usize| mesh.position(face[k]).as_dvec3();
    (1..face.len() - 1)
        .map(|k| (p(k) - p(0)).cross(p(k + 1) - p(0)))
        .sum::<DVec3>()
        .normalize_or_zero()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{measure, shapes, topology::Topology};
    use proptest::prelude::*;

    fn holed(which: impl Fn(usize) -> bool) -> Mesh {
        let ball = shapes::icosphere(1.0, 4);
        edit::kept(&ball, |f| !which(f))
    }

    // A sphere again: V − E + F = 2, and the volume of 4/3 π less the caps the patches flatten.
    #[test]
    fn closing_the_holes_of_a_sphere_makes_it_a_sphere_again() {
        let ball = shapes::icosphere(1.0, 4);
        let gone = |f: usize| {
            let c = ball.triangle(f).iter().sum::<Vec3>() / 3.0;
            c.y > 0.95 || c.x > 0.97
        };
        let open = holed(gone);
        assert_eq!(list(&open).len(), 2);
        let (closed, done) = close_up_to(&open, 1.0);
        closed.check().unwrap();
        let t = Topology::of(&closed);
        assert_eq!((done.holes, t.open_edges, t.nonmanifold_edges), (2, 0, 0));
        assert_eq!((t.inconsistent_edges, t.euler_characteristic), (0, 2));
        assert_eq!(t.degenerate_faces, 0);
        // A cap of height h on the unit sphere holds π h² (1 − h/3).
        let cap = |h: f64| std::f64::consts::PI * h * h * (1.0 - h / 3.0);
        let flattened = measure::volume(&ball) - measure::volume(&closed);
        assert!(flattened > 0.0 && flattened < 1.3 * (cap(0.05) + cap(0.03)) + 0.01);
        assert_eq!(close_up_to(&closed, 1.0).1, Closed::default());
    }

    #[test]
    fn a_border_larger_than_the_size_stays() {
        let half = holed(|f| shapes::icosphere(1.0, 4).triangle(f)[0].y < 0.0);
        assert_eq!(close_up_to(&half, 0.5).1.holes, 0);
    }

    #[test]
    fn uvs_run_on_into_the_patch() {
        // A square sheet of 8 × 8 quads, UV = place; a hole of 2 × 2 in the middle.
        let mut builder = ectome_mesh::MeshBuilder::new();
        let at = |x: u32, y: u32| y * 9 + x;
        let places: Vec<Vec3> = (0..81)
            .map(|i| Vec3::new((i % 9) as f32 / 8.0, (i / 9) as f32 / 8.0, 0.0))
            .collect();
        let mut corners = Vec::new();
        for y in 0..8 {
            for x in 0..8 {
                if !((3..5).contains(&x) && (3..5).contains(&y)) {
                    corners.extend([at(x, y), at(x + 1, y), at(x + 1, y + 1), at(x, y + 1)]);
                }
            }
        }
        builder.primitive(ectome_mesh::Primitive {
            uv_sets: vec![places.iter().map(|p| p.truncate()).collect()],
            face_sizes: vec![4; corners.len() / 4],
            positions: places,
            corners,
            ..Default::default()
        });
        let (closed, done) = close_up_to(&builder.finish(), 0.5);
        closed.check().unwrap();
        assert_eq!(done.holes, 1);
        for v in 0..closed.vertex_count() as u32 {
            let off = closed.position(v).truncate() - closed.uv_sets[0][v as usize];
            assert!(off.length() < 1e-5);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]
        #[test]
        fn no_patch_makes_an_edge_of_three_faces(seed in prop::collection::vec(0usize..5120, 1..60)) {
            let ball = shapes::icosphere(1.0, 4);
            let open = edit::kept(&ball, |f| !seed.contains(&f));
            let before = Topology::of(&open);
            let (closed, _) = close_up_to(&open, 3.0);
            let after = Topology::of(&closed);
            prop_assert!(closed.check().is_ok());
            prop_assert!(after.nonmanifold_edges <= before.nonmanifold_edges);
            prop_assert!(after.open_edges == 0, "{} left", after.open_edges);
            prop_assert_eq!(after.inconsistent_edges, 0);
        }
    }
}
