//! The rock the lighthouse stands on, as a scan of any size.
//!
//! A closed surface of latitudes and longitudes, pushed along its radius: broad ribs, ledges from layered
//! rock, cracks and grain. It is written ring by ring as binary PLY, so that tens of millions of triangles
//! need no memory.

use std::io::{self, Write};

use glam::Vec3;
use rayon::prelude::*;

use crate::noise::{fbm, perlin, smoothstep};

/// Half the length of the rock, in metres.
const REACH: f32 = 21.0;

/// Writes the rock with about `triangles` triangles, never fewer (unless there are fewer than 64); returns
/// how many there are.
///
/// # Errors
/// What `out` reports.
pub fn write_skerry(triangles: u64, out: &mut impl Write) -> io::Result<u64> {
    // Rings of twice as many points as there are bands: cells about square at the equator.
    let bands = ((triangles as f64 / 4.0).sqrt() + 0.5)
        .ceil()
        .clamp(4.0, 20_000.0) as u32;
    let around = (triangles.div_ceil(2 * u64::from(bands - 1)) as u32).clamp(4, 80_000);
    let rings = bands - 1;
    let points = u64::from(around) * u64::from(rings) + 2;
    let faces = 2 * u64::from(around) * u64::from(rings);
    write!(
        out,
        "ply\nformat binary_little_endian 1.0\ncomment the skerry\nelement vertex {points}\n\
         property float x\nproperty float y\nproperty float z\nelement face {faces}\n\
         property list uchar int vertex_indices\nend_header\n"
    )?;
    write_point(out, place(0.0, 0.0))?;
    for ring in 1..=rings {
        let down = ring as f32 / bands as f32;
        let row: Vec<Vec3> = (0..around)
            .into_par_iter()
            .map(|i| place(down, i as f32 / around as f32))
            .collect();
        row.into_iter().try_for_each(|p| write_point(out, p))?;
    }
    write_point(out, place(1.0, 0.0))?;
    let last = (points - 1) as u32;
    let at = |ring: u32, i: u32| match ring {
        0 => 0,
        r if r == bands => last,
        r => 1 + (r - 1) * around + i % around,
    };
    for band in 0..bands {
        for i in 0..around {
            let [a, b] = [at(band, i), at(band, i + 1)];
            let [c, d] = [at(band + 1, i), at(band + 1, i + 1)];
            if a != b {
                write_face(out, [a, b, c])?;
            }
            if c != d {
                write_face(out, [b, d, c])?;
            }
        }
    }
    Ok(faces)
}

fn write_point(out: &mut impl Write, p: Vec3) -> io::Result<()> {
    p.to_array()
        .iter()
        .try_for_each(|v| out.write_all(&v.to_le_bytes()))
}

fn write_face(out: &mut impl Write, corners: [u32; 3]) -> io::Result<()> {
    out.write_all(&[3])?;
    corners
        .iter()
        .try_for_each(|v| out.write_all(&v.to_le_bytes()))
}

/// The place at a share of the way down and around.
fn place(down: f32, around: f32) -> Vec3 {
    let (polar, turn) = (down * std::f32::consts::PI, around * std::f32::consts::TAU);
    let dir = Vec3::new(
        polar.sin() * turn.cos(),
        polar.cos(),
        polar.sin() * turn.sin(),
    );
    let body = dir * Vec3::new(1.0, 0.42, 0.63) * REACH;
    let ribs = fbm(body * 0.09, 4) * 2.6;
    // Layers dip to one side; each ledge is flat on top and steep below.
    let height = body.y + 0.22 * body.x + 1.3 * perlin(body * 0.13);
    let layer = height * 0.8;
    let ledge = (layer.floor() + smoothstep(0.55, 0.95, layer - layer.floor()) - layer) * 0.5;
    let crack = 1.0 - smoothstep(0.0, 0.05, perlin(body * Vec3::new(0.5, 0.15, 0.5)).abs());
    let grain = fbm(body * 3.1, 4) * 0.05;
    body + dir * (ribs + ledge - 0.35 * crack + grain)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_formats::{FileSet, read};
    use ectome_mesh::topology::Topology;

    #[test]
    fn the_rock_is_closed_and_as_large_as_asked() {
        let mut bytes = Vec::new();
        let faces = write_skerry(20_000, &mut bytes).unwrap();
        assert!((20_000..20_600).contains(&faces), "{faces}");
        let scene = read(&FileSet::new([("skerry.ply", &bytes[..])])).unwrap();
        let topology = Topology::of(&scene.mesh);
        assert_eq!(scene.mesh.face_count() as u64, faces);
        assert_eq!((topology.open_edges, topology.nonmanifold_edges), (0, 0));
        // A sphere: V − E + F = 2 (Euler), with E = 3F/2 on a closed triangle mesh.
        assert_eq!(2 * scene.mesh.points.len(), scene.mesh.face_count() + 4);
    }
}
