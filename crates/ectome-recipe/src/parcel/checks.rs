//! What trips importers, looked for in what is really handed over.

use std::collections::HashSet;

use ectome_formats::{FileSet, Scene, files, glb};
use ectome_mesh::{Mesh, Progress, measure, topology::Topology};
use serde::{Deserialize, Serialize};

use super::{Delivered, contents::Contents, files::File, placed};
use crate::{
    Brief,
    figures::{counted, grouped},
    triangles::triangulated,
};

/// One thing that was looked for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Check {
    /// What.
    pub what: String,
    /// What was found, in a sentence.
    pub says: String,
    /// Whether importers take it.
    pub passes: bool,
}

impl Check {
    pub(super) fn of(what: &str, passes: bool, says: String) -> Self {
        Self {
            what: what.to_owned(),
            says,
            passes,
        }
    }
}

/// The largest side of an asset that is plausible, in metres: beyond, a unit was mistaken (common practice, no published source).
const LARGEST_M: f32 = 1000.0;
/// And the smallest.
const SMALLEST_M: f32 = 0.001;

/// Looks at the tiers and the files of a parcel.
pub(super) fn all(
    brief: &Brief,
    tiers: &[Delivered],
    contents: &[Contents],
    files: &[File],
) -> Vec<Check> {
    let scenes = || tiers.iter().map(|t| &t.scene);
    let mut list = vec![
        names(scenes()),
        degenerate(scenes()),
        unused(scenes()),
        scale(scenes()),
    ];
    let sets = scenes().map(|s| s.mesh.uv_sets.len()).max().unwrap_or(0);
    list.push(Check::of(
        "UV sets",
        sets <= brief.uv_sets as usize,
        format!(
            "{} of {} allowed.",
            counted(sets as u64, "UV set"),
            brief.uv_sets
        ),
    ));
    let materials = contents.iter().map(|c| c.materials).max().unwrap_or(0);
    list.push(Check::of(
        "Materials",
        materials <= brief.materials as usize,
        match brief.materials {
            u32::MAX => format!("{}.", counted(materials as u64, "material")),
            allowed => format!(
                "{} of {allowed} allowed.",
                counted(materials as u64, "material")
            ),
        },
    ));
    list.push(textures(brief, contents));
    list.push(indices(brief, scenes()));
    list.push(read_back(brief, tiers, files));
    list
}

/// Names are there, and no two objects or materials of a file have one.
fn names<'a>(scenes: impl Iterator<Item = &'a Scene>) -> Check {
    let mut faults = Vec::new();
    for scene in scenes {
        let held: HashSet<u32> = scene
            .mesh
            .runs
            .iter()
            .filter(|r| !r.faces.is_empty())
            .map(|r| r.part)
            .collect();
        let objects = held
            .iter()
            .map(|&p| scene.mesh.parts[p as usize].name.as_str());
        let materials = (0..scene.library.materials.len() as u32).map(|m| scene.library.name(m));
        for (what, list) in [
            ("object", objects.collect::<Vec<_>>()),
            ("material", materials.collect()),
        ] {
            let mut seen = HashSet::new();
            for name in list {
                if name.trim().is_empty() {
                    faults.push(format!("an {what} has no name"));
                } else if !seen.insert(name.to_lowercase()) {
                    faults.push(format!("two {what}s are called {name}"));
                }
            }
        }
    }
    faults.dedup();
    let says = match faults.first() {
        None => "Every object and material has a name of its own.".to_owned(),
        Some(first) => format!("{} faults: {first}.", grouped(faults.len())),
    };
    Check::of("Names", faults.is_empty(), says)
}

/// Whether a face has two corners at one place.
pub(super) fn is_degenerate(mesh: &Mesh, face: usize) -> bool {
    let corners = mesh.face(face);
    let n = corners.len();
    (0..n).any(|i| (0..i).any(|k| mesh.position(corners[i]) == mesh.position(corners[k])))
}

fn degenerate<'a>(scenes: impl Iterator<Item = &'a Scene>) -> Check {
    let count: usize = scenes
        .map(|s| {
            (0..s.mesh.face_count())
                .filter(|&f| is_degenerate(&s.mesh, f))
                .count()
        })
        .sum();
    Check::of(
        "Degenerate triangles",
        count == 0,
        match count {
            0 => "No triangle has two corners at one place.".to_owned(),
            n => format!(
                "{} have two corners at one place.",
                counted(n as u64, "triangle")
            ),
        },
    )
}

fn unused<'a>(scenes: impl Iterator<Item = &'a Scene>) -> Check {
    let count: usize = scenes
        .map(|s| {
            let mut used = vec![false; s.mesh.vertex_count()];
            s.mesh.corners.iter().for_each(|&v| used[v as usize] = true);
            used.iter().filter(|u| !**u).count()
        })
        .sum();
    Check::of(
        "Unused vertices",
        count == 0,
        match count {
            0 => "Every vertex is used.".to_owned(),
            1 => "1 vertex is used by no triangle.".to_owned(),
            n => format!("{} vertices are used by no triangle.", grouped(n)),
        },
    )
}

fn scale<'a>(scenes: impl Iterator<Item = &'a Scene>) -> Check {
    let sides = scenes.map(|s| {
        let bounds = measure::bounds(&s.mesh);
        (bounds.max - bounds.min).max_element()
    });
    let largest = sides.fold(0.0f32, f32::max);
    let says = match largest {
        l if l > LARGEST_M => format!(
            "The longest side is {l:.0} m. Was the unit mistaken? Set it on the Intake step."
        ),
        l if l < SMALLEST_M => format!(
            "The longest side is {:.4} mm. Was the unit mistaken? Set it on the Intake step.",
            l * 1e3
        ),
        l => format!("The longest side is {l:.3} m."),
    };
    Check::of("Size", (SMALLEST_M..=LARGEST_M).contains(&largest), says)
}

fn textures(brief: &Brief, contents: &[Contents]) -> Check {
    let most = brief.texture_px;
    let all = || contents.iter().flat_map(|c| &c.textures);
    let large = all().find(|t| t.width.max(t.height) > most);
    let odd = all().find(|t| {
        brief.delivery.powers_of_two && !(t.width.is_power_of_two() && t.height.is_power_of_two())
    });
    let unread = all().find(|t| t.width == 0);
    let says = match (large, odd, unread) {
        (Some(t), ..) => format!(
            "{} has {} × {} texels; {most} are allowed.",
            t.name, t.width, t.height
        ),
        (_, Some(t), _) => format!(
            "{} has {} × {} texels, no powers of two.",
            t.name, t.width, t.height
        ),
        (.., Some(t)) => format!("{} cannot be read as a picture.", t.name),
        _ if all().next().is_none() => "There are none.".to_owned(),
        _ => format!("None has more than {most} texels on a side."),
    };
    Check::of("Textures", large.or(odd).or(unread).is_none(), says)
}

fn indices<'a>(brief: &Brief, scenes: impl Iterator<Item = &'a Scene>) -> Check {
    let vertices = |scene: &Scene| {
        let mesh = &scene.mesh;
        let of_run = mesh.runs.iter().map(|r| {
            let mut used: Vec<u32> = r
                .faces
                .clone()
                .flat_map(|f| mesh.face(f as usize).to_vec())
                .collect();
            used.sort_unstable();
            used.dedup();
            used.len()
        });
        of_run.max().unwrap_or(0)
    };
    let largest = scenes.map(vertices).max().unwrap_or(0);
    let bits = brief.delivery.index_bits;
    // 65 535 is the restart value and no index.
    let fits = bits == 32 || largest < 65_535;
    let says = match (fits, largest < 65_535) {
        (_, true) => "Indices of 16 bits reach every vertex.".to_owned(),
        (true, false) => "The largest object needs indices of 32 bits.".to_owned(),
        (false, false) => format!(
            "The largest object has {} vertices, more than indices of 16 bits reach. Split it into parts, or allow fewer triangles.",
            grouped(largest)
        ),
    };
    Check::of("Index width", fits, says)
}

pub(super) fn is_mesh(name: &str) -> bool {
    files::MESHES.contains(&files::extension_of(name))
}

/// Every mesh file is read again: it must hold as many triangles, at the same places.
fn read_back(brief: &Brief, tiers: &[Delivered], written: &[File]) -> Check {
    let mut meshes = 0;
    let mut fault = None;
    for file in written {
        if !is_mesh(&file.name) || file.of == super::PAIR {
            continue;
        }
        meshes += 1;
        let own: Vec<&Delivered> = tiers
            .iter()
            .filter(|t| file.of == super::ALL_TIERS || t.name == file.of)
            .collect();
        // One file at a time, with all that it may refer to.
        let one = FileSet::new(
            written
                .iter()
                .filter(|f| f.name == file.name || !is_mesh(&f.name))
                .map(|f| (f.name.as_str(), &f.bytes[..])),
        );
        let in_metres = ["glb", "gltf"].contains(&files::extension_of(&file.name));
        match files::read(&one) {
            Err(e) => fault = fault.or(Some(format!("{}: {e}", file.name))),
            Ok(mut back) => {
                if !in_metres {
                    back.mesh = placed::space(&brief.delivery).applied(&back.mesh);
                }
                // With MSFT_lod the scene is the first tier alone; coarser ones hang beside it.
                let counts: Vec<usize> =
                    own.iter().map(|t| t.scene.mesh.triangle_count()).collect();
                let found = back.mesh.triangle_count();
                let whole: usize = counts.iter().sum();
                if found != whole && Some(&found) != counts.first() {
                    fault = fault.or(Some(format!(
                        "{} holds {} triangles instead of {}",
                        file.name,
                        grouped(found),
                        grouped(whole)
                    )));
                }
                // Whole numbers move points, and what falls together opens edges of its own.
                let is_plain = brief.delivery.geometry.coding() == glb::Coding::Plain || !in_metres;
                if let ([tier], true) = (&own[..], is_plain) {
                    let open = |mesh: &Mesh| Topology::of(mesh).open_edges;
                    let triangles = triangulated(tier.scene.clone(), &Progress::new());
                    let before = triangles.map_or(usize::MAX, |t| open(&t.mesh));
                    let after =
                        triangulated(back.clone(), &Progress::new()).map_or(0, |b| open(&b.mesh));
                    if after > before {
                        fault = fault.or(Some(format!(
                            "{} has {} open edges where its tier has {}: its objects came apart",
                            file.name,
                            grouped(after),
                            grouped(before)
                        )));
                    }
                }
                let wanted = own.first().map(|t| measure::bounds(&t.scene.mesh));
                let found = measure::bounds(&back.mesh);
                if let Some(wanted) = wanted {
                    let near = 1e-3 * wanted.diagonal();
                    let off = (found.min - wanted.min)
                        .abs()
                        .max((found.max - wanted.max).abs());
                    if own.len() == 1 && off.max_element() > near {
                        fault =
                            fault.or(Some(format!("{} lies elsewhere than its tier", file.name)));
                    }
                }
            }
        }
    }
    let says = match &fault {
        None => format!(
            "{} read again: the same triangles at the same places, no edge torn.",
            counted(meshes, "mesh file")
        ),
        Some(fault) => format!("{fault}."),
    };
    Check::of("Read back", fault.is_none(), says)
}
