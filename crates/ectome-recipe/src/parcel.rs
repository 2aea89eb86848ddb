//! What is handed over: a scene in the formats that a brief names.

use ectome_formats::{Scene, glb, obj_write, ply_write};
use ectome_mesh::Progress;

use crate::{EngineError, step::triangulated};

/// A scene as one tier of a parcel: `suffix` stands behind the names of its parts, and `notice`, what is known of origin and
/// licence, behind its own.
#[must_use]
pub fn as_tier(mut scene: Scene, suffix: &str, notice: Option<&str>) -> Scene {
    let parts = &mut scene.mesh.parts;
    parts.iter_mut().for_each(|p| p.name.push_str(suffix));
    if let Some(notice) = notice {
        let own = scene.copyright.take();
        scene.copyright =
            Some(own.map_or_else(|| notice.to_owned(), |own| format!("{own}. {notice}")));
    }
    scene
}

/// The files of a scene called `stem` in each format: `obj` with what belongs to it, `ply`, and `glb` for everything else. Where a
/// format can hold polygons, they stay; GLB knows triangles only.
///
/// # Errors
/// See [`EngineError`].
pub fn files(
    stem: &str,
    scene: &Scene,
    formats: &[String],
) -> Result<Vec<(String, Vec<u8>)>, EngineError> {
    let mut files = Vec::new();
    for format in formats {
        match format.as_str() {
            "obj" => files.extend(obj_write::write(scene, stem)?),
            "ply" => files.push((format!("{stem}.ply"), ply_write::write(scene)?)),
            _ => files.push((format!("{stem}.glb"), glb(scene)?)),
        }
    }
    Ok(files)
}

/// A scene as GLB.
///
/// # Errors
/// See [`EngineError`].
pub fn glb(scene: &Scene) -> Result<Vec<u8>, EngineError> {
    let triangles = triangulated(scene.clone(), &Progress::new())?;
    Ok(glb::write(&triangles, &glb::Naming::default())?)
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
        let tier = as_tier(scene, "_LOD1", Some("Licence: none."));
        let formats = ["glb", "obj", "ply"].map(str::to_owned);
        let files = files("float_LOD1", &tier, &formats).unwrap();
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
