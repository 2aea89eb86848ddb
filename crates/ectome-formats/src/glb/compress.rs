//! Vertices and indices packed as the extension `EXT_meshopt_compression` says (Khronos Group registry of glTF extensions), by the
//! library that it was made with. Numbers are packed without loss: what is lost is lost in quantising them before.

use bytemuck::cast_slice;

/// The extension's name.
pub(super) const EXTENSION: &str = "EXT_meshopt_compression";
/// The version of the code for vertices that the extension knows.
const VERSION: i32 = 0;

/// What a view holds.
#[derive(Clone, Copy)]
pub(super) enum Mode<'a> {
    /// Attributes of vertices.
    Attributes,
    /// Corners of triangles.
    Triangles {
        /// The corners.
        indices: &'a [u32],
        /// The vertices they point into.
        vertices: usize,
    },
}

impl Mode<'_> {
    /// The extension's word for it.
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Attributes => "ATTRIBUTES",
            Self::Triangles { .. } => "TRIANGLES",
        }
    }
}

/// The packed bytes of `count` elements of `stride` bytes; `None` where the code cannot hold them, or nothing is won.
pub(super) fn packed(bytes: &[u8], count: usize, stride: usize, mode: Mode<'_>) -> Option<Vec<u8>> {
    let packed = match mode {
        Mode::Triangles { indices, vertices } => {
            meshopt::encode_index_buffer(indices, vertices).ok()?
        }
        Mode::Attributes => {
            fn of<const N: usize>(bytes: &[u8]) -> meshopt::Result<Vec<u8>>
            where
                [u8; N]: bytemuck::Pod,
            {
                meshopt::encode_vertex_buffer_level::<[u8; N]>(cast_slice(bytes), 2, Some(VERSION))
            }
            match stride {
                4 => of::<4>(bytes),
                8 => of::<8>(bytes),
                12 => of::<12>(bytes),
                16 => of::<16>(bytes),
                _ => return None,
            }
            .ok()?
        }
    };
    (count > 0 && !packed.is_empty() && packed.len() < bytes.len()).then_some(packed)
}

/// How decoded values are turned into what they mean.
#[derive(Clone, Copy)]
enum Filter {
    None,
    Octahedral,
    Quaternion,
    Exponential,
}

/// The elements of a packed view, from what its extension object says of it; a sentence where that cannot be.
pub(super) fn unpacked(packed: &[u8], about: &serde_json::Value) -> Result<Vec<u8>, &'static str> {
    let number = |key: &str| about[key].as_u64().and_then(|v| usize::try_from(v).ok());
    let (Some(count), Some(stride)) = (number("count"), number("byteStride")) else {
        return Err("says neither count nor stride");
    };
    let filter = match about["filter"].as_str() {
        None | Some("NONE") => Filter::None,
        Some("OCTAHEDRAL") => Filter::Octahedral,
        Some("QUATERNION") => Filter::Quaternion,
        Some("EXPONENTIAL") => Filter::Exponential,
        Some(_) => return Err("has a filter that is not known"),
    };
    let broken = |_| "cannot be unpacked";
    match about["mode"].as_str() {
        Some("ATTRIBUTES") => {
            let mut bytes = attributes(packed, count, stride)?;
            filtered(&mut bytes, stride, filter)?;
            Ok(bytes)
        }
        Some(mode @ ("TRIANGLES" | "INDICES")) => {
            let indices: Vec<u32> = match mode {
                "TRIANGLES" => meshopt::decode_index_buffer(packed, count).map_err(broken)?,
                _ => meshopt::decode_index_sequence(packed, count).map_err(broken)?,
            };
            match stride {
                2 => Ok(indices
                    .iter()
                    .flat_map(|&i| (i as u16).to_le_bytes())
                    .collect()),
                4 => Ok(indices.iter().flat_map(|i| i.to_le_bytes()).collect()),
                _ => Err("has indices of neither two nor four bytes"),
            }
        }
        _ => Err("has a mode that is not known"),
    }
}

fn attributes(packed: &[u8], count: usize, stride: usize) -> Result<Vec<u8>, &'static str> {
    /// The library wants the size of an element as a type.
    macro_rules! of_sizes {
        ($($size:literal)*) => {
            match stride {
                $($size => {
                    // Words, since the library's rows must be whole ones.
                    let rows: Vec<[u32; $size / 4]> =
                        meshopt::decode_vertex_buffer(packed, count).map_err(|_| "cannot be unpacked")?;
                    Ok(cast_slice(&rows).to_vec())
                })*
                _ => Err("has elements of a size that attributes cannot have"),
            }
        };
    }
    of_sizes!(4 8 12 16 20 24 28 32 36 40 44 48 52 56 60 64)
}

fn filtered(bytes: &mut [u8], stride: usize, filter: Filter) -> Result<(), &'static str> {
    const MISFIT: &str = "has a filter that does not fit its elements";
    match (filter, stride) {
        (Filter::None, _) => {}
        (Filter::Octahedral, 4) => {
            let mut rows: Vec<[i8; 4]> = cast_slice(bytes).to_vec();
            meshopt::decode_filter_oct(&mut rows);
            bytes.copy_from_slice(cast_slice(&rows));
        }
        (Filter::Octahedral, 8) => {
            let mut rows: Vec<[i16; 4]> = bytemuck::pod_collect_to_vec(bytes);
            meshopt::decode_filter_oct(&mut rows);
            bytes.copy_from_slice(cast_slice(&rows));
        }
        (Filter::Quaternion, 8) => {
            let mut rows: Vec<[i16; 4]> = bytemuck::pod_collect_to_vec(bytes);
            meshopt::decode_filter_quat(&mut rows);
            bytes.copy_from_slice(cast_slice(&rows));
        }
        (Filter::Exponential, _) if stride.is_multiple_of(4) => {
            let mut rows: Vec<[u32; 1]> = bytemuck::pod_collect_to_vec(bytes);
            meshopt::decode_filter_exp(&mut rows);
            bytes.copy_from_slice(cast_slice(&rows));
        }
        _ => return Err(MISFIT),
    }
    Ok(())
}
