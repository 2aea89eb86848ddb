// Attention: one bar of fixed length, divided. What one share gains its neighbour loses.

const SVG = 'http://www.w3.org/2000/svg';
const HEIGHT = 30;

function make(name, attributes, text) {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  if (text !== undefined) element.textContent = text;
  return element;
}

/** Draws the shares of the fields in `bar` and lets their borders be dragged; `onChange` when let go. */
export class Attention {
  constructor(bar, onChange) {
    this.bar = bar;
    this.onChange = onChange;
    this.input = bar.querySelector('input');
    this.svg = bar.querySelector('svg');
    this.legend = bar.querySelector('.legend');
    this.names = bar.dataset.names.split(',');
    this.shares = this.input.value.split(',').map(Number);
    this.svg.addEventListener('pointerdown', (event) => this.#grab(event));
    this.draw();
  }

  draw() {
    const width = this.svg.clientWidth || 312;
    this.svg.replaceChildren();
    this.legend.replaceChildren();
    let x = 0;
    this.edges = [];
    this.names.forEach((name, i) => {
      const w = (this.shares[i] / 100) * width;
      const part = make('g', { class: `share-${i}` });
      part.append(make('rect', { x, y: 0, width: Math.max(0, w - 1), height: HEIGHT }));
      const full = `${name} ${this.shares[i]}`;
      const fits = w > full.length * 6.4 + 6;
      if (fits || w > 20) {
        part.append(make('text', { x: x + w / 2, y: 20, 'text-anchor': 'middle' }, fits ? full : this.shares[i]));
      }
      part.append(make('title', {}, `${name}: ${this.shares[i]} of 100`));
      this.svg.append(part);
      if (!fits) {
        const entry = document.createElement('span');
        entry.className = `share-${i}`;
        const patch = document.createElement('i');
        entry.append(patch, full);
        this.legend.append(entry);
      }
      x += w;
      if (i + 1 < this.names.length) this.edges.push(x);
    });
    this.edges.forEach((at, i) => {
      const handle = make('rect', {
        class: 'divider', x: at - 4, y: 0, width: 8, height: HEIGHT, tabindex: 0, role: 'slider',
        'aria-label': `${this.names[i]} against ${this.names[i + 1]}`, 'aria-valuemin': 0,
        'aria-valuemax': this.shares[i] + this.shares[i + 1], 'aria-valuenow': this.shares[i],
      });
      handle.addEventListener('keydown', (event) => {
        const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (!by) return;
        event.preventDefault();
        this.#shift(i, this.shares[i] + by);
        this.onChange();
        this.svg.querySelectorAll('.divider')[i].focus();
      });
      this.svg.append(handle);
    });
    this.input.value = this.shares.join(',');
  }

  #shift(i, share) {
    const both = this.shares[i] + this.shares[i + 1];
    this.shares[i] = Math.max(0, Math.min(both, Math.round(share)));
    this.shares[i + 1] = both - this.shares[i];
    this.draw();
  }

  #grab(event) {
    const box = this.svg.getBoundingClientRect();
    const x = event.clientX - box.left;
    const distances = this.edges.map((edge) => Math.abs(edge - x));
    const nearest = distances.indexOf(Math.min(...distances));
    if (distances[nearest] > 14) return;
    event.preventDefault();
    this.svg.setPointerCapture(event.pointerId);
    const before = this.shares.slice(0, nearest).reduce((a, b) => a + b, 0);
    const move = (e) => this.#shift(nearest, ((e.clientX - box.left) / box.width) * 100 - before);
    const done = () => {
      this.svg.removeEventListener('pointermove', move);
      this.svg.removeEventListener('pointerup', done);
      this.onChange();
    };
    this.svg.addEventListener('pointermove', move);
    this.svg.addEventListener('pointerup', done);
  }
}
