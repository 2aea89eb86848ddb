// Numbers that stand at places of the right side, over the canvas.

import { Vector3 } from '../vendor/three-stage.min.js';

export class Numbers {
  /** @param {HTMLElement} element the stage */
  constructor(element) {
    this.element = element;
    /** @type {{ label: HTMLElement, place: any }[]} */
    this.list = [];
  }

  /** Shows the places numbered from 1; none takes all away. @param {number[][]} places */
  show(places) {
    this.list.forEach(({ label }) => label.remove());
    this.list = places.map((place, i) => {
      const label = Object.assign(document.createElement('span'), { className: 'stage-number', textContent: String(i + 1) });
      label.setAttribute('aria-hidden', 'true');
      this.element.append(label);
      return { label, place: new Vector3(...place) };
    });
  }

  /** Puts them where a camera sees their places. @param {any} camera @param {number[] | null} area from, width, height; null hides them */
  place(camera, area) {
    for (const { label, place } of this.list) {
      const seen = place.clone().project(camera);
      const isIn = area !== null && Math.abs(seen.x) < 1 && Math.abs(seen.y) < 1 && seen.z < 1;
      label.hidden = !isIn;
      if (!isIn || !area) continue;
      const [from, width, height] = area;
      label.style.left = `${from + ((seen.x + 1) / 2) * width}px`;
      label.style.top = `${((1 - seen.y) / 2) * height}px`;
    }
  }
}
