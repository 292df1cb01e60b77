/** What the view needs of the server, asked for again while that cannot be reached. */
import { Refused } from "../api/client";
import { pause, RETRY } from "../state/jobs";

/** What was asked for, or null where it was refused. */
export async function persisted<T>(ask: () => Promise<T>): Promise<T | null> {
  for (;;) {
    try {
      // oxlint-disable-next-line no-await-in-loop -- each question follows the failure of the one before it
      return await ask();
    } catch (error) {
      // What is refused is told where it is used.
      if (error instanceof Refused && error.status < 500) return null;
    }
    // oxlint-disable-next-line no-await-in-loop
    await pause(RETRY);
  }
}
