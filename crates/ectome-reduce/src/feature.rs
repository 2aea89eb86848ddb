//! What must not be blurred: wedges, lines and corners.
//!
//! A **wedge** is what all corners on one point with the same attributes share. An edge is on a
//! **line** when the two sides differ (wedge, material, part) or when it does not have two sides.

use ectome_mesh::{
    Mesh, measure,
    topology::{HalfEdge, runs_up, sorted_half_edges},
    weld::{classes, position_key},
};

use crate::{frame::Surroundings, options::Options};

/// How freely a point may move.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Class {
    /// Inside a smooth region.
    Inside,
    /// On a line that passes through.
    Line,
    /// Where lines meet, branch or end.
    Corner,
}

/// The guards, in words for "held by …".
pub const GUARDS: [&str; 6] = [
    "open borders",
    "UV seams",
    "hard edges",
    "material edges",
    "part edges",
    "the protected region",
];

/// [`Features::fixed_by`] of a point on the border of a block: it does not move, and nothing goes into
/// it, so that no two blocks make the same edge.
pub const SHUT: u8 = u8::MAX;

/// The features of a mesh.
pub struct Features {
    /// The wedge of each corner.
    pub corner_wedge: Vec<u32>,
    /// A vertex of the mesh with the wedge's attributes.
    pub wedge_vertex: Vec<u32>,
    /// How freely each point may move.
    pub class: Vec<Class>,
    /// The point is on an open border.
    pub on_border: Vec<bool>,
    /// The surface is no surface there: a non-manifold or inconsistently wound edge, or fans that
    /// touch in a point. The link condition says nothing about such points.
    pub complex: Vec<bool>,
    /// Which guard keeps the point where it is, if any: an index into [`GUARDS`] plus one, or [`SHUT`].
    pub fixed_by: Vec<u8>,
    /// The run of each face.
    pub face_run: Vec<u32>,
    /// Half-edges of all proper faces, grouped by edge.
    pub half_edges: Vec<HalfEdge>,
    /// Wedges tell hard edges apart. False where normals split nearly everywhere (flat-shaded
    /// meshes): then they are no features but a manner of shading.
    pub hard_edges: bool,
}

impl Features {
    /// Finds the features of an all-triangle mesh; of a block of a larger one with its `surroundings`.
    pub fn of(mesh: &Mesh, options: &Options, surroundings: Option<&Surroundings>) -> Self {
        let half_edges = sorted_half_edges(mesh);
        let mut face_run = Vec::with_capacity(mesh.face_count());
        for (r, run) in mesh.runs.iter().enumerate() {
            face_run.extend(run.faces.clone().map(|_| r as u32));
        }
        let by_look = vertex_classes(mesh, false);
        let by_uv = if options.keep.seams {
            by_look.0.clone()
        } else {
            Vec::new()
        };
        let hard_edges = match surroundings {
            Some(around) => around.hard_edges,
            None => has_hard_edges(mesh, &half_edges, &by_look.0),
        };
        let (corner_wedge, wedge_vertex) = spread(
            mesh,
            if hard_edges {
                vertex_classes(mesh, true)
            } else {
                by_look
            },
        );

        let n = mesh.points.len();
        let mut lines_at = vec![0u8; n];
        let mut complex = vec![false; n];
        let mut on_border = vec![false; n];
        let mut fixed_by: Vec<u8> = match &options.protect[..] {
            [] => vec![0; n],
            weights => weights
                .iter()
                .map(|&w| if w >= 1.0 { 6 } else { 0 })
                .collect(),
        };
        let keep = &options.keep;
        let crease_cosine = keep.creases.map(|degrees| degrees.to_radians().cos());
        for edge in half_edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
            let ends = [edge[0].low as usize, edge[0].high as usize];
            // A seam that ends in a point (a slit, the fan of a pole) leaves that point one wedge: it
            // is no corner, since nothing there can tear.
            let is_line = match edge {
                [_] => {
                    ends.iter().for_each(|&p| on_border[p] = true);
                    [true; 2]
                }
                [a, b] => {
                    if runs_up(mesh, a) == runs_up(mesh, b) {
                        ends.iter().for_each(|&p| complex[p] = true);
                    }
                    let run = |e: &HalfEdge| face_run[e.corner as usize / 3];
                    if run(a) != run(b) {
                        [true; 2]
                    } else {
                        sides_differ(mesh, a, b, |c| corner_wedge[c])
                    }
                }
                more => {
                    ends.iter().for_each(|&p| complex[p] = true);
                    let differ = |k: usize| {
                        more.windows(2).any(|w| {
                            let run = |e: &HalfEdge| face_run[e.corner as usize / 3];
                            run(&w[0]) != run(&w[1])
                                || sides_differ(mesh, &w[0], &w[1], |c| corner_wedge[c])[k]
                        })
                    };
                    [differ(0), differ(1)]
                }
            };
            let guard = match edge {
                [_] => u8::from(keep.borders),
                [a, b, ..] => {
                    let run = |e: &HalfEdge| &mesh.runs[face_run[e.corner as usize / 3] as usize];
                    if keep.parts && run(a).part != run(b).part {
                        5
                    } else if keep.materials && run(a).material != run(b).material {
                        4
                    } else if keep.seams
                        && sides_differ(mesh, a, b, |c| by_uv[mesh.corners[c] as usize])
                            .contains(&true)
                    {
                        2
                    } else if crease_cosine.is_some_and(|limit| face_cosine(mesh, a, b) < limit) {
                        3
                    } else {
                        0
                    }
                }
                [] => 0,
            };
            if guard > 0 {
                ends.iter().for_each(|&p| fixed_by[p] = guard);
            }
            for (&p, line) in ends.iter().zip(is_line) {
                lines_at[p] = lines_at[p].saturating_add(u8::from(line));
            }
        }
        mark_touching_fans(mesh, &half_edges, &mut complex);
        if let Some(around) = surroundings {
            for (fixed, &shut) in fixed_by.iter_mut().zip(&around.shut) {
                if shut {
                    *fixed = SHUT;
                }
            }
        }
        let class = lines_at
            .iter()
            .map(|lines| match lines {
                0 => Class::Inside,
                2 => Class::Line,
                _ => Class::Corner,
            })
            .collect();
        Self {
            corner_wedge,
            wedge_vertex,
            class,
            on_border,
            complex,
            fixed_by,
            face_run,
            half_edges,
            hard_edges,
        }
    }
}

/// Whether normals tell hard edges apart: they split at some edges, and not nearly everywhere.
fn has_hard_edges(mesh: &Mesh, half_edges: &[HalfEdge], by_look: &[u32]) -> bool {
    if mesh.normals.is_empty() {
        return false;
    }
    let with_normals = vertex_classes(mesh, true).0;
    let (mut inner, mut hard) = (0usize, 0usize);
    for edge in half_edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        if let [a, b] = edge {
            inner += 1;
            let differs = |class: &[u32]| {
                sides_differ(mesh, a, b, |corner| class[mesh.corners[corner] as usize])
                    .contains(&true)
            };
            hard += usize::from(differs(&with_normals) && !differs(by_look));
        }
    }
    4 * hard < inner
}

/// The wedge of each corner and a vertex of each wedge, as [`Features`] numbers them.
pub fn wedges_of(mesh: &Mesh, hard_edges: bool) -> (Vec<u32>, Vec<u32>) {
    spread(mesh, vertex_classes(mesh, hard_edges))
}

/// Classes of vertices as classes of corners.
fn spread(mesh: &Mesh, (of_vertex, first): (Vec<u32>, Vec<u32>)) -> (Vec<u32>, Vec<u32>) {
    let of_corner = mesh.corners.iter().map(|&v| of_vertex[v as usize]);
    (of_corner.collect(), first)
}

/// Cosine of the angle between the faces of two half-edges.
fn face_cosine(mesh: &Mesh, a: &HalfEdge, b: &HalfEdge) -> f32 {
    let normal = |e: &HalfEdge| {
        measure::area_vector(mesh.triangle(e.corner as usize / 3))
            .as_vec3()
            .normalize_or_zero()
    };
    normal(a).dot(normal(b))
}

/// Whether the corners that two half-edges of one edge have at its lower and its higher end differ.
fn sides_differ(
    mesh: &Mesh,
    a: &HalfEdge,
    b: &HalfEdge,
    of_corner: impl Fn(usize) -> u32,
) -> [bool; 2] {
    let next = |c: u32| (c - c % 3 + (c + 1) % 3) as usize;
    let ends = |e: &HalfEdge| {
        let (from, to) = (of_corner(e.corner as usize), of_corner(next(e.corner)));
        if runs_up(mesh, e) {
            [from, to]
        } else {
            [to, from]
        }
    };
    let (a, b) = (ends(a), ends(b));
    [a[0] != b[0], a[1] != b[1]]
}

/// Classes of vertices that are alike in point, UVs and colour, and in normal if asked.
fn vertex_classes(mesh: &Mesh, with_normals: bool) -> (Vec<u32>, Vec<u32>) {
    let n = mesh.vertex_count();
    let mut class: Vec<[u32; 1]> = mesh.vertex_point.iter().map(|&p| [p]).collect();
    let split = |class: &mut Vec<[u32; 1]>, key: &dyn Fn(usize) -> [u32; 3]| {
        let keys: Vec<[u32; 4]> = (0..n)
            .map(|v| {
                let k = key(v);
                [class[v][0], k[0], k[1], k[2]]
            })
            .collect();
        *class = classes(&keys).0.into_iter().map(|c| [c]).collect();
    };
    for set in &mesh.uv_sets {
        split(&mut class, &|v| position_key(set[v].extend(0.0)));
    }
    if !mesh.colours.is_empty() {
        split(&mut class, &|v| position_key(mesh.colours[v].truncate()));
    }
    if with_normals {
        split(&mut class, &|v| position_key(mesh.normals[v]));
    }
    classes(&class)
}

/// Marks points whose faces form more than one fan: there the surface touches itself.
fn mark_touching_fans(mesh: &Mesh, half_edges: &[HalfEdge], complex: &mut [bool]) {
    // Corners of neighbouring faces belong to one fan: join them over the edges they share, then a
    // point whose corners fall into two sets is where fans touch.
    let n = mesh.points.len();
    let mut sets = ectome_mesh::topology::UnionFind::new(mesh.corners.len());
    for edge in half_edges.chunk_by(|a, b| (a.low, a.high) == (b.low, b.high)) {
        for pair in edge.windows(2) {
            for p in [edge[0].low, edge[0].high] {
                let corner_at = |e: &HalfEdge| {
                    let f = e.corner - e.corner % 3;
                    (f..f + 3)
                        .find(|&c| mesh.vertex_point[mesh.corners[c as usize] as usize] == p)
                        .unwrap_or(e.corner)
                };
                sets.join(corner_at(&pair[0]), corner_at(&pair[1]));
            }
        }
    }
    let mut fan = vec![u32::MAX; n];
    for e in half_edges {
        let p = mesh.vertex_point[mesh.corners[e.corner as usize] as usize] as usize;
        let root = sets.find(e.corner);
        if fan[p] == u32::MAX {
            fan[p] = root;
        } else if fan[p] != root {
            complex[p] = true;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;
    use glam::Vec3;

    #[test]
    fn a_smooth_solid_has_no_features() {
        let f = Features::of(&shapes::torus(1.0, 0.3, 12, 8), &Options::default(), None);
        assert!(f.class.iter().all(|&c| c == Class::Inside));
    }

    #[test]
    fn borders_and_seams_are_lines_and_their_meetings_corners() {
        // A square sheet of 4 × 4 quads whose UVs break along the middle of one row of edges.
        let mesh = crate::test_meshes::sheet_with_slit_seam();
        let f = Features::of(&mesh, &Options::default(), None);
        let at = |x: f32, y: f32| {
            let p = mesh.points.iter().position(|&p| p == Vec3::new(x, y, 0.0));
            f.class[p.unwrap()]
        };
        assert_eq!(at(0.0, 1.0), Class::Line);
        assert_eq!(at(1.0, 1.0), Class::Inside);
        assert_eq!(at(2.0, 2.0), Class::Inside, "the slit ends here");
        assert_eq!(at(3.0, 2.0), Class::Line, "the slit passes here");
        assert_eq!(
            at(4.0, 2.0),
            Class::Corner,
            "the slit meets the border here"
        );
    }

    #[test]
    fn two_boxes_that_touch_make_that_point_complex() {
        let a = shapes::cuboid(Vec3::ONE);
        let mut b = shapes::cuboid(Vec3::ONE);
        b.points.iter_mut().for_each(|p| *p += Vec3::ONE);
        let mesh = crate::test_meshes::joined(&[a, b]);
        let f = Features::of(&mesh, &Options::default(), None);
        assert_eq!(f.complex.iter().filter(|&&c| c).count(), 1);
    }
}
