//! What a parcel holds quantised, compressed, as WebP or as KTX2, read and drawn by a reference renderer (three.js) with the decoders that
//! the authors of the compressions hand out: the same picture as of the plain file.

use std::{collections::HashMap, fs, path::Path};

use ectome_e2e::{browser::Browser, served};
use ectome_mesh::Progress;
use ectome_recipe::{
    Brief,
    parcel::{
        Order, Tier,
        delivery::{Delivery, Geometry, Pictures},
    },
    triangles::triangulated,
};

/// The renderer as this application ships it, with the decoder of `EXT_meshopt_compression` (npm `meshoptimizer`).
const SHIPPED: &str = r"
  const t = await import(code('STAGE'));
  const { MeshoptDecoder } = await import(code('DECODER'));
  await MeshoptDecoder.ready;
  const prepare = (loader) => loader.setMeshoptDecoder(MeshoptDecoder);
";

/// The renderer as its package has it, with its loader of KTX2 and the transcoder that comes with that. Both are told by the page where
/// they are.
const PACKAGE: &str = r"
  const t = { ...(await import('three')), ...(await import('three/addons/loaders/GLTFLoader.js')) };
  const { KTX2Loader } = await import('three/addons/loaders/KTX2Loader.js');
  const prepare = (loader, renderer) => loader.setKTX2Loader(new KTX2Loader().detectSupport(renderer));
";

/// A page that tells scripts where the package is.
const PAGE: &str = r#"<!doctype html><title>Parcel</title><script type="importmap">
{ "imports": { "three": "/build/three.module.js", "three/addons/": "/examples/jsm/" } }</script>"#;

/// Draws each GLB from a few sides and compares it with the first: the largest difference of a channel at any pixel both cover, of
/// 255, the mean, and how many pixels only one covers.
const DRAW: &str = r"
window.drawn = null;
const code = (text) => 'data:text/javascript;base64,' + text;
(async () => {
  RENDERER
  const size = 256;
  const renderer = new t.WebGLRenderer({ preserveDrawingBuffer: true, antialias: false });
  renderer.setSize(size, size, false);
  const gl = renderer.getContext();
  const light = new t.DirectionalLight(0xffffff, 3);
  const sky = new t.HemisphereLight(0xffffff, 0x808080, 1);
  const camera = new t.PerspectiveCamera(40, 1, 0.01, 50);
  const bytes = (text) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer;
  const models = [];
  const formats = new Set();
  for (const file of FILES) {
    const loader = new t.GLTFLoader();
    prepare(loader, renderer);
    models.push((await loader.parseAsync(bytes(file), '')).scene);
    models.at(-1).traverse((o) => { if (o.material?.map?.isCompressedTexture) formats.add(o.material.map.format); });
  }
  const box = new t.Box3().setFromObject(models[0]);
  const middle = box.getCenter(new t.Vector3());
  const far = 1.6 * box.getSize(new t.Vector3()).length();
  const draw = (model, side) => {
    const scene = new t.Scene();
    scene.add(model, light, sky);
    camera.position.set(middle.x + far * side[0], middle.y + far * side[1], middle.z + far * side[2]);
    camera.lookAt(middle);
    light.position.copy(camera.position).add(new t.Vector3(1, 2, 0));
    renderer.setClearColor(0x000000, 0);
    renderer.render(scene, camera);
    const out = new Uint8Array(size * size * 4);
    gl.readPixels(0, 0, size, size, gl.RGBA, gl.UNSIGNED_BYTE, out);
    return out;
  };
  const result = models.map(() => ({ most: 0, sum: 0, over: 0, n: 0, edge: 0 }));
  for (const side of [[0, 0, 1], [0.9, 0.3, 0.3], [-0.5, 0.7, -0.5]]) {
    const first = draw(models[0], side);
    models.forEach((model, m) => {
      const other = draw(model, side);
      const r = result[m];
      for (let i = 0; i < first.length; i += 4) {
        if (first[i + 3] !== other[i + 3]) { r.edge++; continue; }
        if (first[i + 3] === 0) continue;
        let off = 0;
        for (let k = 0; k < 3; k++) off = Math.max(off, Math.abs(first[i + k] - other[i + k]));
        r.most = Math.max(r.most, off); r.sum += off; r.n++; r.over += Number(off > 1);
      }
    });
  }
  window.drawn = result.map((r) => ({ most: r.most, mean: r.sum / r.n, over: r.over / r.n, edge: r.edge / r.n, n: r.n }));
  window.drawn[0].packed = formats.size;
})().catch((e) => { window.drawn = { fault: String(e) }; });
return 0";

fn coded(bytes: &[u8]) -> String {
    use base64::{Engine, engine::general_purpose::STANDARD};
    STANDARD.encode(bytes)
}

fn made(geometry: Geometry, pictures: Pictures) -> Vec<u8> {
    let mut brief = Brief::from_limits("Quay", &[900_000]).unwrap();
    brief.texture_px = 512;
    brief.delivery = Delivery {
        geometry,
        pictures,
        quality: 100,
        ..Delivery::default()
    };
    let order = Order {
        collision: None,
        beside: None,
        asset: "kettle".to_owned(),
        brief: &brief,
        notice: None,
        date: String::new(),
        tiers: vec![Tier {
            scene: triangulated(ectome_demo::once::enamel_kettle(), &Progress::new()).unwrap(),
            sheets: 1,
            mark: String::new(),
        }],
        maps: Vec::new(),
        high: None,
    };
    let parcel = order.make(&Progress::new()).unwrap();
    parcel.files.into_iter().next().unwrap().bytes
}

/// Draws files and says how each differs from the first.
async fn drawn(browser: &Browser, renderer: &str, files: &[Vec<u8>]) -> serde_json::Value {
    let list: Vec<String> = files.iter().map(|f| format!("'{}'", coded(f))).collect();
    let script = DRAW
        .replace("RENDERER", renderer)
        .replace("FILES", &format!("[{}]", list.join(",")));
    browser.run(&script).await;
    browser.until("window.drawn").await;
    let drawn = browser.run("return window.drawn").await;
    println!("of 255, beside the first file: {drawn}");
    drawn
}

#[tokio::test(flavor = "multi_thread")]
async fn a_reference_renderer_draws_every_variant_alike() {
    let folder = tempfile::tempdir().unwrap();
    let browser = Browser::start(folder.path()).await;
    browser.open("about:blank").await;
    let own = Path::new(env!("CARGO_MANIFEST_DIR"));
    let read = |path: &str| coded(&fs::read(own.join(path)).unwrap());
    let files = [
        // PNG, since decoders of JPEG are not alike to the last bit.
        made(Geometry::Quantised, Pictures::Png),
        made(Geometry::Compressed, Pictures::Png),
        made(Geometry::Plain, Pictures::Png),
        made(Geometry::Quantised, Pictures::Webp),
    ];
    assert!(files[1].len() < files[2].len());
    let renderer = SHIPPED
        .replace(
            "STAGE",
            &read("../crates/ectome-web/static/vendor/three-stage.min.js"),
        )
        .replace(
            "DECODER",
            &read("../tools/outside/node_modules/meshoptimizer/meshopt_decoder.module.js"),
        );
    let drawn = drawn(&browser, &renderer, &files).await;
    assert!(drawn["fault"].is_null(), "{drawn}");
    let of = |n: usize, what: &str| drawn[n][what].as_f64().unwrap();
    assert!(of(0, "n") > 10_000.0, "the kettle is seen: {drawn}");
    // Packing loses nothing at all.
    assert_eq!((of(1, "most"), of(1, "edge")), (0.0, 0.0), "{drawn}");
    // Quantising moves places by less than a hundredth of a pixel: 98 of 100 within 1 of 255, but for texels and edges that fall to the
    // other side.
    assert!(of(2, "mean") < 0.25 && of(2, "over") < 0.02, "{drawn}");
    assert!(of(2, "edge") < 0.002, "{drawn}");
    // WebP of quality 100 loses nothing either.
    assert_eq!((of(3, "most"), of(3, "edge")), (0.0, 0.0), "{drawn}");
    browser.close().await;
}

/// The textures stay packed on the device, and look as the pictures they were made of: within 3 of 255 on the mean, and nowhere torn.
#[tokio::test(flavor = "multi_thread")]
async fn textures_that_stay_packed_are_drawn_like_pictures() {
    let folder = tempfile::tempdir().unwrap();
    let browser = Browser::start(folder.path()).await;
    let package = Path::new(env!("CARGO_MANIFEST_DIR")).join("../tools/outside/node_modules/three");
    let page = HashMap::from([("/parcel.html".to_owned(), PAGE.as_bytes().to_vec())]);
    let port = served::serve(&package, page);
    browser
        .open(&format!("http://127.0.0.1:{port}/parcel.html"))
        .await;
    let files = [
        made(Geometry::Plain, Pictures::Png),
        made(Geometry::Plain, Pictures::Ktx2),
    ];
    let drawn = drawn(&browser, PACKAGE, &files).await;
    assert!(drawn["fault"].is_null(), "{drawn}");
    let of = |n: usize, what: &str| drawn[n][what].as_f64().unwrap();
    assert!(of(0, "n") > 10_000.0, "the kettle is seen: {drawn}");
    assert!(of(0, "packed") > 0.0, "nothing stayed packed: {drawn}");
    assert!(of(1, "mean") < 3.0 && of(1, "edge") == 0.0, "{drawn}");
    browser.close().await;
}
