//! Objects that share edges, and the frame that they are written in together.
//!
//! An object's points are written in the frame of its node, and a reader brings them back by that frame: both round. A point that two objects
//! share comes back at two places then, and a skin that was closed over many objects is torn. Objects that share edges and would come
//! apart are written in one frame, so that what is one number stays one.

use std::collections::{HashMap, HashSet};

use ectome_mesh::{Mesh, topology::UnionFind};
use glam::{Affine3A, Vec3};

/// Points that two objects share from which on they share edges.
const SHARED: u32 = 2;

/// For each part, the part in whose frame it is written; itself for those that come apart from nothing. `frames` are those that parts are
/// written in by themselves, `moved` says which parts are written as copies of others, moved, and `on_grids` that each would have a grid of its
/// own.
pub(super) fn leaders(
    mesh: &Mesh,
    frames: &[Affine3A],
    moved: &dyn Fn(u32) -> bool,
    on_grids: bool,
) -> Vec<u32> {
    let alone: Vec<u32> = (0..mesh.parts.len() as u32).collect();
    let shared = shared_points(mesh);
    let mut pairs: HashMap<(u32, u32), u32> = HashMap::new();
    for &(_, a, b) in &shared {
        *pairs.entry((a, b)).or_default() += 1;
    }
    pairs.retain(|_, n| *n >= SHARED);
    if pairs.is_empty() {
        return alone;
    }
    let mut groups = UnionFind::new(mesh.parts.len());
    for &(a, b) in pairs.keys() {
        groups.join(a, b);
    }
    let back = |part: u32, p: Vec3| {
        let frame = frames[part as usize];
        if frame == Affine3A::IDENTITY {
            p
        } else {
            frame.transform_point3(frame.inverse().transform_point3(p))
        }
    };
    let in_pairs: HashSet<u32> = pairs.keys().flat_map(|&(a, b)| [a, b]).collect();
    let moved: HashSet<u32> = in_pairs.into_iter().filter(|&p| moved(p)).collect();
    let mut torn = HashSet::new();
    for &(point, a, b) in &shared {
        if !pairs.contains_key(&(a, b)) {
            continue;
        }
        let p = mesh.points[point as usize];
        if on_grids || moved.contains(&a) || moved.contains(&b) || back(a, p) != back(b, p) {
            torn.insert(groups.find(a));
        }
    }
    alone
        .into_iter()
        .map(|p| match groups.find(p) {
            root if torn.contains(&root) => root,
            _ => p,
        })
        .collect()
}

/// Points that lie on several parts: the point, the first part on it, and each other one.
fn shared_points(mesh: &Mesh) -> Vec<(u32, u32, u32)> {
    let mut first = vec![u32::MAX; mesh.points.len()];
    let mut list = Vec::new();
    for run in &mesh.runs {
        for f in run.faces.clone() {
            for point in mesh.face_points(f as usize) {
                let owner = &mut first[point as usize];
                match *owner {
                    u32::MAX => *owner = run.part,
                    part if part != run.part => list.push((point, part, run.part)),
                    _ => {}
                }
            }
        }
    }
    list.sort_unstable();
    list.dedup();
    list
}
