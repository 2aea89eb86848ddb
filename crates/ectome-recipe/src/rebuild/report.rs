//! What a rebuild did.

use serde::{Deserialize, Serialize};

use crate::figures::{grouped, length};

/// How a piece with borders, or a thin one, was taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Taken {
    /// It encloses something with the rest: it is part of the skin.
    Skin,
    /// It is a sheet, and has its thickness.
    Film,
    /// It is a sheet, and was left out.
    LeftOut,
}

impl Taken {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Skin => "part of the skin",
            Self::Film => "given a thickness",
            Self::LeftOut => "left out",
        }
    }
}

/// A piece with borders or a thin one, and how it was taken.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct OpenLine {
    /// The part it belongs to.
    pub part: String,
    /// Its middle.
    pub at_m: [f32; 3],
    /// How far across it is.
    pub across_mm: f64,
    /// How far across its widest opening is.
    pub opening_mm: f64,
    /// How it was taken.
    pub taken: Taken,
}

/// An opening or a gap that was closed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ClosedLine {
    /// The part nearest to it.
    pub part: String,
    /// Its middle.
    pub at_m: [f32; 3],
    /// How far across it is.
    pub across_mm: f64,
    /// Its area.
    pub area_mm2: f64,
}

/// What a rebuild did.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct RebuildReport {
    /// The size of a cell.
    pub cell_mm: f64,
    /// Loose pieces of the source.
    pub pieces: usize,
    /// Pieces that were turned outward.
    pub turned: usize,
    /// Pieces with borders and thin ones; the largest of them.
    pub open_pieces: Vec<OpenLine>,
    /// How many there are of them.
    #[serde(default)]
    pub open_piece_count: usize,
    /// Openings and gaps that were closed, largest first; the largest of them.
    pub openings: Vec<ClosedLine>,
    /// How many were closed.
    pub closed_openings: usize,
    /// Triangles of the source of which nothing can be seen.
    pub dropped_interior_triangles: usize,
    /// Hollows that were filled.
    pub hollows_filled: usize,
    /// Hollows that were kept.
    pub hollows_kept: usize,
    /// No edge has one face, or more than two.
    pub watertight: bool,
    /// Separate parts of the skin.
    pub components: usize,
    /// Handles of all of them together.
    pub genus: i64,
    /// How far the skin is off what can be seen of the source, away from what was closed: mean.
    pub away_mean_mm: f64,
    /// The same at most.
    pub away_max_mm: f64,
    /// How far what closes openings and gaps is off the source at most.
    pub closing_max_mm: f64,
    /// Seconds for the skin.
    pub seconds: f64,
}

impl RebuildReport {
    /// What was done, in sentences.
    pub fn sentences(&self) -> Vec<String> {
        let mut says = Vec::new();
        let pieces = match self.pieces {
            1 => "1 piece".to_owned(),
            n => format!("{} pieces", grouped(n)),
        };
        says.push(match self.components {
            1 => format!("{pieces} became one skin."),
            n => format!("{pieces} became a skin in {} parts.", grouped(n)),
        });
        let films = self.taken(Taken::Film);
        for (n, one, many) in [
            (self.turned, "piece turned outward", "pieces turned outward"),
            (films, "sheet given a thickness", "sheets given a thickness"),
            (
                self.taken(Taken::LeftOut),
                "sheet left out",
                "sheets left out",
            ),
            (
                self.dropped_interior_triangles,
                "triangle inside dropped",
                "triangles inside dropped",
            ),
            (self.closed_openings, "opening closed", "openings closed"),
            (self.hollows_filled, "hollow filled", "hollows filled"),
            (self.hollows_kept, "hollow kept", "hollows kept"),
        ] {
            match n {
                0 => {}
                1 => says.push(format!("1 {one}.")),
                n => says.push(format!("{} {many}.", grouped(n))),
            }
        }
        let mut off = format!(
            "Off what is seen by {} on the mean and {} at most",
            length(self.away_mean_mm),
            length(self.away_max_mm)
        );
        if self.closed_openings > 0 {
            off += &format!(
                "; where openings are closed, up to {}",
                length(self.closing_max_mm)
            );
        }
        says.push(off + ".");
        says
    }

    fn taken(&self, as_what: Taken) -> usize {
        self.open_pieces
            .iter()
            .filter(|p| p.taken == as_what)
            .count()
    }
}
