//! The first pass over a mesh too large to analyse at once.
//!
//! Faces are put in order along a space-filling curve (G. Morton 1966) and cut into blocks of equal count.
//! A few blocks are taken apart to see how the error grows; that gives one limit for all, so that smooth
//! places pay and detailed ones keep theirs. Then every block is cut up to that limit, and the blocks
//! are joined. What is left is the source for an ordinary analysis, and how far points that
//! went are from it is measured on the way.

use std::time::Instant;

use ectome_mesh::{Mesh, Progress, Run, measure};
use glam::Vec3;
use rayon::prelude::*;

use crate::{
    block::{Block, CutBlock},
    error::CutError,
    feature::Features,
    frame::Frame,
    options::Options,
    passes::Limits,
};

/// Meshes above this many triangles get a first pass: an analysis takes about 500 bytes a triangle.
pub const LARGE: usize = 8_000_000;

/// The sizes of a first pass.
#[derive(Clone, Copy, Debug)]
pub struct Size {
    /// Triangles of a block.
    pub block: usize,
    /// Triangles to leave, about.
    pub leave: usize,
}

impl Default for Size {
    fn default() -> Self {
        Self {
            block: 1_000_000,
            leave: 5_000_000,
        }
    }
}

/// What a first pass left.
#[derive(Clone, Debug)]
pub struct FirstPass {
    /// A mesh small enough to analyse.
    pub mesh: Mesh,
    /// Blocks that were cut.
    pub blocks: usize,
    /// Mean distance of points that went to what is left, in metres.
    pub mean_m: f64,
    /// The largest of these distances, in metres.
    pub largest_m: f64,
    /// How many points were measured.
    pub measured: usize,
    /// Seconds it took.
    pub seconds: f64,
}

/// Blocks that are taken apart to find the common limit.
const SAMPLES: usize = 5;
/// No block is cut below this share, whatever the limit allows.
const LEAST_SHARE: f64 = 0.02;
/// Blocks that are worked on at once, each with its own analysis in memory.
const AT_ONCE: usize = 4;

/// Cuts an all-triangle mesh block by block to about `size.leave` triangles.
///
/// # Errors
/// [`CutError::NotTriangulated`], [`CutError::Cancelled`].
pub fn first_pass(
    mesh: &Mesh,
    options: &Options,
    size: Size,
    progress: &Progress,
) -> Result<FirstPass, CutError> {
    if !mesh.is_triangulated() {
        return Err(CutError::NotTriangulated);
    }
    let started = Instant::now();
    progress.stage("Cutting block by block");
    progress.at(0.0)?;
    let order = along_a_curve(mesh);
    let blocks: Vec<&[u32]> = order.chunks(size.block.max(1)).collect();
    let shut = shared_points(mesh, &blocks);
    let frame = Frame::of(mesh);
    let block = |faces: &[u32], hard_edges: bool| {
        let mut faces = faces.to_vec();
        faces.sort_unstable();
        Block::of(mesh, &faces, &shut, options, frame, hard_edges)
    };
    let hard_edges = !mesh.normals.is_empty()
        && blocks.first().is_some_and(|faces| {
            let first = block(faces, true);
            Features::of(first.mesh(), &Options::default(), None).hard_edges
        });
    progress.at(0.05)?;
    let share = size.leave as f64 / mesh.face_count().max(1) as f64;
    let step = blocks.len().div_ceil(SAMPLES).max(1);
    let courses: Vec<Vec<(f32, usize)>> = blocks
        .iter()
        .step_by(step)
        .map(|faces| {
            let until = (faces.len() as f64 * LEAST_SHARE) as usize;
            let mut course = vec![(0.0, faces.len())];
            course.extend(block(faces, hard_edges).course(until, &progress.span(0.1, 0.1))?);
            Ok(course)
        })
        .collect::<Result<_, CutError>>()?;
    let limit = common_limit(&courses, share);
    progress.at(0.15)?;

    let at_once = rayon::current_num_threads().clamp(1, AT_ONCE);
    let mut done: Vec<CutBlock> = Vec::with_capacity(blocks.len());
    for group in blocks.chunks(at_once) {
        let cut: Vec<CutBlock> = group
            .par_iter()
            .map(|faces| {
                let limits = Limits {
                    triangles: (faces.len() as f64 * LEAST_SHARE) as usize,
                    cost: limit,
                };
                block(faces, hard_edges).cut(limits, &progress.span(0.15, 0.15))
            })
            .collect::<Result<_, CutError>>()?;
        done.extend(cut);
        progress.at(0.15 + 0.8 * done.len() as f32 / blocks.len() as f32)?;
    }
    let measured: usize = done.iter().map(|b| b.measured).sum();
    let sum: f64 = done.iter().map(|b| b.distance_sum).sum();
    let largest = done.iter().map(|b| b.distance_max).fold(0.0, f32::max);
    let blocks = done.len();
    let joined = join(mesh, &shut, done);
    progress.at(1.0)?;
    Ok(FirstPass {
        mesh: joined,
        blocks,
        mean_m: sum / measured.max(1) as f64,
        largest_m: f64::from(largest),
        measured,
        seconds: started.elapsed().as_secs_f64(),
    })
}

/// The faces along a Morton curve through their middles, 21 bits an axis.
fn along_a_curve(mesh: &Mesh) -> Vec<u32> {
    let bounds = measure::bounds(mesh);
    let low = bounds.min;
    let scale = 2_097_151.0 / (bounds.max - low).max_element().max(f32::MIN_POSITIVE);
    let mut keyed: Vec<(u64, u32)> = (0..mesh.face_count() as u32)
        .into_par_iter()
        .map(|f| {
            let [a, b, c] = mesh.triangle(f as usize);
            (morton(((a + b + c) / 3.0 - low) * scale), f)
        })
        .collect();
    keyed.par_sort_unstable();
    keyed.into_iter().map(|(_, f)| f).collect()
}

/// Interleaves the bits of three whole numbers below 2²¹.
fn morton(place: Vec3) -> u64 {
    let spread = |x: f32| {
        let mut v = x as u64 & 0x1f_ffff;
        v = (v | v << 32) & 0x001f_0000_0000_ffff;
        v = (v | v << 16) & 0x001f_0000_ff00_00ff;
        v = (v | v << 8) & 0x100f_00f0_0f00_f00f;
        v = (v | v << 4) & 0x10c3_0c30_c30c_30c3;
        (v | v << 2) & 0x1249_2492_4924_9249
    };
    spread(place.x) | spread(place.y) << 1 | spread(place.z) << 2
}

/// Points that more than one block uses.
fn shared_points(mesh: &Mesh, blocks: &[&[u32]]) -> Vec<bool> {
    let mut first = vec![u32::MAX; mesh.points.len()];
    let mut shared = vec![false; mesh.points.len()];
    for (b, faces) in blocks.iter().enumerate() {
        for &f in *faces {
            for p in mesh.triangle_points(f as usize) {
                let slot = &mut first[p as usize];
                if *slot == u32::MAX {
                    *slot = b as u32;
                }
                shared[p as usize] |= *slot != b as u32;
            }
        }
    }
    shared
}

/// The lowest cost limit at which the sampled blocks keep at most `share` of their triangles.
fn common_limit(courses: &[Vec<(f32, usize)>], share: f64) -> f32 {
    let start: usize = courses.iter().map(|c| c[0].1).sum();
    let left = |limit: f32| -> usize {
        let of_block = |course: &Vec<(f32, usize)>| {
            let n = course.partition_point(|&(cost, _)| cost <= limit);
            course[n.max(1) - 1].1
        };
        courses.iter().map(of_block).sum()
    };
    let mut limits: Vec<f32> = courses.iter().flatten().map(|&(cost, _)| cost).collect();
    limits.sort_unstable_by(f32::total_cmp);
    let at = limits.partition_point(|&limit| left(limit) as f64 > share * start as f64);
    limits.get(at).copied().unwrap_or(f32::INFINITY)
}

/// Puts blocks together: points they share are one point again, and so are their vertices where all
/// attributes agree.
fn join(whole: &Mesh, shut: &[bool], blocks: Vec<CutBlock>) -> Mesh {
    let mut mesh = Mesh {
        parts: whole.parts.clone(),
        nodes: whole.nodes.clone(),
        uv_sets: vec![Vec::new(); whole.uv_sets.len()],
        ..Mesh::default()
    };
    let mut shared = vec![u32::MAX; whole.points.len()];
    let mut runs: Vec<Vec<u32>> = vec![Vec::new(); whole.runs.len()];
    let mut normals = false;
    for block in blocks {
        let first_vertex = mesh.vertex_point.len() as u32;
        let part = block.mesh;
        let points: Vec<u32> = (part.points.iter().zip(&block.point_whole))
            .map(|(&place, &p)| {
                let slot = &mut shared[p as usize];
                if shut[p as usize] && *slot != u32::MAX {
                    return *slot;
                }
                *slot = mesh.points.len() as u32;
                mesh.points.push(place);
                *slot
            })
            .collect();
        mesh.vertex_point
            .extend(part.vertex_point.iter().map(|&p| points[p as usize]));
        normals |= !part.normals.is_empty();
        mesh.normals.extend(part.normals);
        mesh.colours.extend(part.colours);
        for (set, from) in mesh.uv_sets.iter_mut().zip(part.uv_sets) {
            set.extend(from);
        }
        for run in &part.runs {
            let corners = 3 * run.faces.start as usize..3 * run.faces.end as usize;
            runs[run.part as usize].extend(part.corners[corners].iter().map(|v| v + first_vertex));
        }
    }
    for (run, corners) in whole.runs.iter().zip(runs) {
        let start = (mesh.corners.len() / 3) as u32;
        mesh.corners.extend(corners);
        let stop = (mesh.corners.len() / 3) as u32;
        if stop > start {
            let mut run = Run {
                faces: start..stop,
                ..run.clone()
            };
            run.channels.normals = normals;
            mesh.runs.push(run);
        }
    }
    mesh.share_vertices();
    mesh
}
