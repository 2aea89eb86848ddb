//! The binary part of a file as it grows: buffer views and the accessors into them (glTF 2.0, section 3.6).

use serde_json::{Value, json};

use super::{Coding, compress};

const ARRAY_BUFFER: u32 = 34_962;
const ELEMENT_ARRAY_BUFFER: u32 = 34_963;
const BYTE_2: u32 = 5123;
const SHORT: u32 = 5122;
const BYTE_4: u32 = 5125;
const FLOAT: u32 = 5126;

/// Buffer views and accessors as they grow.
#[derive(Default)]
pub(super) struct Buffer {
    pub(super) bin: Vec<u8>,
    pub(super) views: Vec<Value>,
    pub(super) accessors: Vec<Value>,
    pub(super) coding: Coding,
    /// Bytes that compressed views have once they are read: the length of the buffer that stands in for them.
    pub(super) unpacked: usize,
}

impl Buffer {
    pub(super) fn coded(coding: Coding) -> Self {
        Self {
            coding,
            ..Self::default()
        }
    }

    /// A view of bytes that are no numbers, such as a picture.
    pub(super) fn bytes(&mut self, bytes: &[u8]) -> usize {
        self.plain(bytes, None, None)
    }

    fn plain(&mut self, bytes: &[u8], target: Option<u32>, stride: Option<usize>) -> usize {
        self.bin.resize(self.bin.len().next_multiple_of(4), 0);
        let mut view = json!({
            "buffer": 0, "byteOffset": self.bin.len(), "byteLength": bytes.len(),
        });
        self.bin.extend_from_slice(bytes);
        if let Some(target) = target {
            view["target"] = json!(target);
        }
        if let Some(stride) = stride {
            view["byteStride"] = json!(stride);
        }
        self.views.push(view);
        self.views.len() - 1
    }

    /// A view of `count` elements of `stride` bytes, compressed where the file is.
    fn numbers(
        &mut self,
        bytes: &[u8],
        count: usize,
        stride: usize,
        what: compress::Mode,
    ) -> usize {
        let target = match what {
            compress::Mode::Attributes => ARRAY_BUFFER,
            compress::Mode::Triangles { .. } => ELEMENT_ARRAY_BUFFER,
        };
        let is_attribute = target == ARRAY_BUFFER;
        let packed = match self.coding {
            Coding::Compressed => compress::packed(bytes, count, stride, what),
            Coding::Plain | Coding::Quantised => None,
        };
        let own_stride = (is_attribute && self.coding != Coding::Plain).then_some(stride);
        let Some(packed) = packed else {
            return self.plain(bytes, Some(target), own_stride);
        };
        let at = self.plain(&packed, Some(target), own_stride);
        let view = &mut self.views[at];
        // What a reader that does not know the extension would take: a buffer without bytes.
        self.unpacked = self.unpacked.next_multiple_of(4);
        let from = std::mem::replace(&mut view["byteOffset"], json!(self.unpacked));
        view["buffer"] = json!(1);
        view["byteLength"] = json!(bytes.len());
        view["extensions"][compress::EXTENSION] = json!({
            "buffer": 0, "byteOffset": from, "byteLength": packed.len(), "byteStride": stride,
            "count": count, "mode": what.word(),
        });
        self.unpacked += bytes.len();
        at
    }

    fn accessor(&mut self, accessor: Value) -> usize {
        self.accessors.push(accessor);
        self.accessors.len() - 1
    }

    /// Rows of floats; with their bounds where the specification asks for them.
    pub(super) fn floats<const N: usize>(&mut self, rows: &[[f32; N]], bounds: bool) -> usize {
        let bytes: Vec<u8> = rows
            .iter()
            .flatten()
            .flat_map(|v| v.to_le_bytes())
            .collect();
        let view = self.numbers(&bytes, rows.len(), 4 * N, compress::Mode::Attributes);
        let mut accessor = json!({
            "bufferView": view, "componentType": FLOAT, "count": rows.len(), "type": TYPES[N - 1],
        });
        if bounds {
            describe_bounds(&mut accessor, rows);
        }
        self.accessor(accessor)
    }

    /// Rows of whole numbers of two bytes from −32 767 on, as they are or as −1 to 1. Each row begins at a multiple of four bytes
    /// (section 3.6.2.4).
    pub(super) fn shorts<const N: usize>(&mut self, rows: &[[i16; N]], as_shares: bool) -> usize {
        let count = rows.len();
        let view = self.padded(rows, i16::to_le_bytes);
        let mut accessor = json!({
            "bufferView": view, "componentType": SHORT, "count": count, "type": TYPES[N - 1],
        });
        if as_shares {
            accessor["normalized"] = json!(true)
        } else {
            describe_bounds(&mut accessor, rows)
        }
        self.accessor(accessor)
    }

    /// Rows of 0 to 1, in 65 535 steps.
    pub(super) fn shares<const N: usize>(&mut self, rows: &[[u16; N]]) -> usize {
        let count = rows.len();
        let view = self.padded(rows, u16::to_le_bytes);
        self.accessor(json!({
            "bufferView": view, "componentType": BYTE_2, "normalized": true, "count": count, "type": TYPES[N - 1],
        }))
    }

    fn padded<T: Copy, const N: usize>(
        &mut self,
        rows: &[[T; N]],
        coded: fn(T) -> [u8; 2],
    ) -> usize {
        let stride = (2 * N).next_multiple_of(4);
        let mut bytes = Vec::with_capacity(stride * rows.len());
        for row in rows {
            bytes.extend(row.iter().flat_map(|&v| coded(v)));
            bytes.resize(bytes.len().next_multiple_of(4), 0);
        }
        self.numbers(&bytes, rows.len(), stride, compress::Mode::Attributes)
    }

    /// Corners of triangles into `vertices` vertices.
    pub(super) fn indices(&mut self, indices: &[u32], vertices: usize) -> usize {
        // 65 535 is the restart value and may not be used as an index.
        let small = vertices < 65_535;
        let bytes: Vec<u8> = if small {
            indices
                .iter()
                .flat_map(|&i| (i as u16).to_le_bytes())
                .collect()
        } else {
            indices.iter().flat_map(|i| i.to_le_bytes()).collect()
        };
        let stride = if small { 2 } else { 4 };
        let view = self.numbers(
            &bytes,
            indices.len(),
            stride,
            compress::Mode::Triangles { indices, vertices },
        );
        self.accessor(json!({
            "bufferView": view, "componentType": if small { BYTE_2 } else { BYTE_4 },
            "count": indices.len(), "type": "SCALAR",
        }))
    }
}

const TYPES: [&str; 4] = ["SCALAR", "VEC2", "VEC3", "VEC4"];

fn describe_bounds<T: Copy + PartialOrd + serde::Serialize, const N: usize>(
    accessor: &mut Value,
    rows: &[[T; N]],
) {
    let Some(&first) = rows.first() else { return };
    let (mut min, mut max) = (first, first);
    for row in rows {
        for k in 0..N {
            if row[k] < min[k] {
                min[k] = row[k];
            }
            if row[k] > max[k] {
                max[k] = row[k];
            }
        }
    }
    accessor["min"] = json!(min.as_slice());
    accessor["max"] = json!(max.as_slice());
}
