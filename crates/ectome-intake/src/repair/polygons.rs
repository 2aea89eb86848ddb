//! N-gons become well-shaped triangles or quads.

use std::collections::HashMap;

use ectome_mesh::{Mesh, edit, pairing, triangulate};
use glam::Vec3;
use serde::{Deserialize, Serialize};

/// What n-gons become.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Into {
    /// Triangles as near to equilateral as the outline allows: those of Delaunay's rule.
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

/// Takes pairs of triangles that make a good quad out of the list, best first.
fn pair(places: &[Vec3], triangles: &mut Vec<[u32; 3]>) -> Vec<[u32; 4]> {
    let candidates = inner_sides(triangles).into_iter().map(|([a, b], [i, j])| {
        let (c, d) = (apex(triangles[i], a, b), apex(triangles[j], a, b));
        let forward = (0..3).any(|k| triangles[i][k] == a && triangles[i][(k + 1) % 3] == b);
        (if forward { [a, d, b, c] } else { [b, d, a, c] }, [i, j])
    });
    let made = pairing::good_quads(|i| places[i as usize], candidates, triangles.len());
    let mut taken = vec![false; triangles.len()];
    made.iter()
        .for_each(|&(_, [i, j])| (taken[i], taken[j]) = (true, true));
    let mut i = 0;
    triangles.retain(|_| {
        i += 1;
        !taken[i - 1]
    });
    made.into_iter().map(|(quad, _)| quad).collect()
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
