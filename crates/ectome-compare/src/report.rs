//! Everything the judge has to say about a source and a cut.

use std::sync::OnceLock;

use ectome_mesh::{
    Mesh, Progress, islands, measure, nearest, normals::at_corners, topology::Topology,
};
use serde::Serialize;

use crate::{
    density,
    deviation::{self, Deviation, Distances, Points},
    error::CompareError,
    flipped, normals, outline,
    seam_drift::{self, Outlines},
    uv_drift, vanished,
};

/// Places spread over each surface: enough for a mean that is stable to a percent.
pub const SAMPLES: usize = 100_000;

/// The size of texture in whose texels slips are given.
pub const TEXELS: f64 = 2048.0;

/// Counts of one surface, under the names `inspect` uses.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Counts {
    /// Triangles.
    pub triangles: usize,
    /// Vertices.
    pub vertices: usize,
    /// Points.
    pub points: usize,
    /// Edges with one face.
    pub open_edges: usize,
    /// Loops they form.
    pub open_loops: usize,
    /// Edges with three or more faces.
    pub nonmanifold_edges: usize,
    /// Edges whose faces are wound against each other.
    pub inconsistent_edges: usize,
    /// Faces without area.
    pub degenerate_faces: usize,
    /// Faces that occur twice.
    pub duplicate_faces: usize,
    /// Pieces.
    pub components: usize,
}

impl Counts {
    /// Counts an all-triangle mesh.
    pub fn of(mesh: &Mesh) -> Self {
        let t = Topology::of(mesh);
        Self {
            triangles: mesh.triangle_count(),
            vertices: mesh.vertex_count(),
            points: mesh.points.len(),
            open_edges: t.open_edges,
            open_loops: t.open_loops,
            nonmanifold_edges: t.nonmanifold_edges,
            inconsistent_edges: t.inconsistent_edges,
            degenerate_faces: t.degenerate_faces,
            duplicate_faces: t.duplicate_faces,
            components: t.components,
        }
    }
}

/// Distances one way, with units in the names.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct OneWay {
    /// Mean over the area, in millimetres.
    pub deviation_mean_mm: f64,
    /// Largest, in millimetres.
    pub deviation_max_mm: f64,
    /// Mean, in percent of the source's diagonal.
    pub deviation_mean_percent_of_diagonal: f64,
    /// Largest, in percent of the source's diagonal.
    pub deviation_max_percent_of_diagonal: f64,
    /// Where the largest stands, in metres.
    pub worst_at_m: [f32; 3],
}

impl OneWay {
    fn new(d: &deviation::Deviation, diagonal: f64) -> Self {
        Self {
            deviation_mean_mm: d.mean_m * 1e3,
            deviation_max_mm: d.max_m * 1e3,
            deviation_mean_percent_of_diagonal: d.mean_m / diagonal * 100.0,
            deviation_max_percent_of_diagonal: d.max_m / diagonal * 100.0,
            worst_at_m: d.worst.to_array(),
        }
    }
}

/// A source and a cut compared.
#[derive(Clone, Debug, Default, PartialEq, Serialize)]
pub struct Report {
    /// The source.
    pub high: Counts,
    /// The cut.
    pub low: Counts,
    /// Places measured each way, spread by area (points of the meshes come on top).
    pub samples: usize,
    /// The source's diagonal, in metres.
    pub diagonal_m: f64,
    /// From the source to the cut.
    pub high_to_low: OneWay,
    /// From the cut to the source.
    pub low_to_high: OneWay,
    /// Mean of both ways, in millimetres.
    pub deviation_mean_mm: f64,
    /// Larger of both ways, in millimetres.
    pub deviation_max_mm: f64,
    /// Mean of both ways, in percent of the source's diagonal.
    pub deviation_mean_percent_of_diagonal: f64,
    /// Larger of both ways, in percent of the source's diagonal.
    pub deviation_max_percent_of_diagonal: f64,
    /// Loose pieces of the source that the cut has nothing of, largest first. Their distances are part of the figures above and
    /// of the outline's.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub vanished: Vec<VanishedPiece>,
    /// The figures a verdict rests on: vanished pieces count by their own size.
    #[serde(skip)]
    pub counted: Counted,
    /// Faces of the cut that look against the source.
    pub flipped_faces: usize,
    /// Mean slip of the texture, in texels of a texture of [`TEXELS`]; absent without UVs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub uv_drift_mean_texels: Option<f64>,
    /// Largest slip found.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub uv_drift_max_texels: Option<f64>,
    /// What the slip does to a test picture: mean difference, of 255.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub colour_transfer_error: Option<f64>,
    /// Mean distance between where islands end in source and cut, in texels.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seam_drift_mean_texels: Option<f64>,
    /// The largest such distance.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seam_drift_max_texels: Option<f64>,
    /// UV islands of source and cut.
    pub uv_islands: [usize; 2],
    /// Area both outlines cover over the area either covers, mean over 26 directions (0–1).
    pub outline_agreement: f64,
    /// Mean distance between the outlines, in pixels of pictures of 512 × 512 that the source fills.
    pub outline_mean_pixels: f64,
    /// The furthest that one outline leaves the other, in the same pixels.
    pub outline_worst_pixels: f64,
    /// The same in metres across the line of sight, in the view where it is largest.
    pub outline_worst_m: f64,
    /// Texels per metre of the cut on a texture of [`TEXELS`], mean over its area; absent without UVs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub texel_density_mean: Option<f64>,
    /// Its standard deviation over the mean.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub texel_density_spread: Option<f64>,
    /// Mean angle between the shading normals of the cut and those of the source beside it, in degrees.
    pub normal_deviation_mean_degrees: f64,
}

/// A loose piece of the source that is missing in the cut.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct VanishedPiece {
    /// Its middle, in metres.
    pub at_m: [f32; 3],
    /// The diagonal of its bounds, in millimetres.
    pub size_mm: f64,
    /// One of its faces.
    #[serde(skip)]
    pub face: u32,
}

/// Figures of a report in which vanished pieces count by their own size.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Counted {
    /// Mean deviation of both ways, in millimetres.
    pub deviation_mean_mm: f64,
    /// Larger of both ways, in millimetres.
    pub deviation_max_mm: f64,
    /// Where that stands, in metres.
    pub worst_at_m: [f32; 3],
    /// The furthest that one outline leaves the other, in metres.
    pub outline_worst_m: f64,
}

impl VanishedPiece {
    fn of(piece: &vanished::Vanished) -> Self {
        Self {
            at_m: piece.at.to_array(),
            size_mm: f64::from(piece.size_m) * 1e3,
            face: piece.face,
        }
    }
}

impl Counted {
    fn of(there: &Deviation, back: &Deviation, outline: &outline::Outline) -> Self {
        let worst = if there.max_m >= back.max_m {
            there
        } else {
            back
        };
        Self {
            deviation_mean_mm: (there.mean_m + back.mean_m) / 2.0 * 1e3,
            deviation_max_mm: worst.max_m * 1e3,
            worst_at_m: worst.worst.to_array(),
            outline_worst_m: outline.worst().map_or(0.0, |v| v.worst_m),
        }
    }
}

/// The size of picture in whose pixels outlines are reported.
const OUTLINE_PIXELS: f64 = 512.0;

/// What a report was drawn from; vanished pieces count by their own size.
#[derive(Clone, Debug)]
pub struct Details {
    /// From the source to the cut.
    pub there: deviation::Deviation,
    /// From the cut to the source.
    pub back: deviation::Deviation,
    /// The outlines.
    pub outline: outline::Outline,
    /// Texel density of source and cut.
    pub density: [Option<density::Density>; 2],
}

/// A source made ready to judge any number of cuts.
pub struct Judge {
    surface: nearest::SurfaceIndex,
    counts: Counts,
    islands: usize,
    diagonal: f64,
    pieces: vanished::Pieces,
    /// Its UVs are those that a cut has kept.
    compares_uvs: bool,
    /// Made when the first cut is judged.
    ready: OnceLock<Ready>,
}

/// What a source looks like, for every cut that is compared with it.
struct Ready {
    shapes: outline::Shapes,
    density: Option<density::Density>,
    outlines: Outlines,
    normals: Vec<glam::Vec3>,
}

impl Ready {
    fn of(high: &Mesh) -> Self {
        let texture = || (Outlines::of(high), density::of(high));
        let (shapes, (normals, (outlines, density))) = rayon::join(
            || outline::Shapes::of(high),
            || rayon::join(|| at_corners(high), texture),
        );
        Self {
            shapes,
            density,
            outlines,
            normals,
        }
    }
}

impl Judge {
    /// Indexes a source of triangles.
    ///
    /// # Errors
    /// [`CompareError::NotTriangulated`].
    pub fn of(high: &Mesh) -> Result<Self, CompareError> {
        if !high.is_triangulated() {
            return Err(CompareError::NotTriangulated);
        }
        let (surface, (counts, (islands, pieces))) = rayon::join(
            || nearest::SurfaceIndex::of(high),
            || {
                let others = || (islands::count(high), vanished::Pieces::of(high));
                rayon::join(|| Counts::of(high), others)
            },
        );
        Ok(Self {
            surface,
            counts,
            islands,
            diagonal: f64::from(measure::bounds(high).diagonal()),
            pieces,
            compares_uvs: true,
            ready: OnceLock::new(),
        })
    }

    /// For what has UVs of its own: those of the source say nothing about them, and no figure of UVs is made.
    #[must_use]
    pub fn without_uvs(self) -> Self {
        Self {
            compares_uvs: false,
            islands: 0,
            ..self
        }
    }

    /// Makes now what the first cut would wait for: outlines, normals and texel density of `high`, the source this judge was made of.
    pub fn make_ready(&self, high: &Mesh) {
        self.ready(high);
    }

    fn ready(&self, high: &Mesh) -> &Ready {
        match self.ready.get() {
            Some(ready) => ready,
            None => {
                // Made outside the lock: what waits for others of the pool inside it could be given work that asks for the same.
                let made = Ready::of(high);
                self.ready.get_or_init(|| made)
            }
        }
    }

    /// The source as a surface.
    pub fn surface(&self) -> &nearest::SurfaceIndex {
        &self.surface
    }

    /// The faces of `low` that look against the source.
    pub fn flipped(&self, low: &Mesh) -> Vec<u32> {
        flipped::faces(low, &self.surface)
    }

    /// Whether a triangle looks against the source.
    pub fn is_flipped(&self, triangle: [glam::Vec3; 3]) -> bool {
        flipped::is_flipped(triangle, &self.surface)
    }

    /// Compares a cut with `high`, the source this judge was made of.
    ///
    /// # Errors
    /// See [`CompareError`].
    pub fn compare(
        &self,
        high: &Mesh,
        low: &Mesh,
        progress: &Progress,
    ) -> Result<Report, CompareError> {
        Ok(self.examine(high, low, progress)?.0)
    }

    /// The same, with what the figures were drawn from.
    ///
    /// # Errors
    /// See [`CompareError`].
    pub fn examine(
        &self,
        high: &Mesh,
        low: &Mesh,
        progress: &Progress,
    ) -> Result<(Report, Details), CompareError> {
        if !low.is_triangulated() {
            return Err(CompareError::NotTriangulated);
        }
        let low_surface = nearest::SurfaceIndex::of(low);
        progress.at(0.1)?;
        let (gone, missing) = self.pieces.vanished(high, &low_surface);
        let measuring = progress.span(0.1, 0.4);
        let points = if gone.is_empty() {
            Points::OnlyFar
        } else {
            // What has vanished is left out of the figures, and then smaller distances count.
            Points::Each
        };
        let mut distances = Distances::of(high, &low_surface, SAMPLES, points, &measuring)?;
        let there = distances.sum();
        let back = deviation::one_way(low, &self.surface, SAMPLES, &progress.span(0.4, 0.8))?;
        let flipped_faces = self.flipped(low).len();
        progress.at(0.85)?;
        let ready = self.ready(high);
        let (slip, seams, density_high) = if self.compares_uvs {
            (
                uv_drift::drift(high, &self.surface, low),
                seam_drift::drift(&ready.outlines, &Outlines::of(low)),
                ready.density,
            )
        } else {
            (None, None, None)
        };
        let density = density::of(low);
        progress.at(0.9)?;
        let outline = ready.shapes.compare(high, low).ok_or(CompareError::Empty)?;
        let (counted_there, counted_outline) = match gone.first() {
            None => (there.clone(), outline.clone()),
            Some(largest) => {
                distances.limit(|face| {
                    if missing[face as usize] {
                        self.pieces.size_m(face)
                    } else {
                        f32::INFINITY
                    }
                });
                let rest = vanished::without(high, &missing);
                let outline = outline::compare(&rest, low).ok_or(CompareError::Empty)?;
                let size = f64::from(largest.size_m);
                (distances.sum(), outline.at_least(size))
            }
        };
        let d = self.diagonal;
        let mean = (there.mean_m + back.mean_m) / 2.0;
        let max = there.max_m.max(back.max_m);
        let report = Report {
            high: self.counts.clone(),
            low: Counts::of(low),
            samples: SAMPLES,
            diagonal_m: d,
            high_to_low: OneWay::new(&there, d),
            low_to_high: OneWay::new(&back, d),
            deviation_mean_mm: mean * 1e3,
            deviation_max_mm: max * 1e3,
            deviation_mean_percent_of_diagonal: mean / d * 100.0,
            deviation_max_percent_of_diagonal: max / d * 100.0,
            vanished: gone.iter().map(VanishedPiece::of).collect(),
            counted: Counted::of(&counted_there, &back, &counted_outline),
            flipped_faces,
            uv_drift_mean_texels: slip.map(|s| s.mean * TEXELS),
            uv_drift_max_texels: slip.map(|s| s.max * TEXELS),
            colour_transfer_error: slip.map(|s| s.colour),
            seam_drift_mean_texels: seams.map(|s| s.mean * TEXELS),
            seam_drift_max_texels: seams.map(|s| s.max * TEXELS),
            uv_islands: [self.islands, islands::count(low)],
            outline_agreement: outline.agreement(),
            outline_mean_pixels: outline.mean_pixels(OUTLINE_PIXELS),
            outline_worst_pixels: outline.worst_pixels(OUTLINE_PIXELS),
            outline_worst_m: outline.worst().map_or(0.0, |v| v.worst_m),
            texel_density_mean: density.map(|d| d.mean * TEXELS),
            texel_density_spread: density.map(|d| d.spread),
            normal_deviation_mean_degrees: normals::mean_degrees(
                high,
                &ready.normals,
                &self.surface,
                low,
            ),
        };
        progress.at(1.0)?;
        let details = Details {
            there: counted_there,
            back,
            outline: counted_outline,
            density: [density_high, density],
        };
        Ok((report, details))
    }
}

/// Compares the cut `low` with its source `high`; both must be triangles only.
///
/// # Errors
/// See [`CompareError`].
pub fn compare(high: &Mesh, low: &Mesh, progress: &Progress) -> Result<Report, CompareError> {
    progress.stage("Measuring");
    progress.at(0.0)?;
    let judge = Judge::of(high)?;
    judge.compare(high, low, &progress.span(0.3, 1.0))
}
