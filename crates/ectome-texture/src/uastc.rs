//! Pictures as blocks of 4 × 4 texels of 16 bytes each, from which a loader makes whatever blocks a device reads (UASTC LDR 4×4: Khronos
//! Data Format Specification 1.3, "UASTC", and Binomial LLC, *UASTC Texture Specification*, 2020, whose tables these are).
//!
//! Of the format's nineteen modes those are written that have one pair of end colours for the whole block, since nearly all blocks of
//! textures lie along one line of colours: with 2, 3, 4 or 5 bits for the place along the line of an opaque texel, with 2, 3 or 4 of one
//! that is not, and the mode of a single colour. For each block the one that comes nearest is kept.

use rayon::prelude::*;

/// Bytes of a block.
pub const BLOCK_BYTES: usize = 16;
/// Texels along the side of a block.
pub const SIDE: usize = 4;
/// Texels of a block.
const TEXELS: usize = SIDE * SIDE;

type Block = [[u8; 4]; TEXELS];

/// How the end colours of a mode are kept: in so many values, of so many bits and perhaps a digit of base three.
#[derive(Clone, Copy, PartialEq)]
struct Range {
    bits: u32,
    has_trit: bool,
}

/// A way to keep a block.
struct Mode {
    /// Its code and how many bits that has.
    code: (u32, u32),
    /// Whether the places along the line have room for a second hint for BC1, and a bias for ETC1.
    has_more_hints: bool,
    /// Channels that it keeps.
    channels: usize,
    /// Bits of a texel's place along the line.
    weight_bits: u32,
    ends: Range,
}

const fn mode(
    code: (u32, u32),
    has_more_hints: bool,
    channels: usize,
    weight_bits: u32,
    (bits, has_trit): (u32, bool),
) -> Mode {
    Mode {
        code,
        has_more_hints,
        channels,
        weight_bits,
        ends: Range { bits, has_trit },
    }
}

/// Modes 0, 5, 1 and 18.
const OPAQUE: [Mode; 4] = [
    mode((0x1, 4), true, 3, 4, (6, true)),
    mode((0xB, 5), true, 3, 3, (8, false)),
    mode((0x35, 6), true, 3, 2, (8, false)),
    mode((0x9, 4), true, 3, 5, (5, false)),
];
/// Modes 12, 10 and 14.
const CLEAR: [Mode; 3] = [
    mode((0x6, 3), false, 4, 3, (6, true)),
    mode((0x2, 3), false, 4, 4, (4, true)),
    mode((0xD, 5), true, 4, 2, (8, false)),
];
/// The code of mode 8, a single colour.
const SINGLE: (u32, u32) = (0x17, 5);

impl Range {
    fn values(self) -> usize {
        (if self.has_trit { 3 } else { 1 }) << self.bits
    }

    /// What a value stands for, 0 to 255.
    fn colour(self, value: u32) -> u8 {
        let low = value & ((1 << self.bits) - 1);
        if !self.has_trit {
            // Its bits over and over.
            let (mut out, mut left) = (0u32, 8i32);
            while left > 0 {
                let n = left.min(self.bits as i32);
                out |= (low >> (self.bits as i32 - n)) << (left - n);
                left -= n;
            }
            return out as u8;
        }
        let bit = |k: u32| low >> k & 1;
        // Which bits come where, highest first, and what the digit counts.
        let (order, step): ([Option<u32>; 9], u32) = match self.bits {
            4 => {
                let (b, c, d) = (Some(1), Some(2), Some(3));
                ([d, c, b, None, None, None, d, c, b], 22)
            }
            _ => {
                let (b, c, d, e, f) = (Some(1), Some(2), Some(3), Some(4), Some(5));
                ([f, e, d, c, b, None, None, None, f], 5)
            }
        };
        let spread = order
            .into_iter()
            .fold(0, |sum, k| sum << 1 | k.map_or(0, bit));
        let turn = if low & 1 == 1 { 511 } else { 0 };
        let sum = ((value >> self.bits) * step + spread) ^ turn;
        ((turn & 0x80) | sum >> 2) as u8
    }
}

/// For each mode's range what its values stand for, and the value nearest to each colour.
struct Tables {
    colour: Vec<u8>,
    nearest: [u8; 256],
}

impl Tables {
    fn of(range: Range) -> Self {
        let colour: Vec<u8> = (0..range.values() as u32)
            .map(|v| range.colour(v))
            .collect();
        let nearest = std::array::from_fn(|wanted| {
            let far = |v: usize| colour[v].abs_diff(wanted as u8);
            (0..colour.len()).min_by_key(|&v| far(v)).unwrap_or(0) as u8
        });
        Self { colour, nearest }
    }
}

/// How far along the line each place is, of 64.
fn steps(bits: u32) -> Vec<i32> {
    let of = |v: u32| {
        let (mut out, mut left) = (0u32, 6i32);
        while left > 0 {
            let n = left.min(bits as i32);
            out |= (v >> (bits as i32 - n)) << (left - n);
            left -= n;
        }
        (out + u32::from(out > 32)) as i32
    };
    (0..1 << bits).map(of).collect()
}

/// A texel between two end colours, as a device works it out: in sixteen bits.
fn between(a: u8, b: u8, step: i32) -> u8 {
    let wide = |v: u8| i32::from(v) * 257;
    ((wide(a) * (64 - step) + wide(b) * step + 32) >> 6 >> 8) as u8
}

/// A block as a mode keeps it.
#[derive(Clone)]
struct Kept {
    /// Two values a channel.
    ends: [[u8; 2]; 4],
    weights: [u8; TEXELS],
    /// The sum of squares by which it is off.
    error: u32,
}

/// What a coder needs of each mode.
pub struct Coder {
    opaque: Vec<(&'static Mode, Tables, Vec<i32>)>,
    clear: Vec<(&'static Mode, Tables, Vec<i32>)>,
}

impl Default for Coder {
    fn default() -> Self {
        let ready = |modes: &'static [Mode]| {
            let of = |m: &'static Mode| (m, Tables::of(m.ends), steps(m.weight_bits));
            modes.iter().map(of).collect()
        };
        Self {
            opaque: ready(&OPAQUE),
            clear: ready(&CLEAR),
        }
    }
}

impl Coder {
    /// A picture of four channels as blocks, row by row from its first texel. Sides that are no multiple of four have their last row or
    /// column repeated.
    ///
    /// # Panics
    /// Where `rgba` does not hold four bytes for each texel of `size`.
    pub fn blocks(&self, rgba: &[u8], size: [usize; 2]) -> Vec<u8> {
        assert_eq!(rgba.len(), 4 * size[0] * size[1], "four bytes a texel");
        let across = size.map(|s| s.div_ceil(SIDE));
        let mut out = vec![0; BLOCK_BYTES * across[0] * across[1]];
        out.par_chunks_mut(BLOCK_BYTES * across[0])
            .enumerate()
            .for_each(|(row, line)| {
                for (column, into) in line.chunks_exact_mut(BLOCK_BYTES).enumerate() {
                    let block: Block = std::array::from_fn(|k| {
                        let x = (SIDE * column + k % SIDE).min(size[0] - 1);
                        let y = (SIDE * row + k / SIDE).min(size[1] - 1);
                        let at = 4 * (y * size[0] + x);
                        [rgba[at], rgba[at + 1], rgba[at + 2], rgba[at + 3]]
                    });
                    into.copy_from_slice(&self.block(&block));
                }
            });
        out
    }

    fn block(&self, block: &Block) -> [u8; BLOCK_BYTES] {
        if block.iter().all(|t| *t == block[0]) {
            return single(block[0]);
        }
        let is_opaque = block.iter().all(|t| t[3] == 255);
        let modes = if is_opaque { &self.opaque } else { &self.clear };
        let best = modes
            .iter()
            .map(|(mode, tables, steps)| (*mode, fitted(block, mode, tables, steps)))
            .min_by_key(|(_, kept)| kept.error);
        match best {
            Some((mode, kept)) => written(block, mode, kept),
            None => single(block[0]),
        }
    }
}

/// The line through a block's colours as a mode keeps it, and where its texels lie along it.
fn fitted(block: &Block, mode: &Mode, tables: &Tables, steps: &[i32]) -> Kept {
    let n = mode.channels;
    let mut ends = line(block, n);
    let mut best: Option<Kept> = None;
    for _ in 0..3 {
        let value = |v: f32| tables.nearest[v.round().clamp(0.0, 255.0) as usize];
        let kept: [[u8; 2]; 4] = std::array::from_fn(|c| {
            if c < n {
                [value(ends[0][c]), value(ends[1][c])]
            } else {
                [0; 2]
            }
        });
        let colours = kept.map(|pair| pair.map(|v| tables.colour[v as usize]));
        let line: Vec<[u8; 4]> = steps
            .iter()
            .map(|&s| std::array::from_fn(|c| between(colours[c][0], colours[c][1], s)))
            .collect();
        let mut error = 0;
        let weights = block.map(|texel| {
            let far = |w: usize| -> u32 {
                (0..n)
                    .map(|c| u32::from(texel[c].abs_diff(line[w][c])).pow(2))
                    .sum()
            };
            let w = (0..line.len()).min_by_key(|&w| far(w)).unwrap_or(0);
            error += far(w);
            w as u8
        });
        if best.as_ref().is_none_or(|b| error < b.error) {
            best = Some(Kept {
                ends: kept,
                weights,
                error,
            });
        }
        match refitted(block, n, &weights, steps) {
            Some(next) => ends = next,
            None => break,
        }
    }
    best.unwrap_or(Kept {
        ends: [[0; 2]; 4],
        weights: [0; TEXELS],
        error: u32::MAX,
    })
}

/// The ends of a block's colours along the line that is nearest to them all, by turning a line again and again towards where they spread
/// (R. von Mises, H. Pollaczek-Geiringer, 1929).
fn line(block: &Block, n: usize) -> [[f32; 4]; 2] {
    let mean: [f32; 4] =
        std::array::from_fn(|c| block.iter().map(|t| f32::from(t[c])).sum::<f32>() / TEXELS as f32);
    let off = |t: &[u8; 4]| -> [f32; 4] {
        std::array::from_fn(|c| {
            if c < n {
                f32::from(t[c]) - mean[c]
            } else {
                0.0
            }
        })
    };
    let dot = |a: [f32; 4], b: [f32; 4]| (0..4).map(|c| a[c] * b[c]).sum::<f32>();
    // It begins with the texel that is farthest off.
    let far = |t: &[u8; 4]| dot(off(t), off(t));
    let mut axis = block
        .iter()
        .max_by(|a, b| far(a).total_cmp(&far(b)))
        .map_or([1.0; 4], off);
    for _ in 0..6 {
        let mut next = [0.0; 4];
        for t in block {
            let o = off(t);
            let along = dot(o, axis);
            (0..4).for_each(|c| next[c] += along * o[c]);
        }
        let length = dot(next, next).sqrt();
        if length < 1e-6 {
            break;
        }
        axis = next.map(|v| v / length);
    }
    let (mut low, mut high) = (f32::INFINITY, f32::NEG_INFINITY);
    for t in block {
        let along = dot(off(t), axis);
        (low, high) = (low.min(along), high.max(along));
    }
    [low, high].map(|along| std::array::from_fn(|c| mean[c] + along * axis[c]))
}

/// The end colours that suit the places of the texels best, by least squares; none where all lie at one place.
fn refitted(
    block: &Block,
    n: usize,
    weights: &[u8; TEXELS],
    steps: &[i32],
) -> Option<[[f32; 4]; 2]> {
    let (mut aa, mut ab, mut bb) = (0.0f32, 0.0f32, 0.0f32);
    let (mut ra, mut rb) = ([0.0f32; 4], [0.0f32; 4]);
    for (t, &w) in block.iter().zip(weights) {
        let b = steps[w as usize] as f32 / 64.0;
        let a = 1.0 - b;
        (aa, ab, bb) = (aa + a * a, ab + a * b, bb + b * b);
        for c in 0..n {
            ra[c] += a * f32::from(t[c]);
            rb[c] += b * f32::from(t[c]);
        }
    }
    let whole = aa * bb - ab * ab;
    (whole.abs() > 1e-4).then(|| {
        [
            std::array::from_fn(|c| (ra[c] * bb - rb[c] * ab) / whole),
            std::array::from_fn(|c| (rb[c] * aa - ra[c] * ab) / whole),
        ]
    })
}

/// Bits one after the other, the lowest first.
#[derive(Default)]
struct Bits {
    bits: u128,
    count: u32,
}

impl Bits {
    fn put(&mut self, value: u32, count: u32) {
        self.bits |= u128::from(value) << self.count;
        self.count += count;
    }
}

fn single(colour: [u8; 4]) -> [u8; BLOCK_BYTES] {
    let mut bits = Bits::default();
    bits.put(SINGLE.0, SINGLE.1);
    colour.iter().for_each(|&v| bits.put(v.into(), 8));
    // For ETC1: five bits a channel, the smallest brightness steps, the darker of the small ones or the lighter.
    let base = colour.map(|v| u32::from(v) * 31 / 255);
    let grey = |v: u32| v << 3 | v >> 2;
    let is_lighter = (0..3)
        .map(|c| i32::from(colour[c]) - grey(base[c]) as i32)
        .sum::<i32>()
        > 0;
    bits.put(1, 1);
    bits.put(0, 3);
    bits.put(if is_lighter { 0 } else { 2 }, 2);
    (0..3).for_each(|c| bits.put(base[c], 5));
    bits.bits.to_le_bytes()
}

fn written(block: &Block, mode: &Mode, mut kept: Kept) -> [u8; BLOCK_BYTES] {
    // The first texel's highest bit is left out: it is 0.
    let top = 1 << (mode.weight_bits - 1);
    if kept.weights[0] & top != 0 {
        let most = (1 << mode.weight_bits) - 1;
        kept.weights.iter_mut().for_each(|w| *w = most - *w);
        kept.ends.iter_mut().for_each(|pair| pair.swap(0, 1));
    }
    let mut bits = Bits::default();
    bits.put(mode.code.0, mode.code.1);
    bits.put(0, 1);
    if mode.has_more_hints {
        bits.put(0, 1);
    }
    let hint = etc1_hint(block);
    bits.put(hint.is_flipped.into(), 1);
    bits.put(0, 1);
    hint.tables.iter().for_each(|&t| bits.put(t, 3));
    if mode.has_more_hints {
        bits.put(0, 5);
    }
    if mode.channels == 4 {
        bits.put(eac_hint(block), 8);
    }
    let values: Vec<u32> = kept.ends[..mode.channels]
        .iter()
        .flatten()
        .map(|&v| v.into())
        .collect();
    if mode.ends.has_trit {
        for group in values.chunks(5) {
            let digits = group
                .iter()
                .rev()
                .fold(0, |sum, v| 3 * sum + (v >> mode.ends.bits));
            bits.put(digits, [0, 2, 4, 5, 7, 8][group.len()]);
        }
    }
    let low = (1 << mode.ends.bits) - 1;
    values
        .iter()
        .for_each(|v| bits.put(v & low, mode.ends.bits));
    for (k, &w) in kept.weights.iter().enumerate() {
        bits.put(w.into(), mode.weight_bits - u32::from(k == 0));
    }
    bits.bits.to_le_bytes()
}

/// How ETC1 would keep a block: its halves one beside or one above the other, and how far brightness spreads in each.
struct Etc1Hint {
    is_flipped: bool,
    tables: [u32; 2],
}

/// The steps of brightness of ETC1, small and large (Khronos Data Format Specification 1.3, "ETC1").
const BRIGHTNESS: [[i32; 2]; 8] = [
    [2, 8],
    [5, 17],
    [9, 29],
    [13, 42],
    [18, 60],
    [24, 80],
    [33, 106],
    [47, 183],
];

fn etc1_hint(block: &Block) -> Etc1Hint {
    let one = |is_flipped: bool| {
        let half = |second: usize| {
            let own: Vec<&[u8; 4]> = (0..TEXELS)
                .filter(|k| (if is_flipped { k / SIDE } else { k % SIDE }) / 2 == second)
                .map(|k| &block[k])
                .collect();
            let base: [i32; 3] = std::array::from_fn(|c| {
                let mean = own.iter().map(|t| i32::from(t[c])).sum::<i32>() / own.len() as i32;
                (mean * 15 + 127) / 255 * 17
            });
            let off = |table: &[i32; 2]| -> i32 {
                let of = |t: &&[u8; 4]| {
                    let by = |s: i32| -> i32 {
                        (0..3)
                            .map(|c| (i32::from(t[c]) - (base[c] + s).clamp(0, 255)).pow(2))
                            .sum()
                    };
                    [table[0], table[1], -table[0], -table[1]]
                        .map(by)
                        .into_iter()
                        .min()
                };
                own.iter().filter_map(of).sum()
            };
            let sums = BRIGHTNESS.iter().map(off).zip(0u32..);
            sums.min().unwrap_or_default()
        };
        [half(0), half(1)]
    };
    let (beside, above) = (one(false), one(true));
    let sum = |halves: &[(i32, u32); 2]| halves[0].0 + halves[1].0;
    let is_flipped = sum(&above) < sum(&beside);
    let halves = if is_flipped { above } else { beside };
    Etc1Hint {
        is_flipped,
        tables: halves.map(|h| h.1),
    }
}

/// How EAC would keep the opacity of a block: the table whose steps are spread most evenly, times what makes it reach both ends.
fn eac_hint(block: &Block) -> u32 {
    const EVEN: u32 = 13;
    /// What the steps of that table span.
    const SPAN: u32 = 19;
    let (low, high) = block
        .iter()
        .fold((255, 0), |(low, high), t| (t[3].min(low), t[3].max(high)));
    let times = u32::from(high.saturating_sub(low))
        .div_ceil(SPAN)
        .clamp(1, 15);
    EVEN | times << 4
}

#[cfg(test)]
mod tests {
    use super::*;

    /// From the specification's table for 192 values: the lowest is 0, the highest 255, and they come in mirrored pairs.
    #[test]
    fn end_colours_span_what_the_specification_says() {
        for (bits, has_trit) in [(4, true), (6, true), (5, false), (8, false)] {
            let range = Range { bits, has_trit };
            let mut all: Vec<u8> = (0..range.values() as u32)
                .map(|v| range.colour(v))
                .collect();
            all.sort_unstable();
            assert_eq!((all[0], all[all.len() - 1]), (0, 255));
            let n = all.len();
            all.dedup();
            assert_eq!(all.len(), n, "{bits} {has_trit}");
            assert!((0..n).all(|k| all[k] == 255 - all[n - 1 - k]));
        }
    }

    #[test]
    fn places_along_the_line_span_it_evenly() {
        assert_eq!(steps(2), [0, 21, 43, 64]);
        assert_eq!(steps(3), [0, 9, 18, 27, 37, 46, 55, 64]);
        assert_eq!(steps(4)[8..], [35, 39, 43, 47, 52, 56, 60, 64]);
    }

    #[test]
    fn every_block_has_all_its_bits() {
        for mode in OPAQUE.iter().chain(&CLEAR) {
            let hints = if mode.has_more_hints { 15 } else { 9 };
            let clear = if mode.channels == 4 { 8 } else { 0 };
            let values = 2 * mode.channels as u32;
            let trits = match (mode.ends.has_trit, values) {
                (false, _) => 0,
                (true, 6) => 10,
                (true, _) => 13,
            };
            let ends = values * mode.ends.bits + trits;
            let all = mode.code.1 + hints + clear + ends + 16 * mode.weight_bits - 1;
            assert!(
                all <= 128,
                "{all} bits in the mode of code {:x}",
                mode.code.0
            );
        }
    }
}
