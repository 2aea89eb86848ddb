//! The mesh as a whole: loose pieces, stray ground, size.

use ectome_mesh::{Mesh, measure};
use glam::Vec3;

use super::{Kind, List, box_marks, spot};
use crate::repair::floaters;

/// Props from a key to a pier (common practice, no published source), in metres.
const SIZES: std::ops::RangeInclusive<f32> = 0.01..=500.0;

pub(super) fn examine(mesh: &Mesh, list: &mut List) {
    let (pieces, _) = floaters::list(mesh);
    let loose = floaters::loose(&pieces);
    let small: Vec<_> = pieces
        .iter()
        .zip(&loose)
        .filter(|(_, l)| **l)
        .map(|(p, _)| p)
        .collect();
    let triangles: usize = small.iter().map(|p| p.triangles).sum();
    let widest = small
        .iter()
        .map(|p| p.bounds.diagonal())
        .fold(0.0, f32::max);
    let marks = small.iter().map(|p| spot(p.bounds.centre())).collect();
    let detail = format!("{triangles} triangles, the largest {widest:.3} m across");
    list.add(Kind::Floaters, 2, small.len(), detail, marks);

    let all = measure::bounds(mesh);
    let size = all.max - all.min;
    // A flat piece at the bottom that reaches further than everything above it.
    let mut above: Option<measure::Bounds> = None;
    let mut flat = Vec::new();
    for p in &pieces {
        let s = p.bounds.max - p.bounds.min;
        let low = p.bounds.max.y - all.min.y < 0.05 * size.y.max(1e-6);
        let sheet = s.y <= 0.02 * s.x.max(s.z);
        if pieces.len() > 1 && low && sheet {
            flat.push(p);
            continue;
        }
        above = Some(match above {
            None => p.bounds,
            Some(b) => measure::Bounds {
                min: b.min.min(p.bounds.min),
                max: b.max.max(p.bounds.max),
            },
        });
    }
    if let Some(above) = above {
        let spread = |b: &measure::Bounds| (b.max.x - b.min.x) * (b.max.z - b.min.z);
        let stray: Vec<_> = flat
            .into_iter()
            .filter(|p| spread(&p.bounds) > 1.2 * spread(&above))
            .collect();
        let triangles: usize = stray.iter().map(|p| p.triangles).sum();
        let marks = stray.iter().flat_map(|p| box_marks(&p.bounds)).collect();
        list.add(
            Kind::StrayGround,
            2,
            stray.len(),
            format!("{triangles} triangles"),
            marks,
        );
    }
    let longest = size.max_element();
    if mesh.face_count() > 0 && !SIZES.contains(&longest) {
        let detail = format!("{} m at its longest", short(longest));
        list.add(
            Kind::AbsurdScale,
            3,
            1,
            detail,
            vec![spot((all.min + all.max) * 0.5 + Vec3::ZERO)],
        );
    }
}

/// Three figures that mean something.
fn short(v: f32) -> String {
    if v >= 100.0 {
        format!("{v:.0}")
    } else if v >= 0.01 {
        format!("{v:.3}")
    } else {
        format!("{v:.1e}")
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Kind, diagnose};
    use ectome_mesh::{Mesh, MeshBuilder, Primitive, Progress, shapes};
    use glam::Vec3;
    use rstest::rstest;

    fn ball(scale: f32, ground: bool) -> Mesh {
        let mut builder = MeshBuilder::new();
        let mut ball = shapes::icosphere(scale, 3);
        ball.points.iter_mut().for_each(|p| p.y += scale);
        builder.primitive(Primitive {
            positions: ball
                .vertex_point
                .iter()
                .map(|&p| ball.points[p as usize])
                .collect(),
            corners: ball.corners,
            ..Primitive::default()
        });
        if ground {
            let r = scale * 4.0;
            builder.primitive(Primitive {
                positions: vec![
                    Vec3::new(-r, 0.001, -r),
                    Vec3::new(-r, 0.001, r),
                    Vec3::new(r, 0.001, r),
                    Vec3::new(r, 0.001, -r),
                ],
                corners: vec![0, 1, 2, 0, 2, 3],
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[rstest]
    #[case(ball(0.5, false), 0, 0)]
    #[case(ball(0.5, true), 1, 0)]
    #[case(ball(1800.0, false), 0, 1)]
    #[case(ball(0.002, false), 0, 1)]
    fn ground_and_scale_are_noticed(
        #[case] mesh: Mesh,
        #[case] ground: usize,
        #[case] scale: usize,
    ) {
        let d = diagnose(&mesh, &Progress::new()).unwrap();
        assert_eq!(d.count(Kind::StrayGround), ground);
        assert_eq!(d.count(Kind::AbsurdScale), scale);
    }
}
