//! Parts that keep so many triangles, whatever is asked of the whole ([`ectome_mesh::Part::smallest`]).

use ectome_mesh::Mesh;

use crate::state::State;

/// The smallest count of each part, and what stands of it. Empty where no part has one.
#[derive(Clone, Debug, Default)]
pub struct Floors {
    smallest: Vec<u32>,
    standing: Vec<u32>,
}

impl Floors {
    /// Those of a mesh, as it stands.
    pub fn of(mesh: &Mesh, state: &State) -> Self {
        if mesh.parts.iter().all(|p| p.smallest == 0) {
            return Self::default();
        }
        let mut standing = vec![0; mesh.parts.len()];
        for f in (0..state.alive.len()).filter(|&f| state.alive[f]) {
            standing[state.face_part(f) as usize] += 1;
        }
        Self {
            smallest: mesh.parts.iter().map(|p| p.smallest).collect(),
            standing,
        }
    }

    /// Whether these faces, each standing and named once, may go together.
    pub fn allow(&self, state: &State, faces: impl Iterator<Item = u32> + Clone) -> bool {
        self.smallest.is_empty()
            || faces.clone().all(|f| {
                let part = state.face_part(f as usize);
                let floor = self.smallest[part as usize];
                let goes = || {
                    let own = faces.clone().map(|f| state.face_part(f as usize));
                    own.filter(|&p| p == part).count() as u32
                };
                floor == 0 || self.standing[part as usize] >= floor + goes()
            })
    }

    /// These faces went.
    pub fn went(&mut self, state: &State, faces: impl Iterator<Item = u32>) {
        if !self.smallest.is_empty() {
            faces.for_each(|f| self.standing[state.face_part(f as usize) as usize] -= 1);
        }
    }

    /// Whether a part has little more than its smallest count left: a collapse takes two triangles at most where nothing is amiss.
    pub fn hold(&self, part: u32) -> bool {
        let floor = self.smallest.get(part as usize).copied().unwrap_or(0);
        floor > 0 && self.standing[part as usize] < floor + 2
    }
}
