//! Random soups: whatever comes in, the skin is closed and no edge has more than two faces, or there is a sentence.

use ectome_mesh::{MeshBuilder, Primitive, Progress};
use ectome_rebuild::{RebuildError, Settings, rebuild};
use glam::{Affine3A, Vec3};
use proptest::prelude::*;

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn soups_get_closed_skins(
        corners in prop::collection::vec((-1.0f32..1.0, -1.0f32..1.0, -1.0f32..1.0), 12..120),
        cell in 0.06f32..0.2,
        sheet in 0.5f32..2.0,
    ) {
        let whole = corners.len() / 3 * 3;
        let mut builder = MeshBuilder::new();
        builder.part("soup", Affine3A::IDENTITY).primitive(Primitive {
            positions: corners[..whole].iter().map(|&(x, y, z)| Vec3::new(x, y, z)).collect(),
            corners: (0..whole as u32).collect(),
            ..Primitive::default()
        });
        let settings = Settings { sheet_m: sheet * cell, ..Settings::with_cell(cell) };
        match rebuild(&builder.finish(), &settings, &Progress::new()) {
            Ok(skin) => {
                prop_assert_eq!(skin.report.border_edges, 0);
                prop_assert_eq!(skin.report.non_manifold_edges, 0);
                skin.mesh.check().unwrap();
                let same = |[a, b, c]: [Vec3; 3]| a == b || b == c || c == a;
                let none = (0..skin.mesh.face_count()).all(|f| !same(skin.mesh.triangle(f)));
                prop_assert!(none, "a face with two corners in one place");
            }
            Err(RebuildError::NothingInside) => {}
            Err(other) => prop_assert!(false, "{other}"),
        }
    }
}
