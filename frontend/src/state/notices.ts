/** Telling what did not work or was done. */
import { useStore } from "./base";

/** Tell something until it is closed. */
export function tell(notice: string) {
  useStore.setState({ notice });
}

/** Tell screen readers what has happened. */
export function announce(announcement: string) {
  useStore.setState({ announcement });
}
