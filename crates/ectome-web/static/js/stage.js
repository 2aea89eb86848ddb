// The stage: source and candidate side by side, cameras tied. Draws on demand, not in a loop.

import {
  Box3, CanvasTexture, Color, DirectionalLight, DoubleSide, GLTFLoader, HemisphereLight, MeshBasicMaterial, OrbitControls,
  PerspectiveCamera, Plane, Raycaster, RepeatWrapping, Scene, SRGBColorSpace, TextureLoader, Vector2, Vector3, WebGLRenderer,
} from '../vendor/three-stage.min.js';
import { Aim } from './aim.js';
import { ClipPlane } from './clip_plane.js';
import { EDGE, GROUND, KEY, PROTECTED, RIM, SKY } from './colours.js';
import { balls, dots, Layer, lines, shell } from './layers.js';
import { colourByField, lookOf, withEdges } from './looks.js';
import { Numbers } from './numbers.js';
import { LightTool, Pointer } from './tools.js';

/** Pixels along the upper and the lower edge that labels and view keys stand on. */
const ABOVE = 40;
const BELOW = 56;
/** What is said meanwhile. */
const LOADING = 'The mesh is being loaded.';

/** One half of the stage. */
class Half {
  constructor() {
    this.scene = new Scene();
    this.sky = new HemisphereLight(SKY, GROUND, 1.5);
    this.key = new DirectionalLight(KEY, 2.4);
    this.rim = new DirectionalLight(RIM, 0.9);
    this.scene.add(this.sky, this.key, this.key.target, this.rim, this.rim.target);
    this.model = null;
    this.url = null;
  }

  /** Takes the model away; its materials' pictures too unless they are the source's. */
  clear(pictures = true) {
    if (this.model) this.scene.remove(this.model);
    this.model?.traverse((node) => {
      if (!node.isMesh) return;
      node.userData.indexed?.dispose();
      node.userData.loose?.dispose();
      if (pictures && this.url !== 'preview') node.userData.given?.map?.dispose();
    });
    this.model = null;
    this.url = null;
  }
}

/** The number of the part that a node of the source belongs to. */
function partOf(node) {
  for (let at = node; at; at = at.parent) if (at.userData.part !== undefined) return at.userData.part;
  return undefined;
}

export class Stage {
  constructor(element, canvas, note) {
    this.element = element;
    this.note = note;
    this.view = 'textured';
    this.edges = false;
    this.flick = false;
    this.wipe = null;
    /** There is nothing beside the source. */
    this.alone = false;
    this.light = { turn: -0.6, rise: 0.85 };
    this.left = new Half();
    this.right = new Half();
    // The UV sheet reads its mesh with it, with or without a stage.
    this.loader = new GLTFLoader();
    try {
      this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true });
    } catch {
      this.note.textContent = 'This browser shows no 3D (WebGL 2 is off), so the stage stays empty. Cutting works all the same.';
      return;
    }
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio, 2));
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.camera = new PerspectiveCamera(28, 1, 0.01, 100);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.addEventListener('change', () => this.draw());
    new ResizeObserver(() => this.#resize()).observe(element);
    // Whoever turned or moved the view keeps it when the stage changes its size.
    canvas.addEventListener('pointerdown', () => { this.touched = true; }, { capture: true });
    this.pointer = new Pointer(canvas, element, this.controls);
    this.lightTool = new LightTool(this.light, () => this.draw());
    this.balls = [this.left, this.right].map((half) => new Layer(half.scene));
    this.marks = new Layer(this.left.scene);
    this.seams = new Layer(this.right.scene);
    this.shell = new Layer(this.right.scene);
    this.clip = new ClipPlane(this);
    this.aim = new Aim(this, canvas);
    this.numbers = new Numbers(element);
    this.#resize();
  }

  /** Loads what is new; `null` clears a side. Frames the first mesh that arrives. */
  async show(source, candidate, bounds) {
    if (!this.renderer) return;
    this.bounds = bounds;
    this.#arrange(!candidate);
    await Promise.all([this.#load(this.left, source), this.#load(this.right, candidate)]);
    this.draw();
  }

  async #load(half, url) {
    if (half.url === url) return;
    half.clear();
    half.url = url;
    if (!url) return;
    this.#loads(1);
    const model = await this.loader.loadAsync(url).then((gltf) => gltf.scene, () => null);
    this.#loads(-1);
    if (half.url !== url) return;
    if (!model) {
      this.note.textContent = 'The mesh could not be loaded. Reload the page to try again.';
      return;
    }
    this.#put(half, model, (node) => node.material);
    if (!this.framed) this.frame();
  }

  /** Says that meshes are on their way, and what stood there before once they have come. */
  #loads(by) {
    this.loading = (this.loading ?? 0) + by;
    this.element.classList.toggle('loading', this.loading > 0);
    if (this.loading === 1 && by > 0) {
      this.said = this.note.textContent;
      this.note.textContent = LOADING;
    } else if (this.loading === 0 && this.note.textContent === LOADING) {
      this.note.textContent = this.said;
    }
  }

  #put(half, model, materialOf) {
    half.model = model;
    half.scene.add(model);
    model.traverse((node) => {
      if (!node.isMesh) return;
      node.userData.given = materialOf(node);
      node.userData.indexed = node.geometry;
    });
    this.#dress(half);
  }

  /** Shows bytes of a GLB without pictures in the candidate's place, with the source's materials. */
  async preview(bytes) {
    if (!this.renderer) return;
    const model = await this.loader.parseAsync(bytes, '').then((gltf) => gltf.scene);
    const known = new Map();
    this.left.model?.traverse((node) => {
      if (node.isMesh) known.set(node.userData.given.name, node.userData.given);
    });
    this.#arrange(false);
    this.right.clear(false);
    this.right.url = 'preview';
    // Without UVs its pictures would lie anyhow: then it has the colours alone.
    const wears = (node) => node.geometry.attributes.uv && known.get(node.material.name);
    this.#put(this.right, model, (node) => wears(node) || node.material);
    this.draw();
  }

  /** Takes away what of the right side lies beyond a share (0–1) of the bounds along an axis; null shows all of it. */
  cutOpen(at) {
    if (!this.renderer) return;
    this.opened = null;
    if (at && this.bounds) {
      const [low, high] = this.bounds.map((p) => p[at.axis]);
      const normal = new Vector3().setComponent(at.axis, -1);
      this.opened = new Plane(normal, low + at.share * (high - low));
    }
    this.draw();
  }

  /** Places that are numbered on the right side. */
  setNumbers(places) {
    if (!this.renderer) return;
    this.numbers.show(places);
    this.draw();
  }

  /** The protected region: balls drawn over both halves. */
  setBalls(list) {
    if (!this.renderer) return;
    for (const layer of this.balls) {
      layer.dispose();
      if (list.length) layer.add(balls(list));
    }
    this.draw();
  }

  /** Makes a tool the active one, see tools.js. */
  use(tool) {
    this.pointer?.use(tool);
  }

  /** Puts a tool away, unless another has taken its place. */
  release(tool) {
    this.pointer?.release(tool);
  }

  /** A ray through the place of an event, in the half it falls on. */
  ray(event) {
    const height = this.element.clientHeight;
    const width = this.#width();
    const box = event.target.getBoundingClientRect();
    const x = ((event.clientX - box.left) % width) / width;
    const y = (event.clientY - box.top) / height;
    const ray = new Raycaster();
    // The camera may have moved since the last picture was drawn.
    this.camera.updateMatrixWorld();
    ray.setFromCamera(new Vector2(x * 2 - 1, 1 - y * 2), this.camera);
    return ray;
  }

  /** The first place of a side's mesh ('left' or 'right') under an event: its part, the point, the nearest vertex. */
  hit(event, side = 'left') {
    const { model } = this[side];
    if (!model) return null;
    const all = this.ray(event).intersectObject(model, true);
    const hit = all.find((h) => side === 'right' || this.#shows(h.object));
    if (!hit) return null;
    const places = /** @type {any} */ (hit.object).geometry.attributes.position;
    let vertex = null;
    for (const index of [hit.face.a, hit.face.b, hit.face.c]) {
      const p = new Vector3().fromBufferAttribute(places, index).applyMatrix4(hit.object.matrixWorld);
      if (!vertex || p.distanceTo(hit.point) < vertex.distanceTo(hit.point)) vertex = p;
    }
    return { part: partOf(hit.object), point: hit.point.toArray(), vertex: vertex.toArray() };
  }

  #shows(node) {
    return !this.parts?.hidden.has(partOf(node));
  }

  /** An object in place of a side's mesh; null gives the mesh back. */
  setChart(name, object) {
    if (!this.renderer) return;
    const half = this[name];
    if (half.field) half.scene.remove(half.field);
    half.field = object;
    half.fieldUrl = null;
    if (object) half.scene.add(object);
    this.chart = object ? { half, object } : null;
    this.draw();
  }

  /** The first place of the chart under an event. */
  hitChart(event) {
    const box = this.element.getBoundingClientRect();
    const onRight = event.clientX - box.left > box.width / 2;
    if (!this.chart || (this.wipe === null && onRight !== (this.chart.half === this.right))) return null;
    const [hit] = this.ray(event).intersectObject(this.chart.object, false);
    if (!hit) return null;
    const places = /** @type {any} */ (hit.object).geometry.attributes.position;
    const corners = [hit.face.a, hit.face.b, hit.face.c];
    const near = corners
      .map((index) => new Vector3().fromBufferAttribute(places, index))
      .sort((p, q) => p.distanceTo(hit.point) - q.distanceTo(hit.point));
    return { face: hit.faceIndex, corner: hit.face.a, point: hit.point.toArray(), vertex: near[0].toArray() };
  }

  /** Lines and dots over the chart: seams. */
  setSeams(ends, places) {
    if (!this.renderer) return;
    this.seams.dispose();
    if (ends.length) this.seams.add(lines(ends.flat(2)));
    if (places.length) this.seams.add(dots(places.flat(), 9));
    this.draw();
  }

  /** Which parts of the source are chosen, hidden, and what becomes of each; null shows all alike. */
  setParts(parts) {
    this.parts = parts;
    if (!this.renderer) return;
    this.#dress(this.left);
    this.draw();
  }

  #dressPart(node, material) {
    if (!this.parts) {
      node.visible = true;
      return;
    }
    const part = partOf(node);
    const fate = this.parts.fates[part];
    node.visible = !this.parts.hidden.has(part);
    if (fate === 'omit' || fate === 'imprint') {
      material.transparent = true;
      material.opacity = fate === 'omit' ? 0.22 : 0.6;
      material.depthWrite = fate !== 'omit';
    }
    if (this.parts.chosen.has(part)) {
      material.emissive = new Color(PROTECTED);
      material.emissiveIntensity = 0.35;
    }
  }

  /** Places of a finding, as pairs of ends; equal ends make a dot. Frames them. */
  setMarks(marks) {
    if (!this.renderer) return;
    this.marks.dispose();
    const same = ([a, b]) => a.every((v, k) => v === b[k]);
    const ends = marks.filter((m) => !same(m)).flat(2);
    const places = marks.filter(same).flatMap(([a]) => a);
    if (ends.length) this.marks.add(lines(ends));
    if (places.length) this.marks.add(dots(places, 7));
    if (marks.length) {
      const box = new Box3();
      marks.flat().forEach((p) => box.expandByPoint(new Vector3(...p)));
      // Some surroundings, so that the place is recognised.
      const whole = new Vector3(...this.bounds[1]).distanceTo(new Vector3(...this.bounds[0]));
      box.expandByScalar(Math.max(0.25 * box.getSize(new Vector3()).length(), 0.06 * whole));
      this.frame(box);
    }
    this.draw();
  }

  /** A plane to clip with, see ClipPlane. */
  setPlane(plane, onMove) {
    this.clip?.show(plane, onMove);
  }

  #dress(half) {
    half.model?.traverse((node) => {
      if (!node.isMesh) return;
      const { given, indexed } = node.userData;
      if (this.edges) node.userData.loose ??= indexed.toNonIndexed();
      node.geometry = this.edges ? node.userData.loose : indexed;
      const material = lookOf(this.view, given, indexed);
      if (this.edges) withEdges(material, EDGE);
      if (half === this.left) this.#dressPart(node, material);
      node.material = half === this.right && this.#wears(given) ? new MeshBasicMaterial({ map: this.map, side: DoubleSide }) : material;
    });
  }

  /** Whether what has this material shows the picture that is shown alone. */
  #wears(given) {
    return this.map && (!this.mapOn || given.name === this.mapOn);
  }

  /** Shows one picture alone, without light, on the right side's mesh or on what has a material of this name; null takes it off. */
  async showMap(url, material) {
    await this.#wearMap(url, material, () => new TextureLoader().loadAsync(url));
  }

  /** The same with one of `count` pictures that stand one below the other in the file. */
  async showMapOf(url, index, count) {
    await this.#wearMap(`${url}#${index}`, undefined, async () => {
      const picture = new Image();
      picture.src = url;
      await picture.decode();
      const canvas = document.createElement('canvas');
      [canvas.width, canvas.height] = [picture.width, picture.height / count];
      canvas.getContext('2d').drawImage(picture, 0, -index * canvas.height);
      return new CanvasTexture(canvas);
    });
  }

  async #wearMap(url, material, load) {
    if (!this.renderer) return;
    this.mapUrl = url;
    this.mapOn = material;
    const texture = url ? await load().catch(() => null) : null;
    if (this.mapUrl !== url) return;
    this.map?.dispose();
    this.map = texture;
    this.element.dataset.worn = texture ? url : '';
    if (texture) Object.assign(texture, { flipY: false, colorSpace: SRGBColorSpace, wrapS: RepeatWrapping, wrapT: RepeatWrapping });
    else if (url) this.note.textContent = 'The map could not be loaded. Reload the page to try again.';
    this.#redress();
  }

  /** Lays a mesh over the right side as a thin shell; null takes it off. */
  async setShell(url) {
    if (!this.renderer || this.shellUrl === url) return;
    this.shellUrl = url;
    const model = url ? await this.loader.loadAsync(url).then((gltf) => gltf.scene, () => null) : null;
    if (this.shellUrl !== url) return;
    this.shell.dispose();
    if (model) this.shell.add(shell(model));
    else if (url) this.note.textContent = 'The shell could not be loaded. Reload the page to try again.';
    this.draw();
  }

  setView(view) {
    this.view = view;
    this.#redress();
  }

  setEdges(on) {
    this.edges = on;
    this.#redress();
  }

  /** Shows both in one place, parted at a share of the width (0–1); null puts them side by side. */
  setWipe(at) {
    const before = this.wipe;
    this.wipe = at;
    if ((before === null) !== (at === null)) this.#resize();
    this.draw();
  }

  /** Colours a side ('left' or 'right') by a deviation field in millimetres from 0 to `most`; null takes it off. */
  async setField(name, url, most) {
    if (!this.renderer) return;
    const half = this[name];
    if (half.field) half.scene.remove(half.field);
    half.field?.traverse((node) => node.geometry?.dispose());
    half.field = null;
    half.fieldUrl = url;
    if (url) {
      const model = await this.loader.loadAsync(url).then((gltf) => gltf.scene, () => null);
      if (half.fieldUrl !== url) return;
      if (!model) {
        this.note.textContent = 'The field could not be loaded. Reload the page to try again.';
        return;
      }
      model.traverse((node) => {
        if (node.isMesh) node.material = colourByField(node.geometry, '_deviation', most);
      });
      half.field = model;
      half.scene.add(model);
    }
    this.draw();
  }

  /** Looks at the middle from a direction, from as far as now. */
  lookFrom(direction) {
    if (!this.renderer) return;
    const away = this.camera.position.distanceTo(this.controls.target);
    // Straight down and straight up have no side that is up: a hair off they do.
    const eye = new Vector3(...direction).normalize().add(new Vector3(0, 0, 1e-4)).normalize();
    this.camera.position.copy(this.controls.target).addScaledVector(eye, away);
    this.touched = true;
    this.controls.update();
    this.draw();
  }

  /** Shows the middle as large as a screen does on which a pixel covers `pixel` metres. */
  trueSize(pixel) {
    if (!this.renderer || !this.bounds) return;
    const tan = Math.tan((this.camera.fov * Math.PI) / 360);
    const towards = this.camera.position.clone().sub(this.controls.target).normalize();
    const away = (pixel * this.element.clientHeight) / (2 * tan);
    const size = new Vector3(...this.bounds[0]).distanceTo(new Vector3(...this.bounds[1]));
    this.camera.near = Math.max(away - size, away / 1000, 1e-4);
    this.camera.far = away + size * 4;
    this.camera.updateProjectionMatrix();
    this.camera.position.copy(this.controls.target).addScaledVector(towards, away);
    this.touched = true;
    this.controls.update();
    this.draw();
  }

  setFlick(on) {
    this.flick = on;
    this.element.classList.toggle('flicking', on);
    this.draw();
  }

  #redress() {
    this.#dress(this.left);
    this.#dress(this.right);
    this.draw();
  }

  /** Moves the camera so that the whole asset, or a part of it, fills its half. */
  frame(part) {
    if (!this.renderer || !this.bounds) return;
    const box = part ?? new Box3(new Vector3(...this.bounds[0]), new Vector3(...this.bounds[1]));
    const centre = box.getCenter(new Vector3());
    const towards = new Vector3(0.62, 0.3, 1).normalize();
    const right = new Vector3().crossVectors(new Vector3(0, 1, 0), towards).normalize();
    const up = new Vector3().crossVectors(towards, right);
    const tan = Math.tan((this.camera.fov * Math.PI) / 360);
    const height = this.element.clientHeight;
    const tall = tan * Math.max(0.4, 1 - (ABOVE + BELOW) / height);
    let distance = 0;
    for (let i = 0; i < 8; i++) {
      const corner = new Vector3(
        i & 1 ? box.max.x : box.min.x, i & 2 ? box.max.y : box.min.y, i & 4 ? box.max.z : box.min.z,
      ).sub(centre);
      const out = corner.dot(towards);
      distance = Math.max(
        distance, out + Math.abs(corner.dot(up)) / tall, out + Math.abs(corner.dot(right)) / (tan * this.camera.aspect),
      );
    }
    const size = box.getSize(new Vector3()).length();
    distance *= 1.02;
    this.camera.near = Math.max(distance / 200, size / 1e4);
    this.camera.far = distance + size * 4;
    this.camera.position.copy(centre).addScaledVector(towards, distance);
    this.camera.updateProjectionMatrix();
    this.controls.target.copy(centre);
    this.framed = true;
    this.controls.update();
    this.draw();
  }

  /** The source has the whole stage while there is nothing to stand beside it. */
  #arrange(alone) {
    if (this.alone === alone) return;
    this.alone = alone;
    this.element.classList.toggle('alone', alone);
    this.#resize();
  }

  /** Width of what one camera fills: half the stage, or all of it while the two are wiped or there is only one. */
  #width() {
    return this.isSplit() ? this.element.clientWidth / 2 : this.element.clientWidth;
  }

  #resize() {
    if (!this.renderer) return;
    const { clientWidth, clientHeight: height } = this.element;
    if (!clientWidth || !height) return;
    this.renderer.setSize(clientWidth, height, false);
    const width = this.#width();
    this.camera.aspect = width / height;
    this.camera.setViewOffset(width, height, 0, (BELOW - ABOVE) / 2, width, height);
    if (this.framed && !this.touched) this.frame();
    this.draw();
  }

  /** Whether source and candidate stand side by side. */
  isSplit() {
    return this.wipe === null && !this.alone;
  }

  /** Drags turn the light, whichever tool is active. */
  setLightMode(on) {
    this.lightMode = on;
    this.pointer?.useAbove(on ? this.lightTool : null);
  }

  draw() {
    if (!this.renderer || this.waiting) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = 0;
      this.#render();
    });
  }

  #render() {
    const { clientWidth: width, clientHeight: height } = this.element;
    const half = Math.floor(width / 2);
    this.#aim();
    this.renderer.setScissorTest(true);
    this.renderer.setClearAlpha(0);
    const right = this.flick ? this.left : this.right;
    const line = Math.round((this.wipe ?? 0) * width);
    // Where a camera draws, and the part of it that is shown: from, width.
    const beside = [[0, half, 0, half, this.left], [half, half, half, half, right]];
    const wiped = [[0, width, 0, line, this.left], [0, width, line, width - line, right]];
    const both = this.wipe === null ? beside : wiped;
    const sides = this.alone ? [[0, width, 0, width, this.left]] : both;
    for (const [x, wide, from, shown, side] of sides) {
      this.renderer.setViewport(x, 0, wide, height);
      this.renderer.setScissor(from, 0, shown, height);
      this.renderer.clear();
      if (side.model) side.model.visible = !side.field;
      this.renderer.clippingPlanes = side === this.right && this.opened ? [this.opened] : [];
      if (side.model || side.field) this.renderer.render(side.scene, this.camera);
    }
    this.numbers.place(this.camera, this.alone || this.flick || this.wipe !== null ? null : [half, half, height]);
    // What this picture shows, for whoever has to know that it is there: a side's mesh, what stands in its place, or nothing.
    const shown = (side) => (side.field && 'chart') || (side.model && 'mesh') || '';
    Object.assign(this.element.dataset, { left: shown(this.left), right: shown(this.right) });
    this.element.dataset.drawn = String(Number(this.element.dataset.drawn ?? 0) + 1);
  }

  // The light goes with the camera, so that form reads from every side.
  #aim() {
    const { turn, rise } = this.light;
    const towards = new Vector3(Math.sin(turn) * Math.cos(rise), Math.sin(rise), Math.cos(turn) * Math.cos(rise));
    towards.applyQuaternion(this.camera.quaternion);
    const rim = new Vector3(0.9, 0.25, -0.5).applyQuaternion(this.camera.quaternion);
    for (const side of [this.left, this.right]) {
      side.key.target.position.copy(this.controls.target);
      side.key.position.copy(this.controls.target).add(towards);
      side.rim.target.position.copy(this.controls.target);
      side.rim.position.copy(this.controls.target).add(rim);
    }
  }
}
