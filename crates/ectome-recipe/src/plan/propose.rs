//! What a plan proposes for a source and a brief, by rules that give their reasons.
//!
//! The rules (common practice, no published source, where nothing else is said):
//!
//! | line | proposed when |
//! |---|---|
//! | repairs | a finding has a repair that leaves the shape as it is; what spoils or shows in a cut beside these is named and left |
//! | imprint | a part is smaller than [`SMALL_PIXELS`] on the screen where the first tier is nearest, and maps are asked for |
//! | rebuild | a cut is needed and would keep openings or what others hide ([`worth`]), and maps are asked for that show what it was; not where the surface is only torn, which a weld mends |
//! | cut | the source has more triangles than the first tier allows |
//! | unwrap | UVs are missing, overlap or leave the sheet, or there are more materials than the brief allows |
//! | merge | there are more materials than the brief allows, and it asks for no maps that would take their place |
//! | bake | the brief asks for maps |
//! | tiers | the brief has further ones; they are cut from the first, so that they wear its maps |
//! | parcel | always: what was made is handed over as the brief says |

use ectome_formats::Scene;
use ectome_intake::{diagnose::Kind, repair::weld};
use ectome_mesh::{Fate, Progress};
use ectome_uv::{face_graph::FaceGraph, unwrap::Manner};

use super::{Act, Line, Plan};
use crate::{
    Brief, Change, Inspection, Weld, advice, change, dressing,
    far_end::StandIn,
    figures::{counted, grouped},
    finding::noun,
    leaves::Leaves,
    materials,
    merge::{MergeSettings, groups_of},
    rebuild::{RebuildSettings, worth},
    sizes::Sizes,
};

/// A part smaller than this on the screen is a detail that maps can hold.
pub const SMALL_PIXELS: f64 = 4.0;

/// An edge whose faces meet at more than this is hard, in radians (40°).
const HARD: f64 = 40.0 * std::f64::consts::PI / 180.0;

/// Share of the length of all edges that is hard on a machined shape.
const MACHINED: f64 = 0.05;

/// What is wrong with a surface that a new one has not.
const SKIN_MENDS: [Kind; 7] = [
    Kind::NonManifoldEdges,
    Kind::NonManifoldPoints,
    Kind::InsideOutFaces,
    Kind::OpenBorders,
    Kind::CoincidentPoints,
    Kind::DuplicateFaces,
    Kind::DegenerateFaces,
];

/// UVs that overlap by more than this share of the sheet are not fit for maps, in percent.
const OVERLAP: f64 = 1.0;

impl Plan {
    /// What is proposed for a source, in triangles, and a brief.
    pub fn of(source: &Scene, inspection: &Inspection, brief: &Brief) -> Self {
        let mut plan = Self::default();
        let wants_maps = !brief.maps.is_empty() || !brief.packed.is_empty();
        let skin = worth(inspection);
        let first = brief.tiers.first().map_or(u32::MAX, |t| t.triangles);
        let needs_cut = inspection.triangles > first as usize;
        let kinds = materials::groups_with_baked_light(source);
        // A closed skin would make leaves and panes solid.
        let is_opaque = !kinds.list.iter().any(|g| g.is_transparent());
        let rebuilds = needs_cut
            && wants_maps
            && is_opaque
            && skin.is_worth_it
            && advice::torn(inspection).is_none();
        plan.repairs(source, inspection, rebuilds);
        if wants_maps {
            plan.small_parts(source, inspection, brief);
        }
        if rebuilds {
            let rebuild = RebuildSettings {
                for_triangles: Some(first).filter(|n| *n < u32::MAX),
                ..RebuildSettings::default()
            };
            plan.add(Act::Rebuild { rebuild }, skin.why);
        }
        if needs_cut {
            plan.add(
                Act::Cut { triangles: first },
                format!(
                    "The first tier may have {} triangles, the source has {}.",
                    grouped(first as usize),
                    grouped(inspection.triangles)
                ),
            );
        }
        // Leaf cards keep their UVs and pictures: new ones are for everything else.
        let leaves = Leaves::of(source);
        let beside = leaves.as_ref().filter(|_| wants_maps).and_then(|l| {
            let (inspection, _) = Inspection::of(&l.rest, &Progress::new()).ok()?;
            Some((l, inspection))
        });
        let wants_maps = match &beside {
            Some((leaves, _)) => leaves.rest.mesh.face_count() > 0,
            None => wants_maps,
        };
        if let Some(leaves) = &leaves {
            plan.left.push(format!(
                "{} share pictures: a cut prunes them and lets those that stay grow, and they keep UVs and pictures.",
                counted(leaves.count() as u64, "leaf card")
            ));
        }
        let why = match &beside {
            _ if rebuilds => Some("The new skin has no UVs.".to_owned()),
            Some((_, inspection)) => unfit(inspection, brief),
            None => unfit(inspection, brief),
        };
        if wants_maps && let Some(why) = why {
            let (uv, reason) = if rebuilds {
                (
                    dressing::of_skin(brief).0,
                    "Few islands, seams where they are seen least.".to_owned(),
                )
            } else {
                let (manner, reason) = manner(beside.as_ref().map_or(source, |(l, _)| &l.rest));
                (dressing::uvs(brief, manner), reason)
            };
            plan.add(Act::Unwrap { uv }, format!("{why} {reason}"));
        }
        if wants_maps {
            let maps = dressing::maps(brief);
            let count = maps.all_kinds().len();
            plan.add(
                Act::Bake { maps },
                format!(
                    "The brief asks for {} of {} texels, green {}.",
                    counted(count as u64, "map"),
                    brief.texture_px,
                    brief.green
                ),
            );
        }
        if wants_maps && !rebuilds && kinds.list.len() > brief.materials as usize {
            plan.left.push(format!(
                "{} kinds of material where the brief allows {}: {}. One for all would make them opaque and one-sided, so they stay apart.",
                kinds.list.len(),
                brief.materials,
                kinds.apart()
            ));
        }
        let lost = kinds.loses();
        if wants_maps && !rebuilds && !lost.is_empty() {
            plan.left.push(format!(
                "The textures of {lost} are lost where maps are baked: they lie on UVs that are replaced, and there is no map of them. Their figures stay."
            ));
        }
        let materials = inspection.materials.len();
        if !wants_maps && materials > brief.materials as usize && groups_of(source) < materials {
            let merge = MergeSettings {
                size: brief.texture_px,
                padding: dressing::padding(brief),
                ..MergeSettings::default()
            };
            plan.add(
                Act::Merge { merge },
                format!(
                    "{materials} materials where the brief allows {}, and no maps that would take their place.",
                    brief.materials
                ),
            );
        }
        let [low, high] = inspection.bounds_m;
        let height_m = f64::from(high[1] - low[1]);
        for (n, tier) in brief.tiers.iter().enumerate().skip(1) {
            plan.add(
                Act::Tier {
                    triangles: tier.triangles,
                    stand_in: StandIn::for_tier(brief, tier, height_m),
                },
                if tier.made.is_cut() {
                    format!(
                        "LOD{n} may have {} triangles.",
                        grouped(tier.triangles as usize)
                    )
                } else {
                    format!("The brief makes LOD{n} {}.", tier.made.says())
                },
            );
        }
        let formats = brief.formats.join(", ").to_uppercase();
        plan.add(Act::Parcel, format!("As {formats}, with its sheet."));
        plan
    }

    fn add(&mut self, act: Act, why: String) {
        self.lines.push(Line { why, act });
    }

    /// Repairs that leave the shape as it is; everything else that spoils or shows is named.
    /// What a new skin puts right is neither repaired nor named.
    fn repairs(&mut self, source: &Scene, inspection: &Inspection, rebuilds: bool) {
        let weld = weld_distance(source, inspection).map(|distance_m| {
            Change::Weld(change::Weld {
                how: Weld {
                    distance_m,
                    across_seams: false,
                    across_hard_edges: false,
                },
            })
        });
        let found = |kind: Kind| inspection.findings.iter().find(|f| f.kind == kind);
        // Points first: what they join may be a duplicate, lose its area, or come to agree with its neighbours.
        for (kind, change) in [
            (Kind::CoincidentPoints, weld.clone()),
            (
                Kind::DegenerateFaces,
                Some(Change::DropDegenerate(change::DropDegenerate {})),
            ),
            (
                Kind::DuplicateFaces,
                Some(Change::DropDuplicates(change::DropDuplicates {
                    either_way: false,
                })),
            ),
            (
                Kind::InsideOutFaces,
                Some(Change::MakeOutward(change::MakeOutward {})),
            ),
        ] {
            if rebuilds && SKIN_MENDS.contains(&kind) {
                continue;
            }
            if let (Some(f), Some(change)) = (found(kind), change) {
                let why = format!("{} {}. {}", grouped(f.count), noun(kind, f.count), f.harm);
                self.add(Act::Prepare { change }, why);
            }
        }
        let repaired = [
            Kind::DegenerateFaces,
            Kind::DuplicateFaces,
            Kind::InsideOutFaces,
            Kind::MissingUvs,
            Kind::ZeroAreaUvs,
            Kind::OverlappingUvs,
            Kind::OutOfRangeUvs,
        ];
        let left = inspection
            .findings
            .iter()
            .filter(|f| f.rank >= 2 && !repaired.contains(&f.kind))
            .filter(|f| !(rebuilds && SKIN_MENDS.contains(&f.kind)))
            .filter(|f| f.kind != Kind::CoincidentPoints || weld.is_none());
        self.left.extend(
            left.map(|f| format!("{} {}. {}", grouped(f.count), noun(f.kind, f.count), f.harm)),
        );
    }

    fn small_parts(&mut self, source: &Scene, inspection: &Inspection, brief: &Brief) {
        let Some(tier) = brief.tiers.first() else {
            return;
        };
        let mesh = &source.mesh;
        let [low, high] = inspection.bounds_m;
        let nearest = brief.nearest_m(tier, f64::from(high[1] - low[1]));
        let least = SMALL_PIXELS * brief.pixel_m(nearest);
        let mut bounds = vec![[glam::Vec3::INFINITY, glam::Vec3::NEG_INFINITY]; mesh.parts.len()];
        for run in &mesh.runs {
            let [low, high] = &mut bounds[run.part as usize];
            for f in run.faces.clone() {
                for p in mesh.triangle(f as usize) {
                    *low = low.min(p);
                    *high = high.max(p);
                }
            }
        }
        let small: Vec<u32> = (0..mesh.parts.len() as u32)
            .filter(|&p| {
                let [low, high] = bounds[p as usize];
                low.x <= high.x && f64::from((high - low).max_element()) < least
            })
            .filter(|&p| mesh.parts[p as usize].fate == Fate::Build)
            .collect();
        let built = mesh.parts.iter().filter(|p| p.fate == Fate::Build).count();
        if small.is_empty() || small.len() == built {
            return;
        }
        let why = format!(
            "They are smaller than {SMALL_PIXELS} pixels at {nearest:.1} m: maps hold them, and their triangles go elsewhere."
        );
        let change = Change::Fate(change::Fate {
            parts: small,
            fate: Fate::Imprint,
        });
        self.add(Act::Prepare { change }, why);
    }
}

/// How far apart points may be that are joined: as repairs begin with, but at most a tenth of nearly the shortest edge, so
/// that no detail falls together. `None` where that joins nothing.
fn weld_distance(source: &Scene, inspection: &Inspection) -> Option<f32> {
    let mesh = &source.mesh;
    let mut lengths: Vec<f32> = (0..mesh.face_count())
        .flat_map(|f| {
            let [a, b, c] = mesh.triangle(f);
            [a.distance(b), b.distance(c), c.distance(a)]
        })
        .filter(|&l| l > 0.0)
        .collect();
    if lengths.is_empty() {
        return None;
    }
    let nearly = lengths.len() / 100;
    let short = *lengths.select_nth_unstable_by(nearly, f32::total_cmp).1;
    let distance = Sizes::of(inspection).weld_m.min(0.1 * short);
    (!weld::coincident(&mesh.points, distance).is_empty()).then_some(distance)
}

/// Why the source's UVs cannot hold the brief's maps; `None` where they can.
fn unfit(inspection: &Inspection, brief: &Brief) -> Option<String> {
    let found = |kind: Kind| inspection.findings.iter().find(|f| f.kind == kind);
    if inspection.uv_sets == 0 {
        return Some("The source has no UVs.".to_owned());
    }
    for kind in [Kind::MissingUvs, Kind::ZeroAreaUvs, Kind::OutOfRangeUvs] {
        if let Some(f) = found(kind) {
            return Some(format!("{} {}.", grouped(f.count), noun(kind, f.count)));
        }
    }
    if inspection.uv_overlap_percent > OVERLAP {
        return Some(format!(
            "UVs overlap on {:.0} % of what they use, so a map would show in several places.",
            inspection.uv_overlap_percent
        ));
    }
    let materials = inspection.materials.len();
    (materials > brief.materials as usize).then(|| {
        format!(
            "{materials} materials where the brief allows {}: on UVs of its own everything wears one set of maps.",
            brief.materials
        )
    })
}

/// How islands are to be divided, and why.
fn manner(source: &Scene) -> (Manner, String) {
    let surface = FaceGraph::of(&source.mesh);
    let (mut hard, mut all) = (0.0, 0.0);
    for edge in surface.edges.iter().filter(|e| !e.fixed) {
        all += edge.length;
        if edge.turn.abs() > HARD {
            hard += edge.length;
        }
    }
    let share = if all > 0.0 { hard / all } else { 0.0 };
    if share >= MACHINED {
        (
            Manner::Mechanical,
            format!(
                "{:.0} % of its edges are hard: islands end there.",
                share * 100.0
            ),
        )
    } else {
        (
            Manner::Soft,
            "It is smooth: few islands, seams where they are seen least.".to_owned(),
        )
    }
}

#[cfg(test)]
mod tests {
    use ectome_formats::Scene;
    use ectome_mesh::{MeshBuilder, Primitive, edit, shapes};
    use glam::{Affine3A, Vec3};
    use rstest::rstest;

    use super::*;
    use crate::{CutSettings, UvStep};

    fn planned(scene: &Scene, text: &str) -> Plan {
        let (inspection, _) = Inspection::of(scene, &Progress::new()).unwrap();
        Plan::of(scene, &inspection, &Brief::from_toml(text).unwrap())
    }

    fn titles(plan: &Plan) -> Vec<&'static str> {
        plan.lines.iter().map(|l| l.act.title()).collect()
    }

    const PLAIN: &str = "name = \"x\"\n[[tier]]\ntriangles = 500\n[[tier]]\ntriangles = 100\n";
    const MAPS: &str = "name = \"x\"\nmaps = [\"normal\"]\n[[tier]]\ntriangles = 500\n";

    /// A ball of 1280 triangles, and beside it one of a thousandth of its size.
    fn two_balls() -> Scene {
        let mut builder = MeshBuilder::new();
        for (name, size) in [("float", 1.0), ("rivet", 1e-3)] {
            let ball = shapes::icosphere(size, 3);
            let at = Affine3A::from_translation(Vec3::X * 2.0);
            builder.part(name, at).primitive(Primitive {
                positions: ball.points.clone(),
                corners: ball
                    .corners
                    .iter()
                    .map(|&v| ball.vertex_point[v as usize])
                    .collect(),
                ..Primitive::default()
            });
        }
        Scene::from(builder.finish())
    }

    /// A ball with a hole gets a new skin where maps are asked for, which it needs then; a closed one is cut.
    #[test]
    fn a_scan_with_a_hole_is_rebuilt() {
        let ball = shapes::icosphere(1.0, 3);
        let open = edit::kept(&ball, |f| ball.triangle(f)[0].y < 0.9);
        let open = Scene::from(open);
        assert_eq!(
            titles(&planned(&open, MAPS)),
            ["Rebuild", "Cut", "Unwrap", "Bake maps", "Parcel"]
        );
        assert_eq!(titles(&planned(&open, PLAIN)), ["Cut", "Tier", "Parcel"]);
        let plan = planned(&open, MAPS);
        assert!(plan.left.is_empty(), "{:?}", plan.left);
        let recipes = plan.recipes("x", &[], &CutSettings::default()).unwrap();
        assert_eq!(recipes[0].steps.len(), 5, "{:?}", recipes[0].steps);
        let text = plan.to_toml().unwrap();
        assert_eq!(Plan::from_toml(&text).unwrap(), plan);
    }

    /// A sheet is cut, whatever its border; what is within the limit stays what it is, openings included.
    #[test]
    fn terrain_and_what_is_light_enough_are_not_rebuilt() {
        let ball = shapes::icosphere(1.0, 4);
        let dome = edit::kept(&ball, |f| ball.triangle(f)[0].y > 0.5);
        let plan = planned(&Scene::from(dome), MAPS);
        assert_eq!(titles(&plan), ["Cut", "Unwrap", "Bake maps", "Parcel"]);
        let ball = shapes::icosphere(1.0, 2);
        let open = edit::kept(&ball, |f| ball.triangle(f)[0].y < 0.9);
        let plan = planned(&Scene::from(open), MAPS);
        assert_eq!(titles(&plan), ["Unwrap", "Bake maps", "Parcel"]);
    }

    #[test]
    fn what_the_brief_does_not_ask_for_is_not_proposed() {
        let ball = Scene::from(shapes::icosphere(1.0, 3));
        assert_eq!(titles(&planned(&ball, PLAIN)), ["Cut", "Tier", "Parcel"]);
        let small = Scene::from(shapes::icosphere(1.0, 1));
        assert_eq!(titles(&planned(&small, PLAIN)), ["Tier", "Parcel"]);
        assert_eq!(
            titles(&planned(&ball, MAPS)),
            ["Cut", "Unwrap", "Bake maps", "Parcel"]
        );
    }

    /// Two materials where one is allowed: without maps they are merged, with maps these take their place; what cannot share stays.
    #[test]
    fn materials_are_merged_where_no_maps_take_their_place() {
        let mut scene = two_balls();
        let run = &mut scene.mesh.runs;
        (run[0].material, run[1].material) = (Some(0), Some(1));
        let material =
            |name: &str, both: bool| serde_json::json!({ "name": name, "doubleSided": both });
        scene.library.materials = vec![material("tar", false), material("oak", false)];
        let one = |text: &str| format!("materials = 1\n{text}");
        assert_eq!(
            titles(&planned(&scene, &one(PLAIN))),
            ["Cut", "Merge over one sheet", "Tier", "Parcel"]
        );
        assert!(!titles(&planned(&scene, &one(MAPS))).contains(&"Merge over one sheet"));
        let plan = planned(&scene, &one(PLAIN));
        let recipes = plan.recipes("3f2a", &[], &CutSettings::default()).unwrap();
        assert_eq!(recipes[1].steps[..recipes[0].steps.len()], recipes[0].steps);
        scene.library.materials[1] = material("oak", true);
        assert!(!titles(&planned(&scene, &one(PLAIN))).contains(&"Merge over one sheet"));
    }

    #[test]
    fn fit_uvs_are_kept_and_small_parts_are_imprinted() {
        let with_uvs = UvStep::unwrap(Manner::Soft)
            .apply(Scene::from(shapes::icosphere(1.0, 3)), &Progress::new())
            .unwrap()
            .0;
        assert_eq!(
            titles(&planned(&with_uvs, MAPS)),
            ["Cut", "Bake maps", "Parcel"]
        );
        let plan = planned(&two_balls(), MAPS);
        assert_eq!(titles(&plan)[0], "Fate of parts");
        assert!(
            matches!(&plan.lines[0].act, Act::Prepare { change: Change::Fate(change::Fate { parts, fate: Fate::Imprint }) } if parts == &[1]),
            "{:?}",
            plan.lines[0]
        );
        // Without maps nothing could hold it.
        assert_eq!(
            titles(&planned(&two_balls(), PLAIN)),
            ["Cut", "Tier", "Parcel"]
        );
    }

    #[test]
    fn a_plan_survives_toml_and_its_tiers_share_what_comes_before() {
        let plan = planned(&two_balls(), &format!("{MAPS}[[tier]]\ntriangles = 90\n"));
        assert_eq!(Plan::from_toml(&plan.to_toml().unwrap()).unwrap(), plan);
        let recipes = plan
            .recipes(
                "3f2a",
                &[Change::DropDegenerate(change::DropDegenerate {})],
                &CutSettings::default(),
            )
            .unwrap();
        assert_eq!(recipes.len(), 2);
        assert_eq!(recipes[1].steps[..recipes[0].steps.len()], recipes[0].steps);
        assert_eq!(recipes[0].changes().len(), 2);
        assert!(recipes[0].own_bake().is_some());
    }

    /// A tear of a few hundredths of a millimetre in a ball of two metres is closed; what falls together only with its own
    /// triangle is not.
    #[test]
    fn tears_are_welded_and_details_are_not() {
        let ball = shapes::icosphere(1.0, 3);
        let mut positions = ball.points.clone();
        let mut corners: Vec<u32> = ball
            .corners
            .iter()
            .map(|&v| ball.vertex_point[v as usize])
            .collect();
        positions.push(positions[corners[0] as usize] + Vec3::splat(3e-5));
        corners[0] = positions.len() as u32 - 1;
        let mut builder = MeshBuilder::new();
        builder
            .part("float", Affine3A::IDENTITY)
            .primitive(Primitive {
                positions,
                corners,
                ..Primitive::default()
            });
        let plan = planned(&Scene::from(builder.finish()), PLAIN);
        assert_eq!(titles(&plan)[0], "Weld", "{plan:?}");
        let plan = planned(&two_balls(), PLAIN);
        assert!(
            !titles(&plan).contains(&"Weld") && !plan.left.is_empty(),
            "{plan:?}"
        );
    }

    #[rstest]
    #[case(
        "[[line]]\ndo = \"tier\"\ntriangles = 90\n[[line]]\ndo = \"cut\"\ntriangles = 500\n",
        "line 2 of the plan (Cut) comes too late"
    )]
    #[case(
        "[[line]]\ndo = \"cut\"\ntriangles = 500\n[[line]]\ndo = \"cut\"\ntriangles = 400\n",
        "line 2 of the plan (Cut) comes too late"
    )]
    #[case(
        "[[line]]\ndo = \"cut\"\ntriangles = 3\n",
        "line 1 of the plan: 3 triangles make no shape"
    )]
    #[case(
        "[[line]]\ndo = \"prepare\"\nchange = { change = \"weld\", distance_m = -1.0, across_seams = false, across_hard_edges = false }\n",
        "line 1 of the plan: "
    )]
    fn a_plan_that_cannot_be_run_says_which_line(#[case] text: &str, #[case] says: &str) {
        let plan = Plan::from_toml(text).unwrap();
        let refused = plan.recipes("3f2a", &[], &CutSettings::default());
        assert!(refused.unwrap_err().to_string().starts_with(says));
    }
}
