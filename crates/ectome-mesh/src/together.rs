//! Two meshes as one.

use glam::{Vec2, Vec3, Vec4};

use crate::{Mesh, Run, edit};

/// The faces of two meshes of the same parts, those of each part together; the first's before the second's. Neither shares a point with the
/// other. What one carries and the other does not is zero there, and the runs say which carry it.
pub fn together(first: &Mesh, second: &Mesh) -> Mesh {
    if second.corners.is_empty() {
        return first.clone();
    }
    let vertices = [first.vertex_count(), second.vertex_count()];
    let sets = first.uv_sets.len().max(second.uv_sets.len());
    let uv_set = |n: usize| {
        let own = |m: &Mesh, count| {
            m.uv_sets
                .get(n)
                .cloned()
                .unwrap_or_else(|| vec![Vec2::ZERO; count])
        };
        [own(first, vertices[0]), own(second, vertices[1])].concat()
    };
    let first_points = first.points.len() as u32;
    let first_vertices = vertices[0] as u32;
    let first_faces = first.face_count() as u32;
    let later = second.runs.iter().map(|run| Run {
        faces: run.faces.start + first_faces..run.faces.end + first_faces,
        ..run.clone()
    });
    let face_starts = (first.face_starts.is_some() || second.face_starts.is_some()).then(|| {
        let ends = |m: &Mesh, from: u32| -> Vec<u32> {
            let mut at = from;
            let end = |f| {
                at += m.face(f).len() as u32;
                at
            };
            (0..m.face_count()).map(end).collect()
        };
        let corners = first.corners.len() as u32;
        [vec![0], ends(first, 0), ends(second, corners)].concat()
    });
    let mesh = Mesh {
        points: [&first.points[..], &second.points].concat(),
        vertex_point: (first.vertex_point.iter().copied())
            .chain(second.vertex_point.iter().map(|p| p + first_points))
            .collect(),
        normals: both(&first.normals, &second.normals, vertices, Vec3::ZERO),
        uv_sets: (0..sets).map(uv_set).collect(),
        colours: both(&first.colours, &second.colours, vertices, Vec4::ZERO),
        corners: (first.corners.iter().copied())
            .chain(second.corners.iter().map(|v| v + first_vertices))
            .collect(),
        face_starts,
        parts: first.parts.clone(),
        runs: first.runs.iter().cloned().chain(later).collect(),
        nodes: first.nodes.clone(),
    };
    let run = mesh.run_of_faces();
    let owner = |f: usize| &mesh.runs[run[f] as usize];
    edit::rearranged(&mesh, mesh.parts.clone(), |f| {
        (owner(f).part, owner(f).material)
    })
}

/// Values of the vertices of two meshes; empty where neither has any.
fn both<T: Copy>(first: &[T], second: &[T], counts: [usize; 2], none: T) -> Vec<T> {
    if first.is_empty() && second.is_empty() {
        return Vec::new();
    }
    let own = |list: &[T], count: usize| {
        if list.is_empty() {
            vec![none; count]
        } else {
            list.to_vec()
        }
    };
    [own(first, counts[0]), own(second, counts[1])].concat()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shapes;

    #[test]
    fn halves_make_the_whole() {
        let mut ball = shapes::icosphere(1.0, 2);
        ball.uv_sets = vec![vec![Vec2::ONE; ball.vertex_count()]];
        ball.runs[0].channels.uv_sets = 1;
        let half = |up: bool| edit::kept(&ball, |f| (ball.triangle(f)[0].y > 0.0) == up);
        let (upper, mut lower) = (half(true), half(false));
        lower.uv_sets.clear();
        lower.runs[0].channels.uv_sets = 0;
        let whole = together(&upper, &lower);
        assert_eq!(whole.check(), Ok(()));
        assert_eq!(whole.face_count(), ball.face_count());
        assert_eq!(whole.runs.len(), 2);
        assert_eq!(whole.runs[1].channels.uv_sets, 0);
        assert_eq!(together(&upper, &Mesh::default()), upper);
    }
}
