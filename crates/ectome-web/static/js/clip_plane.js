// The plane to clip with: drawn over the source, dragged and tilted.

import {
  BufferGeometry, DoubleSide, LineBasicMaterial, LineSegments, Mesh, MeshBasicMaterial, Plane, PlaneGeometry,
  SphereGeometry, Vector3,
} from '../vendor/three-stage.min.js';
import { MARKED } from './colours.js';

export class ClipPlane {
  constructor(stage) {
    this.stage = stage;
    this.plane = null;
  }

  /**
   * Shows a plane through `point` with `normal`; null takes it away. Dragging it moves it along its normal, dragging the
   * knob on its normal tilts it; both call `onMove` with its place and its normal.
   */
  show(plane, onMove) {
    const { left, bounds } = this.stage;
    if (this.plane) left.scene.remove(this.plane);
    this.plane = null;
    this.onMove = onMove;
    if (plane && bounds) {
      const size = new Vector3(...bounds[1]).distanceTo(new Vector3(...bounds[0]));
      const look = { color: MARKED, transparent: true, opacity: 0.32, side: DoubleSide, depthWrite: false };
      this.plane = new Mesh(new PlaneGeometry(size, size), new MeshBasicMaterial(look));
      const solid = new MeshBasicMaterial({ color: MARKED, depthTest: false });
      this.reach = size * 0.3;
      this.knob = new Mesh(new SphereGeometry(size * 0.022, 20, 12), solid);
      this.knob.position.z = this.reach;
      const stem = new BufferGeometry().setFromPoints([new Vector3(), this.knob.position]);
      const line = new LineSegments(stem, new LineBasicMaterial({ color: MARKED, depthTest: false }));
      for (const part of [line, this.knob]) part.renderOrder = 3;
      this.plane.add(line, this.knob);
      this.#place(new Vector3(...plane.point), new Vector3(...plane.normal).normalize());
      left.scene.add(this.plane);
      this.stage.use(this);
    } else {
      this.stage.release(this);
    }
    this.stage.draw();
  }

  #place(point, normal) {
    this.normal = normal;
    this.plane.position.copy(point);
    this.plane.lookAt(point.clone().add(normal));
  }

  /** Takes the plane or its knob if it lies under the pointer. */
  down(event) {
    if (!this.plane) return false;
    this.stage.left.scene.updateMatrixWorld();
    const ray = this.stage.ray(event);
    const tilting = ray.intersectObject(this.knob).length > 0;
    if (!tilting && !ray.intersectObject(this.plane, false).length) return false;
    const [start, normal] = [this.plane.position.clone(), this.normal.clone()];
    this.drag = { tilting, start, normal, from: this.#along(event, start, normal) };
    return true;
  }

  move(event) {
    const { tilting, start, normal, from } = this.drag;
    if (tilting) this.#place(start, this.#towards(event, start, normal));
    else this.#place(start.clone().addScaledVector(normal, this.#along(event, start, normal) - from), normal);
    this.onMove?.(this.plane.position.toArray(), this.normal.toArray());
    this.stage.draw();
  }

  #view() {
    return this.stage.camera.getWorldDirection(new Vector3());
  }

  /** The place along the normal nearest to the ray under the pointer. */
  #along(event, start, normal) {
    const across = new Vector3().crossVectors(normal, this.#view()).cross(normal).normalize();
    const facing = new Plane().setFromNormalAndCoplanarPoint(across, start);
    const at = this.stage.ray(event).ray.intersectPlane(facing, new Vector3());
    return at ? at.sub(start).dot(normal) : 0;
  }

  /**
   * The knob stays on a ball around the plane's place: under the pointer, on the half it was taken on; where the pointer
   * leaves the ball, at the ball's rim.
   */
  #towards(event, start, normal) {
    const behind = normal.dot(this.#view()) > 0;
    const { ray } = this.stage.ray(event);
    const middle = ray.closestPointToPoint(start, new Vector3()).sub(start);
    const room = this.reach * this.reach - middle.lengthSq();
    if (room > 0) middle.addScaledVector(ray.direction, (behind ? 1 : -1) * Math.sqrt(room));
    return middle.normalize();
  }
}
