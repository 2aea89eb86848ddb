//! How often a surface goes around a place: 1 inside a closed surface that faces outward, 0 outside, anything between beside a hole
//! (A. Jacobson et al., 2013). Far triangles are asked in groups, each as one dipole (G. Barill et al., 2018, first order).

use glam::{DVec3, Vec3};

/// A group is far enough when it is so many times its own radius away.
const FAR: f32 = 2.2;
/// Triangles of a leaf.
const LEAF: usize = 8;

/// A surface that answers winding numbers.
pub struct Winding {
    nodes: Vec<Node>,
    /// In the order of the leaves.
    triangles: Vec<[Vec3; 3]>,
}

/// A group of triangles: what they are together, and where their own groups or triangles stand.
#[derive(Clone, Copy)]
struct Node {
    /// Their middle, by area.
    middle: Vec3,
    /// The farthest corner from it.
    radius: f32,
    /// The sum of their areas along their normals.
    dipole: Vec3,
    /// The first triangle, for a leaf; else the second group, the first of which follows.
    at: u32,
    /// Triangles of a leaf; 0 for a group of groups.
    count: u32,
}

impl Winding {
    /// Groups triangles, corners counter-clockwise from outside. About 100 bytes a triangle.
    pub fn of(triangles: &[[Vec3; 3]]) -> Self {
        let mut out = Self {
            nodes: Vec::with_capacity(triangles.len() / 2 + 1),
            triangles: triangles.to_vec(),
        };
        if !triangles.is_empty() {
            out.group(0, triangles.len());
        }
        out
    }

    /// Adds the group of a stretch of triangles, which are put in order along the way.
    fn group(&mut self, from: usize, to: usize) {
        let own = self.nodes.len();
        let stretch = &self.triangles[from..to];
        let (mut area, mut moment, mut dipole) = (0.0f64, DVec3::ZERO, DVec3::ZERO);
        let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        for &[a, b, c] in stretch {
            let n = 0.5 * (b - a).as_dvec3().cross((c - a).as_dvec3());
            let size = n.length();
            let middle = (a + b + c) / 3.0;
            area += size;
            moment += size * middle.as_dvec3();
            dipole += n;
            (low, high) = (low.min(middle), high.max(middle));
        }
        let middle = match area > 0.0 {
            true => (moment / area).as_vec3(),
            false => 0.5 * (low + high),
        };
        let radius = stretch
            .iter()
            .flatten()
            .map(|p| p.distance(middle))
            .fold(0.0, f32::max);
        let is_leaf = to - from <= LEAF;
        self.nodes.push(Node {
            middle,
            radius,
            dipole: dipole.as_vec3(),
            at: from as u32,
            count: if is_leaf { (to - from) as u32 } else { 0 },
        });
        if is_leaf {
            return;
        }
        // Halved along the longest side; by rank, so that the tree is as deep as the logarithm says whatever lies where.
        let side = high - low;
        let axis = (0..3)
            .max_by(|&a, &b| side[a].total_cmp(&side[b]))
            .unwrap_or(0);
        let half = (to - from) / 2;
        self.triangles[from..to].select_nth_unstable_by(half, |a, b| {
            let key = |t: &[Vec3; 3]| t[0][axis] + t[1][axis] + t[2][axis];
            key(a).total_cmp(&key(b))
        });
        self.group(from, from + half);
        self.nodes[own].at = self.nodes.len() as u32;
        self.group(from + half, to);
    }

    /// The winding number at a place.
    pub fn at(&self, place: Vec3) -> f32 {
        let mut sum = 0.0f64;
        let mut stack = [0u32; 64];
        let mut top = usize::from(!self.nodes.is_empty());
        while top > 0 {
            top -= 1;
            let at = stack[top];
            let node = &self.nodes[at as usize];
            let way = node.middle - place;
            let squared = way.length_squared();
            if squared > (FAR * node.radius) * (FAR * node.radius) {
                sum += f64::from(node.dipole.dot(way) / (squared * squared.sqrt()));
                continue;
            }
            if node.count > 0 {
                let from = node.at as usize;
                for t in &self.triangles[from..from + node.count as usize] {
                    sum += solid_angle(t, place);
                }
            } else if top + 2 <= stack.len() {
                stack[top] = node.at;
                stack[top + 1] = at + 1;
                top += 2;
            }
        }
        (sum / (4.0 * std::f64::consts::PI)) as f32
    }
}

/// The solid angle that a triangle fills as seen from a place, signed (A. Van Oosterom, J. Strackee, *The Solid Angle of a Plane
/// Triangle*, 1983).
fn solid_angle(t: &[Vec3; 3], place: Vec3) -> f64 {
    let [a, b, c] = t.map(|p| (p - place).as_dvec3());
    let (la, lb, lc) = (a.length(), b.length(), c.length());
    let over = a.dot(b.cross(c));
    let under = la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb;
    2.0 * over.atan2(under)
}

#[cfg(test)]
mod tests {
    use ectome_mesh::{Mesh, shapes};

    use super::*;

    fn triangles(mesh: &Mesh) -> Vec<[Vec3; 3]> {
        (0..mesh.face_count()).map(|f| mesh.triangle(f)).collect()
    }

    #[test]
    fn a_ball_goes_once_around_what_it_holds() {
        let winding = Winding::of(&triangles(&shapes::icosphere(1.0, 5)));
        for k in 0..200 {
            let turn = k as f32 * 0.7;
            let way = Vec3::new(turn.sin(), (1.3 * turn).cos(), (0.4 * turn).sin()).normalize();
            assert!(
                (winding.at(way * 0.97) - 1.0).abs() < 0.06,
                "{}",
                winding.at(way * 0.97)
            );
            assert!(
                winding.at(way * 1.03).abs() < 0.06,
                "{}",
                winding.at(way * 1.03)
            );
            assert!(winding.at(way * 9.0).abs() < 0.01);
        }
        assert_eq!(Winding::of(&[]).at(Vec3::ZERO), 0.0);
    }

    /// Groups give what each triangle by itself gives.
    #[test]
    fn groups_agree_with_single_triangles() {
        let all = triangles(&shapes::icosphere(1.0, 4));
        let open = &all[..all.len() / 2];
        let winding = Winding::of(open);
        for k in 0..100 {
            let turn = k as f32 * 0.31;
            let place = Vec3::new(turn.cos(), 0.8 * (2.1 * turn).sin(), (0.7 * turn).sin()) * 1.3;
            let exact: f64 = open.iter().map(|t| solid_angle(t, place)).sum();
            let exact = exact / (4.0 * std::f64::consts::PI);
            assert!(
                (f64::from(winding.at(place)) - exact).abs() < 0.02,
                "{exact}"
            );
        }
    }
}
