//! Follows loops over the edges of a quad mesh.

use std::collections::VecDeque;

use ectome_mesh::Mesh;

use super::quads::{NONE, Quads};

/// An edge of one or two faces.
#[derive(Clone, Copy, Debug)]
pub struct Edge {
    /// Its points, the lower first.
    pub ends: [u32; 2],
    /// Its faces; the second is [`NONE`] at an open border.
    pub faces: [u32; 2],
    /// More than two faces, sides with different attributes or runs, or wound apart.
    pub is_line: bool,
    /// More than two faces or wound apart.
    pub is_broken: bool,
}

/// Edges, and the edges around each point.
pub struct Graph {
    pub edges: Vec<Edge>,
    /// The edges of each face, from its first corner on.
    pub face_edges: Vec<[u32; 4]>,
    starts: Vec<u32>,
    around: Vec<u32>,
}

/// How a walk over edges ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum End {
    /// It came back to its start.
    Closed,
    /// Both ends are at open borders.
    Borders,
    /// It ends inside the surface.
    Inside,
}

/// A walk: its edges in order, and its points, one more than edges unless it is closed.
#[derive(Clone, Debug)]
pub struct Walk {
    pub edges: Vec<u32>,
    pub points: Vec<u32>,
    pub end: End,
}

impl Graph {
    pub fn of(mesh: &Mesh, quads: &Quads) -> Self {
        let point = |v: u32| mesh.vertex_point[v as usize];
        let mut sides: Vec<([u32; 2], u32, u32, [u32; 2])> = Vec::new();
        for (f, face) in quads.faces.iter().enumerate() {
            let n = if face[3] == NONE { 3 } else { 4 };
            for k in 0..n {
                let (a, b) = (face[k], face[(k + 1) % n]);
                let (pa, pb) = (point(a), point(b));
                // The vertices in the order of the points.
                let (ends, vertices) = if pa < pb {
                    ([pa, pb], [a, b])
                } else {
                    ([pb, pa], [b, a])
                };
                sides.push((ends, f as u32, k as u32 | u32::from(pa < pb) << 2, vertices));
            }
        }
        sides.sort_unstable();
        let mut edges = Vec::new();
        let mut face_edges = vec![[NONE; 4]; quads.faces.len()];
        for same in sides.chunk_by(|a, b| a.0 == b.0) {
            for &(_, f, k, _) in same {
                face_edges[f as usize][(k & 3) as usize] = edges.len() as u32;
            }
            let is_broken = match same {
                [_] => false,
                [a, b] => a.2 >> 2 == b.2 >> 2,
                _ => true,
            } || same[0].0[0] == same[0].0[1];
            let differs = same.windows(2).any(|w| {
                w[0].3 != w[1].3 || quads.run[w[0].1 as usize] != quads.run[w[1].1 as usize]
            });
            edges.push(Edge {
                ends: same[0].0,
                faces: [same[0].1, same.get(1).map_or(NONE, |s| s.1)],
                is_line: is_broken || differs,
                is_broken,
            });
        }
        let mut starts = vec![0u32; mesh.points.len() + 1];
        for e in &edges {
            e.ends.iter().for_each(|&p| starts[p as usize + 1] += 1);
        }
        for i in 0..mesh.points.len() {
            starts[i + 1] += starts[i];
        }
        let mut next = starts.clone();
        let mut around = vec![0; starts[mesh.points.len()] as usize];
        for (i, e) in edges.iter().enumerate() {
            for &p in &e.ends {
                around[next[p as usize] as usize] = i as u32;
                next[p as usize] += 1;
            }
        }
        Self {
            edges,
            face_edges,
            starts,
            around,
        }
    }

    /// The edges at a point.
    pub fn around(&self, point: u32) -> &[u32] {
        &self.around[self.starts[point as usize] as usize..self.starts[point as usize + 1] as usize]
    }

    fn is_border(&self, edge: u32) -> bool {
        self.edges[edge as usize].faces[1] == NONE
    }

    /// The edge that goes straight on from `edge` at `point`: `Ok(None)` where the loop ends at an open border,
    /// `Err` where it ends inside.
    fn onward(&self, edge: u32, point: u32, quads: &Quads) -> Result<Option<u32>, ()> {
        let here = self.around(point);
        let all_quads = here.iter().all(|&e| {
            let e = &self.edges[e as usize];
            !e.is_broken
                && e.faces
                    .iter()
                    .all(|&f| f == NONE || quads.faces[f as usize][3] != NONE)
        });
        if !all_quads {
            return Err(());
        }
        let borders = here.iter().filter(|&&e| self.is_border(e)).count();
        match (here.len(), borders) {
            (3, 2) => Ok(None),
            (4, 0) => {
                let mine = self.edges[edge as usize].faces;
                let across = here.iter().copied().find(|&e| {
                    e != edge
                        && self.edges[e as usize]
                            .faces
                            .iter()
                            .all(|f| !mine.contains(f))
                });
                across.map(Some).ok_or(())
            }
            _ => Err(()),
        }
    }

    /// The loop through an edge inside the surface.
    pub fn walk(&self, start: u32, quads: &Quads) -> Walk {
        let [a, b] = self.edges[start as usize].ends;
        let (mut edges, mut points) = (VecDeque::from([start]), VecDeque::from([a, b]));
        let mut end = End::Borders;
        // Forward from b, then backward from a.
        for forward in [true, false] {
            let (mut edge, mut point) = (start, if forward { b } else { a });
            loop {
                match self.onward(edge, point, quads) {
                    Ok(Some(next)) if next == start => {
                        points.pop_back();
                        return Walk {
                            edges: edges.into(),
                            points: points.into(),
                            end: End::Closed,
                        };
                    }
                    // A walk longer than the mesh has edges goes round and round.
                    Ok(Some(next)) if edges.len() <= self.edges.len() => {
                        let [p, q] = self.edges[next as usize].ends;
                        (edge, point) = (next, if p == point { q } else { p });
                        if forward {
                            edges.push_back(edge);
                            points.push_back(point);
                        } else {
                            edges.push_front(edge);
                            points.push_front(point);
                        }
                    }
                    Ok(None) => break,
                    Ok(Some(_)) | Err(()) => {
                        end = End::Inside;
                        break;
                    }
                }
            }
        }
        let (edges, points) = (edges.into(), points.into());
        Walk { edges, points, end }
    }
}
