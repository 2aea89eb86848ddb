//! Why a bake would come to nothing, said before it starts, each with the way out.

use ectome_bake::Kind;
use ectome_formats::Scene;
use ectome_mesh::{Mesh, measure};
use glam::Vec3;

use super::settings::BakeSettings;
use crate::{EngineError, figures, uv::examined};

/// Islands may overlap on this share of the sheet (percent) before it is refused: what rounding does to shared edges.
const OVERLAP: f64 = 0.05;
/// Bounds of source and low mesh that overlap by less than this share of the smaller are not in one space.
const TOGETHER: f32 = 0.5;
/// Diagonals of the low mesh, in those of the source, that are taken for one unit: it may stand for one part of it only.
const SIZES: std::ops::RangeInclusive<f32> = 0.2..=1.5;

pub fn check(source: &Scene, low: &Scene, settings: &BakeSettings) -> Result<(), EngineError> {
    let refuse = |why: String| Err(EngineError::Bake(why));
    if settings.all_kinds().is_empty() {
        return refuse("no map is asked for: choose at least one".to_owned());
    }
    let has_uvs = |mesh: &Mesh| mesh.runs.iter().any(|r| r.channels.uv_sets > 0);
    if !has_uvs(&low.mesh) {
        return refuse("it has no UVs: unwrap it first".to_owned());
    }
    same_space(&source.mesh, &low.mesh)?;
    if settings.padding * 4 > settings.size {
        return refuse(format!(
            "a padding of {} texels leaves no room on a map of {}: take a larger map or a smaller padding",
            settings.padding, settings.size
        ));
    }
    let numbers = examined(low, settings.size, settings.sheets).numbers;
    if numbers.islands == 0 {
        return refuse("it has no UVs: unwrap it first".to_owned());
    }
    if numbers.overlap_percent > OVERLAP {
        return refuse(format!(
            "UV islands overlap on {:.1} % of the sheet, so that two places would share one texel: pack them apart first",
            numbers.overlap_percent
        ));
    }
    let kinds = settings.all_kinds();
    let pictures = [
        (Kind::BaseColour, "baseColorTexture"),
        (Kind::Emissive, "emissiveTexture"),
        (Kind::Roughness, "metallicRoughnessTexture"),
        (Kind::Metalness, "metallicRoughnessTexture"),
    ];
    for (kind, slot) in pictures {
        if kinds.contains(&kind)
            && let Some(name) = missing(source, slot)
        {
            return refuse(format!(
                "the picture {name} of the source cannot be read, which {} needs: drop the source again with it, or leave that \
                 map out",
                kind.word()
            ));
        }
    }
    Ok(())
}

/// Refuses source and low mesh in different spaces: by how much they differ in size, which axis is another's, or how far they lie
/// apart.
pub(crate) fn same_space(source: &Mesh, low: &Mesh) -> Result<(), EngineError> {
    let (a, b) = (measure::bounds(source), measure::bounds(low));
    let refuse = |why: String| {
        Err(EngineError::Bake(format!(
            "source and low mesh are not in one space: {why}"
        )))
    };
    let ratio = b.diagonal() / a.diagonal().max(1e-9);
    if !SIZES.contains(&ratio) {
        return refuse(format!(
            "the low one is {ratio:.3} times as large. Read one of them in another unit"
        ));
    }
    let (size, own) = (a.max - a.min, b.max - b.min);
    let alike = |size: Vec3| (size - own).abs().max_element() < 0.05 * b.diagonal();
    let turned = [
        (Vec3::new(size.x, size.z, size.y), "y and z are exchanged"),
        (Vec3::new(size.y, size.x, size.z), "x and y are exchanged"),
        (Vec3::new(size.z, size.y, size.x), "x and z are exchanged"),
    ];
    if !alike(size)
        && let Some((_, says)) = turned.into_iter().find(|(size, _)| alike(*size))
    {
        return refuse(format!("{says}. Read one of them with another axis up"));
    }
    let both = (a.max.min(b.max) - a.min.max(b.min)).max(Vec3::ZERO);
    // A flat mesh overlaps by nothing across itself.
    let room = 0.02 * a.diagonal().min(b.diagonal());
    let share = ((both + room) / (size.min(own) + room)).min_element();
    if share >= TOGETHER {
        return Ok(());
    }
    let off = b.centre() - a.centre();
    refuse(format!(
        "the low one lies {} off ({:.3}, {:.3}, {:.3} m). Move one of them",
        figures::length(f64::from(off.length()) * 1e3),
        off.x,
        off.y,
        off.z
    ))
}

/// The name of a picture in a slot that is used and cannot be read.
fn missing(scene: &Scene, slot: &str) -> Option<String> {
    let library = &scene.library;
    let slots = library.image_slots();
    let named = |s: &Vec<String>| s.iter().any(|s| s == slot);
    let images = library.images.iter().zip(&slots);
    images
        .filter(|(_, slots)| named(slots))
        .find(|(image, _)| image.size().is_none())
        .map(|(image, _)| match image.name.as_str() {
            "" => "without a name".to_owned(),
            name => format!("\u{201c}{name}\u{201d}"),
        })
}
