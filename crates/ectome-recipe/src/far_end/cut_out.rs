//! The opaque texels of cards as a surface: what of them is seen, so that it can be judged like any mesh.

use ectome_formats::Scene;
use ectome_mesh::{Mesh, measure};
use ectome_proxy::Rectangles;
use glam::{Vec2, Vec3};

/// Texels are shown from this opacity on, of 255.
pub(super) const SHOWN_FROM: u8 = 128;

/// How far a card is moved off its plane, as a share of its width.
const HAIR: f32 = 1e-4;

/// A rectangle for each row of texels that show something next to each other, on the card they lie on, with its UVs. Says also
/// which share of the cards' area that is (0–1).
pub(super) fn cut_out(cards: &Scene, rgba: &[u8], size: usize) -> (Scene, f64) {
    let mesh = &cards.mesh;
    let mut rectangles = Rectangles::default();
    let (mut shown, mut all) = (0usize, 0usize);
    for card in 0..mesh.face_count() / 2 {
        let card = Card::of(mesh, card);
        // A front and its back lie in one plane: apart by a hair, each hides the other.
        let apart = HAIR * card.across.length() * card.normal;
        let (low, high) = (card.uvs[0] * size as f32, card.uvs[1] * size as f32);
        let (left, right) = (low.x.round() as usize, (high.x.ceil() as usize).min(size));
        let (top, bottom) = (low.y.round() as usize, (high.y.ceil() as usize).min(size));
        for y in top..bottom {
            let mut x = left;
            all += right.saturating_sub(left);
            while x < right {
                let shows = |x: usize| rgba[4 * (y * size + x) + 3] >= SHOWN_FROM;
                if !shows(x) {
                    x += 1;
                    continue;
                }
                let from = x;
                while x < right && shows(x) {
                    x += 1;
                }
                shown += x - from;
                let corners = [(from, y + 1), (x, y + 1), (x, y), (from, y)].map(|(u, v)| {
                    let uv = Vec2::new(u as f32, v as f32) / size as f32;
                    (card.at(uv) + apart, uv)
                });
                rectangles.push(corners, card.normal);
            }
        }
    }
    let scene = Scene {
        mesh: rectangles.into_mesh("cards"),
        library: cards.library.clone(),
        ..Scene::default()
    };
    (scene, shown as f64 / all.max(1) as f64)
}

/// A rectangle of two triangles, as the kernel makes it: from the lower left anticlockwise.
struct Card {
    /// The upper left corner, and the ways to the upper right and the lower left one.
    origin: Vec3,
    across: Vec3,
    down: Vec3,
    /// UVs of the upper left and the lower right corner.
    uvs: [Vec2; 2],
    normal: Vec3,
}

impl Card {
    fn of(mesh: &Mesh, number: usize) -> Self {
        let [lower, upper] = [mesh.face(2 * number), mesh.face(2 * number + 1)];
        let [bottom_left, bottom_right, top_left] = [lower[0], lower[1], upper[2]];
        let origin = mesh.position(top_left);
        let uv = |v: u32| mesh.uv_sets[0][v as usize];
        Self {
            origin,
            across: mesh.position(lower[2]) - origin,
            down: mesh.position(bottom_left) - origin,
            uvs: [uv(top_left), uv(bottom_right)],
            normal: measure::area_vector(mesh.triangle(2 * number))
                .as_vec3()
                .normalize_or_zero(),
        }
    }

    /// Where a UV lies.
    fn at(&self, uv: Vec2) -> Vec3 {
        let [low, high] = self.uvs;
        let share = (uv - low) / (high - low);
        self.origin + self.across * share.x + self.down * share.y
    }
}
