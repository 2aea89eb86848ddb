//! Several UV sheets, as they are handed over.
//!
//! While a layout is worked on, its sheets lie side by side: sheet *k* takes U from *k* to *k* + 1. A material has one set of
//! textures, and what leaves the square from 0 to 1 repeats it, so files need a convention ([`SheetsAs`]) that says which
//! texture belongs to which sheet.

use std::collections::BTreeSet;

use ectome_formats::Scene;
use ectome_mesh::{Mesh, edit};
use serde::{Deserialize, Serialize};

use crate::{Recipe, Step, UvStep};

/// How several sheets are told apart in files.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum SheetsAs {
    /// Each sheet is a material of its own, named for it, and lies in the square from 0 to 1.
    #[default]
    Materials,
    /// The sheets stay side by side, one square each, and textures are numbered for their square (tiles numbered from 1001
    /// along U; common practice, no published source).
    Tiles,
}

impl SheetsAs {
    /// The word in briefs and reports.
    pub fn word(self) -> &'static str {
        match self {
            Self::Materials => "materials",
            Self::Tiles => "tiles",
        }
    }

    /// The convention of a word.
    pub fn of(word: &str) -> Option<Self> {
        [Self::Materials, Self::Tiles]
            .into_iter()
            .find(|c| c.word() == word)
    }

    /// What it means for whoever opens a file.
    pub fn says(self) -> &'static str {
        match self {
            Self::Materials => "each sheet is a material of its own",
            Self::Tiles => "sheets are tiles side by side, numbered from 1001",
        }
    }
}

/// What a material's extras call the sheet that it is.
pub(crate) const SHEET: &str = "uv_sheet";

/// On how many sheets a recipe lays UVs out; 1 where it does not.
pub fn count(recipe: &Recipe) -> u32 {
    // Merging materials lays everything out on one.
    let merged = recipe
        .steps
        .iter()
        .rposition(|s| matches!(s, Step::Merge(_)));
    let after = &recipe.steps[merged.map_or(0, |at| at + 1)..];
    let last = after.iter().rev().find_map(|step| match step {
        Step::Uv(step) => Some(&step.uv),
        _ => None,
    });
    last.map_or(1, |UvStep { packing, .. }| packing.sheet.sheets.max(1))
}

/// The sheet a face lies on, by the middle of its corners.
pub(crate) fn sheet_of(mesh: &Mesh, face: usize, sheets: u32) -> u32 {
    let Some(uv) = mesh.uv_sets.first() else {
        return 0;
    };
    let corners = mesh.face(face);
    let sum: f32 = corners.iter().map(|&v| uv[v as usize].x).sum();
    let middle = sum / corners.len().max(1) as f32;
    (middle.floor().max(0.0) as u32).min(sheets - 1)
}

/// How many materials a scene has once each of its sheets is one.
pub fn materials(mesh: &Mesh, sheets: u32) -> usize {
    let mut pairs = BTreeSet::new();
    for run in &mesh.runs {
        for f in run.faces.clone() {
            pairs.insert((run.material, sheet_of(mesh, f as usize, sheets.max(1))));
        }
    }
    pairs.len()
}

/// A scene whose UVs lie on `sheets` sheets side by side, as files hold it.
#[must_use]
pub fn delivered(mut scene: Scene, sheets: u32, convention: SheetsAs) -> Scene {
    if sheets < 2 || scene.mesh.uv_sets.is_empty() || convention == SheetsAs::Tiles {
        return scene;
    }
    let of_face: Vec<u32> = (0..scene.mesh.face_count())
        .map(|f| sheet_of(&scene.mesh, f, sheets))
        .collect();
    // The material of each pair of a material and a sheet; the first sheet keeps the material it has.
    let mut made: Vec<(Option<u32>, u32, u32)> = Vec::new();
    let run = scene.mesh.run_of_faces();
    let mut material_of = |material: Option<u32>, sheet: u32| -> Option<u32> {
        let own = material.and_then(|m| scene.library.materials.get(m as usize));
        // Baked maps have a material for each sheet already.
        if sheet == 0 || own.is_some_and(|m| m["extras"][SHEET] == sheet + 1) {
            return material;
        }
        if let Some(&(.., found)) = made.iter().find(|(m, s, _)| (*m, *s) == (material, sheet)) {
            return Some(found);
        }
        let library = &mut scene.library;
        let mut copy = material
            .and_then(|m| library.materials.get(m as usize).cloned())
            .unwrap_or_else(|| serde_json::json!({}));
        let name = material.map_or("", |m| library.name(m));
        let name = match name {
            "" => format!("sheet {}", sheet + 1),
            name => format!("{name} sheet {}", sheet + 1),
        };
        copy["name"] = name.into();
        copy["extras"][SHEET] = (sheet + 1).into();
        let new = library.materials.len() as u32;
        library.materials.push(copy);
        made.push((material, sheet, new));
        Some(new)
    };
    let owners: Vec<(u32, Option<u32>)> = of_face
        .iter()
        .enumerate()
        .map(|(f, &sheet)| {
            let run = &scene.mesh.runs[run[f] as usize];
            (run.part, material_of(run.material, sheet))
        })
        .collect();
    let mut shift = vec![0.0; scene.mesh.vertex_count()];
    for (f, &sheet) in of_face.iter().enumerate() {
        for &v in scene.mesh.face(f) {
            shift[v as usize] = sheet as f32;
        }
    }
    let uvs = scene.mesh.uv_sets[0].iter_mut();
    uvs.zip(shift).for_each(|(uv, sheet)| uv.x -= sheet);
    let parts = scene.mesh.parts.clone();
    scene.mesh = edit::rearranged(&scene.mesh, parts, |f| owners[f]);
    scene
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive};
    use glam::{Affine3A, Vec2, Vec3};
    use serde_json::json;

    /// Two squares of one material, the second on the second sheet.
    fn two_sheets() -> Scene {
        let mut builder = MeshBuilder::new();
        for k in 0..2 {
            let x = k as f32;
            let at = |i: f32, j: f32| (Vec3::new(x * 2.0 + i, j, 0.0), Vec2::new(x + 0.9 * i, j));
            let corners = [at(0.0, 0.0), at(1.0, 0.0), at(1.0, 1.0), at(0.0, 1.0)];
            builder
                .part("leaf", Affine3A::IDENTITY)
                .primitive(Primitive {
                    positions: corners.iter().map(|c| c.0).collect(),
                    uv_sets: vec![corners.iter().map(|c| c.1).collect()],
                    corners: vec![0, 1, 2, 0, 2, 3],
                    material: Some(0),
                    ..Primitive::default()
                });
        }
        let mut scene = Scene::from(builder.finish());
        scene.library.materials = vec![json!({ "name": "brass", "doubleSided": true })];
        scene
    }

    #[test]
    fn each_sheet_becomes_a_material_inside_the_square() {
        let scene = two_sheets();
        assert_eq!(materials(&scene.mesh, 2), 2);
        let out = delivered(scene, 2, SheetsAs::Materials);
        out.mesh.check().unwrap();
        assert_eq!(out.library.materials.len(), 2);
        assert_eq!(out.library.name(1), "brass sheet 2");
        assert_eq!(out.library.materials[1]["doubleSided"], json!(true));
        let inside = |uv: &Vec2| (0.0..=1.0).contains(&uv.x);
        assert!(out.mesh.uv_sets[0].iter().all(inside));
        let used: Vec<_> = out.mesh.runs.iter().filter_map(|r| r.material).collect();
        assert_eq!(used, [0, 1]);
    }

    #[test]
    fn tiles_stay_side_by_side_and_one_sheet_is_left_alone() {
        let scene = two_sheets();
        for (sheets, convention) in [(2, SheetsAs::Tiles), (1, SheetsAs::Materials)] {
            let out = delivered(scene.clone(), sheets, convention);
            assert_eq!(out.mesh.uv_sets, scene.mesh.uv_sets);
            assert_eq!(out.library.materials.len(), 1);
        }
    }
}
