//! Maps and sets by keys that come out of the mesh itself. The standard ones guard against keys that somebody chose to collide, which takes
//! most of their time; here the keys are cells and points, and a quicker hash (`foldhash`) walks them in the same order on every run.

use std::collections;

use foldhash::fast::FixedState;

pub(crate) type HashMap<K, V> = collections::HashMap<K, V, FixedState>;
pub(crate) type HashSet<K> = collections::HashSet<K, FixedState>;
