/** The materials of elements: the finished look, the exact bytes, and element numbers for picking. */
import * as THREE from "three";
import type { Way } from "./drawers/drawer";
import { CHANNELS_ON } from "./shaders/channels";
import { GLEAM } from "./shaders/gleam";
import { GLOW } from "./shaders/glow";
import { PLAIN_COLOUR, PLAIN_LIGHT } from "./shaders/plain";
import { READING, SENDING, VARYINGS } from "./shaders/reading";
import { PLACING, type Standing, STANDING } from "./shaders/standing";
import { UNDER } from "./shaders/subsurface";
import { THROUGH } from "./shaders/transmission";
import { type OfShape, type Shared } from "./uniforms";

/** Replace a chunk of a shader; a chunk that is missing must not pass silently. */
function replaced(shader: string, chunk: string, text: string): string {
  if (!shader.includes(chunk)) throw new Error(`The renderer's shader has no ${chunk}.`);
  return shader.replace(chunk, text);
}

const after = (shader: string, chunk: string, text: string) => replaced(shader, chunk, `${chunk}\n${text}`);

const DEFINES: Record<Standing, string> = { instances: "#define PICTURED\n", surface: "#define SURFACE\n", ribbons: "#define RIBBONS\n", tubes: "#define RIBBONS\n#define TUBES\n", discs: "#define DISCS\n" };
const vertexHead = (standing: Standing, pictured: boolean) => `${DEFINES[standing]}${pictured && standing === "surface" ? "#define PICTURED\n" : ""}${PLACING}${STANDING[standing]}${VARYINGS}${SENDING}`;
const fragmentHead = (standing: Standing) => `${DEFINES[standing]}${VARYINGS}${READING}`;

export function finishedMaterial(common: Shared, of: OfShape, standing: Standing, pictured: boolean): THREE.MeshStandardMaterial {
  const material = new THREE.MeshStandardMaterial({ metalness: 0, roughness: 0.3, side: THREE.DoubleSide, envMapIntensity: 1.0 });
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, common.uniforms, of);
    let vertex = after(shader.vertexShader, "#include <common>", vertexHead(standing, pictured));
    vertex = after(vertex, "#include <beginnormal_vertex>", "objectNormal = turned(objectNormal);");
    shader.vertexShader = replaced(vertex, "#include <begin_vertex>", "vec3 transformed = placed(position);\nsendElement();");
    let fragment = after(shader.fragmentShader, "#include <common>", fragmentHead(standing));
    fragment = after(fragment, "#include <color_fragment>", `readElement();\ndiffuseColor.rgb = isDimmed() ? dimmed : albedo();${CHANNELS_ON}`);
    fragment = after(fragment, "#include <roughnessmap_fragment>", "roughnessFactor = gRough;");
    fragment = after(fragment, "#include <metalnessmap_fragment>", "metalnessFactor = gMetal;");
    fragment = after(fragment, "#include <emissivemap_fragment>", GLOW);
    fragment = after(fragment, "#include <lights_fragment_end>", `${UNDER}${GLEAM}`);
    fragment = after(fragment, "#include <transmission_fragment>", THROUGH);
    fragment = replaced(
      fragment,
      "vec3 outgoingLight = totalDiffuse + totalSpecular + totalEmissiveRadiance;",
      "vec3 outgoingLight = (totalDiffuse + totalSpecular) / (1.0 + gStrength) + totalEmissiveRadiance;",
    );
    shader.fragmentShader = fragment;
  };
  material.customProgramCacheKey = () => `gaudyseed-${standing}-${pictured}`;
  return material;
}

/** Where the light of plain drawing comes from, in the view's own space. */
export const plainSun = { value: new THREE.Vector3(0, 0, 1) };
/** How strong it is. */
export const plainStrength = { value: 1 };

/** What the processor can draw quickly: no glass, no depth below the surface. */
export function plainMaterial(common: Shared, of: OfShape, standing: Standing, pictured: boolean): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { ...common.uniforms, ...of, dimmed: common.uniforms.bytes!, plainSun, plainStrength },
    side: THREE.DoubleSide,
    toneMapped: false,
    vertexShader: `${vertexHead(standing, pictured)}${PLAIN_LIGHT}
      void main() {
        sendElement();
        gl_Position = projectionMatrix * litEye();
      }`,
    fragmentShader: `${fragmentHead(standing)}${PLAIN_COLOUR}
      varying vec2 vLit;
      void main() {
        readElement();
        vec3 shown = usesPicture > 0.5 ? encodedOf(albedo()) : tint;
        vec3 lit = plainLit(shown, vLit, vUnit.x);
        if (vMore.y > 0.0) lit = max(lit, sqrt(vGlow * min(vMore.y, 1.4)));
        gl_FragColor = vec4(isDimmed() ? dimmed * vLit.x : min(lit, vec3(1.0)), 1.0);
      }`,
  });
}

/** Instead of a colour, what the colour of a pixel follows from: the element's number from 1, and its light and metalness. */
export function marksMaterial(common: Shared, of: OfShape, standing: Standing, unlit: { value: number }): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { ...common.uniforms, ...of, unlit, plainSun, plainStrength },
    side: THREE.DoubleSide,
    toneMapped: false,
    glslVersion: THREE.GLSL3,
    vertexShader: `${vertexHead(standing, false)}${PLAIN_LIGHT}
      flat out ivec3 vNumber;
      void main() {
        sendElement();
        int n = ELEMENT + 1;
        vNumber = ivec3(n & 255, (n >> 8) & 255, (n >> 16) & 255);
        gl_Position = projectionMatrix * litEye();
      }`,
    fragmentShader: `${fragmentHead(standing)}
      uniform float unlit;
      varying vec2 vLit;
      flat in ivec3 vNumber;
      layout(location = 0) out vec4 number;
      layout(location = 1) out vec4 light;
      void main() {
        cutOut();
        number = vec4(vec3(vNumber) / 255.0, 1.0);
        light = unlit > 0.5 ? vec4(1.0, 0.0, 0.0, 1.0) : vec4(vLit, vUnit.x, 1.0);
      }`,
  });
}

/** Papier-mache in plain drawing. */
export function plainBare(): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { plainSun, plainStrength },
    toneMapped: false,
    vertexShader: `uniform vec3 plainSun; uniform float plainStrength; varying float vLit;
      void main() {
        vec3 n = normalize(normalMatrix * normal);
        vLit = 0.16 * sqrt(plainStrength * (0.5 + 0.2 * n.y + 0.9 * max(dot(n, plainSun), 0.0)));
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
      }`,
    fragmentShader: "varying float vLit; void main() { gl_FragColor = vec4(vec3(vLit), 1.0); }",
  });
}

/** How many times a particle's own disc the soft one around it is. */
const AROUND = 2.6;

/** Particles as light or as haze: soft discs that add up, or that take light by their density and give their own. Both approximate: in no order. */
export function softMaterial(common: Shared, of: OfShape, way: Way): THREE.ShaderMaterial {
  const glow = way === "glow";
  return new THREE.ShaderMaterial({
    uniforms: { ...common.uniforms, ...of },
    transparent: true,
    depthWrite: false,
    blending: THREE.CustomBlending,
    blendSrc: THREE.OneFactor,
    blendDst: glow ? THREE.OneFactor : THREE.OneMinusSrcAlphaFactor,
    vertexShader: `${vertexHead("discs", false)}
      varying vec2 vDisc;
      void main() {
        sendElement();
        vDisc = 2.0 * position.xy;
        gl_Position = projectionMatrix * modelViewMatrix * vec4(placed(position * ${AROUND.toFixed(1)}), 1.0);
      }`,
    fragmentShader: `${fragmentHead("discs")}
      varying vec2 vDisc;
      void main() {
        tint = vTint.rgb;
        float r = dot(vDisc, vDisc);
        float soft = max(0.0, (exp(-4.5 * r) - exp(-4.5)) / (1.0 - exp(-4.5)));
        vec3 light = isDimmed() ? dimmed * 0.2 : vMore.y > 0.0 ? vGlow * vMore.y : ${glow ? "albedo()" : "vec3(0.0)"};
        float held = ${glow ? "soft * vMore.x" : "vMore.x * (1.0 - exp(-1.4 * vDensity * soft))"};
        gl_FragColor = vec4(${glow ? "light" : "light + 0.8 * albedo()"}, 1.0);
        #include <tonemapping_fragment>
        #include <colorspace_fragment>
        gl_FragColor = vec4(gl_FragColor.rgb * held, ${glow ? "0.0" : "held"});
      }`,
  });
}

/** Exactly the computed bytes: no light, no tone mapping, no conversion. */
export function flatMaterial(common: Shared, of: OfShape, standing: Standing, pictured: boolean): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { ...common.uniforms, ...of, dimmed: common.uniforms.bytes! },
    side: THREE.DoubleSide,
    toneMapped: false,
    vertexShader: `${vertexHead(standing, pictured)}
      void main() {
        sendElement();
        gl_Position = projectionMatrix * modelViewMatrix * vec4(placed(position), 1.0);
      }`,
    fragmentShader: `${fragmentHead(standing)}
      void main() {
        readElement();
        vec3 shown = usesPicture > 0.5 && plain < 0.5 ? encodedOf(albedo()) : tint;
        gl_FragColor = vec4(isDimmed() ? dimmed : shown, 1.0);
      }`,
  });
}

/** Element numbers as colours, for picking: number + 1, so that 0 is nothing; the population's number as alpha. */
export function pickMaterial(common: Shared, of: OfShape, population: { value: number }, standing: Standing): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    uniforms: { ...common.uniforms, ...of, population },
    side: THREE.DoubleSide,
    toneMapped: false,
    glslVersion: THREE.GLSL3,
    vertexShader: `${PLACING}${STANDING[standing].replaceAll("attribute", "in")}
      uniform float threshold;
      out float vStands;
      flat out vec4 vNumber;
      void main() {
        int n = ELEMENT + 1;
        vNumber = vec4(vec3(float(n & 255), float((n >> 8) & 255), float((n >> 16) & 255)) / 255.0, 1.0);
        if (threshold >= 0.0 && has_unitsB.x > 0.5 && texelFetch(unitsB, texelOf(ELEMENT), 0).x < threshold) vNumber.a = 0.0;
        vStands = 1.0;
        ${standing === "ribbons" || standing === "tubes" ? "if (has_floatsC.w > 0.5) vStands = texelFetch(floatsC, texelOf(ELEMENT), 0).w - texelFetch(turns, texelOf(ELEMENT), 0).y;" : ""}
        gl_Position = projectionMatrix * modelViewMatrix * vec4(placed(position), 1.0);
      }`,
    fragmentShader:
      "flat in vec4 vNumber;\nin float vStands;\nuniform float population;\nout vec4 number;\nvoid main() { if (vNumber.a < 0.5 || vStands <= 0.0) discard; number = vec4(vNumber.rgb, population); }",
  });
}

/** Into the sun's shadow: where the elements stand, with their holes. */
export function shadowMaterial(common: Shared, of: OfShape, standing: Standing): THREE.MeshDepthMaterial {
  const material = new THREE.MeshDepthMaterial();
  material.onBeforeCompile = (shader) => {
    Object.assign(shader.uniforms, common.uniforms, of);
    const vertex = after(shader.vertexShader, "#include <common>", vertexHead(standing, false));
    shader.vertexShader = replaced(vertex, "#include <begin_vertex>", "vec3 transformed = placed(position);\nsendElement();");
    const fragment = after(shader.fragmentShader, "#include <common>", fragmentHead(standing));
    shader.fragmentShader = after(fragment, "#include <alphatest_fragment>", "cutOut();");
  };
  material.customProgramCacheKey = () => `gaudyseed-shadow-${standing}`;
  return material;
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
