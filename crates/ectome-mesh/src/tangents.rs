//! The basis that tangent-space normals are figures in: MikkTSpace (M. S. Mikkelsen, *Simulation of Wrinkled Surfaces Revisited*,
//! 2008), as glTF 2.0 asks for.

use bevy_mikktspace::{Geometry, TangentSpace, generate_tangents};
use glam::{Vec2, Vec3, Vec4};

use crate::{Mesh, measure::area_vector};

/// The normals that shading goes by at each corner: those given, else those of the faces (glTF 2.0: without NORMAL, flat).
pub fn shading_normals(mesh: &Mesh) -> Vec<Vec3> {
    let mut out = Vec::with_capacity(3 * mesh.face_count());
    for run in &mesh.runs {
        for f in run.faces.clone() {
            let straight = area_vector(mesh.triangle(f as usize));
            let straight = straight.try_normalize().map_or(Vec3::Y, |n| n.as_vec3());
            for &v in mesh.face(f as usize) {
                let given = run
                    .channels
                    .normals
                    .then(|| mesh.normals.get(v as usize))
                    .flatten();
                out.push(given.and_then(|n| n.try_normalize()).unwrap_or(straight));
            }
        }
    }
    out
}

struct Corners<'a> {
    mesh: &'a Mesh,
    normals: &'a [Vec3],
    uvs: &'a [Vec2],
    tangents: Vec<Vec4>,
}

impl Geometry for Corners<'_> {
    fn num_faces(&self) -> usize {
        self.mesh.face_count()
    }

    fn num_vertices_of_face(&self, _: usize) -> usize {
        3
    }

    fn position(&self, face: usize, vert: usize) -> [f32; 3] {
        self.mesh.triangle(face)[vert].to_array()
    }

    fn normal(&self, face: usize, vert: usize) -> [f32; 3] {
        self.normals[3 * face + vert].to_array()
    }

    fn tex_coord(&self, face: usize, vert: usize) -> [f32; 2] {
        let uv = self.uvs[self.mesh.face(face)[vert] as usize];
        // MikkTSpace has the origin of UVs at the bottom, glTF at the top.
        [uv.x, 1.0 - uv.y]
    }

    fn set_tangent(&mut self, space: Option<TangentSpace>, face: usize, vert: usize) {
        if let Some(space) = space {
            self.tangents[3 * face + vert] = Vec4::from_array(space.tangent_encoded());
        }
    }
}

/// Tangents of a mesh of triangles at each corner, with the sign of the bitangent: by MikkTSpace, on its first UVs and the
/// given shading normals, one a corner.
pub fn of(mesh: &Mesh, normals: &[Vec3]) -> Vec<Vec4> {
    on(mesh, normals, 0)
}

/// The same on another UV set.
pub fn on(mesh: &Mesh, normals: &[Vec3], set: usize) -> Vec<Vec4> {
    let default = vec![Vec4::new(1.0, 0.0, 0.0, 1.0); normals.len()];
    let Some(uvs) = mesh.uv_sets.get(set) else {
        return default;
    };
    let mut corners = Corners {
        mesh,
        normals,
        uvs,
        tangents: default,
    };
    // Its error type has no values.
    let _ = generate_tangents(&mut corners);
    corners.tangents
}
