//! How the faces hang together.

use ectome_mesh::{
    Cancelled, Mesh, Progress,
    edges::{Side, edges, loops_of, sorted_sides},
    topology::UnionFind,
};

use super::{Kind, List, edge_mark, face_spot, spot};
use crate::repair::{holes, weld, winding};

pub(super) fn examine(mesh: &Mesh, list: &mut List, progress: &Progress) -> Result<(), Cancelled> {
    let sides = sorted_sides(mesh);
    progress.at(0.2)?;
    let mut marks = Vec::new();
    let mut knots = 0;
    let mut open: Vec<Side> = Vec::new();
    for edge in edges(&sides) {
        match edge {
            [one] => open.push(*one),
            [_, _] => {}
            many => {
                knots += 1;
                marks.push(edge_mark(mesh, many[0].low, many[0].high));
            }
        }
    }
    list.add(Kind::NonManifoldEdges, 3, knots, String::new(), marks);
    touching_points(mesh, &sides, list);
    borders(mesh, open, list);
    progress.at(0.45)?;

    let (turn, done) = winding::find(mesh, sides, &progress.span(0.45, 0.75))?;
    let marks = (0..turn.len())
        .filter(|&f| turn[f])
        .map(|f| face_spot(mesh, f));
    let detail = match (done.pieces, done.one_sided) {
        (0, 0) => String::new(),
        (n, 0) => format!("{n} pieces as a whole"),
        (_, n) => format!("{n} edges of a surface with one side only"),
    };
    list.add(
        Kind::InsideOutFaces,
        3,
        done.faces + done.one_sided,
        detail,
        marks.collect(),
    );

    progress.at(0.75)?;
    let near = near_distance(mesh);
    let lost: Vec<_> = weld::coincident(&mesh.points, near)
        .into_iter()
        .map(|p| spot(mesh.points[p as usize]))
        .collect();
    let detail = format!("within {:.3} mm", near * 1e3);
    list.add(Kind::CoincidentPoints, 2, lost.len(), detail, lost);
    progress.at(1.0)
}

/// Points closer than this are meant to be one: a fiftieth of the median side, at most a twenty-thousandth
/// of the diagonal (common practice, no published source).
pub fn near_distance(mesh: &Mesh) -> f32 {
    let n = mesh.face_count();
    let step = (n / 20_000).max(1);
    let mut lengths: Vec<f32> = (0..n)
        .step_by(step)
        .filter_map(|f| {
            let face = mesh.face(f);
            let d = mesh.position(face[0]).distance(mesh.position(face[1]));
            (d > 0.0).then_some(d)
        })
        .collect();
    lengths.sort_by(f32::total_cmp);
    let median = lengths.get(lengths.len() / 2).copied().unwrap_or(0.0);
    (median * 0.02).min(ectome_mesh::measure::bounds(mesh).diagonal() * 5e-5)
}

/// Points whose faces fall into fans that share no edge there.
fn touching_points(mesh: &Mesh, sides: &[Side], list: &mut List) {
    let mut starts = Vec::with_capacity(mesh.face_count());
    let mut at = 0u32;
    for f in 0..mesh.face_count() {
        starts.push(at);
        at += mesh.face(f).len() as u32;
    }
    let mut sets = UnionFind::new(mesh.corners.len());
    for edge in edges(sides) {
        let corners = |s: &Side| {
            let n = mesh.face(s.face as usize).len() as u32;
            let (a, b) = (s.corner, (s.corner + 1) % n);
            let ends = if s.up { [a, b] } else { [b, a] };
            ends.map(|c| starts[s.face as usize] + c)
        };
        let first = corners(&edge[0]);
        for s in &edge[1..] {
            let other = corners(s);
            sets.join(first[0], other[0]);
            sets.join(first[1], other[1]);
        }
    }
    let mut fan = vec![u32::MAX; mesh.points.len()];
    let mut touching = vec![false; mesh.points.len()];
    for (c, &v) in mesh.corners.iter().enumerate() {
        let p = mesh.vertex_point[v as usize] as usize;
        let root = sets.find(c as u32);
        if fan[p] == u32::MAX {
            fan[p] = root;
        } else if fan[p] != root {
            touching[p] = true;
        }
    }
    let marks: Vec<_> = (0..touching.len())
        .filter(|&p| touching[p])
        .map(|p| spot(mesh.points[p]))
        .collect();
    list.add(
        Kind::NonManifoldPoints,
        2,
        marks.len(),
        String::new(),
        marks,
    );
}

fn borders(mesh: &Mesh, open: Vec<Side>, list: &mut List) {
    let count = open.len();
    if count == 0 {
        return;
    }
    let holes = holes::of(mesh, loops_of(open));
    let marks = holes
        .iter()
        .flat_map(|h| h.sides.iter().map(|s| edge_mark(mesh, s.low, s.high)))
        .collect();
    let length: f32 = holes.iter().map(|h| h.length_m).sum();
    let largest = holes.first().map_or(0.0, |h| h.bounds.diagonal());
    let detail = format!("{count} edges, {length:.2} m in all, the largest {largest:.3} m across");
    list.add(Kind::OpenBorders, 2, holes.len().max(1), detail, marks);
}
