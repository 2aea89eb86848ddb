//! Primitives whose geometry is packed as `KHR_draco_mesh_compression` says (Khronos Group registry of glTF extensions), unpacked by the crate
//! draco-core.

use draco_core::{DecodeLimits, DecoderBuffer, Mesh, MeshDecoder};
use serde_json::Value;

use super::accessor::{Document, size};
use crate::FormatError;

/// The extension's name.
pub(super) const EXTENSION: &str = "KHR_draco_mesh_compression";
/// What is unpacked may be so many times as much as its accessors say: seams part points.
const MORE: u64 = 4;
/// And so much more for the smallest.
const SPARE: u64 = 65_536;

/// A primitive's geometry, unpacked.
pub(super) struct Unpacked<'a> {
    mesh: Mesh,
    /// The numbers of its attributes, by the names of glTF.
    numbers: &'a Value,
}

impl<'a> Unpacked<'a> {
    /// The geometry of a primitive; `None` where it is not packed.
    ///
    /// # Errors
    /// [`FormatError::Damaged`] where it cannot be unpacked.
    pub(super) fn of(
        document: &Document<'_>,
        primitive: &'a Value,
        at: &str,
    ) -> Result<Option<Self>, FormatError> {
        let packed = &primitive["extensions"][EXTENSION];
        let Some(view) = size(&packed["bufferView"]) else {
            return Ok(None);
        };
        let (bytes, _) = document.view(view)?;
        let most = |accessor: &Value| {
            let count = size(accessor).map_or(0, |i| document.count(i)) as u64;
            MORE.saturating_mul(count).saturating_add(SPARE)
        };
        let limits = DecodeLimits::default()
            .with_max_points(most(&primitive["attributes"]["POSITION"]))
            .with_max_faces(most(&primitive["indices"]));
        let mut buffer = DecoderBuffer::new(bytes).with_limits(limits);
        let mut mesh = Mesh::new();
        MeshDecoder::new()
            .decode(&mut buffer, &mut mesh)
            .map_err(|e| {
                document.damaged(format!("the packed geometry of {at} breaks off ({e})"))
            })?;
        Ok(Some(Self {
            mesh,
            numbers: &packed["attributes"],
        }))
    }

    /// The rows of an attribute, `or` where one has fewer numbers; `None` where the attribute is not among those that are packed.
    /// `accessor` says whether whole numbers stand for shares.
    pub(super) fn floats<const N: usize>(
        &self,
        name: &str,
        accessor: &Value,
        or: f32,
    ) -> Option<Vec<[f32; N]>> {
        let number = u32::try_from(size(&self.numbers[name])?).ok()?;
        let attribute = self.mesh.attribute_by_unique_id(number)?;
        let given = usize::from(attribute.num_components()).clamp(1, N);
        let most = match (
            accessor["normalized"].as_bool(),
            accessor["componentType"].as_u64(),
        ) {
            (Some(true), Some(5120)) => 127.0,
            (Some(true), Some(5121)) => 255.0,
            (Some(true), Some(5122)) => 32_767.0,
            (Some(true), Some(5123)) => 65_535.0,
            _ => 1.0,
        };
        let values = attribute.read_f32s(self.mesh.num_points(), given);
        let row = |row: &[f32]| {
            std::array::from_fn(|k| {
                row.get(k).map_or(or, |v| {
                    (v / most).max(if most > 1.0 { -1.0 } else { f32::MIN })
                })
            })
        };
        Some(values.chunks_exact(given).map(row).collect())
    }

    /// The corners of its triangles.
    pub(super) fn corners(&self) -> Vec<u32> {
        let faces = self.mesh.faces().iter();
        faces.flat_map(|f| f.map(|v| v.0)).collect()
    }
}
