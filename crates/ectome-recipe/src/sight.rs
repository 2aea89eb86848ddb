//! What a player sees of a scene, beside its source: both drawn with all their materials in the same surroundings, from all around.

use ectome_compare::look::{self, View};
pub use ectome_compare::{
    look::{AtSize, Look, at},
    outline::directions,
};
use ectome_formats::Scene;
use ectome_raster::{Backs, Camera, Light, Picture, Style, render_each};
use rayon::prelude::*;

use crate::{
    artefact::Artefact,
    maps::{Looks, Sides},
    picture,
};

/// Edge of the pictures, in pixels.
pub(crate) const SEEN: usize = 320;
/// A difference of colour that is drawn darkest (CIEDE2000): two colours that nobody takes for one.
const DARKEST: f64 = 30.0;

/// Pictures of a scene from the 26 directions in which outlines are compared.
pub(crate) struct Sight {
    cameras: Vec<Camera>,
    pictures: Vec<Picture>,
}

impl Sight {
    /// A scene of triangles with its looks, from where it fills the pictures.
    pub(crate) fn of(scene: &Scene, looks: &Looks) -> Self {
        let camera = |eye| Camera::from_direction(&scene.mesh, eye, SEEN, SEEN);
        let cameras: Vec<Camera> = directions().map(camera).collect();
        Self {
            pictures: pictures(scene, looks, &cameras, Backs::Marked),
            cameras,
        }
    }

    /// Compares what was made of it, from the same places.
    pub(crate) fn beside(&self, result: &Scene, looks: &Looks) -> Seen {
        let of_result = pictures(result, looks, &self.cameras, Backs::Culled);
        let pairs: Vec<[View<'_>; 2]> = (self.pictures.iter().zip(&of_result))
            .map(|(a, b)| [view(a), view(b)])
            .collect();
        let looks = look::compare(&pairs);
        let worst = looks.first().map_or([0; 3], |l| l.look.worst_views);
        let artefacts = (FIGURES.par_iter().zip(worst))
            .flat_map_iter(|(figure, n)| {
                let (a, b) = (&self.pictures[n], &of_result[n]);
                let drawn = [shown(figure, a), shown(figure, b), difference(figure, a, b)];
                names(figure).into_iter().zip(drawn).map(|(which, rgba)| {
                    let png = picture::encode(SEEN as u32, SEEN as u32, &rgba);
                    Artefact::one_of(Artefact::LOOK, which, png)
                })
            })
            .collect();
        Seen { looks, artefacts }
    }
}

/// The figure of colours, in names of pictures.
pub const COLOUR: &str = "colour";
/// The figure of what is covered.
pub const COVERAGE: &str = "coverage";
/// The figure of mirrored light.
pub const SHINE: &str = "shine";

/// All of them.
pub const FIGURES: [&str; 3] = [COLOUR, COVERAGE, SHINE];
/// The names of the pictures of a figure: source, result, difference.
pub fn names(figure: &str) -> [String; 3] {
    [Artefact::SOURCE, Artefact::RESULT, Artefact::DIFFERENCE].map(|of| format!("{figure}_{of}"))
}

/// How alike a result and its source look.
#[derive(Clone, Debug, Default)]
pub(crate) struct Seen {
    /// By the size at which it is seen, largest first.
    pub looks: Vec<AtSize>,
    /// The worst view of each figure: source, result, difference.
    pub artefacts: Vec<Artefact>,
}

fn view(picture: &Picture) -> View<'_> {
    View {
        width: picture.width,
        pixels: &picture.pixels,
        shine: &picture.shine,
        unknown: &picture.backs,
    }
}

/// Of a source, backs that nothing says are seen are marked: what stands in their place, such as the floor of a skin that closes a scan from
/// below, is no difference. Of a result they are not drawn, so that leaves which lost their backs are missed.
fn pictures(scene: &Scene, looks: &Looks, cameras: &[Camera], backs: Backs) -> Vec<Picture> {
    // What is wound inwards as a whole is seen as if it were not: bakes and rebuilds turn it, and say so.
    let sides = Sides::of(scene);
    let style = Style {
        light: Light::Surroundings,
        backs,
        ..picture::STUDIO
    };
    render_each(&scene.mesh, &looks.surfaces(&sides.either), cameras, &style)
}

/// A picture as it shows a figure.
fn shown(figure: &str, picture: &Picture) -> Vec<u8> {
    match figure {
        SHINE => (picture.shine.iter().zip(&picture.pixels))
            .flat_map(|(&s, p)| [s, s, s, p[3]])
            .collect(),
        _ => picture.pixels.concat(),
    }
}

/// Where two pictures differ in a figure: the more, the darker.
fn difference(figure: &str, a: &Picture, b: &Picture) -> Vec<u8> {
    let lab = |p: [u8; 4]| ectome_texture::colour::Lab::of_srgb([p[0], p[1], p[2]]);
    (0..a.pixels.len())
        .flat_map(|i| {
            let (p, q) = (a.pixels[i], b.pixels[i]);
            if a.backs.get(i) == Some(&true) {
                return [0; 4];
            }
            let both = p[3].min(q[3]) >= 128;
            let off = match figure {
                COVERAGE => f64::from(p[3].abs_diff(q[3])) / 255.0,
                _ if !both => 0.0,
                SHINE => f64::from(a.shine[i].abs_diff(b.shine[i])) / 128.0,
                _ => lab(p).difference(lab(q)) / DARKEST,
            };
            let [r, g, b] = picture::as_difference(off as f32);
            [r, g, b, p[3].max(q[3])]
        })
        .collect()
}
