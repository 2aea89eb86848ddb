//! Triangles to pixels.

use std::collections::HashSet;

use ectome_mesh::{
    Mesh, normals,
    scanline::{self, Sides},
};
use glam::{Affine2, Vec2, Vec3};
use rayon::prelude::*;

use ectome_texture::srgb::to_byte;

use crate::{Camera, Texture};

/// Samples along each side of a pixel.
const SAMPLES: usize = 2;
/// Rows of pixels a band has.
const BAND: usize = 16;

/// A normal map, the UV set it uses and its strength.
type Relief = (Texture, usize, f32);

/// How the faces of one material look.
#[derive(Clone, Debug, Default)]
pub struct Finish {
    /// Linear base colour, multiplied with the texture and with vertex colours.
    pub colour: Vec3,
    /// Base colour picture and the UV set it uses.
    pub texture: Option<(Texture, usize)>,
    /// What the UVs of that picture are put through (KHR_texture_transform).
    pub moved: Affine2,
    /// Opacity, multiplied with the picture's; it counts only where there is a cutoff.
    pub opacity: f32,
    /// It is drawn in its colour alone, as clay is: its picture only says where it is clear, and vertex colours nothing.
    pub clay: bool,
    /// Where opacity is below this nothing is drawn: what is cut out by its threshold, what is blended by a half.
    pub cutoff: Option<f32>,
    /// Tangent-space normal map (green up, as glTF has it), the UV set it uses and its strength.
    pub normal: Option<Relief>,
}

/// A finished picture.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Picture {
    /// Width in pixels.
    pub width: usize,
    /// Height in pixels.
    pub height: usize,
    /// Rows from the top, sRGB and coverage.
    pub pixels: Vec<[u8; 4]>,
}

/// What a sample sees: a place on a face.
#[derive(Clone, Copy)]
struct Fragment {
    depth: f32,
    /// Perspective-correct weights of the face's corners.
    weights: Vec3,
    face: u32,
}

impl Fragment {
    const NONE: Self = Self {
        depth: f32::INFINITY,
        weights: Vec3::ZERO,
        face: u32::MAX,
    };
}

/// Renders an all-triangle mesh. `surfaces` are indexed by the runs' materials; missing ones take
/// `plain` (linear RGB). Pixels the mesh does not cover are transparent. What has no normals is smooth below 45° (see
/// [`normals`]).
pub fn render(mesh: &Mesh, surfaces: &[Finish], camera: &Camera, plain: [f32; 3]) -> Picture {
    draw(mesh, &Normals::of(mesh), surfaces, camera, plain)
}

/// The same from several places: normals that are missing are made once.
pub fn render_each(
    mesh: &Mesh,
    surfaces: &[Finish],
    cameras: impl Iterator<Item = Camera>,
    plain: [f32; 3],
) -> Vec<Picture> {
    let normals = Normals::of(mesh);
    cameras
        .map(|camera| draw(mesh, &normals, surfaces, &camera, plain))
        .collect()
}

/// Shading normals: one a vertex where all are given, one a corner where some had to be made.
enum Normals<'a> {
    Given(&'a [Vec3]),
    Made(Vec<Vec3>),
}

impl<'a> Normals<'a> {
    fn of(mesh: &'a Mesh) -> Self {
        if normals::all_given(mesh) {
            Self::Given(&mesh.normals)
        } else {
            Self::Made(normals::at_corners(mesh))
        }
    }

    /// Of the corners of a face with these vertices.
    fn face(&self, face: u32, corners: &[u32]) -> [Vec3; 3] {
        std::array::from_fn(|k| match self {
            Self::Given(list) => list[corners[k] as usize],
            Self::Made(list) => list[3 * face as usize + k],
        })
    }
}

fn draw(
    mesh: &Mesh,
    normals: &Normals<'_>,
    surfaces: &[Finish],
    camera: &Camera,
    plain: [f32; 3],
) -> Picture {
    let scale = SAMPLES as f32;
    let places: Vec<Vec3> = mesh
        .points
        .par_iter()
        .map(|&p| camera.project(p, scale))
        .collect();
    let rows = camera.height * SAMPLES;
    let width = camera.width * SAMPLES;
    let faces = faces_of_bands(mesh, &places, camera.height.div_ceil(BAND));
    let plain = Vec3::from_array(plain);
    let pixels: Vec<Vec<[u8; 4]>> = faces
        .par_iter()
        .enumerate()
        .map(|(band, faces)| {
            let from = band * BAND * SAMPLES;
            let to = (from + BAND * SAMPLES).min(rows);
            let mut target = Target {
                from,
                to,
                width,
                far: vec![f32::INFINITY; width.div_ceil(TILE)],
                drawn: vec![0; width.div_ceil(TILE)],
                fragments: vec![Fragment::NONE; (to - from) * width],
            };
            let mut shader = Shader::of(mesh, normals, surfaces, camera, plain);
            let any_clear = surfaces.iter().any(|s| s.cutoff.is_some());
            for &f in faces {
                let corners = mesh.triangle_points(f as usize);
                let corners = corners.map(|p| places[p as usize]);
                let clear = if any_clear { shader.clear(f) } else { None };
                match clear {
                    Some(clear) => target.triangle(corners, f, |weights| clear.at(weights)),
                    None => target.triangle(corners, f, |_| false),
                }
            }
            target.resolve(|fragment| shader.colour(fragment))
        })
        .collect();
    Picture {
        width: camera.width,
        height: camera.height,
        pixels: pixels.concat(),
    }
}

/// The faces that reach into each band of rows, in order, so that a band need not look at all of them.
fn faces_of_bands(mesh: &Mesh, places: &[Vec3], bands: usize) -> Vec<Vec<u32>> {
    let mut list: Vec<Vec<u32>> = vec![Vec::new(); bands];
    let rows = (BAND * SAMPLES) as f32;
    let hidden = behind_their_like(mesh, places, bands as f32 * rows);
    for f in (0..mesh.face_count()).filter(|&f| hidden.is_empty() || !hidden[f]) {
        let rise = mesh.triangle_points(f).map(|p| places[p as usize].y);
        let low = rise.into_iter().fold(f32::INFINITY, f32::min);
        let high = rise.into_iter().fold(f32::NEG_INFINITY, f32::max);
        if !(low.is_finite() && high.is_finite()) || high < 0.0 {
            continue;
        }
        let from = (low / rows).max(0.0) as usize;
        let to = ((high / rows) as usize).min(bands.saturating_sub(1));
        for band in list.iter_mut().take(to + 1).skip(from) {
            band.push(f as u32);
        }
    }
    list
}

/// Boxes of faces that cover the picture so many times over are worth a look for faces on the same points.
const OVERDRAWN: f32 = 64.0;

/// Where faces cover a picture of that height over and over: those on the points of an earlier face, which show nowhere. Empty
/// where nothing is gained by asking.
fn behind_their_like(mesh: &Mesh, places: &[Vec3], height: f32) -> Vec<bool> {
    let boxes = (0..mesh.face_count()).map(|f| {
        let [a, b, c] = mesh
            .triangle_points(f)
            .map(|p| places[p as usize].truncate());
        let size = a.max(b).max(c) - a.min(b).min(c);
        size.x.min(height) * size.y.min(height)
    });
    let covered: f32 = boxes.filter(|area| area.is_finite()).sum();
    if covered < OVERDRAWN * height * height {
        return Vec::new();
    }
    let mut known = HashSet::new();
    (0..mesh.face_count())
        .map(|f| {
            let mut points = mesh.triangle_points(f);
            points.sort_unstable();
            !known.insert(points)
        })
        .collect()
}

/// The directions on a triangle in which u grows and in which v falls.
fn tangents(mesh: &Mesh, face: usize, set: usize) -> Option<[Vec3; 2]> {
    let [a, b, c] = mesh.triangle(face);
    let corners = mesh.face(face);
    let uv = &mesh.uv_sets[set];
    let [ta, tb, tc] = [0, 1, 2].map(|k| uv[corners[k] as usize]);
    let (e1, e2) = (b - a, c - a);
    let (d1, d2) = (tb - ta, tc - ta);
    let turn = d1.perp_dot(d2);
    (turn.abs() > 1e-12).then(|| {
        let across = (e1 * d2.y - e2 * d1.y) / turn;
        let down = (e2 * d1.x - e1 * d2.x) / turn;
        [across, -down]
    })
}

/// A normal bent by a normal map's texel.
fn bent(normal: Vec3, [across, up]: [Vec3; 2], texel: Vec3, strength: f32) -> Vec3 {
    let n = normal.normalize_or_zero();
    let t = (across - n * n.dot(across)).normalize_or_zero();
    let b = n.cross(t);
    let b = if b.dot(up) < 0.0 { -b } else { b };
    let by = texel * 2.0 - 1.0;
    t * by.x * strength + b * by.y * strength + n * by.z
}

/// Key light over the left shoulder, a cool sky, warm ground, a rim from behind.
struct Light {
    forward: Vec3,
    key: Vec3,
    rim: Vec3,
    half: Vec3,
}

impl Light {
    fn of(camera: &Camera) -> Self {
        let key = (camera.up * 0.75 - camera.right * 0.65 - camera.forward * 0.6).normalize();
        Self {
            forward: camera.forward,
            key,
            rim: (camera.right * 0.9 + camera.up * 0.25 + camera.forward * 0.35).normalize(),
            half: (key - camera.forward).normalize(),
        }
    }

    fn shade(&self, base: Vec3, normal: Vec3) -> Vec3 {
        let n = normal.try_normalize().unwrap_or(-self.forward);
        let n = if n.dot(self.forward) > 0.0 { -n } else { n };
        let sky = Vec3::new(0.50, 0.56, 0.60);
        let ground = Vec3::new(0.20, 0.18, 0.15);
        let ambient = ground.lerp(sky, n.y * 0.5 + 0.5) * 0.75;
        let gloss = 0.10 * n.dot(self.half).max(0.0).powi(24);
        base * (ambient
            + Vec3::new(1.0, 0.97, 0.9) * 1.15 * n.dot(self.key).max(0.0)
            + Vec3::splat(0.35) * n.dot(self.rim).max(0.0))
            + gloss
    }
}

/// Gives colours to fragments once it is known which are seen: what others hide is never shaded. Fragments beside each other mostly
/// lie on one face, so what is known of a face is kept for the next.
struct Shader<'a> {
    mesh: &'a Mesh,
    normals: &'a Normals<'a>,
    surfaces: &'a [Finish],
    plain: Vec3,
    light: Light,
    last: Option<(u32, Face<'a>)>,
}

/// What a face is shaded with.
#[derive(Clone, Copy)]
struct Face<'a> {
    corners: [usize; 3],
    normals: [Vec3; 3],
    colour: Vec3,
    texture: Option<&'a (Texture, usize)>,
    relief: Option<(&'a Relief, [Vec3; 2])>,
    moved: Affine2,
    /// It has vertex colours.
    tinted: bool,
}

/// Says where a face is clear.
struct Clear<'a> {
    texture: &'a Texture,
    uv: [Vec2; 3],
    moved: Affine2,
    opacity: f32,
    cutoff: f32,
}

impl Clear<'_> {
    /// True at a place given by weights of the corners.
    fn at(&self, w: Vec3) -> bool {
        let uv = self.uv[0] * w.x + self.uv[1] * w.y + self.uv[2] * w.z;
        let texel = self.texture.at(self.moved.transform_point2(uv));
        self.opacity * texel.w < self.cutoff
    }
}

impl<'a> Shader<'a> {
    fn of(
        mesh: &'a Mesh,
        normals: &'a Normals<'a>,
        surfaces: &'a [Finish],
        camera: &Camera,
        plain: Vec3,
    ) -> Self {
        Self {
            mesh,
            normals,
            surfaces,
            plain,
            light: Light::of(camera),
            last: None,
        }
    }

    fn face(&mut self, f: u32) -> Face<'a> {
        if let Some((known, face)) = self.last
            && known == f
        {
            return face;
        }
        let mesh = self.mesh;
        let run = mesh.runs.partition_point(|r| r.faces.end <= f);
        let run = &mesh.runs[run];
        let surface = run.material.and_then(|m| self.surfaces.get(m as usize));
        let sets = usize::from(run.channels.uv_sets);
        let own = &mesh.corners[3 * f as usize..3 * f as usize + 3];
        let relief = surface
            .and_then(|s| s.normal.as_ref())
            .filter(|(_, set, _)| *set < sets);
        let face = Face {
            corners: [0, 1, 2].map(|k| own[k] as usize),
            normals: self.normals.face(f, own),
            colour: surface.map_or(self.plain, |s| s.colour),
            texture: surface
                .filter(|s| !s.clay)
                .and_then(|s| s.texture.as_ref())
                .filter(|(_, set)| *set < sets),
            relief: relief.and_then(|r| Some((r, tangents(mesh, f as usize, r.1)?))),
            moved: surface.map_or(Affine2::IDENTITY, |s| s.moved),
            tinted: surface.is_some_and(|s| !s.clay)
                && run.channels.colours
                && !mesh.colours.is_empty(),
        };
        self.last = Some((f, face));
        face
    }

    /// Where a face is clear, if it is of a material that is cut out or blended and shows a picture.
    fn clear(&self, f: u32) -> Option<Clear<'a>> {
        let mesh = self.mesh;
        let run = &mesh.runs[mesh.runs.partition_point(|r| r.faces.end <= f)];
        let surface = self.surfaces.get(run.material? as usize)?;
        let cutoff = surface.cutoff?;
        let (texture, set) = surface.texture.as_ref()?;
        if *set >= usize::from(run.channels.uv_sets) {
            return None;
        }
        let own = &mesh.corners[3 * f as usize..3 * f as usize + 3];
        Some(Clear {
            texture,
            uv: [0, 1, 2].map(|k| mesh.uv_sets[*set][own[k] as usize]),
            moved: surface.moved,
            opacity: surface.opacity,
            cutoff,
        })
    }

    fn colour(&mut self, fragment: &Fragment) -> Vec3 {
        let face = self.face(fragment.face);
        let (w, [a, b, c]) = (fragment.weights, face.corners);
        let [n0, n1, n2] = face.normals;
        let normal = n0 * w.x + n1 * w.y + n2 * w.z;
        let at = |set: usize| -> Vec2 {
            let uv = &self.mesh.uv_sets[set];
            uv[a] * w.x + uv[b] * w.y + uv[c] * w.z
        };
        let mut base = face.texture.map_or(face.colour, |(t, set)| {
            let uv = face.moved.transform_point2(at(*set));
            face.colour * t.at(uv).truncate()
        });
        if face.tinted {
            let [p, q, r] = [a, b, c].map(|v| self.mesh.colours[v].truncate());
            base *= p * w.x + q * w.y + r * w.z;
        }
        let normal = face.relief.map_or(normal, |((map, set, strength), t)| {
            bent(normal, t, map.at(at(*set)).truncate(), *strength)
        });
        self.light.shade(base, normal)
    }
}

struct Target {
    from: usize,
    to: usize,
    width: usize,
    fragments: Vec<Fragment>,
    /// For each tile, the farthest of its fragments when it was last looked at: what lies behind shows nowhere in it.
    far: Vec<f32>,
    /// Fragments drawn in each tile since.
    drawn: Vec<u32>,
}

/// Samples across a tile; it is as high as its band.
const TILE: usize = 32;

impl Target {
    /// Draws one triangle given in samples and depth: where it is the nearest so far and not clear, fragments keep it with
    /// perspective-correct weights.
    fn triangle(&mut self, p: [Vec3; 3], face: u32, is_clear: impl Fn(Vec3) -> bool) {
        if p.iter().any(|v| v.z <= 0.0 || !v.is_finite()) {
            return;
        }
        let low = p[0].min(p[1]).min(p[2]);
        let high = p[0].max(p[1]).max(p[2]);
        let y0 = (low.y - 0.5).ceil().max(self.from as f32) as usize;
        let y1 = ((high.y - 0.5).floor() + 1.0).clamp(0.0, self.to as f32) as usize;
        let x0 = (low.x - 0.5).ceil().max(0.0) as usize;
        let x1 = ((high.x - 0.5).floor() + 1.0).clamp(0.0, self.width as f32) as usize;
        if y0 >= y1 || x0 >= x1 {
            return;
        }
        let area = (p[1] - p[0]).truncate().perp_dot((p[2] - p[0]).truncate());
        if area == 0.0 {
            return;
        }
        let flat = p.map(|v| v.truncate().as_dvec2());
        // Tile by tile, so that what is hidden altogether is passed over at once.
        for tile in x0 / TILE..=(x1 - 1) / TILE {
            if low.z >= self.far[tile] {
                continue;
            }
            let (left, right) = (x0.max(tile * TILE), x1.min((tile + 1) * TILE));
            let mut drawn = 0;
            for y in y0..y1 {
                let Some((first, last)) = scanline::span(&flat, y as f64 + 0.5, Sides::Whole)
                else {
                    continue;
                };
                // Weights are worked out in less precision: whether a sample is inside is asked of each, and of one more each way.
                let first = left.max((first - 1.5).max(0.0) as usize);
                let last = right.min((last + 1.5).max(0.0) as usize);
                for x in first..last {
                    let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
                    let edge =
                        |a: Vec3, b: Vec3| (b - a).truncate().perp_dot(at - a.truncate()) / area;
                    let w = Vec3::new(edge(p[1], p[2]), edge(p[2], p[0]), edge(p[0], p[1]));
                    if w.min_element() < 0.0 {
                        continue;
                    }
                    let inverse = Vec3::new(w.x / p[0].z, w.y / p[1].z, w.z / p[2].z);
                    let sum = inverse.element_sum();
                    let depth = 1.0 / sum;
                    let fragment = &mut self.fragments[(y - self.from) * self.width + x];
                    if depth < fragment.depth && !is_clear(inverse / sum) {
                        *fragment = Fragment {
                            depth,
                            weights: inverse / sum,
                            face,
                        };
                        drawn += 1;
                    }
                }
            }
            self.drew(tile, drawn);
        }
    }

    /// Looks how far a tile reaches back once enough was drawn in it.
    fn drew(&mut self, tile: usize, fragments: u32) {
        let (left, right) = (tile * TILE, self.width.min((tile + 1) * TILE));
        let rows = self.to - self.from;
        self.drawn[tile] += fragments;
        if (self.drawn[tile] as usize) < rows * (right - left) {
            return;
        }
        self.drawn[tile] = 0;
        self.far[tile] = (0..rows)
            .flat_map(|y| &self.fragments[y * self.width + left..y * self.width + right])
            .map(|f| f.depth)
            .fold(0.0, f32::max);
    }

    /// Averages the colours of samples to pixels.
    fn resolve(&self, mut colour: impl FnMut(&Fragment) -> Vec3) -> Vec<[u8; 4]> {
        let (width, height) = (self.width / SAMPLES, (self.to - self.from) / SAMPLES);
        let mut pixels = Vec::with_capacity(width * height);
        for y in 0..height {
            for x in 0..width {
                let mut sum = Vec3::ZERO;
                let mut covered = 0;
                for s in 0..SAMPLES * SAMPLES {
                    let at = (y * SAMPLES + s / SAMPLES) * self.width + x * SAMPLES + s % SAMPLES;
                    let fragment = &self.fragments[at];
                    if fragment.face != Fragment::NONE.face {
                        sum += colour(fragment);
                        covered += 1;
                    }
                }
                let mean = if covered > 0 {
                    sum / covered as f32
                } else {
                    sum
                };
                let [r, g, b] = mean.to_array().map(to_byte);
                let alpha = (covered * 255 / (SAMPLES * SAMPLES)) as u8;
                pixels.push([r, g, b, alpha]);
            }
        }
        pixels
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;
    use ectome_texture::Coding;

    #[test]
    fn a_sphere_fills_the_height_and_covers_a_disc() {
        let ball = shapes::icosphere(1.0, 5);
        let camera = Camera::fitting(&ball, 200, 100);
        let picture = render(&ball, &[], &camera, [0.5; 3]);
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

    // Against every sample asked of every triangle, without spans and tiles.
    #[test]
    fn spans_and_tiles_leave_nothing_out() {
        let (width, rows) = (70usize, 32usize);
        let mut state = 7u32;
        let mut random = move || {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            (state >> 8) as f32 / 16_777_216.0
        };
        let mut target = Target {
            from: 0,
            to: rows,
            width,
            fragments: vec![Fragment::NONE; rows * width],
            far: vec![f32::INFINITY; width.div_ceil(TILE)],
            drawn: vec![0; width.div_ceil(TILE)],
        };
        let mut depth = vec![f32::INFINITY; rows * width];
        for i in 0..4000 {
            let mut p = [0; 3].map(|_| {
                Vec3::new(
                    random() * 90.0 - 10.0,
                    random() * 50.0 - 8.0,
                    0.5 + random(),
                )
            });
            if i % 5 == 0 {
                // A sliver.
                p[2] = p[1] + Vec3::new(0.2 * random(), 0.2 * random(), 0.0);
            }
            target.triangle(p, 0, |_| false);
            let area = (p[1] - p[0]).truncate().perp_dot((p[2] - p[0]).truncate());
            for (at, depth) in depth.iter_mut().enumerate() {
                let at = Vec2::new((at % width) as f32 + 0.5, (at / width) as f32 + 0.5);
                let edge = |a: Vec3, b: Vec3| (b - a).truncate().perp_dot(at - a.truncate()) / area;
                let w = Vec3::new(edge(p[1], p[2]), edge(p[2], p[0]), edge(p[0], p[1]));
                if area != 0.0 && w.min_element() >= 0.0 {
                    let inverse = Vec3::new(w.x / p[0].z, w.y / p[1].z, w.z / p[2].z);
                    *depth = depth.min(1.0 / inverse.element_sum());
                }
            }
        }
        let off = target
            .fragments
            .iter()
            .zip(&depth)
            .filter(|(f, d)| f.depth != **d);
        assert_eq!(off.count(), 0);
    }

    #[test]
    fn faces_on_the_points_of_another_change_nothing_and_cost_nothing() {
        let plate = shapes::cuboid(Vec3::new(1.0, 0.8, 0.1));
        let camera = Camera::fitting(&plate, 64, 48);
        let once = render(&plate, &[], &camera, [0.5; 3]);
        let mut many = plate.clone();
        for _ in 0..4000 {
            many.corners.extend_from_slice(&plate.corners);
        }
        many.runs[0].faces.end = many.face_count() as u32;
        many.runs.truncate(1);
        assert!(once == render(&many, &[], &camera, [0.5; 3]));
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
        let surfaces = [Vec3::X, Vec3::Y].map(|colour| Finish {
            colour,
            ..Finish::default()
        });
        let seen = |mesh: &Mesh, from: Vec3| {
            let camera = Camera::from_direction(mesh, from, 32, 32);
            let [r, g, _, a] = render(mesh, &surfaces, &camera, [0.5; 3]).pixels[16 * 32 + 16];
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
        let leaf = Texture::of(2, 1, &leaf, Coding::Srgb, None);
        let front = Finish {
            colour: Vec3::ONE,
            texture: leaf.map(|t| (t, 0)),
            moved: Affine2::from_scale(Vec2::splat(2.0)),
            opacity: 1.0,
            cutoff: Some(0.5),
            ..Finish::default()
        };
        let back = Finish {
            colour: Vec3::new(0.0, 0.2, 0.8),
            ..Finish::default()
        };
        let seen = |clay: bool| {
            let surfaces = [&front, &back].map(|s| Finish { clay, ..s.clone() });
            let picture = render(&plates, &surfaces, &camera, [0.5; 3]);
            [10, 22].map(|x| picture.pixels[16 * 32 + x])
        };
        let [left, right] = seen(false);
        assert!(left[2] < 60 && left[1] > 60, "blue times green: {left:?}");
        assert!(
            right[0] < 60 && right[1] > 120,
            "white times green: {right:?}"
        );
        let [left, right] = seen(true);
        assert!(left[2] > 120 && left[2] > left[1], "{left:?}");
        assert!(right[0] > 120, "{right:?}");
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
            let normal = texel.and_then(|[r, g, b]| {
                let texture = Texture::of(1, 1, &[r, g, b, 255], Coding::Linear, None)?;
                Some((texture, 0, 1.0))
            });
            let surface = Finish {
                colour: Vec3::splat(0.5),
                normal,
                ..Finish::default()
            };
            let p = render(mesh, &[surface], &camera, [0.5; 3]).pixels[8 * 16 + 8];
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
}
