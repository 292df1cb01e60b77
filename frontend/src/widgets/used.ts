/** What was used how often, kept in this browser, so that lists can put it first. */
const key = (list: string) => `gaudyseed-used-${list}`;

function counts(list: string): Record<string, number> {
  try {
    return (JSON.parse(localStorage.getItem(key(list)) ?? "{}") ?? {}) as Record<string, number>;
  } catch {
    return {};
  }
}

export function used(list: string, name: string) {
  const all = counts(list);
  localStorage.setItem(key(list), JSON.stringify({ ...all, [name]: (all[name] ?? 0) + 1 }));
}

/** Names by how often they were used; those of `first`, in their order, before any was. */
export function mostUsed(list: string, first: string[]): string[] {
  const all = counts(list);
  const names = [...new Set([...Object.keys(all), ...first])];
  return names.toSorted((a, b) => (all[b] ?? 0) - (all[a] ?? 0) || place(first, a) - place(first, b));
}

const place = (first: string[], name: string) => (first.includes(name) ? first.indexOf(name) : first.length);
