//! Faces that occur twice.

use ectome_mesh::{Mesh, edit};
use rayon::prelude::*;

/// Drops faces on the same points as an earlier one. A face that looks the other way is a duplicate only
/// with `either_way`: a leaf seen from both sides is often modelled so. Returns how many went.
pub fn drop_duplicates(mesh: &Mesh, either_way: bool) -> (Mesh, usize) {
    let goes = find(mesh, either_way);
    let count = goes.iter().filter(|&&g| g).count();
    if count == 0 {
        return (mesh.clone(), 0);
    }
    (edit::kept(mesh, |f| !goes[f]), count)
}

/// Marks the faces that repeat an earlier one.
pub fn find(mesh: &Mesh, either_way: bool) -> Vec<bool> {
    let mut goes = vec![false; mesh.face_count()];
    // Triangles, which most faces are, have keys of one size; a triangle never repeats a larger face.
    let (small, large): (Vec<u32>, Vec<u32>) =
        (0..mesh.face_count() as u32).partition(|&f| mesh.face(f as usize).len() == 3);
    let points = |f: u32| mesh.face_points(f as usize);
    let triangle = |f: u32| -> [u32; 3] {
        let mut p = points(f);
        std::array::from_fn(|_| p.next().unwrap_or(u32::MAX))
    };
    let keys = small.into_iter().map(|f| {
        let p = turned(triangle(f));
        (
            if either_way {
                p.min(turned([p[0], p[2], p[1]]))
            } else {
                p
            },
            f,
        )
    });
    mark(keys.collect(), &mut goes);
    let keys = large
        .into_iter()
        .map(|f| (key(points(f).collect(), either_way), f));
    mark(keys.collect(), &mut goes);
    goes
}

fn mark<K: Ord + Send>(mut keys: Vec<(K, u32)>, goes: &mut [bool]) {
    keys.par_sort_unstable();
    for same in keys.chunk_by(|a, b| a.0 == b.0) {
        same[1..].iter().for_each(|(_, f)| goes[*f as usize] = true);
    }
}

/// A triangle's points from the lowest on.
fn turned([a, b, c]: [u32; 3]) -> [u32; 3] {
    match a.min(b).min(c) {
        low if low == a => [a, b, c],
        low if low == b => [b, c, a],
        _ => [c, a, b],
    }
}

/// The points of a face from the lowest on, in the direction of the face or, either way, in the lesser one.
fn key(mut points: Vec<u32>, either_way: bool) -> Vec<u32> {
    let turn = |points: &mut Vec<u32>| {
        let lowest = points.iter().enumerate().min_by_key(|(_, p)| **p);
        let at = lowest.map_or(0, |(i, _)| i);
        points.rotate_left(at);
    };
    turn(&mut points);
    if either_way {
        let mut back = points.clone();
        back.reverse();
        turn(&mut back);
        points = points.min(back);
    }
    points
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    #[test]
    fn a_copy_goes_and_a_back_only_when_asked() {
        let mut mesh = shapes::icosphere(1.0, 1);
        let [a, b, c] = [0, 1, 2].map(|k| mesh.corners[k]);
        mesh.corners.extend([b, c, a, a, c, b]);
        mesh.runs[0].faces.end += 2;
        assert_eq!(drop_duplicates(&mesh, false).1, 1);
        let (clean, gone) = drop_duplicates(&mesh, true);
        assert_eq!(gone, 2);
        assert_eq!(clean, shapes::icosphere(1.0, 1));
        assert_eq!(drop_duplicates(&clean, true).1, 0);
    }
}
