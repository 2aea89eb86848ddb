//! What stands in maps, read back through the UVs of the low mesh, beside what stands on the source.

use ectome_formats::Scene;
use ectome_mesh::{Mesh, Progress};
use ectome_recipe::{
    CutSettings, Manner, Recipe, Target, UvStep,
    engine::{self, Stock},
    maps::{BakeSettings, Kind, baked},
    triangles::triangulated,
};
use glam::{Vec2, Vec3};
use rstest::rstest;

/// How far off is what is read back.
pub struct ReadBack {
    name: String,
    triangles: u32,
    /// Mean angle of the normals, in degrees.
    pub normals_mean: f32,
    /// The angle that 95 of 100 stay below, in degrees.
    pub normals_most: f32,
    /// Mean difference of the base colour, of 255; 0 where the source has no picture.
    pub colour_mean: f32,
}

impl std::fmt::Display for ReadBack {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(
            f,
            "{}, {}: normals {:.2} degrees off, 95 % within {:.2}; base colour {:.2} of 255 off",
            self.name, self.triangles, self.normals_mean, self.normals_most, self.colour_mean
        )
    }
}

/// What stands in the maps is what stands on the source. The heavy assets of the demo take minutes: `benches/maps.rs` measures them.
#[rstest]
#[case::plate("tide_plate", 4)]
#[case::winch("rope_winch", 10)]
#[case::kettle("enamel_kettle", 10)]
fn maps_read_back_are_the_source(#[case] name: &str, #[case] part: u32) {
    let back = read_back(name, part);
    assert!(
        back.normals_mean <= 4.0 && back.normals_most <= 15.0 && back.colour_mean <= 3.0,
        "{back}"
    );
}

/// Compares, at places spread over the source, its normal and base colour with what is read through the UVs of the low mesh, which
/// has one triangle for `part` of the source.
pub fn read_back(name: &str, part: u32) -> ReadBack {
    let asset = ectome_demo::ASSETS.iter().find(|a| a.file == name).unwrap();
    let files = asset.files().unwrap();
    let set = ectome_formats::FileSet::new(files.iter().map(|(n, b)| (n.as_str(), &b[..])));
    let progress = Progress::new();
    let source = triangulated(set.import(&progress).unwrap(), &progress).unwrap();
    let n = source.mesh.triangle_count() as u32 / part;
    let recipe = Recipe::cut(name, &[], Target::Triangles(n), CutSettings::default())
        .with_uvs(UvStep::unwrap(Manner::Soft));
    let low = engine::run(&recipe, &set, &progress).unwrap().scene;
    let low = triangulated(low, &progress).unwrap();
    let kinds = vec![Kind::NormalObject, Kind::BaseColour];
    let settings = BakeSettings::of(kinds, 2048);
    let made = baked(&source, &low, &settings, None, &progress).unwrap();
    let [directions, colours] = [Kind::NormalObject, Kind::BaseColour].map(|kind| {
        let file = made.files.iter().find(|f| f.kind == kind).unwrap();
        image::load_from_memory(&file.bytes).unwrap().into_rgb8()
    });
    let normals = ectome_mesh::normals::at_corners(&source.mesh);
    let surface = ectome_mesh::nearest::SurfaceIndex::of(&low.mesh);
    let paint = Paint::of(&source);
    let (mut angles, mut steps) = (Vec::new(), Vec::new());
    for s in ectome_mesh::sample::by_area(&source.mesh, 100_000) {
        let face = s.face as usize;
        let w = weights(s.point, source.mesh.triangle(face));
        let own = (0..3).map(|k| normals[3 * face + k] * w[k]).sum::<Vec3>();
        let own = own.normalize_or_zero();
        let near = surface.nearest(s.point).unwrap();
        let f = near.face as usize;
        // What is hidden inside, or belongs to another side, stands on no map.
        let [a, b, c] = low.mesh.triangle(f);
        if (b - a).cross(c - a).dot(own) <= 0.0 {
            continue;
        }
        let uv = uv_at(&low.mesh, f, weights(near.point, [a, b, c]));
        let [x, y] = uv.to_array().map(|v| ((v * 2048.0) as u32).min(2047));
        let read = directions.get_pixel(x, y).0;
        let read = Vec3::from(read.map(|v| f32::from(v) / 255.0 * 2.0 - 1.0));
        let cosine = read.normalize_or_zero().dot(own);
        angles.push(cosine.clamp(-1.0, 1.0).acos().to_degrees());
        if let Some(want) = paint.at(&source.mesh, face, w) {
            let apart = (bilinear(&colours, uv) - want).abs();
            steps.push(apart.element_sum() / 3.0);
        }
    }
    angles.sort_unstable_by(f32::total_cmp);
    let mean = |list: &[f32]| list.iter().sum::<f32>() / list.len().max(1) as f32;
    let most = angles[angles.len() * 95 / 100];
    ReadBack {
        name: name.to_owned(),
        triangles: n,
        normals_mean: mean(&angles),
        normals_most: most,
        colour_mean: mean(&steps),
    }
}

/// The pictures of a source, for faces that a picture alone paints.
struct Paint {
    /// By run.
    pictures: Vec<Option<image::RgbImage>>,
    run: Vec<u32>,
}

impl Paint {
    fn of(source: &Scene) -> Self {
        let library = &source.library;
        let picture = |material: Option<u32>| {
            let m = &library.materials[material? as usize]["pbrMetallicRoughness"];
            let plain = m["baseColorFactor"].is_null();
            let texture = m["baseColorTexture"]["index"].as_u64().filter(|_| plain)?;
            let image = library.textures[texture as usize]["source"].as_u64()?;
            let bytes = &library.images[image as usize].bytes;
            Some(image::load_from_memory(bytes).ok()?.into_rgb8())
        };
        Self {
            pictures: (source.mesh.runs.iter().map(|r| picture(r.material))).collect(),
            run: source.mesh.run_of_faces(),
        }
    }

    /// The colour there, 0 to 255.
    fn at(&self, mesh: &Mesh, face: usize, weights: [f32; 3]) -> Option<Vec3> {
        let picture = self.pictures[self.run[face] as usize].as_ref()?;
        Some(bilinear(picture, uv_at(mesh, face, weights)))
    }
}

/// A picture between its texels, as a renderer reads it; it repeats.
fn bilinear(picture: &image::RgbImage, uv: Vec2) -> Vec3 {
    let (w, h) = picture.dimensions();
    let at = uv * Vec2::new(w as f32, h as f32) - 0.5;
    let (low, part) = (at.floor(), at - at.floor());
    let texel = |dx: i64, dy: i64| {
        let x = (low.x as i64 + dx).rem_euclid(i64::from(w)) as u32;
        let y = (low.y as i64 + dy).rem_euclid(i64::from(h)) as u32;
        Vec3::from(picture.get_pixel(x, y).0.map(f32::from))
    };
    let row = |dy| texel(0, dy).lerp(texel(1, dy), part.x);
    row(0).lerp(row(1), part.y)
}

fn uv_at(mesh: &Mesh, face: usize, weights: [f32; 3]) -> Vec2 {
    let corners = mesh.face(face).iter().zip(weights);
    corners.map(|(&v, w)| mesh.uv_sets[0][v as usize] * w).sum()
}

/// The weights of a triangle's corners at a place on it.
fn weights(p: Vec3, [a, b, c]: [Vec3; 3]) -> [f32; 3] {
    let n = (b - a).cross(c - a);
    let d = n.length_squared().max(1e-30);
    let u = (b - p).cross(c - p).dot(n) / d;
    let v = (c - p).cross(a - p).dot(n) / d;
    [u, v, 1.0 - u - v]
}
