//! A reference renderer (three.js, in the browser) lights the source, and the cut with its map and its tangents: what an engine that
//! follows glTF 2.0 shows.

use ectome_e2e::{app::App, browser::Browser, http, unwrap};
use ectome_formats::{Scene, glb};
use ectome_mesh::{MeshBuilder, Primitive, measure, shapes};
use glam::Affine3A;

/// A ball of 327 680 triangles under waves of a hundredth of its radius.
fn waves() -> Vec<u8> {
    let mut ball = shapes::icosphere(1.0, 7);
    for p in &mut ball.points {
        let wave = (22.0 * p.x).sin() * (22.0 * p.y).sin() * (22.0 * p.z).sin();
        *p *= 1.0 + 0.01 * wave;
    }
    let normals = measure::smooth_normals(&ball);
    let places = ball.vertex_point.iter().map(|&p| ball.points[p as usize]);
    let mut builder = MeshBuilder::new();
    builder
        .part("float", Affine3A::IDENTITY)
        .primitive(Primitive {
            positions: places.collect(),
            normals,
            corners: ball.corners.clone(),
            ..Primitive::default()
        });
    glb::write(&Scene::from(builder.finish()), &glb::Options::default()).unwrap()
}

/// Draws two meshes under one light from a few sides and compares what both cover, leaving their outlines out: the mean difference
/// of 255 with the map of the second, and without.
const DRAW: &str = r"
window.lit = null;
(async () => {
  const t = await import(document.querySelector('script[src*=asset]').src.replace('js/asset.js', 'vendor/three-stage.min.js'));
  const size = 512;
  const renderer = new t.WebGLRenderer({ preserveDrawingBuffer: true });
  renderer.setSize(size, size, false);
  const gl = renderer.getContext();
  const light = new t.DirectionalLight(0xffffff, 3);
  const camera = new t.PerspectiveCamera(40, 1, 0.1, 20);
  const load = async (url) => (await new t.GLTFLoader().loadAsync(url)).scene;
  const models = [await load(SOURCE), await load(LOW), await load(LOW)];
  let tangents = 0;
  models.forEach((model, i) => model.traverse((node) => {
    if (!node.isMesh) return;
    const { material } = node;
    material.map = null; material.aoMap = null; material.metalness = 0; material.roughness = 1;
    material.roughnessMap = null; material.metalnessMap = null; material.color.set(0xffffff);
    if (i === 2) material.normalMap = null;
    if (i === 1) tangents += Number(material.vertexTangents || Boolean(node.geometry.attributes.tangent && material.normalMap));
    material.needsUpdate = true;
  }));
  const draw = (model, from) => {
    const scene = new t.Scene();
    scene.add(model, light);
    camera.position.set(...from); camera.lookAt(0, 0, 0);
    light.position.set(from[2] + 1, from[0] + 2, from[1] + 1.5);
    renderer.render(scene, camera);
    const out = new Uint8Array(size * size * 4);
    gl.readPixels(0, 0, size, size, gl.RGBA, gl.UNSIGNED_BYTE, out);
    return out;
  };
  // What lies within this circle is the ball, whichever of them.
  const radius = size / 2 * 0.97 / (3.4 * Math.tan(Math.PI / 9) * 1.03);
  const off = [0, 0]; let n = 0;
  for (const from of [[0, 0, 3.4], [3.4, 0, 0.001], [0, 3.4, 0.001], [-2, 2, -1.8]]) {
    const [source, mapped, plain] = models.map((m) => draw(m, from));
    for (let y = 0; y < size; y++) for (let x = 0; x < size; x++) {
      if (Math.hypot(x - size / 2, y - size / 2) > radius) continue;
      const i = (y * size + x) * 4;
      off[0] += Math.abs(source[i] - mapped[i]); off[1] += Math.abs(source[i] - plain[i]); n++;
    }
  }
  window.lit = { mapped: off[0] / n, plain: off[1] / n, tangents };
})().catch((e) => { window.lit = { fault: String(e) }; });
return 0";

#[tokio::test(flavor = "multi_thread")]
async fn a_reference_renderer_lights_the_map_as_the_source() {
    let folder = tempfile::tempdir().unwrap();
    let app = App::start(&folder.path().join("data"));
    http::upload(app.port, &[("float.glb", &waves())]).unwrap();
    let browser = Browser::start(folder.path()).await;
    let post = |path: &str, form: &str| {
        assert_eq!(
            http::post(app.port, path, form).unwrap().status,
            303,
            "{path}"
        );
    };
    browser.open(&app.url("/assets/1/cut")).await;
    browser
        .until("JSON.parse(document.querySelector('#data')?.textContent ?? '{}').sourceMesh")
        .await;
    post("/assets/1/cuts", "triangles=3000");
    browser
        .until("JSON.parse(document.querySelector('#data')?.textContent ?? '{}').candidates?.length === 1")
        .await;
    unwrap::by_hand(&browser, &app, 1, 1).await;
    post(
        "/assets/1/bakes/2",
        "do=bake&map=normal&size=1024&samples=4&padding=8&reach_times=1&reach_mm=&directions=blended&green=up&bits=8",
    );
    browser.open(&app.url("/assets/1/maps?show=3")).await;
    browser
        .until("document.querySelectorAll('.maps [data-map]').length === 1")
        .await;
    let source = browser
        .run("return `/mesh/${JSON.parse(document.querySelector('#data').textContent).sourceMesh}.glb`")
        .await;
    let script = DRAW
        .replace("SOURCE", &source.to_string())
        .replace("LOW", "'/assets/1/download/float_3.glb'");
    browser.run(&script).await;
    browser.until("window.lit").await;
    let lit = browser.run("return window.lit").await;
    println!("lit pictures: {lit}");
    assert!(lit["fault"].is_null(), "{lit}");
    let (mapped, plain) = (
        lit["mapped"].as_f64().unwrap(),
        lit["plain"].as_f64().unwrap(),
    );
    assert_eq!(lit["tangents"], 1);
    // The waves are seen without a map, or there would be nothing to give back.
    assert!(plain > 8.0, "{lit}");
    assert!(mapped <= 2.0, "{lit}");
    browser.close().await;
}
