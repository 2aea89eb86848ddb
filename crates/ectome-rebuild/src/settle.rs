//! The last of a skin's triangles that cut across an edge of the source: turned along it, or drawn in where a vertex has no way to it.
//!
//! Quads lie as the grid lay. Where an edge of the source runs askew, some of them span it and their vertices are in each other's way.
//! In triangles there is more freedom: an edge whose middle is off the source is flipped where the other diagonal lies on it; a vertex
//! goes where the planes around it meet; and one that still cannot is drawn into a neighbour that lies there (the link condition of
//! T. Dey et al., *Topology Preserving Edge Contraction*, 1999, keeps the skin what it is).

use ectome_mesh::Progress;
use glam::Vec3;
use rayon::prelude::*;

use crate::{
    RebuildError,
    bare::normal,
    fit::{Around, Fitted, Plane, faces_of_vertices, is_crowded, wish},
    ground::Ground,
    keyed::HashSet,
    ridges::{Marks, SHARP},
};

/// Closer than so many cells is on the source.
const ON: f32 = 1e-4;
/// A triangle lower than this share of an edge of it is slim; as a share of a cell, how far off an edge may then be that is flipped.
const SLIM: f32 = 0.03;
/// Rounds of flips, moves and collapses.
const ROUNDS: usize = 3;

/// An edge with its two triangles.
struct Edge {
    ends: [u32; 2],
    triangles: [u32; 2],
}

/// Settles what is off the source. Films around sheets and caps stay as they are.
pub(crate) fn settle(
    fitted: &mut Fitted,
    triangles: &mut Vec<[u32; 3]>,
    is_film: &[bool],
    (marks, pieces): (&Marks, &[u32]),
    ground: &Ground<'_>,
    progress: &Progress,
) -> Result<(), RebuildError> {
    let on = ON * ground.cell;
    let mut sharp = marks.beside(&fitted.places, triangles, progress)?;
    where_pieces_meet(&fitted.places, triangles, pieces, ground, &mut sharp);
    for round in 0..ROUNDS {
        progress.at(round as f32 / ROUNDS as f32)?;
        let free = |v: u32| !fitted.is_cap[v as usize] && is_film.get(v as usize) != Some(&true);
        let all = edges(triangles);
        let mut there: HashSet<[u32; 2]> = all.iter().map(|e| e.ends).collect();
        let edges: Vec<Edge> = all
            .into_iter()
            .filter(|e| e.ends.into_iter().all(free))
            .filter(|e| e.ends.into_iter().any(|v| sharp[v as usize]))
            .collect();
        let places = &fitted.places;
        let off = |a: u32, b: u32| off(places, a, b, ground);
        let away: Vec<f32> = edges
            .par_iter()
            .map(|e| off(e.ends[0], e.ends[1]))
            .collect();
        let slim = |e: &Edge| {
            let [a, b] = e.ends;
            e.triangles
                .into_iter()
                .any(|t| is_slim(places, triangles[t as usize], a, b))
        };
        let mut bad: Vec<usize> = (0..edges.len())
            .filter(|&e| away[e] > on || slim(&edges[e]))
            .collect();
        if bad.is_empty() {
            return Ok(());
        }
        bad.sort_by(|&a, &b| away[b].total_cmp(&away[a]).then(a.cmp(&b)));
        let off = Off {
            away: &away,
            of: &off,
            slack: SLIM * ground.cell,
        };
        flip(&bad, &edges, &off, &mut there, places, triangles);
        let mut near_bad = vec![false; fitted.places.len()];
        for &e in &bad {
            for t in edges[e].triangles {
                triangles[t as usize]
                    .iter()
                    .for_each(|&v| near_bad[v as usize] = free(v));
            }
        }
        let around = faces_of_vertices(fitted.places.len(), triangles);
        let places = &mut fitted.places;
        let planes = planes(places, triangles, &near_bad, ground);
        advance(places, triangles, &around, &planes, &near_bad, ground);
        draw_in(places, triangles, &around, &planes, &near_bad, ground);
    }
    Ok(())
}

/// How far the middle of an edge is off the source.
fn off(places: &[Vec3], a: u32, b: u32, ground: &Ground<'_>) -> f32 {
    let middle = 0.5 * (places[a as usize] + places[b as usize]);
    let near = ground.index.nearest(middle);
    near.map_or(0.0, |p| p.distance)
}

/// Adds the vertices around which pieces of the source run into one another at an angle. `pieces` holds the piece of each of its faces.
fn where_pieces_meet(
    places: &[Vec3],
    triangles: &[[u32; 3]],
    pieces: &[u32],
    ground: &Ground<'_>,
    sharp: &mut [bool],
) {
    let middles: Vec<Vec3> = triangles
        .par_iter()
        .map(|t| t.map(|v| places[v as usize]).iter().sum::<Vec3>() / 3.0)
        .collect();
    let near = ground.index.nearest_each(&middles);
    let mut first: Vec<Option<u32>> = vec![None; places.len()];
    for (t, near) in triangles.iter().zip(near) {
        let Some(face) = near.map(|p| p.face) else {
            continue;
        };
        for &v in t {
            let other = *first[v as usize].get_or_insert(face);
            if pieces[other as usize] != pieces[face as usize] {
                let normal = |f: u32| ground.normal(f).unwrap_or_default();
                // Which side of the source is out does not matter.
                sharp[v as usize] |= normal(face).dot(normal(other)).abs() < SHARP;
            }
        }
    }
}

/// Every edge of a closed skin, in order.
fn edges(triangles: &[[u32; 3]]) -> Vec<Edge> {
    let mut half: Vec<([u32; 2], u32)> = Vec::with_capacity(3 * triangles.len());
    for (t, corners) in triangles.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (corners[k], corners[(k + 1) % 3]);
            half.push(([a.min(b), a.max(b)], t as u32));
        }
    }
    half.par_sort_unstable();
    half.chunk_by(|a, b| a.0 == b.0)
        .filter_map(|pair| match pair {
            [(ends, first), (_, second)] => Some(Edge {
                ends: *ends,
                triangles: [*first, *second],
            }),
            _ => None,
        })
        .collect()
}

/// Whether a triangle hardly rises over its edge from `a` to `b`, and not beyond its ends.
fn is_slim(places: &[Vec3], t: [u32; 3], a: u32, b: u32) -> bool {
    let Some(c) = t.into_iter().find(|&v| v != a && v != b) else {
        return false;
    };
    let [a, b, c] = [a, b, c].map(|v| places[v as usize]);
    let (edge, way) = (b - a, c - a);
    let along = edge.dot(way) / edge.length_squared();
    (0.0..=1.0).contains(&along) && way.distance(edge * along) < SLIM * edge.length()
}

/// How far edges are off the source.
struct Off<'a> {
    /// Each of a list.
    away: &'a [f32],
    /// One between two vertices.
    of: &'a dyn Fn(u32, u32) -> f32,
    /// What is allowed where a slim triangle goes.
    slack: f32,
}

/// Flips the edges that lie off the source where the other diagonal lies on it, worst first, each triangle once.
fn flip(
    bad: &[usize],
    edges: &[Edge],
    off: &Off<'_>,
    there: &mut HashSet<[u32; 2]>,
    places: &[Vec3],
    triangles: &mut [[u32; 3]],
) {
    let mut taken: HashSet<u32> = HashSet::default();
    for &e in bad {
        let Edge {
            ends: [a, b],
            triangles: [s, t],
        } = edges[e];
        if taken.contains(&s) || taken.contains(&t) {
            continue;
        }
        // In the order in which the first has its edge from a to b.
        let (own, other) = (triangles[s as usize], triangles[t as usize]);
        let forward = (0..3).any(|k| own[k] == a && own[(k + 1) % 3] == b);
        let (a, b) = if forward { (a, b) } else { (b, a) };
        let third = |t: [u32; 3]| t.into_iter().find(|&v| v != a && v != b);
        let (Some(c), Some(d)) = (third(own), third(other)) else {
            continue;
        };
        if c == d || there.contains(&[c.min(d), c.max(d)]) {
            continue;
        }
        // A corner that hardly rises over the edge is in its own way: from it the edge goes to the other side.
        let slim = [own, other].into_iter().any(|t| is_slim(places, t, a, b));
        let most = if slim {
            off.away[e].max(off.slack)
        } else {
            0.5 * off.away[e]
        };
        if (off.of)(c, d) > most {
            continue;
        }
        let new = [[c, a, d], [d, b, c]];
        let before = normal(places, own) + normal(places, other);
        if new.iter().any(|&t| normal(places, t).dot(before) <= 0.0) {
            continue;
        }
        (triangles[s as usize], triangles[t as usize]) = (new[0], new[1]);
        taken.extend([s, t]);
        there.remove(&[a.min(b), a.max(b)]);
        there.insert([c.min(d), c.max(d)]);
    }
}

/// Moves vertices to where the planes at the middles of their triangles meet.
fn advance(
    places: &mut [Vec3],
    triangles: &[[u32; 3]],
    around: &Around,
    planes: &[Option<Plane>],
    wanted: &[bool],
    ground: &Ground<'_>,
) {
    let list: Vec<usize> = (0..places.len()).filter(|&v| wanted[v]).collect();
    let aims = aims(&list, places, around, planes, ground);
    for (&v, to) in list.iter().zip(aims) {
        let turns = |to: Vec3| {
            around.of(v).iter().any(|&t| {
                let before = normal(places, triangles[t as usize]);
                let corners = triangles[t as usize].map(|k| {
                    if k as usize == v {
                        to
                    } else {
                        places[k as usize]
                    }
                });
                let after = (corners[1] - corners[0]).cross(corners[2] - corners[0]);
                after.dot(before) <= 0.0
            })
        };
        let others = || {
            let corners = around.of(v).iter().flat_map(|&t| triangles[t as usize]);
            let others = corners.filter(|&k| k as usize != v);
            others.map(|k| places[k as usize])
        };
        if places[v].distance(to) < ground.cell && !is_crowded(to, others(), ground) && !turns(to) {
            places[v] = to;
        }
    }
}

/// The planes at the middles of triangles that have a vertex which is wanted.
fn planes(
    places: &[Vec3],
    triangles: &[[u32; 3]],
    wanted: &[bool],
    ground: &Ground<'_>,
) -> Vec<Option<Plane>> {
    triangles
        .par_iter()
        .map(|t| {
            let is_wanted = t.iter().any(|&v| wanted[v as usize]);
            let middle = t.map(|v| places[v as usize]).iter().sum::<Vec3>() / 3.0;
            is_wanted
                .then(|| Plane::near(middle, None, ground))
                .flatten()
        })
        .collect()
}

/// Where each of some vertices would lie on all planes around it.
fn aims(
    list: &[usize],
    places: &[Vec3],
    around: &Around,
    planes: &[Option<Plane>],
    ground: &Ground<'_>,
) -> Vec<Vec3> {
    list.par_iter()
        .map(|&v| {
            let own = around.of(v).iter().map(|&t| planes[t as usize]);
            wish(places[v], own, ground).0
        })
        .collect()
}

/// Draws vertices that cannot get to where they should lie into a neighbour from which the edges lie on the source.
fn draw_in(
    places: &[Vec3],
    triangles: &mut Vec<[u32; 3]>,
    around: &Around,
    planes: &[Option<Plane>],
    wanted: &[bool],
    ground: &Ground<'_>,
) {
    let on = ON * ground.cell;
    let list: Vec<usize> = (0..places.len()).filter(|&v| wanted[v]).collect();
    let aims = aims(&list, places, around, planes, ground);
    let mut taken: HashSet<u32> = HashSet::default();
    let mut gone = vec![false; triangles.len()];
    let ring = |v: u32, triangles: &[[u32; 3]]| {
        let mut ring: Vec<u32> = around
            .of(v as usize)
            .iter()
            .flat_map(|&t| triangles[t as usize])
            .filter(|&k| k != v)
            .collect();
        ring.sort_unstable();
        ring.dedup();
        ring
    };
    for (&v, to) in list.iter().zip(aims) {
        if places[v].distance(to) <= on {
            continue;
        }
        let own = ring(v as u32, triangles);
        if taken.contains(&(v as u32)) || own.iter().any(|k| taken.contains(k)) {
            continue;
        }
        let mut away = places[v].distance(to);
        if let &[a, b, c] = &own[..] {
            // A corner of three triangles stands on a fourth: it may be one of a tetrahedron, or go if that lies on the source.
            let below = around.of(a as usize).iter().map(|&t| triangles[t as usize]);
            if below.into_iter().any(|t| t.contains(&b) && t.contains(&c)) {
                continue;
            }
            let middle = own.iter().map(|&k| places[k as usize]).sum::<Vec3>() / 3.0;
            let off = |p: Vec3| ground.index.nearest(p).map_or(0.0, |p| p.distance);
            if off(middle) < 0.5 * off(places[v]) {
                away = f32::INFINITY;
            }
        }
        let best = own
            .iter()
            .copied()
            .filter(|&u| places[u as usize].distance(to) < away)
            .filter(|&u| {
                let theirs = ring(u, triangles);
                own.iter()
                    .filter(|k| theirs.binary_search(k).is_ok())
                    .count()
                    == 2
            })
            .filter(|&u| {
                around.of(v).iter().all(|&t| {
                    let old = triangles[t as usize];
                    let new = old.map(|k| if k as usize == v { u } else { k });
                    old.contains(&u) || normal(places, new).dot(normal(places, old)) > 0.0
                })
            })
            .min_by(|&a, &b| {
                let far = |u: u32| places[u as usize].distance(to);
                far(a).total_cmp(&far(b)).then(a.cmp(&b))
            });
        let Some(u) = best else { continue };
        for &t in around.of(v) {
            let corners = &mut triangles[t as usize];
            gone[t as usize] |= corners.contains(&u);
            corners
                .iter_mut()
                .filter(|k| **k as usize == v)
                .for_each(|k| *k = u);
        }
        taken.extend(own);
        taken.insert(v as u32);
    }
    let mut t = 0;
    triangles.retain(|_| {
        t += 1;
        !gone[t - 1]
    });
}
