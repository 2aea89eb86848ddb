//! What can be wrong with a file, each with the file's name.

use thiserror::Error;

/// A file that cannot be read or written, in a sentence.
#[derive(Debug, Error, PartialEq, Eq)]
pub enum FormatError {
    /// The file ends before it should.
    #[error("{file} is cut short: {what} needs {needed} bytes, {found} are there. Export it again")]
    Truncated {
        /// The file.
        file: String,
        /// What is cut.
        what: String,
        /// Bytes needed.
        needed: u64,
        /// Bytes found.
        found: u64,
    },
    /// The content is not what the name promises.
    #[error("{file} is not a {expected} file: {fault}")]
    NotThat {
        /// The file.
        file: String,
        /// The format its name promises.
        expected: &'static str,
        /// What its content looks like.
        fault: String,
    },
    /// The content breaks the format's rules.
    #[error("{file} is damaged: {fault}")]
    Damaged {
        /// The file.
        file: String,
        /// The rule and the place.
        fault: String,
    },
    /// The file is fine but uses something that is not supported.
    #[error("{file} uses {what}, which Ectome does not read. {remedy}")]
    Unsupported {
        /// The file.
        file: String,
        /// The feature.
        what: String,
        /// What to do.
        remedy: &'static str,
    },
    /// A file it needs did not come with it.
    #[error("{file} needs {needs}, which was not dropped with it. Drop both together, or a .glb")]
    Missing {
        /// The file.
        file: String,
        /// What it needs.
        needs: String,
    },
    /// Nothing to work on.
    #[error("{file} holds no triangles")]
    Empty {
        /// The file.
        file: String,
    },
    /// No file of the set is a mesh.
    #[error(
        "{files} is no mesh that Ectome reads: drop a .glb, .ply or .stl, a .gltf or an .obj with its files, or a .zip of these"
    )]
    NoMesh {
        /// The names given.
        files: String,
    },
    /// Reading it would take more memory than there is to spare.
    #[error(
        "{file} needs about {} MB of memory to be read, {} MB can be had. Split it, or read it on a machine with more memory",
        .needed / 1_000_000, .budget / 1_000_000
    )]
    OverBudget {
        /// The file.
        file: String,
        /// Bytes needed.
        needed: u64,
        /// Bytes that may be taken.
        budget: u64,
    },
    /// More objects than anything can show.
    #[error("{file} holds {found} objects, more than {most}. Join some of them before exporting")]
    TooManyParts {
        /// The file.
        file: String,
        /// Objects found.
        found: usize,
        /// The most that are taken.
        most: usize,
    },
    /// Somebody asked to stop.
    #[error(transparent)]
    Cancelled(#[from] ectome_mesh::Cancelled),
    /// The scene is too large for the format.
    #[error("the scene needs {bytes} bytes, more than the 4 GiB a GLB can hold. Cut it further")]
    TooLarge {
        /// Bytes needed.
        bytes: u64,
    },
}
