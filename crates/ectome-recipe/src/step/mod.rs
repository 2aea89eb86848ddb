//! The steps a recipe is made of, one to a file.
//!
//! A step knows its parameters, its version, what it is like and how it is run, and nothing about where it stands: what came
//! before it, it asks of its [`Input`]. The [engine](crate::engine) alone knows how to go on from what is kept, what is
//! judged against what, and which figures survive a step. A step of a new kind is a file here and a line in the list of
//! [`Step`]; docs/architecture.md shows one.

mod bake;
mod bring;
mod cards;
mod cut;
mod hull;
mod import;
mod leave_out;
mod merge;
mod merge_flat;
mod prepare;
mod rebuild;
mod take_out_loops;
mod triangulate;
mod uv;

use ectome_compare::look::AtSize;
use ectome_formats::Scene;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

pub use bake::Bake;
pub use bring::{Bring, BroughtFile};
pub use cards::Cards;
pub use cut::Cut;
pub use hull::Hull;
pub use import::Import;
pub use leave_out::LeaveOut;
pub use merge::Merge;
pub use merge_flat::{MergeFlat, merge_flat};
pub use prepare::Prepare;
pub use rebuild::Rebuild;
pub use take_out_loops::{TakeOutLoops, list_loops, take_out_loops};
pub use triangulate::Triangulate;
pub use uv::Uv;

use crate::{
    Change, CutReport, CutSettings, Done, EngineError, Proof, Proven, Session, UvReport,
    artefact::Artefact,
    kept::Kept,
    proof::{MapsProof, ShadingView},
    session::Origin,
};

/// What a step is like, as far as others have to know.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Nature {
    /// It makes the source ready. What it makes is the source that all that follows is judged against.
    Prepares,
    /// It lays a new surface over its source. It is judged against what can be seen of that; what follows, against the new surface.
    Rebuilds,
    /// It changes the surface and is judged against its source.
    Reduces,
    /// It changes what lies on the surface. What was measured of the surface before still holds.
    Dresses,
}

/// A kind of step with its parameters.
pub trait Operation {
    /// Raised whenever the same parameters would make something else than before.
    fn version(&self) -> u32;

    /// What it does, as a stage of work is called.
    fn title(&self) -> &'static str;

    /// What was asked for, as lists of work and of candidates say it.
    fn wish(&self) -> String {
        self.title().to_owned()
    }

    /// What it is like.
    fn nature(&self) -> Nature;

    /// How long it takes beside others: reading a source is 1.
    fn cost(&self) -> f32;

    /// The settings of the analysis that it replays, if it does: steps that differ in the rest share it.
    fn analysis(&self) -> Option<&CutSettings> {
        None
    }

    /// It gives the surface other UVs than it had.
    fn replaces_uvs(&self) -> bool {
        false
    }

    /// It leaves parts out that maps may still show.
    fn leaves_parts_out(&self) -> bool {
        false
    }

    /// Makes the step.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError>;
}

/// What a step may ask for. The engine answers.
pub trait Input {
    /// Nothing comes before the step.
    fn is_first(&self) -> bool;

    /// Reads the source's files.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn import(&self, progress: &Progress) -> Result<Scene, EngineError>;

    /// Reads a mesh that was made elsewhere.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn brought(&self, files: &[BroughtFile], progress: &Progress) -> Result<Scene, EngineError>;

    /// The changes that are made to the source.
    fn changes(&self) -> Vec<Change>;

    /// The key of what another step would make in the place of this one.
    fn key_with(&self, step: Step) -> String;

    /// Something that is kept beside what the recipe with this key makes, by its kind and its name.
    fn artefact(&self, key: &str, kind: &'static str, which: &str) -> Option<Vec<u8>>;

    /// What the steps before make.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn scene(&self) -> Result<Scene, EngineError>;

    /// The prepared source with all its parts, also those that are only for the maps.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn with_all_parts(&self) -> Result<Scene, EngineError>;

    /// What the result is judged against where that is not what the step starts from: the source of the first step that
    /// changed the surface, in triangles; after a rebuild the new surface.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn origin(&self) -> Result<Option<Origin>, EngineError>;

    /// A session that judges results against what they come from, by what an earlier one made ready.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn judged(&self, session: Session) -> Result<Session, EngineError>;

    /// Keeps what a session made ready for judging.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn keep_jury(&self, session: &Session) -> Result<(), EngineError>;

    /// What the step starts from, analysed with these settings and ready to be cut.
    ///
    /// # Errors
    /// See [`EngineError`].
    fn session(&self, settings: &CutSettings, progress: &Progress) -> Result<Session, EngineError>;
}

/// What a step hands over.
#[derive(Clone, Debug, Default)]
pub struct Output {
    /// The scene, polygons as they are.
    pub scene: Scene,
    /// What was done to the source.
    pub done: Option<Done>,
    /// What a cut did.
    pub cut: Option<CutReport>,
    /// What the result looks like beside its source, in figures.
    pub proof: Option<Proof>,
    /// How the same surface is shaded beside its source now that it has maps.
    pub shading: Option<(Vec<ShadingView>, MapsProof, Vec<AtSize>)>,
    /// What was done to UVs.
    pub uv: Option<UvReport>,
    /// Pictures and fields.
    pub artefacts: Vec<Artefact>,
    /// What a later cut of the same source may go on from.
    pub kept: Kept,
}

impl Output {
    /// A scene about which there is nothing to say.
    fn of(scene: Scene) -> Self {
        Self {
            scene,
            ..Self::default()
        }
    }

    /// A reduced scene with its report and its proof.
    fn proven(scene: Scene, report: CutReport, proven: Proven) -> Self {
        Self {
            scene,
            cut: Some(report),
            proof: Some(proven.proof),
            artefacts: proven.pictures.into_artefacts(),
            ..Self::default()
        }
    }
}

/// Makes [`Step`] of the list of all kinds.
macro_rules! steps {
    ($($(#[$about:meta])* $kind:ident,)*) => {
        /// One change to a mesh.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
        #[serde(tag = "step", rename_all = "snake_case")]
        pub enum Step {
            $($(#[$about])* $kind($kind),)*
        }

        impl Step {
            fn operation(&self) -> &dyn Operation {
                match self {
                    $(Self::$kind(step) => step,)*
                }
            }
        }

        $(impl From<$kind> for Step {
            fn from(step: $kind) -> Self {
                Self::$kind(step)
            }
        })*
    };
}

steps! {
    /// Reads the source's files.
    Import,
    /// Repairs the mesh or decides about its parts.
    Prepare,
    /// Leaves out the parts that are not built.
    LeaveOut,
    /// Splits larger faces into triangles.
    Triangulate,
    /// Takes flat regions and straight lines to the corners they need; nothing else changes.
    MergeFlat,
    /// Takes edge loops out; every point that stays keeps its place and its UV.
    TakeOutLoops,
    /// Lays one closed skin over everything.
    Rebuild,
    /// Lays convex hulls over the source.
    Hull,
    /// Puts cards in the place of the source.
    Cards,
    /// Collapses edges down to a target.
    Cut,
    /// Brings a low mesh that was made elsewhere.
    Bring,
    /// Changes UVs; the surface stays as it is.
    Uv,
    /// Merges materials over one sheet; the surface stays as it is.
    Merge,
    /// Bakes maps from the source; the surface stays as it is.
    Bake,
}

impl Operation for Step {
    fn version(&self) -> u32 {
        self.operation().version()
    }

    fn title(&self) -> &'static str {
        self.operation().title()
    }

    fn wish(&self) -> String {
        self.operation().wish()
    }

    fn nature(&self) -> Nature {
        self.operation().nature()
    }

    fn cost(&self) -> f32 {
        self.operation().cost()
    }

    fn analysis(&self) -> Option<&CutSettings> {
        self.operation().analysis()
    }

    fn replaces_uvs(&self) -> bool {
        self.operation().replaces_uvs()
    }

    fn leaves_parts_out(&self) -> bool {
        self.operation().leaves_parts_out()
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        self.operation().run(input, progress)
    }
}
