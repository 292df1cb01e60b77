/** The materials of elements: the finished look, the exact bytes, and element numbers for picking. */
import * as THREE from "three";
import type { FinishOf, Material } from "../api/client";
import { ElementValues, MOST_TABLES, Tables, TEXTURES } from "./values";

/** How vertices stand: as those of a shape at each element's place, as the elements themselves, or beside them along strands. */
export type Standing = "instances" | "surface" | "ribbons";

/** Pixels that what is drawn next is high. */
export const frameHeight = { value: 800 };

const MOST_FINISHES = 8;

/** What a drawer's materials share: its elements' values, what is singled out, finishes, and how offset and opacity go. */
export interface Shared {
  values: ElementValues;
  tables: Tables;
  uniforms: Record<string, { value: unknown }>;
}

export function shared(count: number): Shared {
  const values = new ElementValues(count);
  const tables = new Tables();
  const own = {
    frameHeight,
    isolated: { value: -1 },
    /** What is dimmed, in linear light for the finished look and as bytes for the exact one. */
    dimmed: { value: new THREE.Color(0.1, 0.1, 0.1) },
    bytes: { value: new THREE.Color(0.35, 0.35, 0.35) },
    /** Whether a value is shown in place of the result: then nothing else of the material is. */
    plain: { value: 0 },
    threshold: { value: -1 },
    /** 0 along the normal, 1 up, 2 by a vector of each element. */
    along: { value: 0 },
    up: { value: new THREE.Vector3(0, 0, 1) },
    /** Moves the pattern by which elements are seen through. */
    pass: { value: 0 },
    /** About how large an element is, for how deep light goes below its surface. */
    scale: { value: 1 },
    finishUnit: { value: vectors4([0, 0.3, 0, 0]) },
    finishMore: { value: vectors4([1, 0, 0.05, 1]) },
    finishGlow: { value: Array.from({ length: MOST_FINISHES }, () => new THREE.Vector3(1, 1, 1)) },
    finishUnder: { value: Array.from({ length: MOST_FINISHES }, () => new THREE.Vector3(1, 1, 1)) },
  };
  return { values, tables, uniforms: { ...values.uniforms, ...tables.uniforms, ...own } };
}

function vectors4(of: [number, number, number, number]): THREE.Vector4[] {
  return Array.from({ length: MOST_FINISHES }, () => new THREE.Vector4(...of));
}

/** A level of the display in linear light (IEC 61966-2-1). */
const decoded = (level: number) => (level <= 0.04045 ? level / 12.92 : ((level + 0.055) / 1.055) ** 2.4);

/** Put what an answer says of finishes, opacity and offset in place. */
export function setMaterial({ uniforms }: Shared, { finishes, threshold, along, up }: Material) {
  const [unit, more, glow, under] = ["finishUnit", "finishMore", "finishGlow", "finishUnder"].map((name) => uniforms[name]!.value);
  for (let k = 0; k < MOST_FINISHES; k++) {
    const f: FinishOf = finishes[Math.min(k, finishes.length - 1)]!;
    const colour = f.subsurface_colour ?? [0, 0, 0];
    (unit as THREE.Vector4[])[k]!.set(f.metalness[0]!, f.roughness[0]!, f.transmission[0]!, f.subsurface[0]!);
    (more as THREE.Vector4[])[k]!.set(f.opacity[0]!, f.emission_strength[0]!, f.subsurface_radius[0]!, f.subsurface_colour ? 0 : 1);
    // In linear light, worked out once; what follows the base colour adds nothing of its own.
    (glow as THREE.Vector3[])[k]!.fromArray(f.emission_colour.map(decoded));
    (under as THREE.Vector3[])[k]!.fromArray(colour.map(decoded));
  }
  uniforms.threshold!.value = threshold ?? -1;
  uniforms.along!.value = { normal: 0, up: 1, ways: 2 }[along];
  (uniforms.up!.value as THREE.Vector3).fromArray(up);
}

/** What belongs to one shape: its size, and the picture on it. */
export type OfShape = Record<"shapeSize" | "pictures" | "usesPicture" | "into" | "cuts" | "cutBelow" | "through", { value: unknown }>;

const NO_PICTURE = new THREE.DataArrayTexture(new Uint8Array(8).fill(255), 1, 1, 2);
NO_PICTURE.needsUpdate = true;

export function ofShape(): OfShape {
  return {
    shapeSize: { value: 1 },
    pictures: { value: NO_PICTURE },
    usesPicture: { value: 0 },
    into: { value: new THREE.Matrix3() },
    cuts: { value: 0 },
    cutBelow: { value: 0.5 },
    through: { value: 1 },
  };
}

export function setPicture(of: OfShape, picture: Material["shapes"][number]["picture"], texture: THREE.DataArrayTexture | null) {
  of.pictures.value = texture ?? NO_PICTURE;
  of.usesPicture.value = picture && texture ? 1 : 0;
  of.cuts.value = picture?.cut && texture ? 1 : 0;
  of.cutBelow.value = picture?.threshold ?? 0.5;
  of.through.value = picture?.through ?? 1;
  const [a, b, c, d, e, f] = picture?.into ?? [1, 0, 0, 0, 1, 0];
  (of.into.value as THREE.Matrix3).set(a!, b!, c!, d!, e!, f!, 0, 0, 1);
}

const SAMPLERS = TEXTURES.map((name) => `uniform sampler2D ${name};\nuniform vec4 has_${name};`).join("\n");

/** Where vertices come to stand: `placed` and `turned` for positions and normals of vertices. */
const STANDING: Record<Standing, string> = {
  instances: /* glsl */ `
attribute float element;
// Of a thing of several parts: the part of the vertex, and the one that the element is, from 1; 0 where all are drawn.
attribute float piece;
attribute float own;
uniform float shapeSize;
#define ELEMENT int(element + 0.5)
vec3 byQuaternion(vec4 q, vec3 v) { return v + 2.0 * cross(q.xyz, cross(q.xyz, v) + q.w * v); }
vec3 turned(vec3 v) {
  ivec2 at = texelOf(ELEMENT);
  if (has_floatsA.z < 0.5) return byQuaternion(texelFetch(turns, at, 0), v);
  float s = radians(texelFetch(floatsA, at, 0).z);
  vec3 spun = vec3(v.x * cos(s) - v.y * sin(s), v.x * sin(s) + v.y * cos(s), v.z);
  return byQuaternion(texelFetch(turns, at, 0), spun);
}
vec3 placed(vec3 v) {
  ivec2 at = texelOf(ELEMENT);
  vec4 place = texelFetch(places, at, 0);
  vec4 moves = movesOf(at);
  vec3 foot = place.xyz;
  if (has_floatsA.y > 0.5) {
    vec3 way = along < 0.5 ? byQuaternion(texelFetch(turns, at, 0), vec3(0.0, 0.0, 1.0)) : along < 1.5 ? up : texelFetch(ways, at, 0).xyz;
    foot += way * moves.y;
  }
  return abs(piece - own) > 0.5 && own > 0.5 ? foot : foot + turned(v * place.w * moves.x * shapeSize);
}
`,
  ribbons: /* glsl */ `
#define ELEMENT (gl_VertexID >> 1)
uniform float frameHeight;
// In the population's own space: along the strand, to the ribbon's side, and to the eye.
vec3 ribbonAlong, ribbonAcross, ribbonOut;
vec3 pointOf(int e) {
  ivec2 at = texelOf(e);
  vec3 p = texelFetch(places, at, 0).xyz;
  if (has_floatsA.y < 0.5) return p;
  vec3 way = along > 0.5 && along < 1.5 ? up : texelFetch(ways, at, 0).xyz;
  return p + way * texelFetch(floatsA, at, 0).y;
}
vec3 unitOf(vec3 v, vec3 otherwise) { float size = length(v); return size > 1e-12 ? v / size : otherwise; }
vec3 placed(vec3 v) {
  int e = ELEMENT;
  vec3 p = pointOf(e);
  vec3 before = normal.y > 0.5 ? p : pointOf(e - 1);
  vec3 after = normal.z > 0.5 ? p : pointOf(e + 1);
  mat3 turn = mat3(modelViewMatrix);
  float square = max(dot(turn[0], turn[0]), 1e-20);
  vec3 eye = (modelViewMatrix * vec4(p, 1.0)).xyz;
  // The inverse of a turn and a size is its transpose over the square of the size.
  bool flatSight = projectionMatrix[2][3] > -0.5;
  ribbonOut = unitOf((flatSight ? vec3(0.0, 0.0, 1.0) : -eye) * turn, vec3(0.0, 0.0, 1.0));
  ribbonAlong = unitOf(after - before, vec3(0.0, 0.0, 1.0));
  ribbonAcross = unitOf(cross(ribbonAlong, ribbonOut), vec3(1.0, 0.0, 0.0));
  ribbonOut = cross(ribbonAcross, ribbonAlong);
  float halfWide = 0.5 * texelFetch(places, texelOf(e), 0).w * movesOf(texelOf(e)).x;
  float pixel = (flatSight ? 1.0 : -eye.z) * 2.0 / (projectionMatrix[1][1] * (flatSight ? 1024.0 : frameHeight) * sqrt(square));
  return p + ribbonAcross * normal.x * max(halfWide, 0.5 * pixel);
}
// Round: from one side over the middle to the other.
vec3 turned(vec3 v) { placed(v); return normalize(0.92 * normal.x * ribbonAcross + 0.4 * ribbonOut); }
`,
  surface: /* glsl */ `
#define ELEMENT gl_VertexID
vec3 turned(vec3 v) { return v; }
vec3 placed(vec3 v) {
  if (has_floatsA.y < 0.5) return v;
  ivec2 at = texelOf(ELEMENT);
  vec3 way = along > 0.5 && along < 1.5 ? up : texelFetch(ways, at, 0).xyz;
  return v + way * texelFetch(floatsA, at, 0).y;
}
`,
};

const PLACING = /* glsl */ `
${SAMPLERS}
uniform float along;
uniform vec3 up;
ivec2 texelOf(int e) { return ivec2(e & 1023, e >> 10); }
// What a texture says of those of its parts that have values, else what is there without; not read where none has.
vec4 valueOf(sampler2D values, vec4 has, vec4 without, ivec2 at) {
  if (dot(has, vec4(1.0)) < 0.5) return without;
  return mix(without, texelFetch(values, at, 0), has);
}
// Size, offset and spin.
vec4 movesOf(ivec2 at) { return valueOf(floatsA, has_floatsA, vec4(1.0, 0.0, 0.0, 0.0), at); }
`;

const VARYINGS = /* glsl */ `
// Colour as levels of the display, and the group.
varying vec4 vTint;
// Metalness, roughness, transmission, subsurface.
varying vec4 vUnit;
// Opacity, emission strength, subsurface radius, picture mix.
varying vec4 vMore;
varying vec3 vGlow;
// The colour below the surface, and the part of it that follows the base colour.
varying vec4 vUnder;
// Hue turn, saturation, brightness, contrast of the picture; its gamma, and a number for each element.
varying vec4 vGrade;
varying vec2 vGamma;
varying vec2 vPictureUv;
#ifdef SURFACE
varying vec4 vMappedA;
varying vec4 vMappedB;
#endif
#ifdef RIBBONS
// The way of the strand as it is seen; how far along, density, and what that is held against.
varying vec3 vAlong;
varying vec3 vStrand;
#endif
`;

const FINISHES = /* glsl */ `
uniform vec4 finishUnit[${MOST_FINISHES}];
uniform vec4 finishMore[${MOST_FINISHES}];
uniform vec3 finishGlow[${MOST_FINISHES}];
uniform vec3 finishUnder[${MOST_FINISHES}];
`;

const LINEAR = /* glsl */ `
vec3 linearOf(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
`;

/** What an element has, from its values and its finish, for the fragments. */
const SENDING = /* glsl */ `
${FINISHES}
${LINEAR}
uniform mat3 into;
void sendElement() {
  ivec2 at = texelOf(ELEMENT);
  vTint = texelFetch(tints, at, 0) * vec4(1.0, 1.0, 1.0, 255.0);
  vec4 floats = valueOf(floatsC, has_floatsC, vec4(1.0, 0.0, 0.0, 0.0), at);
  int low = int(floor(floats.y));
  int high = min(low + 1, ${MOST_FINISHES - 1});
  float part = floats.y - float(low);
  vUnit = valueOf(unitsA, has_unitsA, mix(finishUnit[low], finishUnit[high], part), at);
  vec4 more = mix(finishMore[low], finishMore[high], part);
  vec4 units = valueOf(unitsB, has_unitsB, vec4(more.x, 0.0, 0.0, 0.0), at);
  vMore = vec4(units.x, has_floatsA.w > 0.5 ? texelFetch(floatsA, at, 0).w : more.y, has_floatsC.z > 0.5 ? floats.z : more.z, units.y);
  vGlow = mix(finishGlow[low], finishGlow[high], part);
  if (has_glows.x > 0.5) vGlow = linearOf(texelFetch(glows, at, 0).rgb);
  vUnder = vec4(mix(finishUnder[low], finishUnder[high], part), more.w);
  if (has_unders.x > 0.5) vUnder = vec4(linearOf(texelFetch(unders, at, 0).rgb), 0.0);
  vGrade = valueOf(floatsB, has_floatsB, vec4(0.0, 1.0, 1.0, 1.0), at);
  vGamma = vec2(floats.x, fract(float(ELEMENT) * 0.61803398875));
#ifdef PICTURED
  vPictureUv = (into * vec3(uv, 1.0)).xy;
#else
  vPictureUv = vec2(0.0);
#endif
#ifdef SURFACE
  vMappedA = valueOf(mappedA, has_mappedA, vec4(0.0), at);
  vMappedB = valueOf(mappedB, has_mappedB, vec4(0.0), at);
  vGamma.y = 0.0;
#endif
#ifdef RIBBONS
  vec2 strand = texelFetch(turns, at, 0).xy;
  vStrand = vec3(strand.x, has_floatsC.w > 0.5 ? floats.w : 1.0, strand.y);
  vAlong = mat3(modelViewMatrix) * ribbonAlong;
  vGamma.y = strand.y;
#endif
}
`;

/** What a fragment shows of its element; the arithmetic is that of core/shading.py. */
const READING = /* glsl */ `
${LINEAR}
uniform float isolated;
uniform vec3 dimmed;
uniform float plain;
uniform float threshold;
uniform float pass;
uniform float scale;
uniform highp sampler2DArray pictures;
uniform float usesPicture;
uniform float cuts;
uniform float cutBelow;
// What light that goes through a picture is multiplied by.
uniform float through;
vec3 gone(vec3 colour) { return usesPicture > 0.5 ? min(colour * through, vec3(1.0)) : colour; }
#ifdef SURFACE
uniform highp sampler2D tables;
uniform vec2 tableOf[${MOST_TABLES}];
// A number in the table of a lane: the row that holds it, and straight between two of its texels.
vec3 lookedUp(int k, float x) {
  int first = int(tableOf[k].x), low = first, high = first + int(tableOf[k].y) - 1;
  for (int i = 0; i < 10; i++) {
    if (low >= high) break;
    int middle = (low + high + 1) / 2;
    if (texelFetch(tables, ivec2(0, middle), 0).a <= x) low = middle; else high = middle - 1;
  }
  float begin = texelFetch(tables, ivec2(0, low), 0).a, end = texelFetch(tables, ivec2(1, low), 0).a;
  float t = clamp((x - begin) / (end - begin), 0.0, 1.0) * 63.0;
  int texel = min(int(t), 62);
  return mix(texelFetch(tables, ivec2(texel, low), 0).rgb, texelFetch(tables, ivec2(texel + 1, low), 0).rgb, t - float(texel));
}
#define MAPPED(k) (plain < 0.5 && tableOf[k].y > 0.5)
#endif
vec3 encodedOf(vec3 c) { return mix(c * 12.92, 1.055 * pow(max(c, vec3(1e-9)), vec3(1.0 / 2.4)) - 0.055, step(0.0031308, c)); }
vec3 corrected(vec3 linear, vec4 grade, float gamma) {
  vec3 v = encodedOf(linear);
  float c = cos(radians(grade.x)), s = sin(radians(grade.x));
  vec3 grey = vec3(0.213, 0.715, 0.072);
  v = vec3(
    dot(v, grey + c * vec3(0.787, -0.715, -0.072) + s * vec3(-0.213, -0.715, 0.928)),
    dot(v, grey + c * vec3(-0.213, 0.285, -0.072) + s * vec3(0.143, 0.140, -0.283)),
    dot(v, grey + c * vec3(-0.213, -0.715, 0.928) + s * vec3(-0.787, 0.715, 0.072)));
  float luma = dot(v, grey);
  v = luma + (v - luma) * grade.y;
  v = v * grade.z * grade.w + 0.5 - 0.5 * grade.w;
  return linearOf(pow(max(v, 0.0), vec3(1.0 / gamma)));
}
bool isDimmed() { return isolated >= 0.0 && abs(vTint.a - isolated) > 0.5; }
vec3 ofPicture = vec3(1.0);
vec3 tint;
float opacityOf() {
  float a = vMore.x;
#ifdef SURFACE
  if (MAPPED(1)) a = lookedUp(1, vMappedA.y).r;
#endif
  return a;
}
// Holes: of the picture, of opacity below its threshold, or as part of a pattern where elements are seen through.
void cutOut() {
  if (plain > 0.5) return;
#ifdef RIBBONS
  // A strand ends where its density falls below its own number.
  if (vStrand.y <= vStrand.z) discard;
#endif
  float a = opacityOf();
  if (threshold >= 0.0) {
    if (a < threshold) discard;
  } else if (a < 1.0) {
    float noise = fract(52.9829189 * fract(dot(gl_FragCoord.xy + pass * 5.588238, vec2(0.06711056, 0.00583715))));
    if (a <= fract(noise + vGamma.y)) discard;
  }
}
void readPicture() {
  if (usesPicture < 0.5 || plain > 0.5) return;
  vec4 first = texture(pictures, vec3(vPictureUv, 0.0));
  if (cuts > 0.5 && first.a < cutBelow) discard;
  vec4 second = texture(pictures, vec3(vPictureUv, 1.0));
  ofPicture = corrected(mix(first.rgb, second.rgb, vMore.w), vGrade, vGamma.x);
}
void readElement() {
  cutOut();
  readPicture();
  tint = vTint.rgb;
#ifdef SURFACE
  if (MAPPED(0)) tint = lookedUp(0, vMappedA.x);
#endif
}
vec3 albedo() { return linearOf(tint) * ofPicture; }
`;

/** Replace a chunk of a shader; a chunk that is missing must not pass silently. */
function replaced(shader: string, chunk: string, text: string): string {
  if (!shader.includes(chunk)) throw new Error(`The renderer's shader has no ${chunk}.`);
  return shader.replace(chunk, text);
}

const after = (shader: string, chunk: string, text: string) => replaced(shader, chunk, `${chunk}\n${text}`);

const DEFINES: Record<Standing, string> = { instances: "#define PICTURED\n", surface: "#define SURFACE\n", ribbons: "#define RIBBONS\n" };
const vertexHead = (standing: Standing, pictured: boolean) => `${DEFINES[standing]}${pictured && standing === "surface" ? "#define PICTURED\n" : ""}${PLACING}${STANDING[standing]}${VARYINGS}${SENDING}`;
const fragmentHead = (standing: Standing) => `${DEFINES[standing]}${VARYINGS}${READING}`;

/** What light does on the finished surface beside three's own: from the element's values. */
const CHANNELS_ON = /* glsl */ `
float gMetal = vUnit.x, gRough = vUnit.y, gThrough = vUnit.z, gUnder = vUnit.w, gStrength = vMore.y;
vec3 gGlow = vGlow;
#ifdef SURFACE
if (MAPPED(2)) gRough = lookedUp(2, vMappedA.z).r;
if (MAPPED(3)) gMetal = lookedUp(3, vMappedA.w).r;
if (MAPPED(4)) gThrough = lookedUp(4, vMappedB.x).r;
if (MAPPED(5)) gUnder = lookedUp(5, vMappedB.y).r;
if (MAPPED(6)) gGlow = linearOf(lookedUp(6, vMappedB.z));
if (MAPPED(7)) gStrength = lookedUp(7, vMappedB.w).r;
#endif
if (isDimmed()) { gMetal = 0.0; gRough = 0.6; gThrough = gUnder = gStrength = 0.0; }
`;

/** Light of its own: the greatest part bent towards a peak, so that its hue stays. */
const GLOW = /* glsl */ `
if (gStrength > 0.0) {
float glowMost = max(max(gGlow.r, gGlow.g), max(gGlow.b, 1e-6));
float glowWanted = gStrength * glowMost;
float glowShown = glowWanted <= 0.76 ? glowWanted : 0.76 + 0.59 * (1.0 - exp(-(glowWanted - 0.76) / 0.59));
totalEmissiveRadiance = gGlow / glowMost * glowShown;
}
`;

/** Below the surface, approximately: light wraps around, and some comes through from behind; shadows do not count. */
const UNDER = /* glsl */ `
if (gUnder > 0.0) {
  vec3 underColour = vUnder.rgb + vUnder.a * diffuseColor.rgb;
  float deep = vMore.z / (vMore.z + scale);
  float wrap = mix(0.15, 0.7, deep);
  vec3 lit = vec3(0.0);
#if NUM_DIR_LIGHTS > 0
  float facing = dot(normal, directionalLights[0].direction);
  float before = clamp((facing + wrap) / ((1.0 + wrap) * (1.0 + wrap)), 0.0, 1.0), behind = 0.35 * deep * max(-facing, 0.0);
  lit = directionalLights[0].color * (before * underColour + behind * gone(underColour));
#endif
  reflectedLight.directDiffuse = mix(reflectedLight.directDiffuse, lit * RECIPROCAL_PI, gUnder);
  reflectedLight.indirectDiffuse = mix(reflectedLight.indirectDiffuse, reflectedLight.indirectDiffuse / max(diffuseColor.rgb, vec3(1e-3)) * underColour, gUnder);
}
`;

/** Along strands light gleams where it meets them at a right angle half-way to the eye (Kajiya and Kay 1989); roots lie in the shade of the others. */
const GLEAM = /* glsl */ `
#ifdef RIBBONS
{
  float shade = mix(0.5, 1.0, smoothstep(0.0, 0.5, vStrand.x));
  reflectedLight.directDiffuse *= shade;
  reflectedLight.indirectDiffuse *= shade;
#if NUM_DIR_LIGHTS > 0
  vec3 middle = normalize(directionalLights[0].direction + normalize(vViewPosition));
  float square = dot(normalize(vAlong), middle);
  float sharp = mix(160.0, 6.0, sqrt(gRough));
  float lit = dot(reflectedLight.directDiffuse, vec3(1.0)) / max(dot(diffuseColor.rgb, vec3(1.0)), 0.02);
  float gleam = pow(max(1.0 - square * square, 0.0), 0.5 * sharp) * mix(0.5, 0.08, gRough) * lit;
  reflectedLight.directSpecular = mix(vec3(1.0), diffuseColor.rgb, max(gMetal, 0.35)) * gleam;
  reflectedLight.indirectSpecular *= 0.35 * shade;
#endif
}
#endif
`;

/** Glass, approximately: what the surroundings send through the refracted line of sight, tinted; glass sees no other glass. */
const THROUGH = /* glsl */ `
if (gThrough > 0.0) {
  vec3 behind = vec3(0.82);
#if defined( USE_ENVMAP ) && defined( ENVMAP_TYPE_PMREM )
  vec3 into_ = refract(-normalize(vViewPosition), normal, 1.0 / 1.45);
  into_ = transformDirectionByInverseViewMatrix(normalize(into_), viewMatrix);
  behind = textureLod(envMap, envMapRotation * into_, roughnessToMip(max(gRough, 0.04))).rgb * envMapIntensity * 0.8 + 0.1;
#endif
  totalDiffuse = mix(totalDiffuse, behind * gone(diffuseColor.rgb), gThrough * (1.0 - gMetal));
}
`;

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

/** Lights each vertex once, by a sun, the sky and a gleam: `vLit` has what the colour is multiplied by, and what is added. */
const PLAIN_LIGHT = /* glsl */ `
uniform vec3 plainSun;
uniform float plainStrength;
varying vec2 vLit;
vec4 litEye() {
  vec4 eye = modelViewMatrix * vec4(placed(position), 1.0);
  vec3 n = normalize(normalMatrix * turned(normal));
  vec3 out_ = normalize(-eye.xyz);
  if (dot(n, out_) < 0.0) n = -n;
  float facing = max(dot(n, plainSun), 0.0);
  // Levels of the display are about square roots of light.
  vLit.x = sqrt(plainStrength * (0.42 + 0.16 * n.y + 0.66 * facing));
  float rough = vUnit.y;
  vLit.y = plainStrength * (1.0 - rough) * mix(0.22, 0.5, vUnit.x) * pow(max(dot(n, normalize(plainSun + out_)), 0.0), mix(60.0, 6.0, rough));
  return eye;
}
`;

/** A colour in that light, the metalness given; what is dimmed is lit, but does not gleam. */
export const PLAIN_COLOUR = /* glsl */ `
vec3 plainLit(vec3 shown, vec2 lit, float metal) { return shown * lit.x + lit.y * mix(vec3(1.0), shown, metal); }
`;

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
        ${standing === "ribbons" ? "if (has_floatsC.w > 0.5) vStands = texelFetch(floatsC, texelOf(ELEMENT), 0).w - texelFetch(turns, texelOf(ELEMENT), 0).y;" : ""}
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
