//! What is done to a source before it is cut: repairs, and what becomes of its parts.

mod apply;

use ectome_formats::Space;
use ectome_intake::{
    parts::arrange,
    repair::{clip::Plane, polygons::Into, weld},
};
use ectome_mesh::Fate;
use serde::{Deserialize, Serialize};

use crate::EngineError;

/// One change. Lengths are in metres; parts go by number.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "change", rename_all = "snake_case")]
pub enum Change {
    /// Reads the source in another unit or with another axis up.
    Measure {
        /// Unit and axis.
        space: Space,
    },
    /// Joins points that nearly coincide.
    Weld {
        /// How far and across what.
        #[serde(flatten)]
        how: weld::Weld,
    },
    /// Takes faces without area out.
    DropDegenerate,
    /// Takes faces out that repeat another.
    DropDuplicates {
        /// Also those that look the other way.
        #[serde(default)]
        either_way: bool,
    },
    /// Makes faces agree and look outward.
    MakeOutward,
    /// Takes the surface apart where more than two faces meet.
    SplitNonManifold,
    /// Closes borders.
    CloseHoles {
        /// The largest extent that is closed.
        size_m: f32,
    },
    /// Drops loose pieces.
    DropFloaters {
        /// The largest extent that is dropped.
        size_m: f32,
    },
    /// Splits faces of more than four corners.
    DivideNgons {
        /// What they become.
        into: Into,
    },
    /// Keeps one side of a plane.
    Clip {
        /// The plane; its normal points to the side that stays.
        #[serde(flatten)]
        plane: Plane,
        /// Close the outlines on it.
        #[serde(default)]
        cap: bool,
    },
    /// Cuts the mesh into sections of equal size.
    Sections {
        /// How many along x, y and z.
        cells: [u32; 3],
    },
    /// Cuts parts along a plane; both sides stay.
    Divide {
        /// The plane.
        #[serde(flatten)]
        plane: Plane,
    },
    /// Takes away what nobody sees from outside.
    RemoveHidden,
    /// Gives faces of several materials the first of them.
    MergeMaterials {
        /// Their names; the first stays.
        materials: Vec<String>,
    },
    /// Leaves UV sets out, and the textures that lie on them.
    LeaveOutUvs {
        /// How many stay, from the first.
        keep: u32,
    },
    /// Splits a part.
    Split {
        /// The part.
        part: u32,
        /// By what.
        by: arrange::By,
    },
    /// Makes parts one.
    Join {
        /// The parts; the first keeps its number.
        parts: Vec<u32>,
        /// What the whole is called.
        name: String,
    },
    /// Names a part.
    Rename {
        /// The part.
        part: u32,
        /// Its name.
        name: String,
    },
    /// Names several parts: the name and a number from 1.
    RenameParts {
        /// The parts.
        parts: Vec<u32>,
        /// What stands before the numbers.
        name: String,
    },
    /// Puts parts into a group; an empty name takes them out.
    Group {
        /// The parts.
        parts: Vec<u32>,
        /// The group.
        group: String,
    },
    /// Decides what becomes of parts.
    Fate {
        /// The parts.
        parts: Vec<u32>,
        /// What becomes of them.
        fate: Fate,
    },
    /// Decides how many triangles a cut leaves parts at least.
    Smallest {
        /// The parts.
        parts: Vec<u32>,
        /// Triangles of each; 0 leaves it to the cut.
        triangles: u32,
    },
}

/// What a change did.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Done {
    /// How much: points, faces, triangles, parts, as the sentence says.
    pub count: usize,
    /// In words.
    pub sentence: String,
}

impl Done {
    fn new(count: usize, sentence: String) -> Self {
        Self { count, sentence }
    }
}

/// The most sections along one axis.
const MOST_CELLS: u32 = 32;

impl Change {
    /// What it is called on a page.
    pub fn title(&self) -> &'static str {
        match self {
            Self::Measure { .. } => "Unit and axis",
            Self::Weld { .. } => "Weld",
            Self::DropDegenerate => "Drop faces without area",
            Self::DropDuplicates { .. } => "Drop duplicate faces",
            Self::MakeOutward => "Turn faces outward",
            Self::SplitNonManifold => "Split non-manifold",
            Self::CloseHoles { .. } => "Close holes",
            Self::DropFloaters { .. } => "Drop floaters",
            Self::DivideNgons { .. } => "Divide n-gons",
            Self::Clip { .. } => "Clip",
            Self::Sections { .. } => "Cut into sections",
            Self::Divide { .. } => "Cut along a plane",
            Self::RemoveHidden => "Remove hidden faces",
            Self::Split { .. } => "Split a part",
            Self::Join { .. } => "Join parts",
            Self::Rename { .. } => "Rename a part",
            Self::RenameParts { .. } => "Rename parts",
            Self::MergeMaterials { .. } => "Merge materials",
            Self::LeaveOutUvs { .. } => "Leave out UV sets",
            Self::Group { .. } => "Group parts",
            Self::Fate { .. } => "Fate of parts",
            Self::Smallest { .. } => "Smallest count",
        }
    }

    /// True when it adds part numbers that later changes may use.
    pub fn adds_parts(&self) -> bool {
        matches!(
            self,
            Self::Sections { .. } | Self::Divide { .. } | Self::Split { .. }
        )
    }

    /// True when it goes by part numbers.
    pub fn names_parts(&self) -> bool {
        matches!(
            self,
            Self::Split { .. }
                | Self::Join { .. }
                | Self::Rename { .. }
                | Self::RenameParts { .. }
                | Self::Group { .. }
                | Self::Fate { .. }
                | Self::Smallest { .. }
        )
    }

    /// Makes sure that its figures mean something, on any mesh.
    ///
    /// # Errors
    /// [`EngineError::Meaningless`].
    pub fn check(&self) -> Result<(), EngineError> {
        let length = |m: f32| m.is_finite() && m >= 0.0;
        let is_plane = |p: &Plane| {
            let [point, normal] = [p.point, p.normal].map(glam::Vec3::from);
            let across = normal.length_squared();
            point.is_finite() && across.is_finite() && across > 0.0
        };
        let (fine, fault) = match self {
            Self::Measure { space } => (
                space.unit_m.is_finite() && space.unit_m > 0.0,
                "reads a source in a unit of no length",
            ),
            Self::Weld { how } => (
                length(how.distance_m),
                "needs a distance in metres that is not below zero",
            ),
            Self::CloseHoles { size_m } | Self::DropFloaters { size_m } => (
                length(*size_m),
                "needs a size in metres that is not below zero",
            ),
            Self::Clip { plane, .. } | Self::Divide { plane } => (
                is_plane(plane),
                "needs a plane: a finite point, and a normal that is longer than nothing",
            ),
            Self::Sections { cells } => (
                cells.iter().all(|c| (1..=MOST_CELLS).contains(c)),
                "takes 1 to 32 sections along each axis",
            ),
            Self::MergeMaterials { materials } => {
                (materials.len() > 1, "takes two materials or more")
            }
            _ => (true, ""),
        };
        let of = self.title();
        fine.then_some(())
            .ok_or(EngineError::Meaningless { of, fault })
    }
}

#[cfg(test)]
mod tests {
    use ectome_formats::Scene;
    use ectome_mesh::Progress;

    use super::*;

    #[test]
    fn changes_survive_json_under_plain_names() {
        let list = vec![
            Change::Weld {
                how: weld::Weld::default(),
            },
            Change::Clip {
                plane: Plane {
                    point: [0.0; 3],
                    normal: [0.0, 1.0, 0.0],
                },
                cap: true,
            },
            Change::Fate {
                parts: vec![1, 2],
                fate: Fate::Imprint,
            },
        ];
        let json = serde_json::to_string(&list).unwrap();
        assert!(json.contains(r#""change":"weld","distance_m""#), "{json}");
        let back: Vec<Change> = serde_json::from_str(&json).unwrap();
        assert_eq!(back, list);
    }

    #[test]
    fn figures_that_mean_nothing_are_refused_before_anything_is_done() {
        let plane = |normal: [f32; 3]| Plane {
            point: [0.0; 3],
            normal,
        };
        let weld = |distance_m| Change::Weld {
            how: weld::Weld {
                distance_m,
                ..weld::Weld::default()
            },
        };
        let list = [
            weld(-1.0),
            weld(f32::NAN),
            Change::CloseHoles { size_m: -0.1 },
            Change::DropFloaters {
                size_m: f32::INFINITY,
            },
            Change::Clip {
                plane: plane([0.0; 3]),
                cap: true,
            },
            Change::Divide {
                plane: plane([f32::NAN, 0.0, 1.0]),
            },
            Change::Sections {
                cells: [4_000_000_000, 1, 1],
            },
            Change::Sections { cells: [0, 1, 1] },
        ];
        for change in list {
            let ball = Scene::from(ectome_mesh::shapes::icosphere(1.0, 1));
            let error = change.apply(ball, &Progress::new()).unwrap_err();
            assert!(matches!(error, EngineError::Meaningless { .. }), "{error}");
        }
        assert!(weld(0.0).check().is_ok());
    }

    #[test]
    fn materials_that_are_not_there_are_named_and_textures_of_left_out_sets_go() {
        use serde_json::json;
        let mut scene = Scene::from(ectome_mesh::shapes::icosphere(1.0, 1));
        scene.library.materials = vec![
            json!({ "name": "iron", "occlusionTexture": { "index": 0, "texCoord": 1 },
                    "pbrMetallicRoughness": { "baseColorTexture": { "index": 0 } } }),
            json!({ "name": "brass" }),
        ];
        let merge = |list: &[&str]| Change::MergeMaterials {
            materials: list.iter().map(|&s| s.to_owned()).collect(),
        };
        let error = merge(&["iron", "tin"]).apply(scene.clone(), &Progress::new());
        assert!(error.unwrap_err().to_string().contains("tin"));
        let one = merge(&["iron"]).apply(scene.clone(), &Progress::new());
        assert!(matches!(one.unwrap_err(), EngineError::Meaningless { .. }));
        let fine = merge(&["brass", "iron"]).apply(scene.clone(), &Progress::new());
        assert_eq!(fine.unwrap().1.count, 0);
        // Two materials of one name become one.
        let mut twins = scene.clone();
        twins.library.materials[1] = json!({ "name": "iron" });
        twins.mesh.runs[0].material = Some(1);
        let faces = twins.mesh.face_count();
        let (twins, done) = (merge(&["iron", "iron"]).apply(twins, &Progress::new())).unwrap();
        assert_eq!((done.count, twins.mesh.runs[0].material), (faces, Some(0)));
        let keep = Change::LeaveOutUvs { keep: 1 };
        let (left, _) = keep.apply(scene, &Progress::new()).unwrap();
        let iron = &left.library.materials[0];
        assert!(iron.get("occlusionTexture").is_none());
        assert!(
            iron["pbrMetallicRoughness"]
                .get("baseColorTexture")
                .is_some()
        );
    }

    #[test]
    fn what_stays_open_says_what_would_close_it() {
        // A ball without its last faces: one hole.
        let mut ball = ectome_mesh::shapes::icosphere(1.0, 3);
        ball.corners.truncate(ball.corners.len() - 3 * 12);
        let last = ball.face_count() as u32;
        ball.runs
            .iter_mut()
            .for_each(|r| r.faces.end = r.faces.end.min(last));
        let close = |size_m| Change::CloseHoles { size_m };
        let (scene, done) = (close(0.01).apply(Scene::from(ball), &Progress::new())).unwrap();
        let says = done.sentence;
        let mm = says
            .split("open, ")
            .nth(1)
            .and_then(|s| s.split(' ').next());
        let mm: f32 = mm.unwrap_or_else(|| panic!("{says}")).parse().unwrap();
        let (_, done) = close(mm / 1e3).apply(scene, &Progress::new()).unwrap();
        assert!(
            done.count >= 1 && !done.sentence.contains("open"),
            "{done:?}"
        );
    }

    #[test]
    fn a_change_that_leaves_nothing_is_refused() {
        let ball = Scene::from(ectome_mesh::shapes::icosphere(1.0, 1));
        let above = Change::Clip {
            plane: Plane {
                point: [0.0, 5.0, 0.0],
                normal: [0.0, 1.0, 0.0],
            },
            cap: true,
        };
        let error = above.apply(ball, &Progress::new()).unwrap_err();
        assert!(error.to_string().contains("nothing"), "{error}");
    }
}
