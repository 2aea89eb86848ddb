//! Figures and standings as the pages write them.

use ectome_recipe::{Inspection, Standing, advice, maps::Kind};

pub use ectome_recipe::figures::{counted, distance, grouped, length, sentence};

/// Bytes in the unit that suits them.
pub fn bytes(n: u64) -> String {
    match n {
        n if n >= 1 << 30 => format!("{:.1} GiB", n as f64 / (1u64 << 30) as f64),
        n if n >= 1 << 20 => format!("{:.1} MiB", n as f64 / (1u64 << 20) as f64),
        n => format!("{:.0} KiB", n as f64 / 1024.0),
    }
}

/// Seconds.
pub fn seconds(s: f64) -> String {
    let whole = s.round() as u64;
    if whole >= 60 {
        format!("{} min {} s", whole / 60, whole % 60)
    } else if s > 0.0 && s < 0.05 {
        "under 0.1 s".to_owned()
    } else {
        format!("{s:.1} s")
    }
}

/// The word, the icon and the class of a standing.
pub fn standing(s: Standing) -> (&'static str, &'static str, &'static str) {
    match s {
        Standing::Pass => ("Passes", "check", "is-pass"),
        Standing::Tight => ("Passes, tight", "tight", "is-tight"),
        Standing::Over => ("Does not pass", "cross", "is-over"),
    }
}

pub use ectome_recipe::parcel::names::stem;

/// What is said before a source is cut that would tear.
pub fn tearing(i: &Inspection) -> Option<String> {
    let count = advice::torn(i)?;
    Some(format!(
        "{} points stand beside another one without being joined, so a cut tears the surface there.",
        grouped(count as u64)
    ))
}

/// The name of a map on pages.
pub fn map_name(kind: Kind) -> &'static str {
    match kind {
        Kind::Normal => "Normal",
        Kind::NormalObject => "Normal, object space",
        Kind::Occlusion => "Occlusion",
        Kind::SourceOcclusion => "Occlusion, the source's own",
        Kind::BentNormal => "Bent normal",
        Kind::Curvature => "Curvature",
        Kind::Height => "Height",
        Kind::Position => "Position",
        Kind::Thickness => "Thickness",
        Kind::PartId => "Part id",
        Kind::MaterialId => "Material id",
        Kind::BaseColour => "Base colour",
        Kind::Roughness => "Roughness",
        Kind::Metalness => "Metalness",
        Kind::Emissive => "Emissive",
        Kind::Opacity => "Opacity",
        Kind::VertexColour => "Vertex colour",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Fog bell", "fog_bell")]
    #[case("../../etc/passwd", "etc_passwd")]
    #[case("???", "asset")]
    fn stems_are_safe_file_names(#[case] title: &str, #[case] name: &str) {
        assert_eq!(stem(title), name);
    }
}
