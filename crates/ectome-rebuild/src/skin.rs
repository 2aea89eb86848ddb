//! From a mesh to its skin.

use std::collections::HashMap;

use ectome_mesh::{
    Cancelled, Channels, Mesh, Part, Progress, Run, edit, measure, nearest::SurfaceIndex,
};
use glam::{DVec3, Vec3};
use rayon::prelude::*;
use thiserror::Error;

use crate::{
    cells::{self, Grid, Sides},
    fit::{self, Ground},
    patches, pieces,
};

/// How a skin is made.
#[derive(Clone, Debug, PartialEq)]
pub struct Settings {
    /// The size of a cell, in metres: nothing smaller is told apart.
    pub cell_m: f32,
    /// The winding number from which on a place counts as inside. Under a half, since openings lower it on the inside more than they raise
    /// it outside: .4 was right most often.
    pub threshold: f32,
    /// The thickness of open sheets, in metres.
    pub sheet_m: f32,
    /// Hollows that nothing outside sees are filled.
    pub fill_hollows: bool,
}

impl Settings {
    /// Cells of a size, and sheets nearly as thick.
    pub fn with_cell(cell_m: f32) -> Self {
        Self {
            cell_m,
            threshold: 0.4,
            sheet_m: 0.9 * cell_m,
            fill_hollows: true,
        }
    }
}

/// Why there is no skin.
#[derive(Debug, Error)]
pub enum RebuildError {
    /// There is nothing that a skin could lie over.
    #[error("the source has no surface to rebuild")]
    Empty,
    /// A mesh with larger faces.
    #[error("the source has faces with more than three corners: triangulate it first")]
    NotTriangulated,
    /// A size that is none.
    #[error("a detail size of {0} m cannot be: choose one above 0")]
    NoSize(f32),
    /// More cells than a machine can hold.
    #[error("the detail size asks for more than {cells} cells. Choose a larger one")]
    TooFine {
        /// Cells when it was given up.
        cells: usize,
    },
    /// Nothing is inside: there is no skin.
    #[error(
        "the source encloses nothing at this detail size. Choose a smaller one, or thicker sheets"
    )]
    NothingInside,
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
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
    /// Pieces that are open sheets, given their thickness.
    pub sheets: usize,
    /// Openings that were closed, largest first.
    pub openings: Vec<Opening>,
    /// Hollows that were filled.
    pub hollows_filled: usize,
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

/// A skin.
#[derive(Clone, Debug)]
pub struct Skin {
    /// The surface, in triangles, in the parts and materials of what lies nearest in the source.
    pub mesh: Mesh,
    /// What was done.
    pub report: Report,
}

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
    // What has no area says nothing about inside and outside, and has no nearest plane.
    let has_area = |f: usize| measure::area_vector(mesh.triangle(f)).length_squared() > 0.0;
    let source = edit::kept(mesh, has_area);
    if source.face_count() == 0 {
        return Err(RebuildError::Empty);
    }
    let bounds = measure::bounds(&source);
    let grid = Grid {
        origin: bounds.min - ROOM * settings.cell_m - settings.sheet_m,
        cell: settings.cell_m,
    };
    progress.stage("Telling inside from outside");
    let pieces = pieces::of(&source, bounds.diagonal());
    progress.at(0.05)?;
    let sides = Sides::of(&pieces, settings.threshold, settings.sheet_m);
    let thickness = if pieces.sheets.is_empty() {
        0.0
    } else {
        settings.sheet_m
    };
    let cells = cells::near(&source, grid, &sides, thickness, &progress.span(0.05, 0.6))?;
    progress.stage("Laying the skin");
    let patches = patches::of(&cells);
    if patches.quads.is_empty() {
        return Err(RebuildError::NothingInside);
    }
    progress.at(0.65)?;
    let index = SurfaceIndex::of(&source);
    let start: Vec<Vec3> = patches
        .crossings
        .par_iter()
        .map(|list| {
            let sum: Vec3 = list
                .iter()
                .map(|&(a, b)| crossing(grid.place(a), grid.place(b), &index, &sides, grid.cell))
                .sum();
            sum / list.len().max(1) as f32
        })
        .collect();
    let ground = Ground {
        mesh: &source,
        index: &index,
        sides: &sides,
        may_be_buried: pieces.count > 1,
        cell: grid.cell,
    };
    let fitted = match pieces.sheets.is_empty() {
        true => fit::to_source(start, &patches.quads, &ground, &progress.span(0.65, 0.9))?,
        // A film around a sheet lies beside it, not on it: it stays where its thickness puts it.
        false => beside_sheets(start, &patches.quads, &ground, &progress.span(0.65, 0.9))?,
    };
    progress.stage("Naming its parts");
    let mut report = Report {
        pieces: pieces.count,
        turned: pieces.turned,
        sheets: pieces.sheet_count,
        cells: cells.list.len(),
        ..Report::default()
    };
    report.openings = openings(&fitted, &patches.quads);
    let triangles = divided(&fitted.places, &patches.quads, &index, grid.cell);
    let triangles = match settings.fill_hollows {
        true => without_hollows(&fitted.places, triangles, &mut report),
        false => triangles,
    };
    let skin = named(&source, &fitted.places, &triangles, &index);
    describe(&skin, &mut report);
    progress.at(1.0)?;
    Ok(Skin { mesh: skin, report })
}

/// Where the surface crosses an edge of the grid: halfway, or where there is no source near, where the winding number says.
fn crossing(inside: Vec3, outside: Vec3, index: &SurfaceIndex, sides: &Sides, cell: f32) -> Vec3 {
    let (mut low, mut high) = (inside, outside);
    let middle = 0.5 * (low + high);
    if index
        .nearest(middle)
        .is_some_and(|p| p.distance < 0.9 * cell)
        && !sides.is_in_sheet(inside)
    {
        return middle;
    }
    for _ in 0..10 {
        let middle = 0.5 * (low + high);
        match sides.is_inside(middle) {
            true => low = middle,
            false => high = middle,
        }
    }
    0.5 * (low + high)
}

/// The same where some of the skin is a film around sheets: those vertices keep their place.
fn beside_sheets(
    start: Vec<Vec3>,
    quads: &[[u32; 4]],
    ground: &Ground<'_>,
    progress: &Progress,
) -> Result<fit::Fitted, RebuildError> {
    let is_film: Vec<bool> = start
        .par_iter()
        .map(|&p| ground.sides.is_film(p, ground.cell))
        .collect();
    let kept = start.clone();
    let mut fitted = fit::to_source(start, quads, ground, progress)?;
    for (v, film) in is_film.into_iter().enumerate() {
        if film {
            fitted.places[v] = kept[v];
            fitted.is_cap[v] = false;
        }
    }
    Ok(fitted)
}

/// The stretches of the skin that lie on no source.
fn openings(fitted: &fit::Fitted, quads: &[[u32; 4]]) -> Vec<Opening> {
    let mut parent: Vec<u32> = (0..fitted.places.len() as u32).collect();
    fn root(parent: &mut [u32], mut v: u32) -> u32 {
        while parent[v as usize] != v {
            parent[v as usize] = parent[parent[v as usize] as usize];
            v = parent[v as usize];
        }
        v
    }
    let is_cap = |q: &[u32; 4]| q.iter().all(|&v| fitted.is_cap[v as usize]);
    for q in quads.iter().filter(|q| is_cap(q)) {
        for k in 1..4 {
            let (a, b) = (root(&mut parent, q[0]), root(&mut parent, q[k]));
            parent[a.max(b) as usize] = a.min(b);
        }
    }
    let mut found: HashMap<u32, (Vec3, Vec3, f64)> = HashMap::new();
    for q in quads.iter().filter(|q| is_cap(q)) {
        let p = q.map(|v| fitted.places[v as usize]);
        let area = 0.5 * ((p[2] - p[0]).cross(p[3] - p[1])).length();
        let own = found.entry(root(&mut parent, q[0])).or_insert((
            Vec3::INFINITY,
            Vec3::NEG_INFINITY,
            0.0,
        ));
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
fn divided(places: &[Vec3], quads: &[[u32; 4]], index: &SurfaceIndex, cell: f32) -> Vec<[u32; 3]> {
    // Below this nothing can be told of a distance in single precision.
    let same = 1e-4 * cell;
    let of = |&[a, b, c, d]: &[u32; 4]| {
        let p = [a, b, c, d].map(|v| places[v as usize]);
        let bend = |i: usize, j: usize, k: usize, l: usize| {
            let n = (p[j] - p[i]).cross(p[k] - p[i]).normalize_or_zero();
            let m = (p[k] - p[i]).cross(p[l] - p[i]).normalize_or_zero();
            n.dot(m)
        };
        let away = |i: usize, k: usize| {
            let near = index.nearest(0.5 * (p[i] + p[k]));
            near.map_or(0.0, |place| place.distance)
        };
        let (first, second) = (away(0, 2), away(1, 3));
        let is_first = match (first - second).abs() > same {
            true => first < second,
            false => bend(0, 1, 2, 3) >= bend(1, 2, 3, 0),
        };
        match is_first {
            true => [[a, b, c], [a, c, d]],
            false => [[b, c, d], [b, d, a]],
        }
    };
    quads.par_iter().flat_map_iter(of).collect()
}

/// Leaves out parts of the skin that face a hollow: their volume is negative.
fn without_hollows(
    places: &[Vec3],
    triangles: Vec<[u32; 3]>,
    report: &mut Report,
) -> Vec<[u32; 3]> {
    let part = components(places.len(), &triangles);
    let mut volumes: HashMap<u32, f64> = HashMap::new();
    for t in &triangles {
        let [a, b, c] = t.map(|v| places[v as usize].as_dvec3());
        *volumes.entry(part[t[0] as usize]).or_default() += a.dot(b.cross(c)) / 6.0;
    }
    report.hollows_filled = volumes.values().filter(|v| **v < 0.0).count();
    let keep = |t: &[u32; 3]| volumes[&part[t[0] as usize]] >= 0.0;
    triangles.into_iter().filter(keep).collect()
}

/// The component of each vertex, by its least vertex.
fn components(vertices: usize, triangles: &[[u32; 3]]) -> Vec<u32> {
    let mut parent: Vec<u32> = (0..vertices as u32).collect();
    fn root(parent: &mut [u32], mut v: u32) -> u32 {
        while parent[v as usize] != v {
            parent[v as usize] = parent[parent[v as usize] as usize];
            v = parent[v as usize];
        }
        v
    }
    for t in triangles {
        for k in 1..3 {
            let (a, b) = (root(&mut parent, t[0]), root(&mut parent, t[k]));
            parent[a.max(b) as usize] = a.min(b);
        }
    }
    (0..vertices as u32).map(|v| root(&mut parent, v)).collect()
}

/// The skin as a mesh in the parts and materials of what lies nearest in the source.
fn named(source: &Mesh, places: &[Vec3], triangles: &[[u32; 3]], index: &SurfaceIndex) -> Mesh {
    let run_of = source.run_of_faces();
    let mut mesh = Mesh {
        points: places.to_vec(),
        vertex_point: (0..places.len() as u32).collect(),
        corners: triangles.iter().flatten().copied().collect(),
        parts: vec![Part::default()],
        runs: vec![Run {
            part: 0,
            material: None,
            faces: 0..triangles.len() as u32,
            channels: Channels::default(),
        }],
        ..Mesh::default()
    };
    mesh.drop_unused();
    let middles: Vec<Vec3> = (0..mesh.face_count())
        .map(|f| mesh.triangle(f).iter().sum::<Vec3>() / 3.0)
        .collect();
    let owners: Vec<(u32, Option<u32>)> = index
        .nearest_each(&middles)
        .into_iter()
        .map(|near| {
            let run = near.map(|p| &source.runs[run_of[p.face as usize] as usize]);
            run.map_or((0, None), |r| (r.part, r.material))
        })
        .collect();
    let mut out = edit::rearranged(&mesh, source.parts.clone(), |f| owners[f]);
    out.nodes.clone_from(&source.nodes);
    out
}

/// Counts what the skin is.
fn describe(skin: &Mesh, report: &mut Report) {
    let mut edges: HashMap<(u32, u32), u32> = HashMap::new();
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
