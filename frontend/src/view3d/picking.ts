/** Picking: which element of which population lies under a place of the canvas. */
import * as THREE from "three";
import type { Drawer } from "./drawers/drawer";
import { frameHeight } from "./uniforms";

export interface Picked {
  population: string;
  element: number;
}

const black = new THREE.MeshBasicMaterial({ color: 0x000000, toneMapped: false });
const target = new THREE.WebGLRenderTarget(1, 1);

interface Drawn {
  renderer: THREE.WebGLRenderer;
  scene: THREE.Scene;
  camera: THREE.PerspectiveCamera;
  drawers: Map<string, Drawer>;
  /** What hides elements, and what does not take part. */
  bodies: THREE.Mesh[];
  left: THREE.Object3D[];
}

/** Draws one pixel with element numbers in place of colours. */
export function pickedAt(drawn: Drawn, x: number, y: number, width: number, height: number): Picked | null {
  const { renderer, scene, camera, drawers, bodies, left } = drawn;
  const ids = [...drawers.keys()];
  const visible = left.map((object) => object.visible);
  const materials = bodies.map((body) => body.material);
  const clear = { colour: renderer.getClearColor(new THREE.Color()), alpha: renderer.getClearAlpha(), environment: scene.environment };
  ids.forEach((id, k) => drawers.get(id)!.setPicking(k));
  for (const object of left) object.visible = false;
  for (const body of bodies) body.material = black;
  scene.environment = null;
  camera.setViewOffset(width, height, Math.floor(x), Math.floor(y), 1, 1);
  renderer.setRenderTarget(target);
  renderer.setClearColor(0x000000, 1);
  renderer.clear();
  frameHeight.value = 1;
  renderer.render(scene, camera);
  const pixel = new Uint8Array(4);
  renderer.readRenderTargetPixels(target, 0, 0, 1, 1, pixel);
  renderer.setRenderTarget(null);
  renderer.setClearColor(clear.colour, clear.alpha);
  camera.clearViewOffset();
  scene.environment = clear.environment;
  bodies.forEach((body, k) => (body.material = materials[k]!));
  left.forEach((object, k) => (object.visible = visible[k]!));
  for (const drawer of drawers.values()) drawer.setPicking(null);
  const number = pixel[0]! + (pixel[1]! << 8) + (pixel[2]! << 16);
  const population = ids[pixel[3]!];
  return number === 0 || population === undefined ? null : { population, element: number - 1 };
}
