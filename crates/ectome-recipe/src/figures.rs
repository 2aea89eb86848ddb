//! Figures as sentences write them.

/// Digits in groups of three, set apart by spaces that lines do not break at: 1 204 518.
pub fn grouped(n: impl TryInto<u64>) -> String {
    let digits = n.try_into().unwrap_or(0).to_string();
    let mut out = String::new();
    for (i, d) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push('\u{a0}');
        }
        out.push(d);
    }
    out
}

/// So many of something: 1 object, 1 204 objects.
pub fn counted(n: u64, one: &str) -> String {
    match n {
        1 => format!("1 {one}"),
        n => format!("{} {one}s", grouped(n)),
    }
}

/// A distance from the eye.
pub fn distance(m: f64) -> String {
    if m >= 10.0 {
        format!("{m:.0} m")
    } else {
        format!("{m:.1} m")
    }
}

/// A length in the unit that suits it, with three figures; none below a micrometre.
pub fn length(mm: f64) -> String {
    let figures = |v: f64| {
        let digits = 2 - v.max(1.0).log10().floor() as i32;
        format!("{v:.*}", digits.max(0) as usize)
    };
    match mm {
        mm if mm >= 999.5 => format!("{} m", figures(mm / 1000.0)),
        mm if mm >= 0.9995 => format!("{} mm", figures(mm)),
        mm if mm >= 0.001 => format!("{:.0} µm", mm * 1000.0),
        _ => "0".to_owned(),
    }
}

/// An error as a sentence: a capital first, a full stop last.
pub fn sentence(text: &str) -> String {
    let mut chars = text.chars();
    let first = chars.next().map(|c| c.to_uppercase().collect::<String>());
    let mut out = first.unwrap_or_default() + chars.as_str();
    // A file name keeps its own letters.
    if text
        .split_whitespace()
        .next()
        .is_some_and(|w| w.contains('.'))
    {
        out = text.to_owned();
    }
    if !out.ends_with(['.', '?', '!']) {
        out.push('.');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(0, "0")]
    #[case(999, "999")]
    #[case(1_204_518, "1\u{a0}204\u{a0}518")]
    fn digits_stand_in_groups(#[case] n: u64, #[case] text: &str) {
        assert_eq!(grouped(n), text);
    }

    #[rstest]
    #[case(1.5837, "1.58 mm")]
    #[case(14.93, "14.9 mm")]
    #[case(476.4, "476 mm")]
    #[case(999.7, "1.00 m")]
    #[case(12_345.0, "12.3 m")]
    #[case(0.9996, "1.00 mm")]
    #[case(0.5, "500 µm")]
    #[case(0.0004, "0")]
    fn lengths_have_three_figures(#[case] mm: f64, #[case] text: &str) {
        assert_eq!(length(mm), text);
    }

    #[test]
    fn sentences_begin_large_and_file_names_do_not() {
        assert_eq!(sentence("the disk is full"), "The disk is full.");
        assert_eq!(sentence("a.ply is cut short"), "a.ply is cut short.");
    }
}
