/** Glass, approximately: what the surroundings send through the refracted line of sight, tinted; glass sees no other glass. */
export const THROUGH = /* glsl */ `
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
