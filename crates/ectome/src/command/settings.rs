//! Guards and attention on the command line.

use clap::Args;
use ectome_recipe::{Attention, CutSettings, Keep};

use super::failure::Failure;

/// What a cut keeps and looks at most.
#[derive(Args)]
pub struct SettingsArgs {
    /// Lines that must not move: borders, seams, creases (or creases=35 for another angle in
    /// degrees), materials, parts.
    #[arg(long, value_name = "LINE,…", value_delimiter = ',')]
    keep: Vec<String>,
    /// Amounts of attention, such as outline=3,uvs=2; the rest keep their usual shares. Also: shape,
    /// shading, colour, borders.
    #[arg(long, value_name = "NAME=N,…", value_delimiter = ',')]
    attention: Vec<String>,
    /// Let small parts and materials vanish. Without it something is left of each.
    #[arg(long)]
    let_parts_go: bool,
}

/// How objects stand in the file that is written.
#[derive(Args)]
pub struct ObjectArgs {
    /// Hangs objects in the tree in which the source hung them (GLB). Without it they stand beside each other.
    #[arg(long)]
    pub hierarchy: bool,
}

/// Edges sharper than this are creases unless an angle is given, in degrees.
const CREASE: f32 = 35.0;

impl SettingsArgs {
    /// The settings, or a sentence.
    pub fn settings(&self) -> Result<CutSettings, Failure> {
        Ok(CutSettings {
            keep: self.keep()?,
            attention: self.attention()?,
            let_parts_go: self.let_parts_go,
            ..CutSettings::default()
        })
    }

    fn keep(&self) -> Result<Keep, Failure> {
        let mut keep = Keep::default();
        for word in &self.keep {
            let (name, angle) = match word.split_once('=') {
                Some((name, angle)) => (name, angle.parse::<f32>().ok()),
                None => (word.as_str(), Some(CREASE)),
            };
            match (name, angle) {
                ("borders", _) => keep.borders = true,
                ("seams", _) => keep.seams = true,
                ("materials", _) => keep.materials = true,
                ("parts", _) => keep.parts = true,
                ("creases", Some(angle)) if angle > 0.0 && angle < 180.0 => {
                    keep.creases = Some(angle);
                }
                _ => {
                    return Err(Failure::Settings(format!(
                        "--keep knows borders, seams, creases, materials and parts, not \u{201c}{word}\u{201d}"
                    )));
                }
            }
        }
        Ok(keep)
    }

    fn attention(&self) -> Result<Attention, Failure> {
        let usual = Attention::default();
        let mut amounts = [
            ("outline", usual.outline),
            ("shape", usual.shape),
            ("uvs", usual.uvs),
            ("shading", usual.shading),
            ("colour", usual.colour),
            ("borders", usual.borders),
        ];
        for word in &self.attention {
            let parsed = word
                .split_once('=')
                .and_then(|(name, n)| Some((name, n.parse::<f32>().ok()?)))
                // One UV set, one slip: the singular will do.
                .map(|(name, n)| (if name == "uv" { "uvs" } else { name }, n));
            let slot = parsed.and_then(|(name, n)| {
                let slot = amounts.iter_mut().find(|(known, _)| *known == name)?;
                (n >= 0.0 && n.is_finite()).then_some((slot, n))
            });
            match slot {
                // A given amount is in units of the usual share.
                Some((slot, n)) => slot.1 *= n,
                None => {
                    return Err(Failure::Settings(format!(
                        "--attention takes amounts such as outline=3,uvs=2, not \u{201c}{word}\u{201d}"
                    )));
                }
            }
        }
        Attention::of(amounts.map(|(_, n)| n)).ok_or_else(|| {
            Failure::Settings(
                "--attention leaves nothing to look at: give one amount above 0".into(),
            )
        })
    }
}
