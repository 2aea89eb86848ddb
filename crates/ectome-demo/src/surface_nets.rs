//! A surface from a signed distance field: S. Gibson, *Constrained Elastic Surface Nets*, 1998, in its
//! plain form: one point in each cell that the surface crosses, one quad for each lattice edge it
//! crosses.
//!
//! The lattice is walked in blocks; blocks too far from the surface to hold any of it are skipped
//! after one look at the field, so the cost goes with the surface and not with the volume.

use std::collections::HashMap;

use glam::{IVec3, Vec3};
use rayon::prelude::*;

/// Cells along each side of a block, the unit of parallel work.
const BLOCK: i32 = 16;
/// Cells along each side of a sub-block, the unit that is skipped inside a block.
const SUB: i32 = 4;

/// Points and triangles, counter-clockwise from outside (where the field is positive).
pub struct Net {
    /// Places.
    pub points: Vec<Vec3>,
    /// Triangles as triples of points.
    pub corners: Vec<u32>,
}

/// Extracts the zero surface of `field` between `low` and `high` on cells of side `cell`. `field` may
/// overestimate distances by at most the factor `slack`.
pub fn extract(
    field: impl Fn(Vec3) -> f32 + Sync,
    low: Vec3,
    high: Vec3,
    cell: f32,
    slack: f32,
) -> Net {
    let cells = ((high - low) / cell).ceil().as_ivec3();
    let blocks = (cells + IVec3::splat(BLOCK - 1)) / BLOCK;
    let list: Vec<IVec3> = (0..blocks.z)
        .flat_map(|z| {
            (0..blocks.y).flat_map(move |y| (0..blocks.x).map(move |x| IVec3::new(x, y, z)))
        })
        .collect();
    let place = |c: IVec3| low + c.as_vec3() * cell;
    let parts: Vec<Part> = list
        .par_iter()
        .map(|&b| {
            let from = b * BLOCK;
            let centre = place(from) + Vec3::splat(BLOCK as f32 * cell * 0.5);
            // One more cell on each side, so that quads along the block's faces are whole.
            if field(centre).abs() > reach(BLOCK, cell) * slack {
                return Part::default();
            }
            block(&field, &place, from, cell, slack)
        })
        .collect();

    let mut number = HashMap::new();
    let mut points = Vec::new();
    for part in &parts {
        for &(key, p) in &part.points {
            number.insert(key, points.len() as u32);
            points.push(p);
        }
    }
    let mut corners = Vec::new();
    for part in &parts {
        for quad in &part.quads {
            let found = quad.map(|key| number.get(&key).copied());
            if let [Some(a), Some(b), Some(c), Some(d)] = found {
                let at = |i: u32| points[i as usize];
                if at(a).distance_squared(at(c)) <= at(b).distance_squared(at(d)) {
                    corners.extend([a, b, c, a, c, d]);
                } else {
                    corners.extend([a, b, d, b, c, d]);
                }
            }
        }
    }
    Net { points, corners }
}

/// Half the diagonal of a cube of `cells`, with one more cell on each side so that quads along its
/// faces are whole.
fn reach(cells: i32, cell: f32) -> f32 {
    (cells + 2) as f32 * cell * 0.87
}

#[derive(Default)]
struct Part {
    points: Vec<(IVec3, Vec3)>,
    quads: Vec<[IVec3; 4]>,
}

fn block(
    field: &impl Fn(Vec3) -> f32,
    place: &impl Fn(IVec3) -> Vec3,
    from: IVec3,
    cell: f32,
    slack: f32,
) -> Part {
    const N: usize = BLOCK as usize + 1;
    let index = |x: usize, y: usize, z: usize| (z * N + y) * N + x;
    // Not a number where nobody has asked yet.
    let mut values = vec![f32::NAN; N * N * N];
    let mut part = Part::default();
    let sub = SUB as usize;
    let starts = || (0..BLOCK as usize).step_by(sub);
    for (sz, sy, sx) in
        starts().flat_map(|z| starts().flat_map(move |y| starts().map(move |x| (z, y, x))))
    {
        let first = place(from + IVec3::new(sx as i32, sy as i32, sz as i32));
        let centre = first + Vec3::splat(SUB as f32 * cell * 0.5);
        if field(centre).abs() > reach(SUB, cell) * slack {
            continue;
        }
        let lattice = |range: usize| {
            (sz..sz + range).flat_map(move |z| {
                (sy..sy + range).flat_map(move |y| (sx..sx + range).map(move |x| (z, y, x)))
            })
        };
        for (z, y, x) in lattice(sub + 1) {
            let value = &mut values[index(x, y, z)];
            if value.is_nan() {
                *value = field(place(from + IVec3::new(x as i32, y as i32, z as i32)));
            }
        }
        for (z, y, x) in lattice(sub) {
            let corner = |i: usize| values[index(x + (i & 1), y + (i >> 1 & 1), z + (i >> 2))];
            let inside = (0..8).filter(|&i| corner(i) < 0.0).count();
            let at = from + IVec3::new(x as i32, y as i32, z as i32);
            if inside > 0 && inside < 8 {
                // The mean of where the cell's edges cross the surface.
                let (mut sum, mut count) = (Vec3::ZERO, 0.0);
                for i in 0..8usize {
                    for bit in [1usize, 2, 4] {
                        let j = i | bit;
                        if i & bit != 0 || (corner(i) < 0.0) == (corner(j) < 0.0) {
                            continue;
                        }
                        let t = corner(i) / (corner(i) - corner(j));
                        let offset = |k: usize| {
                            Vec3::new((k & 1) as f32, (k >> 1 & 1) as f32, (k >> 2) as f32)
                        };
                        sum += offset(i).lerp(offset(j), t);
                        count += 1.0;
                    }
                }
                part.points.push((at, place(at) + sum / count * cell));
            }
            // Quads around the lattice edges that leave this cell's low corner.
            let here = corner(0) < 0.0;
            for (axis, far) in [(0, 1usize), (1, 2), (2, 4)] {
                if here == (corner(far) < 0.0) {
                    continue;
                }
                let (mut u, mut v) = (IVec3::ZERO, IVec3::ZERO);
                u[(axis + 1) % 3] = -1;
                v[(axis + 2) % 3] = -1;
                let ring = [at + u + v, at + v, at, at + u];
                part.quads.push(if here {
                    ring
                } else {
                    [ring[3], ring[2], ring[1], ring[0]]
                });
            }
        }
    }
    part
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, measure, topology::Topology};

    #[test]
    fn a_sphere_comes_out_closed_outward_and_of_its_volume() {
        let net = extract(
            |p| p.length() - 0.5,
            Vec3::splat(-0.7),
            Vec3::splat(0.7),
            0.02,
            1.0,
        );
        let mut builder = MeshBuilder::new();
        builder.primitive(Primitive {
            positions: net.points,
            corners: net.corners,
            ..Primitive::default()
        });
        let mesh = builder.finish();
        let t = Topology::of(&mesh);
        assert_eq!(
            (t.open_edges, t.nonmanifold_edges, t.euler_characteristic),
            (0, 0, 2)
        );
        // Closed form: 4/3 π r³.
        let volume = 4.0 / 3.0 * std::f64::consts::PI * 0.125;
        assert!((measure::volume(&mesh) / volume - 1.0).abs() < 0.01);
    }
}
