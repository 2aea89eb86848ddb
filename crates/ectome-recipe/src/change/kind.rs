//! What every kind of change knows.

use ectome_formats::Scene;
use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::form::{Form, Offer, Sent};
use crate::EngineError;

/// What a change did.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Done {
    /// How much: points, faces, triangles, parts, as the sentence says.
    pub count: usize,
    /// In words.
    pub sentence: String,
}

impl Done {
    pub(super) fn new(count: usize, sentence: String) -> Self {
        Self { count, sentence }
    }
}

/// A kind of change with its parameters. Lengths are in metres; parts go by number.
pub trait Kind: Sized {
    /// What it is called on a page.
    fn title(&self) -> &'static str;

    /// The same with its figures.
    fn says(&self) -> String {
        self.title().to_owned()
    }

    /// Why its figures mean nothing on any mesh, to be read behind its title.
    fn fault(&self) -> Option<&'static str> {
        None
    }

    /// It adds part numbers that later changes may use.
    fn adds_parts(&self) -> bool {
        false
    }

    /// It goes by part numbers.
    fn names_parts(&self) -> bool {
        false
    }

    /// Parts that are not built are left out of what follows.
    fn leaves_parts_out(&self) -> bool {
        false
    }

    /// What is left of it beside a newer change of the same kind, which decides anew about the same thing.
    fn beside(self, _newer: &Self) -> Option<Self> {
        Some(self)
    }

    /// Takes a newer change of the same kind in, where both are one.
    fn takes_in(&mut self, _newer: &Self) -> bool {
        false
    }

    /// It comes before all others.
    const IS_FIRST: bool = false;

    /// The form that asks for it; `None` where it is asked for elsewhere, or the source has nothing that it could change.
    fn form(_: &Offer) -> Option<Form> {
        None
    }

    /// Reads it from a form. `how` is what stands behind a colon in the word that was asked for, such as `omit` in `fate:omit`.
    ///
    /// # Errors
    /// A sentence that says which field to change.
    fn read(how: &str, sent: &dyn Sent) -> Result<Self, String>;

    /// The word of another kind that is meant, by what was sent.
    fn instead(_: &dyn Sent) -> Option<&'static str> {
        None
    }

    /// Makes it.
    ///
    /// # Errors
    /// When it names what is not there, or was told to stop.
    fn make(&self, scene: Scene, progress: &Progress) -> Result<(Scene, Done), EngineError>;
}

/// Why a plane is refused.
pub(super) const NO_PLANE: &str =
    "needs a plane: a finite point, and a normal that is longer than nothing";
