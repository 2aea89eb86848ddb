//! What a result looks like beside its source: the figures, pictures and fields a verdict rests on.
//!
//! Everything here is in millimetres, in texels of a texture of 2048 or without a unit, so that one proof serves
//! every brief: pixels at a distance follow from the brief's screen.

use ectome_compare::{Details, Report, deviation, look::AtSize, outline, ssim};
use ectome_formats::{Scene, glb};
use ectome_mesh::{Mesh, nearest};
use ectome_raster::{Picture, Style};
use glam::Vec3;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

use crate::{
    EngineError,
    artefact::Artefact,
    jury::Jury,
    maps::Looks,
    measured::part_at,
    picture,
    shading::{SHADED, eyes, pictures, style},
    sight::{Seen, Sight},
};

/// The most triangles a source is shown with when a field is laid over it.
pub const SHOWN: usize = 150_000;
/// Edge of the picture of the worst outline, in pixels.
const OUTLINED: usize = 640;
/// The name of the vertex attribute that holds a deviation in millimetres.
pub const FIELD: &str = "_DEVIATION";

/// The outlines seen from one direction.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct OutlineView {
    /// The direction of sight, of length 1.
    pub direction: [f32; 3],
    /// Mean distance between the outlines, in millimetres.
    pub mean_mm: f64,
    /// The furthest one leaves the other, in millimetres.
    pub worst_mm: f64,
    /// Millimetres that a pixel of the comparison covers: nothing below it is seen.
    pub resolution_mm: f64,
}

/// The deviation one way.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Way {
    /// Mean, in millimetres.
    pub mean_mm: f64,
    /// Largest, in millimetres.
    pub max_mm: f64,
    /// Area in steps of equal width from 0 to the largest, as shares of the whole (0–1).
    pub histogram: Vec<f32>,
    /// Where it is largest, worst first.
    pub spots: Vec<SpotLine>,
}

/// A place that is further off than what is around it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct SpotLine {
    /// Where, in metres.
    pub at_m: [f32; 3],
    /// How far off, in millimetres.
    pub off_mm: f64,
    /// The part of the source beside it.
    pub part: String,
}

/// Shading seen from one direction.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ShadingView {
    /// Towards the eye, of length 1.
    pub direction: [f32; 3],
    /// Structural similarity of the two pictures where either has something: 1 when they are equal.
    pub similarity: f64,
}

/// What maps give back of the shading, and what they do not. Losses are one minus the structural similarity, means of the views.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct MapsProof {
    /// The loss without the maps.
    pub without: f64,
    /// Of the loss with them, what lies at the outlines of either: no map gives that back.
    pub at_outlines: f64,
    /// The rest: too few texels for the detail, or rays that missed it.
    pub inside: f64,
}

impl MapsProof {
    /// The loss with the maps.
    pub fn with(&self) -> f64 {
        self.at_outlines + self.inside
    }
}

/// What became of the UV map; pairs are source and result.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct UvProof {
    /// Mean slip, in texels of 2048.
    pub drift_mean_texels: f64,
    /// Largest slip found.
    pub drift_max_texels: f64,
    /// How far the outlines of islands have moved at most, in texels of 2048.
    pub seams_max_texels: f64,
    /// Islands.
    pub islands: [usize; 2],
    /// Texels per metre on a texture of one texel: times its edge it is the density there.
    pub density: [f64; 2],
    /// Standard deviation of the density over its mean.
    pub spread: [f64; 2],
    /// Triangles inside-out on the map.
    pub inverted: [usize; 2],
    /// Triangles without area on the map.
    pub flat: [usize; 2],
    /// Share of the area (0–1) that is drawn out along one direction to more than twice that across it.
    #[serde(default)]
    pub stretched: [f64; 2],
}

/// The figures.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Proof {
    /// The outlines, from 26 directions.
    pub outlines: Vec<OutlineView>,
    /// From the source to the result.
    pub there: Way,
    /// From the result to the source.
    pub back: Way,
    /// The shading, from 8 directions; with its maps where it has some.
    pub shading: Vec<ShadingView>,
    /// What its maps give back, where it has some.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub maps: Option<MapsProof>,
    /// How alike source and result look with all their materials, by the size at which they are seen; empty where it was not measured.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub looks: Vec<AtSize>,
    /// Mean angle between shading normals, in degrees.
    pub normals_mean_degrees: f64,
    /// The UV map, where both have one.
    pub uvs: Option<UvProof>,
    /// Materials in use in the result.
    pub materials: usize,
    /// Materials once each of its UV sheets is one; 0 where there are no several sheets.
    #[serde(default)]
    pub sheet_materials: usize,
    /// UV sets of the result.
    pub uv_sets: usize,
}

impl Proof {
    /// The view in which the outlines differ most.
    pub fn worst_outline(&self) -> Option<&OutlineView> {
        let by = |a: &&OutlineView, b: &&OutlineView| a.worst_mm.total_cmp(&b.worst_mm);
        self.outlines.iter().max_by(by)
    }

    /// The view in which shading differs most.
    pub fn worst_shading(&self) -> Option<&ShadingView> {
        let by = |a: &&ShadingView, b: &&ShadingView| a.similarity.total_cmp(&b.similarity);
        self.shading.iter().min_by(by)
    }

    /// Mean of the outlines' mean distances over the views, in millimetres.
    pub fn outline_mean_mm(&self) -> f64 {
        let sum: f64 = self.outlines.iter().map(|v| v.mean_mm).sum();
        sum / self.outlines.len().max(1) as f64
    }

    /// Mean similarity of shading over the views.
    pub fn shading_mean(&self) -> f64 {
        let sum: f64 = self.shading.iter().map(|v| v.similarity).sum();
        sum / self.shading.len().max(1) as f64
    }
}

/// Pictures as PNG, fields as GLB.
#[derive(Clone, Debug, Default)]
pub struct Pictures {
    /// The result.
    pub result: Vec<u8>,
    /// The outlines in the worst view: gained and lost marked.
    pub outline: Vec<u8>,
    /// The worst view of shading: source, result, and how they differ.
    pub shading: [Vec<u8>; 3],
    /// The worst view of each figure of the look; see [`Artefact::LOOK`].
    pub look: Vec<Artefact>,
    /// The deviation at each point of the source.
    pub source_field: Vec<u8>,
    /// The deviation at each point of the result.
    pub result_field: Vec<u8>,
}

impl Pictures {
    /// As they are kept.
    pub fn into_artefacts(self) -> Vec<Artefact> {
        const SOURCE: &str = Artefact::SOURCE;
        const RESULT: &str = Artefact::RESULT;
        let [source, result, difference] = self.shading;
        let mut list = vec![
            Artefact::new(Artefact::PICTURE, self.result),
            Artefact::new(Artefact::OUTLINE, self.outline),
            Artefact::one_of(Artefact::SHADING, SOURCE, source),
            Artefact::one_of(Artefact::SHADING, RESULT, result),
            Artefact::one_of(Artefact::SHADING, Artefact::DIFFERENCE, difference),
            Artefact::one_of(Artefact::FIELD, SOURCE, self.source_field),
            Artefact::one_of(Artefact::FIELD, RESULT, self.result_field),
        ];
        list.extend(self.look);
        list
    }
}

/// A proof and what it shows.
#[derive(Clone, Debug, Default)]
pub struct Proven {
    /// The figures.
    pub proof: Proof,
    /// The pictures.
    pub pictures: Pictures,
}

impl Proven {
    /// Of what has only the shape of its source, and no pictures yet: how it looks says nothing.
    #[must_use]
    pub(crate) fn without_look(mut self) -> Self {
        self.proof.looks.clear();
        self.pictures.look.clear();
        self
    }
}

/// A source and what was made of it.
#[derive(Clone, Copy)]
pub(crate) struct Pair<'a> {
    pub high: &'a Scene,
    pub low: &'a Scene,
}

/// Proves what was made of a source, whose jury is given and which is shown as `shown`. What is seen of both may be more than what is measured:
/// leaf cards are seen and not measured.
///
/// # Errors
/// [`EngineError::Format`] when a field cannot be written.
pub(crate) fn prove(
    Pair { high, low }: Pair<'_>,
    seen: Pair<'_>,
    jury: &Jury,
    shown: &Mesh,
    (report, details): (&Report, &Details),
) -> Result<Proven, EngineError> {
    let surface = jury.judge.surface();
    let outlines: Vec<OutlineView> = details
        .outline
        .views
        .iter()
        .map(|v| OutlineView {
            direction: v.direction.to_array(),
            mean_mm: v.mean_m * 1e3,
            worst_mm: v.worst_m * 1e3,
            resolution_mm: v.pixel_m * 1e3,
        })
        .collect();
    let way = |d: &deviation::Deviation| {
        let all: u32 = d.histogram.iter().sum();
        Way {
            mean_mm: d.mean_m * 1e3,
            max_mm: d.max_m * 1e3,
            histogram: d
                .histogram
                .iter()
                .map(|&n| n as f32 / all.max(1) as f32)
                .collect(),
            spots: d
                .spots
                .iter()
                .map(|s| SpotLine {
                    at_m: s.at.to_array(),
                    off_mm: s.distance_m * 1e3,
                    part: part_at(&high.mesh, surface, s.at.to_array()),
                })
                .collect(),
        }
    };
    // Most results wear their source's materials: those are decoded once.
    let is_dressed_anew = high.library != low.library;
    let own = is_dressed_anew.then(|| Looks::as_drawn(low));
    let looks = own.as_ref().unwrap_or_else(|| jury.looks(high));
    let of_high = jury.shaded(high, is_dressed_anew);
    // What was dressed anew has other materials than its source, so that only their shapes can be compared: as clay.
    let shaded = shade(high, of_high, (low, looks), is_dressed_anew);
    let as_seen = jury.seen(seen.high).beside(seen.low, looks);
    let low_surface = nearest::SurfaceIndex::of(&low.mesh);
    let mm = |list: Vec<f32>| list.into_iter().map(|m| m * 1e3).collect::<Vec<f32>>();
    let there = mm(deviation::at_points(shown, &low_surface));
    let back = mm(deviation::at_points(&low.mesh, surface));
    let outline = details.outline.worst().map_or_else(Vec::new, |v| {
        outline_picture(&high.mesh, &low.mesh, v.direction)
    });
    let mut used: Vec<u32> = (seen.low.mesh.runs.iter())
        .filter_map(|r| r.material)
        .collect();
    used.sort_unstable();
    used.dedup();
    Ok(Proven {
        proof: Proof {
            outlines,
            there: way(&details.there),
            back: way(&details.back),
            shading: shaded.views,
            maps: shaded.maps,
            looks: as_seen.looks,
            normals_mean_degrees: report.normal_deviation_mean_degrees,
            uvs: uvs(report, details),
            materials: used.len(),
            sheet_materials: 0,
            uv_sets: seen.low.mesh.uv_sets.len(),
        },
        pictures: Pictures {
            result: picture::png(seen.low, picture::RESULT.0, picture::RESULT.1),
            outline,
            shading: shaded.worst,
            look: as_seen.artefacts,
            source_field: glb::field(shown, FIELD, &there)?,
            result_field: glb::field(&low.mesh, FIELD, &back)?,
        },
    })
}

fn uvs(report: &Report, details: &Details) -> Option<UvProof> {
    let [Some(high), Some(low)] = details.density else {
        return None;
    };
    Some(UvProof {
        drift_mean_texels: report.uv_drift_mean_texels.unwrap_or(0.0),
        drift_max_texels: report.uv_drift_max_texels.unwrap_or(0.0),
        seams_max_texels: report.seam_drift_max_texels.unwrap_or(0.0),
        islands: report.uv_islands,
        density: [high.mean, low.mean],
        spread: [high.spread, low.spread],
        inverted: [high.inverted, low.inverted],
        flat: [high.flat, low.flat],
        stretched: [high.stretched, low.stretched],
    })
}

/// The outlines as a picture: what both cover grey, what only the source covers dark and striped, what only the result
/// covers light and dotted.
fn outline_picture(high: &Mesh, low: &Mesh, direction: Vec3) -> Vec<u8> {
    let Some(cells) = outline::cells(high, low, direction, OUTLINED) else {
        return Vec::new();
    };
    let rgba: Vec<u8> = cells
        .iter()
        .enumerate()
        .flat_map(|(i, cell)| {
            let (x, y) = (i % OUTLINED, i / OUTLINED);
            match cell {
                outline::Cell::Neither => [0, 0, 0, 0],
                outline::Cell::Both => [0x56, 0x64, 0x6A, 255],
                outline::Cell::Lost if (x + y) % 6 < 4 => [0xA9, 0x3A, 0x17, 255],
                outline::Cell::Lost => [0xF3, 0xF0, 0xE7, 255],
                outline::Cell::Gained if (x % 4 < 2) == (y % 4 < 2) => [0x0C, 0x6B, 0x62, 255],
                outline::Cell::Gained => [0xC9, 0xE4, 0xDF, 255],
            }
        })
        .collect();
    picture::encode(OUTLINED as u32, OUTLINED as u32, &rgba)
}

struct Shaded {
    views: Vec<ShadingView>,
    maps: Option<MapsProof>,
    worst: [Vec<u8>; 3],
}

/// How a scene that was dressed with maps is shaded beside its source.
pub(crate) struct Dressed {
    /// From 8 directions.
    pub views: Vec<ShadingView>,
    /// What the maps give back.
    pub maps: MapsProof,
    /// How alike they look with all their materials.
    pub looks: Vec<AtSize>,
    /// The worst views, as they are kept.
    pub artefacts: Vec<Artefact>,
}

/// Compares a scene with maps and its source: as clay, each with its own normal maps, and as a player sees them.
pub(crate) fn dressed(high: &Scene, low: &Scene) -> Dressed {
    let [of_high, of_low] = [high, low].map(Looks::as_drawn);
    let clay = pictures(high, high, &of_high, &style(true));
    let shaded = shade(high, &clay, (low, &of_low), true);
    let Seen { looks, artefacts } = Sight::of(high, &of_high).beside(low, &of_low);
    let [source, result, difference] = shaded.worst;
    let mut all = vec![
        Artefact::one_of(Artefact::SHADING, Artefact::SOURCE, source),
        Artefact::one_of(Artefact::SHADING, Artefact::RESULT, result),
        Artefact::one_of(Artefact::SHADING, Artefact::DIFFERENCE, difference),
    ];
    all.extend(artefacts);
    Dressed {
        views: shaded.views,
        maps: shaded.maps.unwrap_or_default(),
        looks,
        artefacts: all,
    }
}

/// Pixels from an outline within which a difference counts as one of the outline: half the window that similarity looks through.
const AT_OUTLINE: usize = 5;

/// Where either picture's outline is near: pixels that are covered in one and have something uncovered around them.
fn at_outline(a: &Picture, b: &Picture) -> Vec<bool> {
    let (w, h) = (a.width, a.height);
    let bare: Vec<bool> = (0..w * h)
        .map(|i| a.pixels[i][3] == 0 || b.pixels[i][3] == 0)
        .collect();
    // Grown along rows, then along columns.
    let grown = |from: &[bool], step: usize, length: usize, place: &dyn Fn(usize) -> usize| {
        (0..w * h)
            .map(|i| {
                let at = place(i);
                let low = at.min(AT_OUTLINE);
                let high = (length - 1 - at).min(AT_OUTLINE);
                (i - low * step..=i + high * step)
                    .step_by(step)
                    .any(|k| from[k])
            })
            .collect::<Vec<bool>>()
    };
    let rows = grown(&bare, 1, w, &|i| i % w);
    grown(&rows, w, h, &|i| i / w)
}

/// Renders a result from the places of its source's pictures, under the same light, and compares them. As clay, it is said what its normal maps
/// give back.
fn shade(
    high: &Scene,
    of_high: &[Picture],
    (low, looks): (&Scene, &Looks),
    as_clay: bool,
) -> Shaded {
    let of_low = pictures(high, low, looks, &style(as_clay));
    let pictures: Vec<(Vec3, [&Picture; 2])> = eyes()
        .zip(of_high.iter().zip(&of_low))
        .map(|(eye, (a, b))| (eye, [a, b]))
        .collect();
    let compared: Vec<(f64, Vec<f32>)> = pictures
        .par_iter()
        .map(|(_, [a, b])| similarity(a, b))
        .collect();
    let views: Vec<ShadingView> = pictures
        .iter()
        .zip(&compared)
        .map(|((eye, _), (similarity, _))| ShadingView {
            direction: eye.to_array(),
            similarity: *similarity,
        })
        .collect();
    let maps = (as_clay && looks.has_relief()).then(|| {
        let bare = Style {
            relief: false,
            ..style(as_clay)
        };
        let n = pictures.len().max(1) as f64;
        let plain = self::pictures(high, low, looks, &bare);
        let without: f64 = (pictures.par_iter().zip(&plain))
            .map(|((_, [a, _]), plain)| 1.0 - similarity(a, plain).0)
            .sum();
        let parts = pictures.iter().zip(&compared).map(|((_, [a, b]), c)| {
            let near = at_outline(a, b);
            let covered = (0..c.1.len()).filter(|&i| a.pixels[i][3].max(b.pixels[i][3]) > 0);
            let (mut here, mut rest, mut all) = (0.0, 0.0, 0.0f64);
            for i in covered {
                let off = 1.0 - f64::from(c.1[i]);
                *if near[i] { &mut here } else { &mut rest } += off;
                all += 1.0;
            }
            [here / all.max(1.0), rest / all.max(1.0)]
        });
        let sums = parts.fold([0.0, 0.0], |s, p| [s[0] + p[0], s[1] + p[1]]);
        MapsProof {
            without: without / n,
            at_outlines: sums[0] / n,
            inside: sums[1] / n,
        }
    });
    let worst = (0..views.len()).min_by(|&a, &b| compared[a].0.total_cmp(&compared[b].0));
    let worst = worst.map_or_else(Default::default, |i| {
        let [a, b] = &pictures[i].1;
        let png = |rgba: &[u8]| picture::encode(SHADED as u32, SHADED as u32, rgba);
        [
            png(&a.pixels.concat()),
            png(&b.pixels.concat()),
            png(&difference(a, b, &compared[i].1)),
        ]
    });
    Shaded { views, maps, worst }
}

/// Structural similarity over the pixels that either covers, and its map.
fn similarity(a: &Picture, b: &Picture) -> (f64, Vec<f32>) {
    let grey = |p: &Picture| -> Vec<f32> { p.pixels.iter().map(grey).collect() };
    let Some(s) = ssim::compare(&grey(a), &grey(b), a.width) else {
        return (1.0, Vec::new());
    };
    let covered = (0..s.map.len()).filter(|&i| a.pixels[i][3].max(b.pixels[i][3]) > 0);
    let (sum, n) = covered.fold((0.0, 0.0), |(sum, n), i| {
        (sum + f64::from(s.map[i]), n + 1.0)
    });
    let mean = if n > 0.0 { sum / n } else { 1.0 };
    (mean, s.map)
}

/// Luma (ITU-R BT.709) over a grey ground, 0–1.
fn grey(&[r, g, b, alpha]: &[u8; 4]) -> f32 {
    let [r, g, b] = [r, g, b].map(|v| f32::from(v) / 255.0);
    let luma = 0.2126 * r + 0.7152 * g + 0.0722 * b;
    let alpha = f32::from(alpha) / 255.0;
    luma * alpha + 0.72 * (1.0 - alpha)
}

/// Where two pictures differ: the less alike, the darker.
fn difference(a: &Picture, b: &Picture, map: &[f32]) -> Vec<u8> {
    (0..map.len())
        .flat_map(|i| {
            let alpha = a.pixels[i][3].max(b.pixels[i][3]);
            let [r, g, b] = picture::as_difference(1.0 - map[i]);
            [r, g, b, alpha]
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use ectome_formats::{Image, Library};
    use ectome_mesh::{MeshBuilder, Primitive};
    use glam::{Affine3A, Vec2};
    use rstest::rstest;
    use serde_json::json;

    use super::*;
    use crate::verdict::{Judgement, Measured};
    use crate::{Brief, Standing};

    /// A leaf seen from both sides whose picture is clear on its left half.
    fn leaf() -> Scene {
        let corners = [Vec2::ZERO, Vec2::X, Vec2::ONE, Vec2::Y];
        let mut builder = MeshBuilder::new();
        builder
            .part("leaf", Affine3A::IDENTITY)
            .primitive(Primitive {
                positions: corners.map(|c| Vec3::new(c.x, c.y, 0.3 * c.x)).to_vec(),
                uv_sets: vec![corners.to_vec()],
                corners: vec![0, 1, 2, 0, 2, 3],
                material: Some(0),
                ..Primitive::default()
            });
        let rgba: Vec<u8> = (0..64)
            .flat_map(|i| [40, 150, 30, if i % 8 < 4 { 0 } else { 255 }])
            .collect();
        Scene {
            library: Library {
                materials: vec![json!({ "alphaMode": "MASK", "doubleSided": true,
                    "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } })],
                textures: vec![json!({ "source": 0 })],
                images: vec![Image {
                    name: "leaf".to_owned(),
                    mime: "image/png".to_owned(),
                    bytes: picture::encode(8, 8, &rgba),
                }],
                ..Library::default()
            },
            ..Scene::from(builder.finish())
        }
    }

    /// Faults put back in: a leaf that turned solid, and one in another paint. Each is what the verdict names, and nothing else is.
    #[rstest]
    #[case::as_it_is(|_: &mut Scene| {}, "")]
    #[case::solid(|s: &mut Scene| s.library.materials[0]["alphaMode"] = json!("OPAQUE"), "Coverage")]
    #[case::painted(|s: &mut Scene| s.library.materials[0]["pbrMetallicRoughness"]["baseColorFactor"] = json!([0.2, 0.1, 1.0, 1.0]), "Colour")]
    fn a_verdict_sees_what_a_player_sees(#[case] spoil: fn(&mut Scene), #[case] fails: &str) {
        let high = leaf();
        let mut low = leaf();
        spoil(&mut low);
        let seen = dressed(&high, &low);
        let measured = Measured {
            triangles: 2,
            looks: seen.looks.clone(),
            ..Measured::default()
        };
        let brief = Brief::from_toml("name = \"x\"\n[[tier]]\ntriangles = 100\n").unwrap();
        let verdict = Judgement::of(&brief, 0, &brief.tiers[0], &measured);
        let over = verdict
            .requirements
            .iter()
            .filter(|r| r.standing == Standing::Over);
        let names: Vec<&str> = over.filter_map(|r| r.says.split(' ').next()).collect();
        assert_eq!(names.join(" "), fails, "{}", verdict.sentence());
        if fails.is_empty() {
            let look = seen.looks[0].look;
            assert_eq!(
                (look.colour_mean, look.coverage_off(), look.shine),
                (0.0, 0.0, 0.0)
            );
        }
    }
}
