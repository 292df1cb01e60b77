/** Telling what did not work or was done. */
import { useStore } from "./base";
import type { NoticesSlice } from "./notices.slice";

/** Tell something until it is closed, with what can be done about it. */
export function tell(notice: string, noticeAction: NoticesSlice["noticeAction"] = null) {
  useStore.setState({ notice, noticeAction });
}

/** Tell screen readers what has happened. */
export function announce(announcement: string) {
  useStore.setState({ announcement });
}
