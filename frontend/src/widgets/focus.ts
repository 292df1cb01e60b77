/** The keyboard's focus on what was just made: it may take a few frames to be there. */
export function focusOn(selector: string, frames = 40) {
  const found = document.querySelector<HTMLElement>(selector);
  // A menu that closes gives the focus back to its button first.
  if (found && frames < 38) found.focus();
  else if (frames > 0) requestAnimationFrame(() => focusOn(selector, frames - 1));
}
