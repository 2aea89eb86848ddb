//! Repeatable noise: K. Perlin, *Improving Noise*, SIGGRAPH 2002, over an integer hash.

use glam::Vec3;

/// A hash of three integers.
pub fn hash(x: i32, y: i32, z: i32) -> u32 {
    let mut h = (x as u32).wrapping_mul(0x9E37_79B1)
        ^ (y as u32).wrapping_mul(0x85EB_CA77)
        ^ (z as u32).wrapping_mul(0xC2B2_AE3D);
    h = (h ^ (h >> 15)).wrapping_mul(0x2C1B_3C6D);
    h = (h ^ (h >> 12)).wrapping_mul(0x297A_2D39);
    h ^ (h >> 15)
}

/// A hash as a number in 0–1.
pub fn unit(x: i32, y: i32, z: i32) -> f32 {
    hash(x, y, z) as f32 / u32::MAX as f32
}

/// The twelve edge directions of a cube, four of them twice (Perlin 2002).
const GRADIENTS: [[f32; 3]; 16] = [
    [1., 1., 0.],
    [-1., 1., 0.],
    [1., -1., 0.],
    [-1., -1., 0.],
    [1., 0., 1.],
    [-1., 0., 1.],
    [1., 0., -1.],
    [-1., 0., -1.],
    [0., 1., 1.],
    [0., -1., 1.],
    [0., 1., -1.],
    [0., -1., -1.],
    [1., 1., 0.],
    [-1., 1., 0.],
    [0., -1., 1.],
    [0., -1., -1.],
];

/// The largest whole number not above `x`; a plain cast, which compilers keep out of libm.
#[inline]
fn floor(x: f32) -> i32 {
    let i = x as i32;
    i - i32::from((i as f32) > x)
}

/// Gradient noise, about −1 to 1.
#[inline]
pub fn perlin(p: Vec3) -> f32 {
    let (x, y, z) = (floor(p.x), floor(p.y), floor(p.z));
    let f = p - Vec3::new(x as f32, y as f32, z as f32);
    let w = f * f * f * (f * (f * 6.0 - 15.0) + 10.0);
    let spread = |v: i32, k: u32| [(v as u32).wrapping_mul(k), ((v + 1) as u32).wrapping_mul(k)];
    let hx = spread(x, 0x9E37_79B1);
    let hy = spread(y, 0x85EB_CA77);
    let hz = spread(z, 0xC2B2_AE3D);
    let corner = |dx: usize, dy: usize, dz: usize| {
        let h = (hx[dx] ^ hy[dy] ^ hz[dz]).wrapping_mul(0x2C1B_3C6D);
        let g = &GRADIENTS[((h ^ (h >> 13)) >> 15 & 15) as usize];
        g[0] * (f.x - dx as f32) + g[1] * (f.y - dy as f32) + g[2] * (f.z - dz as f32)
    };
    let lerp = |a: f32, b: f32, t: f32| a + (b - a) * t;
    let face = |dz: usize| {
        lerp(
            lerp(corner(0, 0, dz), corner(1, 0, dz), w.x),
            lerp(corner(0, 1, dz), corner(1, 1, dz), w.x),
            w.y,
        )
    };
    lerp(face(0), face(1), w.z)
}

/// Octaves of noise, each half as strong and twice as fine.
pub fn fbm(p: Vec3, octaves: u32) -> f32 {
    let (mut sum, mut strength, mut q) = (0.0, 0.5, p);
    for _ in 0..octaves {
        sum += strength * perlin(q);
        strength *= 0.5;
        q = q * 2.03 + Vec3::splat(17.3);
    }
    sum
}

/// 0 below `a`, 1 above `b`, smooth between.
pub fn smoothstep(a: f32, b: f32, x: f32) -> f32 {
    let t = ((x - a) / (b - a)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}
