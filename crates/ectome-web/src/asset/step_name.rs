//! The steps of an asset's page.

/// A step, in the order of work.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StepName {
    Intake,
    Parts,
    Cut,
    Uvs,
    Maps,
    Chain,
    Proof,
    Parcel,
}

impl StepName {
    /// All of them, in that order.
    pub const ALL: [Self; 8] = [
        Self::Intake,
        Self::Parts,
        Self::Cut,
        Self::Uvs,
        Self::Maps,
        Self::Chain,
        Self::Proof,
        Self::Parcel,
    ];

    /// The word in addresses.
    pub fn address(self) -> &'static str {
        match self {
            Self::Intake => "intake",
            Self::Parts => "parts",
            Self::Cut => "cut",
            Self::Chain => "chain",
            Self::Uvs => "uvs",
            Self::Maps => "maps",
            Self::Proof => "proof",
            Self::Parcel => "parcel",
        }
    }

    /// The name on pages.
    pub fn name(self) -> &'static str {
        match self {
            Self::Intake => "Intake",
            Self::Parts => "Parts",
            Self::Cut => "Cut",
            Self::Chain => "Chain",
            Self::Uvs => "UVs",
            Self::Maps => "Maps",
            Self::Proof => "Proof",
            Self::Parcel => "Parcel",
        }
    }

    /// The step of an address.
    pub fn of(address: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|s| s.address() == address)
    }
}
