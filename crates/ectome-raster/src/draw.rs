//! Pictures of meshes.

use std::sync::OnceLock;

use ectome_mesh::Mesh;
use ectome_texture::{Material, Texture, srgb::to_byte};
use glam::{Vec2, Vec3};
use rayon::prelude::*;

use crate::{
    Camera, Picture,
    fragments::{BAND, Fragment, SAMPLES, Target, faces_of_bands, like_earlier, points_of_faces},
    shader::{Corners, Shader},
};

/// How the faces of a mesh look.
#[derive(Clone, Copy, Debug, Default)]
pub struct Surfaces<'a> {
    /// By the materials' numbers of the mesh's runs; what has none is plain.
    pub materials: &'a [Material],
    /// What their slots name.
    pub textures: &'a [Texture],
    /// Faces that are seen from behind though their material is single-sided, by their numbers; empty where there are none.
    pub either_side: &'a [bool],
}

impl<'a> Surfaces<'a> {
    pub(crate) fn material(&self, number: Option<u32>) -> Option<&'a Material> {
        self.materials.get(number? as usize)
    }
}

/// In what light.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Light {
    /// Lamps that go with the camera, base colours alone: pictures for lists.
    #[default]
    Studio,
    /// Soft light from all around, standing still; roughness, metalness, occlusion and emission count.
    Surroundings,
}

/// What becomes of the backs of faces whose material is single-sided (glTF 2.0, section 3.9.5).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Backs {
    /// They are drawn as fronts are.
    #[default]
    Shown,
    /// They are not drawn, as engines do.
    Culled,
    /// They are drawn, and where they are nearest is marked: what is to be seen there is nowhere said. What is cut out or blended has none.
    Marked,
}

/// How a picture is drawn.
#[derive(Clone, Copy, Debug)]
pub struct Style {
    /// In what light.
    pub light: Light,
    /// Everything in one colour; pictures only say where it is clear, and vertex colours nothing.
    pub clay: bool,
    /// Normal maps count.
    pub relief: bool,
    /// What becomes of backs.
    pub backs: Backs,
    /// Linear colour of what has no material.
    pub plain: Vec3,
}

/// Renders a mesh of triangles. Pixels that it does not cover are transparent. What has no normals is smooth below 45°
/// (see [`ectome_mesh::normals`]).
pub fn render(mesh: &Mesh, surfaces: &Surfaces<'_>, camera: &Camera, style: &Style) -> Picture {
    Drawing::of(mesh, surfaces, style).from(camera, BAND)
}

/// The same from several places: normals and tangents are made once.
pub fn render_each(
    mesh: &Mesh,
    surfaces: &Surfaces<'_>,
    cameras: &[Camera],
    style: &Style,
) -> Vec<Picture> {
    let drawing = Drawing::of(mesh, surfaces, style);
    // Cameras are drawn side by side; what goes on within each would only be in their way.
    let one = |camera: &Camera| drawing.from(camera, camera.height);
    cameras.par_iter().map(one).collect()
}

/// The face that each sample of a picture sees, rows of samples from the top; `None` where there is none or what is there is clear. Faces are
/// seen from both sides.
pub fn seen_faces(mesh: &Mesh, surfaces: &Surfaces<'_>, camera: &Camera) -> Vec<Option<u32>> {
    let style = Style {
        light: Light::Studio,
        clay: false,
        relief: false,
        backs: Backs::Shown,
        plain: Vec3::ZERO,
    };
    let drawing = Drawing {
        mesh,
        faces: points_of_faces(mesh),
        like_earlier: OnceLock::new(),
        corners: Corners::none(),
        surfaces,
        style: &style,
    };
    let bands = drawing.bands(camera, BAND, |_, target| target.faces().collect::<Vec<_>>());
    bands.concat()
}

/// A mesh made ready to be drawn from any side.
struct Drawing<'a> {
    mesh: &'a Mesh,
    /// The points of each face.
    faces: Vec<[u32; 3]>,
    /// Which of them lie on the points of an earlier one; asked where much is drawn over and over.
    like_earlier: OnceLock<Vec<bool>>,
    corners: Corners<'a>,
    surfaces: &'a Surfaces<'a>,
    style: &'a Style,
}

impl<'a> Drawing<'a> {
    fn of(mesh: &'a Mesh, surfaces: &'a Surfaces<'a>, style: &'a Style) -> Self {
        Self {
            mesh,
            faces: points_of_faces(mesh),
            like_earlier: OnceLock::new(),
            corners: Corners::of(mesh, surfaces, style),
            surfaces,
            style,
        }
    }

    /// What becomes of each band of so many rows of a picture once its faces are drawn, from the top.
    fn bands<T: Send>(
        &self,
        camera: &Camera,
        rows: usize,
        with: impl Fn(&mut Shader<'_>, &Target) -> T + Sync,
    ) -> Vec<T> {
        let scale = SAMPLES as f32;
        let places: Vec<Vec3> = (self.mesh.points.par_iter().with_min_len(4096))
            .map(|&p| camera.project(p, scale))
            .collect();
        let size = [camera.width, camera.height].map(|n| n * SAMPLES);
        let one = |band: usize, faces: &mut dyn Iterator<Item = u32>| {
            let rows = rows * SAMPLES;
            let mut target =
                Target::of_rows(band * rows..((band + 1) * rows).min(size[1]), size[0]);
            let mut shader =
                Shader::of(self.mesh, &self.corners, self.surfaces, self.style, camera);
            self.drawn(faces, &places, &shader, &mut target);
            with(&mut shader, &target)
        };
        if rows >= camera.height {
            return vec![one(0, &mut (0..self.faces.len() as u32))];
        }
        let bands = faces_of_bands(&self.faces, &places, size, rows * SAMPLES);
        (bands.par_iter().enumerate())
            .map(|(band, faces)| one(band, &mut faces.iter().copied()))
            .collect()
    }

    /// Draws faces: their fronts first, since these hide most of the backs.
    fn drawn(
        &self,
        faces: &mut dyn Iterator<Item = u32>,
        places: &[Vec3],
        shader: &Shader<'_>,
        target: &mut Target,
    ) {
        let mut draw = |f: u32, p: &[Vec3; 3], front: bool| {
            if target.is_overdrawn()
                && self.like_earlier.get_or_init(|| like_earlier(&self.faces))[f as usize]
            {
                return;
            }
            match shader.clear(f) {
                Some(clear) => {
                    target.triangle(p, f, |fragment, at| clear.at(fragment, at, front));
                }
                None => target.triangle(p, f, |_, _| false),
            }
        };
        let place = |f: u32| self.faces[f as usize].map(|p| places[p as usize]);
        let mut backs = Vec::new();
        for f in faces {
            let p = place(f);
            if is_front(&p) {
                draw(f, &p, true);
            } else if !shader.leaves_out(f) {
                backs.push(f);
            }
        }
        for f in backs {
            draw(f, &place(f), false);
        }
    }

    fn from(&self, camera: &Camera, rows: usize) -> Picture {
        let marks = self.style.backs == Backs::Marked;
        let bands = self.bands(camera, rows, |shader, target| {
            let mut pixels = Vec::new();
            target.each_pixel(|seen| {
                let is_back = |(f, _): &(Fragment, u32)| self.is_bare_back(camera, shader, f.face);
                let is_back = marks && seen.iter().any(is_back);
                pixels.push(Pixel {
                    is_back,
                    ..mean(seen, shader)
                });
            });
            pixels
        });
        let shines = self.style.light == Light::Surroundings;
        let pixels = || bands.iter().flatten();
        Picture {
            width: camera.width,
            height: camera.height,
            pixels: pixels().map(|p| p.colour).collect(),
            shine: pixels().filter(|_| shines).map(|p| p.shine).collect(),
            backs: pixels().filter(|_| marks).map(|p| p.is_back).collect(),
        }
    }

    /// Whether a face is seen from behind though nothing says that it shows there.
    fn is_bare_back(&self, camera: &Camera, shader: &Shader<'_>, face: u32) -> bool {
        let [a, b, c] = self.mesh.triangle(face as usize);
        (b - a).cross(c - a).dot(camera.eye - a) < 0.0 && shader.is_bare(face)
    }
}

/// True where corners run anticlockwise as they are seen (glTF 2.0, section 3.7.4); rows run down.
fn is_front(p: &[Vec3; 3]) -> bool {
    let [a, b, c] = p.map(|v| Vec2::new(v.x, -v.y));
    (b - a).perp_dot(c - a) >= 0.0
}

/// What a pixel shows.
struct Pixel {
    colour: [u8; 4],
    shine: u8,
    is_back: bool,
}

/// The mean of what the samples of a pixel see: its colour and coverage, and how much it mirrors. Where every sample sees another face of one
/// surface, which is where faces are smaller than pixels, the two that stand across from each other stand for all.
fn mean(seen: &[(Fragment, u32)], shader: &mut Shader<'_>) -> Pixel {
    let across;
    let seen = match seen {
        [(first, _), .., (last, _)]
            if seen.len() == SAMPLES * SAMPLES && shader.is_one_surface(seen) =>
        {
            across = [*first, *last].map(|f| (f, (SAMPLES * SAMPLES / 2) as u32));
            &across[..]
        }
        _ => seen,
    };
    let (mut colour, mut shine, mut covered) = (Vec3::ZERO, 0.0, 0);
    for (fragment, count) in seen {
        let (own, mirrored) = shader.colour(fragment);
        colour += own * *count as f32;
        shine += mirrored * *count as f32;
        covered += count;
    }
    let scale = 1.0 / covered.max(1) as f32;
    let [r, g, b] = (colour * scale).to_array().map(to_byte);
    let alpha = (covered as usize * 255 / (SAMPLES * SAMPLES)) as u8;
    Pixel {
        colour: [r, g, b, alpha],
        shine: to_byte(shine * scale),
        is_back: false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;
    use ectome_texture::{Alpha, Coding, Slot};
    use glam::{Affine2, Vec4};

    const STYLE: Style = Style {
        light: Light::Studio,
        clay: false,
        relief: true,
        backs: Backs::Shown,
        plain: Vec3::splat(0.5),
    };

    #[test]
    fn a_sphere_fills_the_height_and_covers_a_disc() {
        let ball = shapes::icosphere(1.0, 5);
        let camera = Camera::fitting(&ball, 200, 100);
        let picture = render(&ball, &Surfaces::default(), &camera, &STYLE);
        let covered: f32 = picture.pixels.iter().map(|p| f32::from(p[3]) / 255.0).sum();
        let row_covered = |y: usize| (0..200).any(|x| picture.pixels[y * 200 + x][3] > 0);
        let top = (0..100).position(row_covered).unwrap();
        let bottom = 99 - (0..100).rev().position(row_covered).unwrap();
        let diameter = (bottom - top + 1) as f32;
        assert!((88.0..=100.0).contains(&diameter), "{diameter}");
        // Closed form: a disc of that diameter.
        let disc = std::f32::consts::PI * diameter * diameter / 4.0;
        assert!((covered / disc - 1.0).abs() < 0.05, "{covered} of {disc}");
    }

    #[test]
    fn faces_on_the_points_of_another_change_nothing_and_cost_nothing() {
        let plate = shapes::cuboid(Vec3::new(1.0, 0.8, 0.1));
        let camera = Camera::fitting(&plate, 64, 48);
        let once = render(&plate, &Surfaces::default(), &camera, &STYLE);
        let mut many = plate.clone();
        for _ in 0..4000 {
            many.corners.extend_from_slice(&plate.corners);
        }
        many.runs[0].faces.end = many.face_count() as u32;
        many.runs.truncate(1);
        assert!(once == render(&many, &Surfaces::default(), &camera, &STYLE));
    }

    /// Two plates of two colours, one before the other: what is seen is the nearer one, whichever is drawn first, and from behind the other.
    #[test]
    fn nearer_faces_hide_farther_ones() {
        let plates = |order: [(u32, f32); 2]| {
            let mut builder = ectome_mesh::MeshBuilder::new();
            for (material, z) in order {
                let plate = shapes::cuboid(Vec3::new(1.0, 1.0, 0.1));
                builder.primitive(ectome_mesh::Primitive {
                    positions: (0..plate.vertex_count() as u32)
                        .map(|v| plate.position(v) + Vec3::Z * z)
                        .collect(),
                    corners: plate.corners.clone(),
                    material: Some(material),
                    ..ectome_mesh::Primitive::default()
                });
            }
            builder.finish()
        };
        let materials = [Vec3::X, Vec3::Y].map(|colour| Material {
            base: colour.extend(1.0),
            ..Material::default()
        });
        let surfaces = Surfaces {
            materials: &materials,
            ..Surfaces::default()
        };
        let seen = |mesh: &Mesh, from: Vec3| {
            let camera = Camera::from_direction(mesh, from, 32, 32);
            let [r, g, _, a] = render(mesh, &surfaces, &camera, &STYLE).pixels[16 * 32 + 16];
            assert_eq!(a, 255);
            r > g
        };
        for order in [[(0, 1.0), (1, -1.0)], [(1, -1.0), (0, 1.0)]] {
            let mesh = plates(order);
            assert!(seen(&mesh, Vec3::Z), "red is nearer");
            assert!(!seen(&mesh, Vec3::NEG_Z), "green is nearer from behind");
        }
    }

    /// Through the clear half of a cut-out one sees what lies behind it, in its colour times that of its vertices; as clay it is cut out
    /// all the same.
    #[test]
    fn what_is_cut_out_shows_what_lies_behind() {
        let mut builder = ectome_mesh::MeshBuilder::new();
        let corners = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]].map(Vec2::from_array);
        for (material, z) in [(0, 0.0), (1, -0.1)] {
            builder.primitive(ectome_mesh::Primitive {
                positions: corners.map(|c| (c - 0.5).extend(z)).to_vec(),
                uv_sets: vec![corners.map(|c| c * 0.5).to_vec()],
                colours: vec![glam::Vec4::new(0.0, 1.0, 0.0, 1.0); 4],
                material: Some(material),
                corners: vec![0, 1, 2, 0, 2, 3],
                ..ectome_mesh::Primitive::default()
            });
        }
        let plates = builder.finish();
        let camera = Camera::from_direction(&plates, Vec3::Z, 32, 32);
        // Clear on the left once UVs are doubled.
        let leaf = [[255, 0, 0, 0], [255, 255, 255, 255]].concat();
        let leaf = [Texture::of(2, 1, &leaf, Coding::Srgb, None).unwrap()];
        let front = Material {
            base_texture: Some(Slot {
                transform: Affine2::from_scale(Vec2::splat(2.0)),
                ..Slot::of(0)
            }),
            alpha: Alpha::Cut(0.5),
            ..Material::default()
        };
        let back = Material {
            base: Vec4::new(0.0, 0.2, 0.8, 1.0),
            ..Material::default()
        };
        let surfaces = Surfaces {
            materials: &[front, back],
            textures: &leaf,
            either_side: &[],
        };
        let seen = |clay: bool| {
            let picture = render(&plates, &surfaces, &camera, &Style { clay, ..STYLE });
            [10, 22].map(|x| picture.pixels[16 * 32 + x])
        };
        let [left, right] = seen(false);
        assert!(left[2] < 60 && left[1] > 60, "blue times green: {left:?}");
        assert!(
            right[0] < 60 && right[1] > 120,
            "white times green: {right:?}"
        );
        // As clay it is grey where it is not clear, and so is what lies behind.
        let [left, right] = seen(true);
        for seen in [left, right] {
            assert!(seen[0].abs_diff(seen[2]) < 20 && seen[3] == 255, "{seen:?}");
        }
        let mut alone = plates.clone();
        alone.runs.truncate(1);
        alone.corners.truncate(6);
        let style = Style {
            clay: true,
            ..STYLE
        };
        let picture = render(&alone, &surfaces, &camera, &style);
        assert_eq!([10, 22].map(|x| picture.pixels[16 * 32 + x][3]), [0, 255]);
    }

    /// A plate whose map leans every normal one way is lit as a plate that leans that way.
    #[test]
    fn a_normal_map_leans_the_surface() {
        let mut builder = ectome_mesh::MeshBuilder::new();
        let corners = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]].map(Vec2::from_array);
        builder.primitive(ectome_mesh::Primitive {
            positions: corners.map(|c| (c - 0.5).extend(0.0)).to_vec(),
            normals: vec![Vec3::Z; 4],
            uv_sets: vec![corners.map(|c| Vec2::new(c.x, 1.0 - c.y)).to_vec()],
            material: Some(0),
            corners: vec![0, 1, 2, 0, 2, 3],
            ..ectome_mesh::Primitive::default()
        });
        let plate = builder.finish();
        let camera = Camera::from_direction(&plate, Vec3::Z, 16, 16);
        let middle = |mesh: &Mesh, texel: Option<[u8; 3]>| {
            let texture = texel
                .and_then(|[r, g, b]| Texture::of(1, 1, &[r, g, b, 255], Coding::Linear, None));
            let surface = Material {
                base: Vec4::new(0.5, 0.5, 0.5, 1.0),
                normal_texture: texture.is_some().then(|| (Slot::of(0), 1.0)),
                ..Material::default()
            };
            let surfaces = Surfaces {
                materials: &[surface],
                textures: texture.as_slice(),
                either_side: &[],
            };
            let p = render(mesh, &surfaces, &camera, &STYLE).pixels[8 * 16 + 8];
            [p[0], p[1], p[2]].map(i32::from)
        };
        for (texel, lean) in [([218, 128, 218], Vec3::X), ([128, 218, 218], Vec3::Y)] {
            let mut leaning = plate.clone();
            let to = (Vec3::Z + lean).normalize();
            leaning.normals.iter_mut().for_each(|n| *n = to);
            let (map, want) = (middle(&plate, Some(texel)), middle(&leaning, None));
            let off = map.iter().zip(want).map(|(a, b)| (a - b).abs()).max();
            assert!(off <= Some(2), "{map:?} for {want:?}");
            assert_ne!(map, middle(&plate, None));
        }
    }

    /// A plate facing the camera, in the light of the surroundings, its one material given.
    fn plate_seen(from: Vec3, material: Material, backs: Backs, either_side: &[bool]) -> Picture {
        let mut builder = ectome_mesh::MeshBuilder::new();
        let corners = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]].map(Vec2::from_array);
        builder.primitive(ectome_mesh::Primitive {
            positions: corners.map(|c| (c - 0.5).extend(0.0)).to_vec(),
            material: Some(0),
            corners: vec![0, 1, 2, 0, 2, 3],
            ..ectome_mesh::Primitive::default()
        });
        let plate = builder.finish();
        let surfaces = Surfaces {
            materials: &[material],
            textures: &[],
            either_side,
        };
        let style = Style {
            light: Light::Surroundings,
            backs,
            ..STYLE
        };
        let camera = Camera::from_direction(&plate, from, 32, 32);
        render(&plate, &surfaces, &camera, &style)
    }

    /// The share of a picture's middle that is covered, 0–1.
    fn covered(picture: &Picture) -> f64 {
        let middle = (8..24).flat_map(|y| (8..24).map(move |x| y * 32 + x));
        middle
            .map(|i| f64::from(picture.pixels[i][3]) / 255.0)
            .sum::<f64>()
            / 256.0
    }

    /// A single-sided plate shows nothing from behind (glTF 2.0, section 3.9.5), unless somebody says that face is seen from both sides.
    #[test]
    fn single_sides_are_not_seen_from_behind() {
        let material = Material::default();
        let two = Material {
            two_sided: true,
            ..material
        };
        let seen = |from, material, backs| plate_seen(from, material, backs, &[]);
        assert_eq!(covered(&seen(Vec3::Z, material, Backs::Culled)), 1.0);
        assert_eq!(covered(&seen(Vec3::NEG_Z, material, Backs::Culled)), 0.0);
        assert_eq!(covered(&seen(Vec3::NEG_Z, two, Backs::Culled)), 1.0);
        let turned = plate_seen(Vec3::NEG_Z, material, Backs::Culled, &[true; 2]);
        assert_eq!(covered(&turned), 1.0);
        for (material, from, is_marked) in [
            (material, Vec3::NEG_Z, true),
            (material, Vec3::Z, false),
            (two, Vec3::NEG_Z, false),
        ] {
            let picture = seen(from, material, Backs::Marked);
            assert_eq!(covered(&picture), 1.0);
            assert_eq!(picture.backs[16 * 32 + 16], is_marked);
        }
    }

    /// What is blended covers as much as it is opaque.
    #[test]
    fn glass_covers_by_its_opacity() {
        for opacity in [0.125, 0.5, 0.75, 1.0] {
            let glass = Material {
                base: Vec4::new(1.0, 1.0, 1.0, opacity),
                alpha: Alpha::Blended,
                ..Material::default()
            };
            let seen = covered(&plate_seen(Vec3::Z, glass, Backs::Shown, &[]));
            assert!(
                (seen - f64::from(opacity)).abs() < 0.01,
                "{seen} for {opacity}"
            );
        }
    }

    /// Metal mirrors, chalk hardly, and what has light of its own or takes none shows its colour.
    #[test]
    fn metal_shines_and_chalk_does_not() {
        let shine = |metalness: f32, roughness: f32| {
            let material = Material {
                base: Vec4::new(0.8, 0.8, 0.8, 1.0),
                metalness,
                roughness,
                ..Material::default()
            };
            plate_seen(Vec3::Z, material, Backs::Shown, &[]).shine[16 * 32 + 16]
        };
        assert!(shine(1.0, 0.2) > shine(0.0, 0.2) + 60);
        assert!(shine(0.0, 1.0) < 90);
        let unlit = Material {
            base: Vec4::new(1.0, 0.0, 0.0, 1.0),
            unlit: true,
            ..Material::default()
        };
        let seen = plate_seen(Vec3::Z, unlit, Backs::Shown, &[]).pixels[16 * 32 + 16];
        assert_eq!(seen, [255, 0, 0, 255]);
        let lamp = Material {
            base: Vec4::new(0.0, 0.0, 0.0, 1.0),
            emissive: Vec3::new(0.0, 2.0, 0.0),
            ..Material::default()
        };
        assert_eq!(
            plate_seen(Vec3::Z, lamp, Backs::Shown, &[]).pixels[16 * 32 + 16][1],
            255
        );
    }
}
