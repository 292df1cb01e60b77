/** The camera: orbiting with the pointer and the keyboard, and framing what there is. */
import * as THREE from "three";
import type { Camera, Three } from "../api/client";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";

/** How much of the view the subject may fill. */
const MARGIN = 0.9;
const VIEW_FROM = new THREE.Vector3(-1.22, -1.12, 0.74).normalize();

/** What is to be seen: points of it, its middle and the radius of the ball around it. */
export interface Subject {
  points: THREE.Vector3[];
  middle: THREE.Vector3;
  radius: number;
}

/** Where a camera stands, what it looks at, and its lens from the lower to the upper edge, in degrees. */
export type Seen = Pick<Camera, "position" | "target" | "angle">;

const three = (v: THREE.Vector3) => v.toArray().map((n) => Number(n.toPrecision(7))) as Three;

export class View {
  readonly camera = new THREE.PerspectiveCamera(27, 1, 0.05, 100);
  private readonly controls: OrbitControls;

  constructor(
    canvas: HTMLCanvasElement,
    private readonly changed: () => void,
    /** Told once somebody has moved it. */
    private readonly moved: () => void,
  ) {
    this.camera.up.set(0, 0, 1);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.maxPolarAngle = Math.PI * 0.97;
    this.controls.addEventListener("change", changed);
    this.controls.addEventListener("end", moved);
  }

  dispose() {
    this.controls.dispose();
  }

  /** Whether the pointer turns and moves the camera. */
  setTurning(on: boolean) {
    this.controls.enabled = on;
  }

  setAspect(aspect: number) {
    this.camera.aspect = aspect;
    this.camera.updateProjectionMatrix();
  }

  /** Bring the subject into view from the first direction. */
  frame(subject: Subject) {
    const { middle, distance } = this.fitted(VIEW_FROM, subject);
    this.controls.target.copy(middle);
    this.camera.position.copy(middle).addScaledVector(VIEW_FROM, distance);
    this.camera.near = distance / 100;
    this.camera.far = distance * 20;
    this.camera.updateProjectionMatrix();
    this.controls.minDistance = subject.radius * 0.2;
    this.controls.maxDistance = subject.radius * 16;
    this.update();
  }

  /** Where it stands, what it looks at, and its lens. */
  get seen(): Seen {
    return { position: three(this.camera.position), target: three(this.controls.target), angle: Math.round(this.camera.fov * 100) / 100 };
  }

  /** Look from there. */
  look({ position, target, angle }: Seen) {
    this.camera.position.fromArray(position);
    this.controls.target.fromArray(target);
    const distance = this.camera.position.distanceTo(this.controls.target);
    this.camera.fov = angle;
    this.camera.near = distance / 100;
    this.camera.far = distance * 20;
    this.camera.updateProjectionMatrix();
    this.controls.minDistance = Math.min(this.controls.minDistance, distance);
    this.controls.maxDistance = Math.max(this.controls.maxDistance, distance);
    this.update();
  }

  /** Another lens: the camera goes nearer or further, so that what it looks at stays as large. */
  setAngle(angle: number) {
    const tall = (degrees: number) => Math.tan(THREE.MathUtils.degToRad(degrees / 2));
    const { position, target, angle: before } = this.seen;
    const scale = tall(before) / tall(angle);
    this.look({ target, angle, position: position.map((p, k) => target[k]! + (p - target[k]!) * scale) as Three });
  }

  private update(moved = false) {
    this.controls.update();
    this.changed();
    if (moved) this.moved();
  }

  /** Where to look at, and from how far, so that all just fits the view from a direction. */
  private fitted(direction: THREE.Vector3, { points, middle, radius }: Subject): { middle: THREE.Vector3; distance: number } {
    const tall = Math.tan(THREE.MathUtils.degToRad(this.camera.fov / 2)) * MARGIN;
    const wide = tall * this.camera.aspect;
    const side = new THREE.Vector3().crossVectors(this.camera.up, direction).normalize();
    const up = new THREE.Vector3().crossVectors(direction, side);
    if (points.length === 0) return { middle, distance: radius * 4 };
    const around = points.map((p) => p.clone().sub(middle));
    let distance = radius * 0.1;
    let across = 0;
    let above = 0;
    // The middle of what is seen moves with the distance: a few rounds settle it.
    for (let round = 0; round < 6; round++) {
      const seen = around.map((c) => {
        const depth = Math.max(distance - c.dot(direction), radius * 0.05);
        return { x: (c.dot(side) - across) / depth, y: (c.dot(up) - above) / depth };
      });
      const [left, right] = [Math.min(...seen.map((s) => s.x)), Math.max(...seen.map((s) => s.x))];
      const [low, high] = [Math.min(...seen.map((s) => s.y)), Math.max(...seen.map((s) => s.y))];
      across += ((left + right) / 2) * distance;
      above += ((low + high) / 2) * distance;
      distance *= Math.max((right - left) / 2 / wide, (high - low) / 2 / tall);
      distance = Math.max(distance, radius * 0.1);
      if (round === 0) distance = Math.max(distance, radius * 2);
    }
    return { middle: middle.clone().addScaledVector(side, across).addScaledVector(up, above), distance };
  }

  /** Turn about the middle, in radians. */
  orbit(around: number, up: number) {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const spherical = new THREE.Spherical().setFromVector3(new THREE.Vector3(offset.x, offset.z, -offset.y));
    spherical.theta += around;
    spherical.phi = THREE.MathUtils.clamp(spherical.phi - up, 0.05, Math.PI * 0.97);
    const turned = new THREE.Vector3().setFromSpherical(spherical);
    this.camera.position.copy(this.controls.target).add(new THREE.Vector3(turned.x, -turned.z, turned.y));
    this.update(true);
  }

  /** Move nearer (factor below 1) or further. */
  zoom(factor: number) {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const length = THREE.MathUtils.clamp(offset.length() * factor, this.controls.minDistance, this.controls.maxDistance);
    this.camera.position.copy(this.controls.target).add(offset.setLength(length));
    this.update(true);
  }

  /** Move sideways and up, in parts of the view. */
  pan(x: number, y: number) {
    const distance = this.camera.position.distanceTo(this.controls.target);
    const scale = distance * Math.tan(THREE.MathUtils.degToRad(this.camera.fov / 2)) * 2;
    const side = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 0).multiplyScalar(x * scale);
    const up = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 1).multiplyScalar(y * scale);
    this.camera.position.add(side).add(up);
    this.controls.target.add(side).add(up);
    this.update(true);
  }

  /** Where a point is on a canvas of that size, in CSS pixels; null behind the camera. */
  project(point: THREE.Vector3, width: number, height: number): { x: number; y: number } | null {
    const v = point.clone().project(this.camera);
    return v.z > 1 ? null : { x: ((v.x + 1) / 2) * width, y: ((1 - v.y) / 2) * height };
  }
}

/** Some of the points, evenly through the array: enough to frame by. */
export function sampled(positions: Float32Array): THREE.Vector3[] {
  const count = positions.length / 3;
  const stride = Math.max(1, Math.floor(count / 1500));
  const points: THREE.Vector3[] = [];
  for (let k = 0; k < count; k += stride) points.push(new THREE.Vector3().fromArray(positions, 3 * k));
  return points;
}
