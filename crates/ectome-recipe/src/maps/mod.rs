//! Maps: what is baked from what, what is refused before anything starts, and how maps become files.
//!
//! | file | what it holds |
//! |---|---|
//! | `looks` | materials and textures of a scene as the kernel wants them |
//! | `matching` | which parts of the source each part of the low mesh is baked from |
//! | `settings` | how maps are baked and written |
//! | `refuse` | why a bake would come to nothing, said before it starts |
//! | `painted` | reach that was painted |
//! | `earlier` | what an earlier bake left, so that only what the brush touched is baked again |
//! | `sides` | faces that are met from both sides |
//! | `stacked` | copies that share their texels with the first of them |
//! | `texels` | how each texel came out, as a picture |
//! | `detail` | islands whose texels are too large for what they show |
//! | `picture` | a map as a PNG that says what its values mean |
//! | `report` | what was baked, in figures |
//! | `pack` | several maps as the channels of one picture |
//! | `legend` | what the colours of an id map stand for, as a picture |
//! | `carried` | what of the source's looks goes with a bake unasked |
//! | `dress` | a scene with its maps as glTF textures |

mod carried;
mod channel;
mod detail;
mod dress;
mod earlier;
mod legend;
mod looks;
mod matching;
mod pack;
mod painted;
mod picture;
mod refuse;
mod report;
mod settings;
mod sides;
mod stacked;
mod texels;

use std::borrow::Cow;

use ectome_bake::{BakeError, Baked, Map, Settings, bake_again};
use ectome_formats::{Scene, glb};
use ectome_mesh::{Fate, Mesh, MeshBuilder, Primitive, Progress, edit, normals};
use glam::Vec3;

pub use channel::{Channel, NoChannel};
pub use detail::{CoarseIsland, TURN};
pub use dress::dressed;
pub use earlier::Earlier;
pub use ectome_bake::{Directions, Kind, Matching, Reach};
pub use matching::{From, Mark, marked};
pub use pack::Packed;
pub use painted::PaintedReach;
pub(crate) use refuse::same_space;
pub use report::{BakeReport, MapReport, PartMisses};
pub use settings::{BakeSettings, TRIAL};

use crate::{EngineError, materials, triangles::triangulated};
use carried::Carried;
pub use looks::Looks;
pub(crate) use sides::Sides;

/// A map as a file.
#[derive(Clone, Debug)]
pub struct MapFile {
    /// What it shows.
    pub kind: Kind,
    /// Its sheet, from 0.
    pub sheet: u32,
    /// PNG.
    pub bytes: Vec<u8>,
}

impl MapFile {
    /// Its name in reports and names of files: the word of its kind, and the number of its sheet behind the first.
    pub fn name(&self) -> String {
        on_sheet(self.kind.word(), self.sheet)
    }
}

/// A word, and the number of a sheet behind the first.
pub fn on_sheet(word: &str, sheet: u32) -> String {
    match sheet {
        0 => word.to_owned(),
        n => format!("{word}_{}", n + 1),
    }
}

/// Maps as files, and what is to be said of them.
#[derive(Clone, Debug)]
pub struct Maps {
    /// Sheet by sheet, in the order they were asked for.
    pub files: Vec<MapFile>,
    /// Maps that nobody asked for and that its materials wear: what the source's materials differ in.
    worn: Vec<MapFile>,
    /// What of the source's materials no map says.
    carried: Carried,
    /// The name of the picture of occlusion, roughness and metalness that materials wear.
    surface_name: String,
    /// Some of the low mesh has an opacity of its own.
    transparent: bool,
    /// Green of normals is up in the files.
    green_up: bool,
    /// Pictures of several maps, by name.
    pub packed: Vec<(String, Vec<u8>)>,
    /// What the colours of id maps stand for, as SVG, by the map's word.
    pub legends: Vec<(Kind, String)>,
    /// How the texels of each sheet came out, by its number: what a later bake goes on from.
    pub texels: Vec<(u32, Vec<u8>)>,
    /// Where rays missed on the first sheet that has misses, as a PNG; empty where none did.
    pub misses: Vec<u8>,
    /// Where rays began over the low mesh, as a GLB; empty for a heavy one, over which it could not be drawn.
    pub shell: Vec<u8>,
    /// The normals of the low mesh's vertices where some were set for the maps; empty where all were given.
    pub normals: Vec<Vec3>,
    /// In figures.
    pub report: BakeReport,
}

/// Bakes maps of `low`, a scene with UVs, from `source`: its parts that are built and those that are only for the maps. After an
/// earlier bake that differs in the painted reach alone, only what that touches is baked; the result is the same.
///
/// # Errors
/// [`EngineError::Bake`] with the way out, before anything starts where that can be told; [`EngineError::Cancelled`].
pub fn baked(
    source: &Scene,
    low: &Scene,
    settings: &BakeSettings,
    earlier: Option<&Earlier<'_>>,
    progress: &Progress,
) -> Result<Maps, EngineError> {
    let started = std::time::Instant::now();
    let source = &*without_omitted(source, progress)?;
    let mut low = triangulated(low.clone(), progress)?;
    let had_normals = normals::all_given(&low.mesh);
    refuse::check(source, &low, settings)?;
    stacked::lay_aside(&mut low.mesh, settings.sheets);
    if settings.set_normals {
        normals::set_for_maps(&mut low.mesh);
    }
    let mut kinds = settings.all_kinds();
    let groups = materials::groups_with_baked_light(&low);
    let carried = Carried::of(source, &groups);
    for &kind in &carried.kinds {
        if !kinds.contains(&kind) {
            kinds.push(kind);
        }
    }
    let looks = Looks::of(source, &kinds).dimmed(carried.brightest as f32);
    let keeps_opacity: Vec<bool> = (low.mesh.runs.iter())
        .map(|r| {
            let group = groups.list.get(groups.of_material(r.material));
            group.is_some_and(|g| g.is_transparent())
        })
        .collect();
    let sides = Sides::of(source);
    let matching = matching::of(&source.mesh, &low.mesh, settings.from);
    let (mut sheets, mut files) = (Vec::new(), Vec::new());
    let share = 0.85 / settings.sheets as f32;
    for sheet in 0..settings.sheets {
        let kernel = Settings {
            size: settings.size,
            samples: settings.samples,
            padding: settings.padding,
            kinds: kinds.clone(),
            reach: settings.reach,
            painted: painted::balls(&settings.painted),
            deep: settings.deep,
            directions: settings.directions,
            matching: matching.clone(),
            rays: settings.rays,
            green_up: settings.green_up,
            keeps_opacity: keeps_opacity.clone(),
            either_side: sides.either.clone(),
            sheet,
            ..Settings::default()
        };
        let from = 0.05 + share * sheet as f32;
        let own = progress.span(from, from + share);
        let before = earlier.and_then(|e| e.sheet(settings, &kinds, sheet));
        let surface = looks.source(source);
        let made = bake_again(&surface, &low.mesh, &kernel, before.as_ref(), &own);
        let mut made = match made {
            Ok(made) => made,
            // All islands found room on the others.
            Err(BakeError::NothingInside(_)) if settings.sheets > 1 => continue,
            Err(error) => return Err(error.into()),
        };
        progress.stage("Writing the maps");
        for map in std::mem::take(&mut made.maps) {
            files.push(MapFile {
                kind: map.kind,
                sheet,
                bytes: picture::png(&map, made.size, settings)?,
            });
            made.maps.push(Map {
                texels: Vec::new(),
                ..map
            });
        }
        sheets.push((sheet, made));
    }
    if sheets.is_empty() {
        return Err(BakeError::NothingInside(1).into());
    }
    let packed = pack::all(&files, settings);
    let (files, mut worn): (Vec<_>, Vec<_>) =
        (files.into_iter()).partition(|f| settings.kinds.contains(&f.kind));
    // What is packed is worn too, where glTF has a place for it.
    let packed_kinds = || settings.packed.iter().flat_map(Packed::kinds);
    let has_place = |k: Kind| [Kind::Occlusion, Kind::Roughness, Kind::Metalness].contains(&k);
    worn.retain(|f| {
        carried.kinds.contains(&f.kind)
            || (has_place(f.kind) && packed_kinds().any(|k| k == f.kind))
    });
    let seconds = started.elapsed().as_secs_f64();
    let report = BakeReport {
        pieces_inside_out: sides.inward,
        ..BakeReport::of(&sheets, source, &low.mesh, settings, seconds)
    };
    let legends = settings.kinds.iter().filter(|k| k.is_id());
    let legends = legends.filter_map(|&kind| {
        let map = report.maps.get(kind.word())?;
        Some((kind, legend::svg(&map.legend)))
    });
    progress.at(1.0)?;
    let shell = sheets.first().map_or(&[][..], |(_, s)| &s.shell);
    let texels = sheets.iter().map(|(sheet, made)| {
        let picture = texels::png(&made.states, &made.turns, made.size);
        (*sheet, picture)
    });
    Ok(Maps {
        texels: texels.filter(|(_, bytes)| !bytes.is_empty()).collect(),
        shell: drawn(shell)?,
        misses: sheets
            .iter()
            .map(|(_, s)| misses(s))
            .find(|m| !m.is_empty())
            .unwrap_or_default(),
        legends: legends.collect(),
        packed,
        report,
        files,
        worn,
        transparent: keeps_opacity.contains(&true),
        surface_name: pack::surface_name(settings),
        carried,
        green_up: settings.green_up,
        normals: if settings.set_normals && !had_normals {
            low.mesh.normals
        } else {
            Vec::new()
        },
    })
}

/// The most faces of a shell that is drawn.
const SHELL: usize = 200_000;

/// A shell as a GLB.
fn drawn(shell: &[Vec3]) -> Result<Vec<u8>, EngineError> {
    if shell.is_empty() || shell.len() > 3 * SHELL {
        return Ok(Vec::new());
    }
    let mut builder = MeshBuilder::new();
    builder.primitive(Primitive {
        positions: shell.to_vec(),
        corners: (0..shell.len() as u32).collect(),
        ..Primitive::default()
    });
    let scene = Scene::from(builder.finish());
    Ok(glb::write(&scene, &glb::Options::default())?)
}

/// Where rays missed, as a picture; nothing where none did.
fn misses(made: &Baked) -> Vec<u8> {
    match made.counts.misses() {
        0 => Vec::new(),
        _ => picture::misses(&made.states, made.size),
    }
}

/// The source in triangles, without the parts that are left out; a heavy one that is so already is not copied.
pub(crate) fn without_omitted<'a>(
    source: &'a Scene,
    progress: &Progress,
) -> Result<Cow<'a, Scene>, EngineError> {
    let omits = |mesh: &Mesh| mesh.parts.iter().any(|p| p.fate == Fate::Omit);
    if source.mesh.is_triangulated() && !omits(&source.mesh) {
        return Ok(Cow::Borrowed(source));
    }
    let mut source = triangulated(source.clone(), progress)?;
    if omits(&source.mesh) {
        let mesh = &source.mesh;
        let run = mesh.run_of_faces();
        let part = |f: usize| &mesh.parts[mesh.runs[run[f] as usize].part as usize];
        source.mesh = edit::kept(mesh, |f| part(f).fate != Fate::Omit);
    }
    Ok(Cow::Owned(source))
}
