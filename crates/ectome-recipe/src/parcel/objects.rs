//! Parts as objects: as they are, or all in one, which a device draws once for each material.

use std::collections::BTreeMap;

use ectome_formats::Scene;
use ectome_mesh::{Channels, Mesh, Part, Run, edit};
use glam::{Affine3A, Vec4};

/// The scene as one object. What some faces lack of normals, UVs or colours and others have, they get: flat normals, a place at the
/// sheet's corner, white; so that only materials divide it.
#[must_use]
pub fn as_one(mut scene: Scene, name: &str) -> Scene {
    let mesh = &mut scene.mesh;
    if mesh.parts.len() > 1 || mesh.runs.len() > 1 {
        fill_in(mesh);
        scene.mesh = by_material(mesh);
    }
    scene.mesh.parts = vec![Part::new(name, Affine3A::IDENTITY)];
    scene.mesh.nodes.clear();
    scene.copies.clear();
    scene
}

/// Gives all runs the channels that any has.
fn fill_in(mesh: &mut Mesh) {
    let used = || {
        mesh.runs
            .iter()
            .filter(|r| !r.faces.is_empty())
            .map(|r| r.channels)
    };
    let all = Channels {
        normals: used().any(|c| c.normals),
        colours: used().any(|c| c.colours),
        uv_sets: used().map(|c| c.uv_sets).max().unwrap_or(0),
    };
    let lacking: Vec<Run> = mesh
        .runs
        .iter()
        .filter(|r| r.channels != all)
        .cloned()
        .collect();
    if lacking.iter().any(|r| all.normals && !r.channels.normals) {
        *mesh = with_flat_normals(mesh);
    }
    let mut colourless = vec![false; mesh.vertex_count()];
    for run in lacking
        .iter()
        .filter(|r| all.colours && !r.channels.colours)
    {
        for f in run.faces.clone() {
            for &v in mesh.face(f as usize) {
                colourless[v as usize] = true;
            }
        }
    }
    for (colour, _) in mesh
        .colours
        .iter_mut()
        .zip(colourless)
        .filter(|(_, is)| *is)
    {
        *colour = Vec4::ONE;
    }
    mesh.runs.iter_mut().for_each(|r| r.channels = all);
}

/// Faces of runs without normals get vertices of their own, with the face's.
fn with_flat_normals(mesh: &Mesh) -> Mesh {
    let mut out = mesh.clone();
    for run in mesh.runs.iter().filter(|r| !r.channels.normals) {
        for f in run.faces.clone() {
            let face = mesh.face(f as usize).to_vec();
            let places: Vec<glam::DVec3> =
                face.iter().map(|&v| mesh.position(v).as_dvec3()).collect();
            // Twice the face's area along its normal, for any number of corners (M. E. Newell).
            let n = places.len();
            let area: glam::DVec3 = (0..n).map(|k| places[k].cross(places[(k + 1) % n])).sum();
            let normal = area.normalize_or(glam::DVec3::Y).as_vec3();
            let first = match &mesh.face_starts {
                Some(starts) => starts[f as usize] as usize,
                None => 3 * f as usize,
            };
            for (k, &v) in face.iter().enumerate() {
                let own = out.copy_vertex(v, mesh.vertex_point[v as usize]);
                out.normals[own as usize] = normal;
                out.corners[first + k] = own;
            }
        }
    }
    out.drop_unused();
    out
}

/// One part whose faces lie in the order of their materials.
fn by_material(mesh: &Mesh) -> Mesh {
    let mut materials: BTreeMap<Option<u32>, u32> =
        mesh.runs.iter().map(|r| (r.material, 0)).collect();
    materials
        .values_mut()
        .zip(0..)
        .for_each(|(slot, n)| *slot = n);
    // A part for each material first, so that the faces of one come together, then all of them as one.
    let run = mesh.run_of_faces();
    let parts = vec![Part::default(); materials.len()];
    let mut out = edit::rearranged(mesh, parts, |f| {
        let material = mesh.runs[run[f] as usize].material;
        (materials[&material], material)
    });
    let mut runs: Vec<Run> = Vec::new();
    for mut run in std::mem::take(&mut out.runs) {
        run.part = 0;
        match runs.last_mut() {
            Some(last) if last.material == run.material && last.channels == run.channels => {
                last.faces.end = run.faces.end;
            }
            _ => runs.push(run),
        }
    }
    out.runs = runs;
    out
}

#[cfg(test)]
mod tests {
    use ectome_mesh::measure;

    use super::*;
    use crate::parcel::{contents::Contents, textures::Coder};

    /// The bell has 51 parts of two materials.
    #[test]
    fn an_assembly_is_drawn_once_for_each_material() {
        let bell = ectome_demo::once::fog_bell();
        let one = as_one(bell.clone(), "bell");
        one.mesh.check().unwrap();
        let (before, after) = (
            Contents::of(&bell, &Coder::default()),
            Contents::of(&one, &Coder::default()),
        );
        assert_eq!((after.draw_calls, after.triangles), (2, before.triangles));
        assert_eq!(one.mesh.parts.len(), 1);
        let (a, b) = (measure::area(&bell.mesh), measure::area(&one.mesh));
        assert!((a - b).abs() < 1e-6 * a);
    }

    /// What has no normals shows flat faces (glTF 2.0, section 3.7.2.1) and does so still when it is joined to what has some.
    #[test]
    fn what_others_have_is_filled_in() {
        let mut scene = ectome_demo::once::fog_bell();
        let runs = &mut scene.mesh.runs;
        runs[1].channels = Channels::default();
        let faces = runs[1].faces.clone();
        let one = as_one(scene.clone(), "bell");
        one.mesh.check().unwrap();
        assert_eq!(Contents::of(&one, &Coder::default()).draw_calls, 2);
        assert_eq!(one.mesh.triangle_count(), scene.mesh.triangle_count());
        let flat = (0..one.mesh.face_count()).filter(|&f| {
            let straight = measure::area_vector(one.mesh.triangle(f))
                .normalize_or_zero()
                .as_vec3();
            one.mesh
                .face(f)
                .iter()
                .all(|&v| one.mesh.normals[v as usize].dot(straight) > 0.999)
        });
        assert!(flat.count() >= faces.len());
    }
}
