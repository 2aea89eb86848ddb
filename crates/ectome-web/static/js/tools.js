// What the pointer does on the stage. One tool is active at a time; without one, and where it lets a press pass, the camera
// moves. Nobody else touches the camera's controls.

/**
 * @typedef {object} Tool
 * @property {(event: PointerEvent) => boolean} down Takes a press (true) or leaves it to the camera.
 * @property {(event: PointerEvent) => void} [move] The pointer moved while a press that was taken is held.
 * @property {(event: PointerEvent, still: boolean) => void} [up] A press ended, taken or not; still: it was a click, no drag.
 * @property {boolean} [draws] The pointer draws on the surface, and looks like it.
 */

/** @typedef {{ part: number | undefined, point: number[], vertex: number[] }} Hit A place of the source. */
/** @typedef {{ face: number, corner: number, point: number[], vertex: number[] }} ChartHit A place of the chart. */

/** Pixels that a click may wander. */
const STILL = 4;

/** Hands presses on the canvas to the active tool. */
export class Pointer {
  #canvas;
  #element;
  #controls;
  /** @type {Tool | null} */
  #tool = null;
  /** @type {Tool | null} */
  #above = null;

  /**
   * @param {HTMLCanvasElement} canvas
   * @param {HTMLElement} element
   * @param {{ enabled: boolean }} controls the camera's
   */
  constructor(canvas, element, controls) {
    this.#canvas = canvas;
    this.#element = element;
    this.#controls = controls;
    canvas.addEventListener('pointerdown', (event) => this.#press(event), { capture: true });
  }

  /** Makes a tool the active one. @param {Tool} tool */
  use(tool) {
    this.#tool = tool;
    this.#look();
  }

  /** Puts a tool away, unless another has taken its place. @param {Tool | undefined} tool */
  release(tool) {
    if (this.#tool === tool) this.#tool = null;
    this.#look();
  }

  /** A tool that comes before the active one for a while; null ends that. @param {Tool | null} tool */
  useAbove(tool) {
    this.#above = tool;
    this.#look();
  }

  /**
   * Lets the active tool take what lies at the first of some places that holds something; true where there was something.
   * @param {any[]} places like events of the pointer
   */
  press(places) {
    const tool = /** @type {any} */ (this.#above ?? this.#tool);
    for (const place of places) {
      const hit = tool?.find?.(place);
      if (hit) {
        tool.take(hit, place);
        return true;
      }
    }
    return false;
  }

  #look() {
    this.#element.classList.toggle('painting', Boolean((this.#above ?? this.#tool)?.draws));
  }

  /** @param {PointerEvent} event */
  #press(event) {
    const tool = this.#above ?? this.#tool;
    if (!tool || event.button !== 0) return;
    const { clientX, clientY, pointerId } = event;
    const taken = tool.down(event);
    if (taken) {
      event.stopPropagation();
      this.#controls.enabled = false;
      this.#canvas.setPointerCapture(pointerId);
    }
    const move = (/** @type {PointerEvent} */ e) => {
      if (taken) tool.move?.(e);
    };
    const end = (/** @type {PointerEvent} */ e) => {
      this.#canvas.removeEventListener('pointermove', move);
      this.#canvas.removeEventListener('pointerup', end);
      this.#canvas.removeEventListener('pointercancel', end);
      this.#controls.enabled = true;
      const still = e.type === 'pointerup' && Math.hypot(e.clientX - clientX, e.clientY - clientY) < STILL;
      tool.up?.(e, still);
    };
    this.#canvas.addEventListener('pointermove', move);
    this.#canvas.addEventListener('pointerup', end);
    this.#canvas.addEventListener('pointercancel', end);
  }
}

/** Turns the light instead of the view. */
export class LightTool {
  /** @param {{ turn: number, rise: number }} light @param {() => void} draw */
  constructor(light, draw) {
    this.light = light;
    this.draw = draw;
  }

  down() {
    return true;
  }

  /** @param {PointerEvent} event */
  move(event) {
    this.light.turn += event.movementX * 0.008;
    this.light.rise = Math.max(-1.4, Math.min(1.5, this.light.rise - event.movementY * 0.008));
    this.draw();
  }
}

/** A click takes what is under it; a drag is the camera's. */
export class PickTool {
  /**
   * @param {(event: PointerEvent) => any} find what is under an event
   * @param {(hit: any, event: PointerEvent) => void} take
   */
  constructor(find, take) {
    this.find = find;
    this.take = take;
  }

  down() {
    return false;
  }

  /** @param {PointerEvent} event @param {boolean} still */
  up(event, still) {
    if (still) this.take(this.find(event), event);
  }
}

/** A drag takes everything it passes over, once a picture. */
export class StrokeTool {
  draws = true;
  /** @type {PointerEvent | null} */
  #waiting = null;

  /**
   * @param {(event: PointerEvent) => any} find what is under an event
   * @param {(hit: any) => void} take
   */
  constructor(find, take) {
    this.find = find;
    this.take = take;
  }

  /** @param {PointerEvent} event */
  down(event) {
    this.move(event);
    return true;
  }

  /** @param {PointerEvent} event */
  move(event) {
    if (!this.#waiting) {
      requestAnimationFrame(() => {
        const hit = this.#waiting && this.find(this.#waiting);
        this.#waiting = null;
        if (hit) this.take(hit);
      });
    }
    this.#waiting = event;
  }
}
