/** Numbers typed as arithmetic: + - * / and brackets. */

/** Blanks that people and programs put between thousands. */
const BLANK = "[ \\u00a0\\u2009\\u202f]";
/** 5,000 and 5.000 and 5 000 and 5'000: whole numbers in groups of three. */
const THOUSANDS = new RegExp(`(?<![\\d.,])\\d{1,3}(?:(?:[,.'’]|${BLANK})\\d{3})+(?![\\d.,])`, "g");
/** Where a number may have a fraction, groups of three are surely meant only with blanks, or from two separators on. */
const SURE = new RegExp(`(?<![\\d.,])\\d{1,3}(?:(?:${BLANK}|['’])\\d{3})+(?!\\d)|(?<![\\d.,])\\d{1,3}(?:,\\d{3}){2,}(?!\\d)`, "g");

/** The value of the text, or null where it is not arithmetic; of whole numbers a separator groups thousands. */
export function calculated(text: string, whole = false): number | null {
  const plain = text.replace(whole ? THOUSANDS : SURE, (found) => found.replace(/\D/g, "")).replace(/,/g, ".");
  const tokens = plain.match(/\d*\.?\d+(?:e[+-]?\d+)?|[-+*/()]/gi);
  if (!tokens || tokens.join("") !== plain.replace(/\s/g, "")) return null;
  let at = 0;
  function factor(): number {
    const token = tokens![at++];
    if (token === "-") return -factor();
    if (token === "+") return factor();
    if (token === "(") {
      const value = sum();
      return tokens![at++] === ")" ? value : Number.NaN;
    }
    return token === undefined ? Number.NaN : Number(token);
  }
  function product(): number {
    let value = factor();
    while (tokens![at] === "*" || tokens![at] === "/") value = tokens![at++] === "*" ? value * factor() : value / factor();
    return value;
  }
  function sum(): number {
    let value = product();
    while (tokens![at] === "+" || tokens![at] === "-") value = tokens![at++] === "+" ? value + product() : value - product();
    return value;
  }
  const value = sum();
  return at === tokens.length && Number.isFinite(value) ? value : null;
}
