//! Which of the meshes that were dropped together are a pair: a heavy one and the low one that was made of it.

use ectome_recipe::maps::{Mark, marked};

/// A source, and the low mesh that came along.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pair<'a> {
    /// Where the source stands in the list.
    pub high: usize,
    /// Where its low mesh stands.
    pub low: Option<usize>,
    /// What both are called, without marks; of a single mesh the whole name.
    pub name: &'a str,
}

/// Pairs meshes by their names: one is marked low, and exactly one other has the same name with a mark for high or with none.
/// Whatever is left over, or could belong to several, is a source of its own.
pub fn paired<'a>(names: &[&'a str]) -> Vec<Pair<'a>> {
    let marks: Vec<(String, Option<Mark>)> = names.iter().map(|n| marked(n)).collect();
    let of = |stem: &str, low: bool| -> Vec<usize> {
        let is = |at: &usize| marks[*at].0 == stem && (marks[*at].1 == Some(Mark::Low)) == low;
        (0..names.len()).filter(is).collect()
    };
    let pair_of = |at: usize| match (&of(&marks[at].0, false)[..], &of(&marks[at].0, true)[..]) {
        (&[high], &[low]) => Some((high, low)),
        _ => None,
    };
    let mut list = Vec::new();
    for (at, name) in names.iter().copied().enumerate() {
        match pair_of(at) {
            Some((_, low)) if low == at => {}
            Some((_, low)) => list.push(Pair {
                high: at,
                low: Some(low),
                name: match marks[at].1 {
                    Some(_) => name
                        .rsplit_once(['_', '-', '.', ' '])
                        .map_or(name, |(before, _)| before),
                    None => name,
                },
            }),
            None => list.push(Pair {
                high: at,
                low: None,
                name,
            }),
        }
    }
    list
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::marked(&["Hatch_high", "Hatch_low"], &[(0, Some(1), "Hatch")])]
    #[case::low_first(&["hatch-lp", "Hatch-HP"], &[(1, Some(0), "Hatch")])]
    #[case::heavy_without_a_mark(&["v1.2 hatch", "v1.2 hatch_low"], &[(0, Some(1), "v1.2 hatch")])]
    #[case::two_pairs(&["a_high", "b_high", "b_low", "a_low"], &[(0, Some(3), "a"), (1, Some(2), "b")])]
    #[case::low_alone(&["hatch_low"], &[(0, None, "hatch_low")])]
    #[case::tiers_only(&["a_lod0", "a_lod1"], &[(0, None, "a_lod0"), (1, None, "a_lod1")])]
    #[case::nobody_can_tell(&["a_high", "a_low", "a_lp"], &[(0, None, "a_high"), (1, None, "a_low"), (2, None, "a_lp")])]
    #[case::strangers(&["post", "bell"], &[(0, None, "post"), (1, None, "bell")])]
    #[case::odd_letters(&["İİ_high", "i̇i̇_low"], &[(0, Some(1), "İİ")])]
    fn pairs_are_told_by_their_names(
        #[case] names: &[&str],
        #[case] want: &[(usize, Option<usize>, &str)],
    ) {
        let made = paired(names);
        let made: Vec<_> = made.iter().map(|p| (p.high, p.low, p.name)).collect();
        assert_eq!(made, want);
    }
}
