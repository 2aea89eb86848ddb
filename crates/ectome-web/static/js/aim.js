// The stage by the keyboard: arrows turn the view, plus and minus bring it nearer, and Enter does at the cross in the middle what a
// click or a brush does under the pointer.

import { Vector3 } from '../vendor/three-stage.min.js';

/** Radians that an arrow turns, and how much nearer plus brings. */
const TURN = Math.PI / 36;
const NEARER = 0.87;

export class Aim {
  /** @param {import('./stage.js').Stage} stage @param {HTMLCanvasElement} canvas */
  constructor(stage, canvas) {
    this.stage = stage;
    this.canvas = canvas;
    this.crosses = [0, 1].map(() => Object.assign(document.createElement('i'), { className: 'aim' }));
    canvas.after(...this.crosses);
    canvas.addEventListener('focus', () => this.#place());
    canvas.addEventListener('keydown', (event) => {
      if (event.ctrlKey || event.metaKey || event.altKey || !this.#does(event)) return;
      this.#place();
      event.preventDefault();
      event.stopPropagation();
    });
  }

  /** Middles of what is shown, in pixels of the canvas, the candidate's first. */
  #middles() {
    const { clientWidth: width, clientHeight: height } = this.canvas;
    const shares = this.stage.isSplit() ? [0.75, 0.25] : [0.5];
    return shares.map((share) => ({ x: width * share, y: height / 2 }));
  }

  #place() {
    const middles = this.#middles();
    this.crosses.forEach((cross, i) => {
      cross.hidden = i >= middles.length;
      if (middles[i]) Object.assign(cross.style, { left: `${middles[i].x}px`, top: `${middles[i].y}px` });
    });
  }

  /** @param {KeyboardEvent} event */
  #does(event) {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    if (by) this.#turn(by[0] * TURN, by[1] * TURN);
    else if (event.key === '+' || event.key === '=') this.#nearer(NEARER);
    else if (event.key === '-') this.#nearer(1 / NEARER);
    else if (event.key === 'Enter') return this.#press(event);
    else return false;
    return true;
  }

  #turn(across, down) {
    if (this.stage.lightMode) {
      this.stage.light.turn += across;
      this.stage.light.rise = Math.max(-1.4, Math.min(1.5, this.stage.light.rise - down));
      this.stage.draw();
      return;
    }
    const { camera, controls } = this.stage;
    const away = new Vector3().subVectors(camera.position, controls.target);
    const far = away.length();
    const around = Math.atan2(away.x, away.z) + across;
    const fromTop = Math.max(0.05, Math.min(Math.PI - 0.05, Math.acos(away.y / far) + down));
    const flat = far * Math.sin(fromTop);
    away.set(flat * Math.sin(around), far * Math.cos(fromTop), flat * Math.cos(around));
    camera.position.copy(controls.target).add(away);
    this.#moved();
  }

  #nearer(by) {
    const { camera, controls } = this.stage;
    camera.position.sub(controls.target).multiplyScalar(by).add(controls.target);
    this.#moved();
  }

  #moved() {
    this.stage.touched = true;
    this.stage.controls.update();
    this.stage.draw();
  }

  /** What the active tool takes at the first cross under which there is something. */
  #press(event) {
    const box = this.canvas.getBoundingClientRect();
    const places = this.#middles().map(({ x, y }) => ({
      target: this.canvas, clientX: box.left + x, clientY: box.top + y, shiftKey: event.shiftKey, ctrlKey: false, metaKey: false,
    }));
    return this.stage.pointer.press(places);
  }
}
