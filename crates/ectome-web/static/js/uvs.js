// The UVs step: the sheet and the stage tied together, islands chosen on either, seams marked, forms filled.

import {
  CanvasTexture, Color, DoubleSide, Float32BufferAttribute, Mesh, MeshStandardMaterial, RepeatWrapping, SRGBColorSpace,
} from '../vendor/three-stage.min.js';
import { CHOSEN } from './colours.js';
import { Placing } from './placing.js';
import { Sheet, checker, partColour, viridis } from './sheet.js';
import { PickTool, StrokeTool } from './tools.js';
import { grouped } from './words.js';

const at = (id) => document.getElementById(id);
const CHOSEN_COLOUR = new Color(CHOSEN);
/** Meshes of more triangles than this are shown as outlines only: a browser that draws each of them stands still. */
const HEAVY = 200_000;

export class Uvs {
  /** `choose(number)` puts another candidate on the page. */
  constructor(stage, choose) {
    this.stage = stage;
    this.look = 'checker';
    this.mode = null;
    this.chosen = new Set();
    this.locked = new Set();
    this.marks = [];
    this.lines = [];
    this.from = null;
    /** The checker of the brief's texture size, once it is drawn. */
    this.pattern = null;
    const find = (event) => stage.hitChart(event);
    this.tools = {
      paint: new StrokeTool(find, (hit) => this.#paint(hit)),
      mark: new PickTool(find, (hit) => hit && this.#mark(hit.vertex)),
      pick: new PickTool(find, (hit, event) => {
        const island = hit ? this.surface.island[hit.corner] : -1;
        this.#pick(island, event);
        if (island >= 0) this.sheet.draw();
      }),
    };
    this.sheet = new Sheet(at('uv-canvas'), (island, event) => this.#pick(island, event), (island, place) => this.#say(island, place));
    this.placing = new Placing(this.sheet, () => this.#snaps(), () => this.#tellMoves());
    document.addEventListener('change', ({ target }) => {
      if (target.matches('[data-uv-on]')) choose(Number(target.value));
      if (target.matches('[data-uv-under]')) this.#under(target.value);
      if (target.id === 'uv-maps') this.#lookAtMap(target.value);
      if (target.id === 'uv-textures') {
        this.textures = Number(target.value);
        this.#dress();
      }
    });
    document.addEventListener('click', (event) => this.#click(event));
    // What a form needs to know is put into it when it is sent; then it goes.
    document.addEventListener('click', (event) => {
      const button = event.target.closest('button[form=uv-form], #uv-form button[name=do]');
      if (button) this.#fill(button);
    }, { capture: true });
  }

  /** What the server says now. */
  open(data) {
    this.asset = data.asset;
    const step = at('uvs');
    const host = at('uv-sheet');
    host.hidden = !step;
    this.stage.element.classList.toggle('with-sheet', Boolean(step));
    if (!step) {
      if (this.shown) this.#close();
      return;
    }
    const number = Number(step.dataset.number);
    const mesh = data.candidates.find((c) => c.number === number)?.mesh ?? data.sourceMesh;
    if (mesh !== this.mesh) {
      this.mesh = mesh;
      this.number = number;
      this.#load();
    } else {
      this.#fillMaps();
      this.#dress();
    }
    this.#tell();
    this.#setMode(this.mode);
  }

  #close() {
    this.shown = false;
    this.mesh = null;
    this.stage.setChart('right', null);
    Object.values(this.tools).forEach((tool) => this.stage.release(tool));
    this.stage.setSeams([], []);
  }

  async #load() {
    const mesh = this.mesh;
    this.chosen.clear();
    this.locked.clear();
    this.#clearMarks();
    at('uv-says').textContent = 'The sheet is being read.';
    const answer = await fetch(`/assets/${this.asset}/layouts/${this.number}/sheet`).catch(() => null);
    if (mesh !== this.mesh) return;
    if (!answer?.ok) {
      at('uv-says').textContent = 'The sheet could not be read. Reload the page to try again.';
      this.sheet.show(null, null);
      this.placing.open(null, null, null);
      return;
    }
    this.data = await answer.json();
    this.map = null;
    if (this.look === 'map') this.look = 'checker';
    this.surface = null;
    this.geometry = null;
    this.heavy = this.data.islands.reduce((sum, i) => sum + i.triangles, 0) > HEAVY;
    if (this.data.mesh && !this.heavy) {
      const model = await this.stage.loader.loadAsync(this.data.mesh).then((g) => g.scene, () => null);
      if (mesh !== this.mesh) return;
      model?.traverse((node) => {
        if (node.isMesh) this.geometry = node.geometry;
      });
    }
    if (this.geometry) {
      const { position, uv, _island: island, _density: density, _stretch: stretch } = this.geometry.attributes;
      // The loader leaves UVs as glTF has them: v runs down, as the sheet is drawn.
      const flat = (a) => (a.isInterleavedBufferAttribute ? Float32Array.from({ length: a.count * a.itemSize }, (_, i) => a.getComponent(Math.floor(i / a.itemSize), i % a.itemSize)) : a.array);
      this.surface = {
        count: position.count, uv: flat(uv), island: flat(island), density: flat(density), stretch: flat(stretch),
        index: this.geometry.index.array,
      };
      // What is put by hand moves on the stage too.
      this.geometry.setAttribute('uv', new Float32BufferAttribute(this.surface.uv, 2));
      this.surface.uv = this.geometry.attributes.uv.array;
      this.geometry.computeVertexNormals();
    }
    this.shown = true;
    this.placing.open(this.data, this.surface, this.geometry);
    const view = this.sheet.view && this.kept;
    this.kept = true;
    this.sheet.show(this.data, this.surface);
    if (!view) this.sheet.fit();
    this.#fillParts();
    this.#fillTextures();
    this.#fillMaps();
    this.#dress();
    this.#tell();
    this.#say(-1);
    const under = document.querySelector('[data-uv-under]');
    if (under?.value) this.#under(under.value);
  }

  #fillParts() {
    const select = document.querySelector('[data-uv-part]');
    if (!select || !this.data) return;
    const used = new Set(this.data.islands.map((i) => i.part));
    const options = this.data.parts.flatMap((name, i) => (used.has(i)
      ? [Object.assign(document.createElement('option'), { value: i, textContent: name || `Part ${i + 1}` })] : []));
    select.replaceChildren(select.firstElementChild, ...options);
  }

  /** What has textures of its own lies on a sheet of its own: one of them is shown at a time. */
  #fillTextures() {
    const select = at('uv-textures');
    const used = [...new Set(this.data.islands.map((i) => i.textures))].sort((a, b) => a - b);
    select.hidden = used.length < 2;
    select.replaceChildren(...used.map((t) => Object.assign(document.createElement('option'), {
      value: t, textContent: this.data.textures[t] ?? `textures ${t + 1}`,
    })));
    this.textures = used[0] ?? 0;
  }

  /** Maps that were baked for this candidate, to look at on the sheet. */
  #fillMaps() {
    const { maps = [] } = this.data ?? {};
    const row = at('uv-map-row');
    if (!row) return;
    row.hidden = maps.length === 0;
    const option = (value, textContent) => Object.assign(document.createElement('option'), { value, textContent });
    at('uv-maps').replaceChildren(option('', 'its looks'), ...maps.map((m, i) => option(i, m.name)));
  }

  /** Lays a map on the sheet; its colours say what they stand for under the pointer. */
  async #lookAtMap(value) {
    const map = this.data?.maps[value];
    if (!map) {
      this.look = 'checker';
      this.#dress();
      return;
    }
    const load = (blob) => new Promise((done) => {
      const image = new Image();
      image.onload = () => done(image);
      image.onerror = () => done(null);
      image.src = `/picture/${blob}.png`;
    });
    const data = this.data;
    const pictures = await Promise.all(map.pictures.map(load));
    if (data !== this.data) return;
    this.map = { ...map, pictures, read: [], at: value };
    this.look = 'map';
    this.#dress();
    if (!pictures.every(Boolean)) at('uv-says').textContent = 'The map could not be loaded. Reload the page to try again.';
  }

  /** What the colour of an id map stands for at a place on the sheets. */
  #named([u, v]) {
    const sheet = Math.floor(u);
    const picture = this.map?.pictures[sheet];
    if (!picture || v < 0 || v >= 1 || !Object.keys(this.map.legend).length) return '';
    if (!this.map.read[sheet]) {
      const canvas = Object.assign(document.createElement('canvas'), { width: picture.width, height: picture.height });
      const context = canvas.getContext('2d', { willReadFrequently: true });
      context.drawImage(picture, 0, 0);
      this.map.read[sheet] = context;
    }
    const pixel = this.map.read[sheet].getImageData(Math.floor((u - sheet) * picture.width), Math.floor(v * picture.height), 1, 1).data;
    const hex = `#${[0, 1, 2].map((k) => pixel[k].toString(16).padStart(2, '0')).join('')}`;
    return this.map.legend[hex] ?? '';
  }

  /** Density in powers of two around the brief's, from a quarter to four times, as 0 to 1. */
  #ofDensity(d) {
    return 0.5 + Math.log2(Math.max(d, 1e-6) / this.data.wanted) / 4;
  }

  /** The colour of a vertex in the look that is on, as CSS; null where the ground shows through. */
  #colour() {
    const s = this.surface;
    switch (this.look) {
      case 'density': return (v) => viridis(this.#ofDensity(s.density[v]));
      case 'stretch': return (v) => viridis((s.stretch[v] - 1) / 0.5);
      case 'part': return (v) => partColour(this.data.islands[s.island[v]]?.part ?? 0);
      case 'plain': return () => 'rgb(141 179 168 / 60%)';
      default: return null;
    }
  }

  /** The picture that the mesh on the stage has, if it has one. */
  #texture() {
    let image = null;
    this.stage.right.model?.traverse((node) => { image ??= node.userData.given?.map?.image ?? null; });
    return image;
  }

  #dress() {
    if (!this.data) return;
    document.querySelectorAll('[data-uv-look]').forEach((b) => b.setAttribute('aria-pressed', String(b.dataset.uvLook === this.look)));
    this.pattern ??= checker(this.data.size);
    const ground = { checker: this.pattern, texture: this.#texture(), map: this.map?.pictures }[this.look] ?? null;
    const select = at('uv-maps');
    if (select) select.value = this.look === 'map' ? this.map.at : '';
    this.sheet.setShown((i) => this.data.islands[i]?.textures === this.textures);
    this.sheet.setLook({ colour: this.surface ? this.#colour() : null, ground, names: this.look === 'part' });
    this.sheet.setChosen(this.chosen, this.locked);
    this.#scale();
    this.#chart();
    if (this.look === 'texture' && !ground) at('uv-says').textContent = 'There is no texture on these UVs.';
  }

  #scale() {
    const scale = at('uv-scale');
    scale.hidden = !['density', 'stretch'].includes(this.look);
    const write = (low, mid, high) => ['low', 'middle', 'high'].forEach((k, i) => {
      scale.querySelector(`[data-${k}]`).textContent = [low, mid, high][i];
    });
    const w = this.data.wanted;
    if (this.look === 'density') write(`${grouped(w / 4)}`, `${grouped(w)} texels/m, the brief's`, `${grouped(w * 4)}`);
    if (this.look === 'stretch') write('1, true to size', '1.25', '1.5');
  }

  /** The mesh on the stage: the checker through its UVs, or coloured as the sheet is; chosen islands shine. */
  #chart() {
    if (!this.geometry) {
      this.stage.setChart('right', null);
      return;
    }
    const { count, island } = this.surface;
    const colour = this.#colour();
    const colours = new Float32Array(count * 3);
    const one = new Color();
    for (let v = 0; v < count; v++) {
      if (colour && this.look !== 'plain') one.setStyle(colour(v));
      else one.setRGB(1, 1, 1);
      if (this.chosen.has(island[v])) one.lerp(CHOSEN_COLOUR, colour ? 0.8 : 0.65);
      one.toArray(colours, v * 3);
    }
    this.geometry.setAttribute('color', new Float32BufferAttribute(colours, 3));
    let map = null;
    if (this.look === 'checker') {
      if (!this.checkerMap) {
        this.checkerMap = new CanvasTexture(this.pattern);
        Object.assign(this.checkerMap, { wrapS: RepeatWrapping, wrapT: RepeatWrapping, flipY: false, colorSpace: SRGBColorSpace, anisotropy: 8 });
      }
      map = this.checkerMap;
    } else if (this.look === 'map') {
      map = this.#onStage(this.map.pictures[0]);
    } else if (this.look === 'texture') {
      this.stage.right.model?.traverse((node) => { map ??= node.userData.given?.map ?? null; });
    }
    const material = new MeshStandardMaterial({ vertexColors: true, map, roughness: 0.9, metalness: 0, side: DoubleSide });
    // Scales keep their colours only where light does not wash them out.
    if (colour) material.color.setScalar(0.5);
    const object = new Mesh(this.geometry, material);
    this.object?.material.dispose();
    this.object = object;
    this.stage.setChart('right', object);
  }

  /** A picture as a texture of the mesh on the stage. */
  #onStage(picture) {
    if (!picture) return null;
    const texture = new CanvasTexture(picture);
    return Object.assign(texture, { wrapS: RepeatWrapping, wrapT: RepeatWrapping, flipY: false, colorSpace: SRGBColorSpace });
  }

  async #under(value) {
    if (value === '') {
      this.sheet.setUnder(null);
      return;
    }
    const answer = await fetch(`/assets/${this.asset}/layouts/${value}/sheet`).catch(() => null);
    if (answer?.ok) this.sheet.setUnder((await answer.json()).islands);
    else at('uv-says').textContent = 'The UVs to lay under could not be read.';
  }

  /** An island was clicked on the sheet, or -1. */
  #pick(island, event) {
    if (!event.shiftKey && !event.ctrlKey && !event.metaKey) {
      const only = this.chosen.size === 1 && this.chosen.has(island);
      this.chosen.clear();
      if (only) island = -1;
    }
    if (island >= 0) {
      if (this.chosen.has(island)) this.chosen.delete(island);
      else this.chosen.add(island);
    }
    this.#chosenChanged();
    this.#say(island);
  }

  #chosenChanged() {
    this.sheet.setChosen(this.chosen, this.locked);
    this.#chart();
    this.#tell();
  }

  /** Writes down what is chosen, marked and locked. */
  #tell() {
    const says = at('chosen-says');
    if (!says) return;
    const n = this.chosen.size;
    says.textContent = n === 0 ? 'none chosen; click them, with Shift for more' : n === 1 ? '1 chosen' : `${grouped(n)} chosen`;
    says.dataset.count = String(n);
    document.querySelectorAll('#uv-form [data-needs]').forEach((b) => {
      const needs = Number(b.dataset.needs);
      b.disabled = needs === 2 ? n !== 2 : n < needs;
    });
    const [drawn, rubbed] = [true, false].map((seam) => this.marks.filter((m) => m.seam === seam).length);
    const parts = [];
    if (drawn) parts.push(`${drawn} marked`);
    if (rubbed) parts.push(`${rubbed} rubbed out`);
    if (this.from) parts.push('pick where it ends');
    at('seams-say').textContent = parts.length ? `Seams: ${parts.join(', ')}` : 'No seams marked';
    this.#tellMoves();
    const unlock = at('unlock');
    unlock.hidden = this.locked.size === 0;
    unlock.textContent = `Unlock all ${this.locked.size}`;
  }

  /** What a drag keeps to, in widths of the sheet; null where it is free. */
  #snaps() {
    const fields = at('uv-form').elements;
    if (!fields.keep_clear.checked) return null;
    const texels = (name) => (Number(fields[name].value) || 0) / this.data.size;
    return { padding: texels('padding'), border: texels('border') };
  }

  /** Says what was put by hand and is not made yet. */
  #tellMoves() {
    const says = at('moves-say');
    if (!says || !this.data) return;
    const { moves, now } = this.placing;
    const figures = ({ by, turn, size }) => [
      `${by.map((v) => Math.round(v * this.data.size)).join(', ')} texels`,
      turn && `${Math.round(turn * 10) / 10}°`,
      size !== 1 && `×${size}`,
    ].filter(Boolean).join(', ');
    const last = now ?? moves.at(-1);
    const count = moves.length === 1 ? '1 move not made yet' : `${moves.length} moves not made yet`;
    says.textContent = now ? figures(now) : last ? `${count}, the last ${figures(last)}` : 'Nothing moved';
    ['moves-back', 'moves-forget', 'moves-make'].forEach((id) => { at(id).disabled = moves.length === 0; });
  }

  #say(island, place) {
    const says = at('uv-says');
    const i = this.data?.islands[island];
    if (!i) {
      says.textContent = '';
      if (this.heavy) says.textContent = 'Outlines only: cut it below 200 000 triangles to pick islands.';
      else if (this.data && !this.surface) says.textContent = 'No UVs yet.';
      return;
    }
    const stacked = this.data.islands.filter((o) => o.stack === i.stack).length;
    const named = this.look === 'map' && place ? this.#named(place) : '';
    says.textContent = [
      named && `${this.map.name}: ${named}`,
      this.data.parts[i.part] || `Part ${i.part + 1}`,
      `${grouped(i.triangles)} triangles`,
      `${grouped(i.density)} texels/m`,
      `stretch ${i.stretch.toFixed(3)}`,
      stacked > 1 ? `${stacked} stacked` : '',
      i.inside_out ? 'inside-out' : '',
      i.overlaps ? 'overlaps' : '',
    ].filter(Boolean).join(' · ');
  }

  #setMode(mode) {
    this.mode = mode;
    this.from = null;
    document.querySelectorAll('[data-uv-mode]').forEach((b) => b.setAttribute('aria-pressed', String(b.dataset.uvMode === mode)));
    if (!at('uvs')) return;
    this.placing.on = mode === 'place';
    this.sheet.draw();
    this.stage.use(this.tools[{ paint: 'paint', seam: 'mark', close: 'mark' }[mode] ?? 'pick']);
    this.#tell();
  }

  /** A stroke passes over an island. */
  #paint(hit) {
    const island = this.surface.island[hit.corner];
    if (island < 0 || this.chosen.has(island)) return;
    this.chosen.add(island);
    this.#chosenChanged();
  }

  async #mark(vertex) {
    if (!this.from) {
      this.from = vertex;
      this.stage.setSeams(this.lines, [vertex]);
      this.#tell();
      return;
    }
    const [from, to] = [this.from, vertex];
    this.from = null;
    const address = `/assets/${this.asset}/layouts/${this.number}/path?from=${from.join(',')}&to=${to.join(',')}`;
    const answer = await fetch(address).catch(() => null);
    if (answer?.ok) {
      this.marks.push({ from, to, seam: this.mode !== 'close' });
      this.lines.push(...await answer.json());
      at('form-fault').textContent = '';
    } else {
      const page = new DOMParser().parseFromString(await answer?.text() ?? '', 'text/html');
      at('form-fault').textContent = page.querySelector('.sentence')?.textContent ?? 'The server did not answer.';
    }
    this.stage.setSeams(this.lines, []);
    this.#tell();
  }

  #clearMarks() {
    this.marks = [];
    this.lines = [];
    this.from = null;
    this.stage.setSeams([], []);
  }

  #click(event) {
    const button = event.target.closest('button');
    if (!button) return;
    const { uvLook, uvZoom, uvShow, uvMode } = button.dataset;
    if (uvLook) {
      this.look = uvLook;
      this.#say(-1);
      this.#dress();
    }
    if (uvZoom === 'fit') this.sheet.fit();
    else if (uvZoom) this.sheet.zoom(uvZoom === 'in' ? 1.4 : 1 / 1.4);
    if (uvShow) {
      this.chosen = new Set(uvShow.split(',').map(Number));
      const [first] = this.chosen;
      at('uv-textures').value = String(this.data.islands[first]?.textures ?? 0);
      this.textures = Number(at('uv-textures').value);
      this.#dress();
      this.#chosenChanged();
      this.sheet.frame([...this.chosen]);
    }
    if (uvMode) this.#setMode(this.mode === uvMode ? null : uvMode);
    switch (button.id) {
      case 'moves-back':
      case 'moves-forget':
        this.placing.takeBack(button.id === 'moves-forget');
        break;
      case 'move-typed':
        this.#typed();
        break;
      case 'seams-clear':
        this.#clearMarks();
        this.#tell();
        break;
      case 'choose-none':
        this.chosen.clear();
        this.#chosenChanged();
        break;
      case 'lock-chosen':
        this.chosen.forEach((i) => this.locked.add(i));
        this.chosen.clear();
        this.#chosenChanged();
        break;
      case 'unlock':
        this.locked.clear();
        this.#chosenChanged();
        break;
      default:
    }
  }

  /** Moves what is chosen by the figures beside it. */
  #typed() {
    const read = (name, fallback) => Number(at('uv-form').querySelector(`[data-move=${name}]`).value.replace(',', '.')) || fallback;
    if (this.chosen.size === 0) {
      at('form-fault').textContent = 'Choose the islands to move first: click them on the sheet or on the stage.';
      return;
    }
    this.placing.type({ u: read('u', 0), v: read('v', 0), turn: read('turn', 0), size: read('size', 1) }, this.data.size);
  }

  /** Puts what is chosen into the form before it goes. */
  #fill(button) {
    const form = at('uv-form');
    const { uvChoose, fit, part } = button.dataset;
    const chosen = uvChoose ? uvChoose.split(',').map(Number) : [...this.chosen];
    const spots = (list) => JSON.stringify(list.map((i) => this.data?.islands[i]?.spot).filter(Boolean));
    form.elements.chosen.value = chosen.length ? spots(chosen) : '';
    form.elements.locked.value = this.locked.size ? spots([...this.locked]) : '';
    form.elements.marks.value = this.marks.length ? JSON.stringify(this.marks) : '';
    form.elements.fit.value = fit ?? '';
    form.elements.moves.value = this.placing.moves.length ? JSON.stringify(this.placing.sent()) : '';
    form.querySelector('input[name=part]')?.remove();
    const select = form.querySelector('[data-uv-part]');
    if (part !== undefined && select?.value) {
      form.append(Object.assign(document.createElement('input'), { type: 'hidden', name: 'part', value: select.value }));
    }
  }
}
