//! From a mesh to its skin.

use std::{cmp::Reverse, collections::BinaryHeap};

use ectome_mesh::{Mesh, Progress, edit, measure, nearest::SurfaceIndex, topology::UnionFind};
use glam::{DVec3, Vec3};
use rayon::prelude::*;

use crate::{
    RebuildError,
    bare::bare,
    cells::{self, FILM, Gaps, Grid, Sides},
    fit,
    ground::{Around, Ground},
    keyed::HashMap,
    patches,
    pieces::{self, Limits, OpenPiece, Pieces},
    reach::reach,
    ridges::Marks,
    settle::settle,
};

/// How a skin is made.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// The size of a cell, in metres: nothing smaller is told apart.
    pub cell_m: f32,
    /// The winding number from which on a place counts as inside. Under a half, since openings lower it on the inside more than they raise
    /// it outside: .4 was right most often.
    pub threshold: f32,
    /// The thickness of open sheets, in metres; 0 leaves them out.
    pub sheet_m: f32,
    /// Openings up to this are closed, in metres; a piece with a wider one is taken as a sheet.
    pub openings_m: f32,
    /// Gaps between pieces up to this are closed, in metres; 0 closes none.
    pub gaps_m: f32,
    /// Hollows that nothing outside sees are filled.
    pub fill_hollows: bool,
    /// What of the source can be seen is handed over, too.
    pub with_seen: bool,
}

impl Settings {
    /// Cells of a size, sheets nearly as thick, every opening closed and no gap.
    pub fn with_cell(cell_m: f32) -> Self {
        Self {
            cell_m,
            threshold: 0.4,
            sheet_m: 0.9 * cell_m,
            openings_m: f32::INFINITY,
            gaps_m: 0.0,
            fill_hollows: true,
            with_seen: false,
        }
    }
}

/// An opening that the skin closes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Opening {
    /// Its middle.
    pub at_m: [f32; 3],
    /// How far across it is, in metres.
    pub across_m: f32,
    /// Its area, in square metres.
    pub area_m2: f64,
}

/// What was done.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Report {
    /// Loose pieces of the source.
    pub pieces: usize,
    /// Pieces that were turned outward.
    pub turned: usize,
    /// Pieces with borders and thin ones, and whether they were taken as sheets.
    pub open_pieces: Vec<OpenPiece>,
    /// Openings and gaps that were closed, largest first.
    pub openings: Vec<Opening>,
    /// Triangles of the source of which nothing can be seen; 0 unless what is seen was asked for.
    pub hidden_triangles: usize,
    /// Hollows that were filled.
    pub hollows_filled: usize,
    /// Hollows that were kept.
    pub hollows_kept: usize,
    /// Cells that the surface runs through or near.
    pub cells: usize,
    /// Edges of the skin with one face; 0.
    pub border_edges: usize,
    /// Edges with more than two; 0.
    pub non_manifold_edges: usize,
    /// Separate parts of the skin.
    pub components: usize,
    /// Handles of all of them together.
    pub genus: i64,
}

impl Report {
    /// Pieces that are open sheets.
    pub fn sheets(&self) -> usize {
        self.open_pieces.iter().filter(|p| p.is_sheet).count()
    }
}

/// A skin.
#[derive(Clone, Debug)]
pub struct Skin {
    /// The surface, in triangles, in the parts and materials of what lies nearest in the source.
    pub mesh: Mesh,
    /// Faces of it that close an opening or a gap.
    pub closing: Vec<bool>,
    /// What of the source can be seen, where that was asked for: what a skin is measured against.
    pub seen: Option<Mesh>,
    /// What was done.
    pub report: Report,
}

/// Cells along a source's diagonal at least: with fewer nothing of its shape is left.
const COARSEST: f32 = 4.0;
/// Closed pieces thinner than so many cells are taken as sheets: no corner of the grid need lie in them.
const THIN: f32 = 0.5;
/// Edges of the source that the skin is farther from than so many cells are reached first, before its edges are turned along them.
const TIPS: f32 = 0.25;
/// What is still so many cells off after that is reached, too.
const EDGES: f32 = 0.002;
/// Cells of empty room around the source.
const ROOM: f32 = 2.5;

/// Makes one closed skin over everything in a mesh of triangles. The same on any number of threads.
///
/// # Errors
/// [`RebuildError`].
pub fn rebuild(
    mesh: &Mesh,
    settings: &Settings,
    progress: &Progress,
) -> Result<Skin, RebuildError> {
    if !mesh.is_triangulated() {
        return Err(RebuildError::NotTriangulated);
    }
    if !(settings.cell_m > 0.0 && settings.cell_m.is_finite()) {
        return Err(RebuildError::NoSize(settings.cell_m));
    }
    for (name, length) in [
        ("a thickness", settings.sheet_m),
        ("openings", settings.openings_m),
        ("gaps", settings.gaps_m),
    ] {
        if length.is_nan() || length < 0.0 {
            return Err(RebuildError::NoLength(name, length));
        }
    }
    // What has no area says nothing about inside and outside, and has no nearest plane.
    let has_area = |f: usize| measure::area_vector(mesh.triangle(f)).length_squared() > 0.0;
    let source = edit::kept(mesh, has_area);
    if source.face_count() == 0 {
        return Err(RebuildError::Empty);
    }
    let bounds = measure::bounds(&source);
    if settings.cell_m > bounds.diagonal() / COARSEST {
        return Err(RebuildError::TooCoarse {
            cell_m: settings.cell_m,
            diagonal_m: bounds.diagonal(),
        });
    }
    let grid = Grid {
        origin: bounds.min - (ROOM + FILM) * settings.cell_m - settings.sheet_m,
        cell: settings.cell_m,
    };
    progress.stage("Telling inside from outside");
    let limits = Limits {
        widest: settings.openings_m,
        thinnest: THIN * settings.cell_m,
    };
    let pieces = pieces::of(&source, bounds.diagonal(), limits, progress)?;
    progress.at(0.05)?;
    let leaves_out = settings.sheet_m == 0.0 && !pieces.sheets.is_empty();
    let (source, piece_of_face) = if leaves_out {
        without_sheets(&source, &pieces)
    } else {
        (source, pieces.of_face.clone())
    };
    if source.face_count() == 0 {
        return Err(RebuildError::NothingInside);
    }
    let index = SurfaceIndex::of_while(&source, progress)?;
    let gaps = (settings.gaps_m > 0.0).then_some(Gaps {
        index: &index,
        piece: &piece_of_face,
        width: settings.gaps_m,
    });
    let sides = Sides::of(
        &pieces,
        &index,
        settings.threshold,
        (settings.sheet_m, settings.cell_m),
        gaps,
    );
    let has_films = !pieces.sheets.is_empty() && !leaves_out;
    let thickness = if has_films { sides.film_m() } else { 0.0 };
    let cells = cells::near(&source, grid, &sides, thickness, &progress.span(0.05, 0.6))?;
    progress.stage("Laying the skin");
    let patches = patches::of(&cells, progress)?;
    if patches.quads.is_empty() {
        return Err(RebuildError::NothingInside);
    }
    progress.at(0.65)?;
    let mut start: Vec<Vec3> = patches
        .crossings
        .par_iter()
        .map(|list| {
            let sum: Vec3 = list
                .iter()
                .map(|&(a, b)| 0.5 * (grid.place(a) + grid.place(b)))
                .sum();
            sum / list.len().max(1) as f32
        })
        .collect();
    let ground = Ground::of(&source, &index, &sides, grid.cell, pieces.count);
    // A film around a sheet lies beside it, not on it.
    let is_film: Vec<bool> = if has_films {
        let of = |&p: &Vec3| sides.is_film(p, grid.cell);
        start.par_iter().map(of).collect()
    } else {
        Vec::new()
    };
    start.par_iter_mut().enumerate().for_each(|(v, p)| {
        if is_film.get(v) == Some(&true) {
            *p = sides.beside_sheet(*p, 0.5 * settings.sheet_m);
        }
    });
    let own = &progress.span(0.65, 0.85);
    let mut fitted = fit::to_source(start, &patches.quads, &is_film, &ground, own)?;
    progress.stage("Naming its parts");
    let mut report = Report {
        pieces: pieces.count,
        turned: pieces.turned,
        cells: cells.list.len(),
        ..Report::default()
    };
    report.openings = openings(&fitted, &patches.quads);
    let mut triangles = divided(&fitted.places, &patches.quads, &ground);
    let is_sheet = |f: u32| pieces.is_sheet[piece_of_face[f as usize] as usize];
    let is_even = |p: Vec3| cells.side_at(grid.cell_of(p)).is_some();
    let marks = Marks::of(&ground, is_even, is_sheet, progress)?;
    let tips = (&marks, TIPS);
    reach(
        &mut fitted,
        &mut triangles,
        &is_film,
        tips,
        &ground,
        progress,
    )?;
    let own = &progress.span(0.85, 0.92);
    let by = (&marks, &piece_of_face[..]);
    settle(&mut fitted, &mut triangles, &is_film, by, &ground, own)?;
    let edges = (&marks, EDGES);
    reach(
        &mut fitted,
        &mut triangles,
        &is_film,
        edges,
        &ground,
        progress,
    )?;
    let triangles = without_crumbs(&fitted.places, triangles, grid.cell);
    let triangles = hollows(
        &fitted.places,
        triangles,
        settings.fill_hollows,
        &mut report,
    );
    let closes = |t: &[u32; 3]| t.iter().any(|&v| fitted.is_cap[v as usize]);
    let closing: Vec<bool> = triangles.iter().map(closes).collect();
    let (skin, order) = named(&ground, &fitted.places, &triangles, &closing);
    describe(&skin, &mut report);
    progress.at(0.94)?;
    let seen = if settings.with_seen {
        let around = Around {
            grid,
            cells: &cells,
            skin: &SurfaceIndex::of_while(&skin, progress)?,
        };
        let seen = ground.seen(&around, &progress.span(0.94, 1.0))?;
        report.hidden_triangles = seen.hidden;
        Some(seen.mesh)
    } else {
        None
    };
    report.open_pieces = pieces.open;
    progress.at(1.0)?;
    Ok(Skin {
        closing: order.iter().map(|&t| closing[t as usize]).collect(),
        mesh: skin,
        seen,
        report,
    })
}

/// A source without its sheets, and the piece of each face that is left.
fn without_sheets(source: &Mesh, pieces: &Pieces) -> (Mesh, Vec<u32>) {
    let stays = |f: usize| !pieces.is_sheet[pieces.of_face[f] as usize];
    let left = (0..source.face_count()).filter(|&f| stays(f));
    let piece = left.map(|f| pieces.of_face[f]).collect();
    (edit::kept(source, stays), piece)
}

/// The stretches of the skin that lie on no source.
fn openings(fitted: &fit::Fitted, quads: &[[u32; 4]]) -> Vec<Opening> {
    let mut sets = UnionFind::new(fitted.places.len());
    let is_cap = |q: &[u32; 4]| q.iter().all(|&v| fitted.is_cap[v as usize]);
    for q in quads.iter().filter(|q| is_cap(q)) {
        for k in 1..4 {
            sets.join(q[0], q[k]);
        }
    }
    let mut found: HashMap<u32, (Vec3, Vec3, f64)> = HashMap::default();
    for q in quads.iter().filter(|q| is_cap(q)) {
        let p = q.map(|v| fitted.places[v as usize]);
        let area = 0.5 * ((p[2] - p[0]).cross(p[3] - p[1])).length();
        let own = found
            .entry(sets.find(q[0]))
            .or_insert((Vec3::INFINITY, Vec3::NEG_INFINITY, 0.0));
        for v in p {
            (own.0, own.1) = (own.0.min(v), own.1.max(v));
        }
        own.2 += f64::from(area);
    }
    let mut list: Vec<Opening> = found
        .into_values()
        .map(|(low, high, area_m2)| Opening {
            at_m: (0.5 * (low + high)).to_array(),
            across_m: (high - low).length(),
            area_m2,
        })
        .collect();
    list.sort_by(|a, b| {
        let key = |o: &Opening| o.at_m;
        b.area_m2.total_cmp(&a.area_m2).then_with(|| {
            let (x, y) = (key(a), key(b));
            x[0].total_cmp(&y[0])
                .then(x[1].total_cmp(&y[1]))
                .then(x[2].total_cmp(&y[2]))
        })
    });
    list
}

/// Quads as triangles, along the diagonal whose middle lies nearer to the source: an edge of it runs along that one. Where both lie on
/// it, along the one that folds least.
fn divided(places: &[Vec3], quads: &[[u32; 4]], ground: &Ground<'_>) -> Vec<[u32; 3]> {
    // Below this nothing can be told of a distance in single precision.
    let same = 1e-4 * ground.cell;
    let of = |&[a, b, c, d]: &[u32; 4]| {
        let p = [a, b, c, d].map(|v| places[v as usize]);
        let bend = |i: usize, j: usize, k: usize, l: usize| {
            let n = (p[j] - p[i]).cross(p[k] - p[i]).normalize_or_zero();
            let m = (p[k] - p[i]).cross(p[l] - p[i]).normalize_or_zero();
            n.dot(m)
        };
        let away = |i: usize, k: usize| {
            let near = ground.index.nearest(0.5 * (p[i] + p[k]));
            near.map_or(0.0, |place| place.distance)
        };
        let (first, second) = (away(0, 2), away(1, 3));
        let is_first = if (first - second).abs() > same {
            first < second
        } else {
            bend(0, 1, 2, 3) >= bend(1, 2, 3, 0)
        };
        if is_first {
            [[a, b, c], [a, c, d]]
        } else {
            [[b, c, d], [b, d, a]]
        }
    };
    quads.par_iter().flat_map_iter(of).collect()
}

/// A part of the skin that is no more than so many cells across is a crumb: the tip of something thinner than a cell.
const CRUMB: f32 = 1.5;

/// Leaves out crumbs, unless there is nothing else.
fn without_crumbs(places: &[Vec3], triangles: Vec<[u32; 3]>, cell: f32) -> Vec<[u32; 3]> {
    let part = components(places.len(), &triangles);
    let mut bounds: HashMap<u32, (Vec3, Vec3)> = HashMap::default();
    for &v in triangles.iter().flatten() {
        let p = places[v as usize];
        let own = bounds.entry(part[v as usize]).or_insert((p, p));
        *own = (own.0.min(p), own.1.max(p));
    }
    let is_crumb = |t: &[u32; 3]| {
        let (low, high) = bounds[&part[t[0] as usize]];
        low.distance(high) <= CRUMB * cell
    };
    if triangles.iter().all(is_crumb) {
        triangles
    } else {
        triangles.into_iter().filter(|t| !is_crumb(t)).collect()
    }
}

/// Counts the parts of the skin that face a hollow, whose volume is negative, and leaves them out where hollows are filled.
fn hollows(
    places: &[Vec3],
    triangles: Vec<[u32; 3]>,
    are_filled: bool,
    report: &mut Report,
) -> Vec<[u32; 3]> {
    let part = components(places.len(), &triangles);
    let mut volumes: HashMap<u32, f64> = HashMap::default();
    for t in &triangles {
        let [a, b, c] = t.map(|v| places[v as usize].as_dvec3());
        *volumes.entry(part[t[0] as usize]).or_default() += a.dot(b.cross(c)) / 6.0;
    }
    let count = volumes.values().filter(|v| **v < 0.0).count();
    if !are_filled {
        report.hollows_kept = count;
        return triangles;
    }
    report.hollows_filled = count;
    let keep = |t: &[u32; 3]| volumes[&part[t[0] as usize]] >= 0.0;
    triangles.into_iter().filter(keep).collect()
}

/// The component of each vertex, by its least vertex.
fn components(vertices: usize, triangles: &[[u32; 3]]) -> Vec<u32> {
    let mut sets = UnionFind::new(vertices);
    for t in triangles {
        for k in 1..3 {
            sets.join(t[0], t[k]);
        }
    }
    (0..vertices as u32).map(|v| sets.find(v)).collect()
}

/// The skin as a mesh in the parts and materials of what lies nearest in the source, and which triangle each of its faces was. What
/// closes an opening may be nearest to something inside: it belongs to what its rim lies on.
fn named(
    ground: &Ground<'_>,
    places: &[Vec3],
    triangles: &[[u32; 3]],
    closing: &[bool],
) -> (Mesh, Vec<u32>) {
    let source = ground.mesh;
    let run_of = source.run_of_faces();
    let mut mesh = bare(places, triangles);
    mesh.drop_unused();
    let middles: Vec<Vec3> = (0..mesh.face_count())
        .map(|f| mesh.triangle(f).iter().sum::<Vec3>() / 3.0)
        .collect();
    let mut nearest: Vec<Option<u32>> = ground
        .index
        .nearest_each(&middles)
        .into_iter()
        .map(|near| Some(near?.face))
        .collect();
    spread(&mut nearest, triangles, closing, &middles);
    let owners: Vec<(u32, Option<u32>)> = nearest
        .into_iter()
        .map(|near| {
            let run = near.map(|face| &source.runs[run_of[face as usize] as usize]);
            run.map_or((0, None), |r| (r.part, r.material))
        })
        .collect();
    let mut out = edit::rearranged(&mesh, source.parts.clone(), |f| owners[f]);
    out.nodes.clone_from(&source.nodes);
    // Faces of one part and material come together in the order they had.
    let mut order: Vec<u32> = (0..triangles.len() as u32).collect();
    order.sort_by_key(|&t| owners[t as usize]);
    (out, order)
}

/// Gives faces that close an opening what the nearest face beside the opening has, along the skin.
fn spread(of: &mut [Option<u32>], triangles: &[[u32; 3]], closing: &[bool], middles: &[Vec3]) {
    let points = triangles
        .iter()
        .flatten()
        .max()
        .map_or(0, |&v| v as usize + 1);
    let around = fit::faces_of_vertices(points, triangles);
    let beside = |f: u32| {
        let corners = triangles[f as usize].into_iter();
        corners.flat_map(|v| around.of(v as usize)).copied()
    };
    // Distances are never negative, and then their bits are in their order.
    let mut next: BinaryHeap<Reverse<(u32, u32, u32)>> = BinaryHeap::new();
    let mut reached = vec![false; triangles.len()];
    let go = |from: u32, far: f32, next: &mut BinaryHeap<_>, reached: &[bool]| {
        for f in beside(from).filter(|&f| closing[f as usize] && !reached[f as usize]) {
            let step = middles[from as usize].distance(middles[f as usize]);
            next.push(Reverse(((far + step).to_bits(), f, from)));
        }
    };
    for f in (0..triangles.len() as u32).filter(|&f| !closing[f as usize]) {
        go(f, 0.0, &mut next, &reached);
    }
    while let Some(Reverse((far, f, from))) = next.pop() {
        if !std::mem::replace(&mut reached[f as usize], true) {
            of[f as usize] = of[from as usize];
            go(f, f32::from_bits(far), &mut next, &reached);
        }
    }
}

/// Counts what the skin is.
fn describe(skin: &Mesh, report: &mut Report) {
    let mut edges: HashMap<(u32, u32), u32> = HashMap::default();
    let triangles: Vec<[u32; 3]> = (0..skin.face_count())
        .map(|f| skin.triangle_points(f))
        .collect();
    for t in &triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *edges.entry((a.min(b), a.max(b))).or_default() += 1;
        }
    }
    report.border_edges = edges.values().filter(|n| **n == 1).count();
    report.non_manifold_edges = edges.values().filter(|n| **n > 2).count();
    let part = components(skin.points.len(), &triangles);
    let mut own: Vec<u32> = triangles.iter().map(|t| part[t[0] as usize]).collect();
    own.sort_unstable();
    own.dedup();
    report.components = own.len();
    // Euler's formula: points − edges + faces = 2 (components − handles).
    let euler = skin.points.len() as i64 - edges.len() as i64 + triangles.len() as i64;
    report.genus = report.components as i64 - euler / 2;
}

/// The volume of a closed mesh of triangles, in cubic metres.
pub fn volume(mesh: &Mesh) -> f64 {
    let one = |f: usize| {
        let [a, b, c]: [DVec3; 3] = mesh.triangle(f).map(|p| p.as_dvec3());
        a.dot(b.cross(c)) / 6.0
    };
    (0..mesh.face_count()).map(one).sum()
}
