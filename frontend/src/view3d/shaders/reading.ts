/** How shaders read the values of elements: in the vertex, and what goes on to the pixel. */
import { MOST_TABLES, TEXTURES } from "../values";
import { MOST_FINISHES } from "../uniforms";

export const SAMPLERS = TEXTURES.map((name) => `uniform sampler2D ${name};\nuniform vec4 has_${name};`).join("\n");

export const VARYINGS = /* glsl */ `
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
#ifdef DISCS
varying float vDensity;
#endif
#ifdef RIBBONS
// The way of the strand as it is seen; how far along, density, and what that is held against.
varying vec3 vAlong;
varying vec3 vStrand;
#endif
`;

export const FINISHES = /* glsl */ `
uniform vec4 finishUnit[${MOST_FINISHES}];
uniform vec4 finishMore[${MOST_FINISHES}];
uniform vec3 finishGlow[${MOST_FINISHES}];
uniform vec3 finishUnder[${MOST_FINISHES}];
`;

export const LINEAR = /* glsl */ `
vec3 linearOf(vec3 c) { return mix(c / 12.92, pow((c + 0.055) / 1.055, vec3(2.4)), step(0.04045, c)); }
`;

/** What an element has, from its values and its finish, for the fragments. */
export const SENDING = /* glsl */ `
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
#ifdef DISCS
  vDensity = has_floatsC.w > 0.5 ? floats.w : 1.0;
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
export const READING = /* glsl */ `
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
