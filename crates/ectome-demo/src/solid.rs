//! Closed solids as a prop artist builds them: turned, drawn along a path, or a box with soft edges.

use std::f32::consts::TAU;

use ectome_mesh::Primitive;
use glam::{Vec2, Vec3};

/// A rectangle of the texture: left, top, width, height.
#[derive(Clone, Copy)]
pub struct Cell(pub f32, pub f32, pub f32, pub f32);

/// A solid under construction, UVs in its own unit square.
pub struct Solid(Primitive);

impl Solid {
    fn grid(
        columns: u32,
        rows: u32,
        place: impl Fn(u32, u32) -> Vec3,
        uv: impl Fn(u32, u32) -> Vec2,
    ) -> Self {
        let mut p = Primitive {
            uv_sets: vec![Vec::new()],
            ..Primitive::default()
        };
        for j in 0..=rows {
            for i in 0..=columns {
                p.positions.push(place(i, j));
                p.uv_sets[0].push(uv(i, j));
            }
        }
        let at = |i: u32, j: u32| j * (columns + 1) + i;
        for j in 0..rows {
            for i in 0..columns {
                let [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
                for f in [[a, b, c], [a, c, d]] {
                    let [p0, p1, p2] = f.map(|v| p.positions[v as usize]);
                    if p0 != p1 && p1 != p2 && p2 != p0 {
                        p.corners.extend(f);
                    }
                }
            }
        }
        Self(p)
    }

    /// Turned on a lathe around +Y: `profile` lists radius and height from axis to axis.
    pub fn turned(profile: &[Vec2], segments: u32) -> Self {
        Self::turned_with(profile, segments, |_, _| 1.0)
    }

    /// The same with the radius scaled by `scale(angle, place along the profile 0–1)`.
    pub fn turned_with(profile: &[Vec2], segments: u32, scale: impl Fn(f32, f32) -> f32) -> Self {
        let lengths = running_lengths(profile);
        Self::grid(
            segments,
            profile.len() as u32 - 1,
            |i, j| {
                let angle = TAU * (i % segments) as f32 / segments as f32;
                let p = profile[j as usize];
                let r = p.x * scale(angle, lengths[j as usize]);
                Vec3::new(r * angle.sin(), p.y, r * angle.cos())
            },
            |i, j| Vec2::new(i as f32 / segments as f32, 1.0 - lengths[j as usize]),
        )
        .outward()
    }

    /// A round bar drawn along `path`, its radius `radius(place along 0–1, angle)`, with ends
    /// rounded off.
    pub fn drawn(path: &[Vec3], around: u32, radius: impl Fn(f32, f32) -> f32) -> Self {
        let n = path.len();
        let mut tangents = Vec::with_capacity(n);
        for i in 0..n {
            let d = path[(i + 1).min(n - 1)] - path[i.saturating_sub(1)];
            tangents.push(d.normalize_or(Vec3::Y));
        }
        // Parallel transport: turn the side vector no more than the path turns.
        let mut sides = vec![tangents[0].any_orthonormal_vector()];
        for t in &tangents[1..] {
            let last = sides[sides.len() - 1];
            sides.push((last - *t * last.dot(*t)).normalize_or(t.any_orthonormal_vector()));
        }
        const CAP: usize = 6;
        let rows: Vec<(usize, f32, f32)> = (0..=CAP)
            .map(|k| (0, k as f32 / CAP as f32, -1.0))
            .chain((1..n - 1).map(|i| (i, 1.0, 0.0)))
            .chain((0..=CAP).rev().map(|k| (n - 1, k as f32 / CAP as f32, 1.0)))
            .collect();
        let last = rows.len() - 1;
        Self::grid(
            around,
            last as u32,
            |i, j| {
                let (at, cap, end) = rows[j as usize];
                let t = at as f32 / (n - 1) as f32;
                let angle = TAU * (i % around) as f32 / around as f32;
                let full = radius(t, angle);
                let turn = cap * std::f32::consts::FRAC_PI_2;
                let (s, c) = (turn.sin(), turn.cos());
                let (r, along) = if cap < 1.0 {
                    let even = radius(t, 0.0);
                    (if cap == 0.0 { 0.0 } else { full * s }, even * c * end)
                } else {
                    (full, 0.0)
                };
                let side = sides[at];
                let up = tangents[at].cross(side);
                path[at] + tangents[at] * along + (side * angle.cos() + up * angle.sin()) * r
            },
            |i, j| Vec2::new(i as f32 / around as f32, j as f32 / last as f32),
        )
        .outward()
    }

    /// A box with sides `size` and edges rounded to `radius`, `n` quads along each side.
    pub fn soft_box(size: Vec3, radius: f32, n: u32) -> Self {
        let half = size * 0.5;
        let core = half - Vec3::splat(radius);
        // Lattice lines: close together in the rounding, wide on the flat.
        let line = |axis: usize, i: u32| {
            let t = 2.0 * i as f32 / n as f32 - 1.0;
            let soft = (radius / half[axis]).clamp(0.02, 0.9);
            let bend = t.signum() * t.abs().powf(0.55);
            let flat = 1.0 - soft;
            // Half of the lines serve the rounding.
            let placed = if bend.abs() < 0.7 {
                bend / 0.7 * flat
            } else {
                bend.signum() * (flat + (bend.abs() - 0.7) / 0.3 * soft)
            };
            if i == 0 || i == n {
                t * half[axis]
            } else {
                placed * half[axis]
            }
        };
        let mut whole = Primitive {
            uv_sets: vec![Vec::new()],
            ..Primitive::default()
        };
        for face in 0..6u32 {
            let (axis, end) = ((face / 2) as usize, face % 2 * n);
            let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
            let side = Self::grid(
                n,
                n,
                |i, j| {
                    let mut p = Vec3::ZERO;
                    p[axis] = line(axis, end);
                    p[u] = line(u, i);
                    p[v] = line(v, j);
                    let inner = p.clamp(-core, core);
                    inner + (p - inner).normalize_or_zero() * radius
                },
                |i, j| {
                    let cell = Vec2::new((face % 3) as f32, (face / 3) as f32);
                    let at = Vec2::new(i as f32, j as f32) / n as f32 * 0.94 + 0.03;
                    (cell + at) / Vec2::new(3.0, 2.0)
                },
            );
            let first = whole.positions.len() as u32;
            let flip = face % 2 == 0;
            whole.positions.extend(side.0.positions);
            whole.uv_sets[0].extend(&side.0.uv_sets[0]);
            for f in side.0.corners.chunks_exact(3) {
                let f = if flip {
                    [f[0], f[2], f[1]]
                } else {
                    [f[0], f[1], f[2]]
                };
                whole.corners.extend(f.map(|c| c + first));
            }
        }
        Self(whole).outward()
    }

    /// A bolt with a hexagonal, domed head on a washer, standing on y = 0.
    pub fn bolt(radius: f32) -> Self {
        let r = radius;
        let mut profile = vec![Vec2::new(0.0, -0.6 * r), Vec2::new(1.25 * r, -0.6 * r)];
        for (x, y) in [(1.5, 0.0), (1.5, 0.16), (1.44, 0.22), (1.02, 0.22)] {
            soften(&mut profile, Vec2::new(x * r, y * r), 3);
        }
        for (x, y) in [(1.0, 0.3), (1.0, 0.8), (0.92, 0.92), (0.7, 1.0)] {
            soften(&mut profile, Vec2::new(x * r, y * r), 5);
        }
        for k in 1..=6 {
            let a = k as f32 / 6.0 * std::f32::consts::FRAC_PI_2;
            profile.push(Vec2::new(0.7 * r * a.cos(), r + 0.14 * r * a.sin()));
        }
        let last = profile.len() - 1;
        profile[last].x = 0.0;
        let heights: Vec<f32> = running_lengths(&profile);
        let hexagon = move |angle: f32| {
            let sector = TAU / 6.0;
            let a = angle.rem_euclid(sector) - sector / 2.0;
            // A hexagon with its corners taken off.
            ((sector / 2.0).cos() / a.cos()).min(0.97)
        };
        let from = heights[profile.iter().position(|p| p.y > 0.25 * r).unwrap_or(0)];
        Self::turned_with(&profile, 48, move |angle, along| {
            if along >= from { hexagon(angle) } else { 1.0 }
        })
    }

    /// Bends, turns or moves every place.
    pub fn mapped(mut self, map: impl Fn(Vec3) -> Vec3) -> Self {
        for p in &mut self.0.positions {
            *p = map(*p);
        }
        self.outward()
    }

    /// Adds another solid.
    pub fn and(mut self, other: Self) -> Self {
        let first = self.0.positions.len() as u32;
        self.0.positions.extend(other.0.positions);
        self.0.uv_sets[0].extend(&other.0.uv_sets[0]);
        self.0
            .corners
            .extend(other.0.corners.iter().map(|c| c + first));
        self
    }

    /// The finished primitive, its UVs in `cell` of the texture.
    pub fn finish(mut self, cell: Cell, material: u32) -> Primitive {
        for uv in &mut self.0.uv_sets[0] {
            *uv = Vec2::new(cell.0 + uv.x * cell.2, cell.1 + uv.y * cell.3);
        }
        self.0.material = Some(material);
        self.0
    }

    /// Turns the faces outward: the signed volume of a closed solid must be positive.
    fn outward(mut self) -> Self {
        let p = &self.0.positions;
        let volume: f64 = self
            .0
            .corners
            .chunks_exact(3)
            .map(|f| {
                let [a, b, c] = [0, 1, 2].map(|k| (p[f[k] as usize] - p[0]).as_dvec3());
                a.dot(b.cross(c))
            })
            .sum();
        if volume < 0.0 {
            self.0
                .corners
                .chunks_exact_mut(3)
                .for_each(|f| f.swap(1, 2));
        }
        self
    }
}

/// Adds `steps` points on the straight way to `to`.
pub fn soften(profile: &mut Vec<Vec2>, to: Vec2, steps: u32) {
    let from = profile.last().copied().unwrap_or(to);
    for k in 1..=steps {
        profile.push(from.lerp(to, k as f32 / steps as f32));
    }
}

/// Length along a polyline at each point, as a share of the whole.
pub fn running_lengths(profile: &[Vec2]) -> Vec<f32> {
    let mut sum = 0.0;
    let mut lengths = vec![0.0];
    for w in profile.windows(2) {
        sum += w[0].distance(w[1]);
        lengths.push(sum);
    }
    lengths.iter().map(|l| l / sum).collect()
}

/// A smooth curve through `knots` (centripetal enough for gentle shapes: Catmull–Rom, 1974), `steps`
/// points a span.
pub fn curve(knots: &[Vec2], steps: usize) -> Vec<Vec2> {
    let at = |i: isize| knots[i.clamp(0, knots.len() as isize - 1) as usize];
    let mut out = Vec::new();
    for i in 0..knots.len() as isize - 1 {
        let [a, b, c, d] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
        for k in 0..steps {
            let t = k as f32 / steps as f32;
            out.push(
                0.5 * (2.0 * b
                    + (c - a) * t
                    + (2.0 * a - 5.0 * b + 4.0 * c - d) * t * t
                    + (3.0 * b - a - 3.0 * c + d) * t * t * t),
            );
        }
    }
    out.extend(knots.last());
    out
}
