//! Baking again where the reach was painted: the same as baking everything, with a part of the rays.

use ectome_bake::{Baked, Before, Kind, Reach, ReachBall, Settings, Source, bake, bake_again};
use ectome_mesh::Progress;
use glam::{Vec2, Vec3};

use crate::sheet::sheet;

/// A hill that stands out by far more than rays look.
fn hill(x: f32, z: f32) -> f32 {
    let far = Vec2::new(x - 0.75, z - 0.25).length();
    0.2 * (-far * far * 300.0).exp()
}

fn settings(deep: bool) -> Settings {
    Settings {
        size: 256,
        padding: 4,
        kinds: vec![
            Kind::Normal,
            Kind::Occlusion,
            Kind::Height,
            Kind::Position,
            Kind::Thickness,
        ],
        reach: Reach::Metres(0.02),
        deep,
        ..Settings::default()
    }
}

fn before(baked: &Baked, painted: &[ReachBall]) -> Before {
    Before {
        painted: painted.to_vec(),
        states: baked.states.clone(),
        turns: baked.turns.clone(),
        maps: baked.maps.iter().map(|m| m.texels.clone()).collect(),
    }
}

/// In 8 and in 16 bits; what is lost where the hill is comes back, and going back again gives what was there first.
#[test]
fn only_what_the_brush_touched_is_baked_again() {
    let source = sheet(200, hill);
    let low = sheet(4, |_, _| 0.0);
    let source = Source::of(&source);
    let progress = Progress::new();
    for deep in [false, true] {
        let plain = settings(deep);
        let first = bake(&source, &low, &plain, &progress).unwrap();
        assert!(first.counts.misses() > 500, "{:?}", first.counts);
        let ball = ReachBall {
            at: Vec3::new(0.75, 0.0, 0.25),
            radius: 0.12,
            times: 12.0,
        };
        let mut painted = settings(deep);
        painted.painted.push(ball);
        let whole = bake(&source, &low, &painted, &progress).unwrap();
        assert_eq!(whole.counts.misses(), 0);
        let kept = before(&first, &[]);
        let again = bake_again(&source, &low, &painted, Some(&kept), &progress).unwrap();
        for (a, b) in again.maps.iter().zip(&whole.maps) {
            assert!(a.texels == b.texels, "{:?}, 16 bits: {deep}", a.kind);
            assert_eq!(a.range_m, b.range_m);
        }
        assert_eq!(again.states, whole.states);
        assert_eq!(again.face_turns, whole.face_turns);
        assert_eq!(again.missed_at, whole.missed_at);
        // And back.
        let kept = before(&again, &painted.painted);
        let back = bake_again(&source, &low, &plain, Some(&kept), &progress).unwrap();
        for (a, b) in back.maps.iter().zip(&first.maps) {
            assert!(a.texels == b.texels, "{:?} back", a.kind);
        }
        // Without lengths, whose file depends on the largest, most tiles are left alone.
        let without = |s: &Settings| Settings {
            kinds: vec![Kind::Normal],
            ..s.clone()
        };
        let first = bake(&source, &low, &without(&plain), &progress).unwrap();
        let kept = before(&first, &[]);
        let again = bake_again(&source, &low, &without(&painted), Some(&kept), &progress).unwrap();
        assert!(
            again.rays > 0 && again.rays * 3 < first.rays,
            "{}",
            again.rays
        );
        assert!(again.maps[0].texels == whole.maps[0].texels);
    }
}

/// What was kept of other maps, or of another size, is not used.
#[test]
fn what_does_not_fit_is_baked_anew() {
    let source = sheet(60, hill);
    let low = sheet(4, |_, _| 0.0);
    let source = Source::of(&source);
    let progress = Progress::new();
    let first = bake(&source, &low, &settings(false), &progress).unwrap();
    let mut other = settings(false);
    other.size = 128;
    let kept = before(&first, &[]);
    let a = bake_again(&source, &low, &other, Some(&kept), &progress).unwrap();
    let b = bake(&source, &low, &other, &progress).unwrap();
    assert!(a.maps[0].texels == b.maps[0].texels);
}

/// Normals turn inside a texel by what its footprint covers of a bend: samples of a texel that spans an angle of 2a on a
/// cylinder lie at ±a/2, so they differ from their mean by a/2. Nothing turns on a plane.
#[test]
fn turns_are_the_angle_that_a_texel_covers() {
    let radius = 0.2f32;
    let arch = |x: f32, _: f32| {
        let off = (x - 0.5).clamp(-0.14, 0.14);
        (radius * radius - off * off).sqrt() - radius
    };
    let source = sheet(400, arch);
    let low = sheet(1, |_, _| 0.0);
    let settings = Settings {
        size: 64,
        reach: Reach::Metres(0.2),
        ..Settings::default()
    };
    let made = bake(&Source::of(&source), &low, &settings, &Progress::new()).unwrap();
    let degrees = |x: usize| f32::from(made.turns[32 * 64 + x]) * 90.0 / 255.0;
    assert_eq!(degrees(4), 0.0);
    // At the top a texel of 1/64 m covers 1/64/radius radians; its two columns of samples stand a quarter from its middle.
    let want = (0.25f32 / 64.0 / radius).to_degrees();
    let have = (degrees(31) + degrees(32)) / 2.0;
    assert!((have - want).abs() < 0.25, "{have} for {want}");
}
