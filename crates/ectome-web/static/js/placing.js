// Islands put by hand: dragged, turned by a round grip and sized by a square one, with what they keep from others.

import { token } from './sheet.js';

/** How near a box has to come to a line to be drawn to it, and how near a pointer to a grip, in pixels. */
const PULL = 7;
const GRIP = 9;
/** Degrees that turning falls into while it snaps. */
const TURN_STEP = 5;

/** What a move does to a place: turned and sized about `about`, then shifted; as the server does it. */
export function moved({ about: [a, b], turn, size, by }, u, v) {
  const [sin, cos] = [Math.sin((turn * Math.PI) / 180) * size, Math.cos((turn * Math.PI) / 180) * size];
  return [a + cos * (u - a) - sin * (v - b) + by[0], b + sin * (u - a) + cos * (v - b) + by[1]];
}

/** The box around islands: least u and v, most u and v; null when there are none. */
function boxOf(islands) {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (const { outline } of islands) {
    for (let i = 0; i < outline.length; i += 2) {
      box[0] = Math.min(box[0], outline[i]);
      box[1] = Math.min(box[1], outline[i + 1]);
      box[2] = Math.max(box[2], outline[i]);
      box[3] = Math.max(box[3], outline[i + 1]);
    }
  }
  return box[0] <= box[2] ? box : null;
}

export class Placing {
  /** `changed()` is called when a move is added or taken back; `snaps()` says what a drag keeps to, or null. */
  constructor(sheet, snaps, changed) {
    this.sheet = sheet;
    this.snaps = snaps;
    this.changed = changed;
    this.moves = [];
    this.on = false;
    this.now = null;
    sheet.hands = this;
  }

  /** Another layout: what was moved before is forgotten. */
  open(data, surface, geometry) {
    this.data = data;
    this.surface = surface;
    this.geometry = geometry;
    this.moves = [];
    this.now = null;
    this.given = data && { outlines: data.islands.map((i) => i.outline), uv: surface && surface.uv.slice() };
  }

  /** The chosen islands and those stacked on them. */
  #group() {
    const stacks = new Set([...this.sheet.chosen].map((i) => this.data?.islands[i]?.stack));
    return this.data?.islands.flatMap((one, i) => (stacks.has(one.stack) && this.sheet.shows(i) ? [i] : [])) ?? [];
  }

  #box() {
    return this.on ? boxOf(this.#group().map((i) => this.data.islands[i])) : null;
  }

  /** Places of the grips, in widths of the sheet; `side` is the width in pixels. @param {number[]} box @param {number} side */
  #grips([u0, v0, u1, v1], side) {
    const away = 22 / side;
    // At the top of the sheet there is no room above: it hangs below.
    const turn = [(u0 + u1) / 2, v0 < away ? v1 + away : v0 - away];
    return { turn, size: [u1 + away / 2, v1 + away / 2] };
  }

  /**
   * What a press at a place of the sheet takes hold of; null when it is the sheet itself.
   * @param {number[]} place @param {number} side @param {number} island
   */
  grab([u, v], side, island) {
    const box = this.#box();
    if (!box) return null;
    const middle = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    const near = (/** @type {number[]} */ [a, b]) => Math.hypot(a - u, b - v) * side <= GRIP;
    const grips = this.#grips(box, side);
    const start = { about: middle, turn: 0, size: 1, by: [0, 0] };
    const [toU, toV] = [u - middle[0], v - middle[1]];
    let move = null;
    if (near(grips.turn)) {
      move = ([x, y]) => {
        const turned = Math.atan2(y - middle[1], x - middle[0]) - Math.atan2(toV, toU);
        const degrees = (turned * 180) / Math.PI;
        const step = this.snaps() ? TURN_STEP : 0.1;
        return { ...start, turn: Math.round(degrees / step) * step };
      };
    } else if (near(grips.size)) {
      move = ([x, y]) => {
        const size = Math.hypot(x - middle[0], y - middle[1]) / Math.hypot(toU, toV);
        return { ...start, size: Math.min(20, Math.max(0.05, Math.round(size * 100) / 100)) };
      };
    } else if (this.#group().includes(island)) {
      move = ([x, y]) => ({ ...start, by: this.#snapped([x - u, y - v], box, side) });
    }
    return move && {
      move: (place) => {
        this.now = move(place);
        this.sheet.draw();
        this.changed();
      },
      done: () => {
        const one = this.now;
        this.now = null;
        if (one) this.add(one);
      },
    };
  }

  /** A shift drawn to the padding from other islands, to lines that their boxes stand on, and to the border. */
  #snapped(by, box, side) {
    const keeps = this.snaps();
    if (!keeps) return by;
    const { padding, border } = keeps;
    const group = new Set(this.#group());
    const boxes = this.data.islands.flatMap((one, i) => (group.has(i) || !this.sheet.shows(i) ? [] : [boxOf([one])])).filter(Boolean);
    const sheet = Math.floor((box[0] + box[2]) / 2 + by[0]);
    return [0, 1].map((axis) => {
      const [low, high] = [box[axis] + by[axis], box[axis + 2] + by[axis]];
      const start = axis === 0 ? sheet : 0;
      let best = { off: PULL / side, by: 0 };
      const pull = (from, to) => {
        if (Math.abs(to - from) < best.off) best = { off: Math.abs(to - from), by: to - from };
      };
      pull(low, start + border);
      pull(high, start + 1 - border);
      for (const other of boxes) {
        // Only what lies beside it along the other axis.
        const across = 1 - axis;
        const [a, b] = [box[across] + by[across], box[across + 2] + by[across]];
        if (b < other[across] - padding || a > other[across + 2] + padding) continue;
        pull(low, other[axis + 2] + padding);
        pull(high, other[axis] - padding);
        pull(low, other[axis]);
        pull(high, other[axis + 2]);
      }
      return by[axis] + best.by;
    });
  }

  /** Shifts what is chosen by texels, from the keyboard; false where there is nothing to shift. */
  nudge(u, v, size) {
    const box = this.#box();
    if (!box) return false;
    this.add({ about: [0, 0], turn: 0, size: 1, by: [u / size, v / size] });
    return true;
  }

  /** Moves what is chosen by figures: texels, degrees, times the size. */
  type({ u, v, turn, size }, texels) {
    const box = this.#box() ?? boxOf(this.#group().map((i) => this.data.islands[i]));
    if (!box) return;
    const about = [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2];
    this.add({ about, turn, size, by: [u / texels, v / texels] });
  }

  add(move) {
    const islands = this.#group();
    if (islands.length === 0) return;
    const one = { ...move, islands };
    this.moves.push(one);
    this.#apply(one);
    this.#refresh();
  }

  /** The last move goes; all of them with `all`. */
  takeBack(all) {
    this.moves = all ? [] : this.moves.slice(0, -1);
    this.data.islands.forEach((island, i) => { island.outline = this.given.outlines[i]; });
    if (this.surface) this.surface.uv.set(this.given.uv);
    this.moves.forEach((one) => this.#apply(one));
    this.#refresh();
  }

  #apply(move) {
    const group = new Set(move.islands);
    for (const i of group) {
      const island = this.data.islands[i];
      const from = island.outline;
      island.outline = from.map((_, k) => moved(move, from[k - (k % 2)], from[k - (k % 2) + 1])[k % 2]);
    }
    const { uv, island } = this.surface ?? { uv: [], island: [] };
    for (let v = 0; v < island.length; v++) {
      if (group.has(island[v])) [uv[2 * v], uv[2 * v + 1]] = moved(move, uv[2 * v], uv[2 * v + 1]);
    }
  }

  #refresh() {
    delete this.sheet.canvas.dataset.held;
    if (this.geometry) this.geometry.attributes.uv.needsUpdate = true;
    this.sheet.relaid();
    this.changed();
  }

  /** The moves as the form sends them. */
  sent() {
    return this.moves.map(({ islands, about, turn, size, by }) => ({
      at: islands.map((i) => this.data.islands[i].spot), about, turn, size, by,
    }));
  }

  /** What is held, at the place it is held, and the grips; in widths of the sheet. */
  draw(c, side) {
    const box = this.#box();
    if (!box) return;
    c.strokeStyle = token('--kelp');
    if (this.now) {
      c.lineWidth = 2 / side;
      c.beginPath();
      for (const i of this.#group()) {
        const { outline } = this.data.islands[i];
        for (let k = 0; k < outline.length; k += 4) {
          c.moveTo(...moved(this.now, outline[k], outline[k + 1]));
          c.lineTo(...moved(this.now, outline[k + 2], outline[k + 3]));
        }
      }
      c.stroke();
      return;
    }
    c.lineWidth = 1 / side;
    c.setLineDash([4 / side, 3 / side]);
    c.strokeRect(box[0], box[1], box[2] - box[0], box[3] - box[1]);
    c.setLineDash([]);
    const { turn, size } = this.#grips(box, side);
    // Where they are in pixels of the canvas, for scripts that take hold of them.
    const { x, y } = this.sheet.view;
    const pixel = (/** @type {number[]} */ [u, v]) => [x + u * side, y + v * side];
    this.sheet.canvas.dataset.held = JSON.stringify({ turn: pixel(turn), size: pixel(size), low: pixel(box.slice(0, 2)), high: pixel(box.slice(2)) });
    c.fillStyle = token('--sheet');
    c.lineWidth = 2 / side;
    c.beginPath();
    c.arc(...turn, 6 / side, 0, 2 * Math.PI);
    c.rect(size[0] - 5 / side, size[1] - 5 / side, 10 / side, 10 / side);
    c.fill();
    c.stroke();
  }
}
