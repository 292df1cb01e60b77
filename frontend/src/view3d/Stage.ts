/** The 3D view of a scene: light, ground, and a drawer for each population that is shown; drawn on demand. */
import * as THREE from "three";
import type { Material } from "../api/client";
import type { Geometry } from "../state/results.slice";
import { Backing } from "./backing";
import { sampled, type Subject, View } from "./camera";
import { drawerOf } from "./drawers";
import type { Way } from "./drawers/drawer";
import type { Dimmed, Drawer, Drawn, Shading } from "./drawers/drawer";
import { ContactShadow } from "./ground";
import { aim, environment, lights, SUN } from "./lighting";
import { type Picked, pickedAt } from "./picking";
import { type Quality, quality } from "./quality";
import { bareMaterial, plainBare, plainStrength, plainSun } from "./materials";
import { frameHeight } from "./uniforms";

export interface Surface {
  positions: Float32Array;
  normals: Float32Array;
  gloss: Float32Array;
  faces: Int32Array;
}

/** Display levels of the surrounds; the view's surround is neutral (ISO 3664). */
export const SURROUNDS = { light: 0xdedede, mid: 0xa9a9a9, dark: 0x3c3c3c } as const;
export type Surround = keyof typeof SURROUNDS;

/** Milliseconds of plain drawing in which a scene arrives, and between two pictures of it meanwhile. */
const FIRST = 5000;
const ARRIVING = 400;

/** Drawings that a saved picture is the mean of where elements are seen through. */
const PASSES = 16;

export class Stage {
  readonly view: View;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly quality: Quality = quality();
  private readonly drawers = new Map<string, Drawer>();
  /** The bare surfaces under the elements, by the population that stands on each. */
  private readonly bodies = new Map<string, THREE.Mesh>();
  private readonly ground = new THREE.Group();
  private readonly contact = new ContactShadow();
  private readonly shadowFloor = new THREE.Mesh(
    new THREE.CircleGeometry(1, 64),
    new THREE.ShadowMaterial({ opacity: 0.3, toneMapped: false }),
  );
  private readonly sun = lights(this.quality.shadowSize, this.quality.environment);
  private dimmed: Dimmed = { linear: new THREE.Color(), bytes: 0 };
  private shading: Shading = "finished";
  private chosen = "";
  private surround: Surround = "mid";
  private backdrop: string | null = null;
  private lightTurn = 0;
  private middle = new THREE.Vector3();
  private radius = 1;
  private queued = 0;
  private readonly begun = performance.now();
  private drawnAt = -Infinity;
  private arriving = 0;
  /** The populations whose values alone have changed since the last drawing; null where more has. */
  private edited: Set<string> | null = null;
  private readonly backing: Backing | null = this.quality.plain ? new Backing() : null;
  private version = 0;
  private contactStale = true;
  private readonly waiting = new Set<string>();
  private lost = false;
  onFrame: (() => void) | null = null;
  /** Told once somebody has moved the camera. */
  onMoved: () => void = () => undefined;

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: this.quality.antialias, powerPreference: "high-performance" });
    this.renderer.setPixelRatio(this.quality.pixelRatio);
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.renderer.shadowMap.enabled = this.quality.shadowSize > 0;
    this.renderer.shadowMap.type = THREE.VSMShadowMap;
    this.renderer.shadowMap.autoUpdate = false;
    if (this.quality.environment) {
      this.scene.environment = environment(this.renderer);
      this.scene.environmentIntensity = 0.85;
    }
    this.shadowFloor.receiveShadow = true;
    this.scene.add(this.sun.group, this.shadowFloor, this.contact.mesh, this.ground);
    this.view = new View(
      canvas,
      () => this.draw(),
      () => this.onMoved(),
    );
    canvas.addEventListener("webglcontextlost", (event) => {
      event.preventDefault();
      this.lost = true;
    });
    canvas.addEventListener("webglcontextrestored", () => {
      this.lost = false;
      this.draw();
    });
    this.setSurround("mid");
  }

  dispose() {
    cancelAnimationFrame(this.queued);
    clearTimeout(this.arriving);
    this.view.dispose();
    for (const id of this.drawers.keys()) this.remove(id);
    this.backing?.dispose();
    this.renderer.dispose();
  }

  resize(width: number, height: number) {
    if (width === 0 || height === 0) return;
    this.renderer.setSize(width, height, false);
    this.view.setAspect(width / height);
    // At once, in the same task: a canvas that was resized is blank until it is drawn.
    this.edited = null;
    this.render();
  }

  setSurround(surround: Surround) {
    this.surround = surround;
    const level = SURROUNDS[surround];
    this.renderer.setClearColor(this.backdrop ?? level, 1);
    // The surround is a display level: it must not pass through tone mapping.
    this.dimmed = { linear: new THREE.Color(level).multiplyScalar(0.45), bytes: (((level & 255) / 255) * 3) / 4 };
    for (const drawer of this.drawers.values()) drawer.setDimmed(this.dimmed);
    this.draw();
  }

  setShading(shading: Shading) {
    this.shading = shading;
    for (const drawer of this.drawers.values()) drawer.setShading(shading);
    this.draw();
  }

  /** Show a population, or the same with other places or shapes; says whether its arrays must be put in place. */
  show(id: string, geometry: Geometry, shapes: Drawn[], way: Way | null = null): boolean {
    if (this.drawers.get(id)?.draws(geometry, shapes, way)) return false;
    this.remove(id);
    const drawer = drawerOf(geometry, shapes, this.quality, way);
    drawer.setShading(this.shading);
    drawer.setDimmed(this.dimmed);
    this.drawers.set(id, drawer);
    this.scene.add(drawer.object);
    this.measure();
    return true;
  }

  /** The populations that are shown. */
  get shown(): string[] {
    return [...this.drawers.keys()];
  }

  /** Show a population no longer. */
  remove(id: string) {
    const drawer = this.drawers.get(id);
    if (!drawer) return;
    this.scene.remove(drawer.object);
    drawer.dispose();
    this.drawers.delete(id);
    this.awaits(id, false);
    this.measure();
  }

  /** Show these bare surfaces under the elements of populations, each at its place, and no others. */
  setGrounds(grounds: ReadonlyMap<string, { surface: Surface; matrix: number[] | null }>) {
    const before = [...this.bodies.keys()].join();
    let moved = false;
    for (const [id, body] of this.bodies) {
      if (grounds.get(id)?.surface === body.userData.surface) continue;
      this.ground.remove(body);
      body.geometry.dispose();
      this.bodies.delete(id);
      moved = true;
    }
    for (const [id, { surface, matrix }] of grounds) {
      const body = this.bodies.get(id) ?? bodyOf(surface);
      if (!this.bodies.has(id)) {
        this.bodies.set(id, body);
        this.ground.add(body);
      }
      if (!matrix || matrix.every((part, k) => part === body.matrix.elements[k])) continue;
      body.matrix.fromArray(matrix);
      body.matrixWorldNeedsUpdate = true;
      moved = true;
    }
    if (moved || before !== [...this.bodies.keys()].join()) this.measure();
  }

  /** Put a population where it stands in the scene, 16 numbers column by column. */
  place(id: string, matrix: number[]) {
    if (this.drawers.get(id)?.place(matrix)) this.measure();
  }

  /** Put values of a population in place: a channel's, "groups", or "preview"; null takes them away. */
  setLane(id: string, name: string, values: ArrayLike<number> | null) {
    const drawer = this.drawers.get(id);
    drawer?.setLane(name, values);
    if (name !== "base_colour" && name !== "groups") this.backing?.moved(id);
    if (drawer?.casts && /^(offset|opacity|width|density)/.test(name)) this.renderer.shadowMap.needsUpdate = true;
    this.draw(id);
  }

  /** Finishes, pictures, and how offset and opacity of a population go. */
  setMaterial(id: string, material: Material, pictures: (THREE.DataArrayTexture | null)[]) {
    const drawer = this.drawers.get(id);
    if (!drawer?.setMaterial(material, pictures)) return;
    this.backing?.moved(id);
    if (drawer.casts) this.renderer.shadowMap.needsUpdate = true;
    this.draw(id);
  }

  /** A colour in place of the surround; null for the surround. */
  setBackdrop(colour: string | null) {
    this.backdrop = colour;
    this.setSurround(this.surround);
  }

  /** Turn the sun, in degrees, and make it as many times as strong. */
  setLight(turn: number, strength: number) {
    this.lightTurn = turn;
    this.sun.key.intensity = SUN * strength;
    plainStrength.value = strength;
    this.scene.environmentIntensity = 0.85 * strength;
    this.scene.environmentRotation.set(0, 0, (turn * Math.PI) / 180);
    this.measure();
  }

  /** The population that is worked on. */
  setChosen(id: string) {
    this.chosen = id;
  }

  /** Note that an answer has been put in place; the canvas tells its number, and that of what was drawn. */
  applied() {
    this.version++;
    this.canvas.dataset.applied = String(this.version);
    this.queue();
  }

  /** Note whether a population waits for a picture on its elements; the canvas tells. */
  awaits(id: string, waits: boolean) {
    if (waits) this.waiting.add(id);
    else this.waiting.delete(id);
    this.canvas.dataset.waits = String(this.waiting.size);
  }

  /** Note whether what is told beside the newest colours has come too. */
  told(whole: boolean) {
    this.canvas.dataset.told = whole ? "all" : "colours";
  }

  /** Single out a group of one population, or with its owners one of these; null none. */
  isolate(id: string, group: number | null, owners: ArrayLike<number> | null = null) {
    for (const [other, drawer] of this.drawers) drawer.isolate(other === id ? group : null, other === id ? owners : null);
    this.draw();
  }

  /** Bring everything into view from the first direction, or one population alone. */
  frame(id?: string) {
    const one = id === undefined ? undefined : this.drawers.get(id);
    this.view.frame(one ? subjectOf([one], [], one.box.getCenter(new THREE.Vector3()), one.box.getSize(new THREE.Vector3()).length() / 2) : this.subject());
  }

  private subject(): Subject {
    return subjectOf([...this.drawers.values()], [...this.bodies.values()], this.middle, this.radius);
  }

  /** The element at a place of the canvas, in CSS pixels, of one population where it is named; null where there is none. */
  elementAt(x: number, y: number, only?: string): Picked | null {
    const { renderer, scene, drawers } = this;
    const { clientWidth: width, clientHeight: height } = this.canvas;
    const others = only === undefined ? [] : [...drawers].filter(([id]) => id !== only).map(([, drawer]) => drawer.object);
    const left = [this.shadowFloor, this.contact.mesh, ...others];
    return pickedAt({ renderer, scene, camera: this.view.camera, drawers, bodies: [...this.bodies.values()], left }, x, y, width, height);
  }

  /** Where an element is on the canvas, in CSS pixels; null behind the camera. */
  placeOf(id: string, element: number): { x: number; y: number } | null {
    const place = this.drawers.get(id)?.placeOf(element);
    return place ? this.view.project(place, this.canvas.clientWidth, this.canvas.clientHeight) : null;
  }

  /** The box around a population in the scene. */
  boxOf(id: string): THREE.Box3 | null {
    return this.drawers.get(id)?.box ?? null;
  }

  /** Where a place of the scene is on the canvas, in CSS pixels. */
  placed(point: THREE.Vector3): { x: number; y: number } | null {
    return this.view.project(point, this.canvas.clientWidth, this.canvas.clientHeight);
  }

  /** The line of sight through a pixel. */
  ray(x: number, y: number): THREE.Ray {
    const { clientWidth: width, clientHeight: tall } = this.canvas;
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2((2 * x) / width - 1, 1 - (2 * y) / tall), this.view.camera);
    return ray.ray;
  }

  /** The place at a height under a pixel; null where the pixel shows the sky. */
  onGround(x: number, y: number, height: number): THREE.Vector3 | null {
    return this.ray(x, y).intersectPlane(new THREE.Plane(new THREE.Vector3(0, 0, 1), -height), new THREE.Vector3());
  }

  /** The place under a pixel as far away as a point is. */
  beside(x: number, y: number, point: THREE.Vector3): THREE.Vector3 {
    const facing = this.view.camera.getWorldDirection(new THREE.Vector3());
    const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(facing, point);
    return this.ray(x, y).intersectPlane(plane, new THREE.Vector3()) ?? point.clone();
  }

  /** How far along a line through a point, in lengths of its direction, the place nearest to a pixel's line of sight is. */
  along(x: number, y: number, point: THREE.Vector3, direction: THREE.Vector3): number {
    const { origin, direction: sight } = this.ray(x, y);
    const between = point.clone().sub(origin);
    const [a, b, c] = [direction.dot(direction), direction.dot(sight), sight.dot(sight)];
    const down = a * c - b * b;
    if (Math.abs(down) < 1e-12) return 0;
    return (b * sight.dot(between) - c * direction.dot(between)) / down;
  }

  /** The place of the surface under a pixel, of one population where it is named: on the plane through the element there, square to its normal. */
  surfaceAt(x: number, y: number, only?: string): { population: string; point: THREE.Vector3 } | null {
    const picked = this.elementAt(x, y, only);
    const drawer = picked && this.drawers.get(picked.population);
    const at = drawer?.placeOf(picked!.element);
    if (!drawer || !at) return null;
    const normal = drawer.normalOf(picked.element);
    const met = normal && this.ray(x, y).intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(normal, at), new THREE.Vector3());
    // Seen from the side, that plane is met far off.
    const near = met && met.distanceTo(at) < 0.2 * this.radius;
    return { population: picked.population, point: near ? met : this.beside(x, y, at) };
  }

  /** A place of the scene in a population's own space. */
  own(id: string, point: THREE.Vector3): THREE.Vector3 {
    const matrix = this.drawers.get(id)?.object.matrix;
    return matrix ? point.clone().applyMatrix4(matrix.clone().invert()) : point.clone();
  }

  /** A unit of a population's own space, in the scene. */
  unitOf(id: string): number {
    return this.drawers.get(id)?.object.matrix.getMaxScaleOnAxis() ?? 1;
  }

  /** Whether the pointer turns the view. */
  setTurning(on: boolean) {
    this.view.setTurning(on);
  }

  /** A PNG of the view at a size in pixels. */
  async picture(width: number, height: number): Promise<Blob> {
    const size = this.renderer.getSize(new THREE.Vector2());
    const ratio = this.renderer.getPixelRatio();
    const { aspect } = this.view.camera;
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    this.view.setAspect(width / height);
    const blob = [...this.drawers.values()].some((drawer) => drawer.seenThrough) ? this.averaged(width, height) : this.drawnPicture();
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(size.x, size.y, false);
    this.view.setAspect(aspect);
    this.edited = null;
    this.render();
    return blob;
  }

  private drawnPicture(): Promise<Blob> {
    this.edited = null;
    this.render();
    // Read in the task that drew it: the drawing buffer is not kept.
    return pngOf(this.canvas);
  }

  /** The mean of many drawings, each with the pattern by which elements are seen through moved. */
  private averaged(width: number, height: number): Promise<Blob> {
    const gl = this.renderer.getContext();
    const sums = new Float32Array(4 * width * height);
    const pixels = new Uint8Array(4 * width * height);
    for (let pass = 0; pass < PASSES; pass++) {
      for (const drawer of this.drawers.values()) drawer.setPass(pass);
      this.edited = null;
      this.render();
      gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
      for (let k = 0; k < sums.length; k++) sums[k]! += pixels[k]!;
    }
    for (const drawer of this.drawers.values()) drawer.setPass(0);
    const canvas = new OffscreenCanvas(width, height);
    const image = new ImageData(width, height);
    for (let row = 0; row < height; row++)
      for (let k = 0; k < 4 * width; k++) image.data[4 * width * (height - 1 - row) + k] = sums[4 * width * row + k]! / PASSES;
    canvas.getContext("2d")!.putImageData(image, 0, 0);
    return canvas.convertToBlob({ type: "image/png" });
  }

  /** Draw in the next frame; many calls make one frame. Of one population, where its values alone have changed. */
  draw(only?: string) {
    if (only === undefined) this.edited = null;
    else this.edited?.add(only);
    this.queue();
  }

  private queue() {
    if (this.queued) return;
    const now = performance.now();
    if (this.backing && now - this.begun < FIRST && now - this.drawnAt < ARRIVING) {
      // While a scene arrives piece by piece, the processor draws a few pictures of it, not one for each piece.
      this.arriving ||= window.setTimeout(() => {
        this.arriving = 0;
        this.queue();
      }, ARRIVING);
      return;
    }
    this.queued = requestAnimationFrame(() => {
      this.queued = 0;
      this.render();
    });
  }

  /** Where everything is: for the light, the floor and the framing. */
  private measure() {
    const box = new THREE.Box3();
    for (const drawer of this.drawers.values()) box.union(drawer.box);
    for (const body of this.bodies.values()) box.union(boxOf(body));
    if (box.isEmpty()) return this.draw();
    box.getCenter(this.middle);
    this.radius = Math.max(box.min.distanceTo(box.max) / 2, ...[...this.drawers.values()].map((drawer) => drawer.size), 1e-6);
    const solid = [...this.drawers.values()].filter((drawer) => drawer.solid).map((drawer) => drawer.box.min.z);
    const bare = [...this.bodies.values()].map((b) => boxOf(b).min.z);
    const level = Math.min(...(bare.length + solid.length > 0 ? [...bare, ...solid] : [box.min.z]));
    this.shadowFloor.position.set(this.middle.x, this.middle.y, level);
    this.shadowFloor.scale.setScalar(this.radius * 6);
    aim(this.sun.key, this.middle, this.radius, this.lightTurn);
    this.contactStale = true;
    this.renderer.shadowMap.needsUpdate = true;
    this.draw();
  }

  private renderScene() {
    const { renderer, scene, edited, backing } = this;
    const { camera } = this.view;
    const only = edited?.size === 1 ? [...edited][0]! : undefined;
    if (edited === null || edited.size > 1) backing?.forget();
    const id = only ?? this.chosen;
    const subject = this.drawers.get(id);
    // What is edited next is most likely what is chosen: drawn so from the start, its colours cost little at the first edit too.
    if (backing && subject && (only !== undefined || subject.recolouring)) backing.draw({ renderer, scene, camera }, id, subject);
    else {
      backing?.forget();
      renderer.render(scene, camera);
    }
    this.edited = new Set();
  }

  private drawNow() {
    const solid = [...this.drawers.values()].filter((drawer) => drawer.solid).map((drawer) => drawer.object);
    const grounded = this.bodies.size > 0 || solid.length > 0;
    this.contact.mesh.visible = this.shadowFloor.visible = grounded && this.quality.shadowSize > 0 && this.shading === "finished";
    if (this.contactStale && this.contact.mesh.visible) {
      this.contact.update(this.renderer, [this.ground, ...solid], this.middle, this.radius, this.shadowFloor.position.z);
      this.contactStale = false;
    }
    frameHeight.value = this.renderer.domElement.height;
    plainSun.value.copy(this.sun.key.position).sub(this.sun.key.target.position).normalize().transformDirection(this.view.camera.matrixWorldInverse);
    this.renderScene();
  }

  private render() {
    if (this.lost) return;
    if (this.quality.draws) this.drawNow();
    this.drawnAt = performance.now();
    this.canvas.dataset.drawn = String(this.version);
    this.canvas.dataset.frames = String(Number(this.canvas.dataset.frames ?? 0) + 1);
    this.onFrame?.();
  }
}

function pngOf(canvas: HTMLCanvasElement): Promise<Blob> {
  return new Promise((resolve, reject) => canvas.toBlob((b) => (b ? resolve(b) : reject(new Error("The picture is too large for this machine."))), "image/png"));
}

/** What the camera frames. */
function subjectOf(drawers: Drawer[], bodies: THREE.Mesh[], middle: THREE.Vector3, radius: number): Subject {
  const bare = bodies.flatMap((body) => sampled(body.geometry.getAttribute("position").array as Float32Array).map((p) => p.applyMatrix4(body.matrix)));
  const points = drawers.flatMap((drawer) => {
    // Large elements reach beyond their places.
    const beyond = drawer.size > 0.05 * radius ? (drawer.size / 2) * drawer.object.matrix.getMaxScaleOnAxis() : 0;
    return sampled(drawer.positions).map((p) => {
      p.applyMatrix4(drawer.object.matrix);
      return beyond ? p.addScaledVector(p.clone().sub(middle).normalize(), beyond) : p;
    });
  });
  return { points: [...points, ...bare], middle, radius: Math.max(radius, 1e-6) };
}

const boxOf = (body: THREE.Mesh) => body.geometry.boundingBox!.clone().applyMatrix4(body.matrix);

function bodyOf(surface: Surface): THREE.Mesh {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(surface.positions, 3));
  geometry.setAttribute("normal", new THREE.BufferAttribute(surface.normals, 3));
  geometry.setAttribute("gloss", new THREE.BufferAttribute(surface.gloss, 1));
  geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(surface.faces), 1));
  geometry.computeBoundingBox();
  const body = new THREE.Mesh(geometry, quality().plain ? plainBare() : bareMaterial());
  body.matrixAutoUpdate = false;
  body.userData.surface = surface;
  body.castShadow = true;
  body.receiveShadow = true;
  return body;
}
