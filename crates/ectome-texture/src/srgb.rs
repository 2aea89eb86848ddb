//! The sRGB transfer function (IEC 61966-2-1).

/// A coded value (0–1) as linear light.
pub fn to_linear(v: f32) -> f32 {
    if v <= 0.040_45 {
        v / 12.92
    } else {
        ((v + 0.055) / 1.055).powf(2.4)
    }
}

/// Linear light as a coded value (0–1).
pub fn to_coded(v: f32) -> f32 {
    let v = v.clamp(0.0, 1.0);
    if v <= 0.003_130_8 {
        v * 12.92
    } else {
        1.055 * v.powf(1.0 / 2.4) - 0.055
    }
}

/// Linear light as a byte.
pub fn to_byte(v: f32) -> u8 {
    (to_coded(v) * 255.0 + 0.5) as u8
}

/// The linear value of each byte.
pub fn table() -> [f32; 256] {
    std::array::from_fn(|v| to_linear(v as f32 / 255.0))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_survive_there_and_back() {
        for v in 0..=255u8 {
            assert_eq!(to_byte(to_linear(f32::from(v) / 255.0)), v);
        }
    }
}
