//! Islands that lie on one another on purpose: copies that share their texels.
//!
//! Whoever stacks islands elsewhere does it to the precision of a file, or by hand to less than a texel. Islands count as stacked
//! when every corner of each lies beside a corner of the other.

use std::collections::HashMap;

use glam::DVec2;

use crate::layout::Layout;

/// How far corners may lie apart: a quarter of a texel of a sheet of 2048.
const BESIDE: f64 = 0.25 / 2048.0;
/// Edge of the cells in which islands are looked for, by the low corner of their box.
const CELL: f64 = 64.0 * BESIDE;

/// What islands are compared by.
struct Footprint {
    island: u32,
    low: DVec2,
    high: DVec2,
    /// Its corners, each once, by cells of [`BESIDE`].
    corners: HashMap<[i64; 2], DVec2>,
}

/// For each island the first that lies where it does.
pub fn of(layout: &Layout) -> Vec<u32> {
    // By the textures, the number of faces and the cell of the low corner.
    let mut first: HashMap<(u32, usize, [i64; 2]), Vec<Footprint>> = HashMap::new();
    let faces = layout.faces();
    let mut out = Vec::with_capacity(faces.len());
    for (i, faces) in faces.iter().enumerate() {
        let own = Footprint::of(i as u32, layout, faces);
        let textures = layout.textures.get(faces[0] as usize).copied().unwrap_or(0);
        let [x, y] = cell(own.low, CELL);
        let near = (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| [x + dx, y + dy]));
        let found = near
            .filter_map(|at| first.get(&(textures, faces.len(), at)))
            .flatten()
            .filter(|other| other.lies_like(&own))
            .map(|other| other.island)
            .min();
        out.push(found.unwrap_or(i as u32));
        if found.is_none() {
            let at = (textures, faces.len(), [x, y]);
            first.entry(at).or_default().push(own);
        }
    }
    out
}

fn cell(p: DVec2, edge: f64) -> [i64; 2] {
    (p / edge).floor().to_array().map(|v| v as i64)
}

impl Footprint {
    fn of(island: u32, layout: &Layout, faces: &[u32]) -> Self {
        let (mut low, mut high) = (DVec2::INFINITY, DVec2::NEG_INFINITY);
        let mut corners = HashMap::new();
        for p in faces.iter().flat_map(|&f| layout.uv[f as usize]) {
            low = low.min(p);
            high = high.max(p);
            corners.entry(cell(p, BESIDE)).or_insert(p);
        }
        Self {
            island,
            low,
            high,
            corners,
        }
    }

    fn lies_like(&self, other: &Self) -> bool {
        let box_off = (self.low - other.low)
            .abs()
            .max((self.high - other.high).abs());
        box_off.max_element() <= BESIDE && self.is_beside(other) && other.is_beside(self)
    }

    /// True when each of its corners lies beside one of another island. Of several corners in one cell one stands for all, so
    /// corners may lie apart by a cell more.
    fn is_beside(&self, other: &Self) -> bool {
        self.corners.iter().all(|(&[x, y], p)| {
            let mut near = (-1..=1).flat_map(|dy| (-1..=1).map(move |dx| [x + dx, y + dy]));
            near.any(|at| {
                let found = other.corners.get(&at);
                found.is_some_and(|q| (*p - *q).abs().max_element() <= 2.0 * BESIDE)
            })
        })
    }
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{Mesh, MeshBuilder, Primitive};
    use glam::{Affine3A, Vec2, Vec3};
    use rstest::rstest;

    use super::*;

    /// Fans of six triangles, one island each, at places on the sheet; the second of a pair is turned over or moved.
    fn fans(uvs: &[Box<dyn Fn(f32) -> Vec2>]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for (i, uv) in uvs.iter().enumerate() {
            let mut p = Primitive {
                uv_sets: vec![Vec::new()],
                ..Primitive::default()
            };
            for k in 0..=6 {
                let a = std::f32::consts::TAU * k as f32 / 7.0;
                let at = Vec3::new(a.cos(), 0.0, a.sin()) + Vec3::X * 3.0 * i as f32;
                p.positions.push(at);
                p.uv_sets[0].push(uv(a));
            }
            for k in 1..6 {
                p.corners.extend([0, k, k + 1]);
            }
            builder
                .part(&i.to_string(), Affine3A::IDENTITY)
                .primitive(p);
        }
        builder.finish()
    }

    fn circle(a: f32, x: f32) -> Vec2 {
        Vec2::new(x + 0.2 * a.cos(), 0.4 + 0.2 * a.sin())
    }

    #[rstest]
    #[case::exactly(0.0, true)]
    #[case::as_files_round(3e-7, true)]
    #[case::by_hand(1e-4, true)]
    #[case::a_texel_off(5e-4, false)]
    #[case::elsewhere(0.1, false)]
    fn copies_count_as_stacked_up_to_a_quarter_of_a_texel(#[case] off: f32, #[case] want: bool) {
        let mesh = fans(&[
            Box::new(|a| circle(a, 0.3)),
            Box::new(move |a| circle(a, 0.3 + off)),
        ]);
        let stacks = of(&Layout::of(&mesh));
        assert_eq!(stacks, if want { [0, 0] } else { [0, 1] });
    }

    /// Another shape in the same box is no copy.
    #[test]
    fn what_fills_the_same_box_otherwise_is_no_copy() {
        let mesh = fans(&[
            Box::new(|a| circle(a, 0.3)),
            Box::new(|a| {
                let p = circle(a, 0.3);
                let turned = if a > 1.0 && a < 2.0 { 0.05 } else { 0.0 };
                Vec2::new(p.x + turned, p.y)
            }),
        ]);
        assert_eq!(of(&Layout::of(&mesh)), [0, 1]);
    }
}
