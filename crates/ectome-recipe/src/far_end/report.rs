//! What was made at the far end, in figures.

use crate::figures::{counted, grouped, length};
use serde::{Deserialize, Serialize};

/// What stands in.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "as", rename_all = "snake_case")]
pub enum FarReport {
    /// Convex hulls.
    Hulls {
        /// Each of them, largest first.
        hulls: Vec<HullLine>,
        /// The volume of one hull over everything, in cubic metres: several are the better the further they stay below it.
        whole_m3: f64,
    },
    /// Cards.
    Cards {
        /// How many rectangles.
        cards: u32,
        /// The share of their area that shows something, in percent.
        shown_percent: f64,
        /// Texels of their sheet to a metre.
        texels_per_metre: f64,
        /// Width and height of the sheet, in texels.
        size: u32,
    },
}

impl FarReport {
    /// What was made, in sentences.
    pub fn sentences(&self) -> Vec<String> {
        match self {
            Self::Hulls { hulls, whole_m3 } => {
                let triangles: usize = hulls.iter().map(|h| h.triangles).sum();
                let volume: f64 = hulls.iter().map(|h| h.volume_m3).sum();
                let out = hulls.iter().map(|h| h.stands_out_mm).fold(0.0, f64::max);
                let mut says = vec![format!(
                    "{}, {} triangles.",
                    counted(hulls.len() as u64, "convex hull"),
                    grouped(triangles)
                )];
                if hulls.len() > 1 && *whole_m3 > 0.0 {
                    let percent = 100.0 * volume / whole_m3;
                    says.push(format!(
                        "Together they hold {percent:.0} % of what one hull over everything would."
                    ));
                }
                says.push(if out > 0.0 {
                    format!("The source stands out by up to {}.", length(out))
                } else {
                    "Nothing of the source stands out.".to_owned()
                });
                let flat = hulls.iter().filter(|h| h.was_flat).count();
                if flat > 0 {
                    says.push(format!(
                        "{} over what is flat, given a thickness.",
                        counted(flat as u64, "hull")
                    ));
                }
                says
            }
            Self::Cards {
                cards,
                shown_percent,
                texels_per_metre,
                size,
            } => vec![
                format!(
                    "{}, pictures on a sheet of {size} texels.",
                    counted(u64::from(*cards), "card")
                ),
                format!("{shown_percent:.0} % of their area shows something."),
                format!(
                    "{} texels per metre. The outline is judged from where cards are looked at: around the horizon.",
                    grouped(texels_per_metre.round() as usize)
                ),
            ],
        }
    }
}

/// A hull.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct HullLine {
    /// Its triangles.
    pub triangles: usize,
    /// Its volume, in cubic metres.
    pub volume_m3: f64,
    /// The furthest that the source stands out of it, in millimetres; 0 where it holds all it is for.
    pub stands_out_mm: f64,
    /// What it is for lies in a plane: it was given a thickness.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub was_flat: bool,
}
