//! STL, binary, from a scene (3D Systems, *StereoLithography Interface Specification*, 1988).

use ectome_mesh::measure::area_vector;

use crate::{FormatError, Scene};

/// Bytes before the count of triangles, free to say anything but `solid`, by which texts are known.
const HEAD: usize = 80;

/// Writes the triangles of a scene, larger faces split by the caller. STL knows places only: no names, materials or UVs.
///
/// # Errors
/// [`FormatError::Empty`] for a scene without triangles or with larger faces.
pub fn write(scene: &Scene) -> Result<Vec<u8>, FormatError> {
    let mesh = &scene.mesh;
    if mesh.face_count() == 0 || !mesh.is_triangulated() {
        return Err(FormatError::Empty {
            file: "the scene".to_owned(),
        });
    }
    let notice = scene.copyright.as_deref().unwrap_or_default();
    let mut head: Vec<u8> = format!("Ectome. {notice}").into_bytes();
    head.resize(HEAD, b' ');
    let mut out = Vec::with_capacity(HEAD + 4 + 50 * mesh.face_count());
    out.extend(head);
    out.extend((mesh.face_count() as u32).to_le_bytes());
    for f in 0..mesh.face_count() {
        let triangle = mesh.triangle(f);
        let normal = area_vector(triangle).normalize_or_zero().as_vec3();
        for v in std::iter::once(normal).chain(triangle) {
            out.extend(v.to_array().iter().flat_map(|x| x.to_le_bytes()));
        }
        out.extend([0, 0]);
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ectome_mesh::shapes;

    /// Read by a library that is not ours (`stl_io`): as many triangles, at the same places, with normals that point outward.
    #[test]
    fn another_reader_finds_the_same_triangles() {
        let mut scene = Scene::from(shapes::icosphere(2.0, 3));
        scene.copyright = Some(
            "solid licence, and more than eighty letters of it, \
            which is more than a head can hold"
                .to_owned(),
        );
        let bytes = write(&scene).unwrap();
        assert_eq!(bytes.len(), 84 + 50 * scene.mesh.face_count());
        let mut cursor = std::io::Cursor::new(&bytes);
        let read = stl_io::create_stl_reader(&mut cursor).unwrap();
        let mut n = 0;
        for (f, triangle) in read.map(Result::unwrap).enumerate() {
            let places = triangle.vertices.map(|v| v.0);
            assert_eq!(places, scene.mesh.triangle(f).map(|p| p.to_array()));
            let outward: f32 = (0..3).map(|k| triangle.normal.0[k] * places[0][k]).sum();
            assert!(outward > 1.9);
            n += 1;
        }
        assert_eq!(n, scene.mesh.face_count());
    }
}
