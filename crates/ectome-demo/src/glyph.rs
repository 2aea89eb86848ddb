//! Strokes of the letters on the bell, drawn for it on a grid one wide and one and a half high.

use glam::Vec2;

/// The strokes of a letter as polylines, y up.
pub fn strokes(letter: char) -> Vec<Vec<Vec2>> {
    let line = |points: &[(f32, f32)]| points.iter().map(|&(x, y)| Vec2::new(x, y)).collect();
    let arc = |cx: f32, cy: f32, rx: f32, ry: f32, from: f32, to: f32| -> Vec<Vec2> {
        (0..=14)
            .map(|k| {
                let a = (from + (to - from) * k as f32 / 14.0).to_radians();
                Vec2::new(cx + rx * a.cos(), cy + ry * a.sin())
            })
            .collect()
    };
    match letter {
        'S' => vec![
            arc(0.5, 1.12, 0.42, 0.38, 35.0, 270.0),
            arc(0.5, 0.38, 0.42, 0.38, 90.0, -145.0),
        ],
        'K' => vec![
            line(&[(0.1, 0.0), (0.1, 1.5)]),
            line(&[(0.85, 1.5), (0.12, 0.66)]),
            line(&[(0.36, 0.92), (0.9, 0.0)]),
        ],
        'E' => vec![
            line(&[(0.1, 0.0), (0.1, 1.5)]),
            line(&[(0.1, 1.5), (0.8, 1.5)]),
            line(&[(0.1, 0.78), (0.66, 0.78)]),
            line(&[(0.1, 0.0), (0.82, 0.0)]),
        ],
        'R' => vec![
            line(&[(0.1, 0.0), (0.1, 1.5)]),
            line(&[(0.1, 1.5), (0.45, 1.5)]),
            arc(0.45, 1.12, 0.36, 0.38, 90.0, -90.0),
            line(&[(0.1, 0.74), (0.45, 0.74)]),
            line(&[(0.42, 0.74), (0.88, 0.0)]),
        ],
        'Y' => vec![
            line(&[(0.05, 1.5), (0.5, 0.75)]),
            line(&[(0.95, 1.5), (0.5, 0.75)]),
            line(&[(0.5, 0.75), (0.5, 0.0)]),
        ],
        'L' => vec![
            line(&[(0.12, 0.0), (0.12, 1.5)]),
            line(&[(0.12, 0.0), (0.82, 0.0)]),
        ],
        'I' => vec![line(&[(0.5, 0.0), (0.5, 1.5)])],
        'G' => vec![
            arc(0.5, 0.75, 0.45, 0.75, 48.0, 320.0),
            line(&[(0.84, 0.27), (0.84, 0.68)]),
            line(&[(0.52, 0.68), (0.84, 0.68)]),
        ],
        'H' => vec![
            line(&[(0.1, 0.0), (0.1, 1.5)]),
            line(&[(0.9, 0.0), (0.9, 1.5)]),
            line(&[(0.1, 0.78), (0.9, 0.78)]),
        ],
        'T' => vec![
            line(&[(0.5, 0.0), (0.5, 1.5)]),
            line(&[(0.02, 1.5), (0.98, 1.5)]),
        ],
        _ => Vec::new(),
    }
}
