/** Light that each vertex gets once, where no graphics card is. */

/** Lights each vertex once, by a sun, the sky and a gleam: `vLit` has what the colour is multiplied by, and what is added. */
export const PLAIN_LIGHT = /* glsl */ `
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
