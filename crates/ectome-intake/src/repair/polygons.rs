//! N-gons become well-shaped triangles or quads.

use std::collections::HashMap;

use ectome_mesh::{Mesh, edit, triangulate};
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// What n-gons become.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Into {
    /// Triangles as near to equilateral as the outline allows.
    Triangles,
    /// Quads where two such triangles make a good one, triangles where not.
    #[default]
    Quads,
}

/// What was split.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Divided {
    /// N-gons that were there.
    pub ngons: usize,
    /// Triangles made of them.
    pub triangles: usize,
    /// Quads made of them.
    pub quads: usize,
}

/// Splits faces of more than four corners; quads and triangles stay.
pub fn divide(mesh: &Mesh, into: Into) -> (Mesh, Divided) {
    let mut done = Divided::default();
    let out = edit::rebuilt(mesh, |_, face, sink| {
        if face.len() <= 4 {
            return sink.push(face);
        }
        done.ngons += 1;
        let places: Vec<Vec3> = face.iter().map(|&v| mesh.position(v)).collect();
        let mut triangles = triangulate::polygon(&places);
        even_out(&places, &mut triangles);
        let quads = match into {
            Into::Triangles => Vec::new(),
            Into::Quads => pair(&places, &mut triangles),
        };
        done.triangles += triangles.len();
        done.quads += quads.len();
        for q in quads {
            sink.push(&q.map(|i| face[i as usize]));
        }
        for t in triangles {
            sink.push(&t.map(|i| face[i as usize]));
        }
    });
    (out, done)
}

/// The corner of `t` that is not on the side `a`–`b`.
fn apex(t: [u32; 3], a: u32, b: u32) -> u32 {
    t.into_iter().find(|&c| c != a && c != b).unwrap_or(t[0])
}

/// The inner sides of the triangles: their ends (lower first) and the two triangles.
fn inner_sides(triangles: &[[u32; 3]]) -> Vec<([u32; 2], [usize; 2])> {
    let mut seen: HashMap<[u32; 2], usize> = HashMap::new();
    let mut inner = Vec::new();
    for (i, t) in triangles.iter().enumerate() {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            let key = [a.min(b), a.max(b)];
            match seen.get(&key) {
                Some(&j) => inner.push((key, [j, i])),
                None => {
                    seen.insert(key, i);
                }
            }
        }
    }
    inner
}

/// Flips inner sides until opposite angles sum to at most half a turn (B. Delaunay, *Sur la sphère vide*, 1934,
/// by the flips of C. Lawson, 1977), never over the polygon's outline.
fn even_out(places: &[Vec3], triangles: &mut [[u32; 3]]) {
    let p = |i: u32| places[i as usize];
    let angle = |at: u32, a: u32, b: u32| (p(a) - p(at)).angle_between(p(b) - p(at));
    let normal = |t: [u32; 3]| (p(t[1]) - p(t[0])).cross(p(t[2]) - p(t[0]));
    for _ in 0..4 * places.len() {
        let worst = inner_sides(triangles)
            .into_iter()
            .filter_map(|([a, b], [i, j])| {
                let (c, d) = (apex(triangles[i], a, b), apex(triangles[j], a, b));
                let sum = angle(c, a, b) + angle(d, a, b);
                // In the order of the first triangle: a → b → c or b → a → c.
                let forward =
                    (0..3).any(|k| triangles[i][k] == a && triangles[i][(k + 1) % 3] == b);
                let (from, to) = if forward { (a, b) } else { (b, a) };
                let new = [[from, d, c], [d, to, c]];
                let up = normal(triangles[i]) + normal(triangles[j]);
                let least = 1e-6 * up.length_squared();
                let sound = new.iter().all(|t| normal(*t).dot(up) > least);
                (sum > std::f32::consts::PI + 1e-4 && sound).then_some((sum, new, i, j))
            })
            .max_by(|x, y| x.0.total_cmp(&y.0));
        let Some((_, new, i, j)) = worst else { return };
        triangles[i] = new[0];
        triangles[j] = new[1];
    }
}

/// Takes pairs of triangles that make a good quad out of the list, best first.
fn pair(places: &[Vec3], triangles: &mut Vec<[u32; 3]>) -> Vec<[u32; 4]> {
    let p = |i: u32| places[i as usize];
    let mut choices: Vec<(f32, [u32; 4], [usize; 2])> = inner_sides(triangles)
        .into_iter()
        .filter_map(|([a, b], [i, j])| {
            let (c, d) = (apex(triangles[i], a, b), apex(triangles[j], a, b));
            let forward = (0..3).any(|k| triangles[i][k] == a && triangles[i][(k + 1) % 3] == b);
            let quad = if forward { [a, d, b, c] } else { [b, d, a, c] };
            // The worst corner's distance from a right angle.
            let bend = (0..4)
                .map(|k| {
                    let [o, x, y] = [quad[k], quad[(k + 1) % 4], quad[(k + 3) % 4]];
                    let angle = (p(x) - p(o)).angle_between(p(y) - p(o));
                    (angle - std::f32::consts::FRAC_PI_2).abs()
                })
                .fold(0.0, f32::max);
            let corner = |k: usize| {
                let [o, x, y] = [quad[k], quad[(k + 1) % 4], quad[(k + 3) % 4]];
                (p(x) - p(o)).cross(p(y) - p(o))
            };
            let up: Vec3 = (0..4).map(corner).sum();
            let convex = (0..4).all(|k| corner(k).dot(up) > 1e-4 * up.length_squared());
            (convex && bend < 1.25).then_some((bend, quad, [i, j]))
        })
        .collect();
    choices.sort_by(|x, y| x.0.total_cmp(&y.0));
    let mut taken = vec![false; triangles.len()];
    let mut quads = Vec::new();
    for (_, quad, [i, j]) in choices {
        if !taken[i] && !taken[j] {
            taken[i] = true;
            taken[j] = true;
            quads.push(quad);
        }
    }
    let mut i = 0;
    triangles.retain(|_| {
        i += 1;
        !taken[i - 1]
    });
    quads
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, measure};
    use proptest::prelude::*;

    fn polygon(places: Vec<Vec3>) -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.primitive(Primitive {
            corners: (0..places.len() as u32).collect(),
            face_sizes: vec![places.len() as u32],
            positions: places,
            ..Primitive::default()
        });
        builder.finish()
    }

    fn star(radii: &[f32]) -> Mesh {
        let n = radii.len() as f32;
        polygon(
            radii
                .iter()
                .enumerate()
                .map(|(i, r)| {
                    let turn = std::f32::consts::TAU * i as f32 / n;
                    Vec3::new(r * turn.cos(), r * turn.sin(), 0.0)
                })
                .collect(),
        )
    }

    #[test]
    fn a_strip_becomes_good_quads() {
        // A bar of 6 × 1 with points along both long sides: three n-gon corners a metre.
        let mut places: Vec<Vec3> = (0..=6).map(|i| Vec3::new(i as f32, 0.0, 0.0)).collect();
        places.extend((0..=6).rev().map(|i| Vec3::new(i as f32, 1.0, 0.0)));
        let (mesh, done) = divide(&polygon(places), Into::Quads);
        assert_eq!((done.ngons, done.quads, done.triangles), (1, 6, 0));
        assert_eq!(mesh.quads_and_ngons(), (6, 0));
    }

    proptest! {
        // The area of a polygon by the shoelace formula: ½ Σ rᵢ rᵢ₊₁ sin(2π/n).
        #[test]
        fn the_area_is_kept_and_nothing_turns_over(radii in prop::collection::vec(0.3f32..2.0, 5..24), quads in any::<bool>()) {
            let n = radii.len();
            let step = std::f64::consts::TAU / n as f64;
            let area: f64 = (0..n)
                .map(|i| 0.5 * f64::from(radii[i]) * f64::from(radii[(i + 1) % n]) * step.sin())
                .sum();
            let into = if quads { Into::Quads } else { Into::Triangles };
            let (mesh, _) = divide(&star(&radii), into);
            prop_assert!(mesh.check().is_ok());
            prop_assert_eq!(mesh.quads_and_ngons().1, 0);
            let flat = ectome_mesh::triangulate::triangulate(&mesh).0;
            prop_assert!((measure::area(&flat) - area).abs() < 1e-4 * area);
            for f in 0..flat.face_count() {
                prop_assert!(measure::area_vector(flat.triangle(f)).z >= 0.0);
            }
        }
    }
}
