//! New UVs for a surface, or for some islands of it.

use ectome_mesh::{Cancelled, Mesh, Progress};
use glam::Vec3;
use serde::{Deserialize, Serialize};

use crate::{
    face_graph::FaceGraph,
    flatten::Bound,
    grow,
    layout::Layout,
    region::{Region, Rules},
    seam_cost,
};

/// How charts are divided.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Manner {
    /// Few islands with seams where they are seen least: for rounded and sculpted shapes.
    #[default]
    Soft,
    /// Islands end at hard edges: for machined shapes.
    Mechanical,
}

impl Manner {
    /// The most that islands may be stretched, and the shape they may have when all of them have `area` square metres.
    pub fn bound(self, area: f64) -> Bound {
        Bound {
            longest: LONGEST * area.sqrt(),
            chief: 0.5 * area,
            fill: FILL,
            ..match self {
                Self::Soft => Bound::stretch(1.02, 3.0),
                Self::Mechanical => Bound::stretch(1.004, 1.22),
            }
        }
    }
}

/// Islands are at most this long against the root of the area of all: three quarters of a sheet that is two thirds
/// full. Longer ones alone would decide how large all of them are.
const LONGEST: f64 = 0.92;

/// Islands fill at least this share of the least box around them, so that they pack well.
const FILL: f64 = 0.4;

/// A wish about a seam: between the points nearest to two places, along the way where it is seen least.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mark {
    /// Where it begins, in metres.
    pub from: [f32; 3],
    /// Where it ends.
    pub to: [f32; 3],
    /// There shall be a seam; otherwise there shall be none.
    pub seam: bool,
}

/// How to unwrap.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Options {
    /// The manner.
    pub manner: Manner,
    /// Edges that must be seams, by edge of the surface; empty for none.
    pub seams: Vec<u32>,
    /// Edges that should be none.
    pub closed: Vec<u32>,
}

/// What a surface knows before it is unwrapped: where seams cost what.
pub struct Ground {
    /// The surface.
    pub surface: FaceGraph,
    /// What a seam costs along each edge, per metre.
    pub costs: Vec<f64>,
    /// Edges that are drawn hard: their faces have different normals there, or meet at more than [`HARD`] where a mesh
    /// has none.
    pub hard: Vec<bool>,
}

/// Angle from which an edge counts as hard where normals do not say, in radians (40°).
const HARD: f64 = 40.0 * std::f64::consts::PI / 180.0;

/// Normals that differ by more than this are different, in radians (10°).
const SPLIT: f32 = 10.0 * std::f32::consts::PI / 180.0;

/// Islands of less than this share of the surface are joined with others across hard edges.
const SMALL: f64 = 1.0 / 3000.0;

fn hard(mesh: &Mesh, surface: &FaceGraph) -> Vec<bool> {
    let normal_at = |face: u32, point: u32| -> Option<Vec3> {
        let k = surface.faces[face as usize]
            .iter()
            .position(|&p| p == point)?;
        let n = *mesh
            .normals
            .get(mesh.corners[3 * face as usize + k] as usize)?;
        (n != Vec3::ZERO).then_some(n)
    };
    let split = |e: &crate::face_graph::Edge| -> Option<bool> {
        let [f, g] = e.faces;
        let mut widest = f32::INFINITY;
        for p in e.points {
            let (a, b) = (normal_at(f, p)?, normal_at(g, p)?);
            widest = widest.min(a.angle_between(b));
        }
        Some(widest > SPLIT)
    };
    let hard = |e: &crate::face_graph::Edge| !e.fixed && split(e).unwrap_or(e.turn.abs() > HARD);
    surface.edges.iter().map(hard).collect()
}

impl Ground {
    /// Examines an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let surface = FaceGraph::of(mesh);
        let open = seam_cost::openness(mesh, &surface);
        let costs = seam_cost::costs(&surface, &open);
        let hard = hard(mesh, &surface);
        Self {
            surface,
            costs,
            hard,
        }
    }

    /// The point nearest to a place.
    pub fn point_at(&self, place: Vec3) -> Option<u32> {
        let place = place.as_dvec3();
        let used = self.surface.faces.iter().flatten().copied();
        used.min_by(|&a, &b| {
            let d = |p: u32| self.surface.points[p as usize].distance_squared(place);
            d(a).total_cmp(&d(b)).then(a.cmp(&b))
        })
    }

    /// The edges of a mark; empty when its ends do not hang together.
    pub fn path(&self, mark: &Mark) -> Vec<u32> {
        let ends = [mark.from, mark.to].map(|p| self.point_at(Vec3::from_array(p)));
        match ends {
            [Some(a), Some(b)] => crate::seam_path::shortest(&self.surface, &self.costs, a, b),
            _ => Vec::new(),
        }
    }
}

/// Charts for `faces`, each laid flat, in metres.
///
/// # Errors
/// [`Cancelled`] when the work is stopped.
pub fn unwrap(
    ground: &Ground,
    faces: Vec<u32>,
    options: &Options,
    progress: &Progress,
) -> Result<Vec<Region>, Cancelled> {
    let surface = &ground.surface;
    let mut seams = vec![false; surface.edges.len()];
    let mut hard = match options.manner {
        Manner::Soft => seams.clone(),
        Manner::Mechanical => ground.hard.clone(),
    };
    let mut costs = ground.costs.clone();
    for &e in &options.closed {
        hard[e as usize] = false;
        costs[e as usize] *= 1e3;
    }
    for &e in &options.seams {
        seams[e as usize] = true;
    }
    let area: f64 = faces.iter().map(|&f| surface.area[f as usize]).sum();
    let rules = Rules {
        bound: options.manner.bound(area),
        seams: &seams,
        hard: &hard,
        small: SMALL * area,
        costs: &costs,
        progress,
    };
    grow::charts(surface, faces, &rules)
}

/// A layout of a whole mesh, every island where it came, in metres.
///
/// # Errors
/// [`Cancelled`] when the work is stopped.
pub fn whole(mesh: &Mesh, options: &Options, progress: &Progress) -> Result<Layout, Cancelled> {
    let ground = Ground::of(mesh);
    let faces = (0..mesh.face_count() as u32).collect();
    let mut layout = Layout::empty(mesh.face_count());
    layout.add(&unwrap(&ground, faces, options, progress)?);
    Ok(layout)
}
