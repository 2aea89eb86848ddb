//! What is painted on faces: repeats may share texels only where they show the same.

use std::collections::HashMap;

use ectome_formats::Scene;
use ectome_mesh::Mesh;
use ectome_uv::{layout::Layout, measure::Island};
use glam::DVec2;

use crate::materials;

/// UVs lie in one place when they are nearer than this share of a picture's edge.
const UV_NEAR: f32 = 1e-3;
/// Vertex colours are one when they differ by less than this in each channel.
const COLOUR_NEAR: f32 = 1.0 / 256.0;

/// Faces of stacked islands lie on one another within this share of an island's width.
const NEAR: f64 = 1e-3;

/// The corner of a face on the sheet that each corner of another lies on.
fn turn(own: [DVec2; 3], other: [DVec2; 3], near: f64) -> Option<[u8; 3]> {
    let mut out = [0; 3];
    for (slot, p) in out.iter_mut().zip(own) {
        *slot = other.iter().position(|q| q.distance(p) <= near)? as u8;
    }
    Some(out)
}

/// How the faces of a scene are painted.
pub struct Painted<'a> {
    mesh: &'a Mesh,
    /// The class of materials that each face has; materials of one class differ in their names alone.
    class: Vec<u32>,
    /// The class shows a picture, so that it matters where a face lies on it.
    textured: Vec<bool>,
}

impl<'a> Painted<'a> {
    /// Looks at the materials of a scene of triangles.
    pub fn of(scene: &'a Scene) -> Self {
        let classes = materials::classes(&scene.library);
        let none = classes.len() as u32;
        let mut class = vec![none; scene.mesh.face_count()];
        for run in &scene.mesh.runs {
            let own = run.material.and_then(|m| classes.get(m as usize));
            class[run.faces.start as usize..run.faces.end as usize]
                .fill(own.copied().unwrap_or(none));
        }
        let mut textured = vec![false; classes.len() + 1];
        for (material, &class) in scene.library.materials.iter().zip(&classes) {
            textured[class as usize] |= materials::has_texture(material);
        }
        Self {
            mesh: &scene.mesh,
            class,
            textured,
        }
    }

    /// The islands that lie on another which shows something else, each with the first island that shows what it does.
    pub fn that_differ(&self, layout: &Layout, islands: &[Island]) -> Vec<(u32, u32)> {
        let mut out = Vec::new();
        // Of each stack the first island that shows each thing.
        let mut shown: HashMap<u32, Vec<u32>> = HashMap::new();
        for (i, island) in islands.iter().enumerate() {
            let i = i as u32;
            let known = shown.entry(island.stack).or_default();
            let like = known
                .iter()
                .copied()
                .find(|&k| self.islands_are_alike(layout, island, &islands[k as usize]));
            let first = like.unwrap_or(i);
            if like.is_none() {
                known.push(i);
            }
            if known[0] != first {
                out.push((i, first));
            }
        }
        out
    }

    /// Whether every face of an island shows what the face of another shows that lies where it does.
    fn islands_are_alike(&self, layout: &Layout, island: &Island, other: &Island) -> bool {
        let uv = |f: u32| layout.uv[f as usize];
        let middle = |f: u32| uv(f).iter().sum::<DVec2>() / 3.0;
        let (low, high) = (other.faces.iter().flat_map(|&f| uv(f)))
            .fold((DVec2::INFINITY, DVec2::NEG_INFINITY), |(low, high), p| {
                (low.min(p), high.max(p))
            });
        let near = (high - low).length().max(1e-12) * NEAR;
        let cell = |p: DVec2| (p / near).floor().to_array().map(|v| v as i64);
        let mut at: HashMap<[i64; 2], Vec<u32>> = HashMap::new();
        for &f in &other.faces {
            at.entry(cell(middle(f))).or_default().push(f);
        }
        island.faces.iter().all(|&f| {
            let [x, y] = cell(middle(f));
            let around = (-1..=1).flat_map(|dx| (-1..=1).map(move |dy| [x + dx, y + dy]));
            around
                .filter_map(|c| at.get(&c))
                .flatten()
                .any(|&g| turn(uv(f), uv(g), near).is_some_and(|turn| self.is_like(f, g, turn)))
        })
    }

    /// True when a face shows what face `other` shows, corner for corner: `turn` names the corner of `other` that each falls on.
    fn is_like(&self, face: u32, other: u32, turn: [u8; 3]) -> bool {
        let class = self.class[face as usize];
        if class != self.class[other as usize] {
            return false;
        }
        let (own, first) = (
            self.mesh.face(face as usize),
            self.mesh.face(other as usize),
        );
        let pairs = || (0..3).map(|k| (own[k] as usize, first[turn[k] as usize] as usize));
        let uvs =
            !self.textured[class as usize]
                || self.mesh.uv_sets.iter().all(|set| {
                    pairs().all(|(a, b)| (set[a] - set[b]).abs().max_element() <= UV_NEAR)
                });
        let colours = &self.mesh.colours;
        uvs && (colours.is_empty()
            || pairs().all(|(a, b)| (colours[a] - colours[b]).abs().max_element() <= COLOUR_NEAR))
    }
}
