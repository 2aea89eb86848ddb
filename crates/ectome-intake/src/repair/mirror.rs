//! One side of a plane kept, and the other made anew as its mirror image: the better half of something symmetric becomes the whole.

use ectome_mesh::{Mesh, edit, measure};
use glam::Vec3;

use super::clip::{self, Plane};

/// What mirroring did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Mirrored {
    /// Triangles beyond the plane, which went.
    pub removed: usize,
    /// Triangles of the image.
    pub added: usize,
    /// Points on the plane, which both halves share.
    pub joined: usize,
}

/// Points this near to the plane, as a share of the diagonal, are on it: what a place in 32 bits may be off after a clip.
const ON_PLANE: f64 = 4e-6;
/// Where a normal leans out of the plane by no more than this (the sine of 45 degrees, as for shading elsewhere), the halves are smooth
/// across it; where it leans further, they meet in a hard edge.
const SMOOTH: f32 = 0.707;

/// Clips `mesh` with the plane and puts the mirror image of what stays beside it: same parts, materials, UVs and colours, faces wound
/// outward again, normals mirrored. Points on the plane belong to both halves, so that no seam opens there. Faces that lie in the
/// plane would be walls inside and go.
pub fn mirror(mesh: &Mesh, plane: &Plane) -> (Mesh, Mirrored) {
    let near = ON_PLANE * f64::from(measure::bounds(mesh).diagonal());
    let (mut half, clipped) = clip::clip(mesh, plane, false);
    let normal = Vec3::from(plane.normal).normalize_or(Vec3::Y);
    let across = |v: Vec3| v - normal * (2.0 * v.dot(normal));
    let mut done = Mirrored {
        removed: clipped.removed,
        ..Mirrored::default()
    };

    let points = half.points.len();
    let mut image_point = Vec::with_capacity(points);
    for p in 0..points {
        let place = half.points[p];
        let distance = plane.distance(place);
        let foot = place.as_dvec3() - normal.as_dvec3() * distance;
        if distance.abs() <= near {
            half.points[p] = foot.as_vec3();
            image_point.push(p as u32);
            done.joined += 1;
        } else {
            image_point.push(half.points.len() as u32);
            half.points
                .push((foot - normal.as_dvec3() * distance).as_vec3());
        }
    }
    let on_plane = |point: u32| image_point[point as usize] == point;

    let image: Vec<u32> = (0..half.vertex_count() as u32)
        .map(|v| {
            let point = half.vertex_point[v as usize];
            let leans = half.normals.get(v as usize).map(|n| n.dot(normal));
            if on_plane(point) && leans.is_none_or(|l| l.abs() <= SMOOTH) {
                if let Some(n) = half.normals.get_mut(v as usize) {
                    *n = (*n - normal * n.dot(normal)).normalize_or(*n);
                }
                return v;
            }
            let twin = half.copy_vertex(v, image_point[point as usize]);
            if let Some(n) = half.normals.get_mut(twin as usize) {
                *n = across(*n);
            }
            twin
        })
        .collect();

    let mut twin = Vec::new();
    let mut out = edit::rebuilt(&half, |_, face, sink| {
        let in_plane = face
            .iter()
            .all(|&v| on_plane(half.vertex_point[v as usize]));
        if in_plane {
            return;
        }
        sink.push(face);
        twin.clear();
        twin.extend(face.iter().rev().map(|&v| image[v as usize]));
        sink.push(&twin);
        done.added += face.len() - 2;
    });
    out.drop_unused();
    (out, done)
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{shapes, topology::Topology, triangulate::triangulate};
    use rstest::rstest;

    use super::*;

    fn plane(point: [f32; 3], normal: [f32; 3]) -> Plane {
        Plane { point, normal }
    }

    /// Closed forms: half a ball and its image are the ball (volume 4/3 π r³ but for its facets, Euler characteristic 2).
    #[rstest]
    #[case([0.0, 0.0, 0.0], [1.0, 0.0, 0.0])]
    #[case([0.0, 0.0, 0.0], [0.3, -2.0, 0.7])]
    fn half_a_ball_becomes_the_ball(#[case] point: [f32; 3], #[case] normal: [f32; 3]) {
        let ball = shapes::icosphere(1.0, 4);
        let (whole, done) = mirror(&ball, &plane(point, normal));
        whole.check().unwrap();
        let (whole, _) = triangulate(&whole);
        let t = Topology::of(&whole);
        assert_eq!(
            (t.open_edges, t.nonmanifold_edges, t.euler_characteristic),
            (0, 0, 2)
        );
        let (a, b) = (measure::volume(&ball), measure::volume(&whole));
        assert!((a - b).abs() < 1e-5 * a, "{a} {b}");
        assert_eq!(done.added * 2, whole.triangle_count());
        assert!(done.joined > 20 && done.removed > 1000, "{done:?}");
    }

    /// Every place has its image within 1e-6 of the diagonal, with the same UV and colour and the mirrored normal.
    #[test]
    fn each_vertex_has_its_image() {
        let mut torus = shapes::torus(1.0, 0.4, 48, 24);
        torus.uv_sets = vec![
            (0..torus.vertex_count() as u32)
                .map(|v| {
                    let p = torus.position(v);
                    glam::Vec2::new(p.x, p.y * 0.5)
                })
                .collect(),
        ];
        torus.normals = measure::smooth_normals(&torus);
        torus.runs.iter_mut().for_each(|r| {
            r.channels.normals = true;
            r.channels.uv_sets = 1;
        });
        let on = plane([0.05, 0.0, 0.0], [1.0, 0.0, 0.2]);
        let (whole, _) = mirror(&torus, &on);
        whole.check().unwrap();
        assert_eq!(Topology::of(&triangulate(&whole).0).open_edges, 0);
        let normal = Vec3::from(on.normal).normalize();
        let diagonal = measure::bounds(&torus).diagonal();
        let all: Vec<(Vec3, glam::Vec2, Vec3)> = (0..whole.vertex_count() as u32)
            .map(|v| {
                let own = v as usize;
                (whole.position(v), whole.uv_sets[0][own], whole.normals[own])
            })
            .collect();
        for &(place, uv, n) in &all {
            let d = on.distance(place) as f32;
            let image = place - normal * (2.0 * d);
            let across = n - normal * (2.0 * n.dot(normal));
            let found = all.iter().any(|&(p, t, m)| {
                p.distance(image) <= 1e-6 * diagonal.max(1.0) * 4.0
                    && t == uv
                    && m.distance(across) < 1e-4
            });
            assert!(found, "{place} has no image at {image}");
        }
    }

    /// A box whose plane is one of its sides: that side would be a wall inside.
    #[test]
    fn a_face_in_the_plane_goes() {
        let block = shapes::cuboid(Vec3::ONE);
        let (whole, _) = mirror(&block, &plane([-0.5, 0.0, 0.0], [1.0, 0.0, 0.0]));
        let (whole, _) = triangulate(&whole);
        let t = Topology::of(&whole);
        assert_eq!(
            (t.open_edges, t.nonmanifold_edges, t.euler_characteristic),
            (0, 0, 2)
        );
        assert!((measure::volume(&whole) - 2.0).abs() < 1e-6);
    }
}
