//! How often a surface goes around a place: 1 inside a closed surface that faces outward, 0 outside, anything between beside a hole
//! (A. Jacobson et al., 2013). Far triangles are asked in groups, each as one dipole (G. Barill et al., 2018, first order).

use glam::{DVec3, Vec3};

/// A group is far enough when it is so many times its own radius away.
const FAR: f32 = 2.2;
/// The same where the number has to be fine.
const FAR_FINE: f32 = 4.5;
/// A group changes evenly across a ball when it is so many times the ball's radius further away.
const EVEN: f32 = 3.0;
/// The solid angle of everything around a place.
const FULL: f64 = 4.0 * std::f64::consts::PI;
/// Triangles of a leaf.
const LEAF: usize = 8;

/// A surface that answers winding numbers.
pub struct Winding {
    nodes: Vec<Node>,
    /// In the order of the leaves.
    triangles: Vec<[Vec3; 3]>,
}

/// A group of triangles: what they are together, and where their own groups or triangles stand.
#[derive(Clone, Copy, Default)]
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
    /// Groups triangles, corners counter-clockwise from outside. About 60 bytes a triangle.
    pub fn of(triangles: &[[Vec3; 3]]) -> Self {
        let triangles = divided(triangles);
        let mut out = Self {
            nodes: vec![Node::default(); groups(triangles.len())],
            triangles,
        };
        if !out.triangles.is_empty() {
            group(&mut out.triangles, 0, &mut out.nodes, 0);
        }
        out
    }

    /// The winding number at a place.
    pub fn at(&self, place: Vec3) -> f32 {
        self.summed(place, FAR)
    }

    /// The same to a few thousandths: for places in an opening, where the number changes so slowly that less would leave crumbs.
    pub fn finely_at(&self, place: Vec3) -> f32 {
        self.summed(place, FAR_FINE)
    }

    fn summed(&self, place: Vec3, far: f32) -> f32 {
        let mut sum = 0.0f64;
        self.walk(place, 0.0, far, |node, is_far| {
            if is_far {
                sum += f64::from(node.seen_from(place))
            } else {
                sum += solid_angles(self.own(node), place)
            }
        });
        (sum / FULL) as f32
    }

    /// The winding numbers at places that lie close together: what is far from all of them is asked once, at their middle, with how it
    /// changes from there. Off by less than .02 from what each alone says, which is less than what is asked for finely around the threshold.
    pub fn at_each(&self, places: &[Vec3], near: &mut Near, into: &mut Vec<f32>) {
        let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
        for &p in places {
            (low, high) = (low.min(p), high.max(p));
        }
        let middle = 0.5 * (low + high);
        let mut far = 0.0f64;
        let mut slope = DVec3::ZERO;
        near.leaves.clear();
        let radius = 0.5 * (high - low).length();
        self.walk(middle, radius, FAR, |node, is_far| {
            if is_far {
                far += f64::from(node.seen_from(middle));
                slope += node.change_at(middle);
            } else {
                near.leaves.push(*node)
            }
        });
        into.extend(places.iter().map(|&p| {
            let mut sum = far + slope.dot((p - middle).as_dvec3());
            for node in &near.leaves {
                sum += if node.is_far(p, 0.0, FAR) {
                    f64::from(node.seen_from(p))
                } else {
                    solid_angles(self.own(node), p)
                };
            }
            (sum / FULL) as f32
        }));
    }

    /// Visits the groups that are far from a ball and the leaves that are not.
    fn walk(&self, middle: Vec3, radius: f32, far: f32, mut visit: impl FnMut(&Node, bool)) {
        // Halves by rank are at most 32 deep, of which each leaves one waiting.
        let mut stack = [0u32; 64];
        let mut top = usize::from(!self.nodes.is_empty());
        while top > 0 {
            top -= 1;
            let at = stack[top];
            let node = &self.nodes[at as usize];
            let is_far = node.is_far(middle, radius, far);
            if is_far || node.count > 0 {
                visit(node, is_far);
                continue;
            }
            stack[top] = node.at;
            stack[top + 1] = at + 1;
            top += 2;
        }
    }

    /// The triangles of a leaf.
    fn own(&self, leaf: &Node) -> &[[Vec3; 3]] {
        &self.triangles[leaf.at as usize..(leaf.at + leaf.count) as usize]
    }
}

/// Surfaces of fewer triangles are asked as they are: dividing them would make more of them than it spares.
const FEW: usize = 2_000;
/// Sides longer than this part of the whole are halved. A group with a long triangle is large and hardly ever far.
const LONG: f32 = 1.0 / 150.0;

/// The triangles, with long ones halved along their longest sides: the same surface.
fn divided(triangles: &[[Vec3; 3]]) -> Vec<[Vec3; 3]> {
    if triangles.len() < FEW {
        return triangles.to_vec();
    }
    let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
    for &p in triangles.iter().flatten() {
        (low, high) = (low.min(p), high.max(p));
    }
    let most = (LONG * low.distance(high)).powi(2);
    let mut out = Vec::with_capacity(triangles.len());
    let mut stack = Vec::new();
    for &t in triangles {
        stack.push(t);
        while let Some(t) = stack.pop() {
            let sides = [0, 1, 2].map(|k| t[k].distance_squared(t[(k + 1) % 3]));
            let k = (0..3)
                .max_by(|&a, &b| sides[a].total_cmp(&sides[b]))
                .unwrap_or(0);
            if sides[k] <= most {
                out.push(t);
                continue;
            }
            let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
            let middle = 0.5 * (a + b);
            stack.push([a, middle, c]);
            stack.push([middle, b, c]);
        }
    }
    out
}

/// Groups that so many triangles make, their own included.
fn groups(count: usize) -> usize {
    match count {
        0 => 0,
        n if n <= LEAF => 1,
        n => 1 + groups(n / 2) + groups(n - n / 2),
    }
}

/// Stretches of more triangles than this are halved on two cores.
const SHARED: usize = 1 << 14;

/// Makes the groups of a stretch of triangles, which are put in order along the way. The first triangle is the `from`-th of all, the
/// first group the `own`-th.
fn group(triangles: &mut [[Vec3; 3]], from: usize, nodes: &mut [Node], own: usize) {
    let (mut area, mut moment, mut dipole) = (0.0f64, DVec3::ZERO, DVec3::ZERO);
    let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
    for &[a, b, c] in &*triangles {
        let n = 0.5 * (b - a).as_dvec3().cross((c - a).as_dvec3());
        let size = n.length();
        let middle = (a + b + c) / 3.0;
        area += size;
        moment += size * middle.as_dvec3();
        dipole += n;
        (low, high) = (low.min(middle), high.max(middle));
    }
    let middle = if area > 0.0 {
        (moment / area).as_vec3()
    } else {
        0.5 * (low + high)
    };
    let radius = triangles
        .iter()
        .flatten()
        .map(|p| p.distance_squared(middle))
        .fold(0.0, f32::max)
        .sqrt();
    let count = triangles.len();
    let is_leaf = count <= LEAF;
    let (node, rest) = nodes.split_at_mut(1);
    node[0] = Node {
        middle,
        radius,
        dipole: dipole.as_vec3(),
        at: from as u32,
        count: if is_leaf { count as u32 } else { 0 },
    };
    if is_leaf {
        return;
    }
    // Halved along the longest side; by rank, so that the tree is as deep as the logarithm says whatever lies where.
    let side = high - low;
    let axis = (0..3)
        .max_by(|&a, &b| side[a].total_cmp(&side[b]))
        .unwrap_or(0);
    let half = count / 2;
    triangles.select_nth_unstable_by(half, |a, b| {
        let key = |t: &[Vec3; 3]| t[0][axis] + t[1][axis] + t[2][axis];
        key(a).total_cmp(&key(b))
    });
    let first = groups(half);
    node[0].at = (own + 1 + first) as u32;
    let (left, right) = triangles.split_at_mut(half);
    let (left_nodes, right_nodes) = rest.split_at_mut(first);
    let mut both = (
        || group(left, from, left_nodes, own + 1),
        || group(right, from + half, right_nodes, own + 1 + first),
    );
    if count > SHARED {
        rayon::join(both.0, both.1);
    } else {
        both.0();
        both.1();
    }
}

impl Node {
    /// Far enough from a ball to be seen as one dipole, which changes evenly across it.
    fn is_far(&self, middle: Vec3, radius: f32, far: f32) -> bool {
        let far = far * self.radius + EVEN * radius;
        self.middle.distance_squared(middle) > far * far
    }

    /// The solid angle that the dipole d fills as seen along w: d·w / |w|³.
    fn seen_from(&self, place: Vec3) -> f32 {
        let way = self.middle - place;
        let squared = way.length_squared();
        self.dipole.dot(way) / (squared * squared.sqrt())
    }

    /// How that changes as the place moves: (3 (d·w) w / |w|² − d) / |w|³.
    fn change_at(&self, place: Vec3) -> DVec3 {
        let way = self.middle - place;
        let squared = way.length_squared();
        let slope = way * (3.0 * self.dipole.dot(way) / squared) - self.dipole;
        (slope / (squared * squared.sqrt())).as_dvec3()
    }
}

/// Room for what lies close to places that are asked together, used again from one group of places to the next.
#[derive(Default)]
pub struct Near {
    leaves: Vec<Node>,
}

/// The solid angles that some triangles fill as seen from a place, signed, together.
///
/// Half the angle of each is the argument of a complex number (A. Van Oosterom, J. Strackee, *The Solid Angle of a Plane Triangle*,
/// 1983). Arguments are added by multiplying the numbers, which spares an arctangent for each; each time the sum passes half a turn a
/// whole one is counted.
fn solid_angles(triangles: &[[Vec3; 3]], place: Vec3) -> f64 {
    let (mut re, mut im) = (1.0f64, 0.0f64);
    let mut turns = 0.0;
    for t in triangles {
        let [a, b, c] = t.map(|p| p - place);
        let (la, lb, lc) = (a.length(), b.length(), c.length());
        let over = f64::from(a.dot(b.cross(c)));
        let under = f64::from(la * lb * lc + a.dot(b) * lc + b.dot(c) * la + c.dot(a) * lb);
        let (r, i) = (re * under - im * over, re * over + im * under);
        match (im >= 0.0, over >= 0.0, i >= 0.0) {
            (true, true, false) => turns += 1.0,
            (false, false, true) => turns -= 1.0,
            _ => {}
        }
        // Kept at a size that neither vanishes nor overflows.
        let size = r.abs() + i.abs();
        (re, im) = if size > 0.0 {
            (r / size, i / size)
        } else {
            (1.0, 0.0)
        };
    }
    2.0 * (im.atan2(re) + turns * std::f64::consts::TAU)
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
            let exact: f64 = open.iter().map(|&t| solid_angles(&[t], place)).sum();
            let exact = exact / (4.0 * std::f64::consts::PI);
            let single = winding.at(place);
            assert!((f64::from(single) - exact).abs() < 0.02, "{exact}");
            // So do places asked together.
            let beside: Vec<Vec3> = (0..8)
                .map(|k| {
                    place + 0.04 * Vec3::new((k & 1) as f32, (k >> 1 & 1) as f32, (k >> 2) as f32)
                })
                .collect();
            let mut together = Vec::new();
            winding.at_each(&beside, &mut Near::default(), &mut together);
            for (&p, w) in beside.iter().zip(together) {
                assert!((w - winding.at(p)).abs() < 0.02, "{w} {}", winding.at(p));
            }
        }
    }
}
