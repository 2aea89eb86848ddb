//! A layout as a page shows it: numbers, islands with their outlines, and the surface with figures to colour it by.

use ectome_formats::{FormatError, Scene, glb};
use ectome_uv::{
    face_graph::NONE,
    gap,
    layout::{Layout, twice_area},
    measure,
    stretch::Stretch,
};
use serde::Serialize;

use super::{LONG, UvReport, layout_of, sets_of_textures};

/// The vertex attribute with the number of the island.
pub const ISLAND: &str = "_ISLAND";
/// The vertex attribute with the texel density, in texels per metre.
pub const DENSITY: &str = "_DENSITY";
/// The vertex attribute with the stretch L².
pub const STRETCH: &str = "_STRETCH";

/// An island as the sheet draws it.
#[derive(Clone, Debug, Serialize)]
pub struct SheetIsland {
    /// Its part's number.
    pub part: u32,
    /// The set of textures it uses; islands with different ones lie on different sheets.
    pub textures: u32,
    /// Its triangles.
    pub triangles: usize,
    /// A place on it, in metres.
    pub spot: [f32; 3],
    /// Texels per metre.
    pub density: f64,
    /// Mean stretch L² at its own scale.
    pub stretch: f64,
    /// Largest stretch L∞ at its own scale.
    pub stretch_max: f64,
    /// Area, in square metres.
    pub area_m2: f64,
    /// The first island that lies exactly where this one does.
    pub stack: u32,
    /// It lies inside-out by mistake.
    pub inside_out: bool,
    /// It overlaps another.
    pub overlaps: bool,
    /// It leaves its sheet.
    pub out_of_range: bool,
    /// It is longer than most of the sheet.
    pub over_long: bool,
    /// Sides of its outline: u and v of both ends, one side after another, in widths of the sheet.
    pub outline: Vec<f32>,
}

/// A layout as a page shows it.
#[derive(Clone, Debug)]
pub struct Sheet {
    /// Numbers.
    pub report: UvReport,
    /// Islands, in order.
    pub islands: Vec<SheetIsland>,
    /// Names of the parts.
    pub parts: Vec<String>,
    /// What each set of textures belongs to: the names of its materials.
    pub textures: Vec<String>,
    /// The surface as GLB, with [`ISLAND`], [`DENSITY`] and [`STRETCH`]; empty without UVs.
    pub mesh: Vec<u8>,
}

/// Examines the UVs of a scene of triangles on `sheets` sheets of `size` texels.
///
/// # Errors
/// [`FormatError::TooLarge`].
pub fn of(scene: &Scene, size: u32, sheets: u32) -> Result<Sheet, FormatError> {
    let mesh = &scene.mesh;
    let layout = layout_of(scene, sheets);
    let islands = measure::islands(mesh, &layout);
    let numbers = measure::numbers(mesh, &layout, &islands, size);
    let over_long = ectome_uv::join::over_long(&layout, &islands, LONG);
    let texels = f64::from(size);
    let shown = islands
        .iter()
        .enumerate()
        .map(|(i, island)| {
            let i = i as u32;
            let listed = |list: &[u32]| list.contains(&i);
            // The largest face is the easiest to find again.
            let area =
                |f: u32| ectome_mesh::measure::area_vector(mesh.triangle(f as usize)).length();
            let largest = island
                .faces
                .iter()
                .copied()
                .max_by(|&a, &b| area(a).total_cmp(&area(b)));
            let [a, b, c] = mesh.triangle(largest.unwrap_or(0) as usize);
            SheetIsland {
                part: island.part,
                textures: island.textures,
                triangles: island.faces.len(),
                spot: ((a + b + c) / 3.0).to_array(),
                density: island.density * texels,
                stretch: island.stretch.l2(),
                stretch_max: island.stretch.largest(),
                area_m2: island.area_m2,
                stack: island.stack,
                inside_out: listed(&numbers.inside_out),
                overlaps: listed(&numbers.overlapping),
                out_of_range: listed(&numbers.out_of_range),
                over_long: listed(&over_long),
                outline: gap::outline(&layout, &island.faces)
                    .into_iter()
                    .flatten()
                    .flat_map(|p| [p.x as f32, p.y as f32])
                    .collect(),
            }
        })
        .collect();
    Ok(Sheet {
        islands: shown,
        parts: mesh.parts.iter().map(|p| p.name.clone()).collect(),
        textures: names_of_textures(scene),
        mesh: match layout.count {
            0 => Vec::new(),
            _ => charted(scene, &layout, &islands, texels)?,
        },
        report: UvReport {
            numbers,
            over_long,
            ..UvReport::default()
        },
    })
}

fn names_of_textures(scene: &Scene) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for (m, set) in sets_of_textures(scene).into_iter().enumerate() {
        let own = match scene.library.name(m as u32) {
            "" => format!("material {}", m + 1),
            name => name.to_owned(),
        };
        match names.get_mut(set as usize) {
            Some(list) => *list = format!("{list}, {own}"),
            None => names.push(own),
        }
    }
    names
}

fn charted(
    scene: &Scene,
    layout: &Layout,
    islands: &[measure::Island],
    texels: f64,
) -> Result<Vec<u8>, FormatError> {
    let mesh = &scene.mesh;
    let n = mesh.vertex_count();
    let mut island = vec![-1.0f32; n];
    // Means over the faces around each vertex, weighed by area.
    let mut sums = vec![[0.0f64; 3]; n];
    for f in 0..mesh.face_count() {
        let i = layout.island[f];
        if i == NONE {
            continue;
        }
        let places = mesh.triangle(f).map(|p| p.as_dvec3());
        let area = 0.5
            * (places[1] - places[0])
                .cross(places[2] - places[0])
                .length();
        let mut own = Stretch::default();
        own.add_in_space(places, layout.uv[f]);
        let scale = islands[i as usize].density;
        let density = (0.5 * twice_area(layout.uv[f]).abs() / area.max(1e-300)).sqrt();
        // Relative to its island: own scale taken out, the island's put in.
        let stretch = match own.collapsed() {
            0 => own.l2() * scale / own.scale().max(1e-300),
            _ => 4.0,
        };
        for &v in mesh.face(f) {
            island[v as usize] = i as f32;
            let s = &mut sums[v as usize];
            *s = [s[0] + area, s[1] + area * density, s[2] + area * stretch];
        }
    }
    let mean = |k: usize, times: f64| -> Vec<f32> {
        sums.iter()
            .map(|s| (s[k] * times / s[0].max(1e-300)) as f32)
            .collect()
    };
    glb::charted(
        mesh,
        &[
            (ISLAND, island),
            (DENSITY, mean(1, texels)),
            (STRETCH, mean(2, 1.0)),
        ],
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::UvStep;
    use ectome_mesh::{Progress, shapes};

    #[test]
    fn a_sheet_tells_every_vertex_its_island() {
        let ball = Scene::from(shapes::icosphere(1.0, 3));
        let step = UvStep::unwrap(crate::Manner::Soft);
        let (scene, report) = step.apply(ball, &Progress::new()).unwrap();
        let sheet = of(&scene, 2048, 1).unwrap();
        assert_eq!(sheet.islands.len(), report.numbers.islands);
        assert!(
            sheet
                .islands
                .iter()
                .all(|i| !i.overlaps && i.outline.len() >= 12)
        );
        let back = ectome_formats::glb::read("sheet.glb", &sheet.mesh).unwrap();
        assert_eq!(back.mesh.face_count(), scene.mesh.face_count());
        let text = String::from_utf8_lossy(&sheet.mesh);
        assert!(text.contains(ISLAND) && text.contains(STRETCH) && text.contains(DENSITY));
    }
}
