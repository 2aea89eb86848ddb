//! glTF 2.0 binary files (Khronos Group, *glTF 2.0 Specification*, ISO/IEC 12113:2022).

mod accessor;
mod container;
mod field;
mod read;
mod tree;
mod write;

pub use field::{charted, field};
pub(crate) use read::mime_of;
pub(crate) use read::read_document;
pub use read::{read, read_within};
pub use write::{Naming, write};
