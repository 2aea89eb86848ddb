//! Faces without area.
//!
//! Leaving such a face out would tear its neighbours apart where it has three points of its own. So a
//! triangle with one very short side is closed like a zip (the two ends become one point), one whose point
//! lies on the opposite side hands that point to the neighbour there, and only what has nobody beside it
//! goes as it is.

use std::collections::HashMap;

use ectome_mesh::{
    Mesh,
    edges::{Side, edges, sorted_sides},
    edit,
    topology::is_degenerate,
};
use glam::DVec3;

/// A side this short beside the longest is closed.
const SHORT: f64 = 1e-5;
/// Rounds after which whatever is left goes as it is.
const ROUNDS: usize = 6;

/// The faces without area.
pub fn find(mesh: &Mesh) -> Vec<bool> {
    (0..mesh.face_count()).map(|f| is_flat(mesh, f)).collect()
}

fn is_flat(mesh: &Mesh, face: usize) -> bool {
    match *mesh.face(face) {
        [a, b, c] => is_degenerate([a, b, c].map(|v| mesh.position(v))),
        ref polygon => {
            // Newell's area vector against the longest reach.
            let p: Vec<DVec3> = polygon
                .iter()
                .map(|&v| mesh.position(v).as_dvec3())
                .collect();
            let area: DVec3 = (1..p.len() - 1)
                .map(|k| (p[k] - p[0]).cross(p[k + 1] - p[0]))
                .sum();
            let reach = p
                .iter()
                .map(|q| q.distance_squared(p[0]))
                .fold(0.0, f64::max);
            area.length() <= 1e-6 * reach
        }
    }
}

/// Takes faces without area out and leaves no gap where they were. Returns how many went.
pub fn drop_degenerate(mesh: &Mesh) -> (Mesh, usize) {
    let before = find(mesh).iter().filter(|&&d| d).count();
    if before == 0 {
        return (mesh.clone(), 0);
    }
    let mut out = mesh.clone();
    for _ in 0..ROUNDS {
        let flat = find(&out);
        if !flat.contains(&true) {
            break;
        }
        let (closed, any) = close_short(&out, &flat);
        out = closed;
        let flat = find(&out);
        let (handed, some) = hand_over(&out, &flat);
        out = handed;
        if !any && !some {
            break;
        }
    }
    let flat = find(&out);
    let mut out = edit::kept(&out, |f| !flat[f]);
    out.drop_unused();
    let gone = mesh.face_count() - out.face_count();
    (out, gone)
}

/// Makes the ends of the very short sides of flat faces one point.
fn close_short(mesh: &Mesh, flat: &[bool]) -> (Mesh, bool) {
    let mut to: Vec<u32> = (0..mesh.points.len() as u32).collect();
    let mut any = false;
    for f in (0..flat.len()).filter(|&f| flat[f]) {
        let points: Vec<u32> = mesh.face_points(f).collect();
        let side = |k: usize| [points[k], points[(k + 1) % points.len()]];
        let length = |[a, b]: [u32; 2]| {
            let place = |p: u32| mesh.points[p as usize].as_dvec3();
            place(a).distance(place(b))
        };
        let longest = (0..points.len())
            .map(|k| length(side(k)))
            .fold(0.0, f64::max);
        for [a, b] in (0..points.len()).map(side) {
            let untouched = to[a as usize] == a && to[b as usize] == b;
            if a != b && untouched && length([a, b]) <= SHORT * longest {
                to[a.max(b) as usize] = a.min(b);
                any = true;
                break;
            }
        }
    }
    let mut moved = mesh.clone();
    for p in &mut moved.vertex_point {
        // Chains are short: each point was touched once a round.
        while to[*p as usize] != *p {
            *p = to[*p as usize];
        }
    }
    let out = edit::rebuilt(&moved, |_, face, sink| {
        let point = |v: u32| moved.vertex_point[v as usize];
        let n = face.len();
        let left: Vec<u32> = (0..n)
            .filter(|&k| point(face[k]) != point(face[(k + 1) % n]))
            .map(|k| face[k])
            .collect();
        sink.push(&left);
    });
    let any = any || out.face_count() != mesh.face_count();
    (out, any)
}

/// Gives the middle point of a flat triangle to the neighbour across its longest side, which becomes two faces.
fn hand_over(mesh: &Mesh, flat: &[bool]) -> (Mesh, bool) {
    let sides = sorted_sides(mesh);
    let mut busy = vec![false; mesh.face_count()];
    // For a neighbour: the corner its shared side leaves from, the point that goes in, and where.
    let mut split: HashMap<u32, (usize, u32, f32)> = HashMap::new();
    let mut gone = vec![false; mesh.face_count()];
    for edge in edges(&sides) {
        let [a, b] = edge else { continue };
        for (thin, wide) in [(a, b), (b, a)] {
            if let Some((corner, point, t)) = handing(mesh, flat, thin, wide)
                && !busy[thin.face as usize]
                && !busy[wide.face as usize]
            {
                busy[thin.face as usize] = true;
                busy[wide.face as usize] = true;
                gone[thin.face as usize] = true;
                split.insert(wide.face, (corner, point, t));
            }
        }
    }
    if split.is_empty() {
        return (mesh.clone(), false);
    }
    let mut grown = mesh.clone();
    let mut inserted: HashMap<u32, u32> = HashMap::new();
    let mut faces: Vec<u32> = split.keys().copied().collect();
    faces.sort_unstable();
    for f in faces {
        let (corner, point, t) = split[&f];
        let face = mesh.face(f as usize);
        let v = grown.add_vertex_between(face[corner], face[(corner + 1) % face.len()], t, point);
        inserted.insert(f, v);
    }
    let out = edit::rebuilt(&grown, |f, face, sink| {
        if gone[f] {
            return;
        }
        let Some(&(corner, ..)) = split.get(&(f as u32)) else {
            return sink.push(face);
        };
        let v = inserted[&(f as u32)];
        if face.len() == 3 {
            let [a, b, c] = [0, 1, 2].map(|k| face[(corner + k) % 3]);
            sink.push(&[a, v, c]);
            sink.push(&[v, b, c]);
        } else {
            let mut polygon = face.to_vec();
            polygon.insert(corner + 1, v);
            sink.push(&polygon);
        }
    });
    (out, true)
}

/// If `thin` is the longest side of a flat triangle and `wide` belongs to a sound face: the corner of the
/// sound face, the point it takes in, and the place of that point along its side.
fn handing(mesh: &Mesh, flat: &[bool], thin: &Side, wide: &Side) -> Option<(usize, u32, f32)> {
    if !flat[thin.face as usize] || flat[wide.face as usize] || thin.up == wide.up {
        return None;
    }
    let face = mesh.face(thin.face as usize);
    if face.len() != 3 {
        return None;
    }
    let apex = mesh.vertex_point[face[(thin.corner as usize + 2) % 3] as usize];
    let [from, to] = wide.ends().map(|p| mesh.points[p as usize].as_dvec3());
    let along = to - from;
    let t = (mesh.points[apex as usize].as_dvec3() - from).dot(along) / along.length_squared();
    let inside = t > 0.0 && t < 1.0 && !mesh.face_points(wide.face as usize).any(|p| p == apex);
    inside.then_some((wide.corner as usize, apex, t as f32))
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, topology::Topology};
    use glam::Vec3;

    fn mesh(positions: &[[f32; 3]], corners: &[u32]) -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.primitive(Primitive {
            positions: positions.iter().map(|p| Vec3::from_array(*p)).collect(),
            corners: corners.to_vec(),
            ..Primitive::default()
        });
        builder.finish()
    }

    #[test]
    fn a_point_on_a_side_goes_to_the_neighbour() {
        // A square of two triangles with a flat one along the diagonal: no open edge may appear inside.
        let m = mesh(
            &[
                [0., 0., 0.],
                [1., 0., 0.],
                [1., 1., 0.],
                [0., 1., 0.],
                [0.5, 0.5, 0.],
            ],
            &[0, 1, 4, 1, 2, 4, 0, 4, 2, 0, 2, 3],
        );
        assert_eq!(find(&m), [false, false, true, false]);
        let (clean, gone) = drop_degenerate(&m);
        clean.check().unwrap();
        let t = Topology::of(&clean);
        assert_eq!((gone, t.degenerate_faces, t.open_edges), (0, 0, 4));
        assert_eq!(clean.face_count(), 4);
    }

    #[test]
    fn a_very_short_side_is_closed() {
        let m = mesh(
            &[
                [0., 0., 0.],
                [1., 0., 0.],
                [1., 1e-7, 0.],
                [0., 1., 0.],
                [2., 0., 0.],
            ],
            &[0, 1, 2, 0, 2, 3, 1, 4, 2, 2, 4, 3],
        );
        let (clean, gone) = drop_degenerate(&m);
        clean.check().unwrap();
        assert_eq!((gone, clean.points.len(), clean.face_count()), (2, 4, 2));
        assert_eq!(drop_degenerate(&clean).1, 0);
    }
}
