//! Geometry that the reference library packed (npm draco3d 1.5, both of its methods): a torus of radii 1 and .4 with 24 × 12 quads, its normals,
//! its UVs, and colours that are its UVs. Positions are quantised to 14 bits, normals to 10, UVs to 12.

use std::f32::consts::TAU;

use ectome_formats::glb;
use ectome_mesh::topology::Topology;
use glam::Vec3;
use rstest::rstest;

const EDGEBREAKER: &[u8] = include_bytes!("../data/ring_edgebreaker.glb");
const SEQUENTIAL: &[u8] = include_bytes!("../data/ring_sequential.glb");

#[rstest]
#[case::edgebreaker(EDGEBREAKER)]
#[case::sequential(SEQUENTIAL)]
fn a_packed_torus_is_one(#[case] bytes: &[u8]) {
    let scene = glb::read("ring.glb", bytes).unwrap();
    let mesh = &scene.mesh;
    assert_eq!(mesh.triangle_count(), 576);
    let topology = Topology::of(mesh);
    assert_eq!((topology.open_edges, topology.euler_characteristic), (0, 0));
    for v in 0..mesh.vertex_count() {
        let p = mesh.position(v as u32);
        let ring = Vec3::new(p.x, 0.0, p.z).normalize();
        assert!(
            (p.distance(ring) - 0.4).abs() < 1e-3,
            "{p} is off the torus"
        );
        let off = mesh.normals[v].angle_between(p - ring);
        assert!(off < 0.02, "a normal is {off} off");
        let uv = mesh.uv_sets[0][v];
        let turn = p.z.atan2(p.x).rem_euclid(TAU) / TAU;
        let apart = (uv.x - turn).rem_euclid(1.0);
        assert!(apart.min(1.0 - apart) < 2e-3, "{uv} at {turn}");
        let colour = mesh.colours[v];
        assert!((colour.x - uv.x).abs() < 5e-3 && (colour.z - uv.y).abs() < 5e-3);
    }
}

/// A changed byte is read as another shape, or said to be one; nothing panics, nothing takes the memory of the machine.
#[rstest]
#[case::edgebreaker(EDGEBREAKER)]
#[case::sequential(SEQUENTIAL)]
fn damage_is_said(#[case] bytes: &[u8]) {
    let json = u32::from_le_bytes(bytes[12..16].try_into().unwrap()) as usize;
    let mut faults = 0;
    for at in 20 + json + 8..bytes.len() {
        let mut changed = bytes.to_vec();
        changed[at] ^= [0x01, 0x80, 0xFF][at % 3];
        faults += usize::from(glb::read("ring.glb", &changed).is_err());
    }
    assert!(faults > 50, "{faults}");
}
