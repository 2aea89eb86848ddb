//! The low mesh's normals, tangents and ray directions, at the corners of its faces.

use ectome_mesh::{Mesh, measure::area_vector, tangents};
use glam::{Vec3, Vec4};

use crate::Directions;

/// What is interpolated over the faces of the low mesh, three entries a face.
pub struct Frame {
    /// Shading normals, of length 1.
    pub normals: Vec<Vec3>,
    /// Tangents with the sign of the bitangent.
    pub tangents: Vec<Vec4>,
    /// Normals averaged around each point, of length 1.
    pub averaged: Vec<Vec3>,
    /// Normals of the faces.
    pub faces: Vec<Vec3>,
    directions: Directions,
}

/// A place on the low mesh.
#[derive(Clone, Copy)]
pub struct Place {
    pub point: Vec3,
    /// The interpolated normal, not of length 1, as MikkTSpace wants it.
    pub normal: Vec3,
    pub tangent: Vec3,
    pub sign: f32,
    /// Where a ray looks from: outward, of length 1.
    pub outward: Vec3,
}

impl Frame {
    /// Of a mesh of triangles.
    pub fn of(mesh: &Mesh, directions: Directions) -> Self {
        let faces: Vec<Vec3> = (0..mesh.face_count())
            .map(|f| {
                let n = area_vector(mesh.triangle(f));
                n.try_normalize().map_or(Vec3::Y, |n| n.as_vec3())
            })
            .collect();
        let normals = tangents::shading_normals(mesh);
        Self {
            tangents: tangents::of(mesh, &normals),
            averaged: averaged(mesh, &faces),
            normals,
            faces,
            directions,
        }
    }

    /// The place of a face at the weights of its corners.
    pub fn place(&self, mesh: &Mesh, face: usize, w: Vec3) -> Place {
        let mix = |list: &[Vec3]| {
            let at = 3 * face;
            list[at] * w.x + list[at + 1] * w.y + list[at + 2] * w.z
        };
        let [a, b, c] = mesh.triangle(face);
        let t = |k: usize| self.tangents[3 * face + k];
        let tangent = t(0) * w.x + t(1) * w.y + t(2) * w.z;
        let averaged = mix(&self.averaged).normalize_or(self.faces[face]);
        let outward = match self.directions {
            Directions::Averaged => averaged,
            Directions::Faces => mix(&self.normals).normalize_or(self.faces[face]),
            Directions::Blended => {
                let inside = (w.min_element() * EDGE).min(1.0);
                let share = inside * inside * (3.0 - 2.0 * inside);
                let straight = mix(&self.normals).normalize_or(self.faces[face]);
                averaged.lerp(straight, share).normalize_or(averaged)
            }
        };
        Place {
            point: a * w.x + b * w.y + c * w.z,
            normal: mix(&self.normals),
            tangent: tangent.truncate(),
            sign: t(0).w,
            outward,
        }
    }
}

/// Blended directions are those of the faces where every corner's weight is at least one over this.
const EDGE: f32 = 8.0;

/// Normals averaged around each point by the angles of the faces there.
fn averaged(mesh: &Mesh, faces: &[Vec3]) -> Vec<Vec3> {
    let mut sums = vec![Vec3::ZERO; mesh.points.len()];
    for (f, normal) in faces.iter().enumerate() {
        let p = mesh.triangle(f);
        for (k, point) in mesh.triangle_points(f).into_iter().enumerate() {
            let (a, b) = (p[(k + 1) % 3] - p[k], p[(k + 2) % 3] - p[k]);
            let angle = a.angle_between(b);
            if angle.is_finite() {
                sums[point as usize] += *normal * angle;
            }
        }
    }
    (0..faces.len())
        .flat_map(|f| {
            mesh.triangle_points(f)
                .map(|p| sums[p as usize].normalize_or(faces[f]))
        })
        .collect()
}
