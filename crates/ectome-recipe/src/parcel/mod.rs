//! What is handed over: the tiers of a chain as files, with what an engine will count and what trips importers.
//!
//! ```text
//! tiers ─▶ sheets ─▶ objects ─▶ place and size ─▶ textures ─▶ names ─▶ contents ─┐
//!                                                   └──▶ files ──▶ checks ───────┴─▶ parcel
//! ```
//!
//! | module | what it holds |
//! |---|---|
//! | [`delivery`] | what a brief says about files |
//! | [`names`] | names by a pattern, safe and unique |
//! | [`files`] | the files as they are gathered |
//! | [`textures`] | pictures at the size and in the format that is wanted |
//! | [`contents`] | what an engine will count |
//! | [`checks`] | what trips importers |
//! | `look` | tiers read again and drawn beside the source |
//! | [`sheet`] | the sheet that goes with it |
//! | [`difference`] | how it differs from the parcel before |

pub mod checks;
pub mod contents;
pub mod delivery;
pub mod difference;
pub mod files;
mod look;
pub mod names;
mod objects;
mod placed;
pub mod sheet;
mod sheet_page;
pub mod textures;
mod with_sheet;

use ectome_compare::look::AtSize;
use ectome_formats::{
    Image, Library, Scene,
    glb::{self, Options},
    obj_write, picture_notice, ply_write, stl_write,
};
use ectome_mesh::{Progress, edit, measure};
use serde_json::json;

use crate::{Brief, EngineError, sheets, sight::Seen, triangles::triangulated};
use checks::Check;
use contents::Contents;
use delivery::{Objects, TiersIn};
use files::{File, Shelf};
use names::{Field, Pattern, Taken};
use textures::{Coder, Wanted};

/// Raised when the same order comes to other files: parcels made before are made again when they are asked for.
pub const VERSION: u32 = 2;

/// What a file is of that holds all tiers.
pub const ALL_TIERS: &str = "all tiers";
/// What pictures that are files of their own are of.
pub const MAPS: &str = "maps";
/// What the two meshes for baking elsewhere are of.
pub const PAIR: &str = "pair for baking";
/// What a file is of that holds hulls for collisions.
pub const COLLISION: &str = "hulls for collisions";
/// What stands for `{tier}` in the names of these.
const COLLISION_MARK: &str = "_collision";

/// A tier that is to be handed over.
#[derive(Clone, Debug)]
pub struct Tier {
    /// What it is.
    pub scene: Scene,
    /// Sheets that its UVs lie on.
    pub sheets: u32,
    /// What stands for `{tier}` in names, such as `_LOD1`; may be empty.
    pub mark: String,
}

/// A map as a file of its own.
#[derive(Clone, Debug)]
pub struct Map {
    /// Its word, with its sheet.
    pub name: String,
    /// A PNG.
    pub bytes: Vec<u8>,
}

/// What is to be handed over.
#[derive(Clone, Debug)]
pub struct Order<'a> {
    /// The asset's name, for names of files.
    pub asset: String,
    /// The brief.
    pub brief: &'a Brief,
    /// What is known of origin and licence: stands behind each scene's own.
    pub notice: Option<String>,
    /// The day, for names.
    pub date: String,
    /// The tiers, nearest first.
    pub tiers: Vec<Tier>,
    /// The maps that were baked.
    pub maps: Vec<Map>,
    /// The prepared source, where the brief wants a pair for baking elsewhere.
    pub high: Option<Scene>,
    /// Hulls for collisions, where the brief wants them.
    pub collision: Option<Scene>,
    /// The source as it came, which what was written is looked at beside; without it nothing is.
    pub beside: Option<Scene>,
}

/// A tier as its files hold it, in metres with Y up.
pub struct Delivered {
    /// `LOD0` …
    pub name: String,
    /// What stands for `{tier}` in names.
    mark: String,
    /// What it is.
    pub scene: Scene,
}

/// What is handed over.
pub struct Parcel {
    /// The files.
    pub files: Vec<File>,
    /// What each tier holds.
    pub tiers: Vec<Contents>,
    /// What trips importers, looked for.
    pub checks: Vec<Check>,
    /// What is seen of each tier as its file holds it, beside the source.
    pub(crate) seen: Vec<Seen>,
}

impl Parcel {
    /// How alike a tier looks as its file holds it, by the size at which it is seen; empty where it was not looked at.
    pub fn looks(&self, tier: usize) -> &[AtSize] {
        self.seen
            .get(tier)
            .map(|s| &s.looks[..])
            .unwrap_or_default()
    }
}

impl Order<'_> {
    /// Makes the files.
    ///
    /// # Errors
    /// [`EngineError::Format`] where a format cannot hold a tier, [`EngineError::Cancelled`].
    pub fn make(mut self, progress: &Progress) -> Result<Parcel, EngineError> {
        progress.stage("Writing");
        let brief = self.brief;
        let delivery = &brief.delivery;
        let mut coder = Coder::default();
        let mut tiers = Vec::new();
        let first = self.tiers.first();
        let origin = first
            .map(|t| placed::origin(&t.scene.mesh, delivery.pivot))
            .unwrap_or_default();
        let given = std::mem::take(&mut self.tiers);
        let count = given.len().max(1) as f32;
        for (n, tier) in given.into_iter().enumerate() {
            progress.at(0.5 * n as f32 / count)?;
            tiers.push(Delivered {
                name: format!("LOD{n}"),
                mark: tier.mark.clone(),
                scene: self.delivered(tier, origin, &mut coder)?,
            });
        }
        let contents: Vec<Contents> = tiers
            .iter()
            .map(|t| Contents::of(&t.scene, &coder))
            .collect();
        progress.at(0.5)?;
        let mut shelf = Shelf::default();
        for format in &self.brief.formats {
            self.format(format, &tiers, &mut shelf)?;
        }
        if let Some(high) = self.high.take() {
            self.pair(high, &tiers, origin, &mut shelf)?;
        }
        if let Some(hulls) = self.collision.take() {
            self.collision(hulls, origin, &mut shelf)?;
        }
        self.loose_maps(&mut shelf);
        progress.at(0.8)?;
        let mut checks = checks::all(self.brief, &tiers, &contents, &shelf.files);
        progress.at(0.85)?;
        let seen = match self.beside.take() {
            None => Vec::new(),
            Some(source) => {
                let own = progress.span(0.85, 1.0);
                let source = placed::placed(triangulated(source, &own)?, origin, delivery);
                look::of_files(
                    self.brief,
                    &source,
                    &tiers,
                    &shelf.files,
                    &self.options(),
                    &own,
                )?
            }
        };
        if !seen.is_empty() {
            checks.push(Check::of("Look", true, look::says(&seen)));
        }
        progress.at(1.0)?;
        Ok(Parcel {
            files: shelf.files,
            tiers: contents,
            checks,
            seen,
        })
    }

    /// A tier as its files hold it.
    fn delivered(
        &self,
        tier: Tier,
        origin: glam::Vec3,
        coder: &mut Coder,
    ) -> Result<Scene, EngineError> {
        let (brief, delivery) = (self.brief, &self.brief.delivery);
        let mut scene = sheets::delivered(tier.scene, tier.sheets, brief.sheets);
        if delivery.objects == Objects::One {
            scene = objects::as_one(scene, &self.asset);
        }
        // What the formats of the brief cannot hold is left out of the way before anything is counted.
        if delivery.triangulated
            || brief
                .formats
                .iter()
                .all(|f| ["glb", "gltf", "stl"].contains(&f.as_str()))
        {
            scene = triangulated(scene, &Progress::new())?;
        }
        if (0..scene.mesh.face_count()).any(|f| checks::is_degenerate(&scene.mesh, f)) {
            scene.mesh = edit::kept(&scene.mesh, |f| !checks::is_degenerate(&scene.mesh, f));
        }
        scene.mesh.drop_unused();
        self.named(&mut scene, &tier.mark)?;
        scene = placed::placed(scene, origin, delivery);
        let mut used = vec![false; scene.library.materials.len()];
        for run in scene.mesh.runs.iter().filter(|r| !r.faces.is_empty()) {
            if let Some(slot) = run.material.and_then(|m| used.get_mut(m as usize)) {
                *slot = true;
            }
        }
        let (library, place) = scene.library.pruned(&used);
        for run in &mut scene.mesh.runs {
            run.material = run.material.and_then(|m| place.get(m as usize).copied());
        }
        let wanted = Wanted {
            most: brief.texture_px,
            delivery,
        };
        scene.library = coder.coded(&with_own_names(library), &wanted);
        let of_sheets = (tier.sheets > 1)
            .then(|| format!("{} UV sheets: {}.", tier.sheets, brief.sheets.says()));
        for notice in self.notice.iter().chain(&of_sheets) {
            let own = scene.copyright.take();
            scene.copyright = Some(own.map_or_else(|| notice.clone(), |own| after(&own, notice)));
        }
        Ok(scene)
    }

    /// Gives objects their names by the brief's pattern, no two alike.
    fn named(&self, scene: &mut Scene, mark: &str) -> Result<(), EngineError> {
        let pattern = pattern(
            &self.brief.delivery.object_names,
            &[Field::Part, Field::Asset, Field::Tier],
        )?;
        let mut taken = Taken::default();
        let mut held = vec![false; scene.mesh.parts.len()];
        for run in scene.mesh.runs.iter().filter(|r| !r.faces.is_empty()) {
            held[run.part as usize] = true;
        }
        for (p, part) in scene
            .mesh
            .parts
            .iter_mut()
            .enumerate()
            .filter(|(p, _)| held[*p])
        {
            let own = match part.name.trim() {
                "" => format!("part {}", p + 1),
                name => name.to_owned(),
            };
            let name = pattern.name(|field| match field {
                Field::Part => own.clone(),
                Field::Asset => self.asset.clone(),
                _ => mark.to_owned(),
            });
            part.name = taken.free(&name, "");
        }
        Ok(())
    }

    fn file_stem(&self, mark: &str) -> Result<String, EngineError> {
        let pattern = pattern(
            &self.brief.delivery.file_names,
            &[Field::Asset, Field::Tier, Field::Date],
        )?;
        Ok(pattern.name(|field| match field {
            Field::Asset => self.asset.clone(),
            Field::Date => self.date.clone(),
            _ => mark.to_owned(),
        }))
    }

    fn options(&self) -> Options {
        let delivery = &self.brief.delivery;
        Options {
            tangents: delivery.tangents,
            hierarchy: self.brief.hierarchy,
            ordered: true,
            coding: delivery.geometry.coding(),
            ..Options::default()
        }
    }

    /// The files of all tiers in one format.
    fn format(
        &self,
        format: &str,
        tiers: &[Delivered],
        shelf: &mut Shelf,
    ) -> Result<(), EngineError> {
        let is_gltf = ["glb", "gltf"].contains(&format);
        if is_gltf && self.brief.delivery.tiers != TiersIn::Files {
            return self.all_in_one(format, tiers, shelf);
        }
        for tier in tiers {
            self.by_itself(format, tier, &self.options(), shelf)?;
        }
        Ok(())
    }

    /// A tier as a file of its own.
    fn by_itself(
        &self,
        format: &str,
        tier: &Delivered,
        options: &Options,
        shelf: &mut Shelf,
    ) -> Result<(), EngineError> {
        let stem = self.file_stem(&tier.mark)?;
        if !["glb", "gltf"].contains(&format) {
            return self.plain(format, tier, &stem, shelf);
        }
        let scene = triangulated(tier.scene.clone(), &Progress::new())?;
        let document = glb::document(&scene, options)?;
        self.document(format, document, &stem, &tier.name, shelf)
    }

    /// Hulls for collisions, a file in each of the brief's formats, each hull an object of its own: an engine takes one object for one
    /// convex shape.
    fn collision(
        &self,
        hulls: Scene,
        origin: glam::Vec3,
        shelf: &mut Shelf,
    ) -> Result<(), EngineError> {
        let mut scene = placed::placed(hulls, origin, &self.brief.delivery);
        let mut taken = Taken::default();
        for part in &mut scene.mesh.parts {
            part.name = taken.free(&format!("{}_{}", self.asset, part.name), "");
        }
        let options = Options {
            coding: glb::Coding::Plain,
            ..self.options()
        };
        let hulls = Delivered {
            name: COLLISION.to_owned(),
            mark: COLLISION_MARK.to_owned(),
            scene,
        };
        let formats = self.brief.formats.iter();
        for format in formats {
            self.by_itself(format, &hulls, &options, shelf)?;
        }
        Ok(())
    }

    fn document(
        &self,
        format: &str,
        document: glb::Document,
        stem: &str,
        of: &str,
        shelf: &mut Shelf,
    ) -> Result<(), EngineError> {
        if format == "glb" {
            let stem = shelf.stem(stem, &[".glb"]);
            shelf.put(format!("{stem}.glb"), of, document.into_glb()?);
            return Ok(());
        }
        let stem = shelf.stem(stem, &[".gltf", ".bin"]);
        let bin = format!("{stem}.bin");
        let mut refer = |image: &Image| self.picture(image, shelf);
        let (text, numbers) = document.into_text(&bin, &mut refer);
        shelf.put(format!("{stem}.gltf"), of, text);
        shelf.put(bin, of, numbers);
        Ok(())
    }

    fn all_in_one(
        &self,
        format: &str,
        tiers: &[Delivered],
        shelf: &mut Shelf,
    ) -> Result<(), EngineError> {
        let stem = self.file_stem("")?;
        let with_lod = self.brief.delivery.tiers == TiersIn::Lod;
        let height = tiers.first().map_or(0.0, |t| {
            let bounds = measure::bounds(&t.scene.mesh);
            f64::from(bounds.max.y - bounds.min.y)
        });
        let scenes: Vec<Scene> = tiers
            .iter()
            .map(|t| triangulated(t.scene.clone(), &Progress::new()))
            .collect::<Result<_, _>>()?;
        let list: Vec<glb::Tier<'_>> = scenes
            .iter()
            .enumerate()
            .map(|(n, scene)| glb::Tier {
                scene,
                name: format!("{}{}", self.asset, tiers[n].mark),
                coverage: with_lod.then(|| self.coverage(n, height)),
            })
            .collect();
        let document = glb::tiers(&list, &self.options())?;
        self.document(format, document, &stem, ALL_TIERS, shelf)
    }

    /// The least share of the screen's height that a tier fills before the next one takes over; 0 for the last.
    fn coverage(&self, tier: usize, height_m: f64) -> f64 {
        let Some(next) = self.brief.tiers.get(tier + 1) else {
            return 0.0;
        };
        let distance = self.brief.nearest_m(next, height_m);
        let high = 2.0 * distance * (self.brief.vertical_fov_deg.to_radians() / 2.0).tan();
        (height_m / high).clamp(0.0, 1.0)
    }

    /// A tier in a format without unit or axes of its own.
    fn plain(
        &self,
        format: &str,
        tier: &Delivered,
        stem: &str,
        shelf: &mut Shelf,
    ) -> Result<(), EngineError> {
        let mut scene = tier.scene.clone();
        placed::space(&self.brief.delivery).write(&mut scene);
        match format {
            "obj" => {
                let stem = shelf.stem(stem, &[".obj", ".mtl"]);
                let mut refer =
                    |image: &Image| self.picture_for(image, scene.copyright.as_deref(), shelf);
                let written = obj_write::write_referring(&scene, &stem, &mut refer)?;
                for (name, bytes) in written {
                    shelf.put(name, &tier.name, bytes);
                }
            }
            "ply" => {
                let stem = shelf.stem(stem, &[".ply"]);
                shelf.put(format!("{stem}.ply"), &tier.name, ply_write::write(&scene)?);
            }
            _ => {
                let stem = shelf.stem(stem, &[".stl"]);
                let scene = triangulated(scene, &Progress::new())?;
                shelf.put(format!("{stem}.stl"), &tier.name, stl_write::write(&scene)?);
            }
        }
        Ok(())
    }

    fn picture(&self, image: &Image, shelf: &mut Shelf) -> String {
        self.picture_for(image, self.notice.as_deref(), shelf)
    }

    /// The name of the file that a picture becomes, written where it is not there yet.
    fn picture_for(&self, image: &Image, notice: Option<&str>, shelf: &mut Shelf) -> String {
        let width = image.size().map_or(0, |s| s.0);
        let end = match image.mime.rsplit('/').next() {
            Some("jpeg") => ".jpg".to_owned(),
            Some(end @ ("png" | "webp" | "ktx2")) => format!(".{end}"),
            _ => ".png".to_owned(),
        };
        let name = self.map_name(&image.name, width);
        match notice {
            Some(notice) => {
                let told = picture_notice::with_notice(&image.bytes, notice);
                shelf.picture(&name, &end, MAPS, &told)
            }
            None => shelf.picture(&name, &end, MAPS, &image.bytes),
        }
    }

    fn map_name(&self, map: &str, width: u32) -> String {
        let fields = [Field::Asset, Field::Map, Field::Size, Field::Date];
        let map = if map.is_empty() { "texture" } else { map };
        match pattern(&self.brief.delivery.map_names, &fields) {
            Ok(pattern) => pattern.name(|field| match field {
                Field::Asset => self.asset.clone(),
                Field::Size => width.to_string(),
                Field::Date => self.date.clone(),
                _ => map.to_owned(),
            }),
            Err(_) => map.to_owned(),
        }
    }

    /// Maps that no file holds, or all of them where the brief asks for it.
    fn loose_maps(&self, shelf: &mut Shelf) {
        let has = |f: &str| self.brief.formats.iter().any(|own| own == f);
        let held: &[&str] = match (has("glb") || has("gltf"), has("obj")) {
            (true, _) => &[
                "base_colour",
                "normal",
                "emissive",
                "occlusion",
                "roughness",
                "metalness",
            ],
            (false, true) => &["base_colour", "normal"],
            (false, false) => &[],
        };
        for map in &self.maps {
            let is_held = held.iter().any(|h| {
                // A sheet behind the first has its number behind the word.
                let rest = map.name.strip_prefix(h).map(|r| r.trim_start_matches('_'));
                rest.is_some_and(|r| r.bytes().all(|b| b.is_ascii_digit()))
            });
            if is_held && !self.brief.delivery.loose_maps {
                continue;
            }
            let image = Image {
                name: map.name.clone(),
                mime: "image/png".to_owned(),
                bytes: map.bytes.clone(),
            };
            self.picture(&image, shelf);
        }
    }

    /// The source and the first tier as GLB with names that match: `x_high` and `x_low`.
    fn pair(
        &self,
        high: Scene,
        tiers: &[Delivered],
        origin: glam::Vec3,
        shelf: &mut Shelf,
    ) -> Result<(), EngineError> {
        let Some(low) = tiers.first() else {
            return Ok(());
        };
        let mark = &low.mark;
        let mut high = placed::placed(
            triangulated(high, &Progress::new())?,
            origin,
            &self.brief.delivery,
        );
        if self.brief.delivery.objects == Objects::One {
            high = objects::as_one(high, &self.asset);
        }
        self.named(&mut high, mark)?;
        let options = Options {
            coding: glb::Coding::Plain,
            ..self.options()
        };
        for (mut scene, end) in [(high, "high"), (low.scene.clone(), "low")] {
            for part in &mut scene.mesh.parts {
                let name = part.name.strip_suffix(mark.as_str()).unwrap_or(&part.name);
                part.name = format!("{name}_{end}");
            }
            let scene = triangulated(scene, &Progress::new())?;
            let stem = shelf.stem(&format!("{}_{end}", self.asset), &[".glb"]);
            shelf.put(format!("{stem}.glb"), PAIR, glb::write(&scene, &options)?);
        }
        Ok(())
    }
}

/// One sentence behind another.
fn after(first: &str, second: &str) -> String {
    let stop = if first.ends_with('.') { "" } else { "." };
    format!("{first}{stop} {second}")
}

/// A pattern of a brief, which was checked when the brief was read.
fn pattern(text: &str, fields: &[Field]) -> Result<Pattern, EngineError> {
    Pattern::of(text, fields).map_err(EngineError::Names)
}

/// The library with a name of its own for every material and picture.
fn with_own_names(mut library: Library) -> Library {
    let mut taken = Taken::default();
    for material in &mut library.materials {
        let own = match material["name"].as_str().map(str::trim) {
            None | Some("") => "material".to_owned(),
            Some(name) => name.to_owned(),
        };
        material["name"] = json!(taken.free(&own, ""));
    }
    let mut taken = Taken::default();
    for image in &mut library.images {
        let own = if image.name.trim().is_empty() {
            "texture"
        } else {
            &image.name
        };
        image.name = taken.free(own, "");
    }
    library
}

/// A candidate as one GLB, with what belongs to a brief's files: what a page lets go of one by one.
///
/// # Errors
/// See [`Order::make`].
pub fn single(order: Order<'_>) -> Result<Vec<u8>, EngineError> {
    let mut brief = order.brief.clone();
    brief.formats = vec!["glb".to_owned()];
    brief.delivery.tiers = TiersIn::Files;
    brief.delivery.pair = false;
    let order = Order {
        brief: &brief,
        high: None,
        collision: None,
        beside: None,
        maps: Vec::new(),
        ..order
    };
    let parcel = order.make(&Progress::new())?;
    let mut files = parcel.files.into_iter();
    Ok(files.next().map(|f| f.bytes).unwrap_or_default())
}
