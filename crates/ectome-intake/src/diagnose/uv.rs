//! The first UV set: where it is missing, flat, twice over, or outside the texture.

use ectome_mesh::{
    Mesh,
    scanline::{self, Sides},
    triangulate::triangulate,
};
use glam::Vec2;

use super::{Kind, List, face_spot};

/// Side of the raster in which overlaps are counted.
const RASTER: usize = 1024;

/// UVs with less area than this are flat: a hundredth of a texel of a texture of 4096.
const FLAT: f32 = 0.01 / (4096.0 * 4096.0);

/// Squares that a triangle may span before it is left out.
const MOST_REPEATS: f64 = 4.0;

pub(super) fn examine(mesh: &Mesh, list: &mut List) {
    let (flat, _) = triangulate(mesh);
    let mut missing = Vec::new();
    let mut given = Vec::new();
    for run in &flat.runs {
        match run.channels.uv_sets {
            0 => missing.extend(run.faces.clone()),
            _ => given.extend(run.faces.clone()),
        }
    }
    let spots = |faces: &[u32]| {
        faces
            .iter()
            .map(|&f| face_spot(&flat, f as usize))
            .collect()
    };
    list.add(
        Kind::MissingUvs,
        2,
        missing.len(),
        String::new(),
        spots(&missing),
    );
    let Some(set) = flat.uv_sets.first() else {
        return;
    };
    let uv = |f: u32| [0, 1, 2].map(|k| set[flat.face(f as usize)[k] as usize]);
    let area = |[a, b, c]: [Vec2; 3]| 0.5 * (b - a).perp_dot(c - a).abs();
    let zero: Vec<u32> = given
        .iter()
        .copied()
        .filter(|&f| area(uv(f)) <= FLAT)
        .collect();
    list.add(
        Kind::ZeroAreaUvs,
        2,
        zero.len(),
        String::new(),
        spots(&zero),
    );
    let outside: Vec<u32> = given
        .iter()
        .copied()
        .filter(|&f| {
            uv(f)
                .iter()
                .any(|p| p.min_element() < 0.0 || p.max_element() > 1.0)
        })
        .collect();
    list.add(
        Kind::OutOfRangeUvs,
        1,
        outside.len(),
        String::new(),
        spots(&outside),
    );

    let mut count = vec![0u8; RASTER * RASTER];
    for &f in &given {
        cover(uv(f), |at| count[at] = count[at].saturating_add(1));
    }
    let covered = count.iter().filter(|&&n| n > 0).count();
    let twice = count.iter().filter(|&&n| n > 1).count();
    let percent = overlap_of(covered, twice);
    // Edges that two triangles both round to a texel centre come to a few in ten thousand.
    if percent >= 0.05 {
        let over: Vec<u32> = given
            .iter()
            .copied()
            .filter(|&f| {
                let mut any = false;
                cover(uv(f), |at| any |= count[at] > 1);
                any
            })
            .collect();
        let detail = format!("{percent:.1} % of the used area");
        list.add(Kind::OverlappingUvs, 2, over.len(), detail, spots(&over));
    }
}

fn overlap_of(covered: usize, twice: usize) -> f64 {
    twice as f64 * 100.0 / covered.max(1) as f64
}

/// How much of the used area of the first UV set is used more than once, in percent.
pub fn overlap_percent(mesh: &Mesh) -> f64 {
    let (flat, _) = triangulate(mesh);
    let Some(set) = flat.uv_sets.first() else {
        return 0.0;
    };
    let mut count = vec![0u8; RASTER * RASTER];
    for run in flat.runs.iter().filter(|r| r.channels.uv_sets > 0) {
        for f in run.faces.clone() {
            let uv = [0, 1, 2].map(|k| set[flat.face(f as usize)[k] as usize]);
            cover(uv, |at| count[at] = count[at].saturating_add(1));
        }
    }
    overlap_of(
        count.iter().filter(|&&n| n > 0).count(),
        count.iter().filter(|&&n| n > 1).count(),
    )
}

/// Calls `hit` for the raster cells whose middle lies in a triangle (its own cell, where it repeats outside 0–1).
fn cover(uv: [Vec2; 3], mut hit: impl FnMut(usize)) {
    let n = RASTER as f64;
    let p = uv.map(|q| q.as_dvec2() * n);
    let (low, high) = (p[0].min(p[1]).min(p[2]), p[0].max(p[1]).max(p[2]));
    // A triangle that repeats many times over says nothing about overlaps.
    let is_finite = low.is_finite() && high.is_finite();
    if !is_finite || (high - low).max_element() > MOST_REPEATS * n {
        return;
    }
    // Rows are counted from the whole square below the triangle.
    let from = (low / n).floor() * n;
    let wide = (high - from).ceil().as_usizevec2();
    scanline::rows(
        p.map(|q| q - from),
        wide.into(),
        Sides::Shared,
        |y, columns| {
            columns.for_each(|x| hit(y % RASTER * RASTER + x % RASTER));
        },
    );
}

#[cfg(test)]
mod tests {
    use super::super::{Kind, diagnose};
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, Progress};
    use glam::Vec3;

    /// Squares of the UV square: left, top, side; each a square in space too.
    fn squares(list: &[(f32, f32, f32)]) -> Mesh {
        let mut builder = MeshBuilder::new();
        for (i, &(x, y, s)) in list.iter().enumerate() {
            let uv: Vec<Vec2> = [[0., 0.], [1., 0.], [1., 1.], [0., 1.]]
                .map(|c| Vec2::new(x + s * c[0], y + s * c[1]))
                .to_vec();
            builder.primitive(Primitive {
                positions: [[0., 0.], [1., 0.], [1., 1.], [0., 1.]]
                    .map(|c| Vec3::new(c[0] + 2.0 * i as f32, c[1], 0.0))
                    .to_vec(),
                uv_sets: vec![uv],
                corners: vec![0, 1, 2, 0, 2, 3],
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    // Two squares of side ½ that share a quarter of their area: (1/16) / (7/16) of the used area.
    #[test]
    fn overlap_is_counted_as_area() {
        let mesh = squares(&[(0.0, 0.0, 0.5), (0.25, 0.25, 0.5)]);
        assert!((overlap_percent(&mesh) - 100.0 / 7.0).abs() < 0.1);
        assert_eq!(
            overlap_percent(&squares(&[(0.0, 0.0, 0.5), (0.5, 0.0, 0.5)])),
            0.0
        );
    }

    #[test]
    fn flat_and_outside_uvs_are_counted_in_triangles() {
        let d = diagnose(
            &squares(&[(0.2, 0.2, 0.0), (0.9, 0.9, 0.3), (0.4, 0.4, 0.2)]),
            &Progress::new(),
        )
        .unwrap();
        assert_eq!(d.count(Kind::ZeroAreaUvs), 2);
        assert_eq!(d.count(Kind::OutOfRangeUvs), 2);
        assert_eq!(d.count(Kind::OverlappingUvs), 0);
    }
}
