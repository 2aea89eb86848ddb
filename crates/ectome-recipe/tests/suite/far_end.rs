//! What stands in for an asset far away and for collisions, against closed forms and the assets of Skerry Light.

use ectome_demo::once::rope_winch;
use ectome_formats::Scene;
use ectome_mesh::{Fate, Progress, edit, measure, shapes};
use ectome_recipe::{
    Brief, CutReport, Proven,
    far_end::{CardSettings, FarReport, HullSettings, StandIn, collision_hulls, stand_in},
};
use glam::{Vec2, Vec3};
use rstest::rstest;
use serde_json::json;

/// A ball in one colour.
fn ball() -> Scene {
    let mut scene = Scene::from(shapes::icosphere(1.0, 5));
    scene.library.materials = vec![json!({
        "name": "paint",
        "pbrMetallicRoughness": { "baseColorFactor": [0.5, 0.25, 0.125, 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.4 }
    })];
    scene.mesh.runs[0].material = Some(0);
    scene
}

fn made(scene: &Scene, what: &StandIn) -> (Scene, CutReport, Proven) {
    let (made, report, proven) = stand_in(scene.clone(), what, &Progress::new()).unwrap();
    made.mesh.check().unwrap();
    assert!(made.mesh.triangle_count() <= what.triangles() as usize);
    assert!(all_there(&proven));
    (made, report, proven)
}

/// Everything a proof shows is there.
fn all_there(proven: &Proven) -> bool {
    let artefacts = proven.pictures.clone().into_artefacts();
    artefacts.iter().all(|a| !a.bytes.is_empty())
}

fn cards(planes: u32, own_back: bool, size: u32) -> StandIn {
    StandIn::Cards(CardSettings {
        planes,
        own_back,
        size,
    })
}

fn picture(scene: &Scene, name: &str) -> image::RgbaImage {
    let image = scene.library.images.iter().find(|i| i.name == name);
    let image = image.expect("the picture is there");
    image::load_from_memory(&image.bytes).unwrap().into_rgba8()
}

/// Closed forms: a ball is a disc from every side, of π/4 of its card; its outline is off by less than a texel; it shows its colour
/// (0.5 linear is 188 of 255 in sRGB, IEC 61966-2-1), and halfway out from the middle its normal leans by 30 degrees.
#[rstest]
#[case(1, false)]
#[case(2, true)]
#[case(2, false)]
#[case(3, true)]
fn a_ball_is_a_disc(#[case] planes: u32, #[case] own_back: bool) {
    let (made, report, proven) = made(&ball(), &cards(planes, own_back, 256));
    let Some(FarReport::Cards {
        cards,
        shown_percent,
        texels_per_metre,
        size,
    }) = report.far.as_deref()
    else {
        panic!("cards are reported: {report:?}")
    };
    assert_eq!(*cards as usize, made.mesh.triangle_count() / 2);
    assert_eq!(*size, 256);
    // The card is wider than the ball by the rim of a texel on each side.
    let side = 2.0 * texels_per_metre + 2.0;
    let disc = std::f64::consts::FRAC_PI_4 * (2.0 * texels_per_metre / side).powi(2);
    assert!(
        (shown_percent / 100.0 - disc).abs() < 0.02,
        "{shown_percent}"
    );
    let texel_mm = 1e3 / texels_per_metre;
    let views = &proven.proof.outlines;
    assert_eq!(views.len(), if planes == 1 { 2 } else { 8 });
    let facing = |v: &&ectome_recipe::proof::OutlineView| v.direction[2].abs() > 0.999;
    for view in views.iter().filter(facing) {
        assert!(view.worst_mm < 1.5 * texel_mm, "{view:?} {texel_mm}");
    }
    let material = &made.library.materials[0];
    assert_eq!(material["alphaMode"], "MASK");
    assert_eq!(material["doubleSided"], !own_back && planes > 1);
    let roughness = material["pbrMetallicRoughness"]["roughnessFactor"].as_f64();
    assert!((roughness.unwrap() - 0.4).abs() < 0.01);
    let colour = picture(&made, "cards_base_colour");
    let normal = picture(&made, "cards_normal");
    let uvs = &made.mesh.uv_sets[0];
    for card in 0..*cards as usize {
        let [low, high] = [made.mesh.face(2 * card + 1)[2], made.mesh.face(2 * card)[1]];
        let (low, high) = (uvs[low as usize] * 256.0, uvs[high as usize] * 256.0);
        let middle = 0.5 * (low + high);
        let texel = |at: Vec2| colour.get_pixel(at.x as u32, at.y as u32).0;
        let [r, g, b, a] = texel(middle);
        assert_eq!(a, 255);
        for (have, want) in [(r, 188), (g, 137), (b, 99)] {
            assert!(have.abs_diff(want) <= 1, "{have} {want}");
        }
        assert_eq!(
            texel(low + Vec2::splat(2.0))[3],
            0,
            "a corner of the card shows nothing"
        );
        // To the right in the picture is to the right on the card.
        let out = middle + Vec2::new(0.5 * *texels_per_metre as f32, 0.0);
        let n = normal.get_pixel(out.x as u32, out.y as u32).0;
        let n = Vec3::new(f32::from(n[0]), f32::from(n[1]), f32::from(n[2])) / 127.5 - 1.0;
        let leans = n
            .normalize()
            .angle_between(Vec3::new(0.5, 0.0, 0.75f32.sqrt()));
        assert!(leans.to_degrees() < 2.0, "{n}");
    }
}

/// What is imprinted only shows in pictures, so it shows on cards; what is left out does not.
#[test]
fn imprinted_parts_show_on_cards_and_omitted_ones_do_not() {
    let shown = |fate: Fate| {
        let mut scene = rope_winch();
        scene.mesh.parts[0].fate = fate;
        let (_, report, _) = made(&scene, &cards(1, false, 256));
        match report.far.as_deref() {
            Some(FarReport::Cards {
                shown_percent,
                texels_per_metre,
                ..
            }) => shown_percent / texels_per_metre.powi(2),
            other => panic!("{other:?}"),
        }
    };
    let built = shown(Fate::Build);
    assert!((shown(Fate::Imprint) / built - 1.0).abs() < 1e-9);
    assert!((shown(Fate::Omit) / built - 1.0).abs() > 1e-3);
}

#[test]
fn hulls_hold_an_asset_and_follow_it_the_more_there_are() {
    let winch = rope_winch();
    let mut before = f64::MAX;
    for hulls in [1, 4, 16] {
        let settings = HullSettings {
            hulls,
            triangles_each: 60,
        };
        let (made, report, proven) = made(&winch, &StandIn::Hull(settings));
        let Some(FarReport::Hulls {
            hulls: lines,
            whole_m3,
        }) = report.far.as_deref()
        else {
            panic!("hulls are reported: {report:?}")
        };
        assert!(lines.len() <= hulls as usize && made.mesh.parts.len() == lines.len());
        assert!(lines.iter().all(|h| h.triangles <= 60 && h.volume_m3 > 0.0));
        assert_eq!(report.open_edges[1], 0);
        assert_eq!(proven.proof.outlines.len(), 26);
        let volume: f64 = lines.iter().map(|h| h.volume_m3).sum();
        assert!((volume / measure::volume(&made.mesh) - 1.0).abs() < 1e-6);
        assert!(
            volume <= 1.001 * whole_m3 && volume < before,
            "{volume} {before}"
        );
        before = volume;
        // Nothing of the source is further outside than is said.
        let out = lines.iter().map(|h| h.stands_out_mm).fold(0.0, f64::max);
        assert!(out < 40.0, "{out}");
    }
}

/// The colour of a hull is the mean over the surface, in linear light.
#[test]
fn a_hull_wears_the_mean_of_its_source() {
    let mut scene = ball();
    let parts = scene.mesh.parts.clone();
    let upper = |f: usize| scene.mesh.triangle(f).iter().map(|p| p.y).sum::<f32>() > 0.0;
    let mesh = edit::rearranged(&scene.mesh, parts, |f| (0, Some(u32::from(upper(f)))));
    scene.mesh = mesh;
    scene.library.materials.push(json!({
        "name": "tar",
        "pbrMetallicRoughness": { "baseColorFactor": [0.0, 0.0, 0.0, 1.0], "metallicFactor": 0.0 }
    }));
    let (made, ..) = made(&scene, &StandIn::Hull(HullSettings::default()));
    let colour = made.library.base_colour(0);
    assert!(
        (colour[0] - 0.25).abs() < 0.01 && (colour[2] - 0.0625).abs() < 0.01,
        "{colour:?}"
    );
}

#[test]
fn what_cannot_stand_in_is_said() {
    let says = |scene: Scene, what: StandIn| {
        let refused = stand_in(scene, &what, &Progress::new());
        refused.map(|_| ()).unwrap_err().to_string()
    };
    let flat = Scene::from(shapes::cuboid(Vec3::new(1.0, 0.0, 1.0)));
    assert!(says(flat, cards(2, true, 64)).contains("no extent"));
    assert!(says(ball(), cards(9, true, 64)).contains("1 to 4 planes"));
    assert!(says(ball(), cards(4, true, 32)).contains("too small"));
    let many = HullSettings {
        hulls: 900,
        ..HullSettings::default()
    };
    assert!(says(ball(), StandIn::Hull(many)).contains("1 to 64 hulls"));
    let stopped = Progress::new();
    stopped.cancel();
    let refused = stand_in(ball(), &cards(2, true, 64), &stopped);
    assert!(matches!(
        refused,
        Err(ectome_recipe::EngineError::Cancelled(_))
    ));
}

/// Stopped in its midst, while hulls are found, cards are baked, and either is measured: nothing is made, and it is said why. How long that
/// takes is written down in docs/performance.md.
#[rstest]
#[case::hulls(StandIn::Hull(HullSettings { hulls: 8, ..HullSettings::default() }))]
#[case::cards(cards(2, true, 512))]
fn what_is_stopped_in_its_midst_ends(#[case] what: StandIn, #[values(0.1, 0.55)] from: f32) {
    let ball = || Scene::from(shapes::icosphere(1.0, 7));
    let progress = Progress::new();
    let (tell, told) = std::sync::mpsc::channel();
    let own = progress.clone();
    std::thread::spawn(move || tell.send(stand_in(ball(), &what, &own).map(|_| ())));
    while progress.fraction() < from {
        std::thread::sleep(std::time::Duration::from_millis(2));
    }
    progress.cancel();
    let ended = told.recv_timeout(std::time::Duration::from_secs(60));
    assert!(matches!(
        ended,
        Ok(Err(ectome_recipe::EngineError::Cancelled(_)))
    ));
}

#[test]
fn hulls_for_collisions_are_objects_of_their_own() {
    let settings = HullSettings {
        hulls: 6,
        triangles_each: 40,
    };
    let hulls = collision_hulls(rope_winch(), &settings, &Progress::new()).unwrap();
    assert!((2..=6).contains(&hulls.mesh.parts.len()));
    assert!(hulls.mesh.parts[0].name.starts_with("collision_"));
    let again = collision_hulls(rope_winch(), &settings, &Progress::new()).unwrap();
    assert_eq!(
        hulls.mesh.points, again.mesh.points,
        "the same come out again"
    );
}

/// A brief asks for what stands in tier by tier; what comes first is cut.
#[test]
fn a_brief_asks_for_stand_ins() {
    let text = "name = \"x\"\n[[tier]]\ntriangles = 500\n[[tier]]\ntriangles = 60\nmade = \"hull\"\nnearest_m = 20\n\
                [[tier]]\ntriangles = 8\nmade = \"cards\"\nnearest_m = 60\n[[tier]]\ntriangles = 2\nmade = \"card\"\nnearest_m = 90\n";
    let brief = Brief::from_toml(text).unwrap();
    let made: Vec<Option<StandIn>> = brief
        .tiers
        .iter()
        .map(|t| StandIn::for_tier(&brief, t, 2.0))
        .collect();
    assert!(matches!(
        made[..],
        [
            None,
            Some(StandIn::Hull(_)),
            Some(StandIn::Cards(_)),
            Some(StandIn::Cards(_))
        ]
    ));
    assert_eq!(
        made.iter()
            .flatten()
            .map(StandIn::triangles)
            .collect::<Vec<_>>(),
        [60, 8, 2]
    );
    assert_eq!(Brief::from_toml(&brief.to_toml().unwrap()).unwrap(), brief);
    let first = Brief::from_toml("name = \"x\"\n[[tier]]\ntriangles = 8\nmade = \"cards\"\n");
    assert!(
        first
            .unwrap_err()
            .to_string()
            .contains("comes behind a tier that is cut")
    );
}
