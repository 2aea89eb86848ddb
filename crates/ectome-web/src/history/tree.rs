//! The candidates of an asset in the order of a tree.

use ectome_store::candidate::{Candidate, CandidateState};

use crate::{asset::rows::Rows, words};

/// A candidate in the tree; what was made from it comes right behind it, one deeper.
#[derive(Debug, PartialEq, Eq)]
pub struct Node {
    /// How many candidates lie between it and the source.
    pub depth: usize,
    pub number: u32,
    /// What was done.
    pub wish: String,
    /// Triangles, or what became of it.
    pub says: String,
    /// The blob of its picture.
    pub picture: Option<String>,
    /// It is there to be looked at.
    pub ready: bool,
    /// It stands on the stage.
    pub shown: bool,
    /// Its source was changed since.
    pub out_of_date: bool,
}

/// All candidates: those made from the source one after another, each with what was made from it behind it.
pub fn tree(rows: &Rows) -> Vec<Node> {
    let known = |hash: &String| rows.tray.iter().any(|c| &c.hash == hash);
    // What it was made from may have been discarded: then it hangs from the source.
    let base = |c: &Candidate| c.based_on.clone().filter(known);
    let order = depth_first(&rows.tray, &base);
    let shown = rows.shown().map(|c| c.number);
    order
        .into_iter()
        .map(|(depth, c)| Node {
            depth,
            number: c.number,
            wish: c.wish.clone(),
            says: says(c),
            picture: c.picture.clone(),
            ready: c.state == CandidateState::Ready,
            shown: shown == Some(c.number),
            out_of_date: c.is_out_of_date(&rows.asset),
        })
        .collect()
}

fn says(c: &Candidate) -> String {
    match c.state {
        CandidateState::Ready => format!("{} triangles", words::grouped(c.triangles.unwrap_or(0))),
        CandidateState::Waiting => "in work".to_owned(),
        CandidateState::Failed => c.fault.clone().unwrap_or_default(),
    }
}

/// Walks the tree without recursion: a chain of candidates may be as long as a person has patience.
fn depth_first<'a>(
    tray: &'a [Candidate],
    base: &impl Fn(&Candidate) -> Option<String>,
) -> Vec<(usize, &'a Candidate)> {
    let under = |hash: Option<&str>| {
        let mut list: Vec<&Candidate> =
            tray.iter().filter(|c| base(c).as_deref() == hash).collect();
        // The last is taken from the pile first.
        list.sort_by_key(|c| std::cmp::Reverse(c.number));
        list
    };
    let mut pile: Vec<(usize, &Candidate)> = under(None).into_iter().map(|c| (0, c)).collect();
    let mut order = Vec::with_capacity(tray.len());
    while let Some((depth, candidate)) = pile.pop() {
        order.push((depth, candidate));
        let made_from_it = under(Some(&candidate.hash)).into_iter();
        pile.extend(made_from_it.map(|c| (depth + 1, c)));
    }
    order
}
