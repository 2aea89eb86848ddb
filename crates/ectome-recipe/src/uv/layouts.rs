//! The layout of a scene: what lies on which sheet.

use ectome_formats::Scene;
use ectome_uv::layout::Layout;

use crate::sheets;

/// The layout of a scene on `sheets` sheets, faces with different textures on different sheets.
pub(crate) fn layout_of(scene: &Scene, sheets: u32) -> Layout {
    let mut layout = Layout::of(&scene.mesh);
    layout.sheets = sheets;
    let textures = sets_of_textures(scene);
    layout.textures = vec![0; layout.island.len()];
    for run in &scene.mesh.runs {
        let set = run
            .material
            .and_then(|m| textures.get(m as usize))
            .copied()
            .unwrap_or(0);
        layout.textures[run.faces.start as usize..run.faces.end as usize].fill(set);
    }
    layout
}

/// The set of textures of each material: materials with the same pictures share one, and those without any do, unless they were
/// written as sheets of their own.
pub(crate) fn sets_of_textures(scene: &Scene) -> Vec<u32> {
    let mut known: Vec<([Option<usize>; 2], Option<u64>)> = Vec::new();
    (0..scene.library.materials.len() as u32)
        .map(|m| {
            let library = &scene.library;
            let pictures = [
                library.base_colour_image(m).map(|i| i.0),
                library.normal_image(m).map(|i| i.0),
            ];
            let sheet = &library.materials[m as usize]["extras"][sheets::SHEET];
            let key = (pictures, sheet.as_u64());
            let at = known.iter().position(|k| *k == key).unwrap_or_else(|| {
                known.push(key);
                known.len() - 1
            });
            at as u32
        })
        .collect()
}
