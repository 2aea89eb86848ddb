//! All of it together.

use ectome_mesh::{Cancelled, Glimpse, Mesh, Progress, measure};
use ectome_texture::srgb;
use glam::Vec3;
use rayon::prelude::*;
use thiserror::Error;

use crate::{
    Kind, Matching, Settings, Source,
    around::Asked,
    cover::{Bins, TILE},
    frame::Frame,
    ids,
    look::Looker,
    reach::Reaches,
    spread::spread,
    target::Target,
    tile::{Plan, Tile},
};

/// Why nothing could be baked.
#[derive(Debug, Error)]
pub enum BakeError {
    /// A mesh has larger faces.
    #[error("the {0} has faces with more than three corners: triangulate it first")]
    NotTriangulated(&'static str),
    /// The low mesh has no UVs.
    #[error("the low mesh has no UVs: unwrap it first")]
    NoUvs,
    /// Nothing lies inside the sheet.
    #[error("no UV island lies inside the square of sheet {0}: pack the islands first")]
    NothingInside(u32),
    /// A surface is empty.
    #[error("the {0} has no surface")]
    Empty(&'static str),
    /// A setting means nothing.
    #[error("{0}")]
    Setting(&'static str),
    /// The work was stopped.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
}

/// How a texel came out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
#[repr(u8)]
pub enum State {
    /// No island covers it.
    #[default]
    Bare,
    /// Its rays met nothing.
    Nothing,
    /// Its rays met faces from behind only.
    Behind,
    /// It shows the source.
    Baked,
}

impl State {
    /// What tells more.
    pub(crate) fn or(self, other: Self) -> Self {
        self.max(other)
    }
}

/// How texels came out, altogether or for one part.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Counts {
    /// Texels that islands cover.
    pub covered: usize,
    /// Of these, whose rays met nothing.
    pub nothing: usize,
    /// Of these, whose rays met faces from behind only.
    pub behind: usize,
}

impl Counts {
    /// Texels that show nothing.
    pub fn misses(&self) -> usize {
        self.nothing + self.behind
    }

    fn add(&mut self, state: State) {
        self.covered += usize::from(state != State::Bare);
        self.nothing += usize::from(state == State::Nothing);
        self.behind += usize::from(state == State::Behind);
    }
}

/// A map.
#[derive(Clone, Debug)]
pub struct Map {
    /// What it shows.
    pub kind: Kind,
    /// Rows from the top, channel by channel, linear, 0 to 65 535.
    pub texels: Vec<u16>,
    /// What its values mean, where they stand for lengths: the metres that 65 535 stands for, and 0.
    pub range_m: Option<[f32; 2]>,
}

/// What was baked.
#[derive(Clone, Debug)]
pub struct Baked {
    /// Width and height of the maps in texels.
    pub size: usize,
    /// The maps, in the order they were asked for.
    pub maps: Vec<Map>,
    /// How each texel came out.
    pub states: Vec<State>,
    /// How many came out how.
    pub counts: Counts,
    /// The same for each part of the low mesh.
    pub parts: Vec<Counts>,
    /// For each part of the low mesh a place among its misses, in metres.
    pub missed_at: Vec<Option<Vec3>>,
    /// Rays towards the source.
    pub rays: u64,
    /// The least and the largest reach outward, in metres.
    pub reach_m: [f32; 2],
    /// Where rays begin over each corner of the low mesh, three to a face, in metres: the shell of the reach.
    pub shell: Vec<Vec3>,
    /// The radius that curvature shows in full, in metres.
    pub curvature_radius_m: f32,
    /// Colours of the source's parts and of its materials, sRGB.
    pub id_colours: [Vec<[u8; 3]>; 2],
}

/// Bakes maps of `low` from a source. Both must be triangles.
///
/// # Errors
/// See [`BakeError`].
pub fn bake(
    source: &Source<'_>,
    low: &Mesh,
    settings: &Settings,
    progress: &Progress,
) -> Result<Baked, BakeError> {
    check(source, low, settings)?;
    progress.stage("Indexing the source");
    progress.at(0.0)?;
    let groups = match &settings.matching {
        Matching::All => &[][..],
        Matching::Groups { source, .. } => source,
    };
    let asks = |kind| settings.kinds.contains(&kind);
    let frame = Frame::of(low, settings.directions);
    // Each is built by one thread: side by side.
    let (target, (reaches, looker)) = rayon::join(
        || Target::of(source.mesh, groups),
        || {
            let reaches = Reaches::of(source.mesh, low, &frame, settings.reach);
            (reaches, Looker::of(source, asks(Kind::Curvature)))
        },
    );
    progress.at(0.14)?;
    let bins = Bins::of(low, settings.size, settings.sheet);
    let diagonal = measure::bounds(source.mesh).diagonal();
    let own = measure::bounds(low);
    let id_colours = [
        asks(Kind::PartId).then_some(source.mesh.parts.len()),
        asks(Kind::MaterialId).then_some(materials(source.mesh)),
    ]
    .map(|n| ids::colours(n.unwrap_or(0)));
    let linear = |list: &[[u8; 3]]| -> Vec<Vec3> {
        let one = |c: &[u8; 3]| Vec3::from(c.map(|v| srgb::to_linear(f32::from(v) / 255.0)));
        list.iter().map(one).collect()
    };
    let curvature_radius = settings.curvature_radius.unwrap_or(diagonal / 100.0);
    let run_of_face = low.run_of_faces();
    let part_of_face: Vec<u32> = run_of_face
        .iter()
        .map(|&r| low.runs[r as usize].part)
        .collect();
    let (part_colours, material_colours) = (linear(&id_colours[0]), linear(&id_colours[1]));
    let metres = texel_sizes(low, settings.size);
    let plan = Plan {
        settings,
        low,
        frame: &frame,
        reaches: &reaches,
        bins: &bins,
        target: &target,
        looker: &looker,
        part_of_face: &part_of_face,
        metres: &metres,
        bounds: (own.min, (own.max - own.min).max(Vec3::splat(1e-9))),
        curvature_radius,
        asked: Asked {
            rays: settings.rays.max(1),
            distance: settings.distance.unwrap_or(f32::MAX),
            lift: diagonal * 1e-5,
            sky: asks(Kind::Occlusion) || asks(Kind::BentNormal),
            thickness: asks(Kind::Thickness),
        },
        part_colours: &part_colours,
        material_colours: &material_colours,
    };
    progress.stage("Baking");
    let (raw, states, rays) = tiles(&plan, progress)?;
    progress.stage("Filling the ground");
    let covered: Vec<bool> = states.iter().map(|s| *s == State::Baked).collect();
    if !covered.contains(&true) && states.iter().all(|s| *s == State::Bare) {
        return Err(BakeError::NothingInside(settings.sheet + 1));
    }
    let maps = settings
        .kinds
        .par_iter()
        .zip(raw)
        .map(|(&kind, raw)| {
            let (mut texels, range_m) = coded(kind, &raw, &covered, settings);
            spread(
                &mut texels,
                kind.channels(),
                settings.size as usize,
                &covered,
                settings.padding,
                !kind.is_id(),
            );
            Map {
                kind,
                texels,
                range_m,
            }
        })
        .collect();
    let mut counts = Counts::default();
    states.iter().for_each(|&s| counts.add(s));
    let (parts, missed_at) = by_part(&plan, &states);
    progress.at(1.0)?;
    Ok(Baked {
        size: settings.size as usize,
        maps,
        parts,
        missed_at,
        states,
        counts,
        rays,
        reach_m: [
            reaches
                .outward
                .iter()
                .copied()
                .fold(f32::INFINITY, f32::min),
            reaches.outward.iter().copied().fold(0.0, f32::max),
        ],
        shell: (low.corners.iter().enumerate())
            .map(|(corner, &v)| low.position(v) + frame.averaged[corner] * reaches.outward[corner])
            .collect(),
        curvature_radius_m: curvature_radius,
        id_colours,
    })
}

fn check(source: &Source<'_>, low: &Mesh, settings: &Settings) -> Result<(), BakeError> {
    for (mesh, name) in [(source.mesh, "source"), (low, "low mesh")] {
        if !mesh.is_triangulated() {
            return Err(BakeError::NotTriangulated(name));
        }
        if mesh.face_count() == 0 {
            return Err(BakeError::Empty(name));
        }
    }
    if low.uv_sets.is_empty() || !low.runs.iter().any(|r| r.channels.uv_sets > 0) {
        return Err(BakeError::NoUvs);
    }
    if !(8..=16_384).contains(&settings.size) {
        return Err(BakeError::Setting(
            "a map has 8 to 16384 texels along its edge",
        ));
    }
    if !(1..=4).contains(&settings.samples) {
        return Err(BakeError::Setting(
            "a texel has 1 to 4 samples along its edge",
        ));
    }
    if !(1..=4096).contains(&settings.rays) {
        return Err(BakeError::Setting("1 to 4096 rays are sent from a place"));
    }
    Ok(())
}

fn materials(mesh: &Mesh) -> usize {
    let used = mesh.runs.iter().filter_map(|r| r.material);
    used.max().map_or(0, |m| m as usize + 1)
}

/// Metres that the edge of a texel covers on each face.
fn texel_sizes(low: &Mesh, size: u32) -> Vec<f32> {
    let edge = size as f32;
    let uvs = &low.uv_sets[0];
    (0..low.face_count())
        .map(|f| {
            let uv = [0, 1, 2].map(|k| uvs[low.face(f)[k] as usize] * edge);
            let texels = (uv[1] - uv[0]).perp_dot(uv[2] - uv[0]).abs();
            let [a, b, c] = low.triangle(f);
            let metres = (b - a).cross(c - a).length();
            match texels > 0.0 {
                true => (metres / texels).sqrt(),
                false => 0.0,
            }
        })
        .collect()
}

type Raw = Vec<Vec<f32>>;

/// Bakes all tiles, some at a time, and lays them together.
fn tiles(plan: &Plan<'_>, progress: &Progress) -> Result<(Raw, Vec<State>, u64), BakeError> {
    let size = plan.settings.size as usize;
    let kinds = &plan.settings.kinds;
    let mut raw: Raw = kinds
        .iter()
        .map(|k| vec![0.0; size * size * k.channels()])
        .collect();
    let mut states = vec![State::Bare; size * size];
    let all: Vec<usize> = (0..plan.bins.tiles * plan.bins.tiles).collect();
    let some = 4 * rayon::current_num_threads().max(1);
    for (done, batch) in all.chunks(some).enumerate() {
        progress.at(0.14 + 0.8 * (done * some) as f32 / all.len() as f32)?;
        let made: Vec<Tile> = batch
            .par_iter()
            .map(|&tile| plan.tile(tile, progress))
            .collect::<Result<_, _>>()?;
        for (&tile, made) in batch.iter().zip(made) {
            let [x0, y0] = [tile % plan.bins.tiles * TILE, tile / plan.bins.tiles * TILE];
            let wide = TILE.min(size - x0);
            for y in 0..TILE.min(size - y0) {
                let (from, to) = (y * TILE, (y0 + y) * size + x0);
                states[to..to + wide].copy_from_slice(&made.states[from..from + wide]);
                for ((kind, map), whole) in kinds.iter().zip(&made.maps).zip(&mut raw) {
                    let c = kind.channels();
                    whole[to * c..(to + wide) * c]
                        .copy_from_slice(&map[from * c..(from + wide) * c]);
                }
            }
        }
        progress.show(|| glimpse(kinds, &raw, &states, size));
    }
    let n = u64::from(plan.settings.samples * plan.settings.samples);
    let covered = states.iter().filter(|s| **s != State::Bare).count() as u64;
    Ok((raw, states, covered * n))
}

/// Width and height of a glimpse, at most.
const GLIMPSE: usize = 512;
/// What is shown where nothing is baked yet.
const BARE: [u8; 4] = [0x8C, 0x94, 0x92, 255];

/// The first map as far as it is made: every so-manieth texel.
fn glimpse(kinds: &[Kind], raw: &Raw, states: &[State], size: usize) -> Glimpse {
    let step = size.div_ceil(GLIMPSE);
    let edge = size / step;
    let (kind, map) = (kinds[0], &raw[0]);
    let c = kind.channels();
    let most = match kind {
        Kind::Height | Kind::Thickness => map.iter().fold(1e-9f32, |a, v| a.max(v.abs())),
        _ => 1.0,
    };
    let low = if kind == Kind::Height { -most } else { 0.0 };
    let texel = |i: usize| -> [u8; 4] {
        let at = i / edge * step * size + i % edge * step;
        if states[at] != State::Baked {
            return BARE;
        }
        let shown = |k: usize| {
            let v = (map[at * c + k.min(c - 1)] - low) / (most - low);
            let v = if kind.is_srgb() { srgb::to_coded(v) } else { v };
            (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8
        };
        [shown(0), shown(1), shown(2), 255]
    };
    Glimpse {
        width: edge as u32,
        height: edge as u32,
        rgba: (0..edge * edge).flat_map(texel).collect(),
    }
}

/// A map in 16 bits, and what its ends stand for.
fn coded(
    kind: Kind,
    raw: &[f32],
    covered: &[bool],
    settings: &Settings,
) -> (Vec<u16>, Option<[f32; 2]>) {
    const FULL: f32 = 65_535.0;
    let largest = || {
        let found = raw.iter().zip(covered).filter(|(_, c)| **c);
        found.map(|(v, _)| v.abs()).fold(0.0, f32::max)
    };
    let range = match kind {
        Kind::Height => {
            let most = settings.height.unwrap_or_else(largest).max(1e-9);
            Some([-most, most])
        }
        Kind::Thickness => Some([0.0, largest().max(1e-9)]),
        _ => None,
    };
    let [from, to] = range.unwrap_or([0.0, 1.0]);
    let code = |v: &f32| (((v - from) / (to - from)).clamp(0.0, 1.0) * FULL + 0.5) as u16;
    (raw.iter().map(code).collect(), range)
}

/// How texels came out for each part of the low mesh, by the sample in the middle of each, and a place among the misses of each: of
/// all of them the one nearest to their middle.
fn by_part(plan: &Plan<'_>, states: &[State]) -> (Vec<Counts>, Vec<Option<Vec3>>) {
    let size = plan.settings.size as usize;
    let mut parts = vec![Counts::default(); plan.low.parts.len()];
    let mut missed: Vec<(usize, Vec3)> = Vec::new();
    let tiles = plan.bins.tiles;
    for tile in 0..tiles * tiles {
        let [x0, y0] = [tile % tiles * TILE, tile / tiles * TILE];
        for (texel, sample) in plan.bins.samples(tile, 1).into_iter().enumerate() {
            let Some(sample) = sample else { continue };
            let (x, y) = (x0 + texel % TILE, y0 + texel / TILE);
            if x >= size || y >= size {
                continue;
            }
            let part = plan.part_of_face[sample.face as usize] as usize;
            let state = states[y * size + x];
            parts[part].add(state);
            if matches!(state, State::Nothing | State::Behind) {
                let [a, b, c] = plan.low.triangle(sample.face as usize);
                let w = sample.weights;
                missed.push((part, a * w.x + b * w.y + c * w.z));
            }
        }
    }
    let mut sums = vec![(Vec3::ZERO, 0.0f32); parts.len()];
    for &(part, at) in &missed {
        sums[part].0 += at;
        sums[part].1 += 1.0;
    }
    let mut nearest = vec![None::<(f32, Vec3)>; parts.len()];
    for (part, at) in missed {
        let far = at.distance_squared(sums[part].0 / sums[part].1);
        if nearest[part].is_none_or(|(d, _)| far < d) {
            nearest[part] = Some((far, at));
        }
    }
    (parts, nearest.into_iter().map(|n| n.map(|n| n.1)).collect())
}
