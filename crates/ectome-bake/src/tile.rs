//! A square of texels: first the rays of all its samples, then every map from what they met.
//!
//! Samples are worked through in small squares (G. M. Morton, *A Computer Oriented Geodetic Data Base*, 1966), so that rays that
//! follow one another run through the same part of the hierarchy. What needs many rays is asked of every eighth texel first;
//! between places that agree it is interpolated, elsewhere asked again, ever finer (after G. J. Ward, F. M. Rubinstein,
//! R. D. Clear, *A Ray Tracing Solution for Diffuse Interreflection*, 1988).

use ectome_mesh::{Cancelled, Mesh, Progress};
use glam::{Mat3, Vec3};

use crate::{
    Kind, Settings,
    around::{Around, Asked},
    cover::{Bins, Sample, TILE},
    frame::{Frame, Place},
    look::{Looker, Seen},
    reach::Reaches,
    state::State,
    target::{Found, Target, Through},
};

/// Everything that tiles share.
pub struct Plan<'a> {
    pub settings: &'a Settings,
    pub low: &'a Mesh,
    pub frame: &'a Frame,
    pub reaches: &'a Reaches,
    /// Faces of the low mesh that balls of painted reach may touch; empty where there are none.
    pub painted: &'a [bool],
    pub bins: &'a Bins,
    pub target: &'a Target,
    pub looker: &'a Looker<'a>,
    /// Some of the source is transparent.
    pub transparent: bool,
    /// Whether each face of the low mesh has an opacity of its own; empty where none has.
    pub keeps_opacity: &'a [bool],
    /// The part of each face of the low mesh.
    pub part_of_face: &'a [u32],
    /// Metres that the edge of a texel covers on each face of the low mesh.
    pub metres: &'a [f32],
    /// Where positions are 0, and what they are divided by.
    pub bounds: (Vec3, Vec3),
    pub curvature_radius: f32,
    pub asked: Asked,
    /// Colours of parts and of materials, linear.
    pub part_colours: &'a [Vec3],
    pub material_colours: &'a [Vec3],
}

/// What a tile came to.
pub struct Tile {
    /// For each map its channels, texel by texel: 0 to 1, or metres for heights and thicknesses.
    pub maps: Vec<Vec<f32>>,
    pub states: Vec<State>,
    /// How far normals turn inside each texel, in [`TURN`]s.
    pub turns: Vec<u8>,
}

/// Degrees of a step in which turns inside texels are kept.
pub const TURN: f32 = 90.0 / 255.0;

/// A texel's place for what needs many rays.
#[derive(Clone, Copy)]
struct Spot {
    seen: Seen,
    place: Place,
    metres: f32,
}

/// Texels along the edge of the squares that samples are worked through in.
const BLOCK: usize = 16;
/// Places that differ by less than this in openness are taken to agree. Between them openness is taken to change evenly, so what is
/// wrong by at most half of it is a step; less than this and the noise of 64 rays alone would have most places asked again.
const AGREE: f32 = 0.12;
/// And their normals by less than this cosine.
const AGREE_COSINE: f32 = 0.95;
/// Steps in which texels are asked: every eighth first.
const STEPS: [usize; 4] = [8, 4, 2, 1];

impl Plan<'_> {
    /// Bakes one tile of some maps.
    pub fn tile(
        &self,
        tile: usize,
        kinds: &[Kind],
        progress: &Progress,
    ) -> Result<Tile, Cancelled> {
        let n = self.settings.samples as usize;
        let samples = self.bins.samples(tile, n);
        let mut maps: Vec<Vec<f32>> = kinds
            .iter()
            .map(|k| vec![0.0; TILE * TILE * k.channels()])
            .collect();
        let mut states = vec![State::Bare; TILE * TILE];
        let mut turns = vec![0; TILE * TILE];
        if samples.iter().all(Option::is_none) {
            return Ok(Tile {
                maps,
                states,
                turns,
            });
        }
        let many = kinds.iter().any(|k| k.needs_many_rays());
        let mut spots: Vec<Option<Spot>> = vec![None; if many { TILE * TILE } else { 0 }];
        let mut last = None;
        for block in 0..(TILE / BLOCK) * (TILE / BLOCK) {
            progress.go_on()?;
            let from = [
                block % (TILE / BLOCK) * BLOCK,
                block / (TILE / BLOCK) * BLOCK,
            ];
            for i in 0..BLOCK * BLOCK {
                let [x, y] = morton(i);
                let texel = (from[1] + y) * TILE + from[0] + x;
                let own = &samples[texel * n * n..(texel + 1) * n * n];
                (states[texel], turns[texel]) =
                    self.texel(texel, own, kinds, &mut maps, &mut spots, &mut last);
            }
        }
        if many {
            self.many(tile, kinds, &spots, &mut maps, progress)?;
        }
        Ok(Tile {
            maps,
            states,
            turns,
        })
    }

    /// The rays of one texel, and all maps that one ray a sample is enough for. Says also how far normals turn inside it. `last` is the
    /// place of the source nearest to what was looked at before.
    fn texel(
        &self,
        texel: usize,
        samples: &[Option<Sample>],
        kinds: &[Kind],
        maps: &mut [Vec<f32>],
        spots: &mut [Option<Spot>],
        last: &mut Option<Vec3>,
    ) -> (State, u8) {
        let n = self.settings.samples as f32;
        let (mut hits, mut state) = (0u32, State::Bare);
        let mut normals = Vec3::ZERO;
        for sample in samples.iter().flatten() {
            let face = sample.face as usize;
            let place = self.frame.place(self.low, face, sample.weights);
            let (out, inward) = self.reaches.at(face, sample.weights);
            let times = self.times(face, place.point);
            let (out, inward) = (out * times, inward * times);
            let origin = place.point + place.outward * out;
            let group = self.group(face);
            let footprint = self.metres[face] / n;
            let through = |hit: u32, t: f32| {
                let point = origin - place.outward * t;
                self.passes(face, hit, point, footprint)
            };
            let through: Through<'_> = if self.transparent {
                Some(&through)
            } else {
                None
            };
            let reach = out + inward;
            let found = self
                .target
                .first_front(origin, -place.outward, reach, group, through);
            let at_ray = |hit, t: f32| {
                let point = origin - place.outward * t;
                self.looker.seen_from(hit, point, footprint, place.outward)
            };
            let seen = match found {
                Found::Front { face, t } => Some(at_ray(face, t)),
                _ => self.nearby(sample, &place, times, footprint, last),
            };
            let Some(seen) = seen else {
                state = state.or(match found {
                    Found::Back => State::Behind,
                    _ => State::Nothing,
                });
                continue;
            };
            for (kind, map) in kinds.iter().zip(maps.iter_mut()) {
                if kind.needs_many_rays() || (kind.is_id() && hits > 0) {
                    continue;
                }
                let c = kind.channels();
                let value = self.value(*kind, &place, &seen, footprint);
                let into = &mut map[texel * c..texel * c + c];
                into.iter_mut()
                    .zip(value.to_array())
                    .for_each(|(sum, v)| *sum += v);
            }
            if hits == 0
                && let Some(spot) = spots.get_mut(texel)
            {
                *spot = Some(Spot {
                    seen,
                    place,
                    metres: self.metres[face],
                });
            }
            normals += seen.normal;
            hits += 1;
        }
        if hits == 0 {
            return (state, 0);
        }
        for (kind, map) in kinds.iter().zip(maps.iter_mut()) {
            if kind.needs_many_rays() || kind.is_id() {
                continue;
            }
            let c = kind.channels();
            let own = &mut map[texel * c..texel * c + c];
            own.iter_mut().for_each(|v| *v /= hits as f32);
            if kind.is_direction() {
                // The mean of directions is one again.
                let mean = Vec3::from_slice(own) * 2.0 - 1.0;
                let mean = mean.normalize_or(Vec3::Z) * 0.5 + 0.5;
                own.copy_from_slice(&mean.to_array());
            }
        }
        // The mean of n directions that turn by small angles around one is as long as the mean of their cosines.
        let turn = match hits {
            1 => 0.0,
            n => (normals.length() / n as f32).min(1.0).acos().to_degrees(),
        };
        (State::Baked, (turn / TURN + 0.5) as u8)
    }

    /// What the reach is multiplied by at a place.
    fn times(&self, face: usize, place: Vec3) -> f32 {
        match self.painted.get(face) {
            Some(true) => {
                let mut balls = self.settings.painted.iter().rev();
                balls.find(|b| b.holds(place)).map_or(1.0, |b| b.times)
            }
            _ => 1.0,
        }
    }

    /// What belongs to a place whose ray met nothing: the nearest of the source that looks the same way and may be baked from.
    fn nearby(
        &self,
        sample: &Sample,
        place: &Place,
        times: f32,
        footprint: f32,
        last: &mut Option<Vec3>,
    ) -> Option<Seen> {
        let face = sample.face as usize;
        let near = self
            .reaches
            .nearest(face, sample.weights, place.point, times, last)?;
        let is_either = (self.settings.either_side.get(near.face as usize)).copied();
        let seen = if is_either.unwrap_or(false) {
            (self.looker).seen_from(near.face, near.point, footprint, place.outward)
        } else {
            self.looker.seen(near.face, near.point, footprint)
        };
        let is_its_own = match &self.settings.matching {
            crate::Matching::All => true,
            crate::Matching::Groups { source, .. } => {
                let part = self.looker.part(near.face) as usize;
                let own = source.get(part).copied().unwrap_or(crate::Matching::ANY);
                let wanted = self.group(face);
                own == crate::Matching::ANY || wanted.is_none_or(|g| g == own)
            }
        };
        let is_seen = !self.transparent || !self.passes(face, near.face, near.point, footprint);
        (is_its_own && is_seen && seen.straight.dot(place.outward) > 0.0).then_some(seen)
    }

    /// True where the ray of a face of the low mesh goes on through a place of the source.
    fn passes(&self, low: usize, hit: u32, point: Vec3, footprint: f32) -> bool {
        match self.keeps_opacity.get(low) {
            None => self.looker.lets_through(hit, point, footprint),
            Some(&keeps) => self.looker.material(hit).alpha.counts() != keeps,
        }
    }

    /// Says what is transparent, where anything is.
    fn clear(&self) -> Option<&Looker<'_>> {
        self.transparent.then_some(self.looker)
    }

    fn group(&self, face: usize) -> Option<u32> {
        match &self.settings.matching {
            crate::Matching::All => None,
            crate::Matching::Groups { low, .. } => {
                let own = low.get(self.part_of_face[face] as usize).copied();
                own.filter(|&g| g != crate::Matching::ANY)
            }
        }
    }

    /// What one sample adds to a map.
    fn value(&self, kind: Kind, place: &Place, seen: &Seen, footprint: f32) -> Vec3 {
        let coded = |v: Vec3| v * 0.5 + 0.5;
        match kind {
            Kind::Normal => coded(self.in_tangent_space(place, seen.normal)),
            Kind::NormalObject => coded(seen.normal),
            Kind::Curvature => {
                let k = self.looker.curvature(seen) * self.curvature_radius;
                Vec3::splat(0.5 + 0.5 * k.clamp(-1.0, 1.0))
            }
            Kind::Height => Vec3::splat((seen.point - place.point).dot(place.outward)),
            Kind::Position => (seen.point - self.bounds.0) / self.bounds.1,
            Kind::PartId => colour(self.part_colours, Some(self.looker.part(seen.face))),
            Kind::MaterialId => colour(
                self.material_colours,
                self.looker.material_number(seen.face),
            ),
            Kind::BaseColour => self.looker.base(seen, footprint).truncate(),
            Kind::Roughness => Vec3::splat(self.looker.rough_metal(seen, footprint).0),
            Kind::Metalness => Vec3::splat(self.looker.rough_metal(seen, footprint).1),
            Kind::Emissive => self.looker.emissive(seen, footprint),
            Kind::Opacity => Vec3::splat(self.looker.opacity(seen, footprint)),
            Kind::SourceOcclusion => Vec3::splat(self.looker.occlusion(seen, footprint)),
            Kind::VertexColour => self.looker.vertex_colour(seen).truncate(),
            Kind::Occlusion | Kind::BentNormal | Kind::Thickness => Vec3::ZERO,
        }
    }

    /// The figures that make a direction of the interpolated tangent, bitangent and normal, none of them made of length 1
    /// before: what a renderer undoes (MikkTSpace).
    fn in_tangent_space(&self, place: &Place, direction: Vec3) -> Vec3 {
        let bitangent = place.sign * place.normal.cross(place.tangent);
        let basis = Mat3::from_cols(place.tangent, bitangent, place.normal);
        let determinant = basis.determinant();
        let mut figures = if determinant.abs() > 1e-12 && determinant.is_finite() {
            (basis.inverse() * direction).normalize_or(Vec3::Z)
        } else {
            Vec3::Z
        };
        if !self.settings.green_up {
            figures.y = -figures.y;
        }
        figures
    }

    /// What needs many rays, asked where it must be.
    fn many(
        &self,
        tile: usize,
        kinds: &[Kind],
        spots: &[Option<Spot>],
        maps: &mut [Vec<f32>],
        progress: &Progress,
    ) -> Result<(), Cancelled> {
        let mut known: Vec<Option<Around>> = vec![None; spots.len()];
        let corner = [tile % self.bins.tiles * TILE, tile / self.bins.tiles * TILE];
        for (round, step) in STEPS.into_iter().enumerate() {
            let coarse = STEPS.get(round.wrapping_sub(1)).copied();
            for y in (0..TILE).step_by(step) {
                progress.go_on()?;
                for x in (0..TILE).step_by(step) {
                    let at = y * TILE + x;
                    let Some(spot) = &spots[at] else { continue };
                    if known[at].is_some() {
                        continue;
                    }
                    let between = coarse.and_then(|coarse| {
                        let beside = beside([x, y], step, coarse);
                        agreed(beside, spot, spots, &known, step)
                    });
                    known[at] = Some(between.unwrap_or_else(|| {
                        let seed = ((corner[1] + y) as u64) << 32 | (corner[0] + x) as u64;
                        self.asked
                            .around(self.target, self.clear(), &spot.seen, seed)
                    }));
                }
            }
        }
        for (at, (around, spot)) in known.iter().zip(spots).enumerate() {
            let (Some(around), Some(spot)) = (around, spot) else {
                continue;
            };
            for (kind, map) in kinds.iter().zip(maps.iter_mut()) {
                match kind {
                    // What the source says of itself is finer than rays; both tell of the same shadows, so they are not multiplied.
                    Kind::Occlusion => {
                        map[at] = around
                            .open
                            .min(self.looker.occlusion(&spot.seen, spot.metres));
                    }
                    Kind::Thickness => map[at] = around.thick,
                    Kind::BentNormal => {
                        let bent = self.in_tangent_space(&spot.place, around.bent) * 0.5 + 0.5;
                        map[3 * at..3 * at + 3].copy_from_slice(&bent.to_array());
                    }
                    _ => {}
                }
            }
        }
        Ok(())
    }
}

/// The texels of the coarser steps that lie around one.
fn beside([x, y]: [usize; 2], step: usize, coarse: usize) -> impl Iterator<Item = usize> {
    let step = step as i64;
    let apart = |v: usize| !v.is_multiple_of(coarse);
    let steps: &[(i64, i64)] = match (apart(x), apart(y)) {
        (true, true) => &[(-1, -1), (1, -1), (-1, 1), (1, 1)],
        (true, false) => &[(-1, 0), (1, 0)],
        _ => &[(0, -1), (0, 1)],
    };
    steps.iter().map(move |(dx, dy)| {
        let (x, y) = (x as i64 + dx * step, y as i64 + dy * step);
        let inside = |v: i64| (0..TILE as i64).contains(&v);
        if inside(x) && inside(y) {
            y as usize * TILE + x as usize
        } else {
            usize::MAX
        }
    })
}

/// The mean of places that agree with one another and belong to one surface; `None` where they do not.
fn agreed(
    beside: impl Iterator<Item = usize>,
    spot: &Spot,
    spots: &[Option<Spot>],
    known: &[Option<Around>],
    step: usize,
) -> Option<Around> {
    let reach = spot.metres * step as f32 * 3.0;
    let (mut low, mut high) = (f32::INFINITY, f32::NEG_INFINITY);
    let (mut sum, mut n) = (Around::default(), 0.0);
    let (mut thin, mut thick) = (f32::INFINITY, f32::NEG_INFINITY);
    for at in beside {
        let (other, around) = (spots.get(at)?.as_ref()?, known.get(at)?.as_ref()?);
        if other.seen.normal.dot(spot.seen.normal) < AGREE_COSINE
            || other.seen.point.distance(spot.seen.point) > reach
        {
            return None;
        }
        (low, high) = (low.min(around.open), high.max(around.open));
        (thin, thick) = (thin.min(around.thick), thick.max(around.thick));
        sum.open += around.open;
        sum.bent += around.bent;
        sum.thick += around.thick;
        n += 1.0;
    }
    let agree = n > 0.0 && high - low <= AGREE && thick - thin <= AGREE * thick.max(1e-9);
    agree.then(|| Around {
        open: sum.open / n,
        bent: sum.bent.normalize_or(spot.seen.normal),
        thick: sum.thick / n,
    })
}

fn colour(list: &[Vec3], number: Option<u32>) -> Vec3 {
    number
        .and_then(|n| list.get(n as usize))
        .copied()
        .unwrap_or(Vec3::ZERO)
}

/// Place `i` of a square in Morton order.
fn morton(i: usize) -> [usize; 2] {
    let mut place = [0, 0];
    for bit in 0..4 {
        place[0] |= (i >> (2 * bit) & 1) << bit;
        place[1] |= (i >> (2 * bit + 1) & 1) << bit;
    }
    place
}
