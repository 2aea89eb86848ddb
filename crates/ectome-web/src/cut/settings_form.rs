//! The guards and the attention as a form sends them.

use ectome_recipe::{Attention, Ball, CutSettings, Keep, Region};
use serde::Deserialize;

use crate::failure::Failure;

/// What the settings form sends: boxes that are not ticked are absent.
#[derive(Deserialize)]
pub struct SettingsForm {
    seams: Option<String>,
    creases: Option<String>,
    crease_angle: Option<String>,
    borders: Option<String>,
    materials: Option<String>,
    parts: Option<String>,
    /// Six amounts, comma-separated, in the order of [`Attention::of`].
    attention: String,
    /// Balls as JSON.
    region: String,
    inverse: Option<String>,
    /// Percent.
    weight_percent: Option<String>,
    reuse_repeats: Option<String>,
    reuse_halves: Option<String>,
    let_parts_go: Option<String>,
}

/// The most balls a painted region may have.
const MOST_BALLS: usize = 4000;

impl SettingsForm {
    fn weight(&self) -> Result<f32, Failure> {
        let text = self.weight_percent.as_deref().unwrap_or("100").trim();
        let percent = text
            .parse::<f32>()
            .ok()
            .filter(|p| (0.0..=100.0).contains(p));
        percent
            .map(|p| p / 100.0)
            .ok_or_else(|| Failure::bad("The strength of a region is 0 to 100 percent."))
    }

    /// What the fields say.
    ///
    /// # Errors
    /// A sentence for what they cannot mean.
    pub fn settings(&self) -> Result<CutSettings, Failure> {
        let amounts: Vec<f32> = self
            .attention
            .split(',')
            .filter_map(|n| n.trim().parse().ok())
            .collect();
        let attention = <[f32; 6]>::try_from(amounts)
            .ok()
            .and_then(Attention::of)
            .ok_or_else(|| Failure::bad("Attention needs six shares, none of them below zero."))?;
        let creases = match (&self.creases, &self.crease_angle) {
            (None, _) => None,
            (Some(_), angle) => {
                let angle = angle.as_deref().unwrap_or("35").trim().replace('°', "");
                let degrees = angle.parse().ok().filter(|a| *a > 0.0 && *a < 180.0);
                Some(degrees.ok_or_else(|| {
                    Failure::bad("An edge is hard above an angle between 0 and 180 degrees.")
                })?)
            }
        };
        let balls: Vec<Ball> = match self.region.trim() {
            "" => Vec::new(),
            text => serde_json::from_str(text).map_err(|_| {
                Failure::bad("The painted region could not be read. Clear it and paint again.")
            })?,
        };
        if balls.len() > MOST_BALLS {
            return Err(Failure::bad(
                "The painted region has too many strokes. Clear it and paint with a larger brush.",
            ));
        }
        Ok(CutSettings {
            keep: Keep {
                borders: self.borders.is_some(),
                seams: self.seams.is_some(),
                creases,
                materials: self.materials.is_some(),
                parts: self.parts.is_some(),
            },
            attention,
            region: Region {
                balls,
                inverse: self.inverse.is_some(),
                weight: self.weight()?,
            },
            reuse_repeats: self.reuse_repeats.is_some(),
            reuse_halves: self.reuse_halves.is_some(),
            let_parts_go: self.let_parts_go.is_some(),
        })
    }
}
