// What is laid over the meshes of the stage: lines, dots and balls that come and go together.

import {
  BufferGeometry, DoubleSide, Float32BufferAttribute, InstancedMesh, LineBasicMaterial, LineSegments, Matrix4, Mesh, MeshBasicMaterial,
  Points, PointsMaterial, SphereGeometry,
} from '../vendor/three-stage.min.js';
import { PROTECTED, MARKED } from './colours.js';

/** Objects of one kind in one scene. */
export class Layer {
  /** @type {any[]} */
  #objects = [];

  /** @param {import('../vendor/three-stage.min.js').Scene} scene */
  constructor(scene) {
    this.scene = scene;
  }

  /** Lays something over the rest. @param {any} object */
  add(object) {
    this.scene.add(object);
    this.#objects.push(object);
  }

  /** Takes all of it away. */
  dispose() {
    for (const object of this.#objects) {
      this.scene.remove(object);
      object.geometry.dispose();
      object.material.dispose();
      object.dispose?.();
    }
    this.#objects = [];
  }
}

const OVER = { color: MARKED, depthTest: false, transparent: true };

/** @param {number[]} flat places, three numbers each */
const shape = (flat) => new BufferGeometry().setAttribute('position', new Float32BufferAttribute(flat, 3));

/** Lines in front of everything. @param {number[]} flat both ends of each */
export function lines(flat) {
  const object = new LineSegments(shape(flat), new LineBasicMaterial(OVER));
  object.renderOrder = 2;
  return object;
}

/** Dots in front of everything. @param {number[]} flat @param {number} size in pixels */
export function dots(flat, size) {
  const object = new Points(shape(flat), new PointsMaterial({ ...OVER, size, sizeAttenuation: false }));
  object.renderOrder = 2;
  return object;
}

/** A mesh as a thin shell over the rest. @param {any} model what a file of one mesh holds */
export function shell(model) {
  /** @type {any} */
  let geometry = null;
  model.traverse((/** @type {any} */ node) => { geometry ??= node.geometry ?? null; });
  const look = new MeshBasicMaterial({ color: PROTECTED, transparent: true, opacity: 0.28, side: DoubleSide, depthWrite: false });
  const object = new Mesh(geometry, look);
  object.renderOrder = 1;
  return object;
}

/** Balls of a protected region. @param {{ at: number[], radius: number }[]} list */
export function balls(list) {
  const look = new MeshBasicMaterial({ color: PROTECTED, transparent: true, opacity: 0.5, depthWrite: false });
  const object = new InstancedMesh(new SphereGeometry(1, 16, 10), look, list.length);
  list.forEach(({ at: [x, y, z], radius }, i) => {
    object.setMatrixAt(i, new Matrix4().makeScale(radius, radius, radius).setPosition(x, y, z));
  });
  return object;
}
