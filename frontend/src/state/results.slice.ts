/** The results: what the core said about each population of the draft. */
import type { EvaluationHeader, PopulationHeader, Refused } from "../api/client";

/** What a maker made, for the view; its arrays are kept outside comparisons because they are large. */
export interface Geometry {
  key: string;
  header: PopulationHeader;
  positions: Float32Array;
  orientations: Float32Array;
  sizes: Float32Array;
}

export interface ResultsSlice {
  results: Record<string, EvaluationHeader>;
  errors: Record<string, Refused | null>;
  geometry: Record<string, Geometry>;
  making: Record<string, boolean>;
}

export const results: ResultsSlice = { results: {}, errors: {}, geometry: {}, making: {} };
