//! Makes any triangle count from an analysis, in milliseconds.
//!
//! Every point and every wedge of the source knows the operation in which it went into another. At a
//! given moment a corner stands where following those steps leads; a point stands where the last
//! operation before that moment put it. Only the faces that still stand are looked at.

use std::collections::HashMap;

use ectome_mesh::{Mesh, Run, measure};
use glam::{Vec2, Vec3, Vec4};

use crate::{
    error::CutError,
    feature::wedges_of,
    log::{CollapseLog, IMPROPER, LogError, NO_POINT, pack_normal, unpack_normal},
    smooth::{self, SMOOTH_COSINE, Shared},
};

/// Where a face leans further from its wedge's mean normal, the edge is taken for a hard one
/// (meshes whose normals are rebuilt only): cosine of 40°.
const HARD_COSINE: f32 = 0.766;

/// A result made from an analysis.
#[derive(Clone, Debug)]
pub struct Cut {
    /// The result: triangles only, at most as many as asked.
    pub mesh: Mesh,
    /// The point of the source that each point of the result was.
    pub point_source: Vec<u32>,
    /// Whole pieces that were too small to keep.
    pub pieces_dropped: usize,
    /// Corners of islands and lines had to be given up to meet the target.
    pub corners_released: bool,
    /// Lines themselves had to be crossed, so that UVs stretch there.
    pub lines_released: bool,
    /// Tunnels had to be closed and thin necks cut; faces may look the wrong way there.
    pub knots_released: bool,
}

/// The step in which something went into something else.
#[derive(Clone, Copy)]
struct Step {
    op: u32,
    into: u32,
}

const STAYS: Step = Step {
    op: u32::MAX,
    into: 0,
};

/// Operations grouped by what they change, in order.
struct Grouped {
    starts: Vec<u32>,
    /// (operation, where its data stand).
    entries: Vec<(u32, u32)>,
}

impl Grouped {
    fn new(n: usize, of: impl Iterator<Item = (u32, u32, u32)> + Clone) -> Self {
        let mut starts = vec![0u32; n + 1];
        for (key, ..) in of.clone() {
            starts[key as usize + 1] += 1;
        }
        for i in 0..n {
            starts[i + 1] += starts[i];
        }
        let mut next = starts.clone();
        let mut entries = vec![(0, 0); starts[n] as usize];
        for (key, op, data) in of {
            entries[next[key as usize] as usize] = (op, data);
            next[key as usize] += 1;
        }
        Self { starts, entries }
    }

    /// The data of the last operation on `key` before operation `end`.
    fn last_before(&self, key: u32, end: u32) -> Option<u32> {
        let (from, to) = (
            self.starts[key as usize] as usize,
            self.starts[key as usize + 1] as usize,
        );
        let list = &self.entries[from..to];
        let n = list.partition_point(|&(op, _)| op < end);
        n.checked_sub(1).map(|i| list[i].1)
    }
}

/// The tables that make replay fast. Belongs to one source and its log, which are handed in again
/// at each use; about 60 bytes a source triangle.
pub struct Replay {
    corner_wedge: Vec<u32>,
    wedge_vertex: Vec<u32>,
    /// Packed normal of each wedge as the source has it.
    wedge_normal: Vec<u32>,
    /// Wedges that meet in points of the source.
    pairs: Vec<smooth::Pair>,
    point_step: Vec<Step>,
    wedge_step: Vec<Step>,
    point_places: Grouped,
    wedge_merges: Grouped,
    /// Where corners stand that were wired anew; none where no corner was.
    rewires: Option<Grouped>,
    standing: Vec<u32>,
    /// Pieces dropped by each number of operations would be long: only the operations that drop.
    drops: Vec<u32>,
}

/// How many operations a count takes, and the dropped pieces that stay after all.
struct Moment {
    end: u32,
    /// The operations that would have dropped them, ascending: every face is looked for among them.
    kept_pieces: Vec<u32>,
}

impl Replay {
    /// Builds the tables.
    ///
    /// # Errors
    /// [`LogError::OtherSource`] when the log was not made from `mesh`.
    pub fn new(mesh: &Mesh, log: &CollapseLog) -> Result<Self, LogError> {
        let (points, faces) = (mesh.points.len(), mesh.face_count());
        if points != log.points as usize || faces != log.face_end.len() || !mesh.is_triangulated() {
            return Err(LogError::OtherSource);
        }
        let (corner_wedge, wedge_vertex) = wedges_of(mesh, log.hard_edges);
        let wedges = wedge_vertex.len();
        if log
            .merges
            .iter()
            .any(|m| m.from as usize >= wedges || m.into as usize >= wedges)
            || log.rewires.iter().any(|r| r.wedge as usize >= wedges)
        {
            return Err(LogError::OtherSource);
        }
        let mut point_step = vec![STAYS; points];
        let mut wedge_step = vec![STAYS; wedges];
        let mut merge_op = Vec::with_capacity(log.merges.len());
        let mut drops = Vec::new();
        for (i, (op, &count)) in log.ops.iter().zip(&log.merge_count).enumerate() {
            let i = i as u32;
            merge_op.extend(std::iter::repeat_n(i, usize::from(count)));
            if op.gone == NO_POINT {
                // A doubled face that goes is no piece.
                if op.kept == NO_POINT {
                    drops.push(i);
                }
            } else {
                point_step[op.gone as usize] = Step {
                    op: i,
                    into: op.kept,
                };
            }
        }
        for (m, &op) in log.merges.iter().zip(&merge_op) {
            if m.from != m.into {
                wedge_step[m.from as usize] = Step { op, into: m.into };
            }
        }
        let moved = log
            .ops
            .iter()
            .enumerate()
            .filter(|(_, op)| op.gone != NO_POINT && !op.place[0].is_nan());
        let point_places = Grouped::new(points, moved.map(|(i, op)| (op.kept, i as u32, i as u32)));
        let wedge_merges = Grouped::new(
            wedges,
            log.merges
                .iter()
                .zip(&merge_op)
                .enumerate()
                .map(|(i, (m, &op))| (m.into, op, i as u32)),
        );
        let wedge_normal = wedge_normals(mesh, log.hard_edges, &corner_wedge, &wedge_vertex);
        let rewired = log.rewires.iter().enumerate();
        let rewired = rewired.map(|(i, r)| (r.corner, r.op, i as u32));
        Ok(Self {
            rewires: (!log.rewires.is_empty()).then(|| Grouped::new(3 * faces, rewired)),
            pairs: smooth::pairs(
                mesh,
                &corner_wedge,
                &wedge_vertex,
                &wedge_normal,
                log.hard_edges,
            ),
            wedge_normal,
            corner_wedge,
            wedge_vertex,
            point_step,
            wedge_step,
            point_places,
            wedge_merges,
            standing: log.standing(),
            drops,
        })
    }

    /// The fewest triangles this analysis reaches.
    pub fn least(&self) -> usize {
        self.standing.last().map_or(0, |&n| n as usize)
    }

    /// The result with at most `target` triangles.
    ///
    /// # Errors
    /// [`CutError::Held`] when the analysis could not get that far.
    pub fn at(&self, mesh: &Mesh, log: &CollapseLog, target: usize) -> Result<Cut, CutError> {
        let moment = self.moment(log, target)?;
        let before = |op: u32| op < moment.end;
        let dropped = self.drops.iter().filter(|&&op| before(op)).count();
        let (mesh, point_source) = self.mesh_at(mesh, log, &moment);
        Ok(Cut {
            mesh,
            point_source,
            pieces_dropped: dropped - moment.kept_pieces.len(),
            corners_released: before(log.released[0]),
            lines_released: before(log.released[1]),
            knots_released: before(log.released[2]),
        })
    }

    /// The moment at which at most `target` triangles stand. A whole piece that would take the count
    /// far below the target stays, if collapses elsewhere can stand in for it.
    fn moment(&self, log: &CollapseLog, target: usize) -> Result<Moment, CutError> {
        let target = u32::try_from(target).unwrap_or(u32::MAX);
        let end = self.standing.partition_point(|&n| n > target);
        let Some(&reached) = self.standing.get(end) else {
            return Err(CutError::Held {
                target: target as usize,
                reached: self.least(),
                held: log.held.clone(),
            });
        };
        let plain = Moment {
            end: end as u32,
            kept_pieces: Vec::new(),
        };
        let is_drop = |op: usize| log.ops[op].gone == NO_POINT;
        if target - reached <= 2 || !log.weights.is_empty() || end == 0 || !is_drop(end - 1) {
            return Ok(plain);
        }
        let mut kept_pieces = vec![end as u32 - 1];
        let mut left = self.standing[end - 1];
        for op in end..log.ops.len() {
            let removed = self.standing[op] - self.standing[op + 1];
            if is_drop(op) && left < target + removed.saturating_sub(2) {
                kept_pieces.push(op as u32);
            } else {
                left -= removed;
            }
            if left <= target {
                return Ok(Moment {
                    end: op as u32 + 1,
                    kept_pieces,
                });
            }
        }
        Ok(plain)
    }

    fn mesh_at(&self, source: &Mesh, log: &CollapseLog, moment: &Moment) -> (Mesh, Vec<u32>) {
        let end = moment.end;
        let stands = |f: u32| {
            let gone = log.face_end[f as usize];
            gone >= end || moment.kept_pieces.binary_search(&gone).is_ok()
        };
        // Faces that use a point twice never stood.
        let mut corners = Vec::new();
        let mut runs: Vec<Run> = Vec::new();
        for run in &source.runs {
            let start = (corners.len() / 3) as u32;
            for f in run.faces.clone() {
                if stands(f) && log.face_end[f as usize] != IMPROPER {
                    corners.extend([3 * f, 3 * f + 1, 3 * f + 2]);
                }
            }
            let stop = (corners.len() / 3) as u32;
            if stop > start {
                let mut run = run.clone();
                run.faces = start..stop;
                run.channels.normals = true;
                runs.push(run);
            }
        }
        let mut out = Builder {
            replay: self,
            source,
            log,
            end,
            point_of: vec![u32::MAX; source.points.len()],
            vertex_of: vec![u32::MAX; self.wedge_vertex.len()],
            point_memo: vec![u32::MAX; source.points.len()],
            wedge_memo: vec![u32::MAX; self.wedge_vertex.len()],
            points: Vec::new(),
            point_source: Vec::new(),
            vertices: Vec::new(),
            normals: Vec::new(),
            shared: Shared::default(),
            creased: HashMap::new(),
            split: HashMap::new(),
        };
        let faces: Vec<Standing> = corners
            .chunks_exact(3)
            .map(|face| out.standing([face[0], face[1], face[2]]))
            .collect();
        out.find_shared(&faces);
        if !log.hard_edges {
            out.find_creases(&faces);
        }
        let corner_vertex: Vec<u32> = faces.iter().flat_map(|face| out.face(face)).collect();
        out.finish(corner_vertex, runs)
    }
}

struct Builder<'a> {
    replay: &'a Replay,
    source: &'a Mesh,
    log: &'a CollapseLog,
    end: u32,
    /// Number in the result of each point of the source that still stands.
    point_of: Vec<u32>,
    /// Number in the result of the first vertex of each wedge that still stands.
    vertex_of: Vec<u32>,
    point_memo: Vec<u32>,
    wedge_memo: Vec<u32>,
    points: Vec<Vec3>,
    point_source: Vec<u32>,
    /// (point of the result, wedge).
    vertices: Vec<(u32, u32)>,
    normals: Vec<Vec3>,
    /// Wedges that share a normal across seams.
    shared: Shared,
    /// Twice the area vectors of the faces around each wedge that has a hard edge, and around all that share its normal.
    creased: HashMap<u32, Vec<Vec3>>,
    /// The vertices of these wedges, by point, wedge and the bits of their normals.
    split: HashMap<(u32, u32, [u32; 3]), u32>,
}

/// A face that stands: points of the result, wedges, and twice its area vector.
struct Standing {
    points: [u32; 3],
    wedges: [u32; 3],
    vector: Vec3,
}

impl Standing {
    fn facing(&self) -> Vec3 {
        self.vector.try_normalize().unwrap_or(Vec3::Y)
    }
}

impl Builder<'_> {
    fn standing(&mut self, corners: [u32; 3]) -> Standing {
        let wired = corners.map(|c| self.wired(c));
        let points = wired.map(|(p, _)| {
            let p = follow(p, self.end, &self.replay.point_step, &mut self.point_memo);
            self.place(p)
        });
        let wedges =
            wired.map(|(_, w)| follow(w, self.end, &self.replay.wedge_step, &mut self.wedge_memo));
        let [a, b, c] = points.map(|p| self.points[p as usize]);
        Standing {
            points,
            wedges,
            vector: (b - a).cross(c - a),
        }
    }

    fn find_shared(&mut self, faces: &[Standing]) {
        let (end, replay) = (self.end, self.replay);
        self.shared = Shared::count(&replay.pairs, |w| {
            follow(w, end, &replay.wedge_step, &mut self.wedge_memo)
        });
        for face in faces {
            let area = face.vector.length();
            for (&point, &wedge) in face.points.iter().zip(&face.wedges) {
                let own = self.mean_normal(wedge);
                self.shared.add(point, wedge, own, area);
            }
        }
    }

    /// A source without normals knows no hard edges. Where a face leans far from the mean normal of one of its wedges there is one, and
    /// the mean says nothing for the faces on either side of it: they go by what lies around them.
    fn find_creases(&mut self, faces: &[Standing]) {
        for face in faces {
            let facing = face.facing();
            for wedge in face.wedges {
                let leans = |mean: Vec3| mean.dot(facing) < HARD_COSINE;
                if self.mean_normal(wedge).is_none_or(leans) {
                    self.creased.entry(self.shared.stand_in(wedge)).or_default();
                }
            }
        }
        for face in faces {
            for wedge in face.wedges {
                if let Some(around) = self.creased.get_mut(&self.shared.stand_in(wedge)) {
                    around.push(face.vector);
                }
            }
        }
    }

    fn face(&mut self, face: &Standing) -> [u32; 3] {
        let facing = face.facing();
        [0, 1, 2].map(|k| self.vertex(face.points[k], face.wedges[k], facing))
    }

    /// The point and the wedge of the source that a corner begins from: its own, or those it was wired to last.
    fn wired(&self, corner: u32) -> (u32, u32) {
        let last = self.replay.rewires.as_ref();
        match last.and_then(|r| r.last_before(corner, self.end)) {
            Some(i) => {
                let rewire = self.log.rewires[i as usize];
                (rewire.point, rewire.wedge)
            }
            None => (
                self.source.vertex_point[self.source.corners[corner as usize] as usize],
                self.replay.corner_wedge[corner as usize],
            ),
        }
    }

    /// The point of the result for point `p` of the source.
    fn place(&mut self, p: u32) -> u32 {
        let known = self.point_of[p as usize];
        if known != u32::MAX {
            return known;
        }
        let place = match self.replay.point_places.last_before(p, self.end) {
            Some(op) => {
                Vec3::from(self.log.ops[op as usize].place) * self.log.diagonal
                    + Vec3::from(self.log.middle)
            }
            None => self.source.points[p as usize],
        };
        self.points.push(place);
        self.point_source.push(p);
        self.point_of[p as usize] = self.points.len() as u32 - 1;
        self.points.len() as u32 - 1
    }

    fn vertex(&mut self, point: u32, wedge: u32, facing: Vec3) -> u32 {
        if let Some(around) = self.creased.get(&self.shared.stand_in(wedge)) {
            let smooth = |v: &&Vec3| v.dot(facing) >= SMOOTH_COSINE * v.length();
            let sum: Vec3 = around.iter().filter(smooth).sum();
            let normal = sum.try_normalize().unwrap_or(facing);
            let key = (point, wedge, normal.to_array().map(f32::to_bits));
            return *self.split.entry(key).or_insert_with(|| {
                self.vertices.push((point, wedge));
                self.normals.push(normal);
                self.vertices.len() as u32 - 1
            });
        }
        let shared = self.shared.normal(point, wedge);
        let mean = shared.or_else(|| self.mean_normal(wedge));
        let normal = mean.unwrap_or(facing);
        let known = self.vertex_of[wedge as usize];
        if known != u32::MAX
            && self.vertices[known as usize].0 == point
            && self.normals[known as usize] == normal
        {
            return known;
        }
        self.vertices.push((point, wedge));
        self.normals.push(normal);
        let made = self.vertices.len() as u32 - 1;
        if known == u32::MAX || Some(normal) == mean {
            self.vertex_of[wedge as usize] = made;
        }
        made
    }

    fn mean_normal(&self, wedge: u32) -> Option<Vec3> {
        match self.replay.wedge_merges.last_before(wedge, self.end) {
            Some(m) => unpack_normal(self.log.merges[m as usize].normal),
            None => unpack_normal(self.replay.wedge_normal[wedge as usize]),
        }
    }

    fn finish(self, corners: Vec<u32>, runs: Vec<Run>) -> (Mesh, Vec<u32>) {
        let merge = |wedge: u32| self.replay.wedge_merges.last_before(wedge, self.end);
        let of_vertex: Vec<(usize, Option<usize>)> = self
            .vertices
            .iter()
            .map(|&(_, w)| {
                let vertex = self.replay.wedge_vertex[w as usize] as usize;
                (vertex, merge(w).map(|m| m as usize))
            })
            .collect();
        let uv_sets = self
            .source
            .uv_sets
            .iter()
            .enumerate()
            .map(|(set, given)| {
                of_vertex
                    .iter()
                    .map(|&(v, m)| match m {
                        None => given[v],
                        Some(m) if set == 0 => Vec2::from(self.log.merges[m].uv),
                        Some(m) => Vec2::from(self.log.more_uv[set - 1][m]),
                    })
                    .collect()
            })
            .collect();
        let colours = if self.source.colours.is_empty() {
            Vec::new()
        } else {
            of_vertex
                .iter()
                .map(|&(v, m)| match m {
                    None => self.source.colours[v],
                    Some(m) => Vec4::from(self.log.colours[m]),
                })
                .collect()
        };
        let mesh = Mesh {
            points: self.points,
            vertex_point: self.vertices.iter().map(|&(p, _)| p).collect(),
            normals: self.normals,
            uv_sets,
            colours,
            corners,
            face_starts: None,
            parts: self.source.parts.clone(),
            runs,
            nodes: self.source.nodes.clone(),
        };
        (mesh, self.point_source)
    }
}

/// The source's own normals where wedges follow them, otherwise the mean over the faces around.
fn wedge_normals(mesh: &Mesh, hard_edges: bool, of_corner: &[u32], vertex: &[u32]) -> Vec<u32> {
    if hard_edges {
        return vertex
            .iter()
            .map(|&v| pack_normal(mesh.normals[v as usize]))
            .collect();
    }
    let mut sums = vec![Vec3::ZERO; vertex.len()];
    for (f, corners) in of_corner.chunks_exact(3).enumerate() {
        let vector = measure::area_vector(mesh.triangle(f)).as_vec3();
        for &w in corners {
            sums[w as usize] += vector;
        }
    }
    sums.into_iter().map(pack_normal).collect()
}

/// Follows steps that lie before `end`, remembering where they lead.
fn follow(start: u32, end: u32, steps: &[Step], memo: &mut [u32]) -> u32 {
    let mut at = start;
    loop {
        let known = memo[at as usize];
        if known != u32::MAX {
            at = known;
            break;
        }
        let step = steps[at as usize];
        if step.op >= end {
            break;
        }
        at = step.into;
    }
    memo[start as usize] = at;
    at
}
