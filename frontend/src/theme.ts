/** A light and a dim theme, both achromatic; the choice is kept in this browser. */
const KEY = "gaudyseed-theme";

export function restoreTheme() {
  document.documentElement.dataset.theme = localStorage.getItem(KEY) ?? "light";
}

export function flipTheme() {
  const next = document.documentElement.dataset.theme === "dim" ? "light" : "dim";
  document.documentElement.dataset.theme = next;
  localStorage.setItem(KEY, next);
}
