//! How deep a hierarchy of boxes is.

use obvhs::bvh2::Bvh2;

/// The nodes on the longest way down. Slivers and equal boxes make it hundreds, so nothing may walk a hierarchy with a stack of a
/// fixed size, or by recursion.
pub(crate) fn depth(bvh: &Bvh2) -> usize {
    let mut deepest = 0;
    let mut stack: Vec<(usize, usize)> = if bvh.nodes.is_empty() {
        Vec::new()
    } else {
        vec![(0, 1)]
    };
    while let Some((node, depth)) = stack.pop() {
        deepest = deepest.max(depth);
        let node = &bvh.nodes[node];
        if !node.is_leaf() {
            let first = node.first_index as usize;
            stack.extend([(first, depth + 1), (first + 1, depth + 1)]);
        }
    }
    deepest
}
