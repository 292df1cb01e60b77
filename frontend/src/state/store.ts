/** The state of the page: the draft, what the core said about it, and what is chosen. One file a slice. */
export { NONE, type State, useStore } from "./base";
export * from "./document";
export * from "./notices";
export * from "./selection";
export * from "./view";
export * from "./time";
export * from "./tools";
export type { Geometry } from "./results.slice";
export type { Room } from "./view.slice";
export { arrayOf } from "./results";
