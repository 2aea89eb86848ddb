//! How alike pictures of one thing look: their colours where both show something, what one covers and the other does not, and how they
//! mirror light.
//!
//! Pictures are compared as they are and once and again at half the size, averaged in linear light, which is what they would be from twice as
//! far: one set of pictures answers for every distance.

use ectome_texture::{colour::Lab, srgb};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// A pixel counts as covered from this on, of 1.
const COVERED: f32 = 0.5;
/// The smallest edge that pictures are compared at, in pixels.
const SMALLEST: usize = 40;

/// A picture of a thing.
#[derive(Clone, Copy, Debug)]
pub struct View<'a> {
    /// Pixels in a row.
    pub width: usize,
    /// Rows from the top: sRGB, and coverage in the fourth byte.
    pub pixels: &'a [[u8; 4]],
    /// How bright the mirrored light is, coded as sRGB; may be empty.
    pub shine: &'a [u8],
    /// Pixels at which nothing is compared; may be empty.
    pub unknown: &'a [bool],
}

/// How alike two things look from several sides.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Look {
    /// Mean difference of colour over all pixels that both cover (CIEDE2000).
    pub colour_mean: f64,
    /// Mean of the twentieth of these that differ most.
    pub colour_worst: f64,
    /// What only the result covers, as a share of what the source covers.
    pub gained: f64,
    /// What only the source covers, as a share of what it covers.
    pub lost: f64,
    /// Mean difference of mirrored light over the pixels that both cover, as a share of white.
    pub shine: f64,
    /// The views, by their numbers, that differ most: in colour, in coverage, in mirrored light.
    pub worst_views: [usize; 3],
}

impl Look {
    /// Share of what the source covers that one covers and the other does not.
    pub fn coverage_off(&self) -> f64 {
        self.gained + self.lost
    }
}

/// How alike they look at one size.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct AtSize {
    /// Edge of the pictures, in pixels.
    pub edge_px: u32,
    /// How alike they look.
    pub look: Look,
}

/// Compares views of a source with those of a result, pair by pair, all of one size: at their own size first, then smaller and smaller.
pub fn compare(views: &[[View<'_>; 2]]) -> Vec<AtSize> {
    let mut pairs: Vec<[Plain; 2]> = (views.par_iter())
        .map(|pair| {
            let unknown = |i: usize| pair.iter().any(|v| v.unknown.get(i) == Some(&true));
            pair.map(|v| Plain::of(&v, &unknown))
        })
        .collect();
    let mut list = Vec::new();
    while let Some([first, _]) = pairs.first() {
        let edge_px = first.width as u32;
        list.push(AtSize {
            edge_px,
            look: look(&pairs),
        });
        if first.width / 2 < SMALLEST {
            break;
        }
        pairs = (pairs.par_iter())
            .map(|[a, b]| [a.halved(), b.halved()])
            .collect();
    }
    list
}

/// What is seen where something fills so many pixels: the smallest comparison that is no smaller, else the largest.
pub fn at(list: &[AtSize], edge_px: f64) -> Option<&AtSize> {
    let fitting = list.iter().filter(|s| f64::from(s.edge_px) >= edge_px);
    fitting
        .min_by_key(|s| s.edge_px)
        .or(list.iter().max_by_key(|s| s.edge_px))
}

/// A picture in linear light, multiplied with its coverage.
struct Plain {
    width: usize,
    /// Red, green, blue, coverage, mirrored light.
    pixels: Vec<[f32; 5]>,
}

impl Plain {
    /// What is unknown is clear, in both pictures: so it counts in no figure, at no size.
    fn of(view: &View<'_>, unknown: &dyn Fn(usize) -> bool) -> Self {
        let linear = srgb::table();
        let pixels = view.pixels.iter().enumerate().map(|(i, p)| {
            if unknown(i) {
                return [0.0; 5];
            }
            let covered = f32::from(p[3]) / 255.0;
            let value = |v: u8| linear[v as usize] * covered;
            let shine = view.shine.get(i).copied().unwrap_or(0);
            [value(p[0]), value(p[1]), value(p[2]), covered, value(shine)]
        });
        Self {
            width: view.width,
            pixels: pixels.collect(),
        }
    }

    /// Half as large; an odd row or column at the end is left out.
    fn halved(&self) -> Self {
        let (width, height) = (self.width / 2, self.pixels.len() / self.width / 2);
        let pixels = (0..width * height).map(|i| {
            let at = 2 * (i / width) * self.width + 2 * (i % width);
            let four = [at, at + 1, at + self.width, at + self.width + 1].map(|k| self.pixels[k]);
            std::array::from_fn(|k| four.iter().map(|p| p[k]).sum::<f32>() / 4.0)
        });
        Self {
            width,
            pixels: pixels.collect(),
        }
    }
}

/// What one pair of pictures comes to.
#[derive(Default)]
struct Compared {
    colours: Vec<f32>,
    shine: f64,
    covered: f64,
    gained: f64,
    lost: f64,
}

impl Compared {
    fn of([source, result]: &[Plain; 2]) -> Self {
        let mut sum = Self::default();
        for (a, b) in source.pixels.iter().zip(&result.pixels) {
            let off = f64::from(b[3] - a[3]);
            sum.covered += f64::from(a[3]);
            sum.gained += off.max(0.0);
            sum.lost += (-off).max(0.0);
            if a[3] >= COVERED && b[3] >= COVERED {
                sum.colours.push(difference(a, b));
                sum.shine += f64::from((a[4] / a[3] - b[4] / b[3]).abs());
            }
        }
        sum
    }

    fn mean(&self) -> f64 {
        self.colours.iter().map(|d| f64::from(*d)).sum::<f64>() / self.colours.len().max(1) as f64
    }
}

fn look(pairs: &[[Plain; 2]]) -> Look {
    let each: Vec<Compared> = pairs.par_iter().map(Compared::of).collect();
    let worst = |of: &dyn Fn(&Compared) -> f64| {
        // The first of those that are equally bad.
        let best = |best: usize, n: usize| {
            if of(&each[n]) > of(&each[best]) {
                n
            } else {
                best
            }
        };
        (0..each.len()).reduce(best).unwrap_or(0)
    };
    let mean_shine = |c: &Compared| c.shine / c.colours.len().max(1) as f64;
    let worst_views = [
        worst(&Compared::mean),
        worst(&|c| (c.gained + c.lost) / c.covered.max(1.0)),
        worst(&mean_shine),
    ];
    let sum = |of: fn(&Compared) -> f64| each.iter().map(of).sum::<f64>();
    let (covered, shine) = (sum(|c| c.covered), sum(|c| c.shine));
    let (gained, lost) = (sum(|c| c.gained), sum(|c| c.lost));
    let mut all: Vec<f32> = each.iter().flat_map(|c| &c.colours).copied().collect();
    let mean =
        |list: &[f32]| list.iter().map(|d| f64::from(*d)).sum::<f64>() / list.len().max(1) as f64;
    let colour_mean = mean(&all);
    let twentieth = all.len().div_ceil(20);
    if twentieth > 0 {
        all.select_nth_unstable_by(twentieth - 1, |a, b| b.total_cmp(a));
    }
    let share = |part: f64| if covered > 0.0 { part / covered } else { 0.0 };
    Look {
        colour_mean,
        colour_worst: mean(&all[..twentieth]),
        gained: share(gained),
        lost: share(lost),
        shine: shine / all.len().max(1) as f64,
        worst_views,
    }
}

/// How different two pixels look where both are covered.
fn difference(a: &[f32; 5], b: &[f32; 5]) -> f32 {
    let own = |p: &[f32; 5]| [p[0] / p[3], p[1] / p[3], p[2] / p[3]];
    let (a, b) = (own(a), own(b));
    if a == b {
        return 0.0;
    }
    Lab::of_linear(a).difference(Lab::of_linear(b)) as f32
}

#[cfg(test)]
mod tests {
    use super::*;

    fn view(pixels: &[[u8; 4]]) -> View<'_> {
        View {
            width: 10,
            pixels,
            shine: &[],
            unknown: &[],
        }
    }

    /// Of a hundred pixels ten are another colour, and ten are clear in the result.
    #[test]
    fn colours_and_coverage_are_counted_apart() {
        let source = vec![[200, 100, 50, 255]; 100];
        let mut result = source.clone();
        result[..10].fill([100, 200, 50, 255]);
        result[90..].fill([0, 0, 0, 0]);
        let same = [view(&source), view(&source)];
        let list = compare(&[same, [view(&source), view(&result)]]);
        let look = list[0].look;
        let lab = |p: [u8; 4]| Lab::of_srgb([p[0], p[1], p[2]]);
        let off = lab(source[0]).difference(lab(result[0]));
        assert!(off > 20.0);
        assert!((look.colour_mean - off * 10.0 / 190.0).abs() < 1e-3);
        // A twentieth of 190 is 10: all that differ.
        assert!((look.colour_worst - off).abs() < 1e-3);
        assert!((look.lost - 0.05).abs() < 1e-6 && look.gained == 0.0);
        assert_eq!(look.worst_views, [1, 1, 0]);
        let turned = compare(&[[view(&result), view(&source)]]);
        assert!((turned[0].look.gained - 1.0 / 9.0).abs() < 1e-6);
    }

    #[test]
    fn nothing_is_like_nothing() {
        let clear = [[0; 4]; 100];
        let list = compare(&[[view(&clear), view(&clear)]]);
        assert_eq!(list[0].look, Look::default());
        assert!(compare(&[]).is_empty());
    }

    /// A checker of covered and clear pixels beside its opposite: nothing is alike, and from twice as far nothing differs.
    #[test]
    fn what_is_too_fine_to_be_seen_does_not_count() {
        let edge = 2 * SMALLEST;
        let checker = |odd: usize| -> Vec<[u8; 4]> {
            (0..edge * edge)
                .map(|i| {
                    let on = (i % edge + i / edge) % 2 == odd;
                    if on { [90, 160, 40, 255] } else { [0; 4] }
                })
                .collect()
        };
        let (a, b) = (checker(0), checker(1));
        let view = |pixels| View {
            width: edge,
            pixels,
            shine: &[],
            unknown: &[],
        };
        let list = compare(&[[view(&a), view(&b)]]);
        assert_eq!(list.iter().map(|s| s.edge_px).collect::<Vec<_>>(), [80, 40]);
        assert_eq!(list[0].look.coverage_off(), 2.0);
        assert_eq!(list[1].look.coverage_off(), 0.0);
        assert!(list[1].look.colour_mean < 1e-4);
        assert_eq!(at(&list, 50.0), Some(&list[0]));
        assert_eq!(at(&list, 12.0), Some(&list[1]));
        assert_eq!(at(&list, 900.0), Some(&list[0]));
    }

    /// Mirrored light is compared in linear light: 188 coded is a half.
    #[test]
    fn shine_is_a_share_of_white() {
        let pixels = [[128, 128, 128, 255]; 100];
        let [dull, bright] = [[0; 100], [188; 100]];
        let with = |shine| View {
            shine,
            ..view(&pixels)
        };
        let list = compare(&[[with(&dull), with(&bright)]]);
        assert!((list[0].look.shine - 0.5).abs() < 0.01);
        assert_eq!(list[0].look.colour_mean, 0.0);
    }

    /// Of two rows one is unknown: what differs there counts nowhere.
    #[test]
    fn what_is_unknown_is_not_compared() {
        let source = [[10, 200, 30, 255]; 100];
        let mut result = source;
        result[..50].fill([0; 4]);
        let unknown: Vec<bool> = (0..100).map(|i| i < 50).collect();
        let source = View {
            unknown: &unknown,
            ..view(&source)
        };
        let list = compare(&[[source, view(&result)]]);
        assert_eq!(list[0].look, Look::default());
    }
}
