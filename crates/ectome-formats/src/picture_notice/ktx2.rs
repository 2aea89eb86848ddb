//! A notice inside a KTX2, as a pair of key and value (Khronos Group, *KTX File Format Specification* 2.0, §3.11).

/// The first bytes of every such file.
const MAGIC: &[u8] = b"\xABKTX 20\xBB\r\n\x1A\n";
/// The key. Those that begin with KTX are the standard's own.
const KEY: &[u8] = b"Copyright";
/// Where the head says how many levels there are and how they are packed further, and where pairs and data for all levels stand.
const LEVELS_AT: usize = 40;
const PACKING_AT: usize = 44;
const PAIRS_AT: usize = 56;
const SHARED_AT: usize = 64;
/// Where the list of levels begins, and the bytes of each line.
const LIST_AT: usize = 80;
const LINE: usize = 24;
/// Data moves by a multiple of this: levels stay at multiples of their blocks' bytes, which are 1 to 16 or multiples of 3.
const STEP: usize = 48;

/// The file with the notice in it; none where it is no KTX2, is broken, says such a thing already, or has data that all levels share.
pub fn with_notice(file: &[u8], notice: &str) -> Option<Vec<u8>> {
    let word = |at: usize| -> Option<usize> {
        let bytes = file.get(at..at + 4)?.try_into().ok()?;
        Some(u32::from_le_bytes(bytes) as usize)
    };
    let long = |at: usize| -> Option<u64> {
        Some(u64::from_le_bytes(file.get(at..at + 8)?.try_into().ok()?))
    };
    if !file.starts_with(MAGIC) || long(SHARED_AT + 8)? > 0 || word(PACKING_AT)? == 1 {
        return None;
    }
    let levels = word(LEVELS_AT)?.max(1);
    let lines = (0..levels.min(64)).map(|k| LIST_AT + LINE * k);
    let starts: Vec<(usize, u64)> = lines
        .map(|at| Some((at, long(at)?)))
        .collect::<Option<_>>()?;
    let first = usize::try_from(starts.iter().map(|s| s.1).min()?).ok()?;
    let (pairs_at, pairs_length) = (word(PAIRS_AT)?, word(PAIRS_AT + 4)?);
    let pairs = file.get(pairs_at..pairs_at.checked_add(pairs_length)?)?;
    if pairs.is_empty() || first < pairs_at + pairs_length || first > file.len() {
        return None;
    }
    // Pairs stand in the order of their keys.
    let mut at = 0;
    while at < pairs.len() {
        let length = u32::from_le_bytes(pairs.get(at..at + 4)?.try_into().ok()?) as usize;
        let pair = pairs.get(at + 4..(at + 4).checked_add(length)?)?;
        match pair.split(|b| *b == 0).next()?.cmp(KEY) {
            std::cmp::Ordering::Less => at = (at + 4 + length).next_multiple_of(4),
            std::cmp::Ordering::Equal => return None,
            std::cmp::Ordering::Greater => break,
        }
    }
    let value = [KEY, b"\0", notice.replace('\0', " ").as_bytes(), b"\0"].concat();
    let mut insert = (value.len() as u32).to_le_bytes().to_vec();
    insert.extend(value);
    insert.resize(insert.len().next_multiple_of(4), 0);
    let (before, after) = pairs.split_at(at.min(pairs.len()));
    let end = pairs_at + pairs_length + insert.len();
    let moved = end.saturating_sub(first).next_multiple_of(STEP);
    let mut out = [&file[..pairs_at], before, &insert, after].concat();
    out.resize(first + moved, 0);
    out.extend_from_slice(&file[first..]);
    let length = (pairs_length + insert.len()) as u32;
    out[PAIRS_AT + 4..PAIRS_AT + 8].copy_from_slice(&length.to_le_bytes());
    for (line, start) in starts {
        out[line..line + 8].copy_from_slice(&(start + moved as u64).to_le_bytes());
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A file of two levels of 16 and 32 bytes, with one pair.
    fn file(key: &str) -> Vec<u8> {
        let mut pair = ((key.len() + 3) as u32).to_le_bytes().to_vec();
        pair.extend([key.as_bytes(), b"\0v\0"].concat());
        pair.resize(pair.len().next_multiple_of(4), 0);
        let pairs_at = LIST_AT + 2 * LINE;
        let first = (pairs_at + pair.len()).next_multiple_of(16);
        let mut out = MAGIC.to_vec();
        for v in [
            0,
            1,
            8,
            4,
            0,
            0,
            1,
            2,
            0,
            0,
            0,
            pairs_at as u32,
            pair.len() as u32,
        ] {
            out.extend(v.to_le_bytes());
        }
        out.extend([0; 16]);
        for (start, length) in [(first + 16, 32u64), (first, 16)] {
            for v in [start as u64, length, length] {
                out.extend(v.to_le_bytes());
            }
        }
        out.extend(pair);
        out.resize(first, 0);
        out.extend([7; 16]);
        out.extend([9; 32]);
        out
    }

    #[test]
    fn levels_are_where_the_file_says_and_pairs_stay_in_order() {
        let notice = "By nobody. Licence: gratis – für alle, und zwar lange genug, dass sich alles verschiebt.";
        for (key, is_first) in [("KTXwriter", true), ("Author", false)] {
            let plain = file(key);
            let told = with_notice(&plain, notice).unwrap();
            let at =
                |from: usize| u64::from_le_bytes(told[from..from + 8].try_into().unwrap()) as usize;
            let word =
                |from: usize| u32::from_le_bytes(told[from..from + 4].try_into().unwrap()) as usize;
            for (line, value, length) in [(LIST_AT, 9, 32), (LIST_AT + LINE, 7, 16)] {
                let start = at(line);
                assert_eq!(start % 16, 0);
                assert!(told[start..start + length].iter().all(|b| *b == value));
            }
            let pairs = &told[word(PAIRS_AT)..][..word(PAIRS_AT + 4)];
            let find = |what: &str| {
                let what = what.as_bytes();
                pairs.windows(what.len()).position(|w| w == what).unwrap()
            };
            assert_eq!(find("Copyright") < find(key), is_first);
            assert!(find(notice) > 0);
            assert_eq!(with_notice(&told, "again"), None);
        }
    }

    #[test]
    fn what_is_cut_off_or_odd_is_left_alone() {
        let whole = file("KTXwriter");
        for length in 0..whole.len() - 48 {
            assert_eq!(with_notice(&whole[..length], "x"), None, "{length}");
        }
        let mut shared = whole.clone();
        shared[SHARED_AT + 8] = 4;
        assert_eq!(with_notice(&shared, "x"), None);
        // A pair that says it is longer than the file.
        let mut long = whole;
        long[LIST_AT + 2 * LINE] = 255;
        assert_eq!(with_notice(&long, "x"), None);
    }
}
