//! Which keys are equal: numbering by order of first occurrence.
//!
//! First-occurrence order keeps neighbours in the file neighbours in memory; a shuffled order costs
//! later passes a factor of two and more.

use glam::Vec3;

/// Numbers equal keys alike. Returns the class of each key and, for each class, the index of its
/// first key. `K` is compared exactly; use [`position_key`] for places.
pub fn classes<K: Copy + Eq + HashBits>(keys: &[K]) -> (Vec<u32>, Vec<u32>) {
    let capacity = (keys.len() * 2).next_power_of_two().max(16);
    let mask = capacity - 1;
    let mut table = vec![u32::MAX; capacity];
    let mut class = Vec::with_capacity(keys.len());
    let mut first: Vec<u32> = Vec::new();
    for (i, key) in keys.iter().enumerate() {
        let mut slot = key.hash_bits() as usize & mask;
        loop {
            let entry = table[slot];
            if entry == u32::MAX {
                table[slot] = first.len() as u32;
                class.push(first.len() as u32);
                first.push(i as u32);
                break;
            }
            if keys[first[entry as usize] as usize] == *key {
                class.push(entry);
                break;
            }
            slot = (slot + 1) & mask;
        }
    }
    (class, first)
}

/// Keys that can spread themselves over a table.
pub trait HashBits {
    /// 64 well-mixed bits; equal keys give equal bits.
    fn hash_bits(&self) -> u64;
}

impl<const N: usize> HashBits for [u32; N] {
    fn hash_bits(&self) -> u64 {
        let mut h = 0x9E37_79B9_7F4A_7C15_u64;
        for &word in self {
            h = (h ^ u64::from(word)).wrapping_mul(0xFF51_AFD7_ED55_8CCD);
            h ^= h >> 32;
        }
        h
    }
}

/// The exact bits of a place, with −0 and +0 alike.
#[inline]
pub fn position_key(p: Vec3) -> [u32; 3] {
    (p + Vec3::ZERO).to_array().map(f32::to_bits)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn minus_zero_is_zero() {
        assert_eq!(
            position_key(Vec3::new(-0.0, 1.0, 0.0)),
            position_key(Vec3::new(0.0, 1.0, -0.0))
        );
    }

    #[test]
    fn classes_come_in_order_of_first_occurrence() {
        let (class, first) = classes(&[[7], [3], [7], [9], [3]]);
        assert_eq!(class, [0, 1, 0, 2, 1]);
        assert_eq!(first, [0, 1, 3]);
    }
}
