//! Which samples of which texels lie on which triangle of the low mesh.

use ectome_mesh::{
    Mesh,
    scanline::{self, Sides},
};
use glam::{DVec2, Vec3};

/// Texels along each edge of a tile.
pub const TILE: usize = 64;

/// The triangles that may touch each tile of a map, in order.
pub struct Bins {
    /// Tiles along each edge.
    pub tiles: usize,
    starts: Vec<u32>,
    faces: Vec<u32>,
    corners: Vec<[DVec2; 3]>,
}

/// One sample of a texel.
#[derive(Clone, Copy)]
pub struct Sample {
    pub face: u32,
    /// Weights of the face's corners.
    pub weights: Vec3,
}

impl Bins {
    /// Of the first UVs of a mesh of triangles, on a map of `size` texels that shows square `sheet` along U. What lies beyond that
    /// square is on another sheet, or stacked on something inside by whoever laid it out, and left out.
    pub fn of(mesh: &Mesh, size: u32, sheet: u32) -> Self {
        let edge = f64::from(size);
        let shift = DVec2::new(f64::from(sheet), 0.0);
        let uvs = mesh.uv_sets.first().map_or(&[][..], Vec::as_slice);
        let corners: Vec<[DVec2; 3]> = (0..mesh.face_count())
            .map(|f| {
                let face = mesh.face(f);
                std::array::from_fn(|k| {
                    let uv = uvs.get(face[k] as usize).copied().unwrap_or_default();
                    (uv.as_dvec2() - shift) * edge
                })
            })
            .collect();
        let tiles = (size as usize).div_ceil(TILE);
        let span = |f: usize| -> Option<[usize; 4]> {
            let [a, b, c] = corners[f];
            let middle = (a + b + c) / 3.0;
            let inside = |v: f64| v >= 0.0 && v <= edge;
            if !inside(middle.x) || !inside(middle.y) || !middle.is_finite() {
                return None;
            }
            let (low, high) = (a.min(b).min(c), a.max(b).max(c));
            let tile = |v: f64| ((v.max(0.0) / TILE as f64) as usize).min(tiles - 1);
            Some([tile(low.x), tile(high.x), tile(low.y), tile(high.y)])
        };
        let mut starts = vec![0u32; tiles * tiles + 1];
        let each = |visit: &mut dyn FnMut(usize, u32)| {
            for f in 0..corners.len() {
                if let Some([x0, x1, y0, y1]) = span(f) {
                    for y in y0..=y1 {
                        (x0..=x1).for_each(|x| visit(y * tiles + x, f as u32));
                    }
                }
            }
        };
        each(&mut |tile, _| starts[tile + 1] += 1);
        for i in 1..starts.len() {
            starts[i] += starts[i - 1];
        }
        let mut next = starts.clone();
        let mut faces = vec![0; starts[tiles * tiles] as usize];
        each(&mut |tile, f| {
            faces[next[tile] as usize] = f;
            next[tile] += 1;
        });
        Self {
            tiles,
            starts,
            faces,
            corners,
        }
    }

    /// The faces that may touch a tile.
    pub fn faces(&self, tile: usize) -> &[u32] {
        &self.faces[self.starts[tile] as usize..self.starts[tile + 1] as usize]
    }

    /// The samples of a tile, `n` × `n` to a texel, texel by texel in rows, and in rows inside each; `None` where no triangle
    /// lies.
    pub fn samples(&self, tile: usize, n: usize) -> Vec<Option<Sample>> {
        let mut out = vec![None; TILE * TILE * n * n];
        let from = DVec2::new(
            (tile % self.tiles * TILE) as f64,
            (tile / self.tiles * TILE) as f64,
        );
        let fine = n as f64;
        let edge = TILE * n;
        for &f in self.faces(tile) {
            let p = self.corners[f as usize].map(|p| (p - from) * fine);
            let area = (p[1] - p[0]).perp_dot(p[2] - p[0]);
            if area == 0.0 || !area.is_finite() {
                continue;
            }
            // Middles on a side belong to both triangles, so that none is left out.
            scanline::rows(p, [edge; 2], Sides::Whole, |y, columns| {
                for x in columns {
                    let at = DVec2::new(x as f64 + 0.5, y as f64 + 0.5);
                    let w0 = ((p[1] - at).perp_dot(p[2] - at) / area).max(0.0);
                    let w1 = ((p[2] - at).perp_dot(p[0] - at) / area).max(0.0);
                    let w2 = (1.0 - w0 - w1).max(0.0);
                    let texel = y / n * TILE + x / n;
                    let slot = &mut out[texel * n * n + y % n * n + x % n];
                    // On a shared edge the first has it.
                    if slot.is_none() {
                        *slot = Some(Sample {
                            face: f,
                            weights: Vec3::new(w0 as f32, w1 as f32, w2 as f32),
                        });
                    }
                }
            });
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive};
    use glam::{Affine3A, Vec2};

    #[test]
    fn a_square_that_fills_the_map_covers_every_sample_once() {
        let corners = [Vec2::ZERO, Vec2::X, Vec2::ONE, Vec2::Y];
        let mut builder = MeshBuilder::new();
        builder.part("", Affine3A::IDENTITY).primitive(Primitive {
            positions: corners.iter().map(|c| c.extend(0.0)).collect(),
            uv_sets: vec![corners.to_vec()],
            corners: vec![0, 1, 2, 0, 2, 3],
            ..Primitive::default()
        });
        let bins = Bins::of(&builder.finish(), 128, 0);
        assert_eq!(bins.tiles, 2);
        for tile in 0..4 {
            let samples = bins.samples(tile, 2);
            assert!(samples.iter().all(Option::is_some));
            for s in samples.into_iter().flatten() {
                assert!((s.weights.element_sum() - 1.0).abs() < 1e-5);
            }
        }
    }
}
