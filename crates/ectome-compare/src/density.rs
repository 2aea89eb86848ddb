//! How many texels a surface gets.

use ectome_mesh::{Mesh, measure};

/// Texel density and what is wrong with a UV map, for the first UV set.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Density {
    /// Mean over the area, in UV lengths per metre: times the edge of a texture it is texels per metre.
    pub mean: f64,
    /// Standard deviation over the mean.
    pub spread: f64,
    /// Triangles that lie inside-out on the map.
    pub inverted: usize,
    /// Triangles without area on the map.
    pub flat: usize,
    /// Share of the area (0–1) that the map draws out along one direction to more than twice that across it: the two
    /// singular values of P. Sander et al., *Texture Mapping Progressive Meshes*, 2001, differ by that much.
    pub stretched: f64,
}

/// Singular values that differ by this much count as stretched.
const STRETCHED: f64 = 2.0;

/// Measures an all-triangle mesh; `None` without UVs. The density of a triangle is the square root of its area on the
/// map over its area in space.
pub fn of(mesh: &Mesh) -> Option<Density> {
    let uvs = mesh.uv_sets.first()?;
    let (mut weight, mut sum, mut squares, mut stretched) = (0.0, 0.0, 0.0, 0.0);
    let mut out = Density::default();
    for f in 0..mesh.face_count() {
        let [a, b, c] = [0, 1, 2].map(|k| uvs[mesh.face(f)[k] as usize].as_dvec2());
        let on_map = (b - a).perp_dot(c - a);
        let in_space = measure::area_vector(mesh.triangle(f)).length() * 2.0;
        // The UV origin is at the top left, so what faces the viewer turns clockwise in these figures.
        out.inverted += usize::from(on_map > 0.0);
        out.flat += usize::from(on_map.abs() < 1e-14);
        if in_space > 0.0 && on_map != 0.0 {
            let places = mesh.triangle(f).map(|p| p.as_dvec3());
            let (e1, e2) = (places[1] - places[0], places[2] - places[0]);
            let (d1, d2) = (b - a, c - a);
            // How the place moves along u and along v.
            let along_u = (e1 * d2.y - e2 * d1.y) / on_map;
            let along_v = (e2 * d1.x - e1 * d2.x) / on_map;
            let (p, q, r) = (
                along_u.dot(along_u),
                along_u.dot(along_v),
                along_v.dot(along_v),
            );
            let root = ((p - r).powi(2) + 4.0 * q * q).sqrt();
            let ratio = ((p + r + root) / (p + r - root).max(f64::MIN_POSITIVE)).sqrt();
            if ratio > STRETCHED {
                stretched += in_space;
            }
        }
        if in_space > 0.0 {
            let density = (on_map.abs() / in_space).sqrt();
            weight += in_space;
            sum += in_space * density;
            squares += in_space * density * density;
        }
    }
    if weight == 0.0 || sum == 0.0 {
        return None;
    }
    out.mean = sum / weight;
    out.stretched = stretched / weight;
    out.spread = (squares / weight - out.mean * out.mean).max(0.0).sqrt() / out.mean;
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive};
    use glam::{Vec2, Vec3};

    fn square(size: f32, uv: f32, mirrored: bool) -> Primitive {
        let corners = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]].map(Vec2::from_array);
        Primitive {
            positions: corners.map(|c| (c * size).extend(0.0)).to_vec(),
            uv_sets: vec![
                corners
                    .map(|c| {
                        let across = if mirrored { 1.0 - c.x } else { c.x };
                        Vec2::new(across, 1.0 - c.y) * uv
                    })
                    .to_vec(),
            ],
            corners: vec![0, 1, 2, 0, 2, 3],
            ..Primitive::default()
        }
    }

    /// Hand-worked: a square of 2 m over half the map has 0.25 UV lengths to the metre; beside one of 1 m with 0.5, the
    /// mean over areas 4 and 1 is 0.3 and the standard deviation 0.1.
    #[test]
    fn two_squares_have_the_hand_worked_density() {
        let mut builder = MeshBuilder::new();
        builder.primitive(square(2.0, 0.5, false));
        let one = builder.finish();
        let d = of(&one).unwrap();
        assert!((d.mean - 0.25).abs() < 1e-6 && d.spread < 1e-6, "{d:?}");
        assert_eq!((d.inverted, d.flat), (0, 0));
        let mut builder = MeshBuilder::new();
        builder.primitive(square(2.0, 0.5, false));
        let mut other = square(1.0, 0.5, true);
        other.positions.iter_mut().for_each(|p| *p += Vec3::X * 9.0);
        builder.primitive(other);
        let d = of(&builder.finish()).unwrap();
        assert!((d.mean - 0.3).abs() < 1e-6, "{d:?}");
        assert!((d.spread - 0.1 / 0.3).abs() < 1e-6, "{d:?}");
        assert_eq!(d.inverted, 2);
        assert_eq!(of(&ectome_mesh::shapes::icosphere(1.0, 1)), None);
    }

    /// Hand-worked: a square drawn out to three times its width on the map is stretched, one to 1.5 times is not.
    #[test]
    fn what_is_drawn_out_is_stretched() {
        for (wide, share) in [(3.0, 1.0), (1.5, 0.0)] {
            let mut plate = square(1.0, 0.25, false);
            plate.uv_sets[0].iter_mut().for_each(|t| t.x *= wide);
            let mut builder = MeshBuilder::new();
            builder.primitive(plate);
            assert_eq!(of(&builder.finish()).unwrap().stretched, share);
        }
    }
}
