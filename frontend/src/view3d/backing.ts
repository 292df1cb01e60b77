/**
 * What an edit leaves as it is, kept as pictures, so that the processor draws only what it changes. Of all populations
 * but the one that is edited: their colours and depth. Of that one, where its colours alone change: which element each
 * pixel shows and how it is lit, which other colours are then put to without drawing an element.
 * For plain drawing, whose materials give levels of the display and need no tone mapping.
 */
import * as THREE from "three";
import type { Drawer } from "./drawers/drawer";
import { PLAIN_COLOUR } from "./shaders/plain";

const WHOLE = "void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }";
const HERE = "ivec2 at = ivec2(gl_FragCoord.xy);\n float depth = texelFetch(depths, at, 0).r;";

/** Something that is put to each pixel. */
function pass(uniforms: string[], fragmentShader: string): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: Object.fromEntries(uniforms.map((name) => [name, { value: null }])),
    toneMapped: false,
    depthFunc: THREE.AlwaysDepth,
    glslVersion: THREE.GLSL3,
    vertexShader: WHOLE,
    fragmentShader,
  });
}

const copied = () =>
  pass(
    ["colours", "depths"],
    `uniform sampler2D colours; uniform sampler2D depths; out vec4 shown;
    void main() {
      ${HERE}
      if (depth >= 1.0) discard;
      gl_FragDepth = depth;
      shown = vec4(texelFetch(colours, at, 0).rgb, 1.0);
    }`,
  );

/** Nothing but the depth of the others. */
const hidden = () =>
  pass(
    ["depths"],
    `uniform sampler2D depths; layout(location = 0) out vec4 number; layout(location = 1) out vec4 light;
    void main() {
      ${HERE}
      if (depth >= 1.0) discard;
      gl_FragDepth = depth;
      number = light = vec4(0.0);
    }`,
  );

const recoloured = () =>
  pass(
    ["colours", "depths", "numbers", "lights", "tints", "isolated", "dimmed"],
    `uniform sampler2D colours; uniform sampler2D depths; uniform sampler2D numbers; uniform sampler2D lights; uniform sampler2D tints;
    uniform float isolated; uniform vec3 dimmed; out vec4 shown;
    ${PLAIN_COLOUR}
    void main() {
      ivec2 at = ivec2(gl_FragCoord.xy);
      ivec3 digits = ivec3(texelFetch(numbers, at, 0).rgb * 255.0 + 0.5);
      int element = digits.r + (digits.g << 8) + (digits.b << 16) - 1;
      if (element < 0) {
        if (texelFetch(depths, at, 0).r >= 1.0) discard;
        shown = vec4(texelFetch(colours, at, 0).rgb, 1.0);
        return;
      }
      vec4 tint = texelFetch(tints, ivec2(element & 1023, element >> 10), 0);
      vec3 light = texelFetch(lights, at, 0).rgb;
      bool stands = isolated >= 0.0 && abs(tint.a * 255.0 - isolated) > 0.5;
      shown = vec4(stands ? dimmed * light.x : min(plainLit(tint.rgb, light.xy, light.z), vec3(1.0)), 1.0);
    }`,
  );

interface Drawing {
  renderer: THREE.WebGLRenderer;
  scene: THREE.Scene;
  camera: THREE.Camera;
}

export class Backing {
  private others: THREE.WebGLRenderTarget | null = null;
  private marks: THREE.WebGLRenderTarget | null = null;
  /** The population that the picture of the others lacks; empty while there is none. */
  private lacks = "";
  /** Whether the marks are that population's as it stands now. */
  private marked = false;
  private readonly passes = { copied: copied(), hidden: hidden(), recoloured: recoloured() };
  private readonly quad = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.passes.copied);
  private readonly room = new THREE.Scene();
  private readonly eye = new THREE.Camera();

  constructor() {
    this.quad.frustumCulled = false;
    this.room.add(this.quad);
  }

  /** Something else than one population's values has changed. */
  forget() {
    this.lacks = "";
    this.marked = false;
  }

  /** More of a population than its colours has changed. */
  moved(id: string) {
    if (id === this.lacks) this.marked = false;
  }

  /** Draw everything, of which only the population `id` has changed since the picture of the others was taken. */
  draw(drawing: Drawing, id: string, drawer: Drawer) {
    this.fit(drawing.renderer.getDrawingBufferSize(new THREE.Vector2()));
    if (this.lacks !== id) {
      this.drawOthers(drawing, drawer.object);
      this.lacks = id;
      this.marked = false;
    }
    const { recolouring } = drawer;
    if (!recolouring) {
      this.marked = false;
      return this.drawOver(drawing, drawer.object);
    }
    if (!this.marked) this.drawMarks(drawing, drawer);
    this.marked = true;
    for (const [name, { value }] of Object.entries(recolouring)) this.passes.recoloured.uniforms[name]!.value = value;
    drawing.renderer.clear();
    this.put("recoloured", drawing.renderer);
  }

  dispose() {
    this.drop();
    this.quad.geometry.dispose();
    for (const material of Object.values(this.passes)) material.dispose();
  }

  private drawOthers({ renderer, scene, camera }: Drawing, subject: THREE.Object3D) {
    subject.visible = false;
    renderer.setRenderTarget(this.others);
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    subject.visible = true;
  }

  private drawMarks(drawing: Drawing, drawer: Drawer) {
    const { renderer } = drawing;
    const clear = { colour: renderer.getClearColor(new THREE.Color()), alpha: renderer.getClearAlpha() };
    renderer.setClearColor(0x000000, 0);
    renderer.setRenderTarget(this.marks);
    renderer.clear();
    this.put("hidden", renderer);
    drawer.setMarking(true);
    this.alone(drawing, drawer.object);
    drawer.setMarking(false);
    renderer.setRenderTarget(null);
    renderer.setClearColor(clear.colour, clear.alpha);
  }

  private drawOver(drawing: Drawing, subject: THREE.Object3D) {
    drawing.renderer.clear();
    this.put("copied", drawing.renderer);
    this.alone(drawing, subject);
  }

  /** Put one of the passes to each pixel of what is drawn into. */
  private put(name: keyof Backing["passes"], renderer: THREE.WebGLRenderer) {
    this.quad.material = this.passes[name];
    const { autoClear } = renderer;
    renderer.autoClear = false;
    renderer.render(this.room, this.eye);
    renderer.autoClear = autoClear;
  }

  /** Draw one thing of the scene over what is there. */
  private alone({ renderer, scene, camera }: Drawing, subject: THREE.Object3D) {
    const others = scene.children.filter((child) => child !== subject && child.visible && !containsLight(child));
    for (const other of others) other.visible = false;
    renderer.autoClear = false;
    renderer.render(scene, camera);
    renderer.autoClear = true;
    for (const other of others) other.visible = true;
  }

  private drop() {
    this.others?.depthTexture?.dispose();
    this.others?.dispose();
    this.marks?.dispose();
    this.forget();
  }

  /** Make the pictures as large as what is drawn into. */
  private fit({ x, y }: THREE.Vector2) {
    if (this.others && this.others.width === x && this.others.height === y) return;
    this.drop();
    const exact = { minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter } as const;
    this.others = new THREE.WebGLRenderTarget(x, y, exact);
    this.others.depthTexture = new THREE.DepthTexture(x, y, THREE.UnsignedIntType);
    this.marks = new THREE.WebGLRenderTarget(x, y, { ...exact, count: 2 });
    const [numbers, lights] = this.marks.textures as [THREE.Texture, THREE.Texture];
    lights.type = THREE.HalfFloatType;
    const values = { colours: this.others.texture, depths: this.others.depthTexture, numbers, lights };
    for (const { uniforms } of Object.values(this.passes)) {
      for (const [name, value] of Object.entries(values)) if (uniforms[name]) uniforms[name].value = value;
    }
  }
}

function containsLight(object: THREE.Object3D): boolean {
  let found = false;
  object.traverse((child) => {
    found ||= child instanceof THREE.Light;
  });
  return found;
}
