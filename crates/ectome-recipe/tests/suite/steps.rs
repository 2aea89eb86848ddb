//! What addresses and results of steps depend on. A result that changes without a raised version fails here.

use ectome_formats::{FileSet, Scene, native};
use ectome_mesh::Progress;
use ectome_recipe::{
    Artefact, Change, CutSettings, EngineError, Faces, Fate, LoopChoice, Manner, Recipe, Step,
    Target, UvStep, Weld, change,
    engine::{self, Stock},
    far_end::{CardSettings, HullSettings},
    maps::{BakeSettings, Kind},
    rebuild::RebuildSettings,
    step::{BroughtFile, Import, LeaveOut, MergeFlat, Prepare, TakeOutLoops, Triangulate},
};
use rstest::rstest;
use serde_json::json;

/// A flight of eight steps under a floor, in quads, some of them flat and side by side: every kind of step finds work.
fn stairs() -> String {
    let mut text = "o stairs\n".to_owned();
    let (along, across) = (24, 6);
    for i in 0..=along {
        for j in 0..=across {
            let x = 0.1 * i as f32;
            let bulge = 0.02 * ((i * 7 + j * 3) as f32).sin();
            let y = if i % 3 == 0 {
                bulge
            } else {
                0.25 * (i / 3) as f32
            };
            text += &format!("v {x} {y} {}\n", 0.2 * j as f32);
        }
    }
    let at = |i: usize, j: usize| i * (across + 1) + j + 1;
    for i in 0..along {
        for j in 0..across {
            let [a, b] = [at(i, j), at(i, j + 1)];
            let [d, c] = [at(i + 1, j), at(i + 1, j + 1)];
            text += &format!("f {a} {b} {c} {d}\n");
        }
    }
    text + "o post\nv 0 0 -1\nv 1 0 -1\nv 0 1 -1\nv 0 0 -2\nf -4 -2 -3\nf -4 -3 -1\nf -3 -2 -1\nf -4 -1 -2\n"
}

/// A ramp in the place of the flight, with UVs.
const RAMP: &str = "o stairs\nv 0 0 0\nv 2.4 2 0\nv 2.4 2 1.2\nv 0 0 1.2\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 4/4 3/3 2/2 1/1\n";

/// The stairs, and the ramp for whoever brings it.
struct Shelf;

impl Stock for Shelf {
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError> {
        let text = stairs();
        FileSet::new([("stairs.obj", text.as_bytes())]).import(progress)
    }

    fn brought(&self, files: &[BroughtFile], progress: &Progress) -> Result<Scene, EngineError> {
        assert_eq!(files[0].name, "ramp.obj");
        FileSet::new([("ramp.obj", RAMP.as_bytes())]).import(progress)
    }
}

fn run(recipe: &Recipe) -> engine::Outcome {
    engine::run(recipe, &Shelf, &Progress::new()).unwrap()
}

fn ramp() -> Vec<BroughtFile> {
    vec![BroughtFile {
        name: "ramp.obj".to_owned(),
        blob: "ramp".to_owned(),
        bytes: RAMP.len() as u64,
    }]
}

/// One number for a mesh: its bytes as they are kept.
fn print_of(scene: &Scene) -> String {
    let bare = Scene::from(scene.mesh.clone());
    let bytes = native::write(&bare, &mut |_| String::new()).unwrap();
    blake3::hash(&bytes).to_hex()[..16].to_owned()
}

fn of(steps: Vec<Step>) -> Recipe {
    Recipe {
        source: "stairs".to_owned(),
        steps: [vec![Import {}.into()], steps].concat(),
    }
}

fn settings() -> CutSettings {
    CutSettings::default()
}

fn weld() -> Change {
    Change::Weld(change::Weld {
        how: Weld {
            distance_m: 0.12,
            ..Weld::default()
        },
    })
}

/// The post is only baked into maps.
fn imprinted() -> Change {
    Change::Fate(change::Fate {
        parts: vec![1],
        fate: Fate::Imprint,
    })
}

/// The address and the mesh of a fixture for every kind of step. When a mesh here changes, raise the version of its step
/// and write down both anew; when only an address changes, every kept result of that step is lost, so there must be a reason.
#[rstest]
#[case::import(of(vec![]), "fdf2b5e723cd115c54e6727aea4e2a90", "3ae7d66e1de314ef")]
#[case::prepare(of(vec![Prepare { change: weld() }.into()]), "aa34acdcdfd3fca4f951d86937e35fc8", "7e109eec484d1998")]
#[case::leave_out(of(vec![Prepare { change: imprinted() }.into(), LeaveOut {}.into()]), "d429905f1d8ed022a628fdb6ca86997c", "777d00c1adb2606c")]
#[case::triangulate(of(vec![Triangulate {}.into()]), "242ab760648ad2cbe7d7cbe0281567b9", "208db700315f39ba")]
#[case::merge_flat(of(vec![MergeFlat { settings: settings(), within_mm: 0.0, faces: Faces::Triangles }.into()]), "6de71b714060c670c4b75f3526a73fc8", "e0fe25ced27c7b78")]
#[case::take_out_loops(
    of(vec![TakeOutLoops { which: LoopChoice::Every(2), settings: settings() }.into()]), "d06baf8356f18cb8eefe3871bfb924e2", "00fd65a820d0dfcc"
)]
#[case::cut(Recipe::cut("stairs", &[], Target::Triangles(120), settings()), "ec784bbcd3e8d9529656c875ad3e3977", "295ae21f264662ee")]
#[case::bring(Recipe::brought("stairs", &[], ramp()), "5bcb18fa5bda22c0ca8270c978e281fa", "b97b83dc44141ac9")]
#[case::uv(of(vec![]).with_uvs(UvStep::unwrap(Manner::Soft)), "0a638283e80869c3082884d230f90e15", "6e9b2a9af6e6b57f")]
#[case::rebuild(Recipe::rebuilt("stairs", &[], RebuildSettings::default()), "135c27ca7848aa19c9d205f5a9e7065c", "62c8dc32cf64da23")]
#[case::hull(Recipe::hulls("stairs", &[], HullSettings { hulls: 4, ..HullSettings::default() }), "f281ef75c4b9bcf4ef3be54198927215", "292f2dc55ae5bf52")]
#[case::cards(Recipe::cards("stairs", &[], CardSettings { size: 64, ..CardSettings::default() }), "40b98005e8b8d1c44d2c35976a0f5f5e", "b5f543c07a6c0f93")]
fn keys_and_meshes_stay(#[case] recipe: Recipe, #[case] key: &str, #[case] mesh: &str) {
    let made = print_of(&run(&recipe).scene);
    assert_eq!((recipe.key().as_str(), made.as_str()), (key, mesh));
}

/// The same for maps: what counts there is the pictures.
#[test]
fn keys_and_maps_stay() {
    let kinds = vec![Kind::Normal, Kind::Occlusion, Kind::Thickness];
    let recipe = of(vec![])
        .with_uvs(UvStep::unwrap(Manner::Soft))
        .with_maps(BakeSettings {
            padding: 2,
            ..BakeSettings::of(kinds, 64)
        });
    let made = run(&recipe);
    let mut print = blake3::Hasher::new();
    for map in made.artefacts.iter().filter(|a| a.kind == Artefact::MAP) {
        let picture = image::load_from_memory(&map.bytes).unwrap();
        print
            .update(map.which.as_bytes())
            .update(picture.as_bytes());
    }
    let print = print.finalize().to_hex()[..16].to_owned();
    assert_eq!(
        (recipe.key().as_str(), print.as_str()),
        ("915d7e33f5b086f45ba1932cb799efd4", "14070d2285b94d44")
    );
}

#[test]
fn what_nobody_gave_moves_no_key() {
    let read = |cut: serde_json::Value| -> Recipe {
        let steps = json!([{ "step": "import" }, { "step": "triangulate" }, cut]);
        serde_json::from_value(json!({ "source": "stairs", "steps": steps })).unwrap()
    };
    let target = json!({ "triangles": 120 });
    let short = read(json!({ "step": "cut", "target": target }));
    // As an earlier version wrote it, which had fewer options, and as one with all of them.
    let named =
        read(json!({ "step": "cut", "target": target, "settings": { "reuse_repeats": true } }));
    let full = Recipe::cut("stairs", &[], Target::Triangles(120), settings());
    assert_eq!([short.key(), named.key()], [full.key(), full.key()]);
    assert_eq!(short.analysis_key(), full.analysis_key());
    let other =
        read(json!({ "step": "cut", "target": target, "settings": { "reuse_repeats": false } }));
    assert_ne!(other.key(), full.key());
    assert_ne!(other.analysis_key(), full.analysis_key());
}

#[test]
fn keys_and_meshes_are_the_same_on_one_thread_and_on_two() {
    let recipes = [
        Recipe::cut("stairs", &[weld()], Target::Triangles(120), settings()),
        of(vec![]).with_uvs(UvStep::unwrap(Manner::Soft)),
    ];
    for recipe in recipes {
        let on = |threads: usize| {
            let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build();
            pool.unwrap()
                .install(|| (recipe.key(), print_of(&run(&recipe).scene)))
        };
        assert_eq!(on(1), on(2));
    }
}

#[test]
fn quads_survive_loops_and_uvs() {
    let fewer = TakeOutLoops {
        which: LoopChoice::Every(2),
        settings: settings(),
    };
    let fewer = of(vec![fewer.into()]);
    let quads = |recipe: &Recipe| run(recipe).scene.mesh.quads_and_ngons().0;
    let (all, left) = (quads(&of(vec![])), quads(&fewer));
    assert_eq!(all, 24 * 6);
    assert!(left > 0 && left < all, "{left}");
    assert_eq!(
        quads(&fewer.clone().with_uvs(UvStep::unwrap(Manner::Soft))),
        left
    );
}

#[test]
fn what_was_measured_of_a_surface_holds_under_other_uvs() {
    let cut = Recipe::cut("stairs", &[], Target::Triangles(120), settings());
    let (plain, dressed) = (
        run(&cut),
        run(&cut.clone().with_uvs(UvStep::unwrap(Manner::Soft))),
    );
    let off = |o: &engine::Outcome| o.cut.as_ref().unwrap().deviation_max_mm;
    assert_eq!(off(&plain), off(&dressed));
    assert!(dressed.uv.is_some() && dressed.proof.as_ref().unwrap().uvs.is_none());
    // Its own picture, and all else that was to be looked at.
    assert_eq!(plain.artefacts.len(), dressed.artefacts.len());
}

#[test]
fn the_seconds_of_a_report_add_up() {
    let cut = Recipe::cut("stairs", &[weld()], Target::Triangles(120), settings());
    let r = run(&cut).cut.unwrap();
    let parts = [
        r.seconds_preparing,
        r.seconds_searching,
        r.seconds_analysis,
        r.seconds_replay,
        r.seconds_fitting,
        r.seconds_measuring,
        r.seconds_proving,
    ];
    assert!(parts.iter().all(|&s| s > 0.0), "{parts:?}");
    assert!((parts.iter().sum::<f64>() - r.seconds_total).abs() < 1e-9);
}

#[test]
fn an_order_that_means_nothing_is_refused() {
    let twice = of(vec![Import {}.into()]);
    let none = Recipe {
        source: "stairs".to_owned(),
        steps: vec![Triangulate {}.into()],
    };
    let empty = Recipe {
        steps: Vec::new(),
        ..none.clone()
    };
    let text = stairs();
    let set = FileSet::new([("stairs.obj", text.as_bytes())]);
    for recipe in [twice, none, empty] {
        let refused = engine::run(&recipe, &set, &Progress::new());
        assert!(
            matches!(refused, Err(ectome_recipe::EngineError::Order(_))),
            "{recipe:?}"
        );
    }
}
