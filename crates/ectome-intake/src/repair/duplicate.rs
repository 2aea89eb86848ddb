//! Faces that occur twice.

use ectome_mesh::{Mesh, edit};

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
    let mut keys: Vec<(Vec<u32>, u32)> = (0..mesh.face_count())
        .map(|f| (key(mesh.face_points(f).collect(), either_way), f as u32))
        .collect();
    keys.sort_unstable();
    let mut goes = vec![false; keys.len()];
    for same in keys.chunk_by(|a, b| a.0 == b.0) {
        same[1..].iter().for_each(|(_, f)| goes[*f as usize] = true);
    }
    goes
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
