//! Typed reading of buffers (specification §3.6), every bound checked.

use std::collections::HashMap;

use base64::Engine;
use serde_json::Value;

use super::compress;
use crate::{FileSet, FormatError, Reading, gltf::decoded};

/// The document and its buffers.
pub struct Document<'a> {
    /// The file's name, for messages.
    pub file: &'a str,
    /// The JSON.
    pub json: Value,
    bin: &'a [u8],
    /// Buffers given inside the JSON as data URIs, by index.
    embedded: Vec<Option<Vec<u8>>>,
    /// What compressed buffer views hold, by the number of the view.
    unpacked: HashMap<usize, Vec<u8>>,
}

/// Bytes that one packed byte stands for at most: sixteen equal values of a column are two bits (`EXT_meshopt_compression`).
const PACKED: u64 = 64;

impl<'a> Document<'a> {
    /// Wraps the chunks of a file.
    pub fn new(
        file: &'a str,
        json: Value,
        bin: &'a [u8],
        files: Option<&FileSet<'_>>,
        reading: &Reading,
    ) -> Result<Self, FormatError> {
        let mut document = Self {
            file,
            json,
            bin,
            embedded: Vec::new(),
            unpacked: HashMap::new(),
        };
        let mut embedded = Vec::new();
        for (i, buffer) in document.list("buffers").iter().enumerate() {
            embedded.push(match buffer["uri"].as_str() {
                None => None,
                Some(uri) => Some(match (data_uri(uri), files) {
                    (Some(bytes), _) => bytes,
                    (None, Some(files)) => {
                        let name = decoded(uri);
                        let found = files.find(&name).ok_or_else(|| FormatError::Missing {
                            file: file.to_owned(),
                            needs: name,
                        })?;
                        found.to_vec()
                    }
                    (None, None) => {
                        return Err(document.damaged(format!(
                            "buffer {i} lies in another file, which a .glb must not need"
                        )));
                    }
                }),
            });
        }
        document.embedded = embedded;
        document.unpack(reading)?;
        Ok(document)
    }

    /// Unpacks every compressed buffer view.
    fn unpack(&mut self, reading: &Reading) -> Result<(), FormatError> {
        let mut all = HashMap::new();
        let mut bytes = 0u64;
        for (i, view) in self.list("bufferViews").iter().enumerate() {
            let about = &view["extensions"][compress::EXTENSION];
            if about.is_null() {
                continue;
            }
            let bad = |what: &str| self.damaged(format!("buffer view {i} {what}"));
            let packed = self.stretch(i, about)?;
            let (count, stride) = (size(&about["count"]), size(&about["byteStride"]));
            let whole = count.unwrap_or(0).saturating_mul(stride.unwrap_or(0)) as u64;
            if whole > (packed.len() as u64 + 64).saturating_mul(PACKED) {
                return Err(bad("claims more elements than its bytes can hold"));
            }
            bytes += whole;
            reading.needs(self.file, bytes)?;
            all.insert(i, compress::unpacked(packed, about).map_err(bad)?);
        }
        self.unpacked = all;
        Ok(())
    }

    /// A top-level list, empty if absent.
    pub fn list(&self, name: &str) -> &[Value] {
        self.json[name].as_array().map_or(&[], Vec::as_slice)
    }

    /// A "damaged" error for this file.
    pub fn damaged(&self, fault: impl Into<String>) -> FormatError {
        FormatError::Damaged {
            file: self.file.to_owned(),
            fault: fault.into(),
        }
    }

    /// The elements that accessor `index` claims to have; 0 where it says nothing.
    pub fn count(&self, index: usize) -> usize {
        let accessor = self.list("accessors").get(index);
        accessor.and_then(|a| size(&a["count"])).unwrap_or(0)
    }

    /// Bytes of all buffers together.
    fn bytes(&self) -> usize {
        let embedded = self.embedded.iter().flatten().map(Vec::len).sum::<usize>();
        self.bin.len() + embedded
    }

    /// The bytes of a buffer view and its stride, if given.
    pub fn view(&self, index: usize) -> Result<(&[u8], Option<usize>), FormatError> {
        let view = self
            .list("bufferViews")
            .get(index)
            .ok_or_else(|| self.damaged(format!("buffer view {index} does not exist")))?;
        if let Some(unpacked) = self.unpacked.get(&index) {
            return Ok((unpacked, size(&view["byteStride"])));
        }
        Ok((self.stretch(index, view)?, size(&view["byteStride"])))
    }

    /// The bytes of a buffer that a view, or what stands in its place, says are its own.
    fn stretch(&self, index: usize, view: &Value) -> Result<&[u8], FormatError> {
        let buffer = size(&view["buffer"]).unwrap_or(0);
        let bytes: &[u8] = match self.embedded.get(buffer) {
            Some(Some(bytes)) => bytes,
            Some(None) if buffer == 0 => self.bin,
            _ => return Err(self.damaged(format!("buffer {buffer} does not exist"))),
        };
        let from = size(&view["byteOffset"]).unwrap_or(0);
        let length = size(&view["byteLength"]).unwrap_or(0);
        from.checked_add(length)
            .and_then(|end| bytes.get(from..end))
            .ok_or_else(|| FormatError::Truncated {
                file: self.file.to_owned(),
                what: format!("buffer view {index}"),
                needed: (from as u64).saturating_add(length as u64),
                found: bytes.len() as u64,
            })
    }

    /// Reads accessor `index` as rows of `N` floats; integers are normalised where the accessor says
    /// so. Fewer components in the file leave the rest at `fill`.
    pub fn floats<const N: usize>(
        &self,
        index: usize,
        fill: f32,
    ) -> Result<Vec<[f32; N]>, FormatError> {
        let mut rows = Vec::new();
        self.visit(index, |row, values| {
            let mut out = [fill; N];
            for (slot, v) in out.iter_mut().zip(values) {
                *slot = *v as f32;
            }
            if row < rows.len() {
                rows[row] = out;
            } else {
                rows.push(out);
            }
        })?;
        Ok(rows)
    }

    /// Reads accessor `index` as unsigned integers.
    pub fn indices(&self, index: usize) -> Result<Vec<u32>, FormatError> {
        let mut out: Vec<u32> = Vec::new();
        self.visit(index, |row, values| {
            let value = values[0] as u32;
            if row < out.len() {
                out[row] = value;
            } else {
                out.push(value);
            }
        })?;
        Ok(out)
    }

    /// Calls `visit` for each element, once it is known that bytes stand behind all of them, and
    /// again for each element a sparse part replaces.
    fn visit(&self, index: usize, mut visit: impl FnMut(usize, &[f64])) -> Result<(), FormatError> {
        let accessor = self
            .list("accessors")
            .get(index)
            .ok_or_else(|| self.damaged(format!("accessor {index} does not exist")))?;
        let bad = |what: &str| self.damaged(format!("accessor {index} has {what}"));
        let count = size(&accessor["count"]).ok_or_else(|| bad("no count"))?;
        let components = match accessor["type"].as_str() {
            Some("SCALAR") => 1,
            Some("VEC2") => 2,
            Some("VEC3") => 3,
            Some("VEC4") => 4,
            _ => return Err(bad("a type that vertices cannot have")),
        };
        let normalised = accessor["normalized"].as_bool().unwrap_or(false);
        let kind = Component::of(&accessor["componentType"])
            .ok_or_else(|| bad("no known component type"))?;
        let mut values = [0.0; 4];
        if let Some(view) = size(&accessor["bufferView"]) {
            let (bytes, stride) = self.view(view)?;
            let offset = size(&accessor["byteOffset"]).unwrap_or(0);
            let stride = stride.unwrap_or(kind.bytes() * components);
            self.cover(
                index,
                bytes.len(),
                offset,
                stride,
                kind.bytes() * components,
                count,
            )?;
            for row in 0..count {
                let at = offset + row * stride;
                kind.row(&bytes[at..], &mut values[..components], normalised);
                visit(row, &values[..components]);
            }
        } else if accessor.get("sparse").is_some() {
            // All zeros until the sparse part: no bytes stand behind the count, so the whole file must bound it.
            if count > self.bytes() {
                return Err(bad("more elements than its file has bytes"));
            }
            (0..count).for_each(|row| visit(row, &values[..components]));
        } else {
            return Err(bad("no data"));
        }
        if let Some(sparse) = accessor.get("sparse") {
            let n = size(&sparse["count"]).unwrap_or(0);
            let place = |part: &Value, width: usize| -> Result<(&[u8], usize), FormatError> {
                let view = size(&part["bufferView"]).ok_or_else(|| bad("a broken sparse part"))?;
                let offset = size(&part["byteOffset"]).unwrap_or(0);
                let (bytes, _) = self.view(view)?;
                self.cover(index, bytes.len(), offset, width, width, n)?;
                Ok((bytes, offset))
            };
            let at_kind = Component::of(&sparse["indices"]["componentType"])
                .ok_or_else(|| bad("a broken sparse part"))?;
            let width = kind.bytes() * components;
            let (at_bytes, at_offset) = place(&sparse["indices"], at_kind.bytes())?;
            let (bytes, offset) = place(&sparse["values"], width)?;
            let mut at = [0.0];
            for i in 0..n {
                at_kind.row(&at_bytes[at_offset + i * at_kind.bytes()..], &mut at, false);
                if at[0] as usize >= count {
                    return Err(bad("a sparse index past its end"));
                }
                kind.row(
                    &bytes[offset + i * width..],
                    &mut values[..components],
                    normalised,
                );
                visit(at[0] as usize, &values[..components]);
            }
        }
        Ok(())
    }

    /// Checks that `count` rows lie inside `len` bytes.
    fn cover(
        &self,
        index: usize,
        len: usize,
        offset: usize,
        stride: usize,
        width: usize,
        count: usize,
    ) -> Result<(), FormatError> {
        let needed = count
            .checked_sub(1)
            .map_or(Some(0), |last| last.checked_mul(stride))
            .and_then(|n| n.checked_add(offset))
            .and_then(|n| n.checked_add(if count > 0 { width } else { 0 }));
        match needed {
            Some(needed) if needed <= len && stride > 0 => Ok(()),
            _ => Err(FormatError::Truncated {
                file: self.file.to_owned(),
                what: format!("accessor {index} with {count} elements"),
                needed: needed.map_or(u64::MAX, |n| n as u64),
                found: len as u64,
            }),
        }
    }
}

/// A JSON number as a size.
pub fn size(value: &Value) -> Option<usize> {
    value.as_u64().and_then(|v| usize::try_from(v).ok())
}

/// The bytes of a base64 data URI.
pub fn data_uri(uri: &str) -> Option<Vec<u8>> {
    let (head, data) = uri.strip_prefix("data:")?.split_once(',')?;
    head.ends_with(";base64")
        .then(|| base64::engine::general_purpose::STANDARD.decode(data).ok())
        .flatten()
}

#[derive(Clone, Copy)]
enum Component {
    I8,
    U8,
    I16,
    U16,
    U32,
    F32,
}

impl Component {
    fn of(value: &Value) -> Option<Self> {
        Some(match value.as_u64()? {
            5120 => Self::I8,
            5121 => Self::U8,
            5122 => Self::I16,
            5123 => Self::U16,
            5125 => Self::U32,
            5126 => Self::F32,
            _ => return None,
        })
    }

    fn bytes(self) -> usize {
        match self {
            Self::I8 | Self::U8 => 1,
            Self::I16 | Self::U16 => 2,
            Self::U32 | Self::F32 => 4,
        }
    }

    /// Reads one row; the caller has checked that the bytes are there.
    fn row(self, bytes: &[u8], into: &mut [f64], normalised: bool) {
        for (slot, b) in into.iter_mut().zip(bytes.chunks_exact(self.bytes())) {
            let (value, full) = match self {
                Self::I8 => (f64::from(b[0] as i8), 127.0),
                Self::U8 => (f64::from(b[0]), 255.0),
                Self::I16 => (f64::from(i16::from_le_bytes([b[0], b[1]])), 32_767.0),
                Self::U16 => (f64::from(u16::from_le_bytes([b[0], b[1]])), 65_535.0),
                Self::U32 => (f64::from(u32::from_le_bytes([b[0], b[1], b[2], b[3]])), 1.0),
                Self::F32 => {
                    *slot = f64::from(f32::from_le_bytes([b[0], b[1], b[2], b[3]]));
                    continue;
                }
            };
            *slot = if normalised {
                (value / full).max(-1.0)
            } else {
                value
            };
        }
    }
}
