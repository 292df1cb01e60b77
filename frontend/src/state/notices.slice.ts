/** The notices: what did not work or was done. */
export interface NoticesSlice {
  /** Told until it is closed. */
  notice: string;
  /** What can be done about it. */
  noticeAction: { label: string; run: () => void } | null;
  /** Told to screen readers. */
  announcement: string;
  loadError: string;
}

export const notices: NoticesSlice = { notice: "", noticeAction: null, announcement: "", loadError: "" };
