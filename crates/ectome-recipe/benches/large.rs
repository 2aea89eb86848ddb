//! A source too large to be analysed at once goes through a session block by block. Slow: a minute and two gigabytes.
//!
//! `cargo bench -p ectome-recipe --bench large`

use ectome_formats::Scene;
use ectome_mesh::{Progress, shapes, topology::Topology};
use ectome_recipe::{CutSettings, Session, Target};

/// Closed form: a point of a torus is as far from its ring as the tube is thick.
fn main() {
    const RING: f32 = 1.0;
    const TUBE: f32 = 0.35;
    let mesh = shapes::torus(RING, TUBE, 2900, 1440);
    assert!(mesh.triangle_count() > ectome_reduce::LARGE);
    let progress = Progress::new();
    let started = std::time::Instant::now();
    let session = Session::new(Scene::from(mesh), CutSettings::default(), None, &progress).unwrap();
    for target in [100_000, 5000] {
        let (cut, report) = session.cut(Target::Triangles(target), &progress).unwrap();
        let mesh = &cut.mesh;
        assert_eq!(mesh.triangle_count(), target as usize);
        let topology = Topology::of(mesh);
        assert_eq!((topology.open_edges, topology.euler_characteristic), (0, 0));
        assert_eq!(report.flipped_faces, 0);
        let off = mesh.points.iter().map(|p| {
            let ring = (p.x.hypot(p.z) - RING).hypot(p.y);
            (ring - TUBE).abs()
        });
        let worst = off.fold(0.0, f32::max);
        println!(
            "{target}: points at most {worst:.5} m off, {:.1} s",
            started.elapsed().as_secs_f64()
        );
        // Twice the sagitta of faces of that size on the tube: faces are longer along the ring than across it.
        let face = (4.0 * std::f32::consts::PI.powi(2) * RING * TUBE / target as f32).sqrt();
        assert!(worst < face * face / (2.0 * TUBE), "{worst}");
    }
}
