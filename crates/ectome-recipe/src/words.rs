//! Figures as sentences write them.

/// Digits in groups of three, set apart by thin spaces: 1 204 518.
pub fn grouped(n: impl TryInto<u64>) -> String {
    let digits = n.try_into().unwrap_or(0).to_string();
    let mut out = String::new();
    for (i, d) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push('\u{2009}');
        }
        out.push(d);
    }
    out
}

/// A distance from the eye.
pub fn distance(m: f64) -> String {
    if m >= 10.0 {
        format!("{m:.0} m")
    } else {
        format!("{m:.1} m")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(0, "0")]
    #[case(999, "999")]
    #[case(1_204_518, "1\u{2009}204\u{2009}518")]
    fn digits_stand_in_groups(#[case] n: u64, #[case] text: &str) {
        assert_eq!(grouped(n), text);
    }
}
