//! Writes down what happens while a mesh shrinks.

use rayon::prelude::*;

use crate::{
    log::{CollapseLog, IMPROPER, Merge, NEVER, NO_POINT, Op, Rewire, pack_normal},
    plan::Plan,
    state::State,
};

/// The most wedges one operation may change; the guard refuses larger ones.
pub const MOST_MERGES: usize = u8::MAX as usize;

/// The log while it grows.
pub struct Recorder {
    log: CollapseLog,
    open_merges: usize,
    pass: u32,
    pass_start: (usize, usize),
    /// What each operation of the pass is ordered by.
    keys: Vec<f32>,
}

impl Recorder {
    /// An empty log of `state`.
    pub fn new(state: &State, hard_edges: bool) -> Self {
        let face_end = state
            .alive
            .iter()
            .map(|&a| if a { NEVER } else { IMPROPER })
            .collect();
        Self {
            log: CollapseLog {
                face_end,
                released: [NEVER; 3],
                proper_faces: state.triangles as u32,
                points: state.place.len() as u32,
                hard_edges,
                middle: state.middle.to_array(),
                diagonal: state.diagonal,
                more_uv: vec![Vec::new(); state.more_uv.len()],
                ..CollapseLog::default()
            },
            open_merges: 0,
            pass: 0,
            pass_start: (0, 0),
            keys: Vec::new(),
        }
    }

    /// Begins an operation.
    pub fn begin(&mut self) {
        self.open_merges = self.log.merges.len();
    }

    /// A face (by its number in the source) goes with the operation that has begun.
    pub fn face(&mut self, face: u32) {
        self.log.face_end[face as usize] = self.log.ops.len() as u32;
    }

    /// Wedge `from` has gone into `into`, or (both the same) got a new UV.
    pub fn merge(&mut self, state: &State, from: u32, into: u32) {
        let w = into as usize;
        let uv = match state.uv.get(w) {
            Some(&uv) => (uv / state.uv_scale).as_vec2().to_array(),
            None => [0.0; 2],
        };
        let normal = if self.log.hard_edges {
            state.normal[w]
        } else {
            state.facing[w]
        };
        self.log.merges.push(Merge {
            from: state.source_wedge[from as usize],
            into: state.source_wedge[w],
            uv,
            normal: pack_normal(normal),
        });
        if let Some(c) = state.colour.get(w) {
            self.log.colours.push(c.to_array());
        }
        for (out, set) in self.log.more_uv.iter_mut().zip(&state.more_uv) {
            out.push(set[w].to_array());
        }
    }

    /// Ends an operation that was a collapse.
    pub fn collapse(&mut self, state: &State, plan: &Plan, error: f32) {
        let place = if plan.moves {
            plan.place.to_array()
        } else {
            [f32::NAN; 3]
        };
        self.end(Op {
            gone: state.source_point[plan.gone as usize],
            kept: state.source_point[plan.kept as usize],
            place,
            error,
        });
    }

    /// A corner, by its numbers in the source, stands elsewhere since the last operation.
    pub fn rewire(&mut self, corner: u32, point: u32, wedge: u32) {
        let op = self.log.ops.len() as u32 - 1;
        self.log.rewires.push(Rewire {
            op,
            corner,
            point,
            wedge,
        });
    }

    /// A whole piece goes.
    pub fn drop_piece(&mut self, faces: impl Iterator<Item = u32>, error: f32) {
        self.begin();
        faces.for_each(|f| self.face(f));
        self.end(Op {
            gone: NO_POINT,
            kept: NO_POINT,
            place: [f32::NAN; 3],
            error,
        });
    }

    /// A doubled face goes, which costs nothing; `point` is one it stands on, in the source.
    pub fn drop_double(&mut self, face: u32, point: u32) {
        self.begin();
        self.face(face);
        self.end(Op {
            gone: NO_POINT,
            kept: point,
            place: [f32::NAN; 3],
            error: 0.0,
        });
    }

    fn end(&mut self, op: Op) {
        let merges = self.log.merges.len() - self.open_merges;
        debug_assert!(merges <= MOST_MERGES);
        self.log.merge_count.push(merges as u8);
        self.log.ops.push(op);
    }

    /// Begins a pass, whose operations are put in order when it ends.
    pub fn begin_pass(&mut self) {
        self.pass += 1;
        self.pass_start = (self.log.ops.len(), self.log.merges.len());
        self.keys.clear();
    }

    /// The number of the pass, from 1.
    pub fn pass(&self) -> u32 {
        self.pass
    }

    /// What the last operation of the pass is ordered by. It must not be less than the key of any
    /// operation it depends on.
    pub fn set_key(&mut self, key: f32) {
        self.keys.push(key);
    }

    /// Puts the operations of the pass in order of their keys; equal keys stay in order.
    pub fn end_pass(&mut self) {
        let (first_op, first_merge) = self.pass_start;
        debug_assert_eq!(self.keys.len(), self.log.ops.len() - first_op);
        let mut order: Vec<u32> = (0..self.keys.len() as u32).collect();
        order.par_sort_unstable_by(|&a, &b| {
            self.keys[a as usize]
                .total_cmp(&self.keys[b as usize])
                .then(a.cmp(&b))
        });
        let log = &mut self.log;
        let counts = log.merge_count[first_op..].to_vec();
        let mut merge_at = Vec::with_capacity(counts.len());
        let mut at = first_merge;
        for &n in &counts {
            merge_at.push(at);
            at += usize::from(n);
        }
        let ops = log.ops[first_op..].to_vec();
        let merges = log.merges[first_merge..].to_vec();
        let colours = log.colours.get(first_merge..).unwrap_or_default().to_vec();
        let more_uv: Vec<Vec<[f32; 2]>> = log
            .more_uv
            .iter()
            .map(|set| set[first_merge..].to_vec())
            .collect();
        let mut to = first_merge;
        let mut new_place = vec![0u32; ops.len()];
        for (i, &from) in order.iter().enumerate() {
            let from = from as usize;
            new_place[from] = (first_op + i) as u32;
            log.ops[first_op + i] = ops[from];
            log.merge_count[first_op + i] = counts[from];
            for k in merge_at[from]..merge_at[from] + usize::from(counts[from]) {
                log.merges[to] = merges[k - first_merge];
                if !colours.is_empty() {
                    log.colours[to] = colours[k - first_merge];
                }
                for (set, old) in log.more_uv.iter_mut().zip(&more_uv) {
                    set[to] = old[k - first_merge];
                }
                to += 1;
            }
        }
        let end = log.ops.len() as u32;
        log.face_end.par_iter_mut().for_each(|f| {
            if *f >= first_op as u32 && *f < end {
                *f = new_place[(*f - first_op as u32) as usize];
            }
        });
    }

    /// From here on corners (0), lines (1) or knots (2) give way.
    pub fn release(&mut self, which: usize) {
        self.log.released[which] = self.log.ops.len() as u32;
    }

    /// The finished log.
    pub fn finish(self) -> CollapseLog {
        self.log
    }

    /// The log so far, to note what holds.
    pub fn log_mut(&mut self) -> &mut CollapseLog {
        &mut self.log
    }
}
