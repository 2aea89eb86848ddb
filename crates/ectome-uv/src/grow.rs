//! Charts: as few as hold the bound on stretch, with seams where they are seen least.
//!
//! The tree of clusters is walked from the top: what lies flat within the bound is a chart, what does not is split. Then
//! neighbouring charts are joined, pairs whose normals agree and whose seam would show most first, as long as the whole
//! still lies flat without folds, crossings or too much stretch. Last their borders are drawn anew ([`crate::border`]).

use std::collections::{HashMap, HashSet};

use ectome_mesh::Cancelled;
use glam::DVec2;
use rayon::prelude::*;

use crate::{
    border,
    chart::Chart,
    cluster::Tree,
    cut_open::edges_to_open,
    face_graph::{FaceGraph, NONE},
    flatten::{Care, Flat, flatten},
    region::{Division, Region, Rules},
};

/// Clusters start from at most this spread of normals.
const MOST_SPREAD: f64 = 0.5;

/// Divides `faces` into charts, each laid flat. Faces that use a point twice are left out.
///
/// # Errors
/// [`Cancelled`] when the work is stopped.
pub fn charts(
    surface: &FaceGraph,
    faces: Vec<u32>,
    rules: &Rules,
) -> Result<Vec<Region>, Cancelled> {
    let progress = rules.progress;
    let faces: Vec<u32> = faces
        .into_iter()
        .filter(|&f| surface.is_proper(f as usize))
        .collect();
    progress.at(0.0)?;
    let tree = Tree::new(surface, faces, |e| !rules.ends(e), MOST_SPREAD);
    progress.at(0.1)?;
    let regions: Vec<Vec<Region>> = tree
        .roots
        .par_iter()
        .map(|&root| from_the_top(surface, &tree, root, rules))
        .collect();
    progress.at(0.35)?;
    let regions = joined(surface, regions.into_iter().flatten().collect(), rules)?;
    let regions = border::straightened(surface, regions, rules)?;
    let done: Vec<Region> = regions
        .into_par_iter()
        .map(|r| polished(surface, r, rules))
        .collect();
    progress.at(1.0)?;
    Ok(done)
}

fn from_the_top(surface: &FaceGraph, tree: &Tree, cluster: u32, rules: &Rules) -> Vec<Region> {
    if rules.progress.is_cancelled() {
        return Vec::new();
    }
    let faces = tree.faces_of(cluster);
    if let Some(region) = laid(surface, faces, rules, Care::Trial) {
        return vec![region];
    }
    match tree.clusters[cluster as usize].children {
        [NONE, _] => vec![single(surface, tree.faces[cluster as usize])],
        [a, b] => {
            let (mut first, second) = rayon::join(
                || from_the_top(surface, tree, a, rules),
                || from_the_top(surface, tree, b, rules),
            );
            first.extend(second);
            first
        }
    }
}

/// One triangle lies as it is.
fn single(surface: &FaceGraph, face: u32) -> Region {
    let chart = Chart::new(surface, vec![face], |_| true);
    let [p, q] = chart.rest[0];
    let at = vec![DVec2::ZERO, p, q];
    let stretch = crate::flatten::measured(&chart, &at);
    Region::new(surface, chart, Flat { at, stretch })
}

/// Faces as one chart, cut open where they are no disk.
pub fn laid(surface: &FaceGraph, faces: Vec<u32>, rules: &Rules, care: Care) -> Option<Region> {
    let mut chart = Chart::new(surface, faces, |e| rules.ends(e));
    if let Some(flat) = flatten(surface, &chart, &rules.bound, care, rules.progress) {
        return Some(Region::new(surface, chart, flat));
    }
    if chart.is_disk() {
        return None;
    }
    let cost = |e: u32| rules.costs[e as usize] * surface.edges[e as usize].length;
    let open = edges_to_open(surface, &chart, cost);
    chart = Chart::new(surface, chart.faces, |e| {
        rules.ends(e) || open.binary_search(&e).is_ok()
    });
    let flat = flatten(surface, &chart, &rules.bound, care, rules.progress)?;
    Some(Region::new(surface, chart, flat))
}

/// The same chart, laid flat as well as can be.
fn polished(surface: &FaceGraph, region: Region, rules: &Rules) -> Region {
    if region.chart.faces.len() == 1 {
        return region;
    }
    match flatten(
        surface,
        &region.chart,
        &rules.bound,
        Care::Best,
        rules.progress,
    ) {
        Some(flat) if flat.stretch.l2() <= region.flat.stretch.l2() => Region { flat, ..region },
        _ => region,
    }
}

/// Two neighbouring charts.
struct Pair {
    key: f64,
    a: u32,
    b: u32,
}

fn joined(
    surface: &FaceGraph,
    regions: Vec<Region>,
    rules: &Rules,
) -> Result<Vec<Region>, Cancelled> {
    let Division {
        mut of_face,
        mut seam,
    } = Division::of(surface, &regions, rules);
    let mut regions: Vec<Option<Region>> = regions.into_iter().map(Some).collect();
    let at_first = regions.len();
    let mut left = at_first;
    // Pairs that cannot be joined, by chart.
    let mut never: Vec<HashSet<u32>> = vec![HashSet::new(); regions.len()];
    loop {
        let pairs = neighbours(surface, &regions, &of_face, &seam, rules, &never);
        if pairs.is_empty() {
            break;
        }
        let done = 0.35 + 0.45 * (1.0 - left as f32 / at_first as f32);
        rules.progress.at(done)?;
        let mut busy = vec![false; regions.len()];
        let tried: Vec<&Pair> = pairs[..pairs.len().min((pairs.len() / 4).max(8))]
            .iter()
            .filter(|p| {
                let free = !busy[p.a as usize] && !busy[p.b as usize];
                if free {
                    busy[p.a as usize] = true;
                    busy[p.b as usize] = true;
                }
                free
            })
            .collect();
        let results: Vec<Option<Region>> = tried
            .par_iter()
            .map(|p| {
                let a = regions[p.a as usize].as_ref()?;
                let b = regions[p.b as usize].as_ref()?;
                union(surface, a, b, (&of_face, p.b), &seam, rules)
            })
            .collect();
        for (pair, result) in tried.iter().zip(results) {
            let (a, b) = (pair.a as usize, pair.b as usize);
            let Some(region) = result else {
                never[a].insert(pair.b);
                never[b].insert(pair.a);
                continue;
            };
            let new = regions.len() as u32;
            // Edges that were joined are no seams any more.
            for old in [a, b] {
                if let Some(r) = regions[old].take() {
                    for &s in r.chart.loops.iter().flatten() {
                        let e = r.chart.edge(surface, s) as usize;
                        seam[e] = rules.seams[e] || surface.edges[e].fixed;
                    }
                }
            }
            for &f in &region.chart.faces {
                of_face[f as usize] = new;
            }
            for &s in region.chart.loops.iter().flatten() {
                seam[region.chart.edge(surface, s) as usize] = true;
            }
            // What could not be joined with a part cannot be joined with the whole.
            let mut not: HashSet<u32> = std::mem::take(&mut never[a]);
            not.extend(std::mem::take(&mut never[b]));
            for &c in &not {
                never[c as usize].insert(new);
            }
            never.push(not);
            regions.push(Some(region));
            left -= 1;
        }
    }
    Ok(regions.into_iter().flatten().collect())
}

/// Pairs that may be joined, the most worthwhile first.
fn neighbours(
    surface: &FaceGraph,
    regions: &[Option<Region>],
    of_face: &[u32],
    seam: &[bool],
    rules: &Rules,
    never: &[HashSet<u32>],
) -> Vec<Pair> {
    // By pair: how much its seam would show, and whether some of it may go only for the sake of small islands.
    let mut shared: HashMap<(u32, u32), (f64, bool)> = HashMap::new();
    for (e, edge) in surface.edges.iter().enumerate() {
        if edge.fixed || rules.seams[e] || !seam[e] {
            continue;
        }
        let [f, g] = edge.faces.map(|f| of_face[f as usize]);
        if f != g && f != NONE && g != NONE && !never[f as usize].contains(&g) {
            let entry = shared.entry((f.min(g), f.max(g))).or_default();
            entry.0 += edge.length * rules.costs[e];
            entry.1 |= rules.hard[e];
        }
    }
    let mut pairs: Vec<Pair> = shared
        .into_iter()
        .filter_map(|((a, b), (weight, hard))| {
            let (ra, rb) = (regions[a as usize].as_ref()?, regions[b as usize].as_ref()?);
            let lengths = ra.normal.length() + rb.normal.length();
            let rise = (lengths - (ra.normal + rb.normal).length()).max(0.0);
            let small = ra.area.min(rb.area).max(1e-30);
            if hard && small > rules.small {
                return None;
            }
            // Little turn for a seam that is long for the smaller of the two.
            let key = (rise + 1e-3 * small) / (weight * weight).max(1e-30)
                * (ra.perimeter.min(rb.perimeter) / small.sqrt());
            Some(Pair { key, a, b })
        })
        .collect();
    pairs.sort_unstable_by(|p, q| p.key.total_cmp(&q.key).then((p.a, p.b).cmp(&(q.a, q.b))));
    pairs
}

/// Both charts as one, along the most visible stretch of their common border, or along all of it where the whole is flat.
pub(crate) fn union(
    surface: &FaceGraph,
    a: &Region,
    b: &Region,
    (of_face, other): (&[u32], u32),
    seam: &[bool],
    rules: &Rules,
) -> Option<Region> {
    let mut faces: Vec<u32> = a
        .chart
        .faces
        .iter()
        .chain(&b.chart.faces)
        .copied()
        .collect();
    faces.sort_unstable();
    let arcs = arcs(surface, a, b, of_face, other, rules);
    let weight = |arc: &Vec<u32>| -> f64 {
        arc.iter()
            .map(|&e| surface.edges[e as usize].length * rules.costs[e as usize])
            .sum()
    };
    let flat = (a.normal + b.normal).length() >= (a.area + b.area) * (1.0 - 1e-9);
    let mut close: Vec<u32> = if flat {
        arcs.into_iter().flatten().collect()
    } else {
        arcs.into_iter()
            .max_by(|x, y| weight(x).total_cmp(&weight(y)))?
    };
    close.sort_unstable();
    let chart = Chart::new(surface, faces, |e| {
        seam[e as usize] && close.binary_search(&e).is_err()
    });
    let flat = flatten(surface, &chart, &rules.bound, Care::Trial, rules.progress)?;
    Some(Region::new(surface, chart, flat))
}

/// The stretches of border that two charts share: runs of edges that follow each other on the borders of both.
fn arcs(
    surface: &FaceGraph,
    a: &Region,
    b: &Region,
    of_face: &[u32],
    other: u32,
    rules: &Rules,
) -> Vec<Vec<u32>> {
    // Where each edge stands on the borders of b.
    let mut place: HashMap<u32, (usize, usize)> = HashMap::new();
    for (l, sides) in b.chart.loops.iter().enumerate() {
        for (i, &s) in sides.iter().enumerate() {
            place.insert(b.chart.edge(surface, s), (l, i));
        }
    }
    let mut arcs: Vec<Vec<u32>> = Vec::new();
    for sides in &a.chart.loops {
        let mut runs: Vec<Vec<u32>> = Vec::new();
        let mut last: Option<(usize, usize)> = None;
        let follows = |last: Option<(usize, usize)>, (l, i): (usize, usize)| {
            let n = b.chart.loops[l].len();
            last.is_some_and(|(m, j)| m == l && (i + 1) % n == j && n > 1)
        };
        for &s in sides {
            let e = a.chart.edge(surface, s);
            let f = a.chart.faces[s.face as usize];
            let g = surface.across(e, f);
            let here = (g != NONE && of_face[g as usize] == other && !rules.seams[e as usize])
                .then(|| place.get(&e).copied())
                .flatten();
            match here {
                Some(at) if follows(last, at) => {
                    if let Some(run) = runs.last_mut() {
                        run.push(e);
                    }
                }
                Some(_) => runs.push(vec![e]),
                None => {}
            }
            last = here;
        }
        // A run may go on over the place where the loop was begun.
        if runs.len() > 1 {
            let first = place.get(&runs[0][0]).copied();
            let begins = a.chart.edge(surface, sides[0]) == runs[0][0];
            if let Some(at) = first
                && begins
                && follows(last, at)
                && let Some(tail) = runs.pop()
            {
                runs[0].splice(0..0, tail);
            }
        }
        arcs.extend(runs);
    }
    arcs
}
