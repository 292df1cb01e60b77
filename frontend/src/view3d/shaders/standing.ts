/** Where vertices come to stand, for each way to draw. */
import { SAMPLERS } from "./reading";

/** How vertices stand: as those of a shape at each element's place, as the elements themselves, beside them along strands, around these, or on discs that face the camera. */
export type Standing = "instances" | "surface" | "ribbons" | "tubes" | "discs";

/** Points along strands, moved by what a lane says. */
const ALONG = /* glsl */ `
uniform float frameHeight;
// In the population's own space: along the strand, and to its side.
vec3 ribbonAlong, ribbonAcross;
vec3 pointOf(int e) {
  ivec2 at = texelOf(e);
  vec3 p = texelFetch(places, at, 0).xyz;
  if (has_floatsA.y < 0.5) return p;
  vec3 way = along > 0.5 && along < 1.5 ? up : texelFetch(ways, at, 0).xyz;
  return p + way * texelFetch(floatsA, at, 0).y;
}
vec3 unitOf(vec3 v, vec3 otherwise) { float size = length(v); return size > 1e-12 ? v / size : otherwise; }
// Half the width at a point, and not less than half a pixel of the view.
float reachOf(int e, vec3 eye, bool flatSight) {
  mat3 turn = mat3(modelViewMatrix);
  float square = max(dot(turn[0], turn[0]), 1e-20);
  float halfWide = 0.5 * texelFetch(places, texelOf(e), 0).w * movesOf(texelOf(e)).x;
  return max(halfWide, (flatSight ? 1.0 : -eye.z) / (projectionMatrix[1][1] * (flatSight ? 1024.0 : frameHeight) * sqrt(square)));
}
`;

/** Where vertices come to stand: `placed` and `turned` for positions and normals of vertices. */
export const STANDING: Record<Standing, string> = {
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
${ALONG}
// To the eye.
vec3 ribbonOut;
vec3 placed(vec3 v) {
  int e = ELEMENT;
  vec3 p = pointOf(e);
  vec3 before = normal.y > 0.5 ? p : pointOf(e - 1);
  vec3 after = normal.z > 0.5 ? p : pointOf(e + 1);
  vec3 eye = (modelViewMatrix * vec4(p, 1.0)).xyz;
  bool flatSight = projectionMatrix[2][3] > -0.5;
  // The inverse of a turn and a size is its transpose over the square of the size.
  ribbonOut = unitOf((flatSight ? vec3(0.0, 0.0, 1.0) : -eye) * mat3(modelViewMatrix), vec3(0.0, 0.0, 1.0));
  ribbonAlong = unitOf(after - before, vec3(0.0, 0.0, 1.0));
  ribbonAcross = unitOf(cross(ribbonAlong, ribbonOut), vec3(1.0, 0.0, 0.0));
  ribbonOut = cross(ribbonAcross, ribbonAlong);
  return p + ribbonAcross * normal.x * reachOf(e, eye, flatSight);
}
// Round: from one side over the middle to the other.
vec3 turned(vec3 v) { placed(v); return normalize(0.92 * normal.x * ribbonAcross + 0.4 * ribbonOut); }
`,
  tubes: /* glsl */ `
attribute float element;
#define ELEMENT int(element + 0.5)
${ALONG}
vec3 outOf(int e) {
  vec2 packed = texelFetch(turns, texelOf(e), 0).zw;
  vec3 n = vec3(packed, 1.0 - abs(packed.x) - abs(packed.y));
  if (n.z < 0.0) n.xy = (1.0 - abs(n.yx)) * vec2(n.x < 0.0 ? -1.0 : 1.0, n.y < 0.0 ? -1.0 : 1.0);
  return n;
}
vec3 ringOut(int e) {
  vec3 across = outOf(e);
  ribbonAcross = unitOf(across - ribbonAlong * dot(across, ribbonAlong), vec3(1.0, 0.0, 0.0));
  return ribbonAcross * normal.x + cross(ribbonAlong, ribbonAcross) * normal.y;
}
// Of a vertex: how far it is moved along, in radii, the size of its ring, and how far its normal leans forward; the
// cosine and sine of its place in the ring, and whether its strand begins (1) or ends (2) here, or both (3).
vec3 placed(vec3 v) {
  int e = ELEMENT;
  vec3 p = pointOf(e);
  int ends = int(normal.z + 0.5);
  ribbonAlong = unitOf(((ends & 2) > 0 ? p : pointOf(e + 1)) - ((ends & 1) > 0 ? p : pointOf(e - 1)), vec3(0.0, 0.0, 1.0));
  float reach = reachOf(e, (modelViewMatrix * vec4(p, 1.0)).xyz, projectionMatrix[2][3] > -0.5);
  return p + reach * (ringOut(e) * position.y + ribbonAlong * position.x);
}
vec3 turned(vec3 v) {
  placed(position);
  return normalize(ringOut(ELEMENT) * cos(position.z) + ribbonAlong * sin(position.z));
}
`,
  discs: /* glsl */ `
attribute float element;
#define ELEMENT int(element + 0.5)
uniform float frameHeight;
vec3 turned(vec3 v) { return normalize(vec3(0.0, 0.0, 1.0) * mat3(modelViewMatrix)); }
vec3 placed(vec3 v) {
  ivec2 at = texelOf(ELEMENT);
  vec4 place = texelFetch(places, at, 0);
  mat3 turn = mat3(modelViewMatrix);
  float size = sqrt(max(dot(turn[0], turn[0]), 1e-20));
  vec3 eye = (modelViewMatrix * vec4(place.xyz, 1.0)).xyz;
  bool flatSight = projectionMatrix[2][3] > -0.5;
  float pixel = (flatSight ? 1.0 : -eye.z) * 2.0 / (projectionMatrix[1][1] * (flatSight ? 1024.0 : frameHeight) * size);
  // The inverse of a turn and a size is its transpose over the square of the size.
  vec3 across = vec3(v.xy, 0.0) * turn / size;
  return place.xyz + across * max(place.w * movesOf(at).x, 1.2 * pixel);
}
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

export const PLACING = /* glsl */ `
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
