//! MTL materials as glTF 2.0 ones.
//!
//! Diffuse colour and picture, opacity, normal map and emission; roughness and metalness where `Pr` and `Pm` say them (common practice, no
//! published source), else roughness from the Phong exponent (α² = 2 / (Ns + 2), B. Walter et al., *Microfacet Models for Refraction*, 2007).

use std::{collections::HashMap, io::Cursor};

use ectome_texture::srgb::to_linear;
use image::{GrayImage, RgbImage, RgbaImage, imageops::FilterType};
use serde_json::{Value, json};

use crate::{
    Image, Library,
    file_set::{FileSet, base_name},
    glb::mime_of,
};

/// The materials of an OBJ as a library; `notes` takes what was left out.
pub fn library(
    materials: &[tobj::Material],
    files: &FileSet<'_>,
    has_uv: bool,
    notes: &mut Vec<String>,
) -> Library {
    let mut reader = Reader {
        library: Library::default(),
        files,
        has_uv,
        notes,
        known: HashMap::new(),
    };
    for material in materials {
        let json = reader.material(material);
        reader.library.materials.push(json);
    }
    reader.library
}

struct Reader<'a> {
    library: Library,
    files: &'a FileSet<'a>,
    has_uv: bool,
    notes: &'a mut Vec<String>,
    /// Textures by the names of their files, or of those they were put together from.
    known: HashMap<String, Option<usize>>,
}

impl Reader<'_> {
    fn material(&mut self, material: &tobj::Material) -> Value {
        let further = |key: &str| material.unknown_param.get(key);
        let share = |key: &str| -> Option<f64> {
            let value: f64 = further(key)?.split_whitespace().next()?.parse().ok()?;
            value.is_finite().then(|| value.clamp(0.0, 1.0))
        };
        let alpha = material.dissolve.unwrap_or(1.0).clamp(0.0, 1.0);
        let opacity = name_of(material.dissolve_texture.as_ref());
        let (base, mode) = self.base(name_of(material.diffuse_texture.as_ref()), opacity);
        let normal = self.texture(name_of(material.normal_texture.as_ref()));
        let light = self.texture(name_of(further("map_Ke")));
        let surface = self.surface([name_of(further("map_Pr")), name_of(further("map_Pm"))]);
        let [r, g, b] = match (base, material.diffuse) {
            (Some(_), _) => [1.0; 3],
            (None, colour) => colour.unwrap_or([0.8; 3]).map(to_linear),
        };
        let phong = material
            .shininess
            .map_or(0.9, |ns| (2.0 / (ns.max(0.0) + 2.0)).powf(0.25));
        let roughness = share("Pr").unwrap_or(if surface.is_some() {
            1.0
        } else {
            f64::from(phong)
        });
        let has_metal = surface.is_some() && further("map_Pm").is_some();
        let metalness = share("Pm").unwrap_or(if has_metal { 1.0 } else { 0.0 });
        let mut json = json!({
            "name": material.name,
            "pbrMetallicRoughness": {
                "baseColorFactor": [r, g, b, alpha],
                "metallicFactor": metalness,
                "roughnessFactor": roughness,
            },
        });
        let slot = |texture: usize| -> Value { json!({ "index": texture }) };
        let pbr = &mut json["pbrMetallicRoughness"];
        if let Some(t) = base {
            pbr["baseColorTexture"] = slot(t);
        }
        if let Some(t) = surface {
            pbr["metallicRoughnessTexture"] = slot(t);
        }
        if let Some(t) = normal {
            json["normalTexture"] = slot(t);
        }
        let emission = material
            .emissive
            .filter(|l| l.iter().all(|v| v.is_finite()))
            .map(|l| l.map(|v| f64::from(v.max(0.0))));
        if let Some(t) = light {
            json["emissiveTexture"] = slot(t);
        }
        // A picture of emission beside a factor of nothing, as some writers leave it, is meant to be seen.
        let emission = match emission {
            Some([0.0, 0.0, 0.0]) | None if light.is_some() => Some([1.0; 3]),
            other => other.filter(|l| *l != [0.0; 3]),
        };
        if let Some(emission) = emission {
            let most = emission.into_iter().fold(1.0, f64::max);
            json["emissiveFactor"] = json!(emission.map(|v| v / most));
            if most > 1.0 {
                json["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] =
                    json!(most);
            }
        }
        if alpha < 1.0 {
            json["alphaMode"] = json!("BLEND");
        } else if let Some(mode) = mode {
            json["alphaMode"] = json!(mode);
        }
        json
    }

    /// The bytes of a picture and what they are; a note where it is not there or cannot be read.
    fn bytes(&mut self, name: &str) -> Option<(&'static str, Vec<u8>)> {
        let found = self
            .files
            .find(name)
            .and_then(|bytes| Some((mime_of(bytes)?, bytes.to_vec())));
        if found.is_none() {
            let note = match self.files.find(name) {
                Some(_) => format!(
                    "The texture {name} is neither PNG nor JPEG and is left out. Save it as PNG."
                ),
                None => {
                    format!("The texture {name} was not dropped with the mesh and is left out.")
                }
            };
            if !self.notes.contains(&note) {
                self.notes.push(note);
            }
        }
        found
    }

    fn add(&mut self, name: &str, mime: &str, bytes: Vec<u8>) -> usize {
        self.library.images.push(Image {
            name: stem(name).to_owned(),
            mime: mime.to_owned(),
            bytes,
        });
        let source = self.library.images.len() - 1;
        self.library.textures.push(json!({ "source": source }));
        self.library.textures.len() - 1
    }

    /// The texture of a picture as it is.
    fn texture(&mut self, name: Option<String>) -> Option<usize> {
        let name = name.filter(|_| self.has_uv)?;
        if let Some(known) = self.known.get(&name) {
            return *known;
        }
        let made = self
            .bytes(&name)
            .map(|(mime, bytes)| self.add(&name, mime, bytes));
        self.known.insert(name, made);
        made
    }

    fn picture(&mut self, name: &str) -> Option<image::DynamicImage> {
        let (_, bytes) = self.bytes(name)?;
        image::load_from_memory(&bytes).ok()
    }

    /// Base colour, with the opacity of a second picture in its alpha; and how that counts, where anything is not opaque.
    fn base(
        &mut self,
        colour: Option<String>,
        opacity: Option<String>,
    ) -> (Option<usize>, Option<&'static str>) {
        let Some(opacity) = opacity.filter(|_| self.has_uv) else {
            return (self.texture(colour), None);
        };
        let Some(grey) = self.picture(&opacity).map(|p| opacity_of(&p)) else {
            return (self.texture(colour), None);
        };
        if grey.pixels().all(|p| p[0] == 255) {
            return (self.texture(colour), None);
        }
        let crisp = grey.pixels().filter(|p| p[0] > 8 && p[0] < 247).count();
        // Black and white but for the rims is a cut-out; else it is blended.
        let mode = if crisp * 8 < grey.pixels().len() {
            "MASK"
        } else {
            "BLEND"
        };
        let key = format!("{}\n{opacity}", colour.clone().unwrap_or_default());
        if let Some(known) = self.known.get(&key) {
            return (*known, known.map(|_| mode));
        }
        let (w, h) = grey.dimensions();
        let rgb = match &colour {
            Some(name) => self.picture(name).map(|p| p.into_rgb8()),
            None => Some(RgbImage::from_pixel(w, h, image::Rgb([255; 3]))),
        };
        let made = rgb.map(|rgb| {
            let (w, h) = (w.max(rgb.width()), h.max(rgb.height()));
            let rgb = sized(rgb, w, h);
            let grey = sized(grey, w, h);
            let both = RgbaImage::from_fn(w, h, |x, y| {
                let [r, g, b] = rgb.get_pixel(x, y).0;
                image::Rgba([r, g, b, grey.get_pixel(x, y)[0]])
            });
            let name = colour.unwrap_or(opacity);
            self.add(&name, "image/png", coded(both.into()))
        });
        self.known.insert(key, made);
        (made, made.map(|_| mode))
    }

    /// Roughness and metalness in the channels that glTF 2.0 has for them.
    fn surface(&mut self, names: [Option<String>; 2]) -> Option<usize> {
        if !self.has_uv || names == [None, None] {
            return None;
        }
        let key = format!("surface\n{names:?}");
        if let Some(known) = self.known.get(&key) {
            return *known;
        }
        let grey = names
            .clone()
            .map(|name| self.picture(&name?).map(|p| p.into_luma8()));
        let size = |k: fn(&GrayImage) -> u32| grey.iter().flatten().map(k).max();
        let made = size(GrayImage::width)
            .zip(size(GrayImage::height))
            .map(|(w, h)| {
                let [rough, metal] = grey.map(|g| g.map(|g| sized(g, w, h)));
                let value =
                    |g: &Option<GrayImage>, x, y| g.as_ref().map_or(255, |g| g.get_pixel(x, y)[0]);
                let packed = RgbImage::from_fn(w, h, |x, y| {
                    image::Rgb([255, value(&rough, x, y), value(&metal, x, y)])
                });
                let name = names.into_iter().flatten().next().unwrap_or_default();
                self.add(&name, "image/png", coded(packed.into()))
            });
        self.known.insert(key, made);
        made
    }
}

/// The file that a reference names: options stand before it.
fn name_of(reference: Option<&String>) -> Option<String> {
    let last = reference?.split_whitespace().last()?;
    Some(base_name(last).to_owned())
}

fn stem(name: &str) -> &str {
    name.rsplit_once('.').map_or(name, |(stem, _)| stem)
}

/// What a picture of opacity says: its alpha where it has any, else how bright it is.
fn opacity_of(picture: &image::DynamicImage) -> GrayImage {
    let rgba = picture.to_rgba8();
    if rgba.pixels().all(|p| p[3] == 255) {
        return picture.to_luma8();
    }
    GrayImage::from_fn(rgba.width(), rgba.height(), |x, y| {
        image::Luma([rgba.get_pixel(x, y)[3]])
    })
}

/// A picture at another size, where it has another.
fn sized<P>(
    picture: image::ImageBuffer<P, Vec<u8>>,
    w: u32,
    h: u32,
) -> image::ImageBuffer<P, Vec<u8>>
where
    P: image::Pixel<Subpixel = u8> + 'static,
{
    if picture.dimensions() == (w, h) {
        picture
    } else {
        image::imageops::resize(&picture, w, h, FilterType::Triangle)
    }
}

fn coded(picture: image::DynamicImage) -> Vec<u8> {
    let mut bytes = Cursor::new(Vec::new());
    // Writing to memory cannot fail; an empty picture is shown as a missing one.
    let _ = picture.write_to(&mut bytes, image::ImageFormat::Png);
    bytes.into_inner()
}
