//! Crowns of cards, for tests and benchmarks.

use ectome_mesh::{Mesh, MeshBuilder, Primitive, shapes};
use ectome_texture::{Alpha, Coding, Material, Slot, Texture};
use glam::{Affine3A, Vec2, Vec3};

/// Edge of the picture of a leaf, in texels.
const LEAF: usize = 32;

/// A crown of cards of 10 cm, spread in a ball of 1 m, all with the picture of one leaf: its mesh, its one material, and the picture. The
/// same for the same count.
pub fn crown(cards: usize) -> (Mesh, Vec<Material>, Vec<Texture>) {
    let mut builder = MeshBuilder::new();
    builder.part("crown", Affine3A::IDENTITY);
    builder.primitive(leaves(cards));
    let (materials, textures) = looks();
    (builder.finish(), materials, textures)
}

/// The same on a trunk.
pub fn tree(cards: usize) -> (Mesh, Vec<Material>, Vec<Texture>) {
    let mut builder = MeshBuilder::new();
    builder.part("tree", Affine3A::IDENTITY);
    builder.primitive(leaves(cards));
    let ball = shapes::icosphere(1.0, 3);
    builder.primitive(Primitive {
        positions: (ball.points.iter())
            .map(|p| *p * Vec3::new(0.12, 1.2, 0.12) - Vec3::Y * 0.9)
            .collect(),
        uv_sets: vec![ball.points.iter().map(|p| Vec2::new(p.x, p.y)).collect()],
        corners: (ball.corners.iter())
            .map(|&v| ball.vertex_point[v as usize])
            .collect(),
        material: Some(1),
        ..Primitive::default()
    });
    let (mut materials, textures) = looks();
    materials.push(Material {
        base: glam::Vec4::new(0.2, 0.13, 0.08, 1.0),
        metalness: 0.0,
        ..Material::default()
    });
    (builder.finish(), materials, textures)
}

fn looks() -> (Vec<Material>, Vec<Texture>) {
    let material = Material {
        base_texture: Some(Slot::of(0)),
        alpha: Alpha::Cut(0.5),
        two_sided: true,
        metalness: 0.0,
        roughness: 0.8,
        ..Material::default()
    };
    let leaf = Texture::of(LEAF, LEAF, &leaf(), Coding::Srgb, None);
    (vec![material], leaf.into_iter().collect())
}

/// The picture of a leaf, sRGB with opacity: a lens from corner to corner.
pub fn leaf() -> Vec<u8> {
    (0..LEAF * LEAF)
        .flat_map(|i| {
            let at = Vec2::new((i % LEAF) as f32, (i / LEAF) as f32) / (LEAF - 1) as f32;
            let (along, across) = ((at.x + at.y) / 2.0, (at.x - at.y).abs());
            let inside = across < 0.9 * (along * (1.0 - along)) * 2.0;
            [
                60,
                120 + (60.0 * along) as u8,
                30,
                if inside { 255 } else { 0 },
            ]
        })
        .collect()
}

fn leaves(cards: usize) -> Primitive {
    let mut state = 1u32;
    let mut random = move || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as f32 / 8_388_608.0 - 1.0
    };
    let mut vector = move || Vec3::new(random(), random(), random());
    let mut leaves = Primitive {
        material: Some(0),
        uv_sets: vec![Vec::new()],
        ..Primitive::default()
    };
    while leaves.corners.len() < 6 * cards {
        let at = vector();
        if at.length() > 1.0 {
            continue;
        }
        let across = vector().normalize_or(Vec3::X);
        let up = across
            .cross(vector())
            .normalize_or(across.any_orthonormal_vector());
        let first = leaves.positions.len() as u32;
        for (x, y) in [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)] {
            let from = across * (x - 0.5) + up * (y - 0.5);
            leaves.positions.push(at + 0.1 * from);
            leaves.uv_sets[0].push(Vec2::new(x, y));
        }
        leaves.corners.extend([0, 1, 2, 0, 2, 3].map(|k| first + k));
    }
    leaves
}
