//! Fewer materials and fewer UV sets, where a target allows no more.

use ectome_mesh::{Mesh, edit};

/// Gives every face of the materials `others` the material `kept`. Returns how many faces changed.
pub fn merge_materials(mesh: &Mesh, kept: u32, others: &[u32]) -> (Mesh, usize) {
    let run = mesh.run_of_faces();
    let of = |f: usize| mesh.runs[run[f] as usize].material;
    let goes = |m: Option<u32>| m.is_some_and(|m| m != kept && others.contains(&m));
    let changed = (0..mesh.face_count()).filter(|&f| goes(of(f))).count();
    if changed == 0 {
        return (mesh.clone(), 0);
    }
    let out = edit::rearranged(mesh, mesh.parts.clone(), |f| {
        let material = of(f);
        let part = mesh.runs[run[f] as usize].part;
        (part, if goes(material) { Some(kept) } else { material })
    });
    (out, changed)
}

/// Leaves UV sets out but for the first `keep`. Vertices that only the others told apart become one.
pub fn leave_out_uvs(mesh: &Mesh, keep: usize) -> (Mesh, usize) {
    let gone = mesh.uv_sets.len().saturating_sub(keep);
    let mut out = mesh.clone();
    out.uv_sets.truncate(keep);
    for run in &mut out.runs {
        let most = u8::try_from(keep).unwrap_or(u8::MAX);
        run.channels.uv_sets = run.channels.uv_sets.min(most);
    }
    out.share_vertices();
    (out, gone)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::{MeshBuilder, Primitive};
    use glam::{Affine3A, Vec2, Vec3};

    /// Two triangles of one part with a material each; they share a side, where the second UV set has a seam.
    fn pair() -> Mesh {
        let mut builder = MeshBuilder::new();
        builder.part("sign", Affine3A::IDENTITY);
        for (material, corners, shift) in [(0, [0usize, 1, 2], 0.0), (3, [0, 2, 3], 0.5)] {
            let places =
                [Vec3::ZERO, Vec3::X, Vec3::ONE, Vec3::Y].map(|p| p.truncate().extend(0.0));
            builder.primitive(Primitive {
                positions: corners.map(|i| places[i]).to_vec(),
                uv_sets: vec![
                    corners.map(|i| places[i].truncate()).to_vec(),
                    corners
                        .map(|i| places[i].truncate() * 0.5 + Vec2::splat(shift))
                        .to_vec(),
                ],
                corners: vec![0, 1, 2],
                material: Some(material),
                ..Primitive::default()
            });
        }
        builder.finish()
    }

    #[test]
    fn faces_take_the_kept_material_and_others_stay() {
        let (out, changed) = merge_materials(&pair(), 0, &[0, 3]);
        out.check().unwrap();
        assert_eq!((changed, out.material_count()), (1, 1));
        assert_eq!(out.face_count(), 2);
        assert_eq!(merge_materials(&pair(), 0, &[7]).1, 0);
    }

    #[test]
    fn a_seam_of_a_set_that_goes_is_no_seam_any_more() {
        let mesh = pair();
        assert_eq!(mesh.vertex_count(), 6);
        let (out, gone) = leave_out_uvs(&mesh, 1);
        out.check().unwrap();
        assert_eq!((gone, out.uv_sets.len(), out.vertex_count()), (1, 1, 4));
        // As many as there are, or more than any mesh has: nothing goes.
        for keep in [2, 256, usize::MAX] {
            assert_eq!(leave_out_uvs(&mesh, keep).0, mesh);
        }
    }
}
