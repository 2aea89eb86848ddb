//! Takes loops out.

use std::collections::HashSet;

use ectome_mesh::{Mesh, Progress};
use serde::{Deserialize, Serialize};

use crate::{CutError, Options};

use super::{
    Quads,
    quads::NONE,
    rank::{EdgeLoop, Strip, ranked},
    trace::Graph,
};

/// Which loops go.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Which {
    /// Of loops side by side every so-manieth (2 or more), as far as none of them must stay.
    Every(usize),
    /// The cheapest, one after the other, until at most so many triangles are left.
    Triangles(usize),
}

/// What taking loops out left.
#[derive(Clone, Debug)]
pub struct Loops {
    /// Quads, and triangles where there were triangles.
    pub mesh: Mesh,
    /// Loops that went.
    pub taken: usize,
    /// Loops that are left and must stay.
    pub held: Vec<EdgeLoop>,
    /// The furthest that a point was from what replaced it, in metres.
    pub deviation_m: f64,
    /// Quads that were recovered from triangles.
    pub recovered: usize,
}

/// Takes loops out of a mesh of quads and triangles; pairs of triangles count as quads where they make good
/// ones. Stops above a target when no loop may go any more.
///
/// # Errors
/// [`CutError::NotTriangulated`] for faces of more than four corners, [`CutError::Cancelled`].
pub fn take_out(
    mesh: &Mesh,
    options: &Options,
    which: Which,
    progress: &Progress,
) -> Result<Loops, CutError> {
    progress.stage("Taking loops out");
    progress.at(0.0)?;
    let mut quads = Quads::of(mesh).ok_or(CutError::NotTriangulated)?;
    let recovered = quads.recovered;
    let (mut taken, mut deviation_m) = (0, 0f64);
    let start = triangles(&quads);
    let mut rows: Option<Vec<HashSet<u32>>> = None;
    let held = loop {
        let graph = Graph::of(mesh, &quads);
        let loops = ranked(mesh, &quads, &graph, options);
        let chosen = match which {
            Which::Every(n) => {
                let rows = rows.get_or_insert_with(|| every(&graph, &loops, n));
                pending(&graph, &loops, rows)
            }
            Which::Triangles(target) => cheapest(&graph, &loops, triangles(&quads), target),
        };
        if chosen.is_empty() {
            break loops.into_iter().filter(|l| l.held.is_some()).collect();
        }
        for &i in &chosen {
            deviation_m = deviation_m.max(loops[i].deviation_m);
            dissolve(mesh, &mut quads, &graph, &loops[i]);
        }
        quads.forget_gone();
        taken += chosen.len();
        let gone = (start - triangles(&quads)) as f32;
        progress.at(gone / start.max(1) as f32)?;
    };
    progress.at(1.0)?;
    Ok(Loops {
        mesh: quads.into_mesh(mesh),
        taken,
        held,
        deviation_m,
        recovered,
    })
}

fn triangles(quads: &Quads) -> usize {
    quads.faces.len() + quads.faces.iter().filter(|f| f[3] != NONE).count()
}

/// The cheapest loops that touch no common face, until the target is met.
fn cheapest(graph: &Graph, loops: &[EdgeLoop], mut now: usize, target: usize) -> Vec<usize> {
    let mut used = vec![false; graph.face_edges.len()];
    let mut chosen = Vec::new();
    for (i, l) in loops.iter().enumerate() {
        if now <= target || l.held.is_some() {
            break;
        }
        if claim(graph, l, &mut used) {
            now -= l.triangles;
            chosen.push(i);
        } else {
            // Costs beside a loop that goes change: what is dearer waits for the next round.
            break;
        }
    }
    chosen
}

/// Marks the faces beside a loop, unless one of them is marked already.
fn claim(graph: &Graph, l: &EdgeLoop, used: &mut [bool]) -> bool {
    let faces = || l.edges.iter().flat_map(|&e| graph.edges[e as usize].faces);
    if faces().any(|f| used[f as usize]) {
        return false;
    }
    faces().for_each(|f| used[f as usize] = true);
    true
}

/// Of the loops asked for (as sets of points), those that can go at once; they are asked for no longer.
/// Loops that cross go one after the other: what is left of the second is still known by its points.
fn pending(graph: &Graph, loops: &[EdgeLoop], asked: &mut Vec<HashSet<u32>>) -> Vec<usize> {
    let mut used = vec![false; graph.face_edges.len()];
    let mut chosen = Vec::new();
    for (i, l) in loops.iter().enumerate().filter(|(_, l)| l.held.is_none()) {
        let is_it = |set: &HashSet<u32>| l.points.iter().all(|p| set.contains(p));
        if let Some(at) = asked.iter().position(is_it)
            && claim(graph, l, &mut used)
        {
            asked.swap_remove(at);
            chosen.push(i);
        }
    }
    chosen
}

/// The points of every `n`-th of the loops that lie side by side.
fn every(graph: &Graph, loops: &[EdgeLoop], n: usize) -> Vec<HashSet<u32>> {
    let mut loop_of_edge = vec![NONE; graph.edges.len()];
    for (i, l) in loops.iter().enumerate() {
        l.edges
            .iter()
            .for_each(|&e| loop_of_edge[e as usize] = i as u32);
    }
    // The loop beyond the face on one side: the edge across that face.
    let beyond = |i: usize, from: Option<usize>| -> Option<usize> {
        let e = loops[i].edges[0];
        graph.edges[e as usize]
            .faces
            .iter()
            .filter_map(|&f| {
                let sides = graph.face_edges.get(f as usize)?;
                let k = sides.iter().position(|&s| s == e)?;
                let across = *sides.get((k + 2) % 4).filter(|&&s| s != NONE)?;
                let next = *loop_of_edge.get(across as usize).filter(|&&l| l != NONE)? as usize;
                (Some(next) != from && next != i).then_some(next)
            })
            .next()
    };
    let mut ordered = vec![false; loops.len()];
    let mut chosen = Vec::new();
    for first in 0..loops.len() {
        if ordered[first] {
            continue;
        }
        // Back to one end of the row (or once around), then forward through it.
        let (mut at, mut from, mut steps) = (first, None, 0);
        while let Some(next) = beyond(at, from).filter(|&l| l != first && steps < loops.len()) {
            (from, at, steps) = (Some(at), next, steps + 1);
        }
        let (mut here, mut came) = (Some(at), None);
        let mut place = 0;
        while let Some(i) = here.filter(|&i| !ordered[i]) {
            ordered[i] = true;
            place += 1;
            if place % n == 0 && loops[i].held.is_none() {
                chosen.push(loops[i].points.iter().copied().collect());
            }
            here = beyond(i, came);
            came = Some(i);
        }
    }
    chosen
}

/// Joins the quads on both sides of a loop: the left one becomes both, the right one goes.
fn dissolve(mesh: &Mesh, quads: &mut Quads, graph: &Graph, l: &EdgeLoop) {
    for &e in &l.edges {
        if let Some(strip) = Strip::of(mesh, quads, graph, e) {
            quads.faces[strip.faces[0] as usize] = strip.quad;
            quads.faces[strip.faces[1] as usize] = [NONE; 4];
        }
    }
}

impl Quads {
    fn forget_gone(&mut self) {
        let stands: Vec<bool> = self.faces.iter().map(|f| f[0] != NONE).collect();
        let mut at = stands.iter();
        self.run.retain(|_| *at.next().unwrap_or(&true));
        self.faces.retain(|f| f[0] != NONE);
        self.quads = self.faces.iter().filter(|f| f[3] != NONE).count();
    }
}
