//! Fits a finished cut to the source once more.
//!
//! A quadric knows planes, not where the surface ends; after tens of thousands of collapses its optimum
//! is a little off. So places are spread over the source, each is tied to the nearest place of the
//! result, and the points move so that the sum of squared distances is least: a sparse linear least
//! squares, solved by conjugate gradients, a few times over with new nearest places (H. Hoppe et al., *Mesh
//! Optimization*, 1993, without its changes of topology). Then the UVs follow, by the same least squares.

use ectome_mesh::{
    Cancelled, Mesh, Progress, measure,
    nearest::SurfaceIndex,
    sample,
    topology::{HalfEdge, is_degenerate, sorted_half_edges},
};
use glam::{DVec3, Vec2, Vec3};
use rayon::prelude::*;

use crate::{feature::Features, options::Options, outline_presence, replay::Cut};

/// How often nearest places are looked for anew.
const ROUNDS: usize = 3;
/// Places on the source for each triangle of the result, and their least and greatest number.
const PLACES_PER_TRIANGLE: usize = 12;
const LEAST_PLACES: usize = 20_000;
const MOST_PLACES: usize = 400_000;
/// Larger results are left as they are: three places a triangle say too little.
const MOST_TRIANGLES: usize = MOST_PLACES / 3;
/// Steps of conjugate gradients in a round.
const STEPS: usize = 12;
/// Pull of every point to where it is, against points that few places speak for.
const STIFFNESS: f64 = 0.05;
/// How often points may be put back before all of them are; most cuts need two to four.
const PUT_BACK: usize = 12;
/// A face that no place speaks for may turn by at most 8° in all: in a narrow gap it might come to look the wrong way.
const UNSEEN_COSINE: f64 = 0.99;
/// A face may turn by at most 45° in one round.
const TURN_COSINE: f64 = 0.7;
/// A face that looks further than 60° from the source's normals may not turn away further.
const LEAN_COSINE: f64 = 0.5;

/// A place of the source.
struct Place {
    at: Vec3,
    normal: Vec3,
    /// How much it counts.
    weight: f64,
    /// Its UV, if the mesh has any.
    uv: Option<Vec2>,
}

/// A place of the source tied to a triangle of the result.
struct Tie {
    weight: f64,
    face: u32,
    normal: Vec3,
    points: [u32; 3],
    weights: [f64; 3],
    off: DVec3,
}

/// Moves the points of `cut` closer to `source`. Points of open borders, of non-manifold edges and of
/// guards stay. Never makes the mean distance larger (weighted by presence on the outline, where that has
/// the attention).
///
/// # Errors
/// [`Cancelled`].
pub fn refine(
    source: &Mesh,
    options: &Options,
    cut: &mut Cut,
    progress: &Progress,
) -> Result<(), Cancelled> {
    let low = &mut cut.mesh;
    if low.face_count() == 0 || low.face_count() > MOST_TRIANGLES {
        return Ok(());
    }
    let free = free_points(source, options, low, &cut.point_source);
    let count = (low.face_count() * PLACES_PER_TRIANGLE).clamp(LEAST_PLACES, MOST_PLACES);
    let places = spread(source, options, count);
    if places.is_empty() {
        return Ok(());
    }
    let around = faces_around(low);
    let mut before = f64::INFINITY;
    let first = low.points.clone();
    let mut last = low.points.clone();
    let mut near = vec![u32::MAX; places.len()];
    let mut turned_before = Vec::new();
    for round in 0..=ROUNDS {
        progress.at(round as f32 / (ROUNDS + 1) as f32)?;
        let ties = tie(low, &places, &mut near);
        if round == 0 {
            turned_before = flips(low, &ties);
        }
        let all: f64 = ties.iter().map(|t| t.weight).sum();
        let off: f64 = ties.iter().map(|t| t.weight * t.off.length()).sum();
        let mean = off / all.max(f64::MIN_POSITIVE);
        if mean >= before {
            low.points = last;
            break;
        }
        if round == ROUNDS {
            break;
        }
        before = mean;
        last.clone_from(&low.points);
        let moves = solve(&ties, low.points.len(), &free);
        apply(low, &moves, &around);
    }
    undo_flips(low, &first, &turned_before, &places, &mut near);
    fit_uvs(low, &places, &mut near);
    progress.at(1.0)
}

/// Puts the points of faces back that now look against the places tied to them, or that lean far from
/// their normals, unless they did so before, and of faces that no place speaks for and
/// that turned.
fn undo_flips(low: &mut Mesh, first: &[Vec3], before: &[bool], places: &[Place], near: &mut [u32]) {
    for _ in 0..PUT_BACK {
        let ties = tie(low, places, near);
        let after = flips(low, &ties);
        let mut tied = vec![false; low.face_count()];
        ties.iter().for_each(|t| tied[t.face as usize] = true);
        let mut any = false;
        for f in 0..low.face_count() {
            let unseen = !tied[f] && {
                let then = measure::area_vector(low.triangle_points(f).map(|p| first[p as usize]));
                let now = measure::area_vector(low.triangle(f));
                now.dot(then) < UNSEEN_COSINE * now.length() * then.length()
            };
            if unseen || (after[f] && !before[f]) {
                // A face that lies where it lay has only other places tied to it now.
                for p in low.triangle_points(f) {
                    any |= low.points[p as usize] != first[p as usize];
                    low.points[p as usize] = first[p as usize];
                }
            }
        }
        if !any {
            return;
        }
    }
    // Each turn puts more points back, and all of them back is where it began.
    low.points = first.to_vec();
}

/// Which faces look against the places of the source tied to them.
fn flips(low: &Mesh, ties: &[Tie]) -> Vec<bool> {
    let mut agreement = vec![0f64; low.face_count()];
    let mut tied = vec![false; low.face_count()];
    for t in ties {
        let f = t.face as usize;
        let vector = measure::area_vector(low.triangle(f));
        agreement[f] += vector.normalize_or_zero().dot(t.normal.as_dvec3());
        tied[f] = true;
    }
    (0..low.face_count())
        .map(|f| {
            let vector = measure::area_vector(low.triangle(f));
            agreement[f] < 0.0 || lean(low, f as u32, vector) < if tied[f] { -0.2 } else { 0.3 }
        })
        .collect()
}

/// Which points may move.
fn free_points(source: &Mesh, options: &Options, low: &Mesh, point_source: &[u32]) -> Vec<bool> {
    let mut free = vec![true; low.points.len()];
    for edge in sorted_half_edges(low).chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        if edge.len() != 2 {
            free[edge[0].low as usize] = false;
            free[edge[0].high as usize] = false;
        }
    }
    let keep = &options.keep;
    let lines = keep.borders || keep.seams || keep.materials || keep.parts;
    if lines || keep.creases.is_some() || !options.protect.is_empty() {
        let fixed = Features::of(source, options, None).fixed_by;
        for (f, &p) in free.iter_mut().zip(point_source) {
            let protected = options.protect.get(p as usize).is_some_and(|&w| w > 0.0);
            *f &= fixed[p as usize] == 0 && !protected;
        }
    }
    free
}

/// A place whose UV is further than this from that of the result is tied to another island.
const OTHER_ISLAND: f32 = 0.01;

/// Fits the UVs of the moved points in the same way: so that the texture at the places is where the source has
/// it. UVs on seams and borders stay, and so do those that would fold.
fn fit_uvs(low: &mut Mesh, places: &[Place], near: &mut [u32]) {
    let Some(set) = low.uv_sets.first() else {
        return;
    };
    let mut free = vec![true; set.len()];
    let mut first_at = vec![u32::MAX; low.points.len()];
    for (v, &p) in low.vertex_point.iter().enumerate() {
        let slot = &mut first_at[p as usize];
        if *slot == u32::MAX {
            *slot = v as u32;
        } else {
            free[v] = false;
            free[*slot as usize] = false;
        }
    }
    let ends = |e: &HalfEdge| {
        let next = e.corner - e.corner % 3 + (e.corner + 1) % 3;
        let (from, to) = (low.corners[e.corner as usize], low.corners[next as usize]);
        (from.min(to), from.max(to))
    };
    for edge in sorted_half_edges(low).chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        // Also where a seam only ends: its last point has one vertex.
        if edge.len() != 2 || ends(&edge[0]) != ends(&edge[1]) {
            for p in [edge[0].low, edge[0].high] {
                free[first_at[p as usize] as usize] = false;
            }
        }
    }
    let ties: Vec<Tie> = places
        .iter()
        .zip(tie_each(low, places, near))
        .filter_map(|(place, tie)| {
            let (uv, mut tie) = (place.uv?, tie?);
            let corners = low.face(tie.face as usize);
            tie.points = [corners[0], corners[1], corners[2]];
            let here: Vec2 = (tie.points.iter().zip(tie.weights))
                .map(|(&v, w)| set[v as usize] * w as f32)
                .sum();
            tie.off = (uv - here).extend(0.0).as_dvec3();
            (uv.distance(here) < OTHER_ISLAND).then_some(tie)
        })
        .collect();
    let moves = solve(&ties, set.len(), &free);
    let moved = |t: &Tie| -> DVec3 {
        (0..3)
            .map(|k| moves[t.points[k] as usize] * t.weights[k])
            .sum()
    };
    let was: f64 = ties.iter().map(|t| t.off.length()).sum();
    let is: f64 = ties.iter().map(|t| (t.off - moved(t)).length()).sum();
    if is >= was {
        return;
    }
    let before = set.clone();
    let fitted: Vec<Vec2> = (before.iter().zip(&moves))
        .map(|(&uv, m)| uv + m.truncate().as_vec2())
        .collect();
    low.uv_sets[0] = fitted;
    // Each round puts more back; nothing is left to fold when all of it is.
    loop {
        let mut any = false;
        for f in 0..low.face_count() {
            let corners = [0, 1, 2].map(|k| low.corners[3 * f + k] as usize);
            let turn = |set: &[Vec2]| {
                let [a, b, c] = corners.map(|v| set[v]);
                (b - a).perp_dot(c - a)
            };
            let (was, is) = (turn(&before), turn(&low.uv_sets[0]));
            if was * is <= 0.0 && was != is {
                for v in corners {
                    any |= low.uv_sets[0][v] != before[v];
                    low.uv_sets[0][v] = before[v];
                }
            }
        }
        if !any {
            return;
        }
    }
}

/// Places spread over the source by area.
fn spread(mesh: &Mesh, options: &Options, count: usize) -> Vec<Place> {
    let weights = options.attention.weights();
    let presence = if weights.outline > 1.0 {
        outline_presence::presence(mesh)
    } else {
        Vec::new()
    };
    let weight = |face: usize| {
        let of = |p: u32| presence.get(p as usize).copied().unwrap_or(0.0);
        let mean = mesh.triangle_points(face).map(of).iter().sum::<f32>() / 3.0;
        weights.of_outline(mean)
    };
    sample::by_area(mesh, count)
        .into_par_iter()
        .map(|s| Place {
            weight: weight(s.face as usize),
            at: s.point,
            uv: uv_at(mesh, &s),
            normal: measure::area_vector(mesh.triangle(s.face as usize))
                .normalize_or_zero()
                .as_vec3(),
        })
        .collect()
}

fn uv_at(mesh: &Mesh, s: &sample::Sample) -> Option<Vec2> {
    let set = mesh.uv_sets.first()?;
    let weights = measure::barycentric(s.point, mesh.triangle(s.face as usize))?;
    let corners = mesh.face(s.face as usize).iter();
    Some(
        corners
            .zip(weights)
            .map(|(&v, w)| set[v as usize] * w as f32)
            .sum(),
    )
}

/// Each place's tie to the nearest triangle. `near` is a triangle that was it or not far from it, if one is known, and becomes the
/// one that was found.
fn tie_each(low: &Mesh, places: &[Place], near: &mut [u32]) -> Vec<Option<Tie>> {
    let surface = SurfaceIndex::of(low);
    let at: Vec<Vec3> = places.iter().map(|p| p.at).collect();
    let known = near.first().is_some_and(|&f| f != u32::MAX);
    let found = if known {
        surface.nearest_each_from(&at, near)
    } else {
        surface.nearest_each(&at)
    };
    for (near, found) in near.iter_mut().zip(&found) {
        *near = found.map_or(u32::MAX, |f| f.face);
    }
    places
        .par_iter()
        .zip(found)
        .with_min_len(512)
        .map(|(p, near)| {
            let near = near?;
            Some(Tie {
                weight: p.weight,
                face: near.face,
                normal: p.normal,
                points: low.triangle_points(near.face as usize),
                weights: measure::barycentric(near.point, low.triangle(near.face as usize))?,
                off: (p.at - near.point).as_dvec3(),
            })
        })
        .collect()
}

fn tie(low: &Mesh, places: &[Place], near: &mut [u32]) -> Vec<Tie> {
    tie_each(low, places, near).into_iter().flatten().collect()
}

/// Conjugate gradients on Σ |Σ bᵢ dᵢ − off|² + stiffness Σ |dᵢ|², all three axes at once.
fn solve(ties: &[Tie], points: usize, free: &[bool]) -> Vec<DVec3> {
    let mut weight = vec![0f64; points];
    let mut rhs = vec![DVec3::ZERO; points];
    for t in ties {
        for (p, w) in t.points.iter().zip(t.weights) {
            weight[*p as usize] += t.weight * w * w;
            rhs[*p as usize] += t.off * w * t.weight;
        }
    }
    let typical = weight.iter().sum::<f64>() / points.max(1) as f64;
    let stiff = STIFFNESS * typical.max(f64::MIN_POSITIVE);
    let hold = |v: &mut [DVec3]| {
        v.iter_mut()
            .zip(free)
            .filter(|(_, free)| !**free)
            .for_each(|(v, _)| *v = DVec3::ZERO);
    };
    let times = |x: &[DVec3]| {
        let mut y: Vec<DVec3> = x.iter().map(|x| *x * stiff).collect();
        for t in ties {
            let sum: DVec3 = (0..3).map(|k| x[t.points[k] as usize] * t.weights[k]).sum();
            for k in 0..3 {
                y[t.points[k] as usize] += sum * t.weights[k] * t.weight;
            }
        }
        hold(&mut y);
        y
    };
    hold(&mut rhs);
    let dot = |a: &[DVec3], b: &[DVec3]| a.iter().zip(b).map(|(a, b)| a.dot(*b)).sum::<f64>();
    let mut x = vec![DVec3::ZERO; points];
    let mut r = rhs;
    let mut d = r.clone();
    let mut rr = dot(&r, &r);
    let start = rr;
    for _ in 0..STEPS {
        if rr <= 1e-8 * start || rr <= 0.0 {
            break;
        }
        let ad = times(&d);
        let alpha = rr / dot(&d, &ad).max(f64::MIN_POSITIVE);
        for i in 0..points {
            x[i] += d[i] * alpha;
            r[i] -= ad[i] * alpha;
        }
        let next = dot(&r, &r);
        for i in 0..points {
            d[i] = r[i] + d[i] * (next / rr);
        }
        rr = next;
    }
    x
}

/// The faces around each point: starts and faces.
fn faces_around(mesh: &Mesh) -> (Vec<u32>, Vec<u32>) {
    let mut starts = vec![0u32; mesh.points.len() + 1];
    for &v in &mesh.corners {
        starts[mesh.vertex_point[v as usize] as usize + 1] += 1;
    }
    for i in 0..mesh.points.len() {
        starts[i + 1] += starts[i];
    }
    let mut next = starts.clone();
    let mut faces = vec![0u32; mesh.corners.len()];
    for (c, &v) in mesh.corners.iter().enumerate() {
        let p = mesh.vertex_point[v as usize] as usize;
        faces[next[p] as usize] = c as u32 / 3;
        next[p] += 1;
    }
    (starts, faces)
}

/// Cosine between a face's direction and the mean of its normals, which are the source's.
fn lean(mesh: &Mesh, face: u32, vector: DVec3) -> f64 {
    let corners = mesh.face(face as usize);
    let mean: Vec3 = corners.iter().map(|&v| mesh.normals[v as usize]).sum();
    let mean = mean.as_dvec3();
    vector.dot(mean) / (vector.length() * mean.length()).max(f64::MIN_POSITIVE)
}

/// Moves the points one after another, each as far as its faces stay upright.
fn apply(mesh: &mut Mesh, moves: &[DVec3], (starts, faces): &(Vec<u32>, Vec<u32>)) {
    for p in 0..mesh.points.len() {
        let old = mesh.points[p];
        let around = &faces[starts[p] as usize..starts[p + 1] as usize];
        let before: Vec<DVec3> = around
            .iter()
            .map(|&f| measure::area_vector(mesh.triangle(f as usize)))
            .collect();
        for share in [1.0, 0.5, 0.25] {
            mesh.points[p] = (old.as_dvec3() + moves[p] * share).as_vec3();
            let upright = around.iter().zip(&before).all(|(&f, b)| {
                let triangle = mesh.triangle(f as usize);
                let now = measure::area_vector(triangle);
                let turns_little = now.dot(*b) >= TURN_COSINE * now.length() * b.length();
                !is_degenerate(triangle)
                    && turns_little
                    && lean(mesh, f, now) >= lean(mesh, f, *b).min(LEAN_COSINE)
            });
            if upright {
                break;
            }
            mesh.points[p] = old;
        }
    }
}
