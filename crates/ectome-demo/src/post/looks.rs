//! What the cameras recorded of the mooring post: its colours in the light of the day, and where they stand on the texture.

use std::{
    collections::HashMap,
    f32::consts::{PI, TAU},
};

use ectome_mesh::Mesh;
use glam::{Vec2, Vec3};
use rayon::prelude::*;

use super::shape::{Stuff, TOP, field};
use crate::{
    canvas::Canvas,
    noise::{fbm, smoothstep},
};

/// Light and material at a vertex.
#[derive(Clone, Copy)]
pub struct Vertex {
    light: Vec3,
    stuff: Stuff,
}

/// The light of a hazy afternoon, as the cameras recorded it: sun with shadow, sky with occlusion.
pub fn light(p: Vec3, n: Vec3) -> Vertex {
    let (_, stuff) = field::<true>(p - n * 0.001);
    let mut open = 1.0;
    let mut weight = 0.9;
    for k in 1..=4 {
        let reach = 0.006 * (k * k) as f32;
        open -= weight * ((reach - field::<false>(p + n * reach).0) / reach).clamp(0.0, 1.0);
        weight *= 0.55;
    }
    let sun = Vec3::new(-0.55, 0.62, 0.56).normalize();
    let mut lit = n.dot(sun).max(0.0);
    if lit > 0.0 {
        let mut t = 0.012;
        for _ in 0..9 {
            let d = field::<false>(p + n * 0.004 + sun * t).0;
            lit *= (d * 14.0 / t + 0.55).clamp(0.0, 1.0);
            t += d.max(0.018);
        }
    }
    let sky = 0.5 + 0.5 * n.y;
    let ambient = Vec3::new(0.40, 0.46, 0.54) * sky + Vec3::new(0.22, 0.20, 0.17) * (1.0 - sky);
    Vertex {
        light: ambient * open.clamp(0.12, 1.0) + Vec3::new(1.05, 0.95, 0.78) * lit,
        stuff,
    }
}

/// What a place looks like before light.
fn albedo(p: Vec3, stuff: Stuff) -> Vec3 {
    let fine = fbm(p * 160.0, 3);
    let cloud = fbm(p * 9.0, 4);
    let tide = smoothstep(0.50, 0.22, p.y + 0.05 * cloud);
    match stuff {
        Stuff::Wood => {
            let angle = p.x.atan2(p.z);
            let around = Vec3::new(angle.cos(), angle.sin(), 0.0);
            let grain = fbm(around * 40.0 + Vec3::new(0.0, 0.0, p.y * 4.0), 4);
            let dry =
                Vec3::new(0.34, 0.31, 0.27).lerp(Vec3::new(0.20, 0.145, 0.10), 0.5 + 1.2 * grain);
            let wet = Vec3::new(0.075, 0.062, 0.045);
            let weed = Vec3::new(0.075, 0.105, 0.035);
            let low = wet.lerp(weed, smoothstep(-0.15, 0.25, fbm(p * 21.0, 3)));
            dry.lerp(low, tide) * (1.0 + 0.5 * fine)
        }
        Stuff::Barnacle => {
            let chalk = Vec3::new(0.55, 0.53, 0.46).lerp(Vec3::new(0.30, 0.30, 0.24), 0.5 + cloud);
            chalk * (0.95 + 0.7 * fine)
        }
        Stuff::Rope => {
            let tar = Vec3::new(0.36, 0.28, 0.17).lerp(Vec3::new(0.20, 0.15, 0.10), 0.5 + cloud);
            tar * (1.0 + 0.9 * fine)
        }
        Stuff::Iron => {
            Vec3::new(0.055, 0.052, 0.05).lerp(
                Vec3::new(0.26, 0.10, 0.035),
                smoothstep(-0.18, 0.25, fbm(p * 30.0, 4)),
            ) * (1.0 + 0.8 * fine)
        }
        Stuff::Ground => {
            let rock = Vec3::new(0.20, 0.195, 0.185).lerp(Vec3::new(0.33, 0.30, 0.25), 0.5 + cloud);
            let weed = smoothstep(0.12, 0.34, fbm(p * 5.0 + 40.0, 4));
            rock.lerp(Vec3::new(0.085, 0.10, 0.04), weed * 0.8) * (0.95 + 0.8 * fine)
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Chart {
    Quarter(u8),
    Crown,
    Ground,
}

pub fn chart_of(p: [Vec3; 3]) -> Chart {
    let m = (p[0] + p[1] + p[2]) / 3.0;
    let flat = Vec2::new(m.x, m.z).length();
    if m.y > TOP - 0.07 && flat < 0.135 {
        Chart::Crown
    } else if m.y < 0.13 && flat > 0.232 {
        Chart::Ground
    } else {
        let angle = m.x.atan2(m.z).rem_euclid(TAU);
        Chart::Quarter((angle / (TAU / 4.0)) as u8 % 4)
    }
}

pub fn chart_uv(chart: Chart, p: Vec3) -> Vec2 {
    match chart {
        Chart::Quarter(q) => {
            let middle = (f32::from(q) + 0.5) * TAU / 4.0;
            let off = (p.x.atan2(p.z) - middle + PI).rem_euclid(TAU) - PI;
            let left = 0.005 + f32::from(q) * 0.15;
            let u = left + (off / (TAU / 4.0) * 0.90 + 0.5) * 0.142;
            Vec2::new(
                u.clamp(left, left + 0.144),
                0.99 - (p.y + 0.06) / 1.24 * 0.97,
            )
        }
        Chart::Crown => Vec2::new(0.80 + p.x * 0.52, 0.125 + p.z * 0.52),
        Chart::Ground => Vec2::new(0.805 + p.x * 0.33, 0.62 + p.z * 0.60 * 0.55),
    }
}

/// Fills the texels of every triangle with its colour in its light.
pub fn paint(mesh: &Mesh, light: &HashMap<[u32; 3], Vertex>, canvas: &mut Canvas) {
    let size = canvas.size as f32;
    let at: Vec<Option<Vertex>> = mesh
        .points
        .iter()
        .map(|p| light.get(&p.to_array().map(f32::to_bits)).copied())
        .collect();
    let bands = 64;
    let canvas_size = canvas.size;
    let rows = canvas_size / bands;
    canvas
        .texels
        .par_chunks_mut(rows * canvas.size)
        .enumerate()
        .for_each(|(band, texels)| {
            let (from, to) = (band * rows, (band + 1) * rows);
            for f in 0..mesh.face_count() {
                let corners = &mesh.corners[3 * f..3 * f + 3];
                let uv = [0, 1, 2].map(|k| mesh.uv_sets[0][corners[k] as usize] * size);
                let low = uv[0].min(uv[1]).min(uv[2]).floor();
                let high = uv[0].max(uv[1]).max(uv[2]).ceil();
                if high.y < from as f32 || low.y >= to as f32 {
                    continue;
                }
                let area = (uv[1] - uv[0]).perp_dot(uv[2] - uv[0]);
                if area == 0.0 {
                    continue;
                }
                let points = mesh.triangle_points(f);
                let (y0, y1) = (
                    low.y.max(from as f32) as usize,
                    (high.y as usize + 1).min(to),
                );
                let (x0, x1) = (
                    low.x.max(0.0) as usize,
                    (high.x as usize + 1).min(canvas_size),
                );
                for y in y0..y1 {
                    for x in x0..x1 {
                        let q = Vec2::new(x as f32 + 0.5, y as f32 + 0.5);
                        let w =
                            [1, 2, 0].map(|k| (uv[(k + 1) % 3] - uv[k]).perp_dot(q - uv[k]) / area);
                        // A little over the edge where nothing is painted yet, so that no texel
                        // between triangles is missed.
                        let texel = &mut texels[(y - from) * canvas_size + x];
                        let least = w[0].min(w[1]).min(w[2]);
                        if least < -0.35 || (least < 0.0 && texel.x >= 0.0) {
                            continue;
                        }
                        let mix = |value: &dyn Fn(usize) -> Vec3| -> Vec3 {
                            (0..3).map(|k| value(k) * w[k]).sum()
                        };
                        let place = mix(&|k| mesh.points[points[k] as usize]);
                        let lit = mix(&|k| at[points[k] as usize].map_or(Vec3::ONE, |v| v.light));
                        let stuff = at[points[0] as usize].map_or(Stuff::Ground, |v| v.stuff);
                        *texel =
                            (albedo(place, stuff) * lit.max(Vec3::splat(0.02))).max(Vec3::ZERO);
                    }
                }
            }
        });
}

/// Carries colours a few texels over the edges of charts, and fills what is left.
pub fn dilate(canvas: &mut Canvas) {
    let n = canvas.size;
    for _ in 0..8 {
        let before = canvas.texels.clone();
        canvas
            .texels
            .par_iter_mut()
            .enumerate()
            .for_each(|(i, texel)| {
                if texel.x >= 0.0 {
                    return;
                }
                let (x, y) = (i % n, i / n);
                let mut sum = Vec3::ZERO;
                let mut count = 0.0;
                for (dx, dy) in [(-1i32, 0i32), (1, 0), (0, -1), (0, 1)] {
                    let (x, y) = (x as i32 + dx, y as i32 + dy);
                    if x >= 0 && y >= 0 && (x as usize) < n && (y as usize) < n {
                        let c = before[y as usize * n + x as usize];
                        if c.x >= 0.0 {
                            sum += c;
                            count += 1.0;
                        }
                    }
                }
                if count > 0.0 {
                    *texel = sum / count;
                }
            });
    }
    for texel in &mut canvas.texels {
        if texel.x < 0.0 {
            *texel = Vec3::new(0.17, 0.16, 0.15);
        }
    }
}
