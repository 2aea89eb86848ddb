//! How a brief's files are made: its part of the form, and names as they will be.

use askama::Template;
use axum::response::Html;
use ectome_recipe::parcel::{
    delivery::{Delivery, Geometry, Objects, Pictures, Pivot, TiersIn, UpAxis},
    names::{Field, Pattern, Taken, safe},
};
use serde::Deserialize;

use crate::{extract::Query, failure::Failure, fields::Fields};

/// A choice of a list.
pub struct Choice {
    pub word: &'static str,
    pub says: &'static str,
    pub on: bool,
}

/// What the form's lists offer.
pub struct DeliveryView {
    pub objects: Vec<Choice>,
    pub tiers: Vec<Choice>,
    pub geometry: Vec<Choice>,
    pub pictures: Vec<Choice>,
    pub pivot: Vec<Choice>,
    pub up_z: bool,
    pub keep_size: String,
    /// Names as they will be.
    pub examples: Vec<Example>,
}

macro_rules! choices {
    ($kind:ident, $now:expr) => {
        $kind::ALL
            .iter()
            .map(|v| Choice {
                word: v.word(),
                says: v.says(),
                on: *v == $now,
            })
            .collect()
    };
}

impl DeliveryView {
    /// What the form shows of a brief.
    pub fn of(d: &Delivery, suffix: &str) -> Self {
        let names = Names {
            file_names: d.file_names.clone(),
            object_names: d.object_names.clone(),
            map_names: d.map_names.clone(),
            suffix: suffix.to_owned(),
        };
        Self {
            objects: choices!(Objects, d.objects),
            tiers: choices!(TiersIn, d.tiers),
            geometry: choices!(Geometry, d.geometry),
            pictures: choices!(Pictures, d.pictures),
            pivot: choices!(Pivot, d.pivot),
            up_z: d.up == UpAxis::Z,
            keep_size: d.keep_size.join(", "),
            examples: names.examples(),
        }
    }
}

/// Reads that part of the form; a form without it leaves everything as it is by default.
pub fn delivery(f: &Fields) -> Result<Delivery, Failure> {
    let plain = Delivery::default();
    if f.all("file_names").is_empty() {
        return Ok(plain);
    }
    let name = |field: &str, or: &str| match f.text(field) {
        "" => or.to_owned(),
        text => text.to_owned(),
    };
    Ok(Delivery {
        file_names: name("file_names", &plain.file_names),
        object_names: name("object_names", &plain.object_names),
        map_names: name("map_names", &plain.map_names),
        objects: Objects::of(f.text("objects")).unwrap_or_default(),
        tiers: TiersIn::of(f.text("tiers_in")).unwrap_or_default(),
        geometry: Geometry::of(f.text("geometry")).unwrap_or_default(),
        tangents: f.ticked("tangents"),
        triangulated: f.ticked("triangulated"),
        pictures: Pictures::of(f.text("pictures")).unwrap_or_default(),
        quality: f.number("quality", "The quality of pictures", 1.0, 100.0)? as u8,
        exact_data: f.ticked("exact_data"),
        powers_of_two: f.ticked("powers_of_two"),
        halve_above_db: match f.text("halve_above_db") {
            "" => 0.0,
            _ => f.number(
                "halve_above_db",
                "The decibels above which textures are halved",
                0.0,
                100.0,
            )?,
        },
        keep_size: f
            .text("keep_size")
            .split(',')
            .map(str::trim)
            .filter(|n| !n.is_empty())
            .map(str::to_owned)
            .collect(),
        pivot: Pivot::of(f.text("pivot")).unwrap_or_default(),
        scale: f.number("scale", "The scale", 1e-4, 1e4)?,
        unit: f.text("unit").to_owned(),
        up: match f.text("up") {
            "z" => UpAxis::Z,
            _ => UpAxis::Y,
        },
        index_bits: match f.text("index_bits") {
            "16" => 16,
            _ => 32,
        },
        pair: f.ticked("pair"),
        collision_hulls: match f.text("collision_hulls") {
            "" => 0,
            _ => f.number("collision_hulls", "The count of hulls", 0.0, 64.0)? as u32,
        },
        collision_triangles: match f.text("collision_triangles") {
            "" => plain.collision_triangles,
            _ => f.number(
                "collision_triangles",
                "The triangles of a hull",
                4.0,
                10_000.0,
            )? as u32,
        },
        loose_maps: f.ticked("loose_maps"),
    })
}

/// The patterns of names, while they are typed.
#[derive(Deserialize)]
pub struct Names {
    file_names: String,
    object_names: String,
    map_names: String,
    suffix: String,
}

/// Names of one kind, as they will be.
pub struct Example {
    pub what: &'static str,
    /// The names, or why there are none.
    pub names: Result<String, String>,
}

#[derive(Template)]
#[template(path = "names.html")]
struct NamesView {
    examples: Vec<Example>,
}

/// Two parts of one name and one whose name no file system takes: what has to be made unique and safe shows.
const PARTS: [&str; 3] = ["bolt", "bolt", "lid/2"];

impl Names {
    fn example(
        &self,
        pattern: &str,
        fields: &[Field],
        of: &[(&str, &str)],
        is_file: bool,
    ) -> Result<String, String> {
        let pattern = Pattern::of(pattern, fields)?;
        let mut taken = Taken::default();
        let names = of.iter().enumerate().map(|(n, (own, end))| {
            let name = pattern.name(|field| match field {
                Field::Asset => "fog_bell".to_owned(),
                Field::Part | Field::Map => (*own).to_owned(),
                Field::Tier => format!("{}{}", self.suffix, if is_file { n } else { 0 }),
                Field::Size => "2048".to_owned(),
                Field::Date => "2026-11-28".to_owned(),
            });
            let name = if is_file { safe(&name) } else { name };
            taken.free(&name, end)
        });
        Ok(names.collect::<Vec<_>>().join(", "))
    }

    fn examples(&self) -> Vec<Example> {
        let files = [("", ".glb"), ("", ".glb")];
        let parts = PARTS.map(|p| (p, ""));
        let maps = [("normal", ".png"), ("base_colour", ".png")];
        vec![
            Example {
                what: "Files",
                names: self.example(
                    &self.file_names,
                    &[Field::Asset, Field::Tier, Field::Date],
                    &files,
                    true,
                ),
            },
            Example {
                what: "Objects",
                names: self.example(
                    &self.object_names,
                    &[Field::Part, Field::Asset, Field::Tier],
                    &parts,
                    false,
                ),
            },
            Example {
                what: "Pictures",
                names: self.example(
                    &self.map_names,
                    &[Field::Asset, Field::Map, Field::Size, Field::Date],
                    &maps,
                    true,
                ),
            },
        ]
    }
}

/// `GET /briefs/names`: names as typed patterns would make them.
pub async fn names(Query(names): Query<Names>) -> Result<Html<String>, Failure> {
    let view = NamesView {
        examples: names.examples(),
    };
    Ok(Html(view.render()?))
}
