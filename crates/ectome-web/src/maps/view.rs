//! What the Maps step shows.

use ectome_recipe::{
    Artefact,
    maps::{
        BakeReport, BakeSettings, CoarseIsland, Directions, From, Kind, MapReport, Reach, on_sheet,
    },
};
use ectome_store::{artefact::Artefacts, candidate::Candidate};

use crate::{
    asset::{rows::Rows, sides::Side},
    failure::Failure,
    state::App,
    words,
};

/// A map as a line of the bill.
pub struct MapLine {
    pub word: &'static str,
    pub name: &'static str,
    /// It will be baked.
    pub on: bool,
    /// What its values mean: as baked, else in general.
    pub says: String,
    /// The map of the candidate shown, sheet by sheet.
    pub there: Vec<Baked>,
    /// The picture of what its colours stand for.
    pub legend: Option<String>,
}

/// A picture of several maps as a line.
pub struct PackedLine {
    pub name: String,
    pub says: String,
    /// It will be made.
    pub on: bool,
    pub there: Vec<Baked>,
}

/// A map that is there.
pub struct Baked {
    /// Its blob.
    pub blob: String,
    pub file: String,
    /// Its edge in texels, and its share of the time.
    pub size: String,
    /// The sheet it is of, where there are several.
    pub sheet: Option<u32>,
    /// The name of the material that its sheet has on the stage.
    pub material: String,
}

/// Misses of a part.
pub struct MissLine {
    pub part: String,
    pub says: String,
    /// A place among them: its coordinates in metres, set apart by commas.
    pub at: Option<String>,
}

/// An island that wants more texels.
pub struct CoarseLine {
    pub part: String,
    pub says: String,
    /// A place on it: its coordinates in metres, set apart by commas.
    pub at: String,
}

/// What was baked.
pub struct Made {
    /// By kind: what its values mean, and the map.
    maps: Vec<MapLine>,
    packed: Vec<PackedLine>,
    pub says: String,
    /// Shading with and without, in a sentence.
    pub shading: String,
    pub misses: Vec<MissLine>,
    pub coarse: Vec<CoarseLine>,
    /// One line for each go of the brush.
    pub painted: Vec<String>,
    /// A picture of the sheet that shows them.
    pub misses_picture: Option<String>,
    /// Where rays began, as a mesh.
    pub shell: Option<String>,
    /// The number of the candidate.
    pub number: u32,
}

/// Everything the step's column shows.
pub struct MapsView {
    /// The candidate that maps are baked for: what to do first where there is none.
    pub number: Option<u32>,
    pub on: Vec<Side>,
    /// Why it cannot be baked, with the step that helps.
    pub first: Option<(&'static str, &'static str, &'static str)>,
    /// Those that the brief asks for, those that are there, those that were asked for last.
    pub lines: Vec<MapLine>,
    /// All others, which can be added.
    pub others: Vec<MapLine>,
    /// Pictures of several maps that the brief names.
    pub packed: Vec<PackedLine>,
    pub size: u32,
    pub trial: u32,
    pub padding: u32,
    pub samples: u32,
    pub green_up: bool,
    pub deep: bool,
    pub from: &'static str,
    pub directions: &'static str,
    pub reach_times: String,
    pub reach_mm: String,
    pub made: Option<Made>,
    /// The candidate whose maps the one shown wears, having been cut from it.
    pub worn: Option<u32>,
    /// The newest candidate with maps, where the one shown has none: they are of another surface.
    pub older: Option<u32>,
    /// Why the maps that were asked for could not be baked.
    pub fails: Option<String>,
}

/// What the values of a map mean, as it was baked.
fn says(m: &MapReport) -> String {
    let space = match m.colour_space.as_str() {
        "srgb" => "sRGB",
        _ => "linear",
    };
    let mut says = format!("{} bits, {space}", m.bits);
    if let Some(green) = &m.green {
        says += &format!(", green {green}");
    }
    if let Some([from, to]) = m.range_m {
        let mm = |m: f32| format!("{:.3} mm", m * 1e3);
        says += &format!(", black {}, white {}", mm(from), mm(to));
    }
    if let Some(radius) = m.radius_m {
        says += &format!(", full at a radius of {:.2} mm", radius * 1e3);
    }
    says
}

impl CoarseLine {
    fn of(island: &CoarseIsland) -> Self {
        Self {
            part: match island.part.as_str() {
                "" => "a part without a name".to_owned(),
                part => part.to_owned(),
            },
            says: format!(
                "{} texels, inside which the source turns by {:.0}\u{b0}: {:.1} times as many along each edge would show it",
                words::grouped(u64::from(island.texels)),
                island.turn_degrees,
                island.times
            ),
            at: island.at_m.map(|x| x.to_string()).join(","),
        }
    }
}

impl MapLine {
    /// A map that is not there yet.
    fn of(kind: Kind) -> Self {
        Self {
            word: kind.word(),
            name: words::map_name(kind),
            on: false,
            says: meaning(kind).to_owned(),
            there: Vec::new(),
            legend: None,
        }
    }
}

/// What the values of a map mean, before it is baked.
fn meaning(kind: Kind) -> &'static str {
    match kind {
        Kind::Normal => "the source's, in tangent space",
        Kind::NormalObject => "the source's, in the space of the object",
        Kind::Occlusion => "share of the sky, white is open; no lighter than the source's own",
        Kind::SourceOcclusion => "of the source's textures, white is open",
        Kind::BentNormal => "towards the open sky, in tangent space",
        Kind::Curvature => "white bulges, black is hollow",
        Kind::Height => "above and below the low surface, in metres",
        Kind::Position => "share of the bounds along x, y, z",
        Kind::Thickness => "through to the other side, in metres",
        Kind::PartId => "a colour for each part, with a legend",
        Kind::MaterialId => "a colour for each material, with a legend",
        Kind::BaseColour => "factors, textures and vertex colours",
        Kind::Roughness => "0 smooth, 1 rough",
        Kind::Metalness => "0 none, 1 metal",
        Kind::Emissive => "light of its own",
        Kind::Opacity => "0 clear, 1 opaque",
        Kind::VertexColour => "of the source's points",
    }
}

impl MapsView {
    /// The reach of the maps shown was painted somewhere.
    pub fn is_painted(&self) -> bool {
        self.made.as_ref().is_some_and(|m| !m.painted.is_empty())
    }

    /// Gathers it.
    ///
    /// # Errors
    /// When the store does not answer.
    pub async fn of(app: &App, rows: &Rows) -> Result<Self, Failure> {
        let shown = rows.shown();
        let asked = rows.asked().filter(|c| c.fault.is_some());
        let recipe = match asked.or(shown) {
            Some(c) => Some(app.store.recipe(&c.hash).await?),
            None => None,
        };
        let settings = recipe.as_ref().and_then(|r| r.bake().cloned());
        let made = match shown {
            Some(c) => made(app, rows, c).await?,
            None => None,
        };
        let older = match made {
            None => rows.made().rev().find(|c| c.has_maps).map(|c| c.number),
            Some(_) => None,
        };
        Ok(view(rows, settings.as_ref(), made, older))
    }
}

fn view(
    rows: &Rows,
    settings: Option<&BakeSettings>,
    made: Option<Made>,
    older: Option<u32>,
) -> MapsView {
    let (brief, shown) = (&rows.brief, rows.shown());
    let worn = rows.maps_of_shown().map(|c| c.number);
    let worn = worn.filter(|_| made.is_none());
    let older = older.filter(|_| worn.is_none());
    let wanted: Vec<Kind> = brief.maps.iter().filter_map(|m| Kind::of(m)).collect();
    let usual = BakeSettings::of(wanted.clone(), brief.texture_px);
    // After a trial the form goes on with the size of the brief.
    let own = settings.filter(|s| s.samples > 1);
    let s = own.unwrap_or(&usual);
    let chosen = settings.map_or(&usual.kinds, |s| &s.kinds);
    let uv_sets = shown.and_then(|c| c.proof.as_ref()).map(|p| p.uv_sets);
    let has_uvs =
        uv_sets.unwrap_or(rows.inspection().uv_sets) > 0 || shown.is_some_and(|c| c.changes_uvs);
    let mut made = made;
    let (lines, others) = map_lines(made.as_mut(), chosen, &wanted);
    let mut there = made
        .as_mut()
        .map(|m| std::mem::take(&mut m.packed))
        .unwrap_or_default();
    let packed = brief.packed.iter().map(|p| {
        let at = there.iter().position(|l| l.name == p.name);
        PackedLine {
            name: p.name.clone(),
            says: p.says(),
            on: settings.is_none_or(|s| s.packed.contains(p)),
            there: at.map_or_else(Vec::new, |at| there.swap_remove(at).there),
        }
    });
    let packed: Vec<PackedLine> = packed.collect();
    MapsView {
        number: shown.map(|c| c.number),
        on: rows
            .made()
            .rev()
            .map(|c| Side::candidate(c, Some(c.number) == shown.map(|s| s.number)))
            .collect(),
        first: match (shown, has_uvs) {
            (None, _) => Some((
                "cut",
                "There is nothing to bake for yet.",
                "Cut the source first",
            )),
            (Some(_), false) => Some((
                "uvs",
                "This candidate has no UVs, so maps have no place.",
                "Unwrap it first",
            )),
            _ => None,
        },
        lines,
        others,
        packed,
        size: own.map_or(brief.texture_px, |s| s.size),
        trial: ectome_recipe::maps::TRIAL,
        padding: s.padding,
        samples: s.samples * s.samples,
        green_up: settings.map_or(brief.green != "down", |s| s.green_up),
        deep: s.deep,
        from: match s.from {
            From::SameName => "same_name",
            From::SameGroup => "same_group",
            From::Everything => "everything",
        },
        directions: match s.directions {
            Directions::Averaged => "averaged",
            Directions::Faces => "faces",
            Directions::Blended => "blended",
        },
        reach_times: match s.reach {
            Reach::Automatic(times) => format!("{times}"),
            Reach::Metres(_) => "1".to_owned(),
        },
        reach_mm: match s.reach {
            Reach::Automatic(_) => String::new(),
            Reach::Metres(m) => format!("{}", m * 1e3),
        },
        made,
        worn,
        older,
        fails: rows.asked().and_then(|c| c.fault.clone()),
    }
}

/// The maps that are listed, and the others: chosen, made or wanted by the brief are listed.
fn map_lines(
    made: Option<&mut Made>,
    chosen: &[Kind],
    wanted: &[Kind],
) -> (Vec<MapLine>, Vec<MapLine>) {
    let mut there = made
        .map(|m| std::mem::take(&mut m.maps))
        .unwrap_or_default();
    let (mut lines, mut others) = (Vec::new(), Vec::new());
    for kind in Kind::ALL {
        let at = there.iter().position(|l| l.word == kind.word());
        let on = chosen.contains(&kind);
        let listed = on || at.is_some() || wanted.contains(&kind);
        let line = match at {
            Some(at) => there.swap_remove(at),
            None => MapLine::of(kind),
        };
        if listed {
            lines.push(MapLine { on, ..line });
        } else {
            others.push(line);
        }
    }
    (lines, others)
}

/// What was written down when the maps of a candidate were baked.
async fn report_of(app: &App, artefacts: &Artefacts) -> Result<Option<BakeReport>, Failure> {
    let Some(blob) = artefacts.of(Artefact::BAKE) else {
        return Ok(None);
    };
    let bytes = app.store.blobs.get(blob).await?;
    Ok(serde_json::from_slice(&bytes).ok())
}

impl CoarseLine {
    /// The islands of a candidate that want more texels; none where it has no maps of its own.
    ///
    /// # Errors
    /// When the store cannot be read.
    pub async fn of_candidate(app: &App, c: &Candidate) -> Result<Vec<Self>, Failure> {
        let artefacts = app.store.artefacts(&c.hash).await?;
        let report = report_of(app, &artefacts).await?;
        Ok(report.map_or_else(Vec::new, |r| {
            r.coarse_islands.iter().map(Self::of).collect()
        }))
    }
}

async fn made(app: &App, rows: &Rows, c: &Candidate) -> Result<Option<Made>, Failure> {
    let artefacts = app.store.artefacts(&c.hash).await?;
    let Some(report) = report_of(app, &artefacts).await? else {
        return Ok(None);
    };
    let recipe = app.store.recipe(&c.hash).await?;
    let sheets = recipe.bake().map_or(1, |b| b.sheets);
    let stem = words::stem(&rows.asset.name);
    let baked = |word: &str, seconds: Option<f64>| -> Vec<Baked> {
        let on = (0..sheets).filter_map(|sheet| {
            let name = on_sheet(word, sheet);
            let blob = artefacts.one_of(Artefact::MAP, &name)?.to_owned();
            Some(Baked {
                blob,
                file: format!("{stem}_{name}.png"),
                size: match seconds {
                    Some(s) => format!("{}², {}", report.size, words::seconds(s)),
                    None => format!("{}²", report.size),
                },
                sheet: (sheets > 1).then_some(sheet + 1),
                material: match sheet {
                    0 => "baked".to_owned(),
                    n => format!("baked sheet {}", n + 1),
                },
            })
        });
        on.collect()
    };
    let maps = Kind::ALL.into_iter().filter_map(|kind| {
        let m = report.maps.get(kind.word())?;
        let there = baked(kind.word(), Some(m.seconds));
        let legend = artefacts.one_of(Artefact::LEGEND, kind.word());
        let legend = legend.map(|_| format!("{stem}_{}_legend.svg", kind.word()));
        (!there.is_empty()).then(|| MapLine {
            says: says(m),
            there,
            legend,
            ..MapLine::of(kind)
        })
    });
    let packed = recipe.bake().into_iter().flat_map(|b| &b.packed);
    let packed = packed.map(|p| PackedLine {
        name: p.name.clone(),
        says: p.says(),
        on: true,
        there: baked(&p.name, None),
    });
    let share = |off: Option<f64>| (1.0 - off.unwrap_or(0.0)) * 100.0;
    let (without, with) = (share(report.shading_without), share(report.shading_with));
    let turned = match report.pieces_inside_out {
        0 => String::new(),
        1 => " A closed piece of the source is inside out and was baked as if turned.".to_owned(),
        n => {
            format!(" {n} closed pieces of the source are inside out and were baked as if turned.")
        }
    };
    Ok(Some(Made {
        maps: maps.collect(),
        packed: packed.collect(),
        says: format!(
            "{} texels, {} each, in {}. {:.3} % missed. Rays looked up to {}.{turned}",
            words::grouped(report.texels as u64),
            words::counted(u64::from(report.samples), "sample"),
            words::seconds(report.seconds_total),
            report.misses_percent,
            words::length(report.reach_mm[1]),
        ),
        shading: format!("Shading is {with:.2} % off with these maps, {without:.2} % without."),
        misses: report
            .parts_with_misses
            .iter()
            .take(12)
            .map(|p| MissLine {
                at: p.at_m.map(|at| at.map(|x| x.to_string()).join(",")),
                part: match p.part.as_str() {
                    "" => "a part without a name".to_owned(),
                    part => part.to_owned(),
                },
                says: format!(
                    "{} of {} texels: {} met nothing, {} faces from behind",
                    words::grouped((p.misses + p.back_faces) as u64),
                    words::grouped(p.texels as u64),
                    words::grouped(p.misses as u64),
                    words::grouped(p.back_faces as u64),
                ),
            })
            .collect(),
        coarse: report.coarse_islands.iter().map(CoarseLine::of).collect(),
        painted: recipe
            .own_bake()
            .map_or(&[][..], |b| &b.painted)
            .iter()
            .map(|go| {
                let places = words::counted(go.balls.len() as u64, "place");
                format!("Reach \u{d7} {} at {places}", go.times)
            })
            .collect(),
        misses_picture: artefacts.of(Artefact::MISSES).map(str::to_owned),
        shell: artefacts.of(Artefact::SHELL).map(str::to_owned),
        number: c.number,
    }))
}
