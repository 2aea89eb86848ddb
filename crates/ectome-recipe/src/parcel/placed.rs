//! A scene at the place, at the size and with the axes that files are to have.

use ectome_formats::{Scene, Space, space::metres};
use ectome_mesh::{Mesh, measure};
use glam::{Mat3, Vec3};

use super::delivery::{Delivery, Pivot};

/// The place of a scene that becomes the origin.
pub fn origin(mesh: &Mesh, pivot: Pivot) -> Vec3 {
    let bounds = measure::bounds(mesh);
    let centre = 0.5 * (bounds.min + bounds.max);
    match pivot {
        Pivot::Source => Vec3::ZERO,
        Pivot::Centre => centre,
        Pivot::Base => centre.with_y(bounds.min.y),
    }
}

/// The scene with a place of it at the origin, at its size: as glTF holds it, in metres with Y up.
#[must_use]
pub fn placed(mut scene: Scene, origin: Vec3, delivery: &Delivery) -> Scene {
    let scale = delivery.scale as f32;
    if origin != Vec3::ZERO || scale != 1.0 {
        scene.motion(Mat3::IDENTITY, scale, -origin * scale);
    }
    scene
}

/// The space in which formats without a unit are written.
pub fn space(delivery: &Delivery) -> Space {
    Space {
        unit_m: metres(&delivery.unit).unwrap_or(1.0),
        up: delivery.up.up(),
    }
}

#[cfg(test)]
mod tests {
    use ectome_mesh::shapes;

    use super::*;
    use crate::parcel::delivery::UpAxis;

    fn box_beside_the_origin() -> Scene {
        let mut scene = Scene::from(shapes::icosphere(1.0, 2));
        scene.motion(Mat3::IDENTITY, 1.0, Vec3::new(3.0, 5.0, -2.0));
        scene
    }

    #[test]
    fn it_stands_on_its_base_at_its_size() {
        let scene = box_beside_the_origin();
        let delivery = Delivery {
            scale: 0.5,
            ..Delivery::default()
        };
        let at = origin(&scene.mesh, Pivot::Base);
        let bounds = measure::bounds(&placed(scene.clone(), at, &delivery).mesh);
        assert!(bounds.min.y.abs() < 1e-6 && (bounds.max.y - 1.0).abs() < 1e-6);
        assert!((bounds.min.x + bounds.max.x).abs() < 1e-6);
        let at = origin(&scene.mesh, Pivot::Centre);
        let bounds = measure::bounds(&placed(scene.clone(), at, &delivery).mesh);
        assert!((bounds.min + bounds.max).length() < 1e-6);
        assert_eq!(
            placed(scene.clone(), Vec3::ZERO, &Delivery::default()),
            scene
        );
    }

    /// What is written in inches with Z up and read so again is what it was.
    #[test]
    fn units_and_axes_survive_the_way_out_and_in() {
        let scene = box_beside_the_origin();
        let delivery = Delivery {
            unit: "in".to_owned(),
            up: UpAxis::Z,
            ..Delivery::default()
        };
        let mut written = scene.clone();
        space(&delivery).write(&mut written);
        let high = |s: &Scene| measure::bounds(&s.mesh).max;
        assert!((high(&written).z - 6.0 / 0.0254).abs() < 1e-3);
        let back = space(&delivery).applied(&written.mesh);
        for (a, b) in back.points.iter().zip(&scene.mesh.points) {
            assert!(a.distance(*b) < 1e-5);
        }
        for (a, b) in back.normals.iter().zip(&scene.mesh.normals) {
            assert!(a.distance(*b) < 1e-5);
        }
    }
}
