/** The pictures that ship. */
import { json, type ShippedList } from "../api/client";
import { useStore } from "./base";

export async function fetchShipped() {
  try {
    useStore.setState({ shipped: (await json<ShippedList>("GET", "/assets")).pictures });
  } catch {
    // The page works without them; the next load asks again.
  }
}
