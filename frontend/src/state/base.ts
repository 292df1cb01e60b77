/** The one store of the page, made of slices; each slice's file has its part of the state and the actions on it. */
import { create } from "zustand";
import { type ClockSlice, clock } from "./clock";
import { type DocumentSlice, document } from "./document.slice";
import { type NoticesSlice, notices } from "./notices.slice";
import { type ResultsSlice, results } from "./results.slice";
import { type SelectionSlice, selection } from "./selection.slice";
import { type ViewSlice, viewing } from "./view.slice";

export interface State extends DocumentSlice, ResultsSlice, SelectionSlice, ViewSlice, NoticesSlice, ClockSlice {}

export const useStore = create<State>(() => ({ ...document, ...results, ...selection, ...viewing, ...notices, ...clock }));

/** The one empty list, so that a selector without a result always gives the same value. */
export const NONE: never[] = [];
