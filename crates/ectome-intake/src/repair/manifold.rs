//! Edges with three faces or more, and points where fans of faces only touch, come apart.
//!
//! Corners that share a point are grouped across the edges where faces belong together, and each group gets a
//! point of its own (A. Guéziec, G. Taubin, F. Lazarus, B. Horn, *Cutting and Stitching: Converting Sets of
//! Polygons to Manifold Surfaces*, 2001). At an edge of several faces, those that bound one wedge of solid
//! stay together, so two boxes that touch along an edge become two boxes.

use std::{collections::HashMap, f64::consts::TAU};

use ectome_mesh::{
    Mesh,
    edges::{Side, edges, sorted_sides},
    edit,
    topology::UnionFind,
};

/// What was taken apart.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Split {
    /// Edges that had more than two faces.
    pub edges: usize,
    /// Points that were added.
    pub points: usize,
}

/// Takes the mesh apart where it is not a surface.
pub fn split(mesh: &Mesh) -> (Mesh, Split) {
    let sides = sorted_sides(mesh);
    let starts: Vec<u32> = (0..mesh.face_count() as u32)
        .scan(0, |at, f| {
            let start = *at;
            *at += mesh.face(f as usize).len() as u32;
            Some(start)
        })
        .collect();
    let corner = |s: &Side| starts[s.face as usize] + s.corner;
    let next = |s: &Side| {
        let n = mesh.face(s.face as usize).len() as u32;
        starts[s.face as usize] + (s.corner + 1) % n
    };
    let mut sets = UnionFind::new(mesh.corners.len());
    let mut join = |a: &Side, b: &Side| {
        // The corners at the lower end, and those at the higher.
        let ends = |s: &Side| {
            if s.up {
                [corner(s), next(s)]
            } else {
                [next(s), corner(s)]
            }
        };
        let (x, y) = (ends(a), ends(b));
        sets.join(x[0], y[0]);
        sets.join(x[1], y[1]);
    };
    let mut done = Split::default();
    for edge in edges(&sides) {
        match edge {
            [_] => {}
            [a, b] => join(a, b),
            many => {
                done.edges += 1;
                for (a, b) in wedges(mesh, many) {
                    join(&many[a], &many[b]);
                }
            }
        }
    }
    // Corners of one face that share a point (a polygon that touches itself) stay together.
    let mut out = mesh.clone();
    let mut owner: Vec<u32> = vec![u32::MAX; mesh.points.len()];
    let mut made: HashMap<(u32, u32), u32> = HashMap::new();
    let mut vertices: HashMap<(u32, u32), u32> = HashMap::new();
    for c in 0..mesh.corners.len() {
        let v = mesh.corners[c];
        let p = mesh.vertex_point[v as usize];
        let root = sets.find(c as u32);
        let slot = &mut owner[p as usize];
        if *slot == u32::MAX {
            *slot = root;
        }
        if *slot == root {
            continue;
        }
        let point = *made.entry((p, root)).or_insert_with(|| {
            out.points.push(mesh.points[p as usize]);
            out.points.len() as u32 - 1
        });
        let vertex = *vertices
            .entry((v, point))
            .or_insert_with(|| out.copy_vertex(v, point));
        out.corners[c] = vertex;
    }
    let mut out = part_doubled(out);
    done.points = out.points.len() - mesh.points.len();
    out.drop_unused();
    (out, done)
}

/// Parts what still meets in one edge because it hangs together around both its ends: every pair of faces but the
/// first gets a point of its own in the middle of the edge.
fn part_doubled(mut mesh: Mesh) -> Mesh {
    let sides = sorted_sides(&mesh);
    let mut middles: HashMap<(u32, u32), u32> = HashMap::new();
    for edge in edges(&sides).filter(|e| e.len() > 2) {
        let pairs = wedges(&mesh, edge);
        let paired = |i: usize| pairs.iter().any(|&(a, b)| a == i || b == i);
        let alone = (0..edge.len()).filter(|&i| !paired(i)).map(|i| vec![i]);
        let groups = pairs.iter().map(|&(a, b)| vec![a, b]).chain(alone);
        let [low, high] = [edge[0].low, edge[0].high].map(|p| mesh.points[p as usize]);
        for group in groups.skip(1) {
            let point = mesh.points.len() as u32;
            mesh.points.push(low.midpoint(high));
            for i in group {
                middles.insert((edge[i].face, edge[i].corner), point);
            }
        }
    }
    if middles.is_empty() {
        return mesh;
    }
    let mut grown = mesh.clone();
    let mut vertices: HashMap<(u32, u32, u32), u32> = HashMap::new();
    let mut faces: HashMap<usize, Vec<Vec<u32>>> = HashMap::new();
    let mut touched: Vec<u32> = middles.keys().map(|&(f, _)| f).collect();
    touched.sort_unstable();
    touched.dedup();
    for f in touched {
        let face = mesh.face(f as usize);
        let n = face.len();
        let middle: Vec<Option<u32>> = (0..n)
            .map(|k| {
                let point = *middles.get(&(f, k as u32))?;
                let (a, b) = (face[k], face[(k + 1) % n]);
                let key = (a.min(b), a.max(b), point);
                let new = vertices
                    .entry(key)
                    .or_insert_with(|| grown.add_vertex_between(a, b, 0.5, point));
                Some(*new)
            })
            .collect();
        let list = faces.entry(f as usize).or_default();
        match (face, &middle[..]) {
            (&[a, b, c], &[ab, bc, ca]) => halves([a, b, c], [ab, bc, ca], list),
            _ => list.push(
                (0..n)
                    .flat_map(|k| std::iter::once(face[k]).chain(middle[k]))
                    .collect(),
            ),
        }
    }
    edit::rebuilt(&grown, |f, face, sink| match faces.get(&f) {
        None => sink.push(face),
        Some(list) => list.iter().for_each(|face| sink.push(face)),
    })
}

/// Divides a triangle at the points in its sides.
fn halves([a, b, c]: [u32; 3], [ab, bc, ca]: [Option<u32>; 3], out: &mut Vec<Vec<u32>>) {
    match (ab, bc, ca) {
        (Some(m), _, _) => {
            halves([a, m, c], [None, None, ca], out);
            halves([m, b, c], [None, bc, None], out);
        }
        (None, None, None) => out.push(vec![a, b, c]),
        _ => halves([b, c, a], [bc, ca, ab], out),
    }
}

/// Pairs the sides of one edge that bound a wedge of solid: a face whose outward side turns away from the
/// next one around. What is left without a partner becomes a border.
fn wedges(mesh: &Mesh, sides: &[Side]) -> Vec<(usize, usize)> {
    let place = |p: u32| mesh.points[p as usize].as_dvec3();
    let axis = (place(sides[0].high) - place(sides[0].low)).normalize_or_zero();
    let base = axis.any_orthonormal_vector();
    let other = axis.cross(base);
    let mut around: Vec<(f64, usize)> = sides
        .iter()
        .enumerate()
        .map(|(i, s)| {
            let n = mesh.face(s.face as usize).len() as f64;
            let middle = mesh
                .face_points(s.face as usize)
                .map(place)
                .sum::<glam::DVec3>()
                / n;
            let out = middle - place(s.low);
            let angle = out.dot(other).atan2(out.dot(base)).rem_euclid(TAU);
            (angle, i)
        })
        .collect();
    around.sort_unstable_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    // The solid of a face that runs up lies on the side of lesser angles.
    let n = around.len();
    let mut used = vec![false; n];
    let mut pairs = Vec::new();
    for k in 0..n {
        let (before, at) = ((k + n - 1) % n, k);
        let (down, up) = (around[before].1, around[at].1);
        if !used[before] && !used[at] && sides[up].up && !sides[down].up {
            used[before] = true;
            used[at] = true;
            pairs.push((up, down));
        }
    }
    pairs
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, measure, shapes, topology::Topology};
    use glam::Vec3;

    fn boxes(at: &[Vec3]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for &shift in at {
            let b = shapes::cuboid(Vec3::ONE);
            builder.primitive(Primitive {
                positions: b
                    .vertex_point
                    .iter()
                    .map(|&p| b.points[p as usize] + shift)
                    .collect(),
                corners: b.corners,
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn two_boxes_that_share_an_edge_become_two_boxes() {
        let mesh = boxes(&[Vec3::ZERO, Vec3::new(1.0, 1.0, 0.0)]);
        assert_eq!(Topology::of(&mesh).nonmanifold_edges, 1);
        let (two, done) = split(&mesh);
        two.check().unwrap();
        let t = Topology::of(&two);
        assert_eq!((done.edges, done.points), (1, 2));
        assert_eq!((t.nonmanifold_edges, t.open_edges, t.components), (0, 0, 2));
        assert_eq!(t.euler_characteristic, 4); // two spheres
        assert_eq!(measure::volume(&two), 2.0);
        assert_eq!(split(&two).1, Split::default());
    }

    #[test]
    fn two_boxes_that_touch_in_a_corner_come_apart() {
        let mesh = boxes(&[Vec3::ZERO, Vec3::ONE]);
        let (two, done) = split(&mesh);
        assert_eq!((done.edges, done.points), (0, 1));
        assert_eq!(Topology::of(&two).components, 2);
    }

    #[test]
    fn a_fin_is_taken_off_the_box() {
        let mut mesh = shapes::cuboid(Vec3::ONE);
        let [a, b] = [mesh.corners[0], mesh.corners[1]];
        let v = mesh.vertex_point.len() as u32;
        mesh.vertex_point.push(mesh.points.len() as u32);
        mesh.points.push(Vec3::new(-0.5, 0.0, -9.0));
        mesh.corners.extend([a, b, v]);
        mesh.runs[0].faces.end += 1;
        let (apart, _) = split(&mesh);
        let t = Topology::of(&apart);
        assert_eq!((t.nonmanifold_edges, t.open_edges, t.components), (0, 3, 2));
    }

    /// Two hollows that share an edge: the solid lies between them, so that a face of each bounds one wedge of it. Around
    /// both ends everything then hangs together, and points alone cannot part the edge.
    #[test]
    fn an_edge_that_hangs_together_at_both_ends_is_parted_in_its_middle() {
        let mut mesh = boxes(&[Vec3::ZERO, Vec3::new(1.0, 1.0, 0.0)]);
        mesh.corners.chunks_exact_mut(3).for_each(|f| f.swap(1, 2));
        let (apart, done) = split(&mesh);
        apart.check().unwrap();
        let t = Topology::of(&apart);
        assert_eq!((done.edges, done.points), (1, 1));
        assert_eq!(
            (t.nonmanifold_edges, t.open_edges, t.degenerate_faces),
            (0, 0, 0)
        );
        assert!((measure::volume(&apart) + 2.0).abs() < 1e-12);
        assert_eq!(split(&apart).1, Split::default());
    }
}
