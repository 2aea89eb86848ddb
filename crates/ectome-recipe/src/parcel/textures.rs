//! Textures as a brief wants them: no larger than it allows, no larger than they need to be, in its file format.

use std::{collections::HashMap, io::Cursor};

use ectome_formats::{Image, Library};
use ectome_texture::{
    ktx2,
    scale::{self, Meaning, scaled},
};
use image::{
    DynamicImage, ImageReader, RgbaImage,
    codecs::{
        jpeg::JpegEncoder,
        png::{CompressionType, FilterType, PngEncoder},
    },
};
use webp::WebPConfig;

use super::delivery::{Delivery, Pictures};

/// How a picture is to be averaged, by the slots that use it.
fn meaning(library: &Library, image: usize, slots: &[String]) -> Meaning {
    let in_slot = |names: &[&str]| slots.iter().any(|s| names.contains(&s.as_str()));
    if in_slot(&["normalTexture", "clearcoatNormalTexture"]) {
        return Meaning::Normal;
    }
    if !in_slot(&[
        "baseColorTexture",
        "emissiveTexture",
        "sheenColorTexture",
        "specularColorTexture",
    ]) {
        return Meaning::Linear;
    }
    let masked = (0..library.materials.len() as u32).find(|&m| {
        let base = library.base_colour_image(m);
        base.is_some_and(|(i, _)| i == image)
            && library.materials[m as usize]["alphaMode"].as_str() == Some("MASK")
    });
    match masked {
        Some(m) => {
            let given = &library.materials[m as usize]["alphaCutoff"];
            Meaning::Cutout(given.as_f64().unwrap_or(0.5) as f32)
        }
        None => Meaning::Colour,
    }
}

/// A texture is never halved below this, in texels: smaller ones cost nothing.
const SMALLEST: u32 = 64;

/// Decibels that figures such as roughness and occlusion may lose more than colours and normals, since they show less (common
/// practice, no published source).
const DATA_DB: f64 = 6.0;

/// What a brief asks of textures.
#[derive(Clone, Debug, PartialEq)]
pub struct Wanted<'a> {
    /// The longest side, in texels; 0 for any.
    pub most: u32,
    /// The rest.
    pub delivery: &'a Delivery,
}

/// What became of a picture.
#[derive(Clone, Debug, PartialEq)]
struct Coded {
    image: Image,
    /// Decibels of it that are kept when it is halved once more.
    halved_db: Option<f64>,
}

/// Pictures that were coded already: tiers of one asset wear the same.
#[derive(Default)]
pub struct Coder {
    known: HashMap<String, Coded>,
}

impl Coder {
    /// The library with its pictures as they are wanted; what cannot be read stays as it is.
    pub fn coded(&mut self, library: &Library, wanted: &Wanted<'_>) -> Library {
        let mut out = library.clone();
        for (i, slots) in library.image_slots().iter().enumerate() {
            let meaning = meaning(library, i, slots);
            let image = &library.images[i];
            let key = format!("{} {} {meaning:?}", image.name, blake3::hash(&image.bytes));
            let coded = self.known.entry(key).or_insert_with(|| {
                coded(image, meaning, wanted).unwrap_or_else(|| Coded {
                    image: image.clone(),
                    halved_db: None,
                })
            });
            out.images[i] = coded.image.clone();
        }
        out
    }

    /// What is kept of a picture that was coded here when it is halved, in decibels (PSNR).
    pub fn halved_db(&self, image: &Image) -> Option<f64> {
        let mut known = self.known.values();
        known.find(|c| c.image == *image).and_then(|c| c.halved_db)
    }
}

fn coded(picture: &Image, meaning: Meaning, wanted: &Wanted<'_>) -> Option<Coded> {
    let delivery = wanted.delivery;
    let reader = ImageReader::new(Cursor::new(&picture.bytes));
    let given = reader.with_guessed_format().ok()?.decode().ok()?;
    let deep = has_sixteen_bits(&given);
    let given = given.into_rgba8();
    let from = [given.width(), given.height()];
    let texels = from.map(|s| s as usize);
    let kept =
        |to: [u32; 2]| scale::kept_db(given.as_raw(), texels, to.map(|s| s as usize), meaning);
    let mut to = limited(from, wanted.most, delivery.powers_of_two);
    let may_shrink = delivery.halve_above_db > 0.0 && !delivery.keep_size.contains(&picture.name);
    let half = |of: [u32; 2]| of.map(|s| (s / 2).max(1));
    let mut halved_db = kept(half(to));
    let enough = match meaning {
        Meaning::Linear => delivery.halve_above_db - DATA_DB,
        Meaning::Colour | Meaning::Cutout(_) | Meaning::Normal => delivery.halve_above_db,
    };
    while may_shrink && halved_db >= enough && to[0].min(to[1]) >= 2 * SMALLEST {
        to = half(to);
        halved_db = kept(half(to));
    }
    let is_wanted = match delivery.pictures {
        Pictures::AsMade => true,
        Pictures::Png => picture.mime == "image/png",
        Pictures::Jpeg => picture.mime == "image/jpeg",
        Pictures::Webp => picture.mime == "image/webp",
        Pictures::Ktx2 => picture.mime == ktx2::MIME,
    };
    // A height of sixteen bits would lose half of them in any other format.
    if to == from && (is_wanted || deep) {
        return Some(Coded {
            image: picture.clone(),
            halved_db: Some(halved_db),
        });
    }
    let made = if to == from {
        given
    } else {
        let rgba = scaled(given.as_raw(), texels, to.map(|s| s as usize), meaning);
        RgbaImage::from_raw(to[0], to[1], rgba)?
    };
    let (mime, bytes) = written(made, picture, meaning, delivery)?;
    Some(Coded {
        image: Image {
            name: picture.name.clone(),
            mime: mime.to_owned(),
            bytes,
        },
        halved_db: Some(halved_db),
    })
}

fn has_sixteen_bits(image: &DynamicImage) -> bool {
    image.color().bytes_per_pixel() > image.color().channel_count()
}

/// The size of a picture whose longer side may be `most`.
fn limited(from: [u32; 2], most: u32, powers_of_two: bool) -> [u32; 2] {
    let longer = from[0].max(from[1]);
    let to = if longer > most && most > 0 {
        let of = |side: u32| u64::from(side) * u64::from(most) / u64::from(longer);
        from.map(|side| of(side).max(1) as u32)
    } else {
        from
    };
    if powers_of_two {
        // Downwards, since nothing is made of what is not there.
        to.map(|side| 1 << side.ilog2())
    } else {
        to
    }
}

/// The file of a picture: its type and its bytes.
fn written(
    made: RgbaImage,
    from: &Image,
    meaning: Meaning,
    delivery: &Delivery,
) -> Option<(&'static str, Vec<u8>)> {
    let is_opaque = made.pixels().all(|p| p.0[3] == 255);
    let size = [made.width(), made.height()].map(|s| s as usize);
    let may_lose = match meaning {
        Meaning::Colour => true,
        // Edges of what is cut out would get fringes.
        Meaning::Cutout(_) => false,
        // Small errors of normals show as facets.
        Meaning::Normal | Meaning::Linear => !delivery.exact_data,
    };
    let format = match delivery.pictures {
        Pictures::AsMade if from.mime == "image/jpeg" && is_opaque => Pictures::Jpeg,
        Pictures::AsMade if from.mime == "image/webp" => Pictures::Webp,
        Pictures::Jpeg if is_opaque && may_lose => Pictures::Jpeg,
        Pictures::Webp => Pictures::Webp,
        // Blocks lose a little of everything; of what is cut out no more than of colours.
        Pictures::Ktx2
            if ktx2::can_hold(size) && (may_lose || matches!(meaning, Meaning::Cutout(_))) =>
        {
            Pictures::Ktx2
        }
        Pictures::AsMade | Pictures::Png | Pictures::Jpeg | Pictures::Ktx2 => Pictures::Png,
    };
    Some(match format {
        Pictures::Jpeg => {
            let mut bytes = Vec::new();
            let coder = JpegEncoder::new_with_quality(&mut bytes, delivery.quality);
            DynamicImage::ImageRgba8(made)
                .into_rgb8()
                .write_with_encoder(coder)
                .ok()?;
            ("image/jpeg", bytes)
        }
        Pictures::Webp => {
            let is_exact = !may_lose || delivery.quality >= EXACT_QUALITY;
            ("image/webp", webp_bytes(&made, delivery.quality, is_exact)?)
        }
        Pictures::Ktx2 => (ktx2::MIME, ktx2::written(made.as_raw(), size, meaning)),
        Pictures::AsMade | Pictures::Png => ("image/png", png(made, is_opaque)?),
    })
}

/// The quality from which on a picture as WebP loses nothing.
const EXACT_QUALITY: u8 = 100;

/// How hard a picture that loses nothing is packed: libwebp's own choice.
const EXACT_EFFORT: f32 = 75.0;

/// A picture as WebP. One that loses nothing keeps colours under full transparency, too: a renderer mixes them in at the edge of what is cut
/// out.
fn webp_bytes(made: &RgbaImage, quality: u8, is_exact: bool) -> Option<Vec<u8>> {
    let mut how = WebPConfig::new().ok()?;
    how.quality = f32::from(quality);
    if is_exact {
        how.lossless = 1;
        how.exact = 1;
        how.quality = EXACT_EFFORT;
    }
    let (width, height) = made.dimensions();
    let coder = webp::Encoder::from_rgba(made.as_raw(), width, height);
    Some(coder.encode_advanced(&how).ok()?.to_vec())
}

/// A picture as PNG, without opacity where nothing is transparent.
fn png(made: RgbaImage, is_opaque: bool) -> Option<Vec<u8>> {
    let mut bytes = Vec::new();
    let coder =
        PngEncoder::new_with_quality(&mut bytes, CompressionType::Default, FilterType::Adaptive);
    let made = DynamicImage::ImageRgba8(made);
    if is_opaque {
        made.into_rgb8().write_with_encoder(coder)
    } else {
        made.write_with_encoder(coder)
    }
    .ok()?;
    Some(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn coded_with(library: &Library, most: u32, delivery: &Delivery) -> (Library, Coder) {
        let mut coder = Coder::default();
        let out = coder.coded(library, &Wanted { most, delivery });
        (out, coder)
    }

    fn sizes(l: &Library) -> Vec<(u32, u32)> {
        l.images.iter().map(|i| i.size().unwrap()).collect()
    }

    #[test]
    fn pictures_above_the_limit_come_down_to_it_and_others_stay() {
        let bell = ectome_demo::once::fog_bell().library;
        let plain = Delivery::default();
        let before = sizes(&bell);
        let largest = before.iter().map(|s| s.0.max(s.1)).max().unwrap();
        assert_eq!(coded_with(&bell, largest, &plain).0, bell);
        assert_eq!(coded_with(&bell, 0, &plain).0, bell);
        let most = largest / 4;
        for (after, before) in sizes(&coded_with(&bell, most, &plain).0)
            .into_iter()
            .zip(before)
        {
            let longer = before.0.max(before.1);
            let by = f64::from(longer.min(most)) / f64::from(longer);
            assert_eq!(after.0.max(after.1), longer.min(most));
            assert!((f64::from(after.0) - f64::from(before.0) * by).abs() <= 1.0);
        }
    }

    #[test]
    fn a_picture_that_is_none_stays() {
        let mut library = ectome_demo::once::fog_bell().library;
        library.images[0].bytes = vec![1, 2, 3];
        let (out, _) = coded_with(&library, 16, &Delivery::default());
        assert_eq!(out.images[0], library.images[0]);
    }

    #[rstest]
    #[case([1000, 500], 2048, [512, 256])]
    #[case([4096, 1024], 2048, [2048, 512])]
    #[case([1, 3], 2048, [1, 2])]
    fn sides_become_powers_of_two(#[case] from: [u32; 2], #[case] most: u32, #[case] to: [u32; 2]) {
        assert_eq!(limited(from, most, true), to);
    }

    /// A picture with one material that uses it as its base colour or its normal map.
    fn library_of(rgba: &RgbaImage, slot: &str) -> Library {
        let mut bytes = Cursor::new(Vec::new());
        rgba.write_to(&mut bytes, image::ImageFormat::Png).unwrap();
        let slot = match slot {
            "baseColorTexture" => {
                serde_json::json!({ "pbrMetallicRoughness": { slot: { "index": 0 } } })
            }
            slot => serde_json::json!({ slot: { "index": 0 } }),
        };
        Library {
            materials: vec![slot],
            textures: vec![serde_json::json!({ "source": 0 })],
            samplers: Vec::new(),
            images: vec![Image {
                name: "rope".to_owned(),
                mime: "image/png".to_owned(),
                bytes: bytes.into_inner(),
            }],
        }
    }

    fn stripes(period: u32) -> RgbaImage {
        RgbaImage::from_fn(512, 512, |x, y| {
            let v =
                128.0 + 100.0 * (std::f64::consts::TAU * f64::from(x) / f64::from(period)).sin();
            image::Rgba([v as u8, (y / 2) as u8, 90, 255])
        })
    }

    /// Stripes of 4 texels are gone at a quarter of the size, stripes of 128 are not.
    #[test]
    fn what_has_no_fine_detail_is_halved_and_the_rest_is_not() {
        let wanting = Delivery {
            halve_above_db: 40.0,
            ..Delivery::default()
        };
        let coarse = library_of(&stripes(128), "baseColorTexture");
        let (out, coder) = coded_with(&coarse, 0, &wanting);
        assert!(sizes(&out)[0].0 <= 256, "{:?}", sizes(&out));
        assert!(coder.halved_db(&out.images[0]).unwrap() < 100.0);
        let fine = library_of(&stripes(4), "baseColorTexture");
        let (out, coder) = coded_with(&fine, 0, &wanting);
        assert_eq!(sizes(&out), [(512, 512)]);
        assert!(coder.halved_db(&out.images[0]).unwrap() < 40.0);
        let kept = Delivery {
            keep_size: vec!["rope".to_owned()],
            ..wanting
        };
        assert_eq!(sizes(&coded_with(&coarse, 0, &kept).0), [(512, 512)]);
    }

    /// Read by another decoder: colours as WebP are near, normals exact; JPEG only where nothing is transparent.
    #[test]
    fn formats_hold_what_they_can() {
        let with = |pictures| Delivery {
            pictures,
            ..Delivery::default()
        };
        let given = stripes(64);
        let read = |l: &Library| {
            image::load_from_memory(&l.images[0].bytes)
                .unwrap()
                .into_rgba8()
        };
        let (colours, _) = coded_with(
            &library_of(&given, "baseColorTexture"),
            0,
            &with(Pictures::Webp),
        );
        assert_eq!(colours.images[0].mime, "image/webp");
        let off: f64 = read(&colours)
            .iter()
            .zip(given.iter())
            .map(|(a, b)| (f64::from(*a) - f64::from(*b)).powi(2))
            .sum::<f64>()
            / f64::from(512 * 512 * 4);
        assert!(off < 25.0, "{off}");
        let (normals, _) = coded_with(
            &library_of(&given, "normalTexture"),
            0,
            &with(Pictures::Webp),
        );
        assert_eq!(read(&normals), given);
        // At quality 100 nothing is lost, not even what lies under full transparency.
        let mut hollow = given.clone();
        (0..100).for_each(|x| hollow.get_pixel_mut(x, 40).0[3] = 0);
        let exact = Delivery {
            quality: 100,
            ..with(Pictures::Webp)
        };
        let (all, _) = coded_with(&library_of(&hollow, "baseColorTexture"), 0, &exact);
        assert_eq!(all.images[0].mime, "image/webp");
        assert_eq!(read(&all), hollow);
        let (jpeg, _) = coded_with(
            &library_of(&given, "baseColorTexture"),
            0,
            &with(Pictures::Jpeg),
        );
        assert_eq!(jpeg.images[0].mime, "image/jpeg");
        let mut clear = given.clone();
        clear.get_pixel_mut(3, 3).0[3] = 0;
        for (picture, slot) in [(&clear, "baseColorTexture"), (&given, "normalTexture")] {
            let (png, _) = coded_with(&library_of(picture, slot), 0, &with(Pictures::Jpeg));
            assert_eq!(png.images[0].mime, "image/png");
            assert_eq!(read(&png), *picture);
        }
        // Blocks are made of colours whose sides they fill; what has to stay exact, and what they do not fill, is PNG.
        let odd = RgbaImage::from_fn(510, 512, |x, y| *given.get_pixel(x, y));
        for (picture, slot, mime) in [
            (&given, "baseColorTexture", "image/ktx2"),
            (&given, "normalTexture", "image/png"),
            (&odd, "baseColorTexture", "image/png"),
        ] {
            let (made, _) = coded_with(&library_of(picture, slot), 0, &with(Pictures::Ktx2));
            assert_eq!(made.images[0].mime, mime, "{slot}");
            assert_eq!(made.images[0].size(), Some(picture.dimensions()));
        }
        let lossy = Delivery {
            exact_data: false,
            ..with(Pictures::Jpeg)
        };
        let (normals, _) = coded_with(&library_of(&given, "normalTexture"), 0, &lossy);
        assert_eq!(normals.images[0].mime, "image/jpeg");
    }
}
