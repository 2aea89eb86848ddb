//! Cards: upright rectangles through the middle of a shape, that show pictures of it.
//!
//! Each stands on the axis that goes up through the middle of the bounds, all of them crossed at equal angles, and is exactly as wide as
//! the shape is in its plane (crossed billboards, *common practice, no published source*). This is where they stand and where on a sheet
//! their pictures lie; the pictures are baked by whoever has colours.

use ectome_mesh::Mesh;
use glam::{Vec2, Vec3};

use crate::{ProxyError, Rectangles};

/// How many cards, and how large their sheet is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CardSettings {
    /// Planes that cross: 1 to 4. One looks along Z.
    pub planes: u32,
    /// The back of each is a card of its own, with a picture from behind; else each is seen from both sides.
    pub own_back: bool,
    /// Width and height of the sheet of pictures, in texels.
    pub size: u32,
    /// Texels that are left free around each picture.
    pub padding: u32,
}

/// Cards as a mesh.
#[derive(Clone, Debug)]
pub struct Cards {
    /// Two triangles each, one part, with normals and UVs; in the order of the planes, each back behind its front.
    pub mesh: Mesh,
    /// How far the shape reaches out of any of their planes, in metres: so far outside rays that look for it must begin.
    pub depth_m: f32,
    /// Texels of the sheet to a metre.
    pub texels_per_metre: f32,
}

/// Free texels around what a card shows, so that its outline ends on the card.
const RIM: f32 = 1.0;

/// Cards that stand for a mesh.
///
/// # Errors
/// [`ProxyError::Empty`] where it has no height or no width; [`ProxyError::Sheet`] where the pictures find no room.
pub fn cards(mesh: &Mesh, settings: &CardSettings) -> Result<Cards, ProxyError> {
    let used = used_points(mesh);
    let (mut low, mut high) = (Vec3::INFINITY, Vec3::NEG_INFINITY);
    for &p in &used {
        low = low.min(p);
        high = high.max(p);
    }
    let height = high.y - low.y;
    if used.is_empty() || !(high - low).is_finite() || height <= 0.0 {
        return Err(ProxyError::Empty);
    }
    let middle = 0.5 * (low + high);
    let planes = settings.planes.clamp(1, 4);
    let mut depth = 0.0f32;
    // Along each plane: its direction to the right, from where to where.
    let mut spans = Vec::new();
    for k in 0..planes {
        let angle = std::f32::consts::PI * k as f32 / planes as f32;
        let right = Vec3::new(angle.cos(), 0.0, -angle.sin());
        let front = right.cross(Vec3::Y);
        let (mut from, mut to) = (f32::INFINITY, f32::NEG_INFINITY);
        for &p in &used {
            let at = p - middle;
            from = from.min(at.dot(right));
            to = to.max(at.dot(right));
            depth = depth.max(at.dot(front).abs());
        }
        if to - from <= 1e-4 * height {
            // Seen from its edge the shape is a line: there is nothing to show.
            continue;
        }
        spans.push((right, from, to));
        if settings.own_back {
            spans.push((-right, -to, -from));
        }
    }
    if spans.is_empty() {
        return Err(ProxyError::Empty);
    }
    let widest = spans.iter().map(|s| s.2 - s.1).fold(0.0, f32::max);
    let (columns, scale) = grid(spans.len(), [widest, height], settings)?;
    let rows = spans.len().div_ceil(columns);
    let size = settings.size as f32;
    let cell = Vec2::new(size / columns as f32, size / rows as f32);
    let mut rectangles = Rectangles::default();
    let rim = RIM / scale;
    for (k, &(right, from, to)) in spans.iter().enumerate() {
        let (from, to) = (from - rim, to + rim);
        let (bottom, top) = (low.y - rim, high.y + rim);
        let corner = Vec2::new((k % columns) as f32, (k / columns) as f32) * cell;
        // On whole texels, so that each picture's first is not shared.
        let corner = (corner + settings.padding as f32).ceil();
        let extent = Vec2::new(to - from, top - bottom) * scale;
        let corners = [(0.0, 1.0), (1.0, 1.0), (1.0, 0.0), (0.0, 0.0)].map(|(x, y)| {
            let along = from + (to - from) * x;
            let up = top + (bottom - top) * y;
            let place = Vec3::new(middle.x, up, middle.z) + right * along;
            (place, (corner + extent * Vec2::new(x, y)) / size)
        });
        rectangles.push(corners, right.cross(Vec3::Y));
    }
    Ok(Cards {
        mesh: rectangles.into_mesh("cards"),
        depth_m: depth.max(1e-3 * height),
        texels_per_metre: scale,
    })
}

/// The columns of a grid in which pictures as large as the largest are drawn at the most texels to a metre, and how many these are.
fn grid(
    count: usize,
    [width, height]: [f32; 2],
    settings: &CardSettings,
) -> Result<(usize, f32), ProxyError> {
    let free = 2.0 * (settings.padding as f32 + RIM + 1.0);
    let scale = |columns: usize| {
        let rows = count.div_ceil(columns);
        let room = |n: usize| settings.size as f32 / n as f32 - free;
        (room(columns) / width).min(room(rows) / height)
    };
    let best = (1..=count).max_by(|&a, &b| scale(a).total_cmp(&scale(b)).then(b.cmp(&a)));
    let columns = best.unwrap_or(1);
    match scale(columns) {
        scale if scale > 0.0 && scale.is_finite() => Ok((columns, scale)),
        _ => Err(ProxyError::Sheet(settings.size)),
    }
}

fn used_points(mesh: &Mesh) -> Vec<Vec3> {
    let mut is_used = vec![false; mesh.points.len()];
    for &v in &mesh.corners {
        is_used[mesh.vertex_point[v as usize] as usize] = true;
    }
    let points = mesh.points.iter().zip(is_used);
    points.filter_map(|(&p, used)| used.then_some(p)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{measure, shapes};
    use proptest::prelude::*;
    use rstest::rstest;

    fn settings(planes: u32, own_back: bool) -> CardSettings {
        CardSettings {
            planes,
            own_back,
            size: 256,
            padding: 2,
        }
    }

    /// Closed form: cards of a box that cross at right angles are as large as its sides, but for the rim of a texel.
    #[rstest]
    #[case(1, false, 2)]
    #[case(2, false, 4)]
    #[case(2, true, 8)]
    #[case(3, true, 12)]
    fn cards_are_as_large_as_the_shape(
        #[case] planes: u32,
        #[case] own_back: bool,
        #[case] triangles: usize,
    ) {
        let mesh = shapes::cuboid(Vec3::new(1.0, 3.0, 2.0));
        let made = cards(&mesh, &settings(planes, own_back)).unwrap();
        assert_eq!(made.mesh.triangle_count(), triangles);
        made.mesh.check().unwrap();
        let rim = 2.0 / made.texels_per_metre;
        let sides = if own_back { 2.0 } else { 1.0 };
        let area = measure::area(&made.mesh);
        let rimmed = |w: f32| f64::from((w + rim) * (3.0 + rim));
        match planes {
            1 => assert!((area - rimmed(1.0)).abs() < 1e-4),
            2 => assert!((area - sides * (rimmed(1.0) + rimmed(2.0))).abs() < 1e-3),
            _ => {}
        }
        assert!(made.depth_m >= 1.0);
        // Fronts look where their triangles do.
        for f in 0..made.mesh.face_count() {
            let n = measure::area_vector(made.mesh.triangle(f)).normalize();
            let given = made.mesh.normals[made.mesh.face(f)[0] as usize];
            assert!(n.dot(given.as_dvec3()) > 0.999);
        }
    }

    #[test]
    fn what_has_no_extent_has_no_cards() {
        let flat = shapes::cuboid(Vec3::new(1.0, 0.0, 1.0));
        assert_eq!(
            cards(&flat, &settings(2, true)).err(),
            Some(ProxyError::Empty)
        );
        let tiny = CardSettings {
            size: 4,
            ..settings(4, true)
        };
        let mesh = shapes::icosphere(1.0, 1);
        assert_eq!(cards(&mesh, &tiny).err(), Some(ProxyError::Sheet(4)));
    }

    proptest! {
        /// Pictures lie inside the sheet, and no two nearer than the padding to each other.
        #[test]
        fn pictures_have_room(w in 0.01f32..5.0, h in 0.01f32..5.0, d in 0.01f32..5.0, planes in 1u32..5, own_back: bool) {
            let mesh = shapes::cuboid(Vec3::new(w, h, d));
            let settings = settings(planes, own_back);
            let made = cards(&mesh, &settings).unwrap();
            let boxes: Vec<[Vec2; 2]> = made.mesh.uv_sets[0].chunks(4).map(|c| {
                let low = c.iter().fold(Vec2::INFINITY, |a, &b| a.min(b));
                let high = c.iter().fold(Vec2::NEG_INFINITY, |a, &b| a.max(b));
                [low, high].map(|p| p * settings.size as f32)
            }).collect();
            let room = settings.padding as f32 - 1e-3;
            for (i, a) in boxes.iter().enumerate() {
                prop_assert!(a[0].min_element() >= room && a[1].max_element() <= settings.size as f32 - room + 1.0);
                for b in &boxes[i + 1..] {
                    let gap = (a[0] - b[1]).max(b[0] - a[1]).max_element();
                    prop_assert!(gap >= room, "{gap}");
                }
            }
        }
    }
}
