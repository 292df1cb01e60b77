/** The 3D view: one population at a time, drawn on demand. */
import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { finishedMaterial, flatMaterial, instanced, pickMaterial, type Shape, uniforms } from "./elements";
import { ContactShadow } from "./ground";
import { aim, environment, lights } from "./lighting";
import { type Quality, quality } from "./quality";

export interface Elements {
  key: string;
  shape: Shape;
  positions: Float32Array;
  orientations: Float32Array;
  sizes: Float32Array;
  low: [number, number, number];
  high: [number, number, number];
}

export interface Surface {
  positions: Float32Array;
  normals: Float32Array;
  gloss: Float32Array;
  faces: Int32Array;
}

/** Display levels of the surrounds; the view's surround is neutral (ISO 3664). */
export const SURROUNDS = { light: 0xdedede, mid: 0xa9a9a9, dark: 0x3c3c3c } as const;
export type Surround = keyof typeof SURROUNDS;

/** How much of the view the subject may fill. */
const MARGIN = 0.9;
const VIEW_FROM = new THREE.Vector3(-1.22, -1.12, 0.74).normalize();

export class Stage {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.PerspectiveCamera(27, 1, 0.05, 100);
  private readonly controls: OrbitControls;
  private readonly quality: Quality = quality();
  private readonly shared = uniforms();
  private readonly finished = finishedMaterial(this.shared);
  private readonly flat = flatMaterial(this.shared);
  private readonly pick = pickMaterial();
  private readonly pickTarget = new THREE.WebGLRenderTarget(1, 1);
  private readonly contact = new ContactShadow();
  private readonly shadowFloor = new THREE.Mesh(
    new THREE.CircleGeometry(1, 64),
    new THREE.ShadowMaterial({ opacity: 0.3, toneMapped: false }),
  );
  private readonly sun = lights(this.quality.shadowSize, this.quality.environment);
  private elements: THREE.Mesh<THREE.InstancedBufferGeometry> | null = null;
  private current: Elements | null = null;
  private body: THREE.Mesh | null = null;
  private surfaceBox: THREE.Box3 | null = null;
  private surfacePositions: Float32Array | null = null;
  private box = new THREE.Box3();
  private middle = new THREE.Vector3();
  private radius = 1;
  private queued = 0;
  private version = 0;
  private contactStale = true;
  private lost = false;
  onFrame: (() => void) | null = null;

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: this.quality.antialias, powerPreference: "high-performance" });
    this.renderer.setPixelRatio(this.quality.pixelRatio);
    this.renderer.toneMapping = THREE.NeutralToneMapping;
    this.renderer.shadowMap.enabled = true;
    this.renderer.shadowMap.type = THREE.VSMShadowMap;
    this.renderer.shadowMap.autoUpdate = false;
    if (this.quality.environment) {
      this.scene.environment = environment(this.renderer);
      this.scene.environmentIntensity = 0.85;
    }
    this.camera.up.set(0, 0, 1);
    this.shadowFloor.receiveShadow = true;
    this.scene.add(this.sun.group, this.shadowFloor, this.contact.mesh);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.maxPolarAngle = Math.PI * 0.97;
    this.controls.addEventListener("change", () => this.draw());
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
    this.controls.dispose();
    this.renderer.dispose();
  }

  resize(width: number, height: number) {
    if (width === 0 || height === 0) return;
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    // At once, in the same task: a canvas that was resized is blank until it is drawn.
    this.render();
  }

  setSurround(surround: Surround) {
    const level = SURROUNDS[surround];
    this.renderer.setClearColor(level, 1);
    // The surround is a display level: it must not pass through tone mapping.
    const grey = new THREE.Color(level);
    this.shared.aside.value.copy(grey).multiplyScalar(0.45);
    this.shared.bytes.value.setScalar((((level & 255) / 255) * 3) / 4);
    this.draw();
  }

  setShading(shading: "finished" | "flat") {
    const flat = shading === "flat";
    if (this.elements) this.elements.material = flat ? this.flat : this.finished;
    this.shading = shading;
    this.draw();
  }
  private shading: "finished" | "flat" = "finished";

  /** Show a population; its colours follow through setColours. */
  setElements(elements: Elements | null, reframe: boolean) {
    if (elements?.key === this.current?.key) return;
    this.current = elements;
    if (this.elements) {
      this.scene.remove(this.elements);
      this.elements.geometry.dispose();
      this.elements = null;
    }
    if (elements) {
      const geometry = instanced(
        elements.shape,
        elements.positions,
        elements.orientations,
        elements.sizes,
        this.quality.most,
      );
      this.elements = new THREE.Mesh<THREE.InstancedBufferGeometry>(
        geometry,
        this.shading === "flat" ? this.flat : this.finished,
      );
      this.elements.frustumCulled = false;
      this.elements.receiveShadow = true;
      this.scene.add(this.elements);
      this.place(elements);
      if (reframe) this.frame();
    }
    this.draw();
  }

  /** The bare surface under the elements, or none. */
  setSurface(surface: Surface | null) {
    if (this.body) {
      this.scene.remove(this.body);
      this.body.geometry.dispose();
      this.body = null;
    }
    this.surfaceBox = null;
    this.surfacePositions = surface?.positions ?? null;
    if (surface) {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(surface.positions, 3));
      geometry.setAttribute("normal", new THREE.BufferAttribute(surface.normals, 3));
      geometry.setAttribute("gloss", new THREE.BufferAttribute(surface.gloss, 1));
      geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(surface.faces), 1));
      this.body = new THREE.Mesh(geometry, bareMaterial());
      geometry.computeBoundingBox();
      this.surfaceBox = geometry.boundingBox;
      this.body.castShadow = true;
      this.body.receiveShadow = true;
      this.scene.add(this.body);
    }
    if (this.current) {
      this.place(this.current);
      this.frame();
    }
    this.draw();
  }

  /** Four bytes an element: display-encoded colour and group. */
  setColours(colours: Uint8Array, version: number) {
    const tint = this.elements?.geometry.getAttribute("tint") as THREE.InstancedBufferAttribute | undefined;
    if (!tint || tint.array.length !== colours.length) return;
    (tint.array as Uint8Array).set(colours);
    tint.needsUpdate = true;
    this.version = version;
    this.canvas.dataset.applied = String(version);
    this.draw();
  }

  isolate(group: number | null) {
    this.shared.isolated.value = group ?? -1;
    this.draw();
  }

  /** Bring everything into view from the first direction. */
  frame(keepDirection = false) {
    const direction = keepDirection ? this.camera.position.clone().sub(this.controls.target).normalize() : VIEW_FROM;
    const { middle, distance } = this.fitted(direction);
    this.controls.target.copy(middle);
    this.camera.position.copy(middle).addScaledVector(direction, distance);
    this.camera.near = distance / 100;
    this.camera.far = distance * 20;
    this.camera.updateProjectionMatrix();
    this.controls.minDistance = this.radius * 0.2;
    this.controls.maxDistance = this.radius * 16;
    this.controls.update();
    this.draw();
  }

  /** Where to look at, and from how far, so that all just fits the view from a direction. */
  private fitted(direction: THREE.Vector3): { middle: THREE.Vector3; distance: number } {
    const tall = Math.tan(THREE.MathUtils.degToRad(this.camera.fov / 2)) * MARGIN;
    const wide = tall * this.camera.aspect;
    const side = new THREE.Vector3().crossVectors(this.camera.up, direction).normalize();
    const up = new THREE.Vector3().crossVectors(direction, side);
    const points = [...sampled(this.current?.positions), ...sampled(this.surfacePositions)].map((p) => p.sub(this.middle));
    if (points.length === 0) return { middle: this.middle, distance: this.radius * 4 };
    let distance = this.radius * 0.1;
    let across = 0;
    let above = 0;
    // The middle of what is seen moves with the distance: a few rounds settle it.
    for (let round = 0; round < 6; round++) {
      const seen = points.map((c) => {
        const depth = Math.max(distance - c.dot(direction), this.radius * 0.05);
        return { x: (c.dot(side) - across) / depth, y: (c.dot(up) - above) / depth };
      });
      const [left, right] = [Math.min(...seen.map((s) => s.x)), Math.max(...seen.map((s) => s.x))];
      const [low, high] = [Math.min(...seen.map((s) => s.y)), Math.max(...seen.map((s) => s.y))];
      across += ((left + right) / 2) * distance;
      above += ((low + high) / 2) * distance;
      distance *= Math.max((right - left) / 2 / wide, (high - low) / 2 / tall);
      distance = Math.max(distance, this.radius * 0.1);
      if (round === 0) distance = Math.max(distance, this.radius * 2);
    }
    return { middle: this.middle.clone().addScaledVector(side, across).addScaledVector(up, above), distance };
  }

  /** Turn the camera about the middle, in radians; for the keyboard. */
  orbit(around: number, up: number) {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const spherical = new THREE.Spherical().setFromVector3(new THREE.Vector3(offset.x, offset.z, -offset.y));
    spherical.theta += around;
    spherical.phi = THREE.MathUtils.clamp(spherical.phi - up, 0.05, Math.PI * 0.97);
    const turned = new THREE.Vector3().setFromSpherical(spherical);
    this.camera.position.copy(this.controls.target).add(new THREE.Vector3(turned.x, -turned.z, turned.y));
    this.controls.update();
    this.draw();
  }

  /** Move nearer (factor below 1) or further. */
  zoom(factor: number) {
    const offset = this.camera.position.clone().sub(this.controls.target);
    const length = THREE.MathUtils.clamp(offset.length() * factor, this.controls.minDistance, this.controls.maxDistance);
    this.camera.position.copy(this.controls.target).add(offset.setLength(length));
    this.controls.update();
    this.draw();
  }

  /** Move sideways and up, in parts of the view. */
  pan(x: number, y: number) {
    const distance = this.camera.position.distanceTo(this.controls.target);
    const scale = distance * Math.tan(THREE.MathUtils.degToRad(this.camera.fov / 2)) * 2;
    const side = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 0).multiplyScalar(x * scale);
    const up = new THREE.Vector3().setFromMatrixColumn(this.camera.matrix, 1).multiplyScalar(y * scale);
    this.camera.position.add(side).add(up);
    this.controls.target.add(side).add(up);
    this.controls.update();
    this.draw();
  }

  /** The element at a place of the canvas, in CSS pixels; null where there is none. */
  elementAt(x: number, y: number): number | null {
    if (!this.elements) return null;
    const { clientWidth: width, clientHeight: height } = this.canvas;
    this.camera.setViewOffset(width, height, Math.floor(x), Math.floor(y), 1, 1);
    const material = this.elements.material;
    const hidden = [this.shadowFloor, this.contact.mesh].map((o) => [o, o.visible] as const);
    const bodyMaterial = this.body?.material;
    for (const [object] of hidden) object.visible = false;
    this.elements.material = this.pick;
    if (this.body) this.body.material = black;
    const background = this.renderer.getClearColor(new THREE.Color());
    const environmentMap = this.scene.environment;
    this.scene.environment = null;
    this.renderer.setRenderTarget(this.pickTarget);
    this.renderer.setClearColor(0x000000, 1);
    this.renderer.clear();
    this.renderer.render(this.scene, this.camera);
    const pixel = new Uint8Array(4);
    this.renderer.readRenderTargetPixels(this.pickTarget, 0, 0, 1, 1, pixel);
    this.renderer.setRenderTarget(null);
    this.renderer.setClearColor(background, 1);
    this.scene.environment = environmentMap;
    this.elements.material = material;
    if (this.body && bodyMaterial) this.body.material = bodyMaterial;
    for (const [object, visible] of hidden) object.visible = visible;
    this.camera.clearViewOffset();
    const number = pixel[0]! + (pixel[1]! << 8) + (pixel[2]! << 16);
    return number === 0 ? null : number - 1;
  }

  /** Where an element is on the canvas, in CSS pixels; null behind the camera. */
  placeOf(element: number): { x: number; y: number } | null {
    const p = this.current?.positions;
    if (!p || element * 3 + 2 >= p.length) return null;
    const v = new THREE.Vector3(p[element * 3], p[element * 3 + 1], p[element * 3 + 2]).project(this.camera);
    if (v.z > 1) return null;
    return { x: ((v.x + 1) / 2) * this.canvas.clientWidth, y: ((1 - v.y) / 2) * this.canvas.clientHeight };
  }

  /** A PNG of the view at a size in pixels. */
  async picture(width: number, height: number): Promise<Blob> {
    const size = this.renderer.getSize(new THREE.Vector2());
    const ratio = this.renderer.getPixelRatio();
    const aspect = this.camera.aspect;
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    this.camera.aspect = width / height;
    this.camera.updateProjectionMatrix();
    this.render();
    // Read in the task that drew it: the drawing buffer is not kept.
    const blob = new Promise<Blob>((resolve, reject) =>
      this.canvas.toBlob((b) => (b ? resolve(b) : reject(new Error("The picture is too large for this machine."))), "image/png"),
    );
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(size.x, size.y, false);
    this.camera.aspect = aspect;
    this.camera.updateProjectionMatrix();
    this.render();
    return blob;
  }

  /** Draw in the next frame; many calls make one frame. */
  draw() {
    if (this.queued) return;
    this.queued = requestAnimationFrame(() => {
      this.queued = 0;
      this.render();
    });
  }

  private place(elements: Elements) {
    this.box.set(new THREE.Vector3(...elements.low), new THREE.Vector3(...elements.high));
    if (this.surfaceBox) this.box.union(this.surfaceBox);
    this.box.getCenter(this.middle);
    this.radius = Math.max(this.box.min.distanceTo(this.box.max) / 2, elements.sizes[0] ?? 0.01, 1e-6);
    const level = this.surfaceBox ? this.surfaceBox.min.z : this.box.min.z;
    this.shadowFloor.position.set(this.middle.x, this.middle.y, level);
    this.shadowFloor.scale.setScalar(this.radius * 6);
    aim(this.sun.key, this.middle, this.radius);
    this.contactStale = true;
    this.renderer.shadowMap.needsUpdate = true;
  }

  private render() {
    if (this.lost) return;
    this.contact.mesh.visible = this.shadowFloor.visible = this.body !== null && this.shading === "finished";
    if (this.contactStale && this.body) {
      this.contact.update(this.renderer, this.body, this.middle, this.radius, this.shadowFloor.position.z);
      this.contactStale = false;
    }
    this.renderer.render(this.scene, this.camera);
    this.canvas.dataset.drawn = String(this.version);
    this.canvas.dataset.frames = String(Number(this.canvas.dataset.frames ?? 0) + 1);
    this.onFrame?.();
  }
}

/** Some of the points, evenly through the array: enough to frame by. */
function sampled(positions: Float32Array | null | undefined): THREE.Vector3[] {
  const count = (positions?.length ?? 0) / 3;
  const stride = Math.max(1, Math.floor(count / 1500));
  const points: THREE.Vector3[] = [];
  for (let k = 0; k < count; k += stride) points.push(new THREE.Vector3().fromArray(positions!, 3 * k));
  return points;
}

const black = new THREE.MeshBasicMaterial({ color: 0x000000, toneMapped: false });

/** Painted papier-mache: dark and matt, polished where the surface says so. */
function bareMaterial(): THREE.MeshStandardMaterial {
  const material = new THREE.MeshStandardMaterial({ color: 0x1b1b1b, metalness: 0, roughness: 0.8 });
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = shader.vertexShader
      .replace("#include <common>", "#include <common>\nattribute float gloss;\nvarying float vGloss;")
      .replace("#include <begin_vertex>", "#include <begin_vertex>\nvGloss = gloss;");
    shader.fragmentShader = shader.fragmentShader
      .replace("#include <common>", "#include <common>\nvarying float vGloss;")
      .replace(
        "#include <roughnessmap_fragment>",
        "#include <roughnessmap_fragment>\nroughnessFactor = mix(0.85, 0.12, vGloss);",
      );
  };
  material.customProgramCacheKey = () => "gaudyseed-bare";
  return material;
}
