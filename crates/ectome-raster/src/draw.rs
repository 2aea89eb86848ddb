//! Triangles to pixels.

use ectome_mesh::{Mesh, measure};
use glam::{Vec2, Vec3};
use rayon::prelude::*;

use crate::{Camera, Texture, texture::to_srgb};

/// Samples along each side of a pixel.
const SAMPLES: usize = 2;
/// Rows of pixels a band has.
const BAND: usize = 16;

/// How the faces of one material look.
#[derive(Clone, Debug)]
pub struct Surface {
    /// Linear base colour, multiplied with the texture.
    pub colour: Vec3,
    /// Base colour picture and the UV set it uses.
    pub texture: Option<(Texture, usize)>,
    /// Tangent-space normal map (green up, as glTF has it), the UV set it uses and its strength.
    pub normal: Option<(Texture, usize, f32)>,
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

#[derive(Clone, Copy)]
struct Fragment {
    depth: f32,
    colour: Vec3,
    covered: bool,
}

/// Renders an all-triangle mesh. `surfaces` are indexed by the runs' materials; missing ones take
/// `plain` (linear RGB). Pixels the mesh does not cover are transparent.
pub fn render(mesh: &Mesh, surfaces: &[Surface], camera: &Camera, plain: [f32; 3]) -> Picture {
    let scale = SAMPLES as f32;
    let places: Vec<Vec3> = mesh
        .points
        .par_iter()
        .map(|&p| camera.project(p, scale))
        .collect();
    let smooth;
    let normals = if mesh.normals.is_empty() {
        smooth = measure::smooth_normals(mesh);
        &smooth
    } else {
        &mesh.normals
    };
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
                fragments: vec![
                    Fragment {
                        depth: f32::INFINITY,
                        colour: Vec3::ZERO,
                        covered: false
                    };
                    (to - from) * width
                ],
            };
            for run in &mesh.runs {
                let surface = run.material.and_then(|m| surfaces.get(m as usize));
                let colour = surface.map_or(plain, |s| s.colour);
                let texture = surface
                    .and_then(|s| s.texture.as_ref())
                    .filter(|(_, set)| *set < usize::from(run.channels.uv_sets));
                let relief = surface
                    .and_then(|s| s.normal.as_ref())
                    .filter(|(_, set, _)| *set < usize::from(run.channels.uv_sets));
                let own = faces.partition_point(|&f| f < run.faces.start);
                for &f in faces[own..].iter().take_while(|&&f| f < run.faces.end) {
                    let corners = &mesh.corners[3 * f as usize..3 * f as usize + 3];
                    let p =
                        [0, 1, 2].map(|k| places[mesh.vertex_point[corners[k] as usize] as usize]);
                    let tangents = relief.and_then(|(_, set, _)| tangents(mesh, f as usize, *set));
                    target.triangle(p, |w| {
                        let mix = |k: usize| corners[k] as usize;
                        let normal =
                            normals[mix(0)] * w.x + normals[mix(1)] * w.y + normals[mix(2)] * w.z;
                        let base = texture.map_or(colour, |(t, set)| {
                            let uv = &mesh.uv_sets[*set];
                            let uv: Vec2 = uv[mix(0)] * w.x + uv[mix(1)] * w.y + uv[mix(2)] * w.z;
                            colour * t.at(uv)
                        });
                        let normal = match (relief, tangents) {
                            (Some((map, set, strength)), Some(tangents)) => {
                                let uv = &mesh.uv_sets[*set];
                                let uv: Vec2 =
                                    uv[mix(0)] * w.x + uv[mix(1)] * w.y + uv[mix(2)] * w.z;
                                bent(normal, tangents, map.at(uv), *strength)
                            }
                            _ => normal,
                        };
                        shade(base, normal, camera)
                    });
                }
            }
            target.resolve()
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
    for f in 0..mesh.face_count() {
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
fn shade(base: Vec3, normal: Vec3, camera: &Camera) -> Vec3 {
    let n = normal.try_normalize().unwrap_or(-camera.forward);
    let n = if n.dot(camera.forward) > 0.0 { -n } else { n };
    let key = (camera.up * 0.75 - camera.right * 0.65 - camera.forward * 0.6).normalize();
    let rim = (camera.right * 0.9 + camera.up * 0.25 + camera.forward * 0.35).normalize();
    let sky = Vec3::new(0.50, 0.56, 0.60);
    let ground = Vec3::new(0.20, 0.18, 0.15);
    let ambient = ground.lerp(sky, n.y * 0.5 + 0.5) * 0.75;
    let half = (key - camera.forward).normalize();
    let gloss = 0.10 * n.dot(half).max(0.0).powi(24);
    base * (ambient
        + Vec3::new(1.0, 0.97, 0.9) * 1.15 * n.dot(key).max(0.0)
        + Vec3::splat(0.35) * n.dot(rim).max(0.0))
        + gloss
}

struct Target {
    from: usize,
    to: usize,
    width: usize,
    fragments: Vec<Fragment>,
}

impl Target {
    /// Draws one triangle given in samples and depth; `shade` gets perspective-correct weights.
    fn triangle(&mut self, p: [Vec3; 3], shade: impl Fn(Vec3) -> Vec3) {
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
        for y in y0..y1 {
            for x in x0..x1 {
                let at = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
                let edge = |a: Vec3, b: Vec3| (b - a).truncate().perp_dot(at - a.truncate()) / area;
                let w = Vec3::new(edge(p[1], p[2]), edge(p[2], p[0]), edge(p[0], p[1]));
                if w.min_element() < 0.0 {
                    continue;
                }
                let inverse = Vec3::new(w.x / p[0].z, w.y / p[1].z, w.z / p[2].z);
                let sum = inverse.element_sum();
                let depth = 1.0 / sum;
                let fragment = &mut self.fragments[(y - self.from) * self.width + x];
                if depth < fragment.depth {
                    *fragment = Fragment {
                        depth,
                        colour: shade(inverse / sum),
                        covered: true,
                    };
                }
            }
        }
    }

    /// Averages samples to pixels.
    fn resolve(&self) -> Vec<[u8; 4]> {
        let (width, height) = (self.width / SAMPLES, (self.to - self.from) / SAMPLES);
        let mut pixels = Vec::with_capacity(width * height);
        for y in 0..height {
            for x in 0..width {
                let mut sum = Vec3::ZERO;
                let mut covered = 0;
                for s in 0..SAMPLES * SAMPLES {
                    let at = (y * SAMPLES + s / SAMPLES) * self.width + x * SAMPLES + s % SAMPLES;
                    let fragment = &self.fragments[at];
                    if fragment.covered {
                        sum += fragment.colour;
                        covered += 1;
                    }
                }
                let colour = if covered > 0 {
                    sum / covered as f32
                } else {
                    sum
                };
                let [r, g, b] = colour.to_array().map(to_srgb);
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

    #[test]
    fn nearer_faces_hide_farther_ones() {
        let mesh = shapes::cuboid(Vec3::ONE);
        let camera = Camera::from_direction(&mesh, Vec3::Z, 32, 32);
        let picture = render(&mesh, &[], &camera, [0.5; 3]);
        let middle = picture.pixels[16 * 32 + 16];
        assert_eq!(middle[3], 255);
        let again = render(&mesh, &[], &camera, [0.5; 3]);
        assert_eq!(picture, again);
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
            let normal = texel.and_then(|t| Some((Texture::from_linear(1, 1, &t)?, 0, 1.0)));
            let surface = Surface {
                colour: Vec3::splat(0.5),
                texture: None,
                normal,
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
