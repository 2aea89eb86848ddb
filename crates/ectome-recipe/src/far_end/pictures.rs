//! What cards show: colour, normals and opacity of a source, baked onto them.

use ectome_bake::{Kind, Settings, State, bake};
use ectome_formats::{Image, Library, Scene};
use ectome_mesh::Progress;
use ectome_proxy::Cards;
use ectome_texture::{
    fill::filled,
    scale::{Meaning, scaled},
};
use serde_json::{Value, json};

use super::cut_out::SHOWN_FROM;
use crate::{
    EngineError,
    maps::{Directions, Looks, Reach, Sides},
    picture,
};

/// Rays to a texel, along each side: outlines of a card are where some of them miss. Fewer on the largest sheets.
const FINER: u32 = 4;
/// The finest sheet that is baked.
const FINEST: u32 = 4096;

/// What a sheet of cards shows.
pub(super) struct Sheet {
    /// Width and height, in texels.
    pub size: usize,
    /// Colour coded as sRGB, and opacity.
    pub rgba: Vec<u8>,
    /// A material that wears it.
    pub library: Library,
}

/// Bakes the sheet of some cards from a source of triangles. Both sides of a card show the same where `two_sided`.
pub(super) fn sheet(
    source: &Scene,
    cards: &Cards,
    size: u32,
    two_sided: bool,
    progress: &Progress,
) -> Result<Sheet, EngineError> {
    let finer = FINER.min(FINEST / size).max(1);
    let fine = (size * finer) as usize;
    let emits = |m: &Value| {
        let factor = m["emissiveFactor"].as_array();
        factor.is_some_and(|f| f.iter().any(|v| v.as_f64() > Some(0.0)))
    };
    let mut kinds = vec![
        Kind::BaseColour,
        Kind::Normal,
        Kind::Opacity,
        Kind::Roughness,
        Kind::Metalness,
    ];
    if source.library.materials.iter().any(emits) {
        kinds.push(Kind::Emissive);
    }
    let looks = Looks::of(source, &kinds);
    let kernel = Settings {
        size: fine as u32,
        samples: 1,
        // What is beside the shape is mixed with its outline below: it must not be black there.
        padding: 2 * finer,
        kinds: kinds.clone(),
        reach: Reach::Metres(1.01 * cards.depth_m),
        directions: Directions::Faces,
        // Leaves that show both sides are seen from both.
        either_side: Sides::of(source).either,
        deep: false,
        ..Settings::default()
    };
    let made = bake(&looks.source(source), &cards.mesh, &kernel, progress)?;
    let of = |kind: Kind| {
        made.maps
            .iter()
            .find(|m| m.kind == kind)
            .map(|m| &m.texels[..])
    };
    let is_hit: Vec<bool> = made.states.iter().map(|s| *s == State::Baked).collect();
    let byte = |v: u16| (v / 257) as u8;
    let opacity = |i: usize| match (is_hit[i], of(Kind::Opacity)) {
        (false, _) => 0,
        (true, None) => 255,
        (true, Some(texels)) => byte(texels[i]),
    };
    // A map of three channels with an opacity beside it.
    let with = |texels: &[u16], alpha: &dyn Fn(usize) -> u8| -> Vec<u8> {
        let rgb = texels.chunks_exact(3).enumerate();
        rgb.flat_map(|(i, t)| [byte(t[0]), byte(t[1]), byte(t[2]), alpha(i)])
            .collect()
    };
    let small = |rgba: &[u8], meaning| scaled(rgba, [fine; 2], [size as usize; 2], meaning);
    // The share of rays that hit is cut at a half: so much of the outline is seen as there is.
    let colours = of(Kind::BaseColour).unwrap_or_default();
    let mut rgba = small(&with(colours, &opacity), Meaning::Colour);
    spread(&mut rgba, size as usize);
    let normals = small(
        &with(of(Kind::Normal).unwrap_or_default(), &|_| 255),
        Meaning::Normal,
    );
    let mean = |kind: Kind| {
        let hits = (0..is_hit.len()).filter(|&i| is_hit[i]);
        let (sum, n) = of(kind).map_or((0.0, 0.0), |texels| {
            hits.fold((0.0, 0.0f64), |(sum, n), i| {
                (sum + f64::from(texels[i]), n + 1.0)
            })
        });
        if n > 0.0 { sum / n / 65_535.0 } else { 1.0 }
    };
    let light = of(Kind::Emissive).map(|l| small(&with(l, &opacity), Meaning::Colour));
    let material = Wear {
        base_colour: &rgba,
        normal: &normals,
        emissive: light.as_deref(),
        roughness: mean(Kind::Roughness),
        metalness: mean(Kind::Metalness),
        two_sided,
    };
    let library = material.library(size);
    Ok(Sheet {
        size: size as usize,
        rgba,
        library,
    })
}

/// What cards wear: pictures of four channels, and what is the same all over.
struct Wear<'a> {
    base_colour: &'a [u8],
    normal: &'a [u8],
    emissive: Option<&'a [u8]>,
    roughness: f64,
    metalness: f64,
    two_sided: bool,
}

impl Wear<'_> {
    /// One material, cut out at the threshold, with its textures of `size` texels.
    fn library(&self, size: u32) -> Library {
        let mut library = Library {
            samplers: vec![
                json!({ "magFilter": 9729, "minFilter": 9987, "wrapS": 33071, "wrapT": 33071 }),
            ],
            ..Library::default()
        };
        let mut add = |name: &str, rgba: &[u8]| {
            library.images.push(Image {
                name: name.to_owned(),
                mime: "image/png".to_owned(),
                bytes: picture::encode(size, size, rgba),
            });
            let texture = json!({ "sampler": 0, "source": library.images.len() - 1 });
            library.textures.push(texture);
            json!({ "index": library.textures.len() - 1 })
        };
        let mut material = json!({
            "name": "cards",
            "alphaMode": "MASK",
            "alphaCutoff": f32::from(SHOWN_FROM) / 255.0,
            "doubleSided": self.two_sided,
            "pbrMetallicRoughness": {
                "baseColorTexture": add("cards_base_colour", self.base_colour),
                "roughnessFactor": self.roughness,
                "metallicFactor": self.metalness,
            },
            "normalTexture": add("cards_normal", self.normal),
        });
        if let Some(light) = self.emissive {
            material["emissiveTexture"] = add("cards_emissive", light);
            material["emissiveFactor"] = json!([1.0, 1.0, 1.0]);
        }
        library.materials.push(material);
        library
    }
}

/// Colours where nothing shows, taken from around: smaller copies of the picture must not darken at its outlines.
fn spread(rgba: &mut [u8], size: usize) {
    let covered: Vec<bool> = rgba.chunks_exact(4).map(|t| t[3] > 0).collect();
    let mut texels: Vec<[u16; 3]> = rgba
        .chunks_exact(4)
        .map(|t| [t[0], t[1], t[2]].map(u16::from))
        .collect();
    filled(&mut texels, &covered, size, size);
    for (t, c) in rgba.chunks_exact_mut(4).zip(texels) {
        (0..3).for_each(|k| t[k] = c[k] as u8);
    }
}
