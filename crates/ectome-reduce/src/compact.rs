//! Brings a shrunken mesh together again.

use crate::state::{NONE, State};

impl State {
    /// Moves what still stands together, in the order it had: a shrunken mesh that lies scattered over
    /// the arrays of a large one costs a cache miss at every step.
    /// Returns the old number of each face that is left.
    pub fn compact(&mut self) -> Vec<u32> {
        let old = |live: &dyn Fn(usize) -> bool, n: usize| -> Vec<u32> {
            (0..n as u32).filter(|&i| live(i as usize)).collect()
        };
        let faces = old(&|f| self.alive[f], self.alive.len());
        let mut used = vec![false; self.source_wedge.len()];
        for &f in &faces {
            for c in 3 * f..3 * f + 3 {
                used[self.corner_wedge[c as usize] as usize] = true;
            }
        }
        let mut used_point = vec![false; self.place.len()];
        for &f in &faces {
            for c in 3 * f..3 * f + 3 {
                used_point[self.corner_point[c as usize] as usize] = true;
            }
        }
        let wedges = old(&|w| used[w], used.len());
        let points = old(&|p| used_point[p], used_point.len());
        let numbers = |kept: &[u32], n: usize| {
            let mut new = vec![NONE; n];
            for (i, &k) in kept.iter().enumerate() {
                new[k as usize] = i as u32;
            }
            new
        };
        let new_point = numbers(&points, self.place.len());
        let new_wedge = numbers(&wedges, self.source_wedge.len());
        let corners = || faces.iter().flat_map(|&f| 3 * f..3 * f + 3);
        self.corner_point = corners()
            .map(|c| new_point[self.corner_point[c as usize] as usize])
            .collect();
        self.corner_wedge = corners()
            .map(|c| new_wedge[self.corner_wedge[c as usize] as usize])
            .collect();
        keep(&mut self.face_run, &faces);
        keep(&mut self.source_face, &faces);
        self.alive = vec![true; faces.len()];

        keep(&mut self.place, &points);
        keep(&mut self.quadric, &points);
        keep(&mut self.anchor, &points);
        keep(&mut self.class, &points);
        keep(&mut self.on_border, &points);
        keep(&mut self.complex, &points);
        keep(&mut self.fixed_by, &points);
        keep(&mut self.point_area, &points);
        keep(&mut self.protect, &points);
        keep(&mut self.source_point, &points);
        self.version = vec![0; points.len()];

        keep(&mut self.uv, &wedges);
        keep(&mut self.uv_fit, &wedges);
        self.more_uv.iter_mut().for_each(|set| keep(set, &wedges));
        keep(&mut self.colour, &wedges);
        keep(&mut self.normal, &wedges);
        keep(&mut self.facing, &wedges);
        keep(&mut self.area, &wedges);
        keep(&mut self.source_wedge, &wedges);

        self.first = vec![NONE; points.len()];
        self.next = vec![NONE; self.corner_point.len()];
        for c in 0..self.corner_point.len() {
            self.link(c);
        }
        faces
    }
}

/// Keeps the entries at `at`, in that order; an absent channel stays absent.
fn keep<T: Copy>(values: &mut Vec<T>, at: &[u32]) {
    if !values.is_empty() {
        *values = at.iter().map(|&i| values[i as usize]).collect();
    }
}
