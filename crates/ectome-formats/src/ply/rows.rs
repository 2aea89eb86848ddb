//! All rows of a PLY together, and the primitive they make.

use ectome_mesh::Primitive;
use ectome_texture::srgb::to_linear;
use glam::{Vec2, Vec3, Vec4};

use super::row::{Row, Slot, index};

/// All rows of a file, in flat arrays.
#[derive(Default)]
pub struct Rows {
    positions: Vec<Vec3>,
    normals: Vec<Vec3>,
    uvs: Vec<Vec2>,
    colours: Vec<Vec4>,
    corners: Vec<u32>,
    sizes: Vec<u32>,
    any_polygon: bool,
    /// UVs of corners, or empty.
    corner_uvs: Vec<Vec2>,
    pub small_faces: usize,
    /// Part and material of each face; −1 where the file gives none.
    pub owners: Vec<[i32; 2]>,
    any_owner: bool,
}

impl Rows {
    /// What a person should know of them.
    pub(super) fn notes(&self, file: &str) -> Vec<String> {
        let some = (self.small_faces > 0).then(|| {
            format!(
                "{} faces of {file} have fewer than three corners and are left out.",
                self.small_faces
            )
        });
        some.into_iter().collect()
    }

    pub fn vertex(&mut self, row: &Row) {
        use Slot::{Alpha, Blue, Green, Nx, Ny, Nz, Red, U, V, X, Y, Z};
        let at = |a, b, c| Vec3::new(row.get(a), row.get(b), row.get(c));
        self.positions.push(at(X, Y, Z));
        let normal = at(Nx, Ny, Nz);
        if normal.is_finite() {
            self.normals.push(normal);
        }
        let uv = Vec2::new(row.get(U), row.get(V));
        if uv.is_finite() {
            // PLY counts v from the bottom, glTF from the top (common practice, no published source).
            self.uvs.push(Vec2::new(uv.x, 1.0 - uv.y));
        }
        let colour = at(Red, Green, Blue);
        if colour.is_finite() {
            let linear = if row.screen_colours {
                Vec3::from(colour.to_array().map(to_linear))
            } else {
                colour
            };
            let alpha = row.get(Alpha);
            let alpha = if alpha.is_finite() { alpha } else { 1.0 };
            self.colours.push(linear.extend(alpha));
        }
    }

    pub fn face(&mut self, row: Row) {
        let signed = row.signed_corners.iter().map(|&v| index(v.into()));
        let before = self.corners.len();
        self.corners
            .extend(row.corners.iter().copied().chain(signed));
        let n = self.corners.len() - before;
        if n < 3 {
            self.corners.truncate(before);
            self.small_faces += 1;
            return;
        }
        let number = |slot| {
            let v: f32 = row.get(slot);
            if (0.0..1e6).contains(&v) {
                v as i32
            } else {
                -1
            }
        };
        let owner = [number(Slot::Part), number(Slot::Material)];
        if owner != [-1; 2] && !self.any_owner {
            self.any_owner = true;
            let faces = if self.any_polygon {
                self.sizes.len()
            } else {
                before / 3
            };
            self.owners = vec![[-1; 2]; faces];
        }
        if self.any_owner {
            self.owners.push(owner);
        }
        if n != 3 && !self.any_polygon {
            self.any_polygon = true;
            self.sizes = vec![3; before / 3];
        }
        if self.any_polygon {
            self.sizes.push(n as u32);
        }
        if row.uvs.len() == 2 * n {
            let uvs = row.uvs.chunks_exact(2);
            self.corner_uvs
                .extend(uvs.map(|uv| Vec2::new(uv[0], 1.0 - uv[1])));
        }
    }

    /// One primitive. Attributes that only some vertices carry are left out.
    pub fn primitive(mut self) -> Result<Primitive, String> {
        let n = self.positions.len();
        if let Some(at) = self.positions.iter().position(|p| !p.is_finite()) {
            return Err(format!(
                "the place of vertex {} is not a finite number",
                at + 1
            ));
        }
        if let Some(at) = self.corners.iter().position(|&v| v as usize >= n) {
            return Err(format!(
                "a face refers to vertex {}, but there are only {n} (corner {})",
                self.corners[at],
                at + 1
            ));
        }
        if self.normals.len() != n {
            self.normals.clear();
        }
        if self.colours.len() != n {
            self.colours.clear();
        }
        let mut uv_sets = Vec::new();
        if self.corner_uvs.len() == self.corners.len() && !self.corners.is_empty() {
            if self.corner_uvs.iter().any(|uv| !uv.is_finite()) {
                return Err("a texture coordinate is not a finite number".to_owned());
            }
            // One vertex per corner; the builder shares them again.
            let pick = |v: &u32| *v as usize;
            self.positions = self
                .corners
                .iter()
                .map(|v| self.positions[pick(v)])
                .collect();
            if !self.normals.is_empty() {
                self.normals = self.corners.iter().map(|v| self.normals[pick(v)]).collect();
            }
            if !self.colours.is_empty() {
                self.colours = self.corners.iter().map(|v| self.colours[pick(v)]).collect();
            }
            self.corners = (0..self.corners.len() as u32).collect();
            uv_sets.push(self.corner_uvs);
        } else if self.uvs.len() == n {
            uv_sets.push(self.uvs);
        }
        Ok(Primitive {
            positions: self.positions,
            normals: self.normals,
            uv_sets,
            colours: self.colours,
            corners: self.corners,
            face_sizes: self.sizes,
            material: None,
        })
    }
}
