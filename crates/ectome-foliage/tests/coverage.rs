//! A pruned crown beside the whole one, from directions that pruning did not look from.

use ectome_foliage::{Foliage, examples};
use ectome_mesh::together::together;
use ectome_raster::{Camera, Surfaces, seen_faces};
use glam::Vec3;
use rstest::rstest;

/// Directions beside those that pruning looks from: a Fibonacci lattice on the sphere (Á. González, *Measurement of Areas on a Sphere Using
/// Fibonacci and Latitude–Longitude Lattices*, 2010).
fn directions() -> impl Iterator<Item = Vec3> {
    const N: usize = 26;
    let golden = std::f32::consts::PI * (3.0 - 5f32.sqrt());
    (0..N).map(move |i| {
        let y = 1.0 - 2.0 * (i as f32 + 0.5) / N as f32;
        let r = (1.0 - y * y).sqrt();
        let turn = golden * i as f32;
        Vec3::new(r * turn.cos(), y, r * turn.sin())
    })
}

#[rstest]
#[case::thousand(1000)]
#[case::three_hundred(300)]
#[case::sixty(60)]
fn a_tree_of_3000_cards_covers_what_it_did(#[case] triangles: usize) {
    let (tree, materials, textures) = examples::tree(3000);
    let surfaces = Surfaces {
        materials: &materials,
        textures: &textures,
        either_side: &[],
    };
    let foliage = Foliage::of(&tree, &surfaces, 8).unwrap();
    assert_eq!((foliage.count(), foliage.triangles()), (3000, 6000));
    let pruned = foliage.pruned(&tree, &surfaces, triangles);
    assert!(pruned.mesh.triangle_count() <= triangles);
    assert_eq!(pruned.mesh.triangle_count(), 2 * pruned.kept);
    // UVs are those of whole leaves.
    assert!(
        pruned.mesh.uv_sets[0]
            .iter()
            .all(|uv| uv.x.fract() == 0.0 && uv.y.fract() == 0.0)
    );
    let low = together(&foliage.rest(&tree), &pruned.mesh);
    assert_eq!(low.check(), Ok(()));
    let covered = |mesh: &ectome_mesh::Mesh| -> usize {
        let seen = directions().map(|eye| {
            let camera = Camera::from_direction(&tree, eye, 200, 200);
            let seen = seen_faces(mesh, &surfaces, &camera);
            seen.iter().filter(|s| s.is_some()).count()
        });
        seen.sum()
    };
    let (before, after) = (covered(&tree) as f64, covered(&low) as f64);
    let off = after / before - 1.0;
    assert!(
        off.abs() < 0.05,
        "{:.1} % of coverage, edges {} times as long",
        off * 100.0,
        pruned.grown
    );
}

#[test]
fn what_fits_stays_as_it_is() {
    let (crown, materials, textures) = examples::crown(100);
    let surfaces = Surfaces {
        materials: &materials,
        textures: &textures,
        either_side: &[],
    };
    let foliage = Foliage::of(&crown, &surfaces, 8).unwrap();
    let pruned = foliage.pruned(&crown, &surfaces, 200);
    assert_eq!((pruned.kept, pruned.grown), (100, 1.0));
    assert_eq!(pruned.mesh, crown);
    assert!(Foliage::of(&crown, &surfaces, 101).is_none());
    // The same for any number of threads.
    let one = rayon::ThreadPoolBuilder::new()
        .num_threads(1)
        .build()
        .unwrap();
    let alone = one.install(|| foliage.pruned(&crown, &surfaces, 60).mesh);
    assert_eq!(alone, foliage.pruned(&crown, &surfaces, 60).mesh);
}
