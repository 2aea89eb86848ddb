//! `ectome bake`: maps of a low mesh from a heavy source.

use std::path::PathBuf;

use clap::{Args, ValueEnum};
use ectome_formats::glb;
use ectome_recipe::figures::grouped;
use ectome_recipe::{
    maps::{BakeSettings, Channel, Directions, From, Kind, Packed, Reach, baked, dressed},
    triangles::triangulated,
};

use super::{failure::Failure, source::SourceArgs};
use crate::{
    input::Input,
    output::{self, remark, say},
    watch::Watch,
};

/// Bakes maps of a low mesh from a heavy source.
///
/// Writes `DIR/<name of LOW>_<map>.png` for each map, and DIR/bake.json with what their values mean.
#[derive(Args)]
pub struct Bake {
    #[command(flatten)]
    source: SourceArgs,
    /// The low mesh, with UVs, in the same space as the source.
    low: PathBuf,
    /// The maps: normal, normal_object, occlusion, bent_normal, curvature, height, position, thickness, part_id, material_id,
    /// base_colour, roughness, metalness, emissive, opacity, vertex_colour.
    #[arg(long, value_delimiter = ',', default_value = "normal", value_parser = kind)]
    maps: Vec<Kind>,
    /// Width and height of the maps, in texels.
    #[arg(long, default_value_t = 2048, value_parser = clap::value_parser!(u32).range(8..=16384))]
    size: u32,
    /// Samples a texel: 1, 4, 9 or 16.
    #[arg(long, default_value_t = 4, value_parser = samples)]
    samples: u32,
    /// Texels that islands grow by.
    #[arg(long, default_value_t = 16, value_parser = clap::value_parser!(u32).range(0..=256))]
    padding: u32,
    /// Green of normals: up (glTF 2.0) or down.
    #[arg(long, default_value = "up")]
    green: Green,
    /// How far rays look: auto, or millimetres.
    #[arg(long, default_value = "auto", value_parser = reach)]
    reach: Reach,
    /// Where rays look along: averaged has no gap at edges and bends detail near them; faces keeps detail straight and has gaps
    /// at hard edges; blended is of the faces inside and averaged towards edges.
    #[arg(long, default_value = "blended")]
    directions: DirectionsArg,
    /// What each part is baked from: the parts of its name (what marks high and low behind it aside), of its group, or everything.
    #[arg(long, default_value = "same-name")]
    from: FromArg,
    /// Rays of each place for occlusion, bent normals and thickness.
    #[arg(long, default_value_t = 64, value_parser = clap::value_parser!(u32).range(1..=4096))]
    rays: u32,
    /// Bits a channel: 8 or 16.
    #[arg(long, default_value_t = 8, value_parser = bits)]
    bits: u32,
    /// A picture that holds several maps of one channel each, such as orm=occlusion,roughness,metalness, with - for nothing; may be
    /// given again.
    #[arg(long, value_name = "NAME=R,G,B[,A]", value_parser = packed)]
    pack: Vec<Packed>,
    /// Sheets that the UVs lie on, side by side along U; each gets maps of its own.
    #[arg(long, default_value_t = 1, value_parser = clap::value_parser!(u32).range(1..=16))]
    sheets: u32,
    /// Writes the low mesh with its maps and tangents too, as `DIR/<name of LOW>_baked.glb`. Normals that it has not are set for the
    /// maps: hard along UV seams that bend by 45 degrees or more, smooth elsewhere. Without this, faces without normals are flat.
    #[arg(long)]
    dress: bool,
    /// The folder the maps go to.
    #[arg(short, long, value_name = "DIR")]
    out: PathBuf,
}

#[derive(Clone, Copy, PartialEq, ValueEnum)]
enum Green {
    Up,
    Down,
}

#[derive(Clone, Copy, ValueEnum)]
enum DirectionsArg {
    Averaged,
    Faces,
    Blended,
}

#[derive(Clone, Copy, ValueEnum)]
enum FromArg {
    SameName,
    SameGroup,
    Everything,
}

fn kind(word: &str) -> Result<Kind, String> {
    Kind::of(word.trim()).ok_or_else(|| {
        let known: Vec<_> = Kind::ALL.iter().map(|k| k.word()).collect();
        format!("there are {}", known.join(", "))
    })
}

/// Reads what a picture holds: `NAME=RED,GREEN,BLUE` or with a fourth for alpha; `-` for nothing.
fn packed(text: &str) -> Result<Packed, String> {
    let form = "a picture of several maps is NAME=RED,GREEN,BLUE or NAME=RED,GREEN,BLUE,ALPHA, with - for nothing";
    let (name, channels) = text.split_once('=').ok_or(form)?;
    let mut held = [None; 4];
    let words: Vec<&str> = channels.split(',').collect();
    if !(3..=4).contains(&words.len()) {
        return Err(form.to_owned());
    }
    for (slot, word) in held.iter_mut().zip(words) {
        *slot = match word.trim() {
            "-" => None,
            word => Some(word.parse::<Channel>().map_err(|e| e.to_string())?),
        };
    }
    let [red, green, blue, alpha] = held;
    let packed = Packed {
        name: name.trim().to_owned(),
        red,
        green,
        blue,
        alpha,
    };
    match packed.fault() {
        Some(fault) => Err(format!("it {fault}")),
        None => Ok(packed),
    }
}

fn samples(text: &str) -> Result<u32, String> {
    match text {
        "1" => Ok(1),
        "4" => Ok(2),
        "9" => Ok(3),
        "16" => Ok(4),
        _ => Err("a texel has 1, 4, 9 or 16 samples".to_owned()),
    }
}

fn bits(text: &str) -> Result<u32, String> {
    match text {
        "8" => Ok(8),
        "16" => Ok(16),
        _ => Err("a channel has 8 or 16 bits".to_owned()),
    }
}

fn reach(text: &str) -> Result<Reach, String> {
    if text == "auto" {
        return Ok(Reach::Automatic(1.0));
    }
    let mm: f32 = text
        .parse()
        .map_err(|_| "a reach is auto or a number of millimetres".to_owned())?;
    if mm > 0.0 && mm.is_finite() {
        Ok(Reach::Metres(mm / 1e3))
    } else {
        Err("a reach is above 0 millimetres".to_owned())
    }
}

impl Bake {
    pub fn run(self) -> Result<(), Failure> {
        let progress = Watch::begin();
        let source = self.source.scene(&progress.span(0.0, 0.1))?;
        let low = Input::open(&self.low)?.scene(&progress.span(0.1, 0.15))?;
        let mut kinds = Vec::new();
        for &kind in &self.maps {
            if !kinds.contains(&kind) {
                kinds.push(kind);
            }
        }
        let settings = BakeSettings {
            samples: self.samples,
            padding: self.padding,
            reach: self.reach,
            directions: match self.directions {
                DirectionsArg::Averaged => Directions::Averaged,
                DirectionsArg::Faces => Directions::Faces,
                DirectionsArg::Blended => Directions::Blended,
            },
            from: match self.from {
                FromArg::SameName => From::SameName,
                FromArg::SameGroup => From::SameGroup,
                FromArg::Everything => From::Everything,
            },
            rays: self.rays,
            green_up: self.green == Green::Up,
            deep: self.bits == 16,
            sheets: self.sheets,
            set_normals: self.dress,
            packed: self.pack,
            ..BakeSettings::of(kinds, self.size)
        };
        let maps = baked(&source, &low, &settings, None, &progress.span(0.15, 1.0))?;
        let stem = self.low.file_stem().unwrap_or_default();
        let stem = stem.to_string_lossy();
        std::fs::create_dir_all(&self.out).map_err(|e| Failure::Write(self.out.clone(), e))?;
        let write = |name: String, bytes: &[u8]| output::write(&self.out.join(name), bytes);
        for file in &maps.files {
            write(format!("{stem}_{}.png", file.name()), &file.bytes)?;
        }
        for (name, bytes) in &maps.packed {
            write(format!("{stem}_{name}.png"), bytes)?;
        }
        for (kind, svg) in &maps.legends {
            write(format!("{stem}_{}_legend.svg", kind.word()), svg.as_bytes())?;
        }
        if self.dress {
            let low = triangulated(low, &progress)?;
            let scene = dressed(low, &maps, self.sheets);
            let whole = glb::write(
                &scene,
                &glb::Options {
                    tangents: true,
                    ..glb::Options::default()
                },
            )?;
            write(format!("{stem}_baked.glb"), &whole)?;
        }
        let report = &maps.report;
        output::json(report, Some(&self.out.join("bake.json")))?;
        if report.pieces_inside_out > 0 {
            remark!(
                "ectome: {} closed pieces of the source are inside out and were baked as if turned",
                report.pieces_inside_out
            );
        }
        for part in report.parts_with_misses.iter().take(8) {
            remark!(
                "ectome: {}: rays of {} of {} texels met nothing, of {} faces from behind only",
                part.part,
                grouped(part.misses),
                grouped(part.texels),
                grouped(part.back_faces)
            );
        }
        say!(
            "{} maps of {} texels in {:.1} s. Misses {:.3} %. Rays looked {:.2} to {:.2} mm far.",
            maps.files.len(),
            report.size,
            report.seconds_total,
            report.misses_percent,
            report.reach_mm[0],
            report.reach_mm[1],
        );
        Ok(())
    }
}
