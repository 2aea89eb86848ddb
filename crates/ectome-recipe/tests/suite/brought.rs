//! A low mesh that was made elsewhere: judged against the source, baked like a cut; and maps that are baked again in part.

use std::{cell::RefCell, collections::HashMap};

use ectome_formats::{FileSet, Scene, glb};
use ectome_mesh::{Progress, measure, shapes};
use ectome_recipe::{
    Artefact, Ball, EngineError, Manner, Recipe, UvStep,
    engine::{self, Outcome, Stock},
    maps::{BakeReport, BakeSettings, Kind, PaintedReach, Reach},
    step::BroughtFile,
};
use glam::Vec3;

/// A ball with a thorn, a coarse ball with UVs for whoever brings it, and all that was made so far.
struct Shelf {
    source: Vec<u8>,
    low: Vec<u8>,
    made: RefCell<HashMap<String, Outcome>>,
}

impl Shelf {
    fn new() -> Self {
        let mut ball = shapes::icosphere(1.0, 6);
        for p in &mut ball.points {
            let thorn = (-(*p - Vec3::Y).length_squared() * 60.0).exp();
            *p *= 1.0 + 0.25 * thorn;
        }
        let low = Scene::from(shapes::icosphere(1.0, 3));
        let (low, _) = UvStep::unwrap(Manner::Soft)
            .apply(low, &Progress::new())
            .unwrap();
        let bytes = |scene: &Scene| glb::write(scene, &glb::Options::default()).unwrap();
        Self {
            source: bytes(&Scene::from(ball)),
            low: bytes(&low),
            made: RefCell::default(),
        }
    }

    fn run(&self, recipe: &Recipe) -> Outcome {
        let made = engine::run(recipe, self, &Progress::new()).unwrap();
        self.made.borrow_mut().insert(recipe.key(), made.clone());
        made
    }
}

impl Stock for Shelf {
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError> {
        FileSet::new([("ball.glb", &self.source[..])]).import(progress)
    }

    fn brought(&self, _: &[BroughtFile], progress: &Progress) -> Result<Scene, EngineError> {
        FileSet::new([("low.glb", &self.low[..])]).import(progress)
    }

    fn scene(&self, key: &str, _: &Progress) -> Result<Option<Scene>, EngineError> {
        Ok(self.made.borrow().get(key).map(|o| o.scene.clone()))
    }

    fn artefact(&self, key: &str, kind: &'static str, which: &str) -> Option<Vec<u8>> {
        let made = self.made.borrow();
        let mut list = made.get(key)?.artefacts.iter();
        let found = list.find(|a| a.kind == kind && a.which == which)?;
        Some(found.bytes.clone())
    }
}

fn brought() -> Recipe {
    let file = BroughtFile {
        name: "ball_low.glb".to_owned(),
        blob: "low".to_owned(),
        bytes: 1,
    };
    Recipe::brought("ball", &[], vec![file])
}

fn settings() -> BakeSettings {
    BakeSettings {
        reach: Reach::Metres(0.05),
        padding: 4,
        ..BakeSettings::of(vec![Kind::NormalObject, Kind::Occlusion, Kind::Height], 256)
    }
}

fn report(made: &Outcome) -> BakeReport {
    let report = made.artefacts.iter().find(|a| a.kind == Artefact::BAKE);
    serde_json::from_slice(&report.unwrap().bytes).unwrap()
}

fn map(made: &Outcome, kind: Kind) -> Vec<u8> {
    let mut maps = made.artefacts.iter().filter(|a| a.kind == Artefact::MAP);
    maps.find(|a| a.which == kind.word()).unwrap().bytes.clone()
}

/// It is measured as a cut is: the thorn that it has not is how far it is off, its UVs are its own.
#[test]
fn a_mesh_made_elsewhere_is_judged_against_the_source() {
    let shelf = Shelf::new();
    let recipe = brought();
    assert_eq!(recipe.wish(), "Low mesh ball_low.glb");
    let made = shelf.run(&recipe);
    let cut = made.cut.unwrap();
    assert_eq!(made.scene.mesh.triangle_count(), 1280);
    assert_eq!((cut.triangles_before, cut.triangles_after), (81_920, 1280));
    // The thorn ends 1.25 m from the middle, over a corner of the coarse ball at 1 m.
    let thorn = cut.deviation_max_mm;
    assert!((thorn - 250.0).abs() < 12.5, "{thorn} mm");
    let proof = made.proof.unwrap();
    assert_eq!(proof.uv_sets, 1);
    assert!(proof.uvs.is_none(), "the source has no UVs to drift from");
    let bounds = measure::bounds(&made.scene.mesh);
    assert!(
        (bounds.max - bounds.min - Vec3::splat(2.0))
            .abs()
            .max_element()
            < 1e-3
    );
}

/// Where nobody has its file, the recipe says so.
#[test]
fn a_file_that_is_not_there_is_named() {
    let shelf = Shelf::new();
    let set = FileSet::new([("ball.glb", &shelf.source[..])]);
    let error = engine::run(&brought(), &set, &Progress::new()).unwrap_err();
    assert!(error.to_string().contains("ball_low.glb"), "{error}");
}

/// Where the brush was, rays find the thorn; the rest is what it was, and everything is what a bake of the whole makes.
#[test]
fn maps_are_baked_again_where_the_reach_was_painted() {
    let shelf = Shelf::new();
    let first = shelf.run(&brought().with_maps(settings()));
    let missed = report(&first);
    assert!(missed.misses_percent > 0.1, "{missed:?}");
    let painted = |times| BakeSettings {
        painted: vec![PaintedReach {
            balls: vec![Ball {
                at: [0.0, 1.0, 0.0],
                radius: 0.35,
            }],
            times,
        }],
        ..settings()
    };
    let recipe = brought().with_maps(painted(6.0));
    let again = shelf.run(&recipe);
    let found = report(&again);
    assert_eq!(found.misses_percent, 0.0, "{found:?}");
    let whole = Shelf::new().run(&recipe);
    for kind in [Kind::NormalObject, Kind::Occlusion, Kind::Height] {
        assert!(map(&again, kind) == map(&whole, kind), "{kind:?}");
    }
    assert!(map(&again, Kind::NormalObject) != map(&first, Kind::NormalObject));
    // Height is coded by its largest, so it is baked whole; without it only what was painted is.
    let alone = |s: BakeSettings| BakeSettings {
        kinds: vec![Kind::NormalObject],
        ..s
    };
    let first = report(&shelf.run(&brought().with_maps(alone(settings()))));
    let again = report(&shelf.run(&brought().with_maps(alone(painted(6.0)))));
    assert!(
        again.rays * 2 < first.rays,
        "{} of {}",
        again.rays,
        first.rays
    );
}

/// An island whose source turns inside a texel is named, with how many more texels would do; one on which nothing turns is not.
#[test]
fn islands_that_want_more_texels_are_named() {
    let shelf = Shelf::new();
    let coarse = |size| {
        let settings = BakeSettings {
            padding: 1,
            ..BakeSettings::of(vec![Kind::Normal], size)
        };
        report(&shelf.run(&brought().with_maps(settings))).coarse_islands
    };
    let small = coarse(20);
    assert!(!small.is_empty());
    assert!(
        small[0].times > 1.0 && small[0].turn_degrees > 4.0,
        "{small:?}"
    );
    assert!(Vec3::from(small[0].at_m).length() > 0.9);
    assert!(coarse(256).is_empty());
}
