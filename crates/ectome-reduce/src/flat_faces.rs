//! Flat regions as polygons again.
//!
//! [`merge_flat`](crate::merge_flat) leaves flat regions in triangles. Who goes on modelling wants faces: as few polygons as the
//! region can be had in, or quads. Only the sides between triangles go; every point stays.

use ectome_mesh::{Mesh, edit, measure, pairing};
use glam::DVec3;
use serde::{Deserialize, Serialize};

use crate::flat::{edges_of, evenly, flat_pair, is_level};

/// The faces that flat regions are left in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Faces {
    /// Triangles, well-shaped.
    #[default]
    Triangles,
    /// Polygons of any size. One with holes is cut along its shortest diagonals, since a face has one outline.
    Ngons,
    /// Quads where two triangles make a good one, triangles where not.
    Quads,
}

impl Faces {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Triangles, Self::Ngons, Self::Quads];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Triangles => "triangles",
            Self::Ngons => "ngons",
            Self::Quads => "quads",
        }
    }

    /// The choice of a word.
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|f| f.word() == word)
    }
}

/// A side between two triangles that lie flat, with one texture over both.
struct Inner {
    /// The vertices of the triangles: faces (a, b, c) and (b, a, d).
    quad: [u32; 4],
    faces: [usize; 2],
    length: f32,
}

/// Joins the triangles of flat regions into larger faces.
pub fn join_flat(mesh: &Mesh, faces: Faces) -> Mesh {
    match faces {
        Faces::Triangles => mesh.clone(),
        Faces::Ngons => with_ngons(mesh),
        Faces::Quads => with_quads(mesh),
    }
}

/// The sides that may go, the longest first; equal ones by number.
fn inner_sides(mesh: &Mesh) -> Vec<Inner> {
    let run = mesh.run_of_faces();
    let mut inner: Vec<Inner> = edges_of(mesh)
        .into_iter()
        .filter(|&(_, [f, g])| g != u32::MAX && run[f as usize] == run[g as usize])
        .filter_map(|(edge, [f, g])| {
            let (f, g) = (f.min(g), f.max(g));
            let quad = flat_pair(mesh, f, g, edge)?;
            evenly(mesh, quad).then(|| Inner {
                quad,
                faces: [f as usize, g as usize],
                length: mesh.position(quad[0]).distance(mesh.position(quad[1])),
            })
        })
        .collect();
    inner.sort_by(|x, y| y.length.total_cmp(&x.length).then(x.faces.cmp(&y.faces)));
    inner
}

fn with_quads(mesh: &Mesh) -> Mesh {
    let candidates = inner_sides(mesh).into_iter().map(|side| {
        let [a, b, c, d] = side.quad;
        ([a, d, b, c], side.faces)
    });
    let quads = pairing::good_quads(|v| mesh.position(v), candidates, mesh.face_count());
    let mut now: Vec<Option<Vec<u32>>> = vec![None; mesh.face_count()];
    for (quad, [f, g]) in quads {
        now[f] = Some(quad.to_vec());
        now[g] = Some(Vec::new());
    }
    with_faces(mesh, &now)
}

fn with_ngons(mesh: &Mesh) -> Mesh {
    // Each polygon is kept at the face that it began as; faces that joined it point there.
    let mut home: Vec<usize> = (0..mesh.face_count()).collect();
    let mut now: Vec<Option<Vec<u32>>> = vec![None; mesh.face_count()];
    let mut on_first = vec![usize::MAX; mesh.points.len()];
    let mut normals: Vec<DVec3> = (0..mesh.face_count())
        .map(|f| measure::area_vector(mesh.triangle(f)))
        .collect();
    for (stamp, side) in inner_sides(mesh).iter().enumerate() {
        let [f, g] = side.faces.map(|f| root(&mut home, f));
        // Sides that bend by next to nothing add up on what is finely divided: the polygons as wholes lie in one plane too.
        if f == g || !is_level(normals[f], normals[g]) {
            continue;
        }
        let outline = |f: usize| now[f].clone().unwrap_or_else(|| mesh.face(f).to_vec());
        let (first, second) = (outline(f), outline(g));
        let [a, b, ..] = side.quad;
        // The two meet in this side alone: otherwise their outline would touch itself, or run around a hole or a point.
        let point = |v: &u32| mesh.vertex_point[*v as usize] as usize;
        first.iter().for_each(|v| on_first[point(v)] = stamp);
        if second
            .iter()
            .filter(|v| on_first[point(v)] == stamp)
            .count()
            != 2
        {
            continue;
        }
        // One of the two runs a → b and the other b → a.
        let next_is = |list: &[u32], from: u32, to: u32| {
            (0..list.len()).find(|&i| list[i] == from && list[(i + 1) % list.len()] == to)
        };
        let (from, to) = if next_is(&first, a, b).is_some() {
            (a, b)
        } else {
            (b, a)
        };
        let (Some(i), Some(j)) = (next_is(&first, from, to), next_is(&second, to, from)) else {
            continue;
        };
        let mut whole = Vec::with_capacity(first.len() + second.len() - 2);
        whole.extend((1..=first.len()).map(|k| first[(i + k) % first.len()]));
        whole.extend((2..second.len()).map(|k| second[(j + k) % second.len()]));
        now[f] = Some(whole);
        now[g] = Some(Vec::new());
        home[g] = f;
        normals[f] = normals[f] + normals[g];
    }
    with_faces(mesh, &now)
}

/// The face at the end of a path, which grows shorter.
fn root(home: &mut [usize], mut face: usize) -> usize {
    while home[face] != face {
        home[face] = home[home[face]];
        face = home[face];
    }
    face
}

/// The mesh with other faces in place of some: none where the list is empty.
fn with_faces(mesh: &Mesh, now: &[Option<Vec<u32>>]) -> Mesh {
    edit::rebuilt(mesh, |f, face, sink| match &now[f] {
        None => sink.push(face),
        Some(other) if other.is_empty() => {}
        Some(other) => sink.push(other),
    })
}
