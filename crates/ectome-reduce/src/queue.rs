//! The last stretch: one edge at a time from a queue, cheapest first (Garland & Heckbert 1997). Where nothing can go any more, corners,
//! lines and knots give way one after the other, and then whole pieces.

use ectome_mesh::{Cancelled, Progress};

use crate::{
    analysis::{Analysis, Tried},
    free::{Scratch, Which},
    plan::Release,
};

impl Analysis {
    /// Queues every edge again: what was refused may be possible now.
    pub fn refill(&mut self) {
        self.heap.clear();
        let mut ring = Vec::new();
        for point in 0..self.state.place.len() as u32 {
            self.state.ring(point, &mut ring);
            self.queue_edges_of(point, &ring, true);
        }
    }

    /// Takes edge after edge until nothing can go any more.
    pub fn run(&mut self, progress: &Progress) -> Result<(), Cancelled> {
        let start = self.state.triangles.max(1);
        let mut collapsed_since_fill = 0usize;
        let mut steps = 0usize;
        let mut scratch = Scratch::default();
        self.free_first = !self.state.flat_only;
        loop {
            steps += 1;
            if steps.is_multiple_of(4096) {
                progress.at((start - self.state.triangles) as f32 / start as f32)?;
            }
            let cheapest = self.heap.peek().map_or(f32::INFINITY, |w| w.cost);
            // What costs nothing goes before anything that costs something, also where no collapse takes it.
            if std::mem::take(&mut self.waits) {
                self.free_first = self.take_free(Which::Stuck, &progress.span(0.0, 0.0))? > 0;
                self.refill();
                continue;
            }
            if self.drop_piece_cheaper_than(cheapest) {
                continue;
            }
            let Some(next) = self.heap.pop() else {
                if collapsed_since_fill > 0 {
                    collapsed_since_fill = 0;
                    self.refill();
                } else if self.state.flat_only {
                    return Ok(());
                } else if self.release < Release::Knots {
                    self.release = match self.release {
                        Release::Nothing => Release::Corners,
                        Release::Corners => Release::Lines,
                        _ => Release::Knots,
                    };
                    self.record.release(self.release as usize - 1);
                    self.refill();
                } else if !self.drop_any_piece() {
                    return Ok(());
                }
                continue;
            };
            if self.stamp(next.a, next.b) != next.stamp {
                continue;
            }
            match self.try_collapse(next.a, next.b, true) {
                Tried::Done => collapsed_since_fill += 1,
                Tried::Refused if self.release == Release::Nothing && !self.state.flat_only => {
                    self.join_anew(&mut scratch);
                }
                Tried::Refused | Tried::Not => {}
            }
        }
    }

    /// Where the faces around forbid a collapse: takes the point out, joins them anew, and queues their edges.
    fn join_anew(&mut self, scratch: &mut Scratch) {
        let refused = std::mem::take(&mut self.plan);
        if self.take_out_instead(&refused, scratch) {
            let mut ring = std::mem::take(&mut self.guard.ring_kept);
            for rim in scratch.sides.iter().flat_map(|s| &s.rim) {
                self.state.ring(rim.point, &mut ring);
                self.queue_edges_of(rim.point, &ring, false);
            }
            self.guard.ring_kept = ring;
        }
        self.plan = refused;
    }
}
