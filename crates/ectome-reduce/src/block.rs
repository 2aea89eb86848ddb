//! A block: a patch of a mesh too large to analyse at once, cut on its own.
//!
//! Where blocks meet, points are **shut**: they do not move and nothing goes into them. So no edge between
//! two of them is made or lost, every other edge belongs to one block alone, and the blocks fit together
//! again with the topology that each of them kept.

use ectome_mesh::{Cancelled, Mesh, Part, Progress, Run, nearest};
use glam::Vec3;
use rayon::prelude::*;

use crate::{
    analysis::Analysis,
    error::CutError,
    frame::{Frame, Surroundings},
    options::Options,
    passes::Limits,
    replay::{Cut, Replay},
};

/// A patch of a larger mesh.
pub struct Block {
    /// The patch. Each run has the number of its run in the whole mesh as its part.
    mesh: Mesh,
    /// The number in the whole mesh of each point.
    point_whole: Vec<u32>,
    options: Options,
    surroundings: Surroundings,
}

/// A block after its cut.
pub struct CutBlock {
    /// What is left; runs are numbered as in [`Block`].
    pub mesh: Mesh,
    /// The number in the whole mesh of the point that each point was.
    pub point_whole: Vec<u32>,
    /// Sum of the distances of the measured points that went to what is left, in metres.
    pub distance_sum: f64,
    /// The largest of them.
    pub distance_max: f32,
    /// How many points were measured.
    pub measured: usize,
}

/// Every so-manieth point that went is measured.
const MEASURE_EVERY: usize = 8;

impl Block {
    /// Takes `faces` (ascending) out of an all-triangle mesh; `shut` has one entry per point of `whole`.
    pub fn of(
        whole: &Mesh,
        faces: &[u32],
        shut: &[bool],
        options: &Options,
        frame: Frame,
        hard_edges: bool,
    ) -> Self {
        let mut mesh = Mesh {
            parts: (whole.runs.iter())
                .map(|run| Part {
                    smallest: whole.parts[run.part as usize].smallest,
                    ..Part::default()
                })
                .collect(),
            corners: Vec::with_capacity(3 * faces.len()),
            uv_sets: vec![Vec::new(); whole.uv_sets.len()],
            ..Mesh::default()
        };
        let mut point_whole = Vec::new();
        let mut new_point = vec![u32::MAX; whole.points.len()];
        let mut new_vertex = vec![u32::MAX; whole.vertex_count()];
        let mut left = faces;
        for (r, run) in whole.runs.iter().enumerate() {
            let n = left.partition_point(|&f| f < run.faces.end);
            let start = (mesh.corners.len() / 3) as u32;
            for &f in &left[..n] {
                for &v in whole.face(f as usize) {
                    let slot = &mut new_vertex[v as usize];
                    if *slot == u32::MAX {
                        *slot = mesh.vertex_point.len() as u32;
                        let p = whole.vertex_point[v as usize];
                        let point = &mut new_point[p as usize];
                        if *point == u32::MAX {
                            *point = mesh.points.len() as u32;
                            mesh.points.push(whole.points[p as usize]);
                            point_whole.push(p);
                        }
                        mesh.vertex_point.push(*point);
                        if hard_edges {
                            mesh.normals.push(whole.normals[v as usize]);
                        }
                        for (set, from) in mesh.uv_sets.iter_mut().zip(&whole.uv_sets) {
                            set.push(from[v as usize]);
                        }
                        if !whole.colours.is_empty() {
                            mesh.colours.push(whole.colours[v as usize]);
                        }
                    }
                    mesh.corners.push(*slot);
                }
            }
            left = &left[n..];
            let stop = (mesh.corners.len() / 3) as u32;
            if stop > start {
                mesh.runs.push(Run {
                    part: r as u32,
                    faces: start..stop,
                    ..run.clone()
                });
            }
        }
        let at = |list: &[f32]| point_whole.iter().map(|&p| list[p as usize]).collect();
        let protect = match &options.protect[..] {
            [] => Vec::new(),
            list => at(list),
        };
        Self {
            options: Options {
                protect,
                ..options.clone()
            },
            surroundings: Surroundings {
                frame,
                shut: point_whole.iter().map(|&p| shut[p as usize]).collect(),
                hard_edges,
            },
            mesh,
            point_whole,
        }
    }

    /// The patch.
    pub fn mesh(&self) -> &Mesh {
        &self.mesh
    }

    /// How the costs grow as the patch shrinks: the highest cost so far and the triangles left, pass by
    /// pass, down to `until` triangles.
    pub fn course(
        &self,
        until: usize,
        progress: &Progress,
    ) -> Result<Vec<(f32, usize)>, Cancelled> {
        let limits = Limits {
            triangles: until,
            cost: f32::INFINITY,
        };
        self.analysis(progress)?.passes(limits, progress)
    }

    fn analysis(&self, progress: &Progress) -> Result<Analysis, Cancelled> {
        Analysis::of(
            &self.mesh,
            &self.options,
            Some(&self.surroundings),
            progress,
        )
    }

    /// Cuts the patch within `limits` and measures what that moved.
    pub fn cut(self, limits: Limits, progress: &Progress) -> Result<CutBlock, CutError> {
        let mut analysis = self.analysis(progress)?;
        analysis.passes(limits, progress)?;
        let log = analysis.finish();
        let replay = Replay::new(&self.mesh, &log).map_err(|_| CutError::NotTriangulated)?;
        let cut = replay.at(&self.mesh, &log, replay.least())?;
        let distances = self.distances(&cut);
        let mut mesh = cut.mesh;
        if !self.surroundings.hard_edges {
            mesh.normals.clear();
            for run in &mut mesh.runs {
                run.channels.normals = false;
            }
        }
        Ok(CutBlock {
            mesh,
            point_whole: cut
                .point_source
                .iter()
                .map(|&p| self.point_whole[p as usize])
                .collect(),
            distance_sum: distances.iter().copied().map(f64::from).sum(),
            distance_max: distances.iter().copied().fold(0.0, f32::max),
            measured: distances.len(),
        })
    }

    /// Distances of points that went to what is left.
    fn distances(&self, cut: &Cut) -> Vec<f32> {
        let mut stands = vec![false; self.mesh.points.len()];
        cut.point_source
            .iter()
            .for_each(|&p| stands[p as usize] = true);
        let gone: Vec<Vec3> = (self.mesh.points.iter().zip(&stands))
            .filter(|(_, stands)| !**stands)
            .map(|(&p, _)| p)
            .step_by(MEASURE_EVERY)
            .collect();
        let surface = nearest::SurfaceIndex::of(&cut.mesh);
        gone.par_iter()
            .filter_map(|&p| surface.nearest(p).map(|place| place.distance))
            .collect()
    }
}
