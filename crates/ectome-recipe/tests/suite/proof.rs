//! Results proven beside their sources.

use ectome_formats::{FileSet, Scene, glb};
use ectome_mesh::{Progress, shapes};
use ectome_recipe::{
    Attention, CutReport, CutSettings, Proven, Recipe, Session, Target, engine, proof, triangles,
};
use rstest::rstest;

fn ball() -> Scene {
    Scene::from(shapes::icosphere(1.0, 6))
}

fn proven(scene: Scene, settings: CutSettings, target: Target) -> (Scene, CutReport, Proven) {
    let progress = Progress::new();
    let session = Session::new(scene, settings, None, &progress).unwrap();
    session.cut_proven(target, &progress).unwrap()
}

#[test]
fn a_proof_shows_what_the_report_says() {
    let (cut, report, Proven { proof, pictures }) =
        proven(ball(), CutSettings::default(), Target::Triangles(500));
    assert_eq!(proof.outlines.len(), 26);
    assert_eq!(proof.shading.len(), 8);
    let worst = proof.worst_outline().unwrap().worst_mm;
    assert!((worst - report.outline_worst_mm).abs() < 1e-9);
    // A projection brings nothing further apart: no outline is further off than the surface, but for the pixels
    // it was seen in.
    let pixel = proof.outlines[0].resolution_mm;
    assert!(worst <= report.deviation_max_mm + 1.5 * pixel, "{worst}");
    assert!(proof.shading_mean() > 0.8 && proof.shading_mean() < 1.0);
    assert!(proof.worst_shading().unwrap().similarity <= proof.shading_mean());
    for way in [&proof.there, &proof.back] {
        assert!((way.histogram.iter().sum::<f32>() - 1.0).abs() < 1e-4);
        assert!(way.spots[0].off_mm <= way.max_mm + 1e-9);
    }
    assert_eq!((proof.uvs, proof.materials), (None, 0));
    // Fields are glTF that any reader takes, one figure to a vertex, in millimetres.
    for (bytes, largest) in [
        (&pictures.source_field, proof.there.max_mm),
        (&pictures.result_field, proof.back.max_mm),
    ] {
        let files = [("field.glb", bytes.as_slice())];
        ectome_formats::read(&FileSet::new(files)).unwrap();
        let word = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
        let json: serde_json::Value = serde_json::from_slice(&bytes[20..20 + word(12)]).unwrap();
        let attributes = &json["meshes"][0]["primitives"][0]["attributes"];
        let field = &json["accessors"][attributes[proof::FIELD].as_u64().unwrap() as usize];
        let view = &json["bufferViews"][field["bufferView"].as_u64().unwrap() as usize];
        let number = |key: &str| view[key].as_u64().unwrap() as usize;
        let from = 28 + word(12) + number("byteOffset");
        let bytes = &bytes[from..from + number("byteLength")];
        let most = bytes
            .chunks_exact(4)
            .map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))
            .fold(0.0, f32::max);
        assert!(f64::from(most) <= largest * 1.001, "{most} {largest}");
    }
    for png in [&pictures.result, &pictures.outline]
        .into_iter()
        .chain(&pictures.shading)
    {
        assert!(image::load_from_memory(png).is_ok());
    }
    assert_eq!(cut.mesh.triangle_count(), 500);
}

/// The same scene beside itself.
#[test]
fn a_fine_cut_is_hardly_seen() {
    let fine = proven(ball(), CutSettings::default(), Target::Triangles(40_000));
    let coarse = proven(ball(), CutSettings::default(), Target::Triangles(400));
    assert!(
        fine.2.proof.shading_mean() > 0.999,
        "{}",
        fine.2.proof.shading_mean()
    );
    assert!(fine.2.proof.shading_mean() > coarse.2.proof.shading_mean());
    assert!(fine.2.proof.outline_mean_mm() < coarse.2.proof.outline_mean_mm());
}

#[rstest]
#[case(5.0)]
#[case(0.5)]
fn a_permitted_deviation_is_held_by_few_triangles(#[case] mm: f64) {
    let (cut, report, _) = proven(ball(), CutSettings::default(), Target::WithinMm(mm));
    assert!(report.deviation_max_mm <= mm, "{}", report.deviation_max_mm);
    // A tenth fewer triangles would not hold it.
    let fewer = (cut.mesh.triangle_count() as f64 * 0.85) as u32;
    let (_, less, _) = proven(ball(), CutSettings::default(), Target::Triangles(fewer));
    assert!(
        less.deviation_max_mm > mm,
        "{} at {fewer}",
        less.deviation_max_mm
    );
}

#[test]
fn a_cut_of_a_cut_is_judged_by_the_source() {
    let bytes = glb::write(&ball(), &glb::Options::default()).unwrap();
    let files = [("ball.glb", bytes.as_slice())];
    let set = FileSet::new(files);
    let settings = CutSettings::default;
    let first = Recipe::cut("ball", &[], Target::Triangles(2_000), settings());
    let second = first.clone().continued(Target::Triangles(500), settings());
    assert_ne!(first.key(), second.key());
    assert_ne!(first.analysis_key(), second.analysis_key());
    let outcome = engine::run(&second, &set, &Progress::new()).unwrap();
    let report = outcome.cut.unwrap();
    assert_eq!(outcome.scene.mesh.triangle_count(), 500);
    assert_eq!(report.triangles_before, 81_920);
    let direct = Recipe::cut("ball", &[], Target::Triangles(500), settings());
    let direct = engine::run(&direct, &set, &Progress::new())
        .unwrap()
        .cut
        .unwrap();
    let ratio = report.deviation_mean_mm / direct.deviation_mean_mm;
    assert!((0.9..1.4).contains(&ratio), "{ratio}");
}

/// Attention moved to the outline lowers the difference of outlines at the same count by at least 15 %.
#[test]
fn attention_to_the_outline_is_seen_in_the_outline() {
    let outline = |attention| {
        let settings = CutSettings {
            attention,
            ..CutSettings::default()
        };
        let target = Target::Triangles(3_000);
        let (_, _, proven) = proven(
            triangles::triangulated(ectome_demo::once::figurehead(), &Progress::new()).unwrap(),
            settings,
            target,
        );
        proven.proof.outline_mean_mm()
    };
    let usual = outline(Attention::default());
    let turned = outline(Attention::of([0.8, 0.2, 0.0, 0.0, 0.0, 0.0]).unwrap());
    println!(
        "outline {usual} mm, with attention {turned} mm: {}",
        turned / usual
    );
    assert!(turned <= 0.85 * usual, "{turned} of {usual} mm");
}
