/** Along strands light gleams where it meets them at a right angle half-way to the eye (Kajiya and Kay 1989); roots lie in the shade of the others. */
export const GLEAM = /* glsl */ `
#if defined(RIBBONS) && !defined(TUBES)
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
