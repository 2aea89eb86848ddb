//! What a finding will cause and what repairs it, in words.

use ectome_intake::diagnose::Kind;
use serde::{Deserialize, Serialize};

/// A finding as reports and pages have it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct AdvisedFinding {
    /// What is wrong.
    pub kind: Kind,
    /// How many.
    pub count: usize,
    /// Further figures.
    #[serde(default)]
    pub detail: String,
    /// 3 spoils a cut, 2 shows in it, 1 costs triangles or care.
    pub rank: u8,
    /// What it will cause.
    pub harm: String,
    /// What repairs it; empty where nothing here does.
    pub remedy: String,
}

impl From<ectome_intake::diagnose::Finding> for AdvisedFinding {
    fn from(f: ectome_intake::diagnose::Finding) -> Self {
        Self {
            kind: f.kind,
            count: f.count,
            detail: f.detail,
            rank: f.rank,
            harm: harm(f.kind).to_owned(),
            remedy: remedy(f.kind).to_owned(),
        }
    }
}

/// What is counted, in words for so many of it.
pub fn noun(kind: Kind, count: usize) -> &'static str {
    let [one, many] = match kind {
        Kind::NonManifoldEdges => ["non-manifold edge", "non-manifold edges"],
        Kind::NonManifoldPoints => [
            "point where faces only touch",
            "points where faces only touch",
        ],
        Kind::InsideOutFaces => ["face wound the wrong way", "faces wound the wrong way"],
        Kind::OpenBorders => ["open border", "open borders"],
        Kind::CoincidentPoints => [
            "point that nearly coincides with another",
            "points that nearly coincide",
        ],
        Kind::DuplicateFaces => ["duplicate face", "duplicate faces"],
        Kind::DegenerateFaces => ["face without area", "faces without area"],
        Kind::Floaters => ["loose piece", "loose pieces"],
        Kind::StrayGround => ["stray flat ground"; 2],
        Kind::Ngons => ["n-gon", "n-gons"],
        Kind::AbsurdScale => ["size that no prop has"; 2],
        Kind::MissingUvs => ["triangle without UVs", "triangles without UVs"],
        Kind::ZeroAreaUvs => ["triangle with flat UVs", "triangles with flat UVs"],
        Kind::OverlappingUvs => [
            "triangle with overlapping UVs",
            "triangles with overlapping UVs",
        ],
        Kind::OutOfRangeUvs => [
            "triangle with UVs outside the texture",
            "triangles with UVs outside the texture",
        ],
        Kind::MissingTextures => ["texture that is not there", "textures that are not there"],
        Kind::LargeTextures => ["texture larger than 4096", "textures larger than 4096"],
    };
    if count == 1 { one } else { many }
}

fn harm(kind: Kind) -> &'static str {
    match kind {
        Kind::NonManifoldEdges => {
            "Inside and outside cannot be told apart there; a cut leaves those edges as they are."
        }
        Kind::NonManifoldPoints => "A cut holds these points, so that nothing tears or fuses.",
        Kind::InsideOutFaces => "They turn black or vanish in an engine, and bakes miss them.",
        Kind::OpenBorders => "One sees through, and bake rays fall through.",
        Kind::CoincidentPoints => {
            "The surface is torn there: a cut opens the gap and shading shows it."
        }
        Kind::DuplicateFaces => "They flicker, and each costs its triangles twice.",
        Kind::DegenerateFaces => "They cost triangles and shade as dark streaks.",
        Kind::Floaters => "They take triangles from what is seen and leave specks.",
        Kind::StrayGround => {
            "A ground nobody asked for ships with the asset and takes its triangles."
        }
        Kind::Ngons => "Every program splits them differently, so shading changes on import.",
        Kind::AbsurdScale => "Distances, screen sizes and texel density will all be wrong.",
        Kind::MissingUvs => "No texture can be carried over.",
        Kind::ZeroAreaUvs => "One texel smears over the whole face.",
        Kind::OverlappingUvs => {
            "What is baked into one place shows in the other. Wanted for mirrored halves."
        }
        Kind::OutOfRangeUvs => "Baking leaves them out. Wanted where a texture repeats.",
        Kind::MissingTextures => "The surface stays plain.",
        Kind::LargeTextures => "No target takes them at this size.",
    }
}

fn remedy(kind: Kind) -> &'static str {
    match kind {
        Kind::NonManifoldEdges | Kind::NonManifoldPoints => "split_non_manifold",
        Kind::InsideOutFaces => "make_outward",
        Kind::OpenBorders => "close_holes",
        Kind::CoincidentPoints => "weld",
        Kind::DuplicateFaces => "drop_duplicates",
        Kind::DegenerateFaces => "drop_degenerate",
        Kind::Floaters => "drop_floaters",
        Kind::StrayGround => "clip",
        Kind::Ngons => "divide_ngons",
        Kind::AbsurdScale => "measure",
        Kind::MissingUvs | Kind::ZeroAreaUvs => "unwrap",
        _ => "",
    }
}
