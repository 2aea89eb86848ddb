//! glTF 2.0 (Khronos Group, *glTF 2.0 Specification*, ISO/IEC 12113:2022), as one binary file or as several.

mod accessor;
mod bound;
mod buffer;
mod compress;
mod container;
mod copies;
mod document;
mod draco;
mod field;
mod order;
mod quantise;
mod read;
mod tree;
mod write;

pub use document::Document;
pub use field::{charted, field};
pub(crate) use read::mime_of;
pub(crate) use read::read_document;
pub use read::{read, read_within};
pub use write::{Coding, Options, Tier, document, tiers, write};
