//! The arrays of a mesh and the rules they obey.

use std::ops::Range;

use glam::{Affine3A, Vec2, Vec3, Vec4};
use serde::{Deserialize, Serialize};
use thiserror::Error;

/// What becomes of a part.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fate {
    /// It becomes geometry.
    #[default]
    Build,
    /// It is only baked into the maps.
    Imprint,
    /// It is left out altogether.
    Omit,
}

/// A named object of a scene.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Part {
    /// The object's name as the source gave it; may be empty, need not be unique.
    pub name: String,
    /// The object's own frame in the scene. Points are kept in scene space; writers use this to
    /// give an object back its pivot.
    pub frame: Affine3A,
    /// What becomes of it.
    pub fate: Fate,
    /// The group it belongs to; empty for none.
    pub group: String,
    /// Triangles that a cut leaves it at least; 0 where nobody says.
    pub smallest: u32,
    /// Index into [`Mesh::nodes`]: the node of the source that holds it.
    pub node: Option<u32>,
}

/// A node of the tree in which a source hangs its objects. It holds nothing of the mesh, whose points lie in scene space; writers
/// use it to hang objects as they hung.
#[derive(Clone, Debug, PartialEq)]
pub struct Node {
    /// Its name as the source gave it; may be empty.
    pub name: String,
    /// Its frame in its parent's.
    pub local: Affine3A,
    /// Index of the node it hangs from, which comes before it.
    pub parent: Option<u32>,
}

impl Part {
    /// A part that will be built, in no group.
    pub fn new(name: impl Into<String>, frame: Affine3A) -> Self {
        Self {
            name: name.into(),
            frame,
            ..Self::default()
        }
    }
}

/// Which attributes the vertices of a run really carry. The arrays of [`Mesh`] are dense; where a
/// run lacks a channel its slots hold zeros and writers leave the channel out.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Channels {
    /// Normals are given.
    pub normals: bool,
    /// Vertex colours are given.
    pub colours: bool,
    /// How many UV sets are given, from set 0.
    pub uv_sets: u8,
}

/// A stretch of consecutive faces of one part with one material.
#[derive(Clone, Debug, PartialEq)]
pub struct Run {
    /// Index into [`Mesh::parts`].
    pub part: u32,
    /// Index into the material list that travels with the mesh, if the faces have a material.
    pub material: Option<u32>,
    /// The faces of the run.
    pub faces: Range<u32>,
    /// The attributes its vertices carry.
    pub channels: Channels,
}

/// A polygon mesh in metres, right-handed, +Y up, faces counter-clockwise from outside, UV origin
/// top-left (the conventions of glTF 2.0).
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Mesh {
    /// Places, in metres.
    pub points: Vec<Vec3>,
    /// The point of each vertex.
    pub vertex_point: Vec<u32>,
    /// Unit normals, one per vertex, or empty.
    pub normals: Vec<Vec3>,
    /// UV sets, each with one coordinate per vertex.
    pub uv_sets: Vec<Vec<Vec2>>,
    /// Linear RGBA, one per vertex, or empty.
    pub colours: Vec<Vec4>,
    /// Vertices of the faces, face after face.
    pub corners: Vec<u32>,
    /// Where each face starts in `corners`, with one closing entry; `None` when all are triangles.
    pub face_starts: Option<Vec<u32>>,
    /// The objects.
    pub parts: Vec<Part>,
    /// Parts and materials of the faces: consecutive runs that cover all faces in order.
    pub runs: Vec<Run>,
    /// The tree in which the source hangs its objects; empty where it has none.
    pub nodes: Vec<Node>,
}

/// A broken invariant of a [`Mesh`].
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum MeshError {
    /// An index points past the end of its array.
    #[error("{what} {at} refers to {index}, but there are only {len}")]
    IndexOutOfRange {
        /// What holds the index.
        what: &'static str,
        /// Where it stands.
        at: usize,
        /// The index.
        index: usize,
        /// The length of the array it points into.
        len: usize,
    },
    /// An attribute array has the wrong length.
    #[error("{what} has {found} entries where {expected} are needed")]
    WrongLength {
        /// The array.
        what: &'static str,
        /// Its length.
        found: usize,
        /// The length it should have.
        expected: usize,
    },
    /// A coordinate is NaN or infinite.
    #[error("{what} {at} is not a finite number")]
    NotFinite {
        /// The array.
        what: &'static str,
        /// The entry.
        at: usize,
    },
    /// Runs do not cover the faces one after another.
    #[error("run {at} does not start where the one before it ends")]
    RunsBroken {
        /// The run.
        at: usize,
    },
    /// A face has fewer than three corners.
    #[error("face {at} has fewer than three corners")]
    FaceTooSmall {
        /// The face.
        at: usize,
    },
}

impl Mesh {
    /// Number of faces, polygons of any size.
    pub fn face_count(&self) -> usize {
        match &self.face_starts {
            Some(starts) => starts.len().saturating_sub(1),
            None => self.corners.len() / 3,
        }
    }

    /// Number of triangles after triangulation: n − 2 for a face with n corners.
    pub fn triangle_count(&self) -> usize {
        self.corners.len() - 2 * self.face_count()
    }

    /// Number of vertices.
    pub fn vertex_count(&self) -> usize {
        self.vertex_point.len()
    }

    /// The vertices of face `face`.
    pub fn face(&self, face: usize) -> &[u32] {
        match &self.face_starts {
            Some(starts) => &self.corners[starts[face] as usize..starts[face + 1] as usize],
            None => &self.corners[3 * face..3 * face + 3],
        }
    }

    /// The place of vertex `vertex`.
    #[inline]
    pub fn position(&self, vertex: u32) -> Vec3 {
        self.points[self.vertex_point[vertex as usize] as usize]
    }

    /// The three places of triangle `face` of an all-triangle mesh.
    #[inline]
    pub fn triangle(&self, face: usize) -> [Vec3; 3] {
        let c = &self.corners[3 * face..3 * face + 3];
        [
            self.position(c[0]),
            self.position(c[1]),
            self.position(c[2]),
        ]
    }

    /// The three points of triangle `face` of an all-triangle mesh.
    #[inline]
    pub fn triangle_points(&self, face: usize) -> [u32; 3] {
        let c = &self.corners[3 * face..3 * face + 3];
        [0, 1, 2].map(|k| self.vertex_point[c[k] as usize])
    }

    /// True when no face has more than three corners.
    pub fn is_triangulated(&self) -> bool {
        self.face_starts.is_none()
    }

    /// Number of faces with exactly four corners, and with more than four.
    pub fn quads_and_ngons(&self) -> (usize, usize) {
        let Some(starts) = &self.face_starts else {
            return (0, 0);
        };
        starts
            .windows(2)
            .fold((0, 0), |(quads, ngons), w| match w[1] - w[0] {
                4 => (quads + 1, ngons),
                n if n > 4 => (quads, ngons + 1),
                _ => (quads, ngons),
            })
    }

    /// Triangles of each part, in the order of [`Mesh::parts`].
    pub fn triangles_per_part(&self) -> Vec<usize> {
        let mut counts = vec![0; self.parts.len()];
        for run in &self.runs {
            counts[run.part as usize] += match &self.face_starts {
                None => run.faces.len(),
                Some(starts) => {
                    let corners = starts[run.faces.end as usize] - starts[run.faces.start as usize];
                    corners as usize - 2 * run.faces.len()
                }
            };
        }
        counts
    }

    /// The distinct materials in use.
    pub fn material_count(&self) -> usize {
        let mut used: Vec<_> = self.runs.iter().map(|r| r.material).collect();
        used.sort_unstable();
        used.dedup();
        used.len()
    }

    /// Checks every invariant: array lengths, index ranges, finite numbers, runs in order.
    ///
    /// # Errors
    /// The first broken rule found.
    pub fn check(&self) -> Result<(), MeshError> {
        let (np, nv, nf) = (self.points.len(), self.vertex_count(), self.face_count());
        index_range("vertex", &self.vertex_point, np)?;
        index_range("corner", &self.corners, nv)?;
        if let Some(at) = self.points.iter().position(|p| !p.is_finite()) {
            return Err(MeshError::NotFinite { what: "point", at });
        }
        length("the list of normals", self.normals.len(), nv, true)?;
        length("the list of colours", self.colours.len(), nv, true)?;
        for set in &self.uv_sets {
            length("a UV set", set.len(), nv, false)?;
            if let Some(at) = set.iter().position(|p| !p.is_finite()) {
                return Err(MeshError::NotFinite {
                    what: "UV coordinate",
                    at,
                });
            }
        }
        if let Some(at) = self.normals.iter().position(|p| !p.is_finite()) {
            return Err(MeshError::NotFinite { what: "normal", at });
        }
        if let Some(starts) = &self.face_starts {
            if starts.first() != Some(&0) {
                return Err(MeshError::RunsBroken { at: 0 });
            }
            if let Some(at) = starts.windows(2).position(|w| w[0] + 3 > w[1]) {
                return Err(MeshError::FaceTooSmall { at });
            }
            let last = starts.last().copied().unwrap_or(0) as usize;
            length("the list of corners", self.corners.len(), last, false)?;
        } else {
            length("the list of corners", self.corners.len(), 3 * nf, false)?;
        }
        let earlier = |at: usize, index: Option<u32>, len: usize, what: &'static str| match index {
            Some(i) if i as usize >= len => Err(MeshError::IndexOutOfRange {
                what,
                at,
                index: i as usize,
                len,
            }),
            _ => Ok(()),
        };
        for (at, node) in self.nodes.iter().enumerate() {
            earlier(at, node.parent, at, "node")?;
            if !node.local.is_finite() {
                return Err(MeshError::NotFinite {
                    what: "frame of node",
                    at,
                });
            }
        }
        for (at, part) in self.parts.iter().enumerate() {
            earlier(at, part.node, self.nodes.len(), "part")?;
        }
        let mut end = 0;
        for (at, run) in self.runs.iter().enumerate() {
            if run.faces.start != end || run.faces.end < run.faces.start {
                return Err(MeshError::RunsBroken { at });
            }
            if run.part as usize >= self.parts.len() {
                return Err(MeshError::IndexOutOfRange {
                    what: "run",
                    at,
                    index: run.part as usize,
                    len: self.parts.len(),
                });
            }
            end = run.faces.end;
        }
        length("the cover of faces by runs", end as usize, nf, false)
    }
}

fn index_range(what: &'static str, indices: &[u32], len: usize) -> Result<(), MeshError> {
    match indices.iter().position(|&i| i as usize >= len) {
        None => Ok(()),
        Some(at) => Err(MeshError::IndexOutOfRange {
            what,
            at,
            index: indices[at] as usize,
            len,
        }),
    }
}

fn length(
    what: &'static str,
    found: usize,
    expected: usize,
    may_be_empty: bool,
) -> Result<(), MeshError> {
    if found == expected || (may_be_empty && found == 0) {
        Ok(())
    } else {
        Err(MeshError::WrongLength {
            what,
            found,
            expected,
        })
    }
}
