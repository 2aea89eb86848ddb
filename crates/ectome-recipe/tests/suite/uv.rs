//! Changes of UVs on the demo assets: nothing overlaps, nothing is turned over, gaps are kept, densities are what was asked.

use ectome_formats::Scene;
use ectome_mesh::{Progress, measure, topology::Topology};
use ectome_recipe::{
    Change, CutSettings, EngineError, Fate, IslandMove, Manner, Packing, Recipe, SeamMark,
    SheetSettings, Stacks, Target, UvChange, UvFault, UvReport, UvStep,
    built::only_built,
    change,
    engine::{self, Stock},
    step::Operation,
    triangles::triangulated,
    uv::change as uv_change,
    uv::{examined, sheet},
};
use rstest::{fixture, rstest};

use crate::analysed;

/// Files, and one scene that was made before.
struct Shelved<'a> {
    files: ectome_formats::FileSet<'a>,
    key: String,
    scene: Scene,
}

impl Stock for Shelved<'_> {
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError> {
        self.files.import(progress)
    }

    fn scene(&self, key: &str, _: &Progress) -> Result<Option<Scene>, EngineError> {
        Ok((key == self.key).then(|| self.scene.clone()))
    }
}

fn unwrapping(manner: Manner) -> UvChange {
    UvChange::Unwrap(uv_change::Unwrap {
        manner,
        marks: Vec::new(),
        only: Vec::new(),
    })
}

fn packing(stacks: Stacks) -> Packing {
    Packing {
        stacks,
        ..Packing::default()
    }
}

fn apply(scene: &Scene, change: UvChange, packing: Packing) -> (Scene, UvReport) {
    let step = UvStep { change, packing };
    step.apply(scene.clone(), &Progress::new()).unwrap()
}

/// Nothing is wrong with a layout that was made here.
fn sound(report: &UvReport, padding: f64) {
    let n = &report.numbers;
    assert_eq!(
        (n.flipped_triangles, n.collapsed_triangles, n.without_uvs),
        (0, 0, 0),
        "{n:?}"
    );
    assert!(
        n.overlapping.is_empty() && n.overlap_percent == 0.0,
        "{n:?}"
    );
    assert!(
        n.out_of_range.is_empty() && n.inside_out.is_empty(),
        "{n:?}"
    );
    assert!(n.smallest_gap_texels.unwrap() >= padding, "{n:?}");
}

/// The winch as quads become triangles: equal parts and mirror images by the dozen.
#[fixture]
#[once]
fn winch() -> Scene {
    triangulated(ectome_demo::once::rope_winch(), &Progress::new()).unwrap()
}

/// A demo asset, and what it is cut to before it is unwrapped.
fn cut(asset: &str, n: usize) -> Scene {
    let mesh = analysed::demo(asset).cut_to(n, true);
    Scene {
        mesh,
        ..ectome_demo::once::named(asset)
    }
}

#[rstest]
#[case::bell("fog_bell", Some(8000))]
#[case::post("mooring_post", Some(6000))]
#[case::figurehead("figurehead", Some(6000))]
#[case::plate("tide_plate", None)]
#[case::winch("rope_winch", None)]
#[case::kettle("enamel_kettle", Some(6000))]
fn every_demo_asset_is_laid_out_soundly(#[case] asset: &str, #[case] target: Option<usize>) {
    let scene = match target {
        Some(n) => cut(asset, n),
        None => triangulated(ectome_demo::once::named(asset), &Progress::new()).unwrap(),
    };
    for manner in [Manner::Soft, Manner::Mechanical] {
        let (made, report) = apply(&scene, unwrapping(manner), Packing::default());
        sound(&report, 8.0);
        assert!(report.numbers.density_spread_percent <= 2.0, "{report:?}");
        assert!(report.numbers.coverage_percent > 50.0, "{report:?}");
        assert!(report.numbers.stretch_l2 <= 1.02, "{report:?}");
        // The surface is what it was.
        assert_eq!(made.mesh.triangle_count(), scene.mesh.triangle_count());
        assert_eq!(made.mesh.points, scene.mesh.points);
        assert_eq!(Topology::of(&made.mesh), Topology::of(&scene.mesh));
        assert_eq!(made.library.images.len(), 0, "old textures do not fit");
    }
}

/// Where islands end at hard edges mirror images are cut alike; soft borders need not be.
#[rstest]
fn stacked_repeats_share_one_place(winch: &Scene) {
    let apart = apply(
        winch,
        unwrapping(Manner::Mechanical),
        packing(Stacks::Apart),
    );
    let repeats = apply(
        winch,
        unwrapping(Manner::Mechanical),
        packing(Stacks::Repeats),
    );
    let mirrored = apply(
        winch,
        unwrapping(Manner::Mechanical),
        packing(Stacks::Mirrored),
    );
    for (_, report) in [&apart, &repeats, &mirrored] {
        sound(report, 8.0);
    }
    let of = |r: &UvReport| (r.numbers.stacked, r.numbers.texels_per_metre);
    let (a, r, m) = (of(&apart.1), of(&repeats.1), of(&mirrored.1));
    assert!(a.0 == 0 && r.0 > 0 && m.0 > r.0, "{a:?} {r:?} {m:?}");
    // Folded halves end at the plane they mirror at, so more of them is not always denser than whole parts on one another.
    assert!(a.1 < r.1 && a.1 < m.1, "{a:?} {r:?} {m:?}");
    // Packed again, each for itself, nothing is stacked any more.
    let (_, again) = apply(
        &repeats.0,
        UvChange::Pack(uv_change::Pack {}),
        packing(Stacks::Apart),
    );
    sound(&again, 8.0);
    assert_eq!(again.numbers.stacked, 0);
}

#[rstest]
fn densities_are_what_was_asked(winch: &Scene) {
    let (scene, _) = apply(winch, unwrapping(Manner::Mechanical), Packing::default());
    let density = UvChange::Density(uv_change::Density {
        texels_per_metre: Some(200.0),
    });
    let (scene, report) = apply(&scene, density, Packing::default());
    sound(&report, 8.0);
    assert!(
        (report.numbers.texels_per_metre - 200.0).abs() < 0.2,
        "{report:?}"
    );
    assert!(report.numbers.density_spread_percent < 0.1);
    // One island at twice the density of the rest, which stay alike.
    let looked = sheet::of(&scene, 2048, 1).unwrap();
    let chosen = looked
        .islands
        .iter()
        .position(|i| i.area_m2 > 1e-3)
        .unwrap();
    let priority = UvChange::Priority(uv_change::Priority {
        at: vec![looked.islands[chosen].spot],
        parts: Vec::new(),
        factor: 2.0,
    });
    let (scene, report) = apply(&scene, priority, Packing::default());
    sound(&report, 8.0);
    let again = sheet::of(&scene, 2048, 1).unwrap();
    let rest = again
        .islands
        .iter()
        .enumerate()
        .find(|(i, _)| *i != chosen)
        .unwrap()
        .1;
    assert!((again.islands[chosen].density / rest.density - 2.0).abs() < 0.01);
    let (_, report) = apply(
        &scene,
        UvChange::SuggestPriorities(uv_change::SuggestPriorities {}),
        Packing::default(),
    );
    sound(&report, 8.0);
    assert!(
        report.numbers.density_spread_percent > 1.0,
        "inner sides get less"
    );
    // More than fits is refused with what would fit.
    let step = UvStep {
        change: UvChange::Density(uv_change::Density {
            texels_per_metre: Some(1e5),
        }),
        packing: Packing::default(),
    };
    let refused = step.apply(scene, &Progress::new()).unwrap_err().to_string();
    assert!(refused.contains("The most that fits is"), "{refused}");
}

#[rstest]
fn islands_are_split_joined_and_unwrapped_again(winch: &Scene) {
    let (scene, before) = apply(winch, unwrapping(Manner::Soft), Packing::default());
    let looked = sheet::of(&scene, 2048, 1).unwrap();
    let large = (0..looked.islands.len())
        .max_by(|&a, &b| {
            looked.islands[a]
                .area_m2
                .total_cmp(&looked.islands[b].area_m2)
        })
        .unwrap();
    let at = vec![looked.islands[large].spot];
    let (split, report) = apply(
        &scene,
        UvChange::Split(uv_change::Split { at: at.clone() }),
        Packing::default(),
    );
    sound(&report, 8.0);
    assert!(
        report.numbers.islands > before.numbers.islands,
        "{report:?}"
    );
    // Its halves, joined again along their seam.
    let now = sheet::of(&split, 2048, 1).unwrap();
    let whole = looked.islands[large].area_m2;
    let part = looked.islands[large].part;
    let halves: Vec<_> = (0..now.islands.len())
        .filter(|&i| now.islands[i].part == part && now.islands[i].area_m2 > 0.3 * whole)
        .filter(|&i| now.islands[i].area_m2 < 0.7 * whole)
        .collect();
    let joined = halves
        .iter()
        .flat_map(|&a| halves.iter().map(move |&b| (a, b)))
        .find_map(|(a, b)| {
            let change = UvChange::Join(uv_change::Join {
                at: [now.islands[a].spot, now.islands[b].spot],
            });
            let step = UvStep {
                change,
                packing: Packing::default(),
            };
            (a < b)
                .then(|| step.apply(split.clone(), &Progress::new()).ok())
                .flatten()
        });
    let (_, joined) = joined.expect("two halves can be joined");
    sound(&joined, 8.0);
    assert_eq!(joined.numbers.islands, report.numbers.islands - 1);
    // Only one island anew: the others keep their shapes.
    let again = UvChange::Unwrap(uv_change::Unwrap {
        manner: Manner::Mechanical,
        marks: Vec::new(),
        only: at,
    });
    let (_, report) = apply(&scene, again, Packing::default());
    sound(&report, 8.0);
}

#[test]
fn a_marked_seam_is_a_seam() {
    let ball = Scene::from(ectome_mesh::shapes::icosphere(1.0, 3));
    let mark = SeamMark {
        from: [0.0, 1.0, 0.0],
        to: [0.0, -1.0, 0.0],
        seam: true,
    };
    let change = UvChange::Unwrap(uv_change::Unwrap {
        manner: Manner::Soft,
        marks: vec![mark],
        only: Vec::new(),
    });
    let (scene, report) = apply(&ball, change, Packing::default());
    sound(&report, 8.0);
    let ground = ectome_recipe::uv::Ground::of(&ball.mesh);
    let path = ground.path(&mark);
    assert!(path.len() >= 8);
    let layout = ectome_uv::layout::Layout::of(&scene.mesh);
    let seams = ectome_uv::join::seams(&ectome_uv::face_graph::FaceGraph::of(&scene.mesh), &layout);
    let edges = &ectome_uv::face_graph::FaceGraph::of(&scene.mesh).edges;
    for e in path {
        let points = ground.surface.edges[e as usize].points;
        let same = edges.iter().position(|x| x.points == points).unwrap();
        assert!(seams[same]);
    }
}

/// Islands go where a person puts them, by the figures of the move; figures that no sheet can hold are refused.
#[test]
fn islands_are_put_where_a_person_wants_them() {
    let cube = Scene::from(ectome_mesh::shapes::cuboid(glam::Vec3::ONE));
    let (scene, _) = apply(&cube, unwrapping(Manner::Mechanical), Packing::default());
    let layout = |scene: &Scene| ectome_uv::layout::Layout::of(&scene.mesh);
    let before = layout(&scene);
    let spot = |f: usize| (scene.mesh.triangle(f).iter().sum::<glam::Vec3>() / 3.0).to_array();
    let one = |turn: f64, size: f64, by: [f64; 2]| IslandMove {
        at: vec![spot(0)],
        about: [0.5, 0.5],
        turn,
        size,
        by,
    };
    let place = |moves: Vec<IslandMove>| {
        UvChange::Place(uv_change::Place {
            moves,
            keep_clear: false,
        })
    };
    let moves = vec![one(90.0, 0.5, [0.0, 0.0]), one(0.0, 1.0, [0.25, -0.125])];
    let (placed, report) = apply(&scene, place(moves), Packing::default());
    assert_eq!(report.sentence, "1 island put by hand");
    let after = layout(&placed);
    for f in 0..before.uv.len() {
        for (a, b) in before.uv[f].into_iter().zip(after.uv[f]) {
            // (u, v) turned from u towards v about the middle, halved, shifted.
            let wanted = if before.island[f] == before.island[0] {
                glam::DVec2::new(0.5 - 0.5 * (a.y - 0.5), 0.5 + 0.5 * (a.x - 0.5))
                    + glam::DVec2::new(0.25, -0.125)
            } else {
                a
            };
            assert!(b.distance(wanted) < 1e-6, "face {f}: {b}, not {wanted}");
        }
    }
    // Put a hair beside where it was, it keeps its padding.
    let packing = Packing::default();
    let near = UvChange::Place(uv_change::Place {
        moves: vec![IslandMove {
            about: [0.0, 0.0],
            ..one(0.0, 1.0, [0.002, 0.002])
        }],
        keep_clear: true,
    });
    let (_, report) = apply(&scene, near, packing.clone());
    sound(&report, 7.5);
    for unsound in [
        one(0.0, 0.0, [0.0; 2]),
        one(f64::NAN, 1.0, [0.0; 2]),
        one(0.0, 1.0, [1e9, 0.0]),
        one(0.0, f64::INFINITY, [0.0; 2]),
    ] {
        let step = UvStep {
            change: place(vec![unsound]),
            packing: packing.clone(),
        };
        let fault = step.apply(scene.clone(), &Progress::new()).unwrap_err();
        assert!(matches!(fault, EngineError::Uv(UvFault::Move)), "{fault}");
    }
}

/// A chain keeps the UVs its first tier was given: the recipe goes on from them.
#[test]
fn a_cut_goes_on_from_new_uvs() {
    let files = ectome_demo::ASSETS
        .iter()
        .find(|a| a.file == "enamel_kettle")
        .unwrap();
    let files = files.files().unwrap();
    let set = ectome_formats::FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let step = UvStep {
        change: unwrapping(Manner::Soft),
        packing: Packing {
            sheet: SheetSettings {
                size: 1024,
                padding: 4.0,
                border: 4.0,
                ..SheetSettings::default()
            },
            ..Packing::default()
        },
    };
    let first =
        Recipe::cut("x", &[], Target::Triangles(6000), CutSettings::default()).with_uvs(step);
    assert!(first.dresses());
    assert!(!Recipe::cut("x", &[], Target::Triangles(9), CutSettings::default()).dresses());
    assert_eq!(first.steps.last().unwrap().title(), "Unwrapping");
    let json = serde_json::to_string(&first).unwrap();
    assert_eq!(serde_json::from_str::<Recipe>(&json).unwrap(), first);
    let second = first
        .clone()
        .continued(Target::Triangles(3000), CutSettings::default());
    assert!(first.dresses() && !second.dresses());
    let made = engine::run(&first, &set, &Progress::new()).unwrap();
    sound(made.uv.as_ref().unwrap(), 4.0);
    let lower = engine::run(&second, &set, &Progress::new()).unwrap();
    assert_eq!(lower.uv, None);
    // From what is made already, the same comes.
    let kept = Shelved {
        files: set,
        key: first.key(),
        scene: made.scene.clone(),
    };
    let from = engine::run(&second, &kept, &Progress::new()).unwrap();
    assert_eq!(from.scene.mesh, lower.scene.mesh);
    let off = |o: &engine::Outcome| o.cut.as_ref().unwrap().deviation_max_mm;
    assert_eq!(off(&from), off(&lower));
    let numbers = examined(&lower.scene, 1024, 1).numbers;
    assert!(lower.scene.mesh.triangle_count() <= 3000);
    assert!(numbers.islands > 0 && numbers.islands <= made.uv.unwrap().numbers.islands);
    assert!(measure::area(&lower.scene.mesh) > 0.5 * measure::area(&made.scene.mesh));
}

/// A priority names a part as the ledger does, also after others were joined or left out.
#[test]
fn a_priority_finds_its_part_after_a_join_and_an_omit() {
    let progress = Progress::new();
    let mut scene = ectome_demo::once::rope_winch();
    let chosen = scene.mesh.parts.len() as u32 - 1;
    let name = scene.mesh.parts[chosen as usize].name.clone();
    let changes = [
        Change::Join(change::Join {
            parts: vec![0, 2],
            name: "frame".to_owned(),
        }),
        Change::Fate(change::Fate {
            parts: vec![1],
            fate: Fate::Omit,
        }),
    ];
    for change in changes {
        scene = change.apply(scene, &progress).unwrap().0;
    }
    let scene = triangulated(only_built(scene).unwrap(), &progress).unwrap();
    let (scene, _) = apply(
        &scene,
        unwrapping(Manner::Mechanical),
        packing(Stacks::Apart),
    );
    let priority = UvChange::Priority(uv_change::Priority {
        at: Vec::new(),
        parts: vec![chosen],
        factor: 2.0,
    });
    let (scene, _) = apply(&scene, priority, packing(Stacks::Apart));
    let found = sheet::of(&scene, 2048, 1).unwrap();
    assert_eq!(found.parts[chosen as usize], name);
    let median = |of_chosen: bool| {
        let islands = found.islands.iter();
        let mut list: Vec<f64> = islands
            .filter(|i| (i.part == chosen) == of_chosen)
            .map(|i| i.density)
            .collect();
        list.sort_by(f64::total_cmp);
        list[list.len() / 2]
    };
    let ratio = median(true) / median(false);
    assert!((1.9..2.1).contains(&ratio), "{ratio}");
}
