//! How one shape, moved, falls on another.

use std::sync::OnceLock;

use ectome_mesh::{Cancelled, Progress};

use super::{motion::Motion, places::Places, shape::Shape};

/// UVs are alike within this, in shares of the sheet.
pub(super) const UVS_ALIKE: f32 = 1e-5;

/// Points that are tried before all are.
const FEW: usize = 8;

/// A shape to fall on.
pub(super) struct Ground<'a> {
    pub shape: &'a Shape,
    pub colours: Vec<u64>,
    lookup: OnceLock<Lookup<'a>>,
}

/// What most shapes never need: tables of all points, and of the faces about each.
struct Lookup<'a> {
    places: Places<'a>,
    /// Where the faces about each point begin in `faces`, and the end of the last.
    first: Vec<u32>,
    faces: Vec<u32>,
}

impl<'a> Lookup<'a> {
    fn of(shape: &'a Shape) -> Self {
        let mut first = vec![0u32; shape.points.len() + 1];
        shape
            .corners
            .iter()
            .for_each(|&i| first[i as usize + 1] += 1);
        for i in 1..first.len() {
            first[i] += first[i - 1];
        }
        let mut next = first.clone();
        let mut faces = vec![0u32; shape.corners.len()];
        for f in 0..shape.face_count() {
            for &i in shape.face(f) {
                faces[next[i as usize] as usize] = f as u32;
                next[i as usize] += 1;
            }
        }
        Self {
            places: Places::of(&shape.points, shape.tolerance()),
            first,
            faces,
        }
    }

    fn about(&self, point: u32) -> &[u32] {
        let [from, to] = [0, 1].map(|k| self.first[point as usize + k] as usize);
        &self.faces[from..to]
    }
}

impl<'a> Ground<'a> {
    pub fn new(shape: &'a Shape, colours: Vec<u64>) -> Self {
        Self {
            shape,
            colours,
            lookup: OnceLock::new(),
        }
    }

    /// Whether every point and every face of a shape, moved, falls on one of this with the same material: then whether their
    /// UVs agree, else `None`. `colours` are the shape's. Points fall on each other within the larger tolerance of the two.
    /// What was looked up is added to `effort`.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn takes(
        &self,
        other: &Shape,
        colours: &[u64],
        m: &Motion,
        effort: &mut usize,
        progress: &Progress,
    ) -> Result<Option<bool>, Cancelled> {
        progress.go_on()?;
        let lookup = self.lookup.get_or_init(|| Lookup::of(self.shape));
        let near = self.shape.tolerance().max(other.tolerance());
        let point = |i: usize| {
            let q = lookup.places.at(m.at(other.points[i]), near)?;
            (self.colours[q as usize] == colours[i]).then_some(q)
        };
        // A few points first: most wrong motions fail there.
        let n = other.points.len();
        *effort += FEW;
        if (0..n).step_by((n / FEW).max(1)).any(|i| point(i).is_none()) {
            return Ok(None);
        }
        let mut to = Vec::with_capacity(n);
        let mut taken = vec![false; self.shape.points.len()];
        for i in 0..n {
            *effort += 1;
            match point(i) {
                Some(q) if !std::mem::replace(&mut taken[q as usize], true) => to.push(q),
                _ => return Ok(None),
            }
        }
        progress.go_on()?;
        Ok(self.takes_faces(other, &to, m.mirrors(), lookup, effort))
    }

    /// The same for the faces, once each point `i` falls on the point `to[i]`.
    fn takes_faces(
        &self,
        other: &Shape,
        to: &[u32],
        mirrored: bool,
        lookup: &Lookup<'_>,
        effort: &mut usize,
    ) -> Option<bool> {
        let ground = self.shape;
        let mut used = vec![false; ground.face_count()];
        let mut same_uvs = ground.uvs.len() == other.uvs.len();
        for f in 0..other.face_count() {
            *effort += 1;
            let face = other.face(f);
            let n = face.len();
            // Looked for about the corner with the fewest faces: round a hub there may be thousands.
            let fewest = |k: &usize| lookup.about(to[face[*k] as usize]).len();
            let pivot = (0..n).min_by_key(fewest)?;
            // The corner of `g` that corner `k` of `f` falls on, when the pivot falls on corner `turn`.
            let partner = |turn: usize, k: usize| {
                if mirrored {
                    (turn + n + pivot - k) % n
                } else {
                    (turn + n + k - pivot) % n
                }
            };
            let candidates = lookup.about(to[face[pivot] as usize]).iter();
            let (g, turn) = candidates.map(|&g| g as usize).find_map(|g| {
                if used[g] || ground.materials[g] != other.materials[f] {
                    return None;
                }
                let on = ground.face(g);
                let turn = on.iter().position(|&q| q == to[face[pivot] as usize])?;
                let falls = |k: usize| on[partner(turn, k)] == to[face[k] as usize];
                (on.len() == n && (0..n).all(falls)).then_some((g, turn))
            })?;
            used[g] = true;
            if same_uvs && !other.uvs.is_empty() {
                let mine = &other.uvs[other.range(f)];
                let on = &ground.uvs[ground.range(g)];
                same_uvs = (0..n)
                    .all(|k| (on[partner(turn, k)] - mine[k]).abs().max_element() < UVS_ALIKE);
            }
        }
        Some(same_uvs)
    }
}
