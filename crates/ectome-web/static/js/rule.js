// The Rule: a logarithmic scale of triangles with source, candidates, tiers, gates and a pin to cut by.

import { grouped, length, short } from './words.js';

const SVG = 'http://www.w3.org/2000/svg';
const LEFT = 88;
const RIGHT = 30;
const BASE = 82;
const TOP = 22;

function make(name, attributes, text) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text !== undefined) element.textContent = text;
  return element;
}

/** Draws into `svg`. `onTarget(n)` is told while the pin moves, `onShow(number)` when a mark is chosen. */
export class Rule {
  constructor(svg, onTarget, onShow) {
    this.svg = svg;
    this.onTarget = onTarget;
    this.onShow = onShow;
    this.data = null;
    this.target = 0;
    new ResizeObserver(() => this.draw()).observe(svg);
    // Labels are measured; before the fonts are there they measure wrong.
    document.fonts.ready.then(() => this.draw());
    svg.addEventListener('pointerdown', (event) => this.#grab(event));
  }

  show(data) {
    this.data = data;
    this.draw();
  }

  setTarget(n) {
    this.target = n;
    this.draw();
  }

  #range() {
    const heavy = 10 ** (Math.log10(Math.max(this.data.source, 1000)) + 0.04);
    const least = Math.min(
      200,
      ...this.data.gates.map((g) => g.triangles / 1.6),
      ...this.data.candidates.map((c) => c.triangles / 1.3),
    );
    return [heavy, Math.max(4, least)];
  }

  #x(n) {
    const [heavy, light] = this.#range();
    const share = Math.log(heavy / n) / Math.log(heavy / light);
    return LEFT + share * (this.width - LEFT - RIGHT);
  }

  #count(x) {
    const [heavy, light] = this.#range();
    const share = (x - LEFT) / (this.width - LEFT - RIGHT);
    const n = heavy * (light / heavy) ** Math.min(1, Math.max(0, share));
    // Two digits are as fine as a hand can mean it.
    const unit = 10 ** Math.max(0, Math.floor(Math.log10(n)) - 1);
    return Math.max(4, Math.min(this.data.source - 1, Math.round(n / unit) * unit));
  }

  draw() {
    if (!this.data?.source) return;
    this.width = this.svg.clientWidth || 1280;
    this.svg.replaceChildren();
    this.#zone();
    this.#scale();
    this.#deviations();
    this.#gates();
    this.#marks();
    this.#pin();
  }

  #add(name, attributes, text) {
    const element = make(name, attributes, text);
    this.svg.append(element);
    return element;
  }

  // Heavier than every gate: hatched, so that it reads without colour.
  #zone() {
    const first = Math.max(...this.data.gates.map((g) => g.triangles));
    if (!Number.isFinite(first) || first >= this.data.source) return;
    const width = this.#x(first) - LEFT;
    const pattern = make('pattern', { id: 'hatch', class: 'zone-hatch', width: 8, height: 8, patternUnits: 'userSpaceOnUse' });
    pattern.append(make('path', { d: 'M-2 10 10 -2M-2 2 2 -2M6 10 10 6' }));
    this.#add('defs', {}).append(pattern);
    this.#add('rect', { class: 'zone', x: LEFT, y: TOP, width, height: BASE - TOP });
    this.#add('rect', { fill: 'url(#hatch)', x: LEFT, y: TOP, width, height: BASE - TOP });
  }

  #scale() {
    const right = this.width - RIGHT;
    this.#add('line', { class: 'axis', x1: LEFT, x2: right, y1: BASE, y2: BASE });
    const [heavy, light] = this.#range();
    let last = -Infinity;
    for (let decade = 10 ** Math.floor(Math.log10(heavy)); decade >= 1; decade /= 10) {
      for (const step of [9, 8, 7, 6, 5, 4, 3, 2, 1]) {
        const n = step * decade;
        if (n > heavy || n < light) continue;
        const x = this.#x(n);
        const major = step === 1 || step === 2 || step === 5;
        this.#add('line', { class: 'tick', x1: x, x2: x, y1: BASE, y2: BASE + (major ? 7 : 4) });
        if (major && x - last > 40 && x < right - 10) {
          this.#add('text', { x, y: BASE + 25, 'text-anchor': 'middle' }, short(n));
          last = x;
        }
      }
    }
  }

  // Deviation on a log scale of its own: the curve the analysis expects, and what cuts really cost.
  #deviations() {
    const made = this.data.candidates.filter((c) => c.deviationMm > 0);
    const curve = (this.data.curve ?? []).filter(([n, mm]) => mm > 0 && n >= this.#range()[1]);
    const all = [...made.map((c) => c.deviationMm), ...curve.map(([, mm]) => mm)];
    const worst = all.length ? Math.max(...all) : 10;
    const high = Math.log10(worst * 1.25);
    const low = high - 4;
    const y = (mm) => {
      const share = (high - Math.log10(Math.max(mm, 1e-9))) / (high - low);
      return TOP + 3 + Math.min(1, Math.max(0, share)) * (BASE - TOP - 9);
    };
    if (curve.length > 1) {
      const points = curve.map(([n, mm]) => `${this.#x(n).toFixed(1)} ${y(mm).toFixed(1)}`);
      const [first, last] = [this.#x(curve[0][0]), this.#x(curve.at(-1)[0])];
      this.#add('path', { class: 'curve-under', d: `M${first} ${BASE}L${points.join('L')}L${last} ${BASE}Z` });
      this.#add('path', { class: 'curve', d: `M${points.join('L')}` });
    }
    let lastY = -Infinity;
    for (const mm of [1000, 100, 10, 1, 0.1, 0.01].filter((level) => level <= worst * 1.25 && Math.log10(level) > low)) {
      if (y(mm) - lastY < 13) continue;
      lastY = y(mm);
      this.#add('line', { class: 'grid', x1: LEFT, x2: this.width - RIGHT, y1: lastY, y2: lastY });
      this.#add('text', { x: LEFT - 8, y: lastY + 4, 'text-anchor': 'end' }, length(mm));
    }
    for (const c of made) {
      const x = this.#x(c.triangles);
      const dot = this.#add('circle', { class: 'measured', cx: x, cy: y(c.deviationMm), r: 3.5 });
      dot.append(make('title', {}, `Candidate ${c.number}: measured deviation up to ${length(c.deviationMm)}`));
    }
  }

  /** The deviation to expect at a count, in millimetres, or null before the analysis; between places as `ErrorCurve::error_m`. */
  #expected(n) {
    const curve = this.data.curve;
    if (!curve?.length) return null;
    const at = curve.findIndex(([count]) => count <= n);
    if (at <= 0) return at === 0 ? curve[0][1] : curve.at(-1)[1];
    const [[heavy, less], [light, more]] = [curve[at - 1], curve[at]];
    const share = Math.log(heavy / n) / Math.log(heavy / light);
    return less > 0 && more > 0 ? less * (more / less) ** share : less + (more - less) * share;
  }

  #flagText() {
    const mm = this.#expected(this.target);
    if (mm === null) return grouped(this.target);
    const pixels = mm / (this.data.pixelAtOneMetreMm * this.data.nearest);
    const exact = pixels < 10 ? pixels.toFixed(1) : grouped(pixels);
    return `${grouped(this.target)} · about ${length(mm)} · ${exact} px at ${this.data.nearest} m`;
  }

  // Limits: labels stand left of their line in the top row, where the pin never reaches.
  #gates() {
    let free = Infinity;
    const gates = [...this.data.gates].sort((a, b) => a.triangles - b.triangles);
    for (const gate of gates) {
      const x = this.#x(gate.triangles);
      this.#add('line', { class: 'gate', x1: x, x2: x, y1: 6, y2: BASE });
      const text = `LOD${gate.tier} ≤ ${grouped(gate.triangles)}`;
      const label = this.#add('text', { class: 'gate-label', x: x - 6, y: 16, 'text-anchor': 'end' }, text);
      if (x - 6 > free) label.remove();
      else free = x - 12 - label.getBBox().width;
    }
  }

  #marks() {
    const source = this.#x(this.data.source);
    this.#add('circle', { class: 'source', cx: source, cy: BASE, r: 6 }).append(
      make('title', {}, `Source: ${grouped(this.data.source)} triangles`),
    );
    this.#add('text', { x: source, y: BASE - 11, 'text-anchor': 'middle' }, 'source');
    const marks = [...this.data.candidates].sort((a, b) => (a.tier ?? -1) - (b.tier ?? -1));
    for (const c of marks) {
      const x = this.#x(c.triangles);
      const chosen = c.number === this.data.shown ? ' shown' : '';
      const group = this.#add('g', {});
      if (c.tier === null || c.tier === undefined) {
        group.append(make('path', { class: `candidate${chosen}`, d: `M${x} ${BASE - 7}l7 7-7 7-7-7z` }));
      } else {
        const gate = this.data.gates.find((g) => g.tier === c.tier);
        const over = gate && c.triangles > gate.triangles ? ' over' : '';
        group.append(make('rect', { class: `tier-mark${over}`, x: x - 8, y: BASE - 8, width: 16, height: 16, rx: 2 }));
        group.append(make('text', { class: 'tier-text', x, y: BASE + 4.5 }, c.tier));
      }
      if (c.pinned) group.append(make('text', { class: 'pinned', x, y: BASE - 12, 'text-anchor': 'middle' }, grouped(c.triangles)));
      group.append(make('title', {}, `Candidate ${c.number}: ${grouped(c.triangles)} triangles. Show it.`));
      group.addEventListener('pointerdown', (event) => event.stopPropagation());
      group.addEventListener('click', () => this.onShow(c.number));
    }
  }

  #pin() {
    const x = this.#x(this.target);
    const pin = this.#add('g', {
      class: 'pin', tabindex: 0, role: 'slider', 'aria-label': 'Triangles, at most',
      'aria-valuemin': 4, 'aria-valuemax': this.data.source - 1, 'aria-valuenow': this.target,
      'aria-valuetext': `${this.target} triangles`,
    });
    pin.append(make('rect', { class: 'grip', x: x - 10, y: 0, width: 20, height: 116 }));
    pin.append(make('line', { x1: x, x2: x, y1: TOP - 2, y2: BASE + 11 }));
    const text = make('text', { y: 44 }, this.#flagText());
    const flag = make('rect', { y: 29, height: 21, rx: 2 });
    pin.append(flag, text);
    const size = text.getBBox().width + 16;
    const toLeft = x + size > this.width - 8;
    flag.setAttribute('x', toLeft ? x - size : x);
    flag.setAttribute('width', size);
    text.setAttribute('x', (toLeft ? x - size : x) + 8);
    pin.addEventListener('keydown', (event) => this.#key(event));
  }

  #key(event) {
    const ends = { Home: this.data.source - 1, End: 4 };
    const factor = { ArrowRight: 0.95, ArrowUp: 1.05, ArrowLeft: 1.05, ArrowDown: 0.95, PageDown: 0.5, PageUp: 2 }[event.key];
    const wanted = ends[event.key] ?? (factor && Math.round(this.target * factor));
    if (!wanted) return;
    event.preventDefault();
    this.#move(Math.max(4, Math.min(this.data.source - 1, wanted)));
    this.svg.querySelector('.pin')?.focus();
  }

  #grab(event) {
    if (!this.data?.source) return;
    event.preventDefault();
    this.svg.setPointerCapture(event.pointerId);
    const follow = (e) => this.#move(this.#count(e.clientX - this.svg.getBoundingClientRect().left));
    follow(event);
    const done = () => {
      this.svg.removeEventListener('pointermove', follow);
      this.svg.removeEventListener('pointerup', done);
      this.svg.removeEventListener('pointercancel', done);
    };
    this.svg.addEventListener('pointermove', follow);
    this.svg.addEventListener('pointerup', done);
    this.svg.addEventListener('pointercancel', done);
  }

  #move(n) {
    this.target = n;
    this.draw();
    this.onTarget(n);
  }
}
