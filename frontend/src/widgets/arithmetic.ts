/** Numbers typed as arithmetic: + - * / and brackets. */

/** The value of the text, or null where it is not arithmetic. */
export function calculated(text: string): number | null {
  const tokens = text.replace(/,/g, ".").match(/\d*\.?\d+(?:e[+-]?\d+)?|[-+*/()]/gi);
  if (!tokens || tokens.join("") !== text.replace(/,/g, ".").replace(/\s/g, "")) return null;
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
