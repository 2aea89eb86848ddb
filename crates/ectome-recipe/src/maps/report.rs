//! What was baked, in figures.

use std::collections::BTreeMap;

use ectome_bake::{Baked, Map};
use ectome_compare::look::AtSize;
use ectome_formats::Scene;
use ectome_mesh::Mesh;
use serde::{Deserialize, Serialize};

use super::{BakeSettings, CoarseIsland, Kind, detail::coarse, on_sheet};

/// What was baked, under the names outsiders rely on.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct BakeReport {
    /// Width and height of the maps.
    pub size: usize,
    /// Samples of a texel.
    pub samples: u32,
    /// Texels that islands grew by.
    pub padding: u32,
    /// Seconds from the first ray to the last file.
    pub seconds_total: f64,
    /// Texels that islands cover.
    pub texels: usize,
    /// Rays towards the source.
    pub rays: u64,
    /// Texels whose rays met nothing, in percent of those that are covered; faces from behind are counted apart.
    pub misses_percent: f64,
    /// Closed pieces of the source that are inside out: they were baked as if turned.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub pieces_inside_out: usize,
    /// The least and the largest reach outward, in millimetres.
    pub reach_mm: [f64; 2],
    /// Parts of the low mesh with misses, most first.
    pub parts_with_misses: Vec<PartMisses>,
    /// How alike source and low mesh are shaded without the maps (structural similarity, mean of 8 views, both as clay), where
    /// it was measured.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shading_without: Option<f64>,
    /// The same with them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shading_with: Option<f64>,
    /// How alike source and low mesh look with all their materials, by the size at which they are seen; empty where it was not measured.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub looks: Vec<AtSize>,
    /// Islands that want more texels, those first where most is lost; none with one sample a texel, which cannot tell.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub coarse_islands: Vec<CoarseIsland>,
    /// The maps, by name.
    pub maps: BTreeMap<String, MapReport>,
}

/// Misses of one part.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct PartMisses {
    /// Its name.
    pub part: String,
    /// Its texels.
    pub texels: usize,
    /// Texels whose rays met nothing.
    pub misses: usize,
    /// Texels whose rays met faces from behind only.
    pub back_faces: usize,
    /// A place among them, in metres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_m: Option<[f32; 3]>,
}

/// One map.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct MapReport {
    /// Its share of the time: maps are made together.
    pub seconds: f64,
    /// Rays that were sent for it.
    pub rays: u64,
    /// Texels whose rays met nothing.
    pub misses: usize,
    /// Texels whose rays met faces from behind only.
    pub back_faces: usize,
    /// `srgb` or `linear`.
    pub colour_space: String,
    /// Bits a channel.
    pub bits: u32,
    /// Green of normals: `up` or `down`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub green: Option<String>,
    /// How tangents were made.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tangents: Option<String>,
    /// What black and white stand for, in metres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub range_m: Option<[f32; 2]>,
    /// The radius that is shown in full, in metres: white bulges, black is hollow.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub radius_m: Option<f32>,
    /// The bounds that positions are shares of, in metres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bounds_m: Option<[[f32; 3]; 2]>,
    /// Names and their colours.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub legend: BTreeMap<String, String>,
}

fn is_zero(n: &usize) -> bool {
    *n == 0
}

impl BakeReport {
    /// Gathers it from what was made on each sheet.
    pub(super) fn of(
        sheets: &[(u32, Baked)],
        source: &Scene,
        low: &Mesh,
        settings: &BakeSettings,
        seconds: f64,
    ) -> Self {
        let listed = |(_, made): &(u32, Baked)| {
            let kinds = made.maps.iter().map(|m| m.kind);
            kinds.filter(|k| settings.kinds.contains(k)).count()
        };
        let each = seconds / sheets.iter().map(listed).sum::<usize>().max(1) as f64;
        let mut maps = BTreeMap::new();
        let mut report = Self {
            samples: settings.samples * settings.samples,
            padding: settings.padding,
            seconds_total: seconds,
            reach_mm: [f64::INFINITY, 0.0],
            ..Self::default()
        };
        let mut missed = 0;
        let mut parts: Vec<PartMisses> = (low.parts.iter())
            .map(|part| PartMisses {
                part: part.name.clone(),
                ..PartMisses::default()
            })
            .collect();
        for &(sheet, ref made) in sheets {
            for map in made
                .maps
                .iter()
                .filter(|m| settings.kinds.contains(&m.kind))
            {
                let name = on_sheet(map.kind.word(), sheet);
                maps.insert(name, MapReport::of(map, made, source, low, settings, each));
            }
            report.size = made.size;
            report.texels += made.counts.covered;
            report.rays += made.rays;
            missed += made.counts.misses();
            let [least, most] = made.reach_m.map(|m| f64::from(m) * 1e3);
            report.reach_mm = [report.reach_mm[0].min(least), report.reach_mm[1].max(most)];
            for ((all, own), at) in parts.iter_mut().zip(&made.parts).zip(&made.missed_at) {
                all.texels += own.covered;
                all.misses += own.nothing;
                all.back_faces += own.behind;
                all.at_m = all.at_m.or(at.map(|p| p.to_array()));
            }
        }
        parts.retain(|p| p.misses + p.back_faces > 0);
        parts.sort_by_key(|p| std::cmp::Reverse(p.misses + p.back_faces));
        Self {
            misses_percent: missed as f64 * 100.0 / report.texels.max(1) as f64,
            parts_with_misses: parts,
            coarse_islands: coarse(low, sheets.iter().map(|(_, made)| made)),
            maps,
            ..report
        }
    }
}

impl MapReport {
    fn of(
        map: &Map,
        made: &Baked,
        source: &Scene,
        low: &Mesh,
        settings: &BakeSettings,
        seconds: f64,
    ) -> Self {
        let (kind, counts) = (map.kind, made.counts);
        let is_tangent = matches!(kind, Kind::Normal | Kind::BentNormal);
        let bounds = ectome_mesh::measure::bounds(low);
        let many = match kind {
            Kind::Occlusion | Kind::BentNormal => u64::from(settings.rays),
            Kind::Thickness => u64::from(settings.rays / 8),
            _ => 0,
        };
        Self {
            seconds,
            rays: made.rays + many * counts.covered as u64,
            misses: counts.nothing,
            back_faces: counts.behind,
            colour_space: if kind.is_srgb() { "srgb" } else { "linear" }.to_owned(),
            bits: if settings.deep { 16 } else { 8 },
            green: is_tangent.then(|| if settings.green_up { "up" } else { "down" }.to_owned()),
            tangents: is_tangent.then(|| "MikkTSpace, bitangent per pixel".to_owned()),
            range_m: map.range_m,
            radius_m: (kind == Kind::Curvature).then_some(made.curvature_radius_m),
            bounds_m: (kind == Kind::Position)
                .then(|| [bounds.min.to_array(), bounds.max.to_array()]),
            legend: legend(kind, made, source),
        }
    }
}

fn legend(kind: Kind, made: &Baked, source: &Scene) -> BTreeMap<String, String> {
    let hex = |c: &[u8; 3]| format!("#{:02x}{:02x}{:02x}", c[0], c[1], c[2]);
    let [parts, materials] = &made.id_colours;
    match kind {
        Kind::PartId => {
            let there = source.mesh.triangles_per_part();
            let listed = source.mesh.parts.iter().zip(parts).zip(there);
            let listed = listed.enumerate().filter(|(_, (_, n))| *n > 0);
            listed
                .map(|(i, ((part, c), _))| (named(&part.name, "part", i), hex(c)))
                .collect()
        }
        Kind::MaterialId => materials
            .iter()
            .enumerate()
            .map(|(i, c)| {
                let name = source.library.name(i as u32);
                (named(name, "material", i), hex(c))
            })
            .collect(),
        _ => BTreeMap::new(),
    }
}

fn named(name: &str, what: &str, number: usize) -> String {
    match name {
        "" => format!("{what} {}", number + 1),
        name => name.to_owned(),
    }
}
