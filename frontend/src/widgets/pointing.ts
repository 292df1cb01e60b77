/** What is shown while somebody points at a control. */

/** The controls that are pointed at now. */
const pointed = new WeakSet<EventTarget>();

/**
 * Acts once the pointer moves over a control; "left" once it has gone.
 *
 * A control that comes to lie under a pointer at rest, because what is above it grew, is not pointed at.
 */
export function whenPointedAt(act: () => void, left?: () => void) {
  return {
    onPointerMove: ({ currentTarget }: { currentTarget: EventTarget }) => {
      if (pointed.has(currentTarget)) return;
      pointed.add(currentTarget);
      act();
    },
    onPointerLeave: ({ currentTarget }: { currentTarget: EventTarget }) => {
      pointed.delete(currentTarget);
      left?.();
    },
  };
}
