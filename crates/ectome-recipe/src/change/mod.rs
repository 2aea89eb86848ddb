//! What is done to a source before it is cut: repairs, and what becomes of its parts. One kind to a file.
//!
//! A kind knows its words, its form, its bounds and how it is made; a new one is a file here and a line in the list of [`Change`].
//! Whoever shows forms, reads them, keeps lists of changes or makes them knows no kinds.

mod clip;
mod close_holes;
mod divide;
mod divide_ngons;
mod drop_degenerate;
mod drop_duplicates;
mod drop_floaters;
mod fate;
mod form;
mod group;
mod join;
mod kind;
mod leave_out_uvs;
mod make_outward;
mod measure;
mod merge_materials;
mod mirror;
mod remove_hidden;
mod rename;
mod rename_parts;
mod sections;
mod smallest;
mod split;
mod split_non_manifold;
mod weld;

use ectome_formats::Scene;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use crate::EngineError;

pub use form::{Field, Form, Offer, Sent, number};
pub use kind::{Done, Kind};

/// Makes [`Change`] of the list of all kinds with their words.
macro_rules! changes {
    ($($word:literal $file:ident::$kind:ident,)*) => {
        $(pub use $file::$kind;)*

        /// One change.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
        #[serde(tag = "change")]
        pub enum Change {
            $(
                #[doc = concat!("See [`", stringify!($kind), "`].")]
                #[serde(rename = $word)]
                $kind($kind),
            )*
        }

        $(impl From<$kind> for Change {
            fn from(kind: $kind) -> Self {
                Self::$kind(kind)
            }
        })*

        impl Change {
            /// The words of all kinds, as recipes name them.
            pub const WORDS: &'static [&'static str] = &[$($word,)*];

            /// What it is called on a page.
            pub fn title(&self) -> &'static str {
                match self { $(Self::$kind(kind) => kind.title(),)* }
            }

            /// The same with its figures.
            pub fn says(&self) -> String {
                match self { $(Self::$kind(kind) => kind.says(),)* }
            }

            /// True when parts that are not built are left out of what follows.
            pub fn leaves_parts_out(&self) -> bool {
                match self { $(Self::$kind(kind) => kind.leaves_parts_out(),)* }
            }

            /// True when it adds part numbers that later changes may use.
            pub fn adds_parts(&self) -> bool {
                match self { $(Self::$kind(kind) => kind.adds_parts(),)* }
            }

            /// True when it goes by part numbers.
            pub fn names_parts(&self) -> bool {
                match self { $(Self::$kind(kind) => kind.names_parts(),)* }
            }

            /// Joins a list of changes, behind the others or in the place of an earlier decision, so that the list says each thing once.
            pub fn join(self, list: &mut Vec<Change>) {
                match self {
                    $(Self::$kind(newer) => {
                        let before = std::mem::take(list);
                        list.extend(before.into_iter().filter_map(|change| match change {
                            Self::$kind(own) => own.beside(&newer).map(Self::$kind),
                            other => Some(other),
                        }));
                        // Parts that a split adds are not there yet where an earlier decision stands.
                        let splits = list.iter().any(Self::adds_parts);
                        let taken = !splits && list.iter_mut().any(|change| match change {
                            Self::$kind(own) => own.takes_in(&newer),
                            _ => false,
                        });
                        if $kind::IS_FIRST {
                            list.insert(0, Self::$kind(newer));
                        } else if !taken {
                            list.push(Self::$kind(newer));
                        }
                    })*
                }
            }

            /// The forms that a source is offered, with the words that they are asked for by.
            pub fn forms(offer: &Offer) -> Vec<(&'static str, Form)> {
                let all = [$(($word, $kind::form(offer)),)*];
                all.into_iter().filter_map(|(word, form)| Some((word, form?))).collect()
            }

            /// Reads the change that is asked for by a word, and perhaps by how it is done behind a colon.
            ///
            /// # Errors
            /// A sentence that says which field to change, or that there is no such change.
            pub fn read(asked: &str, sent: &dyn Sent) -> Result<Change, String> {
                let (word, how) = asked.split_once(':').unwrap_or((asked, ""));
                match word {
                    $($word => match $kind::instead(sent) {
                        Some(other) => Self::read(other, sent),
                        None => $kind::read(how, sent).map(Self::$kind),
                    },)*
                    other => Err(format!("Ectome knows no change named “{other}”. Reload the page.")),
                }
            }

            fn fault(&self) -> Option<&'static str> {
                match self { $(Self::$kind(kind) => kind.fault(),)* }
            }

            fn make(&self, scene: Scene, progress: &Progress) -> Result<(Scene, Done), EngineError> {
                match self { $(Self::$kind(kind) => kind.make(scene, progress),)* }
            }
        }
    };
}

// In the order in which forms are offered.
changes! {
    "clip" clip::Clip,
    "divide" divide::Divide,
    "sections" sections::Sections,
    "mirror" mirror::Mirror,
    "remove_hidden" remove_hidden::RemoveHidden,
    "weld" weld::Weld,
    "close_holes" close_holes::CloseHoles,
    "drop_degenerate" drop_degenerate::DropDegenerate,
    "drop_duplicates" drop_duplicates::DropDuplicates,
    "make_outward" make_outward::MakeOutward,
    "split_non_manifold" split_non_manifold::SplitNonManifold,
    "drop_floaters" drop_floaters::DropFloaters,
    "divide_ngons" divide_ngons::DivideNgons,
    "merge_materials" merge_materials::MergeMaterials,
    "leave_out_uvs" leave_out_uvs::LeaveOutUvs,
    "measure" measure::Measure,
    "split" split::Split,
    "join" join::Join,
    "rename" rename::Rename,
    "rename_parts" rename_parts::RenameParts,
    "group" group::Group,
    "fate" fate::Fate,
    "smallest" smallest::Smallest,
}

impl Change {
    /// Makes sure that its figures mean something, on any mesh.
    ///
    /// # Errors
    /// [`EngineError::Meaningless`].
    pub fn check(&self) -> Result<(), EngineError> {
        let of = self.title();
        self.fault()
            .map_or(Ok(()), |fault| Err(EngineError::Meaningless { of, fault }))
    }

    /// Makes the change. What is left must have faces.
    ///
    /// # Errors
    /// When its figures mean nothing, it names what is not there, nothing is left, or it was told to stop.
    pub fn apply(&self, scene: Scene, progress: &Progress) -> Result<(Scene, Done), EngineError> {
        self.check()?;
        let (scene, done) = self.make(scene, progress)?;
        if scene.mesh.face_count() == 0 {
            return Err(EngineError::NothingLeft { by: self.title() });
        }
        Ok((scene, done))
    }
}

#[cfg(test)]
mod tests {
    use ectome_formats::Scene;
    use ectome_intake::repair::{clip::Plane, weld as joining};
    use ectome_mesh::{Fate as Becomes, Progress};

    use super::{form::tests::Typed, *};

    #[test]
    fn changes_survive_json_under_plain_names() {
        let list = vec![
            Change::Weld(Weld {
                how: joining::Weld::default(),
            }),
            Change::Clip(Clip {
                plane: Plane {
                    point: [0.0; 3],
                    normal: [0.0, 1.0, 0.0],
                },
                cap: true,
            }),
            Change::Fate(Fate {
                parts: vec![1, 2],
                fate: Becomes::Imprint,
            }),
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
        let weld = |distance_m| {
            Change::Weld(Weld {
                how: joining::Weld {
                    distance_m,
                    ..joining::Weld::default()
                },
            })
        };
        let list = [
            weld(-1.0),
            weld(f32::NAN),
            Change::CloseHoles(CloseHoles { size_m: -0.1 }),
            Change::DropFloaters(DropFloaters {
                size_m: f32::INFINITY,
            }),
            Change::Clip(Clip {
                plane: plane([0.0; 3]),
                cap: true,
            }),
            Change::Divide(Divide {
                plane: plane([f32::NAN, 0.0, 1.0]),
            }),
            Change::Sections(Sections {
                cells: [4_000_000_000, 1, 1],
            }),
            Change::Sections(Sections { cells: [0, 1, 1] }),
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
        let merge = |list: &[&str]| {
            Change::MergeMaterials(MergeMaterials {
                materials: list.iter().map(|&s| s.to_owned()).collect(),
            })
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
        let keep = Change::LeaveOutUvs(LeaveOutUvs { keep: 1 });
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
        let close = |size_m| Change::CloseHoles(CloseHoles { size_m });
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
        let above = Change::Clip(Clip {
            plane: Plane {
                point: [0.0, 5.0, 0.0],
                normal: [0.0, 1.0, 0.0],
            },
            cap: true,
        });
        let error = above.apply(ball, &Progress::new()).unwrap_err();
        assert!(error.to_string().contains("nothing"), "{error}");
    }

    #[test]
    fn one_part_takes_the_name_and_several_take_numbers_with_it() {
        let renamed =
            |parts| Change::read("rename", &Typed(vec![("part", parts), ("name", "bolt")]));
        let name = "bolt".to_owned();
        let one = Rename {
            part: 3,
            name: name.clone(),
        };
        assert_eq!(renamed("3"), Ok(one.into()));
        let parts = vec![3, 5];
        assert_eq!(renamed("3,5"), Ok(RenameParts { parts, name }.into()));
    }

    #[test]
    fn what_lacks_something_says_what() {
        let says = |asked, typed| Change::read(asked, &Typed(typed)).unwrap_err();
        let unnamed = says("group", vec![("part", "1"), ("name", "")]);
        assert_eq!(unnamed, "The group needs a name. Type one.");
        let ungroup = Change::read("group:none", &Typed(vec![("part", "1")]));
        assert!(matches!(ungroup, Ok(Change::Group(g)) if g.group.is_empty()));
        assert!(
            says("merge_materials", vec![("material", "iron")]).contains("Two materials or more")
        );
        assert!(says("clip", vec![("nx", "0"), ("ny", "0"), ("nz", "0")]).contains("a direction"));
        assert!(says("polish", Vec::new()).contains("“polish”"));
    }

    /// A form that is sent as it begins gives its own kind, whatever the source.
    #[test]
    fn every_form_is_read_by_its_kind() {
        let inspection = crate::Inspection::of(
            &Scene::from(ectome_mesh::shapes::icosphere(1.0, 2)),
            &Progress::new(),
        );
        let offer = Offer {
            sizes: crate::sizes::Sizes::of(&inspection.unwrap().0),
            materials: &["iron".to_owned(), "brass".to_owned()],
            uv_sets: 2,
            space: crate::Space::default(),
            space_because: "",
        };
        let forms = Change::forms(&offer);
        assert!(forms.len() >= 15);
        for (word, form) in forms {
            let typed = form.fields.iter().flat_map(typed).collect();
            let change = Change::read(word, &Typed(typed)).unwrap();
            change.check().unwrap();
            let json = serde_json::to_value(&change).unwrap();
            assert_eq!(json["change"], word);
        }
    }

    fn typed(field: &Field) -> Vec<(&'static str, &'static str)> {
        match field {
            Field::Length { name, .. } => vec![(*name, "1,5")],
            Field::Count { name, .. } => vec![(*name, "1")],
            Field::Counts { of, .. } => of.iter().map(|&(name, _)| (name, "2")).collect(),
            Field::Tick { name, .. } => vec![(*name, "on")],
            Field::OneOf { name, of, .. } => {
                assert_eq!(of.iter().filter(|o| o.2).count(), 1);
                vec![(*name, of[0].0)]
            }
            Field::Several { name, .. } => vec![(*name, "iron"), (*name, "brass")],
            Field::Plane { .. } => vec![
                ("px", "0"),
                ("py", "1"),
                ("pz", "0"),
                ("nx", "0"),
                ("ny", "1"),
                ("nz", "0"),
            ],
        }
    }
}
