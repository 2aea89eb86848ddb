//! The pictures that looks are compared by, beside those of a reference renderer (three.js): the same files, cameras and surroundings, and
//! figures within a tenth of each other.

use std::{collections::HashMap, path::Path};

use ectome_compare::{
    look::{Look, View, compare},
    outline::directions,
};
use ectome_e2e::{browser::Browser, served};
use ectome_formats::{Scene, glb};
use ectome_mesh::{Progress, edit};
use ectome_raster::{Backs, Camera, Light, Picture, Style, light_from, render_each};
use ectome_recipe::{CutSettings, Session, Target, maps::Looks, triangles::triangulated};
use glam::Vec3;
use serde_json::{Value, json};

/// Edge of the pictures, in pixels; the reference draws twice as many and takes their mean.
const EDGE: usize = 160;
/// Directions around and from pole to pole of the picture of the surroundings.
const AROUND: [usize; 2] = [256, 128];

const PAGE: &str = r#"<!doctype html><title>Pictures</title><script type="importmap">
{ "imports": { "three": "/build/three.module.js", "three/addons/": "/examples/jsm/" } }</script>"#;

/// Draws files from the cameras of `/job.json` in its light: pixels in sRGB and coverage, coded to base 64.
const DRAW: &str = r"
window.drawn = null;
(async () => {
  const t = { ...(await import('three')), ...(await import('three/addons/loaders/GLTFLoader.js')) };
  const job = await (await fetch('/job.json')).json();
  const renderer = new t.WebGLRenderer({ antialias: false });
  renderer.toneMapping = t.NoToneMapping;
  const [across, down] = job.around;
  const light = new Float32Array(across * down * 4);
  job.light.forEach((v, i) => light.set([v, v, v, 1], 4 * i));
  const sky = new t.DataTexture(light, across, down, t.RGBAFormat, t.FloatType);
  sky.mapping = t.EquirectangularReflectionMapping;
  sky.minFilter = sky.magFilter = t.LinearFilter;
  sky.needsUpdate = true;
  const environment = new t.PMREMGenerator(renderer).fromEquirectangular(sky).texture;
  const big = 2 * job.edge;
  const target = new t.WebGLRenderTarget(big, big, { type: t.FloatType });
  const coded = (v) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055);
  const draw = (model, c) => {
    const scene = new t.Scene();
    scene.environment = environment;
    scene.add(model);
    const camera = new t.PerspectiveCamera(2 * Math.atan(c.tan_half) * 180 / Math.PI, 1, c.near, c.far);
    camera.up.set(...c.up);
    camera.position.set(...c.eye);
    camera.lookAt(c.eye[0] + c.forward[0], c.eye[1] + c.forward[1], c.eye[2] + c.forward[2]);
    renderer.setRenderTarget(target);
    renderer.setClearColor(0x000000, 0);
    renderer.clear();
    renderer.render(scene, camera);
    const all = new Float32Array(big * big * 4);
    renderer.readRenderTargetPixels(target, 0, 0, big, big, all);
    const out = new Uint8Array(job.edge * job.edge * 4);
    for (let y = 0; y < job.edge; y++) for (let x = 0; x < job.edge; x++) {
      const sum = [0, 0, 0, 0];
      for (const [i, j] of [[0, 0], [1, 0], [0, 1], [1, 1]]) {
        // Rows of the target run up.
        const at = 4 * ((big - 1 - 2 * y - j) * big + 2 * x + i);
        for (let k = 0; k < 4; k++) sum[k] += all[at + k];
      }
      const to = 4 * (y * job.edge + x);
      for (let k = 0; k < 3; k++) out[to + k] = sum[3] > 0 ? 255 * coded(Math.min(1, Math.max(0, sum[k] / sum[3]))) + 0.5 : 0;
      out[to + 3] = 255 * sum[3] / 4 + 0.5;
    }
    return out;
  };
  const text = (bytes) => { let s = ''; for (const b of bytes) s += String.fromCharCode(b); return btoa(s); };
  const result = [];
  for (const file of job.files) {
    const model = (await new t.GLTFLoader().loadAsync(file)).scene;
    result.push(job.cameras.map((c) => text(draw(model, c))));
  }
  window.drawn = { result };
})().catch((e) => { window.drawn = { fault: String(e.stack) }; });
return 0";

/// One of theirs as one of ours.
fn picture(text: &Value) -> Picture {
    use base64::{Engine, engine::general_purpose::STANDARD};
    let bytes = STANDARD.decode(text.as_str().unwrap()).unwrap();
    Picture {
        width: EDGE,
        height: EDGE,
        pixels: bytes
            .chunks_exact(4)
            .map(|p| [p[0], p[1], p[2], p[3]])
            .collect(),
        shine: Vec::new(),
        backs: Vec::new(),
    }
}

/// How alike pictures are, pair by pair, at their own size.
fn look(source: &[Picture], result: &[Picture]) -> Look {
    fn view(p: &Picture) -> View<'_> {
        View {
            width: p.width,
            pixels: &p.pixels,
            shine: &[],
            unknown: &[],
        }
    }
    let pairs: Vec<[View<'_>; 2]> = source
        .iter()
        .zip(result)
        .map(|(a, b)| [view(a), view(b)])
        .collect();
    compare(&pairs)[0].look
}

fn ours(scene: &Scene, cameras: &[Camera]) -> Vec<Picture> {
    let style = Style {
        light: Light::Surroundings,
        clay: false,
        relief: true,
        backs: Backs::Culled,
        plain: Vec3::splat(0.5),
    };
    render_each(
        &scene.mesh,
        &Looks::as_drawn(scene).surfaces(&[]),
        cameras,
        &style,
    )
}

/// The lantern without its glass and its clear coat: what is blended is sorted by one and dithered by the other, and coats are not drawn here.
fn lantern() -> Scene {
    let mut lantern = triangulated(ectome_demo::once::harbour_lantern(), &Progress::new()).unwrap();
    let mesh = &lantern.mesh;
    let glass = mesh.parts.iter().position(|p| p.name == "glass").unwrap() as u32;
    let of_face = mesh.part_of_faces();
    lantern.mesh = edit::kept(mesh, |f| of_face[f] != glass);
    for material in &mut lantern.library.materials {
        if let Some(map) = material["extensions"].as_object_mut() {
            map.remove("KHR_materials_clearcoat");
        }
    }
    lantern
}

fn cut(scene: &Scene, triangles: u32) -> Scene {
    let progress = Progress::new();
    let session = Session::new(scene.clone(), CutSettings::default(), None, &progress).unwrap();
    session
        .cut(Target::Triangles(triangles), &progress)
        .unwrap()
        .0
}

/// A fault put into a scene.
fn spoilt(scene: &Scene, spoil: impl FnOnce(&mut Scene)) -> Scene {
    let mut spoilt = scene.clone();
    spoil(&mut spoilt);
    spoilt
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_are_those_of_a_reference_renderer() {
    let lantern = lantern();
    let kettle = triangulated(ectome_demo::once::enamel_kettle(), &Progress::new()).unwrap();
    let plate = triangulated(ectome_demo::once::tide_plate(), &Progress::new()).unwrap();
    let material = |s: &mut Scene, name: &str, change: &dyn Fn(&mut Value)| {
        let mut list = s.library.materials.iter_mut();
        change(list.find(|m| m["name"] == name).unwrap());
    };
    // Named as the material, and what is done to it.
    let fault = |name: &'static str, of: &str, change: &dyn Fn(&mut Value)| {
        (name, spoilt(&lantern, |s| material(s, of, change)))
    };
    let of_lantern = vec![
        ("lantern to 1500", cut(&lantern, 1500)),
        fault("solid net", "net", &|m| m["alphaMode"] = json!("OPAQUE")),
        fault("dull brass", "brass", &|m| {
            m["pbrMetallicRoughness"]["metallicFactor"] = json!(0.0)
        }),
        fault("dark flame", "flame", &|m| {
            m["emissiveFactor"] = json!([0.0, 0.0, 0.0])
        }),
        fault("one side", "cloth", &|m| m["doubleSided"] = json!(false)),
        fault("other paint", "oak", &|m| {
            m["pbrMetallicRoughness"]["baseColorTexture"]["index"] = json!(5)
        }),
        fault("unmoved tiles", "tiles", &|m| {
            m["pbrMetallicRoughness"]["baseColorTexture"]["extensions"] = json!({})
        }),
        (
            "colours twice",
            spoilt(&lantern, |s| {
                s.mesh.colours.iter_mut().for_each(|c| *c *= *c)
            }),
        ),
    ];
    let cases = [
        (&kettle, vec![("kettle to 900", cut(&kettle, 900))]),
        (&plate, vec![("plate to 700", cut(&plate, 700))]),
        (&lantern, of_lantern),
    ];
    let folder = tempfile::tempdir().unwrap();
    let browser = Browser::start(folder.path()).await;
    let package = Path::new(env!("CARGO_MANIFEST_DIR")).join("../tools/outside/node_modules/three");
    let light = (0..AROUND[0] * AROUND[1]).map(|i| {
        // Rows from below, columns as the reference looks them up.
        let turn = ((i % AROUND[0]) as f32 + 0.5) / AROUND[0] as f32;
        let rise = ((i / AROUND[0]) as f32 + 0.5) / AROUND[1] as f32;
        let (turn, rise) = (
            (turn - 0.5) * std::f32::consts::TAU,
            (rise - 0.5) * std::f32::consts::PI,
        );
        light_from(Vec3::new(
            rise.cos() * turn.cos(),
            rise.sin(),
            rise.cos() * turn.sin(),
        ))
    });
    let light: Vec<f32> = light.collect();
    let mut off: Vec<String> = Vec::new();
    for (source, results) in cases {
        let cameras: Vec<Camera> = directions()
            .map(|eye| Camera::from_direction(&source.mesh, eye, EDGE, EDGE))
            .collect();
        let seen = cameras.iter().map(|c| {
            let depths = || source.mesh.points.iter().map(|p| (*p - c.eye).dot(c.forward));
            let far = depths().fold(0.0, f32::max);
            json!({ "tan_half": c.tan_half, "eye": c.eye.to_array(), "up": c.up.to_array(), "forward": c.forward.to_array(),
                "near": 0.5 * depths().fold(far, f32::min).max(1e-3), "far": 2.0 * far })
        });
        let scenes: Vec<&Scene> = [source]
            .into_iter()
            .chain(results.iter().map(|r| &r.1))
            .collect();
        let paths: Vec<String> = (0..scenes.len()).map(|n| format!("/{n}.glb")).collect();
        let written: Vec<Vec<u8>> = scenes
            .iter()
            .map(|s| glb::write(s, &glb::Options::default()).unwrap())
            .collect();
        let job = json!({ "edge": EDGE, "around": AROUND, "light": light, "cameras": seen.collect::<Vec<_>>(), "files": paths });
        let mut own = HashMap::from([
            ("/pictures.html".to_owned(), PAGE.as_bytes().to_vec()),
            ("/job.json".to_owned(), job.to_string().into_bytes()),
        ]);
        own.extend(paths.into_iter().zip(written.iter().cloned()));
        let port = served::serve(&package, own);
        browser
            .open(&format!("http://127.0.0.1:{port}/pictures.html"))
            .await;
        browser.run(DRAW).await;
        browser.until("window.drawn").await;
        let drawn = browser.run("return window.drawn").await;
        assert!(drawn["fault"].is_null(), "{}", drawn["fault"]);
        let theirs: Vec<Vec<Picture>> = (drawn["result"].as_array().unwrap().iter())
            .map(|list| list.as_array().unwrap().iter().map(picture).collect())
            .collect();
        let own: Vec<Vec<Picture>> = (written.iter())
            .map(|bytes| ours(&glb::read("own.glb", bytes).unwrap(), &cameras))
            .collect();
        // The very pictures are alike: within what is just seen side by side, and within half a percent of what is covered.
        let beside = look(&theirs[0], &own[0]);
        assert!(
            beside.colour_mean <= 1.5 && beside.coverage_off() <= 0.005,
            "{beside:?}"
        );
        for (n, (name, _)) in results.iter().enumerate() {
            let (a, b) = (look(&own[0], &own[n + 1]), look(&theirs[0], &theirs[n + 1]));
            println!(
                "{name}: colour {:.2} and {:.2}, coverage {:.4} and {:.4}; ours beside theirs: colour {:.2}, coverage {:.4}",
                a.colour_mean,
                b.colour_mean,
                a.coverage_off(),
                b.coverage_off(),
                beside.colour_mean,
                beside.coverage_off()
            );
            // Within a tenth; below a difference that nobody sees both are none.
            let near = |a: f64, b: f64, none: f64| (a - b).abs() <= 0.1 * a.max(b) + none;
            if !near(a.colour_mean, b.colour_mean, 0.1)
                || !near(a.coverage_off(), b.coverage_off(), 0.002)
            {
                off.push(format!("{name}: {a:?} and {b:?}"));
            }
        }
    }
    browser.close().await;
    assert!(off.is_empty(), "{off:#?}");
}
