// The UV sheet: islands drawn on a canvas, to be moved, zoomed and picked. It draws on demand.

import { CHECKER, VIRIDIS } from './colours.js';

/** Texels of a cell of the checker, and cells of a tile of it. */
const CELL = 64;
/** Pixels across the picture that coloured triangles are drawn into once. */
const PICTURE = 1536;
/** Beyond this many pixels across, triangles are drawn one by one instead of from that picture. */
const FINE = 2200;

export const token = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Our checker: cells of two tones, each with a corner cut off to show which way is up and whether it is mirrored. */
export function drawChecker(context, size, cells) {
  const step = size / cells;
  const [light, dark, ink] = CHECKER;
  for (let y = 0; y < cells; y++) {
    for (let x = 0; x < cells; x++) {
      context.fillStyle = (x + y) % 2 ? light : dark;
      context.fillRect(x * step, y * step, step + 0.5, step + 0.5);
      context.fillStyle = ink;
      context.beginPath();
      context.moveTo(x * step + 0.12 * step, y * step + 0.12 * step);
      context.lineTo(x * step + 0.4 * step, y * step + 0.12 * step);
      context.lineTo(x * step + 0.12 * step, y * step + 0.58 * step);
      context.fill();
      context.fillRect(x * step, y * step, step, Math.max(1, step * 0.03));
      context.fillRect(x * step, y * step, Math.max(1, step * 0.03), step);
    }
  }
}

/** A colour of a scale from 0 to 1, as CSS. */
export function viridis(at) {
  const x = Math.min(1, Math.max(0, at)) * (VIRIDIS.length - 1);
  const low = Math.min(Math.floor(x), VIRIDIS.length - 2);
  const mix = (shift) => {
    const [a, b] = [VIRIDIS[low], VIRIDIS[low + 1]].map((hex) => (hex >> shift) & 255);
    return Math.round(a + (b - a) * (x - low));
  };
  return `rgb(${mix(16)},${mix(8)},${mix(0)})`;
}

/** A quiet colour for a part: hues a golden angle apart. */
export const partColour = (part) => `hsl(${(40 + part * 137.508) % 360},32%,${52 + (part % 3) * 8}%)`;

/** Stripes one way, or both. */
function hatch(both) {
  const tile = Object.assign(document.createElement('canvas'), { width: 12, height: 12 });
  const c = tile.getContext('2d');
  c.strokeStyle = token('--rust');
  c.lineWidth = 2;
  const line = (...p) => {
    c.beginPath();
    c.moveTo(p[0], p[1]);
    c.lineTo(p[2], p[3]);
    c.stroke();
  };
  for (const shift of [-12, 0, 12]) {
    line(shift, 12, shift + 12, 0);
    if (both) line(shift, 0, shift + 12, 12);
  }
  return tile;
}

export class Sheet {
  /** `onPick(island, event)` with the island clicked, or -1; `onHover(island, place)` while the pointer moves. */
  constructor(canvas, onPick, onHover) {
    this.canvas = canvas;
    this.onPick = onPick;
    this.onHover = onHover;
    this.chosen = new Set();
    this.locked = new Set();
    /** What takes hold of islands, where islands can be put by hand. */
    this.hands = null;
    /** @type {(island: number) => boolean} */
    this.shows = () => true;
    this.view = null;
    new ResizeObserver(() => this.draw()).observe(canvas);
    matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => this.draw());
    canvas.addEventListener('pointerdown', (event) => this.#grab(event));
    canvas.addEventListener('pointermove', (event) => this.onHover(this.islandAt(event), this.placeAt(event)));
    canvas.addEventListener('pointerleave', () => this.onHover(-1, null));
    canvas.addEventListener('wheel', (event) => {
      event.preventDefault();
      this.zoom(Math.exp(-event.deltaY * 0.0015), event.offsetX, event.offsetY);
    }, { passive: false });
    canvas.addEventListener('keydown', (event) => {
      const step = { ArrowLeft: [40, 0], ArrowRight: [-40, 0], ArrowUp: [0, 40], ArrowDown: [0, -40] }[event.key];
      const by = event.shiftKey ? 16 : 1;
      if (step && this.hands?.nudge(...step.map((s) => -Math.sign(s) * by), this.data?.size)) this.draw();
      else if (step) this.#move(...step);
      else if (event.key === '+') this.zoom(1.25);
      else if (event.key === '-') this.zoom(0.8);
      else if (event.key === 'PageDown') this.#next(1, event);
      else if (event.key === 'PageUp') this.#next(-1, event);
      else return;
      event.preventDefault();
      event.stopPropagation();
    });
  }

  /** By the keyboard from one island that is shown to the next: it is picked, beside the others with Shift. */
  #next(step, event) {
    const count = this.data?.islands.length ?? 0;
    for (let k = 1; k <= count; k++) {
      const island = (((this.last ?? (step > 0 ? -1 : 0)) + k * step) % count + count) % count;
      if (!this.shows(island)) continue;
      this.last = island;
      this.onPick(island, event);
      return;
    }
  }

  /**
   * `data` is what the server says; `surface` has `uv` (two figures a vertex), `index`, and `island` (one a vertex).
   * Both are null where there is nothing to show.
   */
  show(data, surface) {
    this.data = data;
    this.surface = surface;
    this.picture = null;
    this.whole = null;
    this.outlines = null;
    if (data) {
      this.outlines = data.islands.map((i) => path(i.outline));
      this.sheets = data.sheets;
    }
    if (surface) this.#index();
    if (!this.view) this.fit();
    this.draw();
  }

  /** Outlines and UVs of what is shown have changed. */
  relaid() {
    this.picture = null;
    this.whole = null;
    this.outlines = this.data.islands.map((i) => path(i.outline));
    if (this.surface) this.#index();
    this.draw();
  }

  /** Only islands for which `shows(island)` is true are drawn and found. */
  setShown(shows) {
    this.shows = shows;
    this.picture = null;
    this.whole = null;
    this.draw();
  }

  /** Outlines of another mesh, drawn beneath; null for none. */
  setUnder(islands) {
    this.under = islands ? path(islands.flatMap((i) => i.outline)) : null;
    this.draw();
  }

  /**
   * `colour(vertex)` gives the colour of a triangle by its first vertex; without it islands show `ground`, a picture or a list of
   * one for each sheet. `names` writes the name of each part on it.
   */
  setLook({ colour, ground, names = false }) {
    this.colour = colour;
    this.names = names;
    this.ground = ground;
    this.picture = null;
    this.draw();
  }

  #groundOf(sheet) {
    return Array.isArray(this.ground) ? this.ground[sheet] ?? null : this.ground;
  }

  setChosen(chosen, locked) {
    this.chosen = chosen;
    this.locked = locked;
    this.draw();
  }

  /** The whole in view. */
  fit() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (!w || !h) return;
    const wide = this.sheets ?? 1;
    const side = Math.min((w - 32) / wide, h - 130);
    this.view = { side, x: (w - side * wide) / 2, y: 48 + (h - 130 - side) / 2 };
    this.draw();
  }

  zoom(by, x = this.canvas.clientWidth / 2, y = this.canvas.clientHeight / 2) {
    if (!this.view) return;
    const side = Math.min(60000, Math.max(80, this.view.side * by));
    const factor = side / this.view.side;
    this.view = { side, x: x - (x - this.view.x) * factor, y: y - (y - this.view.y) * factor };
    this.#glide();
  }

  /** Moves some islands into view. */
  frame(numbers) {
    const all = numbers.flatMap((i) => this.data?.islands[i]?.outline ?? []);
    if (!all.length) return;
    const along = (k) => all.filter((_, i) => i % 2 === k);
    const ends = (list) => list.reduce(([l, h], v) => [Math.min(l, v), Math.max(h, v)], [Infinity, -Infinity]);
    const [[x0, x1], [y0, y1]] = [ends(along(0)), ends(along(1))];
    const { clientWidth: w, clientHeight: h } = this.canvas;
    const side = Math.min(0.6 * w / Math.max(x1 - x0, 0.02), 0.6 * h / Math.max(y1 - y0, 0.02), 6000);
    this.view = { side, x: w / 2 - (side * (x0 + x1)) / 2, y: h / 2 - (side * (y0 + y1)) / 2 };
    this.draw();
  }

  #grab(event) {
    if (event.button > 1) return;
    this.canvas.setPointerCapture(event.pointerId);
    const held = this.hands?.grab(this.placeAt(event), this.view?.side ?? 1, this.islandAt(event));
    let moved = 0;
    const move = (e) => {
      moved += Math.abs(e.movementX) + Math.abs(e.movementY);
      if (moved <= 4) return;
      if (held) held.move(this.placeAt(e));
      else this.#move(e.movementX, e.movementY);
    };
    const up = (e) => {
      this.canvas.removeEventListener('pointermove', move);
      this.canvas.removeEventListener('pointerup', up);
      if (moved <= 4) this.onPick(this.islandAt(e), e);
      else held?.done();
    };
    this.canvas.addEventListener('pointermove', move);
    this.canvas.addEventListener('pointerup', up);
  }

  #move(dx, dy) {
    if (!this.view) return;
    this.view.x += dx;
    this.view.y += dy;
    this.#glide();
  }

  /** Files triangles by the cell of a grid over the sheets, so that a pointer finds its island at once. */
  #index() {
    const { uv, index } = this.surface;
    const n = 64;
    this.cells = new Map();
    for (let t = 0; t < index.length; t += 3) {
      const xs = [0, 1, 2].map((k) => uv[2 * index[t + k]]);
      const ys = [0, 1, 2].map((k) => uv[2 * index[t + k] + 1]);
      const [x0, x1] = [Math.min(...xs), Math.max(...xs)].map((v) => Math.floor(v * n));
      const [y0, y1] = [Math.min(...ys), Math.max(...ys)].map((v) => Math.floor(v * n));
      if ((x1 - x0) * (y1 - y0) > 1e5) continue;
      for (let y = y0; y <= y1; y++) {
        for (let x = x0; x <= x1; x++) {
          const key = y * 100003 + x;
          if (!this.cells.has(key)) this.cells.set(key, []);
          this.cells.get(key).push(t);
        }
      }
    }
  }

  /** The place on the sheets under the pointer: U and V, V running down. */
  placeAt(event) {
    const { side, x, y } = this.view ?? { side: 1, x: 0, y: 0 };
    return [(event.offsetX - x) / side, (event.offsetY - y) / side];
  }

  /** The island under an event, or -1. */
  islandAt(event) {
    if (!this.surface || !this.view) return -1;
    const { uv, index, island } = this.surface;
    const [x, y] = this.placeAt(event);
    for (const t of this.cells.get(Math.floor(y * 64) * 100003 + Math.floor(x * 64)) ?? []) {
      if (!this.shows(island[index[t]])) continue;
      const [ax, ay, bx, by, cx, cy] = [0, 1, 2].flatMap((k) => [uv[2 * index[t + k]], uv[2 * index[t + k] + 1]]);
      const side = (px, py, qx, qy) => (qx - px) * (y - py) - (qy - py) * (x - px);
      const [d, e, f] = [side(ax, ay, bx, by), side(bx, by, cx, cy), side(cx, cy, ax, ay)];
      if ((d >= 0 && e >= 0 && f >= 0) || (d <= 0 && e <= 0 && f <= 0)) return island[index[t]];
    }
    return -1;
  }

  draw() {
    if (this.waiting) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = 0;
      this.#render();
    });
  }

  #triangles(context, scale, dx, dy, within) {
    const { uv, index, island } = this.surface;
    let last = null;
    for (let t = 0; t < index.length; t += 3) {
      if (!this.shows(island[index[t]])) continue;
      const p = [0, 1, 2].map((k) => [uv[2 * index[t + k]] * scale + dx, uv[2 * index[t + k] + 1] * scale + dy]);
      if (within && (Math.max(p[0][0], p[1][0], p[2][0]) < 0 || Math.min(p[0][0], p[1][0], p[2][0]) > within[0]
        || Math.max(p[0][1], p[1][1], p[2][1]) < 0 || Math.min(p[0][1], p[1][1], p[2][1]) > within[1])) continue;
      const colour = this.colour?.(index[t]) ?? '#000';
      if (colour !== last) {
        context.fillStyle = colour;
        context.strokeStyle = colour;
        last = colour;
      }
      context.beginPath();
      context.moveTo(...p[0]);
      context.lineTo(...p[1]);
      context.lineTo(...p[2]);
      context.closePath();
      context.fill();
      context.stroke();
    }
  }

  #render() {
    const { clientWidth: w, clientHeight: h } = this.canvas;
    if (!w || !h) return;
    if (!this.view) this.fit();
    const ratio = Math.min(window.devicePixelRatio, 2);
    const [wide, high] = [Math.round(w * ratio), Math.round(h * ratio)];
    if (this.canvas.width !== wide || this.canvas.height !== high) {
      this.canvas.width = wide;
      this.canvas.height = high;
    }
    const c = this.canvas.getContext('2d');
    c.setTransform(ratio, 0, 0, ratio, 0, 0);
    c.clearRect(0, 0, w, h);
    const { side, x, y } = this.view;
    for (let s = 0; s < (this.sheets ?? 1); s++) {
      c.fillStyle = token('--sheet');
      c.fillRect(x + s * side, y, side, side);
      const ground = this.#groundOf(s);
      if (ground) {
        c.globalAlpha = 0.22;
        c.drawImage(ground, x + s * side, y, side, side);
        c.globalAlpha = 1;
      }
      c.strokeStyle = token('--ink-2');
      c.lineWidth = 1;
      c.strokeRect(x + s * side, y, side, side);
    }
    if (this.surface && (this.colour || this.ground)) {
      c.lineWidth = 0.6;
      if (this.colour && !this.moving && side * this.sheets > FINE) this.#triangles(c, side, x, y, [w, h]);
      else {
        if (!this.picture) {
          const tall = Math.round(PICTURE / Math.max(1, this.sheets));
          this.picture = Object.assign(document.createElement('canvas'), { width: tall * this.sheets, height: tall });
          const inner = this.picture.getContext('2d');
          inner.lineWidth = 0.6;
          this.#triangles(inner, tall, 0, 0, null);
          if (!this.colour) {
            // The ground, where islands are.
            inner.globalCompositeOperation = 'source-in';
            const whole = Object.assign(document.createElement('canvas'), { width: tall * this.sheets, height: tall });
            for (let s = 0; s < this.sheets; s++) {
              const ground = this.#groundOf(s);
              if (ground) whole.getContext('2d').drawImage(ground, s * tall, 0, tall, tall);
            }
            inner.drawImage(whole, 0, 0);
          }
        }
        c.drawImage(this.picture, x, y, side * this.sheets, side);
      }
    }
    if (!this.data) return;
    c.save();
    c.translate(x, y);
    c.scale(side, side);
    if (this.under) {
      c.lineWidth = 1.6 / side;
      c.strokeStyle = token('--brass');
      c.setLineDash([5 / side, 4 / side]);
      c.stroke(this.under);
      c.setLineDash([]);
    }
    this.#faults(c, side);
    c.lineWidth = 1 / side;
    c.strokeStyle = token('--ink');
    // One path for all: thousands of strokes would be thousands of passes.
    this.whole ??= path(this.data.islands.flatMap((one, i) => (this.shows(i) ? one.outline : [])));
    if (this.moving) c.drawImage(this.#lines(), 0, 0, this.sheets, 1);
    else c.stroke(this.whole);
    c.strokeStyle = token('--kelp');
    c.lineWidth = 3.5 / side;
    for (const i of this.chosen) if (this.outlines[i] && this.shows(i)) c.stroke(this.outlines[i]);
    c.lineWidth = 3 / side;
    c.strokeStyle = token('--ink');
    c.setLineDash([2 / side, 3 / side]);
    for (const i of this.locked) if (this.outlines[i]) c.stroke(this.outlines[i]);
    c.setLineDash([]);
    this.hands?.draw(c, side);
    c.restore();
    if (this.names) this.#names(c);
    this.canvas.dataset.drawn = String(Number(this.canvas.dataset.drawn ?? 0) + 1);
  }

  /** The name of each part over the middle of its largest island, where the island has room for it. */
  #names(c) {
    const { side, x, y } = this.view;
    const largest = new Map();
    this.data.islands.forEach((island, i) => {
      const best = largest.get(island.part);
      if (this.shows(i) && (!best || island.area_m2 > best.area_m2)) largest.set(island.part, island);
    });
    c.font = '13px "Plex Condensed", sans-serif';
    c.textAlign = 'center';
    c.textBaseline = 'middle';
    c.lineWidth = 3;
    for (const [part, { outline }] of largest) {
      const along = (k) => outline.filter((_, i) => i % 2 === k);
      const [us, vs] = [along(0), along(1)];
      const [u0, u1] = [us.reduce((a, b) => Math.min(a, b)), us.reduce((a, b) => Math.max(a, b))];
      const [v0, v1] = [vs.reduce((a, b) => Math.min(a, b)), vs.reduce((a, b) => Math.max(a, b))];
      const name = this.data.parts[part] || `Part ${part + 1}`;
      if ((u1 - u0) * side < 0.7 * c.measureText(name).width) continue;
      const at = [x + (side * (u0 + u1)) / 2, y + (side * (v0 + v1)) / 2];
      c.strokeStyle = token('--sheet');
      c.strokeText(name, ...at);
      c.fillStyle = token('--ink');
      c.fillText(name, ...at);
    }
  }

  /** All outlines as a picture, for while the sheet moves. */
  #lines() {
    if (this.linesOf !== this.whole) {
      this.linesOf = this.whole;
      const tall = Math.round(PICTURE / Math.max(1, this.sheets));
      this.linePicture = Object.assign(document.createElement('canvas'), { width: tall * this.sheets, height: tall });
      const inner = this.linePicture.getContext('2d');
      inner.scale(tall, tall);
      inner.lineWidth = 2 / tall;
      inner.strokeStyle = token('--ink');
      inner.stroke(this.whole);
    }
    return this.linePicture;
  }

  /** Draws quickly now, and well when nothing has moved for a moment. */
  #glide() {
    this.moving = true;
    clearTimeout(this.settle);
    this.settle = setTimeout(() => {
      this.moving = false;
      this.draw();
    }, 160);
    this.draw();
  }

  /** Inside-out islands are hatched, overlapping ones cross-hatched. */
  #faults(c, side) {
    if (!this.surface) return;
    const { uv, index, island } = this.surface;
    const marked = this.data.islands.map((i) => (i.overlaps ? 2 : i.inside_out ? 1 : 0))
      .map((kind, i) => (this.shows(i) ? kind : 0));
    if (!marked.some(Boolean)) return;
    for (const kind of [1, 2]) {
      if (!marked.includes(kind)) continue;
      const area = new Path2D();
      for (let t = 0; t < index.length; t += 3) {
        if (marked[island[index[t]]] !== kind) continue;
        for (let k = 0; k < 3; k++) {
          const [px, py] = [uv[2 * index[t + k]], uv[2 * index[t + k] + 1]];
          if (k) area.lineTo(px, py);
          else area.moveTo(px, py);
        }
        area.closePath();
      }
      const pattern = c.createPattern(hatch(kind === 2), 'repeat');
      pattern.setTransform(new DOMMatrix().scale(1 / side));
      c.fillStyle = pattern;
      c.fill(area, 'nonzero');
    }
  }
}

function path(sides) {
  const p = new Path2D();
  for (let i = 0; i < sides.length; i += 4) {
    p.moveTo(sides[i], sides[i + 1]);
    p.lineTo(sides[i + 2], sides[i + 3]);
  }
  return p;
}

/** The checker as a picture for a sheet of `size` texels. */
export function checker(size) {
  const canvas = Object.assign(document.createElement('canvas'), { width: 1024, height: 1024 });
  drawChecker(canvas.getContext('2d'), 1024, Math.max(4, Math.round(size / CELL)));
  return canvas;
}
