//! Brings a low mesh that was made elsewhere: it stands for the source from here on, and is judged against it.

use std::time::Instant;

use ectome_formats::{Space, files::extension_of, space};
use ectome_mesh::{
    Mesh, Progress,
    measure::{self, Bounds},
};
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output};
use crate::{
    Change, CutReport, EngineError, change,
    jury::Jury,
    maps,
    measured::made_report,
    proof::{Pair, prove},
    triangles::triangulated,
};

/// A file of a mesh that was made elsewhere.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct BroughtFile {
    /// Its name.
    pub name: String,
    /// The address of its bytes.
    pub blob: String,
    /// How many they are.
    pub bytes: u64,
}

/// Brings a low mesh that was made elsewhere.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Bring {
    /// The mesh first, then what it refers to.
    pub files: Vec<BroughtFile>,
}

impl Operation for Bring {
    fn version(&self) -> u32 {
        4
    }

    fn title(&self) -> &'static str {
        "Taking in the low mesh"
    }

    fn wish(&self) -> String {
        let name = self.files.first().map_or("", |f| f.name.as_str());
        format!("Low mesh {name}")
    }

    fn nature(&self) -> Nature {
        Nature::Reduces
    }

    fn cost(&self) -> f32 {
        1.0
    }

    fn replaces_uvs(&self) -> bool {
        true
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let started = Instant::now();
        let source = triangulated(input.scene()?, progress)?;
        progress.stage(self.title());
        let mut low = input.brought(&self.files, &progress.span(0.0, 0.3))?;
        let name = self.files.first().map_or("", |f| f.name.as_str());
        low.mesh = in_the_same_space(low.mesh, extension_of(name), &input.changes(), &source.mesh)?;
        low.copies.clear();
        let seconds_analysis = started.elapsed().as_secs_f64();
        progress.stage("Measuring");
        let started = Instant::now();
        let shown = triangulated(low.clone(), progress)?;
        if shown.mesh.face_count() == 0 {
            return Err(EngineError::NothingLeft { by: self.title() });
        }
        // Its UVs are its own: those of the source say nothing about them.
        let jury = Jury::of(&source)?.without_uvs();
        let judge = &jury.judge;
        let (measured, details) =
            judge.examine(&source.mesh, &shown.mesh, &progress.span(0.4, 0.95))?;
        let report = CutReport {
            seconds_analysis,
            seconds_measuring: started.elapsed().as_secs_f64(),
            ..made_report(&shown.mesh, &source.mesh, judge, &measured)
        };
        let pair = Pair {
            high: &source,
            low: &shown,
        };
        let proven = prove(pair, pair, &jury, &source.mesh, (&measured, &details))?;
        Ok(Output::proven(low, report, proven))
    }
}

/// The mesh in the space of the source: as its file has it, or taken through the unit and axis that the source was read in, or
/// through those that its own file is likely to have, whichever lies best on the source.
///
/// # Errors
/// [`EngineError::Bake`] when it lies on the source in none of them: what is wrong, and the way out.
fn in_the_same_space(
    low: Mesh,
    extension: &str,
    changes: &[Change],
    source: &Mesh,
) -> Result<Mesh, EngineError> {
    let of_source = changes.iter().rev().find_map(|c| match c {
        Change::Measure(change::Measure { space }) => Some(*space),
        _ => None,
    });
    let own = space::of(extension, &low).space;
    let spaces = [Some(Space::default()), of_source, Some(own)];
    let wanted = measure::bounds(source);
    let mut best: Option<(f32, Mesh)> = None;
    for space in spaces.into_iter().flatten() {
        let tried = space.applied(&low);
        let off = apart(wanted, measure::bounds(&tried));
        if best.as_ref().is_none_or(|(least, _)| off < *least) {
            best = Some((off, tried));
        }
    }
    let mesh = best.map_or(low, |(_, mesh)| mesh);
    maps::same_space(source, &mesh)?;
    Ok(mesh)
}

/// How badly bounds agree: what their corners differ by, in diagonals of the smaller.
fn apart(a: Bounds, b: Bounds) -> f32 {
    let off = (a.min - b.min).length() + (a.max - b.max).length();
    off / a.diagonal().min(b.diagonal()).max(1e-9)
}

#[cfg(test)]
mod tests {
    use ectome_formats::Up;
    use ectome_mesh::shapes;
    use glam::Vec3;
    use rstest::rstest;

    use super::*;

    /// A low mesh in the unit and axis of the source's file is taken along, one in metres is left, one that lies elsewhere is
    /// refused with the reason.
    #[rstest]
    #[case::as_it_is("glb", 1.0, Up::Y, true)]
    #[case::as_the_source("obj", 0.01, Up::Z, true)]
    #[case::by_its_own_guess("obj", 0.001, Up::Y, true)]
    #[case::elsewhere("glb", 0.3048, Up::Y, false)]
    fn a_mesh_is_taken_to_the_space_of_the_source(
        #[case] extension: &str,
        #[case] unit_m: f32,
        #[case] up: Up,
        #[case] found: bool,
    ) {
        let source = {
            let mut ball = shapes::icosphere(1.0, 3);
            for p in &mut ball.points {
                *p = *p * Vec3::new(1.0, 2.0, 0.5) + Vec3::Y * 2.0;
            }
            ball
        };
        let changes = [Change::Measure(change::Measure {
            space: Space {
                unit_m: 0.01,
                up: Up::Z,
            },
        })];
        let mut low = source.clone();
        let back = Space { unit_m, up }.to_scene().inverse();
        for p in &mut low.points {
            *p = back.transform_point3(*p);
        }
        let made = in_the_same_space(low, extension, &changes, &source);
        match made {
            Ok(mesh) => {
                assert!(found);
                let (a, b) = (measure::bounds(&source), measure::bounds(&mesh));
                assert!(apart(a, b) < 1e-3, "{}", apart(a, b));
            }
            Err(error) => assert!(!found && error.to_string().contains("not in one space")),
        }
    }
}
