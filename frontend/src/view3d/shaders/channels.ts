/** What light does on the finished surface beside three's own: from the element's values. */
export const CHANNELS_ON = /* glsl */ `
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
