//! New UVs for a surface, or for some islands of it.

use ectome_mesh::{Cancelled, Mesh, Progress};
use glam::Vec3;
use serde::{Deserialize, Serialize};

use crate::{
    flatten::Bound,
    grow::{self, Region, Rules},
    layout::Layout,
    seam_cost::{self, CREASE},
    surface::Surface,
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
    /// The most that an island may be stretched.
    pub fn bound(self) -> Bound {
        match self {
            Self::Soft => Bound {
                l2: 1.03,
                largest: 3.0,
            },
            Self::Mechanical => Bound {
                l2: 1.01,
                largest: 2.0,
            },
        }
    }
}

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
    pub surface: Surface,
    /// What a seam costs along each edge, per metre.
    pub costs: Vec<f64>,
}

impl Ground {
    /// Examines an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let surface = Surface::of(mesh);
        let open = seam_cost::openness(mesh, &surface);
        let costs = seam_cost::costs(&surface, &open);
        Self { surface, costs }
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
    let mut seams: Vec<bool> = match options.manner {
        Manner::Soft => vec![false; surface.edges.len()],
        Manner::Mechanical => surface.edges.iter().map(|e| e.turn.abs() > CREASE).collect(),
    };
    let mut costs = ground.costs.clone();
    for &e in &options.closed {
        seams[e as usize] = false;
        costs[e as usize] *= 1e3;
    }
    for &e in &options.seams {
        seams[e as usize] = true;
    }
    let rules = Rules {
        bound: options.manner.bound(),
        seams: &seams,
        costs: &costs,
    };
    grow::charts(surface, faces, &rules, progress)
}

/// A layout of a whole mesh, every island where it came, in metres.
///
/// # Errors
/// [`Cancelled`] when the work is stopped.
pub fn whole(
    mesh: &Mesh,
    options: &Options,
    progress: &Progress,
) -> Result<Layout, Cancelled> {
    let ground = Ground::of(mesh);
    let faces = (0..mesh.face_count() as u32).collect();
    let mut layout = Layout::empty(mesh.face_count());
    layout.add(&unwrap(&ground, faces, options, progress)?);
    Ok(layout)
}
