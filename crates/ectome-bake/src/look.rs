//! What is seen at a place of the source.

use ectome_mesh::normals;
use glam::{Vec3, Vec4};

use crate::{Material, Source, curvature};

/// A source with what is looked up at its places.
pub struct Looker<'a> {
    pub source: &'a Source<'a>,
    /// Shading normals, three a face.
    normals: Vec<Vec3>,
    /// Mean curvature at each point, in 1/m; empty where nobody asks.
    curvature: Vec<f32>,
    run_of_face: Vec<u32>,
    plain: Material,
}

/// A place of the source.
#[derive(Clone, Copy)]
pub struct Seen {
    pub face: u32,
    pub weights: Vec3,
    pub point: Vec3,
    /// Normal of the face.
    pub straight: Vec3,
    /// Shading normal, of length 1.
    pub normal: Vec3,
}

impl<'a> Looker<'a> {
    pub fn of(source: &'a Source<'a>, with_curvature: bool) -> Self {
        Self {
            normals: normals::at_corners(source.mesh),
            curvature: if with_curvature {
                curvature::mean(source.mesh)
            } else {
                Vec::new()
            },
            run_of_face: source.mesh.run_of_faces(),
            plain: Material::default(),
            source,
        }
    }

    /// The place of a face nearest to a point on it, by its geometry alone.
    fn placed(&self, face: u32, point: Vec3) -> Seen {
        let [a, b, c] = self.source.mesh.triangle(face as usize);
        let (e1, e2, to) = (b - a, c - a, point - a);
        let (d11, d12, d22) = (e1.dot(e1), e1.dot(e2), e2.dot(e2));
        let scale = 1.0 / (d11 * d22 - d12 * d12);
        let v = (d22 * e1.dot(to) - d12 * e2.dot(to)) * scale;
        let w = (d11 * e2.dot(to) - d12 * e1.dot(to)) * scale;
        let (v, w) = if v.is_finite() && w.is_finite() {
            (v.clamp(0.0, 1.0), w.clamp(0.0, 1.0))
        } else {
            (1.0 / 3.0, 1.0 / 3.0)
        };
        let straight = e1.cross(e2).normalize_or(Vec3::Y);
        Seen {
            face,
            weights: Vec3::new((1.0 - v - w).max(0.0), v, w),
            point,
            straight,
            normal: straight,
        }
    }

    /// [`Looker::seen`] along a direction that leads outward: turned towards it where only its back is.
    pub fn seen_from(&self, face: u32, point: Vec3, footprint: f32, outward: Vec3) -> Seen {
        let mut seen = self.seen(face, point, footprint);
        if seen.straight.dot(outward) < 0.0 {
            (seen.straight, seen.normal) = (-seen.straight, -seen.normal);
        }
        seen
    }

    /// True where a face is transparent at a point on it, so that rays go on through.
    pub fn lets_through(&self, face: u32, point: Vec3, footprint: f32) -> bool {
        let material = self.material(face);
        material.alpha.counts()
            && self.opacity(&self.placed(face, point), footprint) < material.alpha.cutoff()
    }

    /// True when any face of the source is of a transparent material.
    pub fn has_transparent(&self) -> bool {
        let mut runs = self.source.mesh.runs.iter();
        runs.any(|r| {
            !r.faces.is_empty()
                && (r.material)
                    .and_then(|m| self.source.materials.get(m as usize))
                    .is_some_and(|m| m.alpha.counts())
        })
    }

    /// The place of a face nearest to a point on it.
    pub fn seen(&self, face: u32, point: Vec3, footprint: f32) -> Seen {
        let f = face as usize;
        let mut seen = self.placed(face, point);
        let weights = seen.weights;
        let n = &self.normals[3 * f..3 * f + 3];
        let straight = seen.straight;
        seen.normal =
            (n[0] * weights.x + n[1] * weights.y + n[2] * weights.z).normalize_or(straight);
        if let Some((slot, strength)) = self.material(face).normal_texture {
            let texel = self.source.sample(&slot, f, weights, footprint);
            seen.normal = self.bent(&seen, slot.uv_set, texel, strength);
        }
        seen
    }

    /// The shading normal bent by a normal map, whose tangents follow the UVs of the face.
    fn bent(&self, seen: &Seen, uv_set: usize, texel: Vec4, strength: f32) -> Vec3 {
        let mesh = self.source.mesh;
        let Some(uvs) = mesh.uv_sets.get(uv_set) else {
            return seen.normal;
        };
        let f = seen.face as usize;
        let [a, b, c] = mesh.triangle(f);
        let uv = [0, 1, 2].map(|k| uvs[mesh.face(f)[k] as usize]);
        let (p, q) = (uv[1] - uv[0], uv[2] - uv[0]);
        let area = p.perp_dot(q);
        if area == 0.0 || !area.is_finite() {
            return seen.normal;
        }
        let (e1, e2) = (b - a, c - a);
        let along = (e1 * q.y - e2 * p.y) / area;
        // V runs down, green up.
        let up = (e1 * q.x - e2 * p.x) / area;
        let n = seen.normal;
        let t = (along - n * n.dot(along)).normalize_or(n.any_orthonormal_vector());
        let mut b = n.cross(t);
        if b.dot(up) < 0.0 {
            b = -b;
        }
        let d = texel.truncate() * 2.0 - 1.0;
        (t * d.x * strength + b * d.y * strength + n * d.z.max(0.0)).normalize_or(n)
    }

    pub fn part(&self, face: u32) -> u32 {
        let mesh = self.source.mesh;
        mesh.runs[self.run_of_face[face as usize] as usize].part
    }

    pub fn material_number(&self, face: u32) -> Option<u32> {
        let mesh = self.source.mesh;
        mesh.runs[self.run_of_face[face as usize] as usize].material
    }

    pub fn material(&self, face: u32) -> &Material {
        let number = self.material_number(face);
        number
            .and_then(|m| self.source.materials.get(m as usize))
            .unwrap_or(&self.plain)
    }

    /// Base colour with opacity, linear: factor, texture and vertex colour multiplied (glTF 2.0).
    pub fn base(&self, seen: &Seen, footprint: f32) -> Vec4 {
        let m = self.material(seen.face);
        let mut colour = m.base;
        if let Some(slot) = &m.base_texture {
            colour *= self
                .source
                .sample(slot, seen.face as usize, seen.weights, footprint);
        }
        colour * self.vertex_colour(seen)
    }

    pub fn opacity(&self, seen: &Seen, footprint: f32) -> f32 {
        if self.material(seen.face).alpha.counts() {
            self.base(seen, footprint).w
        } else {
            1.0
        }
    }

    /// Linear vertex colour; white without any.
    pub fn vertex_colour(&self, seen: &Seen) -> Vec4 {
        let mesh = self.source.mesh;
        let run = &mesh.runs[self.run_of_face[seen.face as usize] as usize];
        if !run.channels.colours || mesh.colours.is_empty() {
            return Vec4::ONE;
        }
        let v = mesh.face(seen.face as usize);
        let w = seen.weights;
        let at = |k: usize| mesh.colours[v[k] as usize];
        at(0) * w.x + at(1) * w.y + at(2) * w.z
    }

    /// Roughness and metalness.
    pub fn rough_metal(&self, seen: &Seen, footprint: f32) -> (f32, f32) {
        let m = self.material(seen.face);
        let texel = m.rough_metal_texture.as_ref().map_or(Vec4::ONE, |slot| {
            self.source
                .sample(slot, seen.face as usize, seen.weights, footprint)
        });
        (m.roughness * texel.y, m.metalness * texel.z)
    }

    /// What its texture of occlusion says; 1 without any.
    pub fn occlusion(&self, seen: &Seen, footprint: f32) -> f32 {
        let slot = self.material(seen.face).occlusion_texture;
        slot.map_or(1.0, |(slot, strength)| {
            let texel = (self.source).sample(&slot, seen.face as usize, seen.weights, footprint);
            1.0 + strength * (texel.x - 1.0)
        })
    }

    /// Light of its own, linear.
    pub fn emissive(&self, seen: &Seen, footprint: f32) -> Vec3 {
        let m = self.material(seen.face);
        let texel = m.emissive_texture.as_ref().map_or(Vec4::ONE, |slot| {
            self.source
                .sample(slot, seen.face as usize, seen.weights, footprint)
        });
        m.emissive * texel.truncate()
    }

    /// Mean curvature in 1/m: above zero where the surface bulges.
    pub fn curvature(&self, seen: &Seen) -> f32 {
        if self.curvature.is_empty() {
            return 0.0;
        }
        let p = self.source.mesh.triangle_points(seen.face as usize);
        let w = seen.weights;
        let at = |k: usize| self.curvature[p[k] as usize];
        at(0) * w.x + at(1) * w.y + at(2) * w.z
    }
}
