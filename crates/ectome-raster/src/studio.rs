//! The light of pictures in lists: it goes with the camera.

use glam::Vec3;

use crate::Camera;

/// Key light over the left shoulder, a cool sky, warm ground, a rim from behind.
pub(crate) struct Studio {
    forward: Vec3,
    key: Vec3,
    rim: Vec3,
    half: Vec3,
}

impl Studio {
    pub fn of(camera: &Camera) -> Self {
        let key = (camera.up * 0.75 - camera.right * 0.65 - camera.forward * 0.6).normalize();
        Self {
            forward: camera.forward,
            key,
            rim: (camera.right * 0.9 + camera.up * 0.25 + camera.forward * 0.35).normalize(),
            half: (key - camera.forward).normalize(),
        }
    }

    /// The linear colour of a surface of linear base colour.
    pub fn shade(&self, base: Vec3, normal: Vec3) -> Vec3 {
        let n = normal.try_normalize().unwrap_or(-self.forward);
        let n = if n.dot(self.forward) > 0.0 { -n } else { n };
        let sky = Vec3::new(0.50, 0.56, 0.60);
        let ground = Vec3::new(0.20, 0.18, 0.15);
        let ambient = ground.lerp(sky, n.y * 0.5 + 0.5) * 0.75;
        let gloss = 0.10 * n.dot(self.half).max(0.0).powi(24);
        base * (ambient
            + Vec3::new(1.0, 0.97, 0.9) * 1.15 * n.dot(self.key).max(0.0)
            + Vec3::splat(0.35) * n.dot(self.rim).max(0.0))
            + gloss
    }
}
