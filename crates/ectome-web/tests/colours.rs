//! The colours of the pages can be told apart: contrast ratios of WCAG 2.2 (W3C, 2023), success criteria 1.4.3 (text, 4.5) and 1.4.11
//! (edges of fields and buttons, 3), computed as its definition of relative luminance says, for both sets of tokens.

use std::collections::HashMap;

use rstest::rstest;

const STYLE: &str = include_str!("../static/css/ectome.css");

/// The colour tokens of the light set, or of the dark one over it.
fn tokens(dark: bool) -> HashMap<&'static str, [f64; 3]> {
    let (light, rest) = STYLE
        .split_once("@media (prefers-color-scheme: dark)")
        .unwrap();
    let (dark_set, _) = rest.split_once("[data-theme]").unwrap();
    let mut found = HashMap::new();
    for set in [Some(light), dark.then_some(dark_set)]
        .into_iter()
        .flatten()
    {
        for line in set.split(';') {
            let token = line
                .rsplit_once("--")
                .and_then(|(_, t)| t.split_once(": #"));
            let Some((name, value)) = token else {
                continue;
            };
            if let (6, Ok(hex)) = (value.len(), u32::from_str_radix(value, 16)) {
                found.insert(name, [16, 8, 0].map(|k| f64::from(hex >> k & 255) / 255.0));
            }
        }
    }
    found
}

fn luminance(colour: [f64; 3]) -> f64 {
    let [r, g, b] = colour.map(|v| {
        if v <= 0.04045 {
            v / 12.92
        } else {
            ((v + 0.055) / 1.055).powf(2.4)
        }
    });
    0.2126 * r + 0.7152 * g + 0.0722 * b
}

fn contrast(a: [f64; 3], b: [f64; 3]) -> f64 {
    let [a, b] = [a, b].map(|c| luminance(c) + 0.05);
    a.max(b) / a.min(b)
}

#[test]
fn contrast_is_that_of_the_standard() {
    assert!((contrast([0.0; 3], [1.0; 3]) - 21.0).abs() < 1e-9);
    // #777777 on white: 4.48, a near miss that is often named.
    assert!((contrast([119.0 / 255.0; 3], [1.0; 3]) - 4.48).abs() < 0.01);
}

#[rstest]
#[case::light(false)]
#[case::dark(true)]
fn text_and_edges_can_be_told_from_their_ground(#[case] dark: bool) {
    let tokens = tokens(dark);
    let of = |name: &str| {
        *tokens
            .get(name)
            .unwrap_or_else(|| panic!("no token {name}"))
    };
    let holds = |name: &str, ground: &str, least: f64| {
        let found = contrast(of(name), of(ground));
        assert!(found >= least, "{name} on {ground}: {found:.2}");
    };
    for ground in ["paper", "paper-2", "sheet", "kelp-wash"] {
        for text in ["ink", "ink-2", "kelp", "rust", "brass"] {
            holds(text, ground, 4.5);
        }
    }
    for ground in ["paper", "paper-2", "sheet"] {
        holds("edge", ground, 3.0);
    }
    holds("on-kelp", "kelp", 4.5);
    holds("rust", "rust-wash", 4.5);
}
