/** Below the surface, approximately: light wraps around, and some comes through from behind; shadows do not count. */
export const UNDER = /* glsl */ `
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
