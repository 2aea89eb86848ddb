//! How long unwrapping and packing take.
fn main() { divan::main(); }
