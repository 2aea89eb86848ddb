//! Faces that agree with their neighbours and look outward.

use std::collections::VecDeque;

use ectome_mesh::{
    Cancelled, Mesh, Progress,
    edges::{Side, edges, sorted_sides},
    edit, measure,
    rays::{Blocker, directions},
    sample,
    triangulate::triangulate,
};
use glam::Vec3;
use rayon::prelude::*;

/// What was turned.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Turned {
    /// Faces turned over.
    pub faces: usize,
    /// Pieces that looked inward as a whole.
    pub pieces: usize,
    /// Edges whose faces cannot be made to agree: the surface has one side only.
    pub one_sided: usize,
}

/// Places on a piece from which it is asked where the outside is: at first, and where that leaves a doubt.
const FIRST_PROBES: usize = 12;
const PROBES: usize = 96;

/// The most places on all pieces together in each of the two rounds. Thousands of pieces get fewer each, so that the
/// time grows with the mesh and not with the number of its pieces.
const ALL_FIRST_PROBES: usize = 30_000;
const ALL_PROBES: usize = 100_000;

/// The faces that must be turned.
struct Verdict {
    turn: Vec<bool>,
    done: Turned,
}

/// Makes the faces of every piece agree, and turns pieces that look inward. A closed piece inside another is
/// left as it is when its faces agree already: it may be a hollow.
///
/// # Errors
/// [`Cancelled`].
pub fn make_outward(mesh: &Mesh, progress: &Progress) -> Result<(Mesh, Turned), Cancelled> {
    let Verdict { turn, done } = judge(mesh, sorted_sides(mesh), progress)?;
    if done.faces == 0 {
        return Ok((mesh.clone(), done));
    }
    let mut out = mesh.clone();
    // Vertices shared by faces that turn and faces that do not are parted, so that each keeps its normal.
    let mut stays = vec![false; mesh.vertex_count()];
    for f in (0..turn.len()).filter(|&f| !turn[f]) {
        mesh.face(f).iter().for_each(|&v| stays[v as usize] = true);
    }
    let mut own = vec![u32::MAX; mesh.vertex_count()];
    let mut turned = vec![Vec3::ZERO; mesh.vertex_count()];
    for f in (0..turn.len()).filter(|&f| turn[f]) {
        let normal = -face_normal(mesh, f);
        for &v in mesh.face(f) {
            turned[v as usize] += normal;
            if own[v as usize] == u32::MAX {
                own[v as usize] = if stays[v as usize] && !mesh.normals.is_empty() {
                    out.copy_vertex(v, mesh.vertex_point[v as usize])
                } else {
                    v
                };
            }
        }
    }
    if !mesh.normals.is_empty() {
        for (v, &w) in own.iter().enumerate().filter(|(_, w)| **w != u32::MAX) {
            // Some files have sound normals on faces wound the wrong way.
            if mesh.normals[v].dot(turned[v]) < 0.0 {
                out.normals[w as usize] = -mesh.normals[v];
            }
        }
    }
    let base = out.clone();
    let out = edit::rebuilt(&base, |f, face, sink| {
        if turn[f] {
            let back: Vec<u32> = face.iter().rev().map(|&v| own[v as usize]).collect();
            sink.push(&back);
        } else {
            sink.push(face);
        }
    });
    Ok((out, done))
}

/// How many faces [`make_outward`] would turn, and which. `sides` are the mesh's, sorted.
///
/// # Errors
/// [`Cancelled`].
pub fn find(
    mesh: &Mesh,
    sides: Vec<Side>,
    progress: &Progress,
) -> Result<(Vec<bool>, Turned), Cancelled> {
    let v = judge(mesh, sides, progress)?;
    Ok((v.turn, v.done))
}

fn face_normal(mesh: &Mesh, f: usize) -> Vec3 {
    let face = mesh.face(f);
    let p0 = mesh.position(face[0]);
    (1..face.len() - 1)
        .map(|k| (mesh.position(face[k]) - p0).cross(mesh.position(face[k + 1]) - p0))
        .sum::<Vec3>()
        .normalize_or_zero()
}

fn judge(mesh: &Mesh, sides: Vec<Side>, progress: &Progress) -> Result<Verdict, Cancelled> {
    let n = mesh.face_count();
    // Neighbours across edges of exactly two faces, and whether they disagree.
    let mut links: Vec<(u32, u32, bool)> = Vec::with_capacity(sides.len());
    for edge in edges(&sides) {
        if let [a, b] = edge
            && a.face != b.face
        {
            links.push((a.face, b.face, a.up == b.up));
            links.push((b.face, a.face, a.up == b.up));
        }
    }
    drop(sides);
    progress.go_on()?;
    links.par_sort_unstable();
    progress.go_on()?;
    let mut first = vec![0u32; n + 1];
    for &(f, ..) in &links {
        first[f as usize + 1] += 1;
    }
    for f in 0..n {
        first[f + 1] += first[f];
    }
    let mut turn = vec![false; n];
    let mut piece = vec![u32::MAX; n];
    let mut members: Vec<Vec<u32>> = Vec::new();
    let mut agreed: Vec<bool> = Vec::new();
    let mut one_sided = 0;
    let mut queue = VecDeque::new();
    for start in 0..n {
        if piece[start] != u32::MAX {
            continue;
        }
        let id = members.len() as u32;
        let mut list = Vec::new();
        let mut all_agree = true;
        piece[start] = id;
        queue.push_back(start as u32);
        while let Some(f) = queue.pop_front() {
            list.push(f);
            for &(_, g, against) in
                &links[first[f as usize] as usize..first[f as usize + 1] as usize]
            {
                all_agree &= !against;
                let wanted = turn[f as usize] != against;
                if piece[g as usize] == u32::MAX {
                    piece[g as usize] = id;
                    turn[g as usize] = wanted;
                    queue.push_back(g);
                } else if turn[g as usize] != wanted {
                    one_sided += 1;
                }
            }
        }
        members.push(list);
        agreed.push(all_agree);
    }
    drop(links);
    progress.go_on()?;
    let inward = inward(mesh, &turn, &members, &agreed, progress)?;
    for (list, &flip) in members.iter().zip(&inward) {
        // Where nothing tells inside from outside, the fewer faces turn.
        let turned = list.iter().filter(|&&f| turn[f as usize]).count();
        let flip = flip.unwrap_or(2 * turned > list.len());
        if flip {
            list.iter()
                .for_each(|&f| turn[f as usize] = !turn[f as usize]);
        }
    }
    let faces = turn.iter().filter(|&&t| t).count();
    let pieces = members
        .iter()
        .filter(|list| list.iter().all(|&f| turn[f as usize]))
        .count();
    Ok(Verdict {
        turn,
        done: Turned {
            faces,
            pieces,
            one_sided: one_sided / 2,
        },
    })
}

/// For each piece, after its faces agree: whether it looks inward; `None` where that cannot be told.
fn inward(
    mesh: &Mesh,
    turn: &[bool],
    members: &[Vec<u32>],
    agreed: &[bool],
    progress: &Progress,
) -> Result<Vec<Option<bool>>, Cancelled> {
    let split;
    let flat = if mesh.is_triangulated() {
        mesh
    } else {
        split = triangulate(mesh).0;
        &split
    };
    progress.go_on()?;
    let blocker = Blocker::of(flat);
    progress.go_on()?;
    // The face each triangle came from: triangulation keeps the order.
    let mut origin = Vec::with_capacity(flat.face_count());
    for f in 0..mesh.face_count() {
        origin.extend(std::iter::repeat_n(f as u32, mesh.face(f).len() - 2));
    }
    let mut of_triangle: Vec<Vec<u32>> = vec![Vec::new(); members.len()];
    let mut piece = vec![0u32; mesh.face_count()];
    for (i, list) in members.iter().enumerate() {
        list.iter().for_each(|&f| piece[f as usize] = i as u32);
    }
    for (t, &f) in origin.iter().enumerate() {
        of_triangle[piece[f as usize] as usize].push(t as u32);
    }
    let rays = directions(48);
    let size = measure::bounds(mesh).diagonal();
    // How many rays get away from the front and from the back of a piece, asked from so many places.
    let seen_from = |triangles: &[u32], probes: usize, step: usize| -> Result<_, Cancelled> {
        let (mut front, mut back) = (0usize, 0usize);
        let probes = probes.min(8 * triangles.len());
        for s in sample::on_faces(flat, triangles.iter().copied(), probes) {
            progress.go_on()?;
            let t = s.face;
            let [a, b, c] = flat.triangle(t as usize);
            let mut normal = (b - a).cross(c - a).normalize_or_zero();
            if turn[origin[t as usize] as usize] {
                normal = -normal;
            }
            for &d in rays.iter().step_by(step) {
                let up = d.dot(normal);
                if up.abs() < 0.1 {
                    continue;
                }
                let from = s.point + normal * (up.signum() * 1e-5 * size);
                if blocker.escapes(from, d, t) {
                    if up > 0.0 {
                        front += 1;
                    } else {
                        back += 1;
                    }
                }
            }
        }
        Ok((front, back))
    };
    // Most pieces agree and show their front, or are sheets that show both sides alike: few places tell. Only the
    // others are asked again.
    let share = |all: usize, pieces: usize, most: usize| (all / pieces.max(1)).clamp(2, most);
    let few = share(ALL_FIRST_PROBES, members.len(), FIRST_PROBES);
    let first: Vec<(usize, usize)> = of_triangle
        .par_iter()
        .map(|triangles| seen_from(triangles, few, 2))
        .collect::<Result<_, _>>()?;
    let is_plain = |(front, back): (usize, usize), agreed: bool| agreed && 10 * back <= 11 * front;
    let doubtful = first
        .iter()
        .zip(agreed)
        .filter(|&(&seen, &agreed)| !is_plain(seen, agreed))
        .count();
    let many = share(ALL_PROBES, doubtful, PROBES);
    of_triangle
        .par_iter()
        .zip(&first)
        .zip(agreed)
        .map(|((triangles, &seen), &agreed)| {
            if is_plain(seen, agreed) {
                return Ok(Some(false));
            }
            Ok(match seen_from(triangles, many, 1)? {
                (0, 0) if agreed => Some(false),
                (0, 0) => None,
                (f, b) if 2 * b > 3 * f => Some(true),
                (f, b) if 2 * f > 3 * b => Some(false),
                // An open sheet, seen from both sides alike.
                _ if agreed => Some(false),
                _ => None,
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{shapes, topology::Topology};
    use proptest::prelude::*;

    fn flip(mesh: &mut Mesh, face: usize) {
        mesh.corners.swap(3 * face, 3 * face + 1);
    }

    #[test]
    fn a_ball_turned_inside_out_is_turned_back() {
        let ball = shapes::icosphere(1.0, 2);
        let mut inside_out = ball.clone();
        (0..ball.face_count()).for_each(|f| flip(&mut inside_out, f));
        assert!(measure::volume(&inside_out) < 0.0);
        let (back, done) = make_outward(&inside_out, &Progress::new()).unwrap();
        assert_eq!((done.faces, done.pieces), (320, 1));
        assert!((measure::volume(&back) - measure::volume(&ball)).abs() < 1e-9);
        assert_eq!(
            make_outward(&back, &Progress::new()).unwrap().1,
            Turned::default()
        );
    }

    // A Möbius band of n quads, twisted once: one side only, so no winding can be made to agree.
    #[test]
    fn a_moebius_band_is_said_to_have_one_side() {
        let n = 24u32;
        let mut builder = ectome_mesh::MeshBuilder::new();
        let mut positions = Vec::new();
        for i in 0..n {
            let turn = std::f32::consts::TAU * i as f32 / n as f32;
            for side in [-1.0f32, 1.0] {
                let r = 1.0 + 0.3 * side * (turn / 2.0).cos();
                positions.push(Vec3::new(
                    r * turn.cos(),
                    0.3 * side * (turn / 2.0).sin(),
                    r * turn.sin(),
                ));
            }
        }
        let mut corners = Vec::new();
        for i in 0..n {
            let (a, b) = (2 * i, 2 * i + 1);
            let (c, d) = if i + 1 == n {
                (1, 0)
            } else {
                (2 * i + 2, 2 * i + 3)
            };
            corners.extend([a, c, b, b, c, d]);
        }
        builder.primitive(ectome_mesh::Primitive {
            positions,
            corners,
            ..Default::default()
        });
        let (_, done) = make_outward(&builder.finish(), &Progress::new()).unwrap();
        assert_eq!(done.one_sided, 1);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(24))]
        #[test]
        fn whatever_is_turned_comes_back_outward(which in prop::collection::vec(0usize..384, 0..200)) {
            let ring = shapes::torus(1.0, 0.4, 16, 12);
            let outward = measure::volume(&ring);
            let mut mixed = ring.clone();
            for f in which { flip(&mut mixed, f); }
            let (sound, _) = make_outward(&mixed, &Progress::new()).unwrap();
            prop_assert_eq!(Topology::of(&sound).inconsistent_edges, 0);
            prop_assert!((measure::volume(&sound).abs() - outward.abs()).abs() < 1e-6);
            prop_assert!(measure::volume(&sound) > 0.0);
        }
    }
}
