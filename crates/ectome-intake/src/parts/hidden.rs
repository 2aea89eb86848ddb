//! Faces that nobody can see from outside.
//!
//! A face is seen when a ray from some place on it gets away from the whole mesh. Rays go out in many
//! directions from both sides, since whether a material shows its back is not the mesh's to say. Small faces that lie together
//! are asked together first: what is buried deep takes all its rays in vain, and there most of the time would go. Faces
//! beside seen ones are asked again with eight times as many rays, rays from outside look in through what is open,
//! and one ring around what is seen always
//! stays, so that the border of what is left is never itself in view.

use ectome_mesh::{
    Cancelled, Mesh, Progress, edit, measure,
    rays::{Blocker, directions},
    triangulate::triangulate,
};
use glam::Vec3;
use rayon::prelude::*;

/// Directions asked of each place.
pub const DIRECTIONS: usize = 192;

/// Times as many for faces beside seen ones.
const FINE: usize = 8;

/// Rays that must get away: a single one may slip through the edge between two faces.
const ENOUGH: usize = 2;

/// Directions from which the mesh is looked at from outside, and rays across in each.
const VIEWS: usize = 64;
const ACROSS: usize = 224;

/// What [`remove`] did, or would do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Hidden {
    /// Triangles nobody sees.
    pub triangles: usize,
    /// The same for each part.
    pub per_part: Vec<usize>,
}

/// Marks the faces nobody sees from outside.
///
/// # Errors
/// [`Cancelled`].
pub fn find(mesh: &Mesh, progress: &Progress) -> Result<Vec<bool>, Cancelled> {
    let (flat, _) = triangulate(mesh);
    let blocker = Blocker::for_many_rays(&flat);
    progress.at(0.2)?;
    let size = measure::bounds(mesh).diagonal();
    let mut origin = Vec::with_capacity(flat.face_count());
    for f in 0..mesh.face_count() {
        origin.extend(std::iter::repeat_n(f as u32, mesh.face(f).len() - 2));
    }
    let coarse = directions(DIRECTIONS);
    let n = flat.face_count();
    let mut seen = vec![false; n];
    let groups = groups(&flat, size);
    const AT_ONCE: usize = 1 << 13;
    for (i, some) in groups.chunks(AT_ONCE).enumerate() {
        progress.at(0.2 + 0.4 * (i * AT_ONCE) as f32 / groups.len().max(1) as f32)?;
        let found: Vec<u32> = some
            .par_iter()
            .filter(|group| group.len() == 1 || any_is_seen(&flat, &blocker, group, size, &coarse))
            .flat_map_iter(|group| group.iter().copied())
            .filter(|&t| is_seen(&flat, &blocker, t as usize, size, &coarse))
            .collect();
        found.iter().for_each(|&t| seen[t as usize] = true);
    }
    progress.at(0.6)?;
    if !seen.iter().all(|&s| s) {
        look_in(&blocker, mesh, &mut seen);
    }
    // Where seen and unseen meet, look closer, and follow what that finds.
    let fine = directions(FINE * DIRECTIONS);
    let mut asked = seen.clone();
    for round in 0..32 {
        progress.at(0.7 + 0.3 * round as f32 / 32.0)?;
        let near = seen_points(&flat, &seen);
        let beside: Vec<u32> = (0..n as u32)
            .filter(|&t| {
                let points = flat.triangle_points(t as usize);
                !asked[t as usize] && points.iter().any(|&p| near[p as usize])
            })
            .collect();
        beside.iter().for_each(|&t| asked[t as usize] = true);
        let found: Vec<u32> = beside
            .into_par_iter()
            .filter(|&t| is_seen(&flat, &blocker, t as usize, size, &fine))
            .collect();
        if found.is_empty() {
            break;
        }
        found.iter().for_each(|&t| seen[t as usize] = true);
    }
    let near = seen_points(&flat, &seen);
    let mut hidden = vec![true; mesh.face_count()];
    for t in 0..n {
        if flat.triangle_points(t).iter().any(|&p| near[p as usize]) {
            hidden[origin[t] as usize] = false;
        }
    }
    Ok(hidden)
}

/// Marks what parallel rays from many sides meet first: a window shows more of what lies behind it than a
/// ray from there would find by chance.
fn look_in(blocker: &Blocker, mesh: &Mesh, seen: &mut [bool]) {
    let bounds = measure::bounds(mesh);
    let reach = 0.5 * bounds.diagonal();
    let met: Vec<u32> = directions(VIEWS)
        .into_par_iter()
        .flat_map_iter(|d| {
            let x = d.any_orthonormal_vector();
            let y = d.cross(x);
            let at = move |i: usize| ((i as f32 + 0.5) / ACROSS as f32 * 2.0 - 1.0) * reach;
            let rays = (0..ACROSS * ACROSS).map(move |i| (at(i % ACROSS), at(i / ACROSS)));
            let found: Vec<u32> = rays
                .filter_map(|(u, v)| {
                    let from = bounds.centre() + x * u + y * v - d * (2.0 * reach);
                    Some(blocker.first(from, d)?.0)
                })
                .collect();
            found
        })
        .collect();
    let mut count = vec![0u8; seen.len()];
    for t in met {
        count[t as usize] = count[t as usize].saturating_add(1);
    }
    for (s, n) in seen.iter_mut().zip(count) {
        *s |= usize::from(n) >= ENOUGH;
    }
}

/// Drops the faces nobody sees.
///
/// # Errors
/// [`Cancelled`].
pub fn remove(mesh: &Mesh, progress: &Progress) -> Result<(Mesh, Hidden), Cancelled> {
    let hidden = find(mesh, progress)?;
    let done = count(mesh, &hidden);
    let out = match done.triangles {
        0 => mesh.clone(),
        _ => edit::kept(mesh, |f| !hidden[f]),
    };
    Ok((out, done))
}

/// Counts marked faces in triangles.
pub fn count(mesh: &Mesh, hidden: &[bool]) -> Hidden {
    let part = mesh.part_of_faces();
    let mut done = Hidden {
        triangles: 0,
        per_part: vec![0; mesh.parts.len()],
    };
    for f in (0..hidden.len()).filter(|&f| hidden[f]) {
        let n = mesh.face(f).len() - 2;
        done.triangles += n;
        done.per_part[part[f] as usize] += n;
    }
    done
}

fn seen_points(mesh: &Mesh, seen: &[bool]) -> Vec<bool> {
    let mut near = vec![false; mesh.points.len()];
    for t in (0..seen.len()).filter(|&t| seen[t]) {
        mesh.triangle_points(t)
            .iter()
            .for_each(|&p| near[p as usize] = true);
    }
    near
}

/// Small triangles that lie together and look the same way are asked together first, so many at most…
const TOGETHER: usize = 32;
/// …within cubes of this share of the diagonal…
const CUBE: f32 = 0.01;
/// …from the middles of so many of them.
const ASKED: usize = 8;

/// The triangles in groups; those that are not small stand alone.
fn groups(mesh: &Mesh, size: f32) -> Vec<Vec<u32>> {
    let low = measure::bounds(mesh).min;
    let mut keyed: Vec<([i32; 3], u8, u32)> = (0..mesh.face_count() as u32)
        .into_par_iter()
        .map(|t| {
            let [a, b, c] = mesh.triangle(t as usize);
            if steps([a, b, c], size) != [1, 1] {
                return ([-1; 3], 0, t);
            }
            let cube = ((a + b + c) / 3.0 - low) / (CUBE * size).max(f32::MIN_POSITIVE);
            let normal = (b - a).cross(c - a);
            let axis = normal.abs().max_position();
            let side = 2 * axis as u8 + u8::from(normal[axis] < 0.0);
            (cube.as_ivec3().to_array(), side, t)
        })
        .collect();
    keyed.par_sort_unstable();
    let together = keyed.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1));
    together
        .flat_map(|same| {
            let most = if same[0].0 == [-1; 3] { 1 } else { TOGETHER };
            same.chunks(most)
        })
        .map(|some| some.iter().map(|&(.., t)| t).collect())
        .collect()
}

/// Whether a ray from the middle of some of these triangles gets away. Where none does from any, none is likely to from a triangle
/// among them.
fn any_is_seen(mesh: &Mesh, blocker: &Blocker, group: &[u32], size: f32, rays: &[Vec3]) -> bool {
    let off = 2e-6 * size;
    let stride = group.len().div_ceil(ASKED);
    let mut got_away = 0;
    group.iter().step_by(stride).any(|&t| {
        let [a, b, c] = mesh.triangle(t as usize);
        let normal = (b - a).cross(c - a).normalize_or_zero();
        let middle = (a + b + c) / 3.0;
        let shift = (t as usize * 31) % rays.len();
        let all = [normal, -normal].into_iter();
        let all = all.chain(rays[shift..].iter().chain(&rays[..shift]).copied());
        all.filter(|d| *d != Vec3::ZERO).any(|d| {
            let side = if d.dot(normal) < 0.0 { -off } else { off };
            got_away += usize::from(blocker.escapes(middle + normal * side, d, t));
            got_away >= ENOUGH
        })
    })
}

/// In how many steps along its longest side, and across, a triangle is asked: one each where it is small. A long thin one is asked
/// along its length only: what is seen of it differs little from one of its sides to the other.
fn steps([a, b, c]: [Vec3; 3], size: f32) -> [usize; 2] {
    let longest = (b - a).length().max((c - a).length()).max((c - b).length());
    let across = (b - a).cross(c - a).length() / longest.max(f32::MIN_POSITIVE);
    [longest, across].map(|reach| (reach / size * 24.0).ceil().clamp(1.0, 12.0) as usize)
}

/// The places at which a large triangle is asked: rows along its longest side, shorter ones towards the corner across.
fn spread([a, b, c]: [Vec3; 3], [along, across]: [usize; 2], into: &mut Vec<Vec3>) {
    let sides = [(b - a).length(), (c - b).length(), (a - c).length()];
    let (from, to, tip) = match sides {
        [x, y, z] if x >= y && x >= z => (a, b, c),
        [_, y, z] if y >= z => (b, c, a),
        _ => (c, a, b),
    };
    for row in 0..across {
        let height = (row as f32 + 1.0 / 3.0) / across as f32;
        let count = (along as f32 * (1.0 - height)).ceil() as usize;
        for i in 0..count {
            let share = (i as f32 + 0.5) / count as f32;
            into.push(from.lerp(to, share).lerp(tip, height));
        }
    }
}

/// Whether a ray from some place on triangle `t` gets away.
fn is_seen(mesh: &Mesh, blocker: &Blocker, t: usize, size: f32, rays: &[Vec3]) -> bool {
    let [a, b, c] = mesh.triangle(t);
    let normal = (b - a).cross(c - a).normalize_or_zero();
    let middle = (a + b + c) / 3.0;
    // Large faces are asked in more places.
    let steps = steps([a, b, c], size);
    let mut places = vec![middle];
    let share = match steps {
        [1, 1] => {
            places.extend([a, b, c].map(|p| middle.lerp(p, 0.8)));
            // The places of a small face see the same: they share the directions.
            places.len()
        }
        _ => {
            spread([a, b, c], steps, &mut places);
            1
        }
    };
    // The normal's own way first: most faces that are seen are seen that way.
    let straight = [normal, -normal].into_iter();
    let off = 2e-6 * size;
    let mut got_away = 0;
    places.iter().enumerate().any(|(k, &p)| {
        let shift = (t * 31 + k * 17) % rays.len();
        let own = rays[shift..].iter().chain(&rays[..shift]);
        let own = own.copied().skip(k % share).step_by(share);
        let all = straight.clone().chain(own);
        all.filter(|d| *d != Vec3::ZERO).any(|d| {
            let side = if d.dot(normal) < 0.0 { -off } else { off };
            got_away += usize::from(blocker.escapes(p + normal * side, d, t as u32));
            got_away >= ENOUGH
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive, edges::pieces, shapes};

    /// A box whose sides are grids of n × n quads; `gap` leaves quads of its front out.
    fn grid_box(builder: &mut MeshBuilder, size: f32, n: u32, gap: impl Fn(u32, u32) -> bool) {
        for axis in 0..3 {
            for side in [-0.5f32, 0.5] {
                let mut positions = Vec::new();
                for j in 0..=n {
                    for i in 0..=n {
                        let (u, v) = (i as f32 / n as f32 - 0.5, j as f32 / n as f32 - 0.5);
                        let mut p = Vec3::ZERO;
                        p[axis] = side;
                        p[(axis + 1) % 3] = u;
                        p[(axis + 2) % 3] = v;
                        positions.push(p * size);
                    }
                }
                let at = |i: u32, j: u32| j * (n + 1) + i;
                let mut corners = Vec::new();
                for j in 0..n {
                    for i in 0..n {
                        if axis == 2 && side > 0.0 && gap(i, j) {
                            continue;
                        }
                        let q = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
                        let q = if side > 0.0 {
                            q
                        } else {
                            [q[0], q[3], q[2], q[1]]
                        };
                        corners.extend([q[0], q[1], q[2], q[0], q[2], q[3]]);
                    }
                }
                builder.primitive(Primitive {
                    positions,
                    corners,
                    ..Primitive::default()
                });
            }
        }
    }

    #[test]
    fn of_a_closed_box_in_a_closed_box_exactly_the_inner_goes() {
        let mut builder = MeshBuilder::new();
        grid_box(&mut builder, 2.0, 4, |_, _| false);
        grid_box(&mut builder, 1.0, 4, |_, _| false);
        let mesh = builder.finish();
        let (left, done) = remove(&mesh, &Progress::new()).unwrap();
        left.check().unwrap();
        assert_eq!(done.triangles, 192);
        assert_eq!(pieces(&left).1, 1);
        assert!(left.points.iter().all(|p| p.abs().max_element() == 1.0));
    }

    // Faces so small that they are asked in groups: the window is four of 28 wide, and what it shows stays all the same.
    #[rstest::rstest]
    #[case::closed(false)]
    #[case::with_a_window(true)]
    fn small_faces_are_found_together(#[case] open: bool) {
        let mut builder = MeshBuilder::new();
        let window = |i: u32, j: u32| open && (12..16).contains(&i) && (12..16).contains(&j);
        grid_box(&mut builder, 2.0, 28, window);
        grid_box(&mut builder, 1.0, 16, |_, _| false);
        let mesh = builder.finish();
        let size = measure::bounds(&mesh).diagonal();
        assert!(groups(&mesh, size).iter().any(|g| g.len() > 1));
        let hidden = find(&mesh, &Progress::new()).unwrap();
        let outer = |f: usize| mesh.triangle(f).iter().any(|p| p.abs().max_element() > 0.9);
        assert!((0..hidden.len()).all(|f| !(outer(f) && hidden[f])));
        let inner_seen = (0..hidden.len())
            .filter(|&f| !outer(f) && !hidden[f])
            .count();
        if !open {
            assert_eq!(inner_seen, 0);
            return;
        }
        // Its face behind the window: all 16 × 16 quads of it, since the window shows the whole side from close by; little else.
        let front = |f: usize| mesh.triangle(f).iter().all(|p| (p.z - 0.5).abs() < 1e-6);
        let shown = (0..hidden.len())
            .filter(|&f| front(f) && !hidden[f])
            .count();
        let all = 2 * 16 * 16;
        assert!(shown * 10 >= all * 9, "{shown} of {all} in view");
        assert!(
            inner_seen <= shown + all / 4,
            "{inner_seen} in view, {shown} of them in front"
        );
    }

    // Against a search with 40 times as many rays: nothing that it sees may go, and what it never sees
    // (the inner box's far side) must.
    #[test]
    fn what_a_window_shows_stays() {
        let mut builder = MeshBuilder::new();
        let window = |i: u32, j: u32| (3..5).contains(&i) && (3..5).contains(&j);
        grid_box(&mut builder, 2.0, 8, window);
        grid_box(&mut builder, 0.8, 6, |_, _| false);
        let mesh = builder.finish();
        let hidden = find(&mesh, &Progress::new()).unwrap();
        let blocker = Blocker::of(&mesh);
        let many = directions(40 * DIRECTIONS);
        for f in (0..mesh.face_count()).filter(|&f| hidden[f]) {
            let seen = is_seen(&mesh, &blocker, f, 3.5, &many);
            assert!(!seen, "face {f} is in view");
        }
        let gone = hidden.iter().filter(|&&h| h).count();
        assert!(gone > 72, "the far side of the inner box goes: {gone}");
    }

    #[test]
    fn work_that_is_stopped_says_so() {
        let progress = Progress::new();
        progress.cancel();
        assert!(find(&shapes::icosphere(1.0, 2), &progress).is_err());
    }
}
