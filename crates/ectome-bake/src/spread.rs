//! Islands grown by the padding, and the ground between them filled.

use ectome_texture::fill::filled;

/// Which texels hold something.
#[derive(Clone, Copy)]
pub struct Known<'a> {
    /// They show the source.
    pub covered: &'a [bool],
    /// They hold what the low mesh has by itself: kept where nothing of the source is near, grown over beside it.
    pub own: Option<&'a [bool]>,
}

/// Grows what is covered by `padding` texels, then fills the rest smoothly; values that may not be mixed are copied from the
/// nearest instead.
pub fn spread(
    texels: &mut [u16],
    channels: usize,
    size: usize,
    given: Known<'_>,
    padding: u32,
    mix: bool,
) {
    let mut known = given.covered.to_vec();
    let rings = if mix { padding as usize } else { usize::MAX };
    // The texels beside what is known, ring by ring.
    let mut edge: Vec<u32> = (0..known.len() as u32)
        .filter(|&i| !known[i as usize] && around(i as usize, size).any(|j| known[j]))
        .collect();
    for _ in 0..rings {
        if edge.is_empty() {
            break;
        }
        let grown: Vec<(u32, [u16; 4])> = edge
            .iter()
            .map(|&i| {
                let mut sum = [0u32; 4];
                let mut n = 0;
                for j in around(i as usize, size).filter(|&j| known[j]) {
                    let texel = &texels[j * channels..(j + 1) * channels];
                    if mix || n == 0 {
                        (0..channels).for_each(|k| sum[k] += u32::from(texel[k]));
                        n += 1;
                    }
                }
                (i, sum.map(|s| ((s + n / 2) / n.max(1)) as u16))
            })
            .collect();
        for (i, texel) in &grown {
            let at = *i as usize * channels;
            texels[at..at + channels].copy_from_slice(&texel[..channels]);
            known[*i as usize] = true;
        }
        let mut next: Vec<u32> = edge
            .iter()
            .flat_map(|&i| around(i as usize, size))
            .filter(|&j| !known[j])
            .map(|j| j as u32)
            .collect();
        next.sort_unstable();
        next.dedup();
        edge = next;
    }
    if let Some(own) = given.own {
        known.iter_mut().zip(own).for_each(|(k, &own)| *k |= own);
    }
    if mix {
        match channels {
            1 => fill::<1>(texels, &known, size),
            3 => fill::<3>(texels, &known, size),
            _ => fill::<4>(texels, &known, size),
        }
    }
}

fn fill<const N: usize>(texels: &mut [u16], known: &[bool], size: usize) {
    let (list, _) = texels.as_chunks_mut::<N>();
    filled(list, known, size, size);
}

/// The texels that touch one, straight ones first, then those at its corners.
fn around(i: usize, size: usize) -> impl Iterator<Item = usize> {
    let (x, y) = ((i % size) as i64, (i / size) as i64);
    let steps = [
        (-1, 0),
        (1, 0),
        (0, -1),
        (0, 1),
        (-1, -1),
        (1, -1),
        (-1, 1),
        (1, 1),
    ];
    let n = size as i64;
    steps.into_iter().filter_map(move |(dx, dy)| {
        let (x, y) = (x + dx, y + dy);
        ((0..n).contains(&x) && (0..n).contains(&y)).then(|| (y * n + x) as usize)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_are_copied_and_figures_are_mixed() {
        let size = 16;
        let covered: Vec<bool> = (0..size * size)
            .map(|i| i % size == 2 || i % size == 13)
            .collect();
        let given = |i: usize| match i % size {
            2 => 100,
            13 => 900,
            _ => 0,
        };
        let mut ids: Vec<u16> = (0..size * size).map(given).collect();
        let mut figures = ids.clone();
        let known = Known {
            covered: &covered,
            own: None,
        };
        spread(&mut ids, 1, size, known, 2, false);
        assert!(ids.iter().all(|&v| v == 100 || v == 900));
        spread(&mut figures, 1, size, known, 2, true);
        for y in 0..size {
            let row = &figures[y * size..(y + 1) * size];
            assert_eq!((row[0], row[4], row[11], row[15]), (100, 100, 900, 900));
            assert!(row.iter().all(|v| (100..=900).contains(v)));
        }
    }
}
