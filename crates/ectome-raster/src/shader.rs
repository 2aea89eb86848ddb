//! What a surface shows at a fragment: its material, its textures over the footprint of a pixel, and light.

use ectome_mesh::{Mesh, normals, tangents};
use ectome_texture::{Alpha, Material, Slot, Texture};
use glam::{Vec2, Vec3, Vec4};

use crate::{
    Backs, Camera, Light, Style, Surfaces,
    fragments::{Fragment, SAMPLES},
    studio::Studio,
    surroundings,
};

/// Linear base colour of clay.
const CLAY: Vec3 = Vec3::splat(0.5);

/// Depths within a pixel that lie no further apart than so many of its widths are those of a slope.
const STEP: f32 = 4.0;

/// What is looked up at the corners of faces: shading normals, and tangents where a normal map asks for them.
pub(crate) struct Corners<'a> {
    normals: Normals<'a>,
    /// One a corner, of the UV set with that number; empty where no normal map asks.
    tangents: Vec<(usize, Vec<Vec4>)>,
}

/// Shading normals: one a vertex where all are given, one a corner where some had to be made.
enum Normals<'a> {
    Given(&'a [Vec3]),
    Made(Vec<Vec3>),
}

impl<'a> Corners<'a> {
    /// Where nothing is shaded.
    pub fn none() -> Self {
        Self {
            normals: Normals::Made(Vec::new()),
            tangents: Vec::new(),
        }
    }

    pub fn of(mesh: &'a Mesh, surfaces: &Surfaces<'_>, style: &Style) -> Self {
        let mut sets: Vec<usize> = if style.relief {
            let used = mesh
                .runs
                .iter()
                .filter_map(|r| surfaces.material(r.material));
            used.filter_map(|m| m.normal_texture.map(|(slot, _)| slot.uv_set))
                .filter(|&set| set < mesh.uv_sets.len())
                .collect()
        } else {
            Vec::new()
        };
        sets.sort_unstable();
        sets.dedup();
        let given = normals::all_given(mesh);
        let at_corners = if given && sets.is_empty() {
            Vec::new()
        } else {
            normals::at_corners(mesh)
        };
        let tangents = (sets.into_iter())
            .map(|set| (set, tangents::on(mesh, &at_corners, set)))
            .collect();
        Self {
            normals: if given {
                Normals::Given(&mesh.normals)
            } else {
                Normals::Made(at_corners)
            },
            tangents,
        }
    }

    fn normals(&self, face: u32, corners: &[u32]) -> [Vec3; 3] {
        std::array::from_fn(|k| match &self.normals {
            Normals::Given(list) => list[corners[k] as usize],
            Normals::Made(list) => list[3 * face as usize + k],
        })
    }

    fn tangents(&self, face: u32, set: usize) -> Option<[Vec4; 3]> {
        let (_, list) = self.tangents.iter().find(|(known, _)| *known == set)?;
        Some(std::array::from_fn(|k| list[3 * face as usize + k]))
    }
}

/// A texture on a face.
#[derive(Clone, Copy)]
struct Laid<'a> {
    texture: &'a Texture,
    uv: [Vec2; 3],
    /// Texels to the metre.
    density: f32,
}

impl Laid<'_> {
    /// What it holds at a place given by weights of the corners, over a footprint in metres.
    fn at(&self, w: Vec3, footprint_m: f32) -> Vec4 {
        let uv = self.uv[0] * w.x + self.uv[1] * w.y + self.uv[2] * w.z;
        self.texture.over(uv, self.density * footprint_m)
    }
}

/// What a face is shaded with.
#[derive(Clone, Copy)]
struct Face<'a> {
    corners: [usize; 3],
    normals: [Vec3; 3],
    material: Material,
    base: Option<Laid<'a>>,
    rough_metal: Option<Laid<'a>>,
    emissive: Option<Laid<'a>>,
    occlusion: Option<(Laid<'a>, f32)>,
    relief: Option<(Laid<'a>, f32, [Vec4; 3])>,
    /// It has vertex colours.
    tinted: bool,
}

/// Says where a face is clear.
pub(crate) struct Clear<'a> {
    base: Option<Laid<'a>>,
    opacity: f32,
    tints: [f32; 3],
    alpha: Alpha,
    per_sample: f32,
}

/// Thresholds of an ordered dither of 4 × 4 samples (B. E. Bayer, 1973): what is blended covers so many of them as it is opaque, which
/// needs no order of faces.
const DITHER: [[u8; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];

impl Clear<'_> {
    /// True where nothing is to be seen of a fragment; `front` says which side of its face it is seen from.
    pub fn at(&self, fragment: &Fragment, [x, y]: [usize; 2], front: bool) -> bool {
        let w = fragment.weights;
        let own = (self.base).map_or(1.0, |laid| laid.at(w, fragment.depth * self.per_sample).w);
        let tint = self.tints[0] * w.x + self.tints[1] * w.y + self.tints[2] * w.z;
        let opacity = self.opacity * own * tint;
        match self.alpha {
            Alpha::Opaque => false,
            Alpha::Cut(at) => opacity < at,
            Alpha::Blended => {
                let step = DITHER[y % 4][x % 4];
                // The far wall of a glass has other samples than the near one.
                let step = if front { step } else { (5 * step + 3) % 16 };
                opacity <= (f32::from(step) + 0.5) / 16.0
            }
        }
    }
}

/// Gives colours to fragments once it is known which are seen: what others hide is never shaded. Fragments beside each other mostly
/// lie on one face, so what is known of a face is kept for the next.
pub(crate) struct Shader<'a> {
    mesh: &'a Mesh,
    corners: &'a Corners<'a>,
    surfaces: &'a Surfaces<'a>,
    style: &'a Style,
    plain: Material,
    studio: Studio,
    eye: Vec3,
    /// Metres that a pixel covers at a metre's distance.
    per_pixel: f32,
    /// Some material may be clear somewhere.
    any_clear: bool,
    last: Option<(u32, Face<'a>)>,
}

impl<'a> Shader<'a> {
    pub fn of(
        mesh: &'a Mesh,
        corners: &'a Corners<'a>,
        surfaces: &'a Surfaces<'a>,
        style: &'a Style,
        camera: &Camera,
    ) -> Self {
        Self {
            mesh,
            corners,
            surfaces,
            style,
            plain: Material {
                base: style.plain.extend(1.0),
                metalness: 0.0,
                ..Material::default()
            },
            studio: Studio::of(camera),
            eye: camera.eye,
            per_pixel: 2.0 * camera.tan_half / camera.height as f32,
            any_clear: surfaces.materials.iter().any(|m| m.alpha.counts()),
            last: None,
        }
    }

    /// The material of a face, and whether it has vertex colours.
    fn material(&self, face: u32) -> (Material, bool) {
        let run = self.mesh.runs.partition_point(|r| r.faces.end <= face);
        let run = &self.mesh.runs[run];
        let own = self.surfaces.material(run.material).copied();
        let tinted = run.channels.colours && !self.mesh.colours.is_empty();
        (own.unwrap_or(self.plain), tinted)
    }

    /// A slot's texture on a face of so many square metres, twice.
    fn laid(&self, face: u32, metres: f32, slot: Option<Slot>) -> Option<Laid<'a>> {
        let slot = slot?;
        let texture = self.surfaces.textures.get(slot.texture)?;
        let uvs = self.mesh.uv_sets.get(slot.uv_set)?;
        let corners = self.mesh.face(face as usize);
        let uv: [Vec2; 3] =
            std::array::from_fn(|k| slot.transform.transform_point2(uvs[corners[k] as usize]));
        let [w, h] = texture.size();
        let size = Vec2::new(w as f32, h as f32);
        let texels = ((uv[1] - uv[0]) * size)
            .perp_dot((uv[2] - uv[0]) * size)
            .abs();
        let density = if metres > 0.0 {
            (texels / metres).sqrt()
        } else {
            0.0
        };
        Some(Laid {
            texture,
            uv,
            density,
        })
    }

    /// Whether what the samples of a pixel see is of one run and no step lies between: no more than a slope makes.
    pub fn is_one_surface(&self, seen: &[(Fragment, u32)]) -> bool {
        let run = |f: &Fragment| (self.mesh.runs).partition_point(|r| r.faces.end <= f.face);
        let depths = || seen.iter().map(|(f, _)| f.depth);
        let (near, far) = (
            depths().fold(f32::INFINITY, f32::min),
            depths().fold(0.0, f32::max),
        );
        far - near <= STEP * self.per_pixel * near
            && seen.windows(2).all(|w| run(&w[0].0) == run(&w[1].0))
    }

    /// Twice the area of a face.
    fn metres(&self, face: u32) -> f32 {
        let [a, b, c] = self.mesh.triangle(face as usize);
        (b - a).cross(c - a).length()
    }

    /// True for faces whose backs are not drawn. Where something shows through a face its maker looked at its back, or at the lack of one:
    /// there nothing is unknown.
    pub fn leaves_out(&self, face: u32) -> bool {
        match self.style.backs {
            Backs::Shown => false,
            Backs::Culled => self.is_bare(face),
            Backs::Marked => self.material(face).0.alpha.counts() && self.is_bare(face),
        }
    }

    /// True for faces of which nothing says that their backs show.
    pub fn is_bare(&self, face: u32) -> bool {
        !self.is_either(face) && !self.material(face).0.two_sided
    }

    fn is_either(&self, face: u32) -> bool {
        self.surfaces.either_side.get(face as usize) == Some(&true)
    }

    /// Where a face is clear, if anywhere.
    pub fn clear(&self, face: u32) -> Option<Clear<'a>> {
        if !self.any_clear {
            return None;
        }
        let (material, tinted) = self.material(face);
        if !material.alpha.counts() {
            return None;
        }
        let corners = self.mesh.face(face as usize);
        let tint = |k: usize| self.mesh.colours[corners[k] as usize].w;
        Some(Clear {
            base: self.laid(face, self.metres(face), material.base_texture),
            opacity: material.base.w,
            tints: if tinted {
                [0, 1, 2].map(tint)
            } else {
                [1.0; 3]
            },
            alpha: material.alpha,
            per_sample: self.per_pixel / SAMPLES as f32,
        })
    }

    fn face(&self, f: u32) -> Face<'a> {
        let (material, tinted) = self.material(f);
        let own = self.mesh.face(f as usize);
        let metres = self.metres(f);
        let lit = self.style.light == Light::Surroundings;
        let colours = |slot: Option<Slot>| slot.filter(|_| !self.style.clay);
        let lights = |slot: Option<Slot>| colours(slot).filter(|_| lit);
        let relief = material.normal_texture.filter(|_| self.style.relief);
        Face {
            corners: [0, 1, 2].map(|k| own[k] as usize),
            normals: self.corners.normals(f, own),
            base: self.laid(f, metres, colours(material.base_texture)),
            rough_metal: self.laid(f, metres, lights(material.rough_metal_texture)),
            emissive: self.laid(f, metres, lights(material.emissive_texture)),
            occlusion: (material.occlusion_texture).and_then(|(slot, strength)| {
                Some((self.laid(f, metres, lights(Some(slot)))?, strength))
            }),
            relief: relief.and_then(|(slot, strength)| {
                let tangents = self.corners.tangents(f, slot.uv_set)?;
                Some((self.laid(f, metres, Some(slot))?, strength, tangents))
            }),
            material,
            tinted: tinted && !self.style.clay,
        }
    }

    /// The linear colour of a fragment and how much of it is mirrored light.
    pub fn colour(&mut self, fragment: &Fragment) -> (Vec3, f32) {
        if !matches!(&self.last, Some((known, _)) if *known == fragment.face) {
            self.last = Some((fragment.face, self.face(fragment.face)));
        }
        match &self.last {
            Some((_, face)) => self.colour_on(face, fragment),
            None => (Vec3::ZERO, 0.0),
        }
    }

    /// The same on a face.
    fn colour_on(&self, face: &Face<'_>, fragment: &Fragment) -> (Vec3, f32) {
        let w = fragment.weights;
        let footprint = fragment.depth * self.per_pixel;
        let [n0, n1, n2] = face.normals;
        let mut normal = n0 * w.x + n1 * w.y + n2 * w.z;
        if let Some((map, strength, tangents)) = &face.relief {
            normal = bent(
                normal,
                tangents,
                w,
                map.at(w, footprint).truncate(),
                *strength,
            );
        }
        let mut base = if self.style.clay {
            CLAY
        } else {
            face.material.base.truncate()
        };
        if let Some(laid) = &face.base {
            base *= laid.at(w, footprint).truncate();
        }
        if face.tinted {
            let [p, q, r] = face.corners.map(|v| self.mesh.colours[v].truncate());
            base *= p * w.x + q * w.y + r * w.z;
        }
        match self.style.light {
            Light::Studio => (self.studio.shade(base, normal), 0.0),
            Light::Surroundings => self.lit(face, fragment, base, normal),
        }
    }

    fn lit(&self, face: &Face<'_>, fragment: &Fragment, base: Vec3, normal: Vec3) -> (Vec3, f32) {
        let m = &face.material;
        if m.unlit {
            return (base, 0.0);
        }
        let w = fragment.weights;
        let footprint = fragment.depth * self.per_pixel;
        let [a, b, c] = self.mesh.triangle(fragment.face as usize);
        let to_eye = (self.eye - (a * w.x + b * w.y + c * w.z)).normalize_or(Vec3::Y);
        let straight = (b - a).cross(c - a);
        let n = normal.normalize_or(to_eye);
        // What is seen from behind is lit from there. Normals of a piece that is wound inwards may look outward all the same.
        let is_behind = if self.is_either(fragment.face) && !m.two_sided {
            n.dot(to_eye) < 0.0
        } else {
            straight.dot(to_eye) < 0.0
        };
        let n = if is_behind { -n } else { n };
        let texel = face.rough_metal.map_or(Vec4::ONE, |l| l.at(w, footprint));
        let shown = surroundings::shade(
            base,
            m.metalness * texel.z,
            m.roughness * texel.y,
            n,
            to_eye,
        );
        let reached = face.occlusion.map_or(1.0, |(l, strength)| {
            1.0 + strength * (l.at(w, footprint).x - 1.0)
        });
        let own = face
            .emissive
            .map_or(Vec3::ONE, |l| l.at(w, footprint).truncate());
        let luma = Vec3::new(0.212_6, 0.715_2, 0.072_2);
        (
            shown.all * reached + m.emissive * own,
            (shown.mirrored * reached).dot(luma),
        )
    }
}

/// A normal bent by a normal map's texel. The basis is left as it is interpolated and not straightened, and the bitangent is made anew in every
/// pixel (Mikkelsen 2008; glTF 2.0, section 3.7.2.1).
fn bent(normal: Vec3, tangents: &[Vec4; 3], w: Vec3, texel: Vec3, strength: f32) -> Vec3 {
    let tangent = tangents[0] * w.x + tangents[1] * w.y + tangents[2] * w.z;
    let sign = if tangents[0].w < 0.0 { -1.0 } else { 1.0 };
    let t = tangent.truncate();
    let by = texel * 2.0 - 1.0;
    (t * by.x + normal.cross(t) * (sign * by.y)) * strength + normal * by.z
}
