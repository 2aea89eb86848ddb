//! One material that looks like a source from far.

use ectome_formats::{Library, Scene};
use ectome_mesh::measure;
use glam::{Vec3, Vec4};
use serde_json::json;

use crate::maps::{Kind, Looks};

/// Faces that are looked at, spread over all of them.
const LOOKED_AT: usize = 20_000;
/// A texture is averaged around the middle of a face over this share of the bounds' diagonal.
const FOOTPRINT: f32 = 0.01;

/// A library of one material of this name: the means over the surface of base colour, roughness and metalness.
pub(super) fn mean_material(scene: &Scene, name: &str) -> Library {
    let looks = Looks::of(scene, &[Kind::BaseColour, Kind::Roughness]);
    let source = looks.source(scene);
    let mesh = &scene.mesh;
    let run_of_face = mesh.run_of_faces();
    let step = (mesh.face_count() / LOOKED_AT).max(1);
    let footprint = FOOTPRINT * measure::bounds(mesh).diagonal();
    let (mut colour, mut rough, mut metal, mut area) = (Vec4::ZERO, 0.0, 0.0, 0.0f32);
    for f in (0..mesh.face_count()).step_by(step) {
        let own = measure::area_vector(mesh.triangle(f)).length() as f32;
        let run = &mesh.runs[run_of_face[f] as usize];
        let material = looks.material(run.material);
        let sample = |slot: &_| source.sample(slot, f, Vec3::splat(1.0 / 3.0), footprint);
        let mut base = material.base;
        if let Some(slot) = &material.base_texture {
            base *= sample(slot);
        }
        if run.channels.colours && !mesh.colours.is_empty() {
            let corners = mesh.face(f);
            let sum: Vec4 = corners.iter().map(|&v| mesh.colours[v as usize]).sum();
            base *= sum / corners.len() as f32;
        }
        let mut surface = [material.roughness, material.metalness];
        if let Some(slot) = &material.rough_metal_texture {
            let texel = sample(slot);
            surface = [surface[0] * texel.y, surface[1] * texel.z];
        }
        colour += own * base;
        rough += own * surface[0];
        metal += own * surface[1];
        area += own;
    }
    let mean = |sum: f32| if area > 0.0 { sum / area } else { 1.0 };
    let [r, g, b] = [colour.x, colour.y, colour.z].map(|v| mean(v).clamp(0.0, 1.0));
    Library {
        materials: vec![json!({
            "name": name,
            "pbrMetallicRoughness": {
                "baseColorFactor": [r, g, b, 1.0],
                "roughnessFactor": mean(rough).clamp(0.0, 1.0),
                "metallicFactor": mean(metal).clamp(0.0, 1.0),
            }
        })],
        ..Library::default()
    }
}
