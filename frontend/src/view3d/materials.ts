/** The materials of elements: the finished look, the exact bytes, and element numbers for picking. */
import * as THREE from "three";

/** What a channel of 0 to 1 does in the finished look: where its value enters the shader, and how. */
interface Effect {
  after: string;
  code: (value: string) => string;
}

/** By the channel's word. A channel without an effect is not seen in the view. */
export const EFFECTS: Record<string, Effect> = {
  roughness: { after: "#include <roughnessmap_fragment>", code: (value) => `roughnessFactor = ${value};` },
};

const CHANNELS = Object.keys(EFFECTS);
/** The name of a channel's values in shaders, as an attribute, and of whether it has any. */
export const laneName = (channel: string) => `lane_${channel}`;

/** How vertices stand: as those of a shape at each element's place, or as the elements themselves. */
export type Standing = "instances" | "surface";

const STANDING: Record<Standing, string> = {
  instances: /* glsl */ `
attribute vec3 place;
attribute vec4 turn;
attribute float size;
// Of a thing of several parts: the part of the vertex, and the one that the element is, from 1; 0 where all are drawn.
attribute float piece;
attribute float own;
vec3 turned(vec3 v) { return v + 2.0 * cross(turn.xyz, cross(turn.xyz, v) + turn.w * v); }
vec3 placed(vec3 v) { return abs(piece - own) > 0.5 && own > 0.5 ? place : place + turned(v * size); }
#define ELEMENT gl_InstanceID
`,
  surface: /* glsl */ `
vec3 turned(vec3 v) { return v; }
vec3 placed(vec3 v) { return v; }
#define ELEMENT gl_VertexID
`,
};
const DECLARE = /* glsl */ `
attribute vec3 tint;
attribute float group;
varying vec3 vTint;
varying float vGroup;
`;
const COLOUR = /* glsl */ `
varying vec3 vTint;
varying float vGroup;
uniform float isolated;
uniform vec3 aside;
vec3 linearOf(vec3 c) {
  return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c));
}
bool isAside() { return isolated >= 0.0 && abs(vGroup - isolated) > 0.5; }
`;

/** What a drawer's materials share: the group that is singled out, and which channels have values. */
export interface Uniforms {
  isolated: { value: number };
  /** What stands aside, in linear light for the finished look and as bytes for the exact one. */
  aside: { value: THREE.Color };
  bytes: { value: THREE.Color };
  lanes: Record<string, { value: number }>;
}

export function uniforms(): Uniforms {
  return {
    isolated: { value: -1 },
    aside: { value: new THREE.Color(0.1, 0.1, 0.1) },
    bytes: { value: new THREE.Color(0.35, 0.35, 0.35) },
    lanes: Object.fromEntries(CHANNELS.map((channel) => [laneName(channel), { value: 0 }])),
  };
}

/** Replace a chunk of a shader; a chunk that is missing must not pass silently. */
function replaced(shader: string, chunk: string, text: string): string {
  if (!shader.includes(chunk)) throw new Error(`The renderer's shader has no ${chunk}.`);
  return shader.replace(chunk, text);
}

const after = (shader: string, chunk: string, text: string) => replaced(shader, chunk, `${chunk}\n${text}`);

const LANES_IN = CHANNELS.map((c) => `attribute float ${laneName(c)};\nvarying float v_${c};`).join("\n");
const LANES_ON = CHANNELS.map((c) => `v_${c} = ${laneName(c)};`).join("\n");
const LANES_OUT = CHANNELS.map((c) => `varying float v_${c};\nuniform float ${laneName(c)};`).join("\n");

export function finishedMaterial(shared: Uniforms, standing: Standing): THREE.MeshStandardMaterial {
  const material = new THREE.MeshStandardMaterial({
    metalness: 0.42,
    roughness: 0.3,
    side: THREE.DoubleSide,
    envMapIntensity: 1.0,
  });
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, { isolated: shared.isolated, aside: shared.aside, ...shared.lanes });
    let vertex = after(shader.vertexShader, "#include <common>", STANDING[standing] + DECLARE + LANES_IN);
    vertex = after(vertex, "#include <beginnormal_vertex>", "objectNormal = turned(objectNormal);");
    shader.vertexShader = replaced(
      vertex,
      "#include <begin_vertex>",
      `vec3 transformed = placed(position);\nvTint = tint;\nvGroup = group;\n${LANES_ON}`,
    );
    let fragment = after(shader.fragmentShader, "#include <common>", COLOUR + LANES_OUT);
    fragment = after(fragment, "#include <color_fragment>", "diffuseColor.rgb = isAside() ? aside : linearOf(vTint);");
    fragment = after(fragment, "#include <metalnessmap_fragment>", "if (isAside()) { metalnessFactor = 0.0; }");
    for (const [channel, effect] of Object.entries(EFFECTS)) {
      fragment = after(fragment, effect.after, `if (${laneName(channel)} > 0.5 && !isAside()) { ${effect.code(`v_${channel}`)} }`);
    }
    shader.fragmentShader = fragment;
  };
  material.customProgramCacheKey = () => `gaudyseed-${standing}`;
  return material;
}

/** Exactly the computed bytes: no light, no tone mapping, no conversion. */
export function flatMaterial(shared: Uniforms, standing: Standing): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { isolated: shared.isolated, aside: shared.bytes },
    side: THREE.DoubleSide,
    toneMapped: false,
    vertexShader: `${STANDING[standing]}${DECLARE}
      void main() {
        vTint = tint;
        vGroup = group;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(placed(position), 1.0);
      }`,
    fragmentShader: `${COLOUR}
      void main() { gl_FragColor = vec4(isAside() ? aside : vTint, 1.0); }`,
  });
}

/** Element numbers as colours, for picking: number + 1, so that 0 is nothing; the population's number as alpha. */
export function pickMaterial(population: number, standing: Standing): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { population: { value: population / 255 } },
    side: THREE.DoubleSide,
    toneMapped: false,
    glslVersion: THREE.GLSL3,
    vertexShader: `${STANDING[standing]}
      flat out vec3 vNumber;
      void main() {
        int n = ELEMENT + 1;
        vNumber = vec3(float(n & 255), float((n >> 8) & 255), float((n >> 16) & 255)) / 255.0;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(placed(position), 1.0);
      }`,
    fragmentShader: "flat in vec3 vNumber;\nuniform float population;\nout vec4 number;\nvoid main() { number = vec4(vNumber, population); }",
  });
}

/** Painted papier-mache: dark and matt, polished where the surface says so. */
export function bareMaterial(): THREE.MeshStandardMaterial {
  const material = new THREE.MeshStandardMaterial({ color: 0x1b1b1b, metalness: 0, roughness: 0.8 });
  material.onBeforeCompile = (shader) => {
    shader.vertexShader = after(shader.vertexShader, "#include <common>", "attribute float gloss;\nvarying float vGloss;");
    shader.vertexShader = after(shader.vertexShader, "#include <begin_vertex>", "vGloss = gloss;");
    shader.fragmentShader = after(shader.fragmentShader, "#include <common>", "varying float vGloss;");
    shader.fragmentShader = after(shader.fragmentShader, "#include <roughnessmap_fragment>", "roughnessFactor = mix(0.85, 0.12, vGloss);");
  };
  material.customProgramCacheKey = () => "gaudyseed-bare";
  return material;
}
