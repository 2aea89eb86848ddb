//! All of it together.

use ectome_mesh::{Cancelled, Glimpse, Mesh, Progress, measure};
use ectome_texture::srgb;
use glam::Vec3;
use rayon::prelude::*;
use thiserror::Error;

use crate::{
    Before, Kind, Matching, Settings, Source, again,
    around::Asked,
    code::{Canvas, coded, rounded},
    cover::{Bins, TILE},
    frame::Frame,
    ids,
    look::Looker,
    reach::Reaches,
    spread::{Known, spread},
    state::{Counts, State},
    target::Target,
    tile::{Plan, TURN, Tile},
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

/// A map.
#[derive(Clone, Debug)]
pub struct Map {
    /// What it shows.
    pub kind: Kind,
    /// Rows from the top, channel by channel, as files hold them: colours coded as sRGB, all else linear; 65 535 is 1. With 8 bits
    /// every value is a multiple of 257.
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
    /// How far the source's normals turn inside each texel: the angle by which its samples differ from their mean, 255 for 90
    /// degrees. Always 0 with one sample.
    pub turns: Vec<u8>,
    /// The same for each face of the low mesh: the mean in degrees, and the texels it is of.
    pub face_turns: Vec<(f32, u32)>,
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
    bake_again(source, low, settings, None, progress)
}

/// The same after an earlier bake that differs in the painted reach alone: only tiles in which that changes something are baked.
/// The result is the same, bit for bit, as if everything were.
///
/// # Errors
/// See [`BakeError`].
pub fn bake_again(
    source: &Source<'_>,
    low: &Mesh,
    settings: &Settings,
    before: Option<&Before>,
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
        || Target::of(source.mesh, groups).with_either_side(&settings.either_side),
        || {
            let reaches = Reaches::of(source.mesh, low, &frame, settings);
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
    let touched = |f: usize| {
        let mut balls = settings.painted.iter();
        balls.any(|b| b.may_touch(low.triangle(f)))
    };
    let painted: Vec<bool> = if settings.painted.is_empty() {
        Vec::new()
    } else {
        (0..low.face_count()).into_par_iter().map(touched).collect()
    };
    let transparent = looker.has_transparent();
    let keeps_opacity: Vec<bool> = if transparent && settings.keeps_opacity.contains(&true) {
        let keeps = |r: &u32| settings.keeps_opacity.get(*r as usize) == Some(&true);
        run_of_face.iter().map(keeps).collect()
    } else {
        Vec::new()
    };
    let plan = Plan {
        transparent,
        keeps_opacity: &keeps_opacity,
        settings,
        painted: &painted,
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
        asked: Asked::of(
            settings.rays,
            (
                asks(Kind::Occlusion) || asks(Kind::BentNormal),
                asks(Kind::Thickness),
            ),
            settings.distance.unwrap_or(f32::MAX),
            diagonal * 1e-5,
        ),
        part_colours: &part_colours,
        material_colours: &material_colours,
    };
    progress.stage("Baking");
    let (canvases, states, turns, rays) = tiles(&plan, before, progress)?;
    progress.stage("Filling the ground");
    let covered: Vec<bool> = states.iter().map(|s| *s == State::Baked).collect();
    let missed: Vec<bool> = states.iter().map(|s| s.is_miss()).collect();
    if !covered.contains(&true) && states.iter().all(|s| *s == State::Bare) {
        return Err(BakeError::NothingInside(settings.sheet + 1));
    }
    let maps = settings
        .kinds
        .par_iter()
        .zip(canvases)
        .map(|(&kind, canvas)| {
            let (mut texels, range_m) = canvas.finished(kind, &covered, settings);
            let own = kind.by_itself();
            if let Some(own) = own {
                let c = kind.channels();
                for i in (0..missed.len()).filter(|&i| missed[i]) {
                    for (k, &value) in own[..c].iter().enumerate() {
                        texels[i * c + k] = coded(kind, value, i * c + k, settings.deep);
                    }
                }
            }
            spread(
                &mut texels,
                kind.channels(),
                settings.size as usize,
                Known {
                    covered: &covered,
                    own: own.map(|_| &missed[..]),
                },
                settings.padding,
                !kind.is_id(),
            );
            if !settings.deep {
                rounded(&mut texels);
            }
            Map {
                kind,
                texels,
                range_m,
            }
        })
        .collect();
    let mut counts = Counts::default();
    states.iter().for_each(|&s| counts.add(s));
    let (parts, missed_at, face_turns) = by_part(&plan, &states, &turns);
    progress.at(1.0)?;
    Ok(Baked {
        size: settings.size as usize,
        maps,
        parts,
        missed_at,
        states,
        turns,
        face_turns,
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
            if texels > 0.0 {
                (metres / texels).sqrt()
            } else {
                0.0
            }
        })
        .collect()
}

/// Maps before they are finished, how their texels came out, how far normals turn inside them, and the rays that were sent.
type Made = (Vec<Canvas>, Vec<State>, Vec<u8>, u64);

/// Bakes tiles, some at a time, and lays them together: all of them, or what an earlier bake cannot give.
fn tiles(plan: &Plan<'_>, before: Option<&Before>, progress: &Progress) -> Result<Made, BakeError> {
    let settings = plan.settings;
    let size = settings.size as usize;
    let n = settings.samples as usize;
    let fits = |b: &&Before| {
        let of = |kind: &Kind| {
            if kind.has_range() {
                None
            } else {
                Some(size * size * kind.channels())
            }
        };
        let wanted = settings.kinds.iter().map(of);
        b.states.len() == size * size
            && b.turns.len() == size * size
            && b.maps.len() == settings.kinds.len()
            && wanted
                .zip(&b.maps)
                .all(|(w, m)| w.is_none_or(|w| w == m.len()))
    };
    let before = before.filter(fits);
    let anew: Option<Vec<bool>> =
        before.map(|b| again::tiles(plan.low, plan.bins, n, b, &settings.painted));
    let all = &settings.kinds[..];
    let ranged: Vec<Kind> = all.iter().copied().filter(|k| k.has_range()).collect();
    let mut canvases: Vec<Canvas> = match before {
        Some(b) => (all.iter().zip(&b.maps))
            .map(|(&kind, map)| {
                if kind.has_range() {
                    Canvas::of(kind, size * size)
                } else {
                    Canvas::Coded(map.clone())
                }
            })
            .collect(),
        None => all.iter().map(|&k| Canvas::of(k, size * size)).collect(),
    };
    let mut states = before.map_or_else(|| vec![State::Bare; size * size], |b| b.states.clone());
    let mut turns = before.map_or_else(|| vec![0; size * size], |b| b.turns.clone());
    let kinds_of = |tile: usize| match &anew {
        Some(anew) if !anew[tile] => &ranged[..],
        _ => all,
    };
    let wanted: Vec<usize> = (0..plan.bins.tiles * plan.bins.tiles)
        .filter(|&tile| !kinds_of(tile).is_empty())
        .collect();
    let some = 4 * rayon::current_num_threads().max(1);
    let mut rays = 0;
    for (done, batch) in wanted.chunks(some).enumerate() {
        progress.at(0.14 + 0.8 * (done * some) as f32 / wanted.len() as f32)?;
        let made: Vec<Tile> = batch
            .par_iter()
            .map(|&tile| plan.tile(tile, kinds_of(tile), progress))
            .collect::<Result<_, _>>()?;
        for (&tile, made) in batch.iter().zip(made) {
            let [x0, y0] = [tile % plan.bins.tiles * TILE, tile / plan.bins.tiles * TILE];
            let wide = TILE.min(size - x0);
            let kinds = kinds_of(tile);
            for y in 0..TILE.min(size - y0) {
                let (from, to) = (y * TILE, (y0 + y) * size + x0);
                let row = &made.states[from..from + wide];
                rays += row.iter().filter(|s| **s != State::Bare).count() as u64;
                states[to..to + wide].copy_from_slice(row);
                turns[to..to + wide].copy_from_slice(&made.turns[from..from + wide]);
            }
            for (kind, canvas) in all.iter().zip(&mut canvases) {
                let Some(at) = kinds.iter().position(|k| k == kind) else {
                    continue;
                };
                let (map, c) = (&made.maps[at], kind.channels());
                for y in 0..TILE.min(size - y0) {
                    let (from, to) = (y * TILE, (y0 + y) * size + x0);
                    let row = &map[from * c..(from + wide) * c];
                    match canvas {
                        Canvas::Lengths(whole) => whole[to..to + wide].copy_from_slice(row),
                        Canvas::Coded(whole) => {
                            let into = whole[to * c..(to + wide) * c].iter_mut();
                            for (i, (slot, &v)) in into.zip(row).enumerate() {
                                *slot = coded(*kind, v, to * c + i, settings.deep);
                            }
                        }
                    }
                }
            }
        }
        progress.show(|| glimpse(all, &canvases, &states, size));
    }
    Ok((canvases, states, turns, rays * (n * n) as u64))
}

/// Texels of all pictures of a glimpse together, at most: it is coded as a PNG about once a second beside the work itself.
const GLIMPSE: usize = 1 << 20;
/// Width and height of a picture in a glimpse, at most: the stage is not much wider.
const GLIMPSE_EDGE: usize = 512;
/// What is shown where nothing is baked yet.
const BARE: [u8; 4] = [0x8C, 0x94, 0x92, 255];

/// The maps as far as they are made: of each the same texels, in equal steps along rows and columns.
fn glimpse(kinds: &[Kind], canvases: &[Canvas], states: &[State], size: usize) -> Glimpse {
    let most = GLIMPSE_EDGE.min((GLIMPSE / kinds.len()).isqrt()).max(1);
    let step = size.div_ceil(most);
    let edge = size / step;
    let mut rgba = Vec::with_capacity(4 * edge * edge * kinds.len());
    for (kind, canvas) in kinds.iter().zip(canvases) {
        let c = kind.channels();
        // Lengths get their range when all are known: until then that of what is there.
        let most = match canvas {
            Canvas::Lengths(map) => map.iter().fold(1e-9f32, |a, v| a.max(v.abs())),
            Canvas::Coded(_) => 1.0,
        };
        let least = if *kind == Kind::Height { -most } else { 0.0 };
        for i in 0..edge * edge {
            let at = i / edge * step * size + i % edge * step;
            let shown = |k: usize| match canvas {
                Canvas::Lengths(map) => {
                    let v = (map[at] - least) / (most - least);
                    (v.clamp(0.0, 1.0) * 255.0 + 0.5) as u8
                }
                Canvas::Coded(map) => (map[at * c + k.min(c - 1)] >> 8) as u8,
            };
            rgba.extend(match states[at] {
                State::Baked => [shown(0), shown(1), shown(2), 255],
                _ => BARE,
            });
        }
    }
    Glimpse {
        of: kinds.iter().map(|k| k.word().to_owned()).collect(),
        width: edge as u32,
        height: (edge * kinds.len()) as u32,
        rgba,
    }
}

/// Counts and a missed place of each part, turns and texels of each face.
type ByPart = (Vec<Counts>, Vec<Option<Vec3>>, Vec<(f32, u32)>);

/// How texels came out for each part of the low mesh, by the sample in the middle of each, and a place among the misses of each: of
/// all of them the one nearest to their middle; and how far normals turn inside the texels of each face.
fn by_part(plan: &Plan<'_>, states: &[State], turns: &[u8]) -> ByPart {
    let size = plan.settings.size as usize;
    let mut parts = vec![Counts::default(); plan.low.parts.len()];
    let mut missed: Vec<(usize, Vec3)> = Vec::new();
    let mut turned = vec![(0u64, 0u32); plan.low.face_count()];
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
            if state == State::Baked {
                let own = &mut turned[sample.face as usize];
                *own = (own.0 + u64::from(turns[y * size + x]), own.1 + 1);
            }
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
    let mean = |(sum, n): (u64, u32)| (sum as f32 / n.max(1) as f32 * TURN, n);
    (
        parts,
        nearest.into_iter().map(|n| n.map(|n| n.1)).collect(),
        turned.into_iter().map(mean).collect(),
    )
}
