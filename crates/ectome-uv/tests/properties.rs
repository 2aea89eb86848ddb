//! Whatever is unwrapped and packed: nothing is turned over, nothing overlaps, nothing comes nearer than the padding.

mod common;

use common::laid_out;
use ectome_mesh::{Mesh, Progress, edit, shapes};
use ectome_uv::{
    arrange::{self, Wishes},
    measure,
    pack::{Settings, Turns},
    unwrap::{self, Manner, Options},
};
use glam::Vec3;
use proptest::prelude::*;

/// A ball or a ring, bent by waves and with some faces missing.
fn bent() -> impl Strategy<Value = Mesh> {
    let wave = (
        prop::array::uniform3(-6.0f32..6.0),
        0.0f32..0.25,
        0.0f32..6.0,
    );
    (
        any::<bool>(),
        prop::collection::vec(wave, 0..4),
        prop::collection::vec(0usize..320, 0..12),
        prop::array::uniform3(0.3f32..2.0),
    )
        .prop_map(|(ring, waves, missing, scale)| {
            let mut mesh = if ring {
                shapes::torus(1.0, 0.35, 20, 8)
            } else {
                shapes::icosphere(1.0, 2)
            };
            for p in &mut mesh.points {
                let out = p.normalize();
                for (k, height, phase) in &waves {
                    *p += out * *height * (Vec3::from_array(*k).dot(*p) + phase).sin();
                }
                *p *= Vec3::from_array(scale);
            }
            edit::kept(&mesh, |f| !missing.contains(&f))
        })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, ..ProptestConfig::default() })]

    #[test]
    fn nothing_folds_overlaps_or_comes_too_near(
        mesh in bent(),
        mechanical in any::<bool>(),
        padding in 0u32..24,
        turns in prop::sample::select(vec![Turns::Never, Turns::Quarter, Turns::Free]),
    ) {
        let manner = if mechanical { Manner::Mechanical } else { Manner::Soft };
        let padding = f64::from(padding);
        let settings = Settings { size: 1024, padding, border: padding, turns, ..Settings::default() };
        let (layout, n) = laid_out(&mesh, manner, &settings);
        prop_assert_eq!((n.flipped_triangles, n.without_uvs), (0, 0));
        prop_assert_eq!((n.inside_out.len(), n.overlapping.len(), n.out_of_range.len()), (0, 0, 0));
        prop_assert!(n.overlap_percent < 1e-9, "{:?}", n);
        prop_assert!(n.smallest_gap_texels.unwrap() >= padding - 1e-6, "{:?}", n);
        prop_assert!(n.density_spread_percent <= 2.0, "{:?}", n);
        let bound = manner.bound(1.0);
        prop_assert!(n.stretch_l2 <= bound.l2 + 1e-6 && n.stretch_max <= bound.largest * 1.05, "{:?}", n);
        // What is written is what was measured.
        let with = layout.applied(&mesh);
        prop_assert!(with.check().is_ok());
        let back = ectome_uv::layout::Layout::of(&with);
        let again = measure::numbers(&with, &back, &measure::islands(&with, &back), 1024);
        prop_assert_eq!(again.islands, n.islands);
        prop_assert!(again.smallest_gap_texels.unwrap() >= padding, "{:?}", again);
    }

    /// The same mesh is laid out the same way, whatever the number of threads.
    #[test]
    fn threads_change_nothing(mesh in bent()) {
        let settings = Settings { size: 512, effort: 2, ..Settings::default() };
        let with = |n: usize| {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(n).build().unwrap();
            pool.install(|| laid_out(&mesh, Manner::Soft, &settings).0)
        };
        prop_assert_eq!(with(1), with(3));
    }
}

#[test]
fn several_sheets_hold_more_and_islands_stay_whole() {
    let mesh = shapes::torus(1.0, 0.4, 48, 24);
    let one = Settings::default();
    let two = Settings {
        sheets: 2,
        ..Settings::default()
    };
    let (_, a) = laid_out(&mesh, Manner::Soft, &one);
    let (layout, b) = laid_out(&mesh, Manner::Soft, &two);
    assert!(b.texels_per_metre > 1.2 * a.texels_per_metre, "{a:?} {b:?}");
    assert_eq!(
        (b.sheets, b.out_of_range.len(), b.overlapping.len()),
        (2, 0, 0)
    );
    assert!(b.smallest_gap_texels.unwrap() >= 8.0);
    assert!(layout.uv.iter().flatten().any(|p| p.x > 1.0));
}

#[test]
fn a_locked_island_stays_and_others_keep_off_it() {
    let mesh = shapes::torus(1.0, 0.4, 48, 24);
    let settings = Settings::default();
    let (layout, _) = laid_out(&mesh, Manner::Soft, &settings);
    let islands = measure::islands(&mesh, &layout);
    let mut locked = vec![false; islands.len()];
    locked[2] = true;
    let wishes = Wishes {
        locked,
        sizes: vec![0.7; islands.len()],
        ..Wishes::default()
    };
    let again = arrange::pack(&layout, &islands, &wishes, &settings, &Progress::new()).unwrap();
    let now = measure::islands(&mesh, &again);
    assert_eq!((now[2].low, now[2].high), (islands[2].low, islands[2].high));
    let n = measure::numbers(&mesh, &again, &now, settings.size);
    assert!(
        n.overlapping.is_empty() && n.smallest_gap_texels.unwrap() >= 8.0 - 1e-6,
        "{n:?}"
    );
}

#[test]
fn more_effort_is_never_worse() {
    let mesh = shapes::torus(1.0, 0.4, 48, 24);
    let at = |effort| {
        let settings = Settings {
            effort,
            ..Settings::default()
        };
        laid_out(&mesh, Manner::Soft, &settings).1.texels_per_metre
    };
    assert!(at(6) >= at(0) * 0.999);
}

#[test]
fn a_marked_seam_parts_islands_and_a_closed_edge_joins_them() {
    let mesh = common::wall([0.5, 0.5], 2.0, 32, 8);
    let ground = unwrap::Ground::of(&mesh);
    let faces: Vec<u32> = (0..mesh.face_count() as u32).collect();
    // A ring around the middle of the wall, edge by edge.
    let ring: Vec<u32> = ground
        .surface
        .edges
        .iter()
        .enumerate()
        .filter(|(_, e)| {
            e.points
                .iter()
                .all(|&p| (mesh.points[p as usize].y - 1.0).abs() < 1e-6)
        })
        .map(|(i, _)| i as u32)
        .collect();
    assert_eq!(ring.len(), 32);
    let options = Options {
        seams: ring,
        ..Options::default()
    };
    let regions = unwrap::unwrap(&ground, faces.clone(), &options, &Progress::new()).unwrap();
    assert_eq!(regions.len(), 2);
    let plain = unwrap::unwrap(&ground, faces, &Options::default(), &Progress::new()).unwrap();
    assert_eq!(plain.len(), 1);
}

#[test]
fn stopping_stops() {
    let progress = Progress::new();
    progress.cancel();
    let mesh = shapes::icosphere(1.0, 3);
    assert!(unwrap::whole(&mesh, &Options::default(), &progress).is_err());
}

/// Asked for far more than fits, packing says so at once instead of drawing masks as large as a town.
#[test]
fn far_too_dense_is_refused_at_once() {
    let mesh = shapes::torus(1.0, 0.4, 48, 24);
    let settings = Settings::default();
    let (layout, _) = laid_out(&mesh, Manner::Soft, &settings);
    let islands = measure::islands(&mesh, &layout);
    let wishes = Wishes {
        scale: Some(1e6),
        ..Wishes::default()
    };
    let refused = arrange::pack(&layout, &islands, &wishes, &settings, &Progress::new());
    assert!(matches!(
        refused,
        Err(ectome_uv::pack::PackError::TooDense { .. })
    ));
}

/// Whenever packing is stopped it says that it was stopped, not that there is no room.
#[test]
fn stopping_while_packing_is_no_want_of_room() {
    let mesh = shapes::torus(1.0, 0.4, 96, 48);
    let layout = unwrap::whole(&mesh, &Options::default(), &Progress::new()).unwrap();
    let islands = measure::islands(&mesh, &layout);
    let settings = Settings {
        effort: 16,
        ..Settings::default()
    };
    // Asked to stop anywhere on its way, it stops: there is always more to come that looks whether it may.
    for share in [0.0, 0.02, 0.1, 0.3, 0.5] {
        let progress = Progress::new();
        let handle = progress.clone();
        let stopper = std::thread::spawn(move || {
            while handle.fraction() < share {
                std::thread::yield_now();
            }
            handle.cancel();
        });
        if share == 0.0 {
            while !progress.is_cancelled() {
                std::thread::yield_now();
            }
        }
        let done = arrange::pack(&layout, &islands, &Wishes::default(), &settings, &progress);
        stopper.join().unwrap();
        assert!(
            matches!(done, Err(ectome_uv::pack::PackError::Cancelled(_))),
            "{share}: {done:?}"
        );
    }
}
