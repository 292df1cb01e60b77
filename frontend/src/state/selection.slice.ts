/** The selection: which population, chain, step and stop are chosen, and what is picked out of the elements. */
export interface SelectionSlice {
  chosen: string;
  /** The path of the chain that is shown, in the chosen population's look. */
  chain: string;
  step: number | null;
  stop: number;
  /** The group of the chosen population that is singled out. */
  isolated: number | null;
  /** The part of the chosen population that is singled out, in place of a group. */
  part: number | null;
  /** The element of the chosen population that is traced. */
  traced: number | null;
  /** Its id, where elements come and go: there this says which it is. */
  followed: number | null;
  /** The population whose name is being typed. */
  naming: string | null;
  /** Takes the colour of the element that is clicked next in the view. */
  picking: ((colour: string) => void) | null;
}

export const selection: SelectionSlice = {
  chosen: "",
  chain: "lanes.base_colour.layers[0].paint",
  step: null,
  stop: 0,
  isolated: null,
  part: null,
  traced: null,
  followed: null,
  naming: null,
  picking: null,
};
