/** Light of its own: the greatest part bent towards a peak, so that its hue stays. */
export const GLOW = /* glsl */ `
if (gStrength > 0.0) {
float glowMost = max(max(gGlow.r, gGlow.g), max(gGlow.b, 1e-6));
float glowWanted = gStrength * glowMost;
float glowShown = glowWanted <= 0.76 ? glowWanted : 0.76 + 0.59 * (1.0 - exp(-(glowWanted - 0.76) / 0.59));
totalEmissiveRadiance = gGlow / glowMost * glowShown;
}
`;
