/** The results: what the core said about each population of the draft. */
import type { EvaluationHeader, PopulationHeader, Refused } from "../api/client";

/** What a maker made, for the view; its arrays are kept outside comparisons because they are large. */
export interface Geometry {
  key: string;
  header: PopulationHeader;
  positions: Float32Array;
  /** All arrays that came, by name: what they are depends on how the population is drawn. */
  arrays: Record<string, Float32Array | Uint8Array | Int32Array>;
}

export interface ResultsSlice {
  results: Record<string, EvaluationHeader>;
  errors: Record<string, Refused | null>;
  geometry: Record<string, Geometry>;
  making: Record<string, boolean>;
}

export const results: ResultsSlice = { results: {}, errors: {}, geometry: {}, making: {} };
