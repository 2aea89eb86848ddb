//! The maps there are.

use serde::{Deserialize, Serialize};

/// A kind of map. The names are those of files and reports.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// Normals of the source in the low mesh's tangent space.
    Normal,
    /// Normals of the source in the space of the object.
    NormalObject,
    /// The share of the sky that a place sees, or what the source's own texture of occlusion says where that is less: 1 is open.
    Occlusion,
    /// The source's own texture of occlusion alone.
    SourceOcclusion,
    /// The mean direction of the sky that a place sees, in tangent space.
    BentNormal,
    /// Mean curvature: above one half bulges, below is hollow.
    Curvature,
    /// How far the source stands above the low surface.
    Height,
    /// Where the place is, inside the bounds of the low mesh.
    Position,
    /// How far it is through the solid to the other side.
    Thickness,
    /// A colour for each part of the source.
    PartId,
    /// A colour for each material of the source.
    MaterialId,
    /// Base colour.
    BaseColour,
    /// Roughness.
    Roughness,
    /// Metalness.
    Metalness,
    /// Light of its own.
    Emissive,
    /// Opacity.
    Opacity,
    /// Vertex colours.
    VertexColour,
}

impl Kind {
    /// All of them.
    pub const ALL: [Self; 17] = [
        Self::Normal,
        Self::NormalObject,
        Self::Occlusion,
        Self::BentNormal,
        Self::Curvature,
        Self::Height,
        Self::Position,
        Self::Thickness,
        Self::PartId,
        Self::MaterialId,
        Self::BaseColour,
        Self::Roughness,
        Self::Metalness,
        Self::Emissive,
        Self::Opacity,
        Self::SourceOcclusion,
        Self::VertexColour,
    ];

    /// The word in names of files, reports and briefs.
    pub fn word(self) -> &'static str {
        match self {
            Self::Normal => "normal",
            Self::NormalObject => "normal_object",
            Self::Occlusion => "occlusion",
            Self::SourceOcclusion => "source_occlusion",
            Self::BentNormal => "bent_normal",
            Self::Curvature => "curvature",
            Self::Height => "height",
            Self::Position => "position",
            Self::Thickness => "thickness",
            Self::PartId => "part_id",
            Self::MaterialId => "material_id",
            Self::BaseColour => "base_colour",
            Self::Roughness => "roughness",
            Self::Metalness => "metalness",
            Self::Emissive => "emissive",
            Self::Opacity => "opacity",
            Self::VertexColour => "vertex_colour",
        }
    }

    /// The kind of a word.
    pub fn of(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|k| k.word() == word)
    }

    /// How many channels it has.
    pub fn channels(self) -> usize {
        match self {
            Self::Occlusion
            | Self::SourceOcclusion
            | Self::Curvature
            | Self::Height
            | Self::Thickness
            | Self::Roughness
            | Self::Metalness
            | Self::Opacity => 1,
            _ => 3,
        }
    }

    /// True for colours, which files code as sRGB; all else is linear.
    pub fn is_srgb(self) -> bool {
        matches!(
            self,
            Self::BaseColour
                | Self::Emissive
                | Self::VertexColour
                | Self::PartId
                | Self::MaterialId
        )
    }

    /// True for directions, coded as half of themselves plus one half.
    pub fn is_direction(self) -> bool {
        matches!(self, Self::Normal | Self::NormalObject | Self::BentNormal)
    }

    /// True for lengths, whose file is coded by the largest there is.
    pub fn has_range(self) -> bool {
        matches!(self, Self::Height | Self::Thickness)
    }

    /// True where neighbouring values may not be mixed.
    pub fn is_id(self) -> bool {
        matches!(self, Self::PartId | Self::MaterialId)
    }

    /// What it holds where nothing of the source is near, as where an opening was closed: the low mesh as it is by itself. `None` where
    /// that says nothing, or differs from place to place.
    pub(crate) fn by_itself(self) -> Option<[f32; 3]> {
        match self {
            Self::Normal | Self::BentNormal => Some([0.5, 0.5, 1.0]),
            Self::Curvature | Self::Height => Some([0.5; 3]),
            _ => None,
        }
    }

    /// True where many rays are sent from each place.
    pub fn needs_many_rays(self) -> bool {
        matches!(self, Self::Occlusion | Self::BentNormal | Self::Thickness)
    }
}
