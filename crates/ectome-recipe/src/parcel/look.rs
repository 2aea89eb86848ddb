//! Tiers as their files hold them, read again and drawn beside the source.

use ectome_formats::{FileSet, Scene, files, glb};
use ectome_mesh::Progress;
use serde_json::Value;

use super::{ALL_TIERS, Delivered, checks::is_mesh, files::File, placed};
use crate::{
    Brief, EngineError, figures::counted, maps::Looks, sight::Seen, sight::Sight,
    triangles::triangulated,
};

/// What is seen of each tier beside a source of triangles that lies where the tiers lie; nothing where no file of it holds materials that can be
/// drawn.
///
/// # Errors
/// [`EngineError::Format`] where a file cannot be read again, [`EngineError::Cancelled`].
pub(super) fn of_files(
    brief: &Brief,
    source: &Scene,
    tiers: &[Delivered],
    written: &[File],
    options: &glb::Options,
    progress: &Progress,
) -> Result<Vec<Seen>, EngineError> {
    progress.stage("Looking at the files");
    let looks = Looks::as_drawn(source);
    let sight = Sight::of(source, &looks);
    let mut list = Vec::new();
    for (n, tier) in tiers.iter().enumerate() {
        progress.at(n as f32 / tiers.len() as f32)?;
        list.push(match read_again(brief, tier, written, options)? {
            Some(scene) if can_be_drawn(&scene) => {
                let scene = triangulated(scene, progress)?;
                sight.beside(&scene, &Looks::as_drawn(&scene))
            }
            _ => Seen::default(),
        });
    }
    Ok(list)
}

/// Says how many tiers were looked at.
pub(super) fn says(seen: &[Seen]) -> String {
    let drawn = seen.iter().filter(|s| !s.looks.is_empty()).count();
    match seen.len() - drawn {
        0 => format!(
            "{} drawn from their files beside the source.",
            counted(drawn as u64, "tier")
        ),
        left => format!(
            "{} drawn from their files beside the source; {left} not, since their files hold no pictures that can be read here.",
            counted(drawn as u64, "tier")
        ),
    }
}

/// A tier from the file that holds the most of it: glTF before OBJ. Where all tiers lie in one file, what that file's writer makes of the
/// tier by itself.
fn read_again(
    brief: &Brief,
    tier: &Delivered,
    written: &[File],
    options: &glb::Options,
) -> Result<Option<Scene>, EngineError> {
    let of_tier = |ends: &[&str]| {
        let is = |f: &&File| f.of == tier.name && ends.contains(&files::extension_of(&f.name));
        written.iter().find(is)
    };
    let beside = |file: &File| -> Result<Scene, EngineError> {
        let wanted = |f: &&File| f.name == file.name || !is_mesh(&f.name);
        let set = written.iter().filter(wanted);
        let set = FileSet::new(set.map(|f| (f.name.as_str(), &f.bytes[..])));
        Ok(files::read(&set)?)
    };
    if let Some(file) = of_tier(&["glb", "gltf"]) {
        return beside(file).map(Some);
    }
    if written.iter().any(|f| f.of == ALL_TIERS) {
        let scene = triangulated(tier.scene.clone(), &Progress::new())?;
        let bytes = glb::write(&scene, options)?;
        let set = FileSet::new([("tier.glb", &bytes[..])]);
        return Ok(Some(files::read(&set)?));
    }
    let Some(file) = of_tier(&["obj"]) else {
        return Ok(None);
    };
    let mut scene = beside(file)?;
    scene.mesh = placed::space(&brief.delivery).applied(&scene.mesh);
    // OBJ cannot say it; whoever takes it in sets it as the materials had it.
    for material in &mut scene.library.materials {
        let own = |m: &&Value| m["name"] == material["name"];
        if let Some(own) = tier.scene.library.materials.iter().find(own)
            && let Some(two_sided) = own.get("doubleSided")
        {
            material["doubleSided"] = two_sided.clone();
        }
    }
    Ok(Some(scene))
}

/// False where pictures are coded for devices: they are not decoded here.
fn can_be_drawn(scene: &Scene) -> bool {
    scene.library.images.iter().all(|i| i.mime != "image/ktx2")
}
