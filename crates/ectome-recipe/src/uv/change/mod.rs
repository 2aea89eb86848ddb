//! What is done to UVs, one kind to a file.
//!
//! A kind knows its words, its bounds, how a form asks for it and how it is made; a new one is a file here and a line in the list of
//! [`UvChange`].

mod density;
mod form;
mod join;
mod kind;
mod pack;
mod place;
mod priority;
mod separate;
mod split;
mod suggest_priorities;
mod turn_over;
mod unwrap;

use ectome_mesh::Progress;
use ectome_uv::layout::Layout;
use serde::{Deserialize, Serialize};

pub use form::list;
use kind::Kind;

use super::work::Work;
use crate::{EngineError, UvFault, change::Sent};

/// Makes [`UvChange`] of the list of all kinds with their words.
macro_rules! uv_changes {
    ($($word:literal $file:ident::$kind:ident,)*) => {
        $(pub use $file::$kind;)*

        /// One change of UVs.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
        #[serde(tag = "uv")]
        pub enum UvChange {
            $(
                #[doc = concat!("See [`", stringify!($kind), "`].")]
                #[serde(rename = $word)]
                $kind($kind),
            )*
        }

        $(impl From<$kind> for UvChange {
            fn from(kind: $kind) -> Self {
                Self::$kind(kind)
            }
        })*

        impl UvChange {
            /// What it is called while it is made.
            pub fn title(&self) -> &'static str {
                match self { $(Self::$kind(kind) => kind.title(),)* }
            }

            /// Reads the change that is asked for by a word, and perhaps by how it is done behind a colon.
            ///
            /// # Errors
            /// A sentence that says what to choose or to type.
            pub fn read(asked: &str, sent: &dyn Sent) -> Result<Self, String> {
                let (word, how) = asked.split_once(':').unwrap_or((asked, ""));
                match word {
                    $($word => $kind::read(how, sent).map(Self::$kind),)*
                    _ => Err("That is nothing the UVs step can do. Reload the page and try again.".to_owned()),
                }
            }

            fn needs_uvs(&self) -> bool {
                match self { $(Self::$kind(kind) => kind.needs_uvs(),)* }
            }

            fn keeps_sizes(&self) -> bool {
                match self { $(Self::$kind(kind) => kind.keeps_sizes(),)* }
            }

            fn make(&self, work: Work, progress: &Progress) -> Result<(Layout, String), EngineError> {
                match self { $(Self::$kind(kind) => kind.make(work, progress),)* }
            }
        }
    };
}

uv_changes! {
    "unwrap" unwrap::Unwrap,
    "split" split::Split,
    "join" join::Join,
    "density" density::Density,
    "priority" priority::Priority,
    "suggest_priorities" suggest_priorities::SuggestPriorities,
    "pack" pack::Pack,
    "turn_over" turn_over::TurnOver,
    "separate" separate::Separate,
    "place" place::Place,
}

impl UvChange {
    /// The layout after it, and what was done in words.
    ///
    /// # Errors
    /// When there are no UVs, locked islands would have to move, it does not fit, or it was told to stop.
    pub(super) fn made(
        &self,
        work: Work,
        progress: &Progress,
    ) -> Result<(Layout, String), EngineError> {
        if self.needs_uvs() && work.layout.count == 0 {
            return Err(UvFault::NoUvs.into());
        }
        if !self.keeps_sizes() && !work.packing.locked.is_empty() {
            return Err(UvFault::Locked.into());
        }
        self.make(work, progress)
    }
}
