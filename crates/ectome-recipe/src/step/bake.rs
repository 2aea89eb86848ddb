//! Bakes maps of what came before from the source, and dresses it with them.

use ectome_mesh::Progress;
use serde::{Deserialize, Serialize};

use super::{Input, Nature, Operation, Output, Step};
use crate::{
    EngineError,
    artefact::Artefact,
    figures::counted,
    leaves,
    maps::{self, BakeSettings, Earlier, on_sheet},
    picture, proof,
    triangles::triangulated,
};

/// Bakes maps.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Bake {
    /// Which and how.
    pub bake: BakeSettings,
}

impl Operation for Bake {
    fn version(&self) -> u32 {
        11
    }

    fn title(&self) -> &'static str {
        "Baking"
    }

    fn wish(&self) -> String {
        let maps = counted(self.bake.kinds.len() as u64, "map");
        let painted = if self.bake.painted.is_empty() {
            ""
        } else {
            ", reach painted"
        };
        format!("Bake {maps} at {}{painted}", self.bake.size)
    }

    fn nature(&self) -> Nature {
        Nature::Dresses
    }

    fn cost(&self) -> f32 {
        8.0
    }

    fn run(&self, input: &dyn Input, progress: &Progress) -> Result<Output, EngineError> {
        let (source, low) = (input.with_all_parts()?, input.scene()?);
        // Leaf cards keep their pictures and stand in no ray's way.
        let leaves = leaves::beside_others(&low);
        let of_source = leaves.as_ref().and_then(|_| leaves::beside_others(&source));
        let (whole, whole_source) = (low, source);
        let low = leaves.as_ref().map_or(&whole, |l| &l.rest);
        let source = of_source.as_ref().map_or(&whole_source, |l| &l.rest);
        let own = &progress.span(0.0, 0.85);
        let made = match self.bake.painted.split_last() {
            None => maps::baked(source, low, &self.bake, None, own)?,
            Some((_, painted)) => {
                // What was baked before the last go of the brush, if that is kept.
                let key = input.key_with(Step::from(Self {
                    bake: BakeSettings {
                        painted: painted.to_vec(),
                        ..self.bake.clone()
                    },
                }));
                let earlier = Earlier {
                    painted,
                    artefact: &|kind, which| input.artefact(&key, kind, which),
                };
                maps::baked(source, low, &self.bake, Some(&earlier), own)?
            }
        };
        progress.stage("Proving the maps");
        let scene = maps::dressed(low.clone(), &made, self.bake.sheets);
        let scene = match &leaves {
            None => scene,
            Some(leaves) => leaves.put_back(&whole, scene),
        };
        let source = triangulated(whole_source, progress)?;
        let shown = triangulated(scene.clone(), progress)?;
        let mut report = made.report;
        let seen = proof::dressed(&source, &shown);
        report.shading_without = Some(1.0 - seen.maps.without);
        report.shading_with = Some(1.0 - seen.maps.with());
        report.looks.clone_from(&seen.looks);
        progress.at(0.97)?;
        let picture = picture::png(&shown, picture::RESULT.0, picture::RESULT.1);
        let mut artefacts = vec![
            Artefact::new(Artefact::PICTURE, picture),
            Artefact::new(
                Artefact::BAKE,
                serde_json::to_vec(&report).unwrap_or_default(),
            ),
        ];
        artefacts.extend(seen.artefacts);
        if !made.shell.is_empty() {
            artefacts.push(Artefact::new(Artefact::SHELL, made.shell));
        }
        for (sheet, bytes) in made.texels {
            let name = on_sheet(Artefact::TEXELS, sheet);
            artefacts.push(Artefact::one_of(Artefact::TEXELS, name, bytes));
        }
        if !made.misses.is_empty() {
            artefacts.push(Artefact::new(Artefact::MISSES, made.misses));
        }
        let files = made.files.into_iter().map(|f| (f.name(), f.bytes));
        let named = |(name, bytes)| Artefact::one_of(Artefact::MAP, name, bytes);
        artefacts.extend(files.chain(made.packed).map(named));
        artefacts.extend(
            made.legends.into_iter().map(|(kind, svg)| {
                Artefact::one_of(Artefact::LEGEND, kind.word(), svg.into_bytes())
            }),
        );
        Ok(Output {
            artefacts,
            shading: Some((seen.views, seen.maps, seen.looks)),
            ..Output::of(scene)
        })
    }
}
