/** The notices: what did not work or was done. */
export interface NoticesSlice {
  /** Told until it is closed. */
  notice: string;
  /** Told to screen readers. */
  announcement: string;
  loadError: string;
}

export const notices: NoticesSlice = { notice: "", announcement: "", loadError: "" };
