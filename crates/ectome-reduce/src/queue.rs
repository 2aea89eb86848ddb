//! The last stretch: one edge at a time from a queue, cheapest first (Garland & Heckbert 1997). Where nothing can go any more, corners,
//! lines and knots give way one after the other, and then whole pieces.

use ectome_mesh::{Cancelled, Progress};

use crate::{
    analysis::{Analysis, Tried},
    free::{Scratch, Which},
    plan::Release,
};

/// A tunnel whose collapse costs so many times less than the cheapest other closes first: a tenth of the distance, since costs go by its square.
const FAR_SMALLER: f32 = 100.0;

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
            if self.closes_a_tunnel_before(cheapest) {
                collapsed_since_fill += 1;
                continue;
            }
            let Some(next) = self.heap.pop() else {
                if collapsed_since_fill > 0 {
                    collapsed_since_fill = 0;
                    self.refill();
                } else if self.state.flat_only {
                    return Ok(());
                } else if self.release < Release::Knots {
                    let (release, which) = match self.release {
                        Release::Nothing | Release::Tunnels => (Release::Corners, 0),
                        Release::Corners => (Release::Lines, 1),
                        _ => (Release::Knots, 2),
                    };
                    self.release = release;
                    self.record.release(which, self.record.count());
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
                    self.held_back.push(next);
                    self.join_anew(&mut scratch);
                }
                Tried::Refused | Tried::Not => {}
            }
        }
    }

    /// Closes a tunnel or takes a thin neck apart that is far smaller than what would go otherwise: a sculpt full of tiny tunnels would lose its
    /// shape before it lost those. True when one went.
    fn closes_a_tunnel_before(&mut self, cheapest: f32) -> bool {
        if self.release != Release::Nothing || self.state.flat_only {
            return false;
        }
        while let Some(held) = self.held_back.peek().copied()
            && held.cost * FAR_SMALLER < cheapest
            && cheapest.is_finite()
        {
            self.held_back.pop();
            if self.stamp(held.a, held.b) != held.stamp {
                continue;
            }
            let before = self.record.count();
            self.release = Release::Tunnels;
            let tried = self.try_collapse(held.a, held.b, true);
            self.release = Release::Nothing;
            if tried == Tried::Done {
                self.record.release(2, before);
                return true;
            }
        }
        false
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
