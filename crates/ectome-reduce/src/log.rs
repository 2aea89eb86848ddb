//! What one analysis found: every collapse in order, compact enough to keep beside the source.

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// "No point": the operation drops a whole piece.
pub(crate) const NO_POINT: u32 = u32::MAX;
/// "Stands to the end".
pub(crate) const NEVER: u32 = u32::MAX;

/// The mark of a face that uses a point twice: it goes before the first operation.
pub(crate) const IMPROPER: u32 = u32::MAX - 1;

/// One collapse, or the loss of a whole piece.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Op {
    /// The point that goes, or [`NO_POINT`] where a piece is dropped.
    pub gone: u32,
    /// The point that stays.
    pub kept: u32,
    /// Where it stands from then on, relative to the middle and in diagonals; NaN where it stays.
    pub place: [f32; 3],
    /// Distance from the source that this costs at its place, in diagonals.
    pub error: f32,
}

/// A wedge that goes into another, or (`from == into`) one that only gets a new UV.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Merge {
    pub from: u32,
    pub into: u32,
    /// UV of the first set, as in the source.
    pub uv: [f32; 2],
    /// Mean normal from then on, packed by [`pack_normal`].
    pub normal: u32,
}

/// A corner that stands elsewhere from an operation on: the ring of the point that went was filled anew.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Rewire {
    /// The operation.
    pub op: u32,
    /// The corner, as in the source.
    pub corner: u32,
    /// The point it stands on.
    pub point: u32,
    /// The wedge it has.
    pub wedge: u32,
}

/// All that is needed to make any triangle count of a source in milliseconds.
///
/// About 27 bytes for each source triangle; [`CollapseLog::to_bytes`] is what is stored.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct CollapseLog {
    pub(crate) ops: Vec<Op>,
    /// Merges of each operation; they stand one after another in `merges`.
    pub(crate) merge_count: Vec<u8>,
    pub(crate) merges: Vec<Merge>,
    /// Colour after each merge (linear RGBA), or empty.
    pub(crate) colours: Vec<[f32; 4]>,
    /// Further UV sets after each merge.
    pub(crate) more_uv: Vec<Vec<[f32; 2]>>,
    /// The operation that takes each face away, [`NEVER`] if none does.
    pub(crate) face_end: Vec<u32>,
    /// The operation from which corners, then lines, then knots had to give way.
    pub(crate) released: [u32; 3],
    /// Triangles of the source that are faces at all (no point twice).
    pub(crate) proper_faces: u32,
    /// Points of the source.
    pub(crate) points: u32,
    /// Wedges follow the source's normals.
    pub(crate) hard_edges: bool,
    /// Middle of the source, in metres.
    pub(crate) middle: [f32; 3],
    /// Diagonal of the source's bounds, in metres.
    pub(crate) diagonal: f32,
    /// Triangles at which nothing could go any more, and what held them.
    pub(crate) held: Vec<Holding>,
    /// How often each face counts; empty when each counts once.
    pub(crate) weights: Vec<u16>,
    /// Corners that stand elsewhere, in order of their operations.
    pub(crate) rewires: Vec<Rewire>,
}

/// What keeps triangles from going further.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Holding {
    /// What holds, in words: a guard, that a part would vanish, or the way the surface hangs together.
    pub by: String,
    /// The part that is held.
    pub part: u32,
    /// Triangles of it that are left.
    pub triangles: u32,
}

/// Stored bytes that are no collapse log, or one of another source.
#[derive(Clone, Copy, Debug, Error, PartialEq, Eq)]
pub enum LogError {
    /// Cut short or of another version.
    #[error("the stored analysis is damaged or of another version; analyse the source again")]
    Damaged,
    /// It belongs to another mesh.
    #[error("the stored analysis belongs to another mesh; analyse the source again")]
    OtherSource,
}

/// Octahedral packing of a unit vector in two 16-bit halves (Q. Meyer et al., *On Floating-Point Normal
/// Vectors*, 2010); zero for "none".
pub(crate) fn pack_normal(n: glam::Vec3) -> u32 {
    let Some(n) = n.try_normalize() else { return 0 };
    let sum = n.x.abs() + n.y.abs() + n.z.abs();
    let (mut x, mut y) = (n.x / sum, n.y / sum);
    if n.z < 0.0 {
        (x, y) = (
            (1.0 - y.abs()) * 1f32.copysign(x),
            (1.0 - x.abs()) * 1f32.copysign(y),
        );
    }
    // 1…65535, so that no direction packs to zero.
    let half = |v: f32| ((v * 0.5 + 0.5) * 65_534.0).round() as u32 + 1;
    half(x) << 16 | half(y)
}

/// Unpacks [`pack_normal`].
pub(crate) fn unpack_normal(bits: u32) -> Option<glam::Vec3> {
    if bits == 0 {
        return None;
    }
    let half = |v: u32| (v as f32 - 1.0) / 65_534.0 * 2.0 - 1.0;
    let (x, y) = (half(bits >> 16), half(bits & 0xffff));
    let z = 1.0 - x.abs() - y.abs();
    let fold = (-z).max(0.0);
    Some(glam::Vec3::new(x - fold.copysign(x), y - fold.copysign(y), z).normalize())
}

/// Largest distance over recorded distance: 1.3 to 2.4 on the meshes of docs/performance.md.
const PEAK: f32 = 1.7;

const MAGIC: &[u8; 8] = b"ECTLOG05";

impl CollapseLog {
    /// Triangles of the source.
    pub fn source_triangles(&self) -> usize {
        self.face_end.len()
    }

    /// The largest deviation to expect at each count, heaviest first: `(triangles, metres)`. At most
    /// `most` entries, spread evenly over the logarithm of the count. What the log holds is a root mean
    /// square over the faces that meet in a point; the largest distance is [`PEAK`] times that.
    pub fn error_curve(&self, most: usize) -> Vec<(u32, f32)> {
        let standing = self.standing();
        let (first, last) = (
            f64::from(standing[0].max(1)),
            f64::from((*standing.last().unwrap_or(&1)).max(1)),
        );
        let mut worst = 0f32;
        let mut curve = vec![(standing[0], 0.0)];
        let mut step = 1;
        for (op, &left) in self.ops.iter().zip(&standing[1..]) {
            worst = worst.max(op.error);
            let due = first * (last / first).powf(step as f64 / most.max(2) as f64);
            if f64::from(left) <= due {
                curve.push((left, PEAK * worst * self.diagonal));
                while f64::from(left)
                    <= first * (last / first).powf(step as f64 / most.max(2) as f64)
                    && step < most
                {
                    step += 1;
                }
            }
        }
        curve
    }

    /// Lets each face count as often as it will stand in the whole: a repeat that is cut once counts for all
    /// its copies. Targets and curves are in triangles of the whole from then on.
    pub fn set_weights(&mut self, weights: Vec<u16>) {
        if weights.len() == self.face_end.len() {
            self.weights = weights;
        }
    }

    fn weight(&self, face: usize) -> u32 {
        self.weights.get(face).map_or(1, |&w| u32::from(w))
    }

    /// The fewest triangles it reaches.
    pub fn least(&self) -> usize {
        self.standing().last().map_or(0, |&n| n as usize)
    }

    /// Triangles left after each number of operations, from 0.
    pub(crate) fn standing(&self) -> Vec<u32> {
        let mut gone = vec![0u32; self.ops.len()];
        for (f, &end) in self.face_end.iter().enumerate() {
            if let Some(g) = gone.get_mut(end as usize) {
                *g += self.weight(f);
            }
        }
        let mut left = if self.weights.is_empty() {
            self.proper_faces
        } else {
            (0..self.face_end.len())
                .filter(|&f| self.face_end[f] != IMPROPER)
                .map(|f| self.weight(f))
                .sum()
        };
        let mut standing = Vec::with_capacity(gone.len() + 1);
        standing.push(left);
        for g in gone {
            left -= g;
            standing.push(left);
        }
        standing
    }

    /// The log as bytes, little-endian.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut w = Writer(Vec::with_capacity(
            64 + self.ops.len() * 25 + self.merges.len() * 20 + self.face_end.len() * 4,
        ));
        w.0.extend(MAGIC);
        w.u32s([
            self.ops.len() as u32,
            self.merges.len() as u32,
            self.face_end.len() as u32,
            self.more_uv.len() as u32,
            u32::from(!self.colours.is_empty()),
            self.released[0],
            self.released[1],
            self.released[2],
            self.proper_faces,
            self.points,
            u32::from(self.hard_edges),
            self.held.len() as u32,
            self.weights.len() as u32,
            self.rewires.len() as u32,
        ]);
        w.f32s(self.middle);
        w.f32s([self.diagonal]);
        for op in &self.ops {
            w.u32s([op.gone, op.kept]);
            w.f32s(op.place);
            w.f32s([op.error]);
        }
        w.0.extend(&self.merge_count);
        for m in &self.merges {
            w.u32s([m.from, m.into]);
            w.f32s(m.uv);
            w.u32s([m.normal]);
        }
        self.colours.iter().for_each(|&c| w.f32s(c));
        for set in &self.more_uv {
            set.iter().for_each(|&uv| w.f32s(uv));
        }
        w.u32s(self.face_end.iter().copied());
        for h in &self.held {
            w.u32s([h.part, h.triangles, h.by.len() as u32]);
            w.0.extend(h.by.as_bytes());
        }
        w.0.extend(self.weights.iter().flat_map(|v| v.to_le_bytes()));
        for r in &self.rewires {
            w.u32s([r.op, r.corner, r.point, r.wedge]);
        }
        w.0
    }

    /// Reads [`CollapseLog::to_bytes`].
    ///
    /// # Errors
    /// [`LogError::Damaged`].
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, LogError> {
        let mut r = Reader(bytes);
        if r.take(8)? != MAGIC {
            return Err(LogError::Damaged);
        }
        let mut head = [0u32; 14];
        for h in &mut head {
            *h = r.u32()?;
        }
        let [
            ops,
            merges,
            faces,
            sets,
            coloured,
            r0,
            r1,
            r2,
            proper,
            points,
            hard,
            held,
            weighted,
            rewired,
        ] = head;
        let (ops, merges, faces) = (ops as usize, merges as usize, faces as usize);
        // Before anything is allocated: are the bytes there at all?
        let needed =
            ops as u64 * 25 + merges as u64 * 20 + faces as u64 * 4 + u64::from(rewired) * 16;
        if needed > r.0.len() as u64 || sets > 16 {
            return Err(LogError::Damaged);
        }
        let middle = [r.f32()?, r.f32()?, r.f32()?];
        let diagonal = r.f32()?;
        let ops = r.many(ops, |r| {
            Ok(Op {
                gone: r.u32()?,
                kept: r.u32()?,
                place: [r.f32()?, r.f32()?, r.f32()?],
                error: r.f32()?,
            })
        })?;
        let merge_count = r.take(ops.len())?.to_vec();
        if merge_count.iter().map(|&n| usize::from(n)).sum::<usize>() != merges {
            return Err(LogError::Damaged);
        }
        let log = Self {
            merge_count,
            merges: r.many(merges, |r| {
                Ok(Merge {
                    from: r.u32()?,
                    into: r.u32()?,
                    uv: [r.f32()?, r.f32()?],
                    normal: r.u32()?,
                })
            })?,
            colours: r.many(if coloured > 0 { merges } else { 0 }, |r| {
                Ok([r.f32()?, r.f32()?, r.f32()?, r.f32()?])
            })?,
            more_uv: r.many(sets as usize, |r| {
                r.many(merges, |r| Ok([r.f32()?, r.f32()?]))
            })?,
            face_end: r.many(faces, Reader::u32)?,
            held: r.many(held as usize, |r| {
                let (part, triangles, size) = (r.u32()?, r.u32()?, r.u32()?);
                let by = String::from_utf8_lossy(r.take(size as usize)?).into_owned();
                Ok(Holding {
                    by,
                    part,
                    triangles,
                })
            })?,
            weights: r
                .take(2 * weighted as usize)?
                .chunks_exact(2)
                .map(|b| u16::from_le_bytes([b[0], b[1]]))
                .collect(),
            rewires: r.many(rewired as usize, |r| {
                Ok(Rewire {
                    op: r.u32()?,
                    corner: r.u32()?,
                    point: r.u32()?,
                    wedge: r.u32()?,
                })
            })?,
            released: [r0, r1, r2],
            proper_faces: proper,
            points,
            hard_edges: hard > 0,
            middle,
            diagonal,
            ops,
        };
        if log.is_sound() {
            Ok(log)
        } else {
            Err(LogError::Damaged)
        }
    }

    /// Nothing refers to what is not there.
    fn is_sound(&self) -> bool {
        let (points, faces) = (self.points, self.face_end.len());
        let in_range = |i: u32| i < points || i == NO_POINT;
        self.ops
            .iter()
            .all(|o| in_range(o.gone) && in_range(o.kept))
            && (self.rewires.iter()).all(|r| (r.corner as usize) < 3 * faces && r.point < points)
            && self.proper_faces as usize <= faces
            && (self.weights.is_empty() || self.weights.len() == faces)
    }
}

struct Writer(Vec<u8>);

impl Writer {
    fn u32s(&mut self, values: impl IntoIterator<Item = u32>) {
        self.0
            .extend(values.into_iter().flat_map(|v| v.to_le_bytes()));
    }

    fn f32s(&mut self, values: impl IntoIterator<Item = f32>) {
        self.u32s(values.into_iter().map(f32::to_bits));
    }
}

struct Reader<'a>(&'a [u8]);

impl<'a> Reader<'a> {
    fn take(&mut self, n: usize) -> Result<&'a [u8], LogError> {
        if n > self.0.len() {
            return Err(LogError::Damaged);
        }
        let (head, rest) = self.0.split_at(n);
        self.0 = rest;
        Ok(head)
    }

    fn u32(&mut self) -> Result<u32, LogError> {
        let bytes = self.take(4)?;
        Ok(u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]))
    }

    fn f32(&mut self) -> Result<f32, LogError> {
        Ok(f32::from_bits(self.u32()?))
    }

    fn many<T>(
        &mut self,
        n: usize,
        mut each: impl FnMut(&mut Self) -> Result<T, LogError>,
    ) -> Result<Vec<T>, LogError> {
        (0..n).map(|_| each(self)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use glam::Vec3;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_packed_normal_comes_back(x in -1f32..1.0, y in -1f32..1.0, z in -1f32..1.0) {
            prop_assume!(Vec3::new(x, y, z).length() > 0.05);
            let n = Vec3::new(x, y, z).normalize();
            let back = unpack_normal(pack_normal(n)).unwrap();
            prop_assert!(back.angle_between(n) < 1e-3);
        }

        #[test]
        fn bytes_that_are_no_log_are_refused(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            prop_assert!(CollapseLog::from_bytes(&bytes).is_err());
            let mut headed = MAGIC.to_vec();
            headed.extend(&bytes);
            // Whatever the header claims, nothing panics and nothing huge is allocated.
            let _ = CollapseLog::from_bytes(&headed);
        }
    }

    #[test]
    fn no_normal_packs_to_none() {
        assert_eq!(unpack_normal(pack_normal(Vec3::ZERO)), None);
    }
}
