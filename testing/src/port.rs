//! Ports of programs that tests start.

use std::{
    io::{BufRead, BufReader, Read},
    net::TcpListener,
};

/// Reads what a program says until a line holds `before`, and returns the port that stands behind it there. What it says later is
/// read and let go, so that it never waits for a reader. Programs choose a free port themselves where they can: one that a test chose
/// for them could be taken by another test before they open it.
pub fn said(output: impl Read + Send + 'static, before: &str) -> Option<u16> {
    let mut lines = BufReader::new(output).lines();
    let port = lines.by_ref().map_while(Result::ok).find_map(|line| {
        let (_, rest) = line.split_once(before)?;
        let digits = rest.split(|c: char| !c.is_ascii_digit()).next()?;
        digits.parse().ok()
    });
    std::thread::spawn(move || lines.map_while(Result::ok).for_each(drop));
    port
}

/// A port that is free now, for programs that cannot choose one.
///
/// # Panics
/// When this machine has none.
pub fn free() -> u16 {
    let listener = TcpListener::bind(("127.0.0.1", 0)).expect("a free port");
    listener.local_addr().expect("its address").port()
}
