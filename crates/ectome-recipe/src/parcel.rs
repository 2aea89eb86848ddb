//! What is handed over: a scene in the formats that a brief names.

use ectome_formats::{Scene, glb, obj_write, ply_write};
use ectome_mesh::Progress;

use crate::{
    EngineError,
    sheets::{self, SheetsAs},
    step::triangulated,
    textures,
};

/// What a file of a parcel carries beside the mesh.
#[derive(Clone, Debug, Default)]
pub struct Marks {
    /// Stands behind the names of parts.
    pub suffix: String,
    /// What is known of origin and licence: stands behind the scene's own.
    pub notice: Option<String>,
    /// Sheets that the UVs lie on.
    pub sheets: u32,
    /// How they are told apart.
    pub sheets_as: SheetsAs,
    /// The longest side that textures may have, in texels; 0 leaves them as they are.
    pub texture_px: u32,
}

/// A scene as one tier of a parcel.
#[must_use]
pub fn as_tier(scene: Scene, marks: &Marks) -> Scene {
    let mut scene = sheets::delivered(scene, marks.sheets, marks.sheets_as);
    if marks.texture_px > 0 {
        scene.library = textures::limited(&scene.library, marks.texture_px);
    }
    let suffix = &marks.suffix;
    let parts = &mut scene.mesh.parts;
    parts.iter_mut().for_each(|p| p.name.push_str(suffix));
    let of_sheets = (marks.sheets > 1)
        .then(|| format!("{} UV sheets: {}.", marks.sheets, marks.sheets_as.says()));
    for notice in marks.notice.iter().chain(&of_sheets) {
        let own = scene.copyright.take();
        scene.copyright = Some(own.map_or_else(|| notice.clone(), |own| after(&own, notice)));
    }
    scene
}

/// One sentence behind another.
fn after(first: &str, second: &str) -> String {
    let stop = if first.ends_with('.') { "" } else { "." };
    format!("{first}{stop} {second}")
}

/// The files of a scene called `stem` in each format: `obj` with what belongs to it, `ply`, and `glb` for everything else. Where a
/// format can hold polygons, they stay; GLB knows triangles only. GLB alone can hang objects in the `hierarchy` of their source.
///
/// # Errors
/// See [`EngineError`].
pub fn files(
    stem: &str,
    scene: &Scene,
    formats: &[String],
    hierarchy: bool,
) -> Result<Vec<(String, Vec<u8>)>, EngineError> {
    let mut files = Vec::new();
    for format in formats {
        match format.as_str() {
            "obj" => files.extend(obj_write::write(scene, stem)?),
            "ply" => files.push((format!("{stem}.ply"), ply_write::write(scene)?)),
            _ => files.push((format!("{stem}.glb"), glb(scene, hierarchy)?)),
        }
    }
    Ok(files)
}

/// A scene as GLB, its objects beside each other or in the tree of their source.
///
/// # Errors
/// See [`EngineError`].
pub fn glb(scene: &Scene, hierarchy: bool) -> Result<Vec<u8>, EngineError> {
    let triangles = triangulated(scene.clone(), &Progress::new())?;
    let naming = glb::Naming {
        tangents: true,
        hierarchy,
        ..glb::Naming::default()
    };
    Ok(glb::write(&triangles, &naming)?)
}

#[cfg(test)]
mod tests {
    use ectome_mesh::shapes;

    use super::*;

    #[test]
    fn every_file_of_a_tier_carries_names_and_notice() {
        let mut scene = Scene::from(shapes::icosphere(1.0, 1));
        scene.mesh.parts[0].name = "float".to_owned();
        scene.copyright = Some("By nobody".to_owned());
        let marks = Marks {
            suffix: "_LOD1".to_owned(),
            notice: Some("Licence: none.".to_owned()),
            ..Marks::default()
        };
        let tier = as_tier(scene, &marks);
        let formats = ["glb", "obj", "ply"].map(str::to_owned);
        let files = files("float_LOD1", &tier, &formats, false).unwrap();
        let names: Vec<&str> = files.iter().map(|f| f.0.as_str()).collect();
        for ending in [".glb", ".obj", ".ply"] {
            assert!(
                names.contains(&format!("float_LOD1{ending}").as_str()),
                "{names:?}"
            );
        }
        for (name, bytes) in files.iter().filter(|(n, _)| !n.ends_with(".mtl")) {
            let text = String::from_utf8_lossy(bytes);
            assert!(text.contains("By nobody. Licence: none."), "{name}");
            assert!(
                text.contains("float_LOD1") || name.ends_with(".ply"),
                "{name}"
            );
        }
    }
}
