/** All elements as a table: only the rows in sight are there, fetched a page at a time. */
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import { type ElementsAnswer, json, Refused } from "../../api/client";
import { trace, useStore } from "../../state/store";
import { IconButton } from "../../widgets/Button";

const ROW = 24;
const COLUMN = 104;
const cellId = (row: number, column: number) => `element-${row}-${column}`;
/** What tells the elements apart stays in sight while the other columns are scrolled. */
const FIRST = "sticky left-0 z-[1] border-r border-line";
const PAGE = 100;
/** Pages kept: enough for a screen and its surroundings, whatever the number of elements. */
const MOST_PAGES = 12;
/** Browsers cannot lay out taller boxes; beyond, the rows are reached by sorting and keeping. */
const TALLEST = 12_000_000;

interface Query {
  sort: string;
  descending: boolean;
  keep: string;
}

const NUMBER = new Intl.NumberFormat("en-GB", { maximumSignificantDigits: 6, useGrouping: false });

function Cell({ value, kind }: { value: unknown; kind: string }) {
  if (kind === "colour") {
    return (
      <span className="flex items-center gap-1.5">
        <span className="size-3.5 rounded-[3px] border border-line" style={{ background: String(value) }} />
        {String(value)}
      </span>
    );
  }
  if (value === null) return <span className="text-soft">missing</span>;
  return <>{typeof value === "number" ? NUMBER.format(value) : String(value)}</>;
}

export function ElementsTable() {
  const scene = useStore((s) => s.scene);
  const chosen = useStore((s) => s.chosen);
  const traced = useStore((s) => s.traced);
  const version = useStore((s) => s.results[s.chosen]);
  const box = useRef<HTMLDivElement>(null);
  const [query, setQuery] = useState<Query>({ sort: "", descending: false, keep: "" });
  const [typed, setTyped] = useState("");
  const [head, setHead] = useState<ElementsAnswer | null>(null);
  const [pages, setPages] = useState<ReadonlyMap<number, ElementsAnswer>>(new Map());
  const [first, setFirst] = useState(0);
  const [sentence, setSentence] = useState("");
  /** The cell that the keyboard is on; the head is row -1. */
  const [cell, setCell] = useState<{ row: number; column: number } | null>(null);
  const asked = useRef(new Set<number>());
  const generation = useRef(0);
  const fromTable = useRef<number | null>(null);

  const ask = useCallback(
    (offset: number, find: number | null) =>
      json<ElementsAnswer>("POST", "/elements", { scene, population: chosen, ...query, offset, limit: PAGE, find }),
    [scene, chosen, query],
  );

  const load = useCallback(
    async (page: number) => {
      if (asked.current.has(page)) return;
      asked.current.add(page);
      const mine = generation.current;
      try {
        const answer = await ask(page * PAGE, null);
        if (mine !== generation.current) return;
        setHead(answer);
        setSentence("");
        setPages((old) => {
          const kept = [...old].filter(([k]) => k !== page).slice(-MOST_PAGES + 1);
          for (const [k] of old) if (!kept.some(([other]) => other === k)) asked.current.delete(k);
          asked.current.add(page);
          return new Map([...kept, [page, answer]]);
        });
      } catch (error) {
        asked.current.delete(page);
        if (mine === generation.current) setSentence(error instanceof Refused ? error.sentence : "The server cannot be reached.");
      }
    },
    [ask],
  );

  // Everything is fetched anew when what is shown has changed; until it has come, the rows there were stay.
  useEffect(() => {
    generation.current++;
    asked.current.clear();
    void load(Math.floor((box.current?.scrollTop ?? 0) / ROW / PAGE));
  }, [load, version]);

  const matched = head?.matched ?? 0;
  const height = box.current?.clientHeight ?? 240;
  const count = Math.ceil(height / ROW) + 2;
  useEffect(() => {
    for (const row of [first, first + count]) {
      const page = Math.floor(Math.min(row, Math.max(0, matched - 1)) / PAGE);
      void load(page);
    }
  }, [first, count, matched, load]);

  // An element that was traced in the view is brought into sight.
  useEffect(() => {
    if (traced === null || fromTable.current === traced) return;
    fromTable.current = null;
    let stale = false;
    void ask(0, traced).then(({ row_found: row }) => {
      if (!stale && row !== null) box.current?.scrollTo({ top: Math.max(0, row * ROW - 2 * ROW) });
    });
    return () => {
      stale = true;
    };
  }, [traced, ask]);

  function sortBy(key: string) {
    setQuery((q) => ({ ...q, sort: key, descending: q.sort === key && !q.descending }));
  }

  function pick(element: number) {
    fromTable.current = element;
    trace(element);
  }

  const columns = head?.columns ?? [];
  const elementAt = (row: number) => pages.get(Math.floor(row / PAGE))?.elements[row % PAGE];

  /** Put the keyboard on a cell: bring it into sight, and trace its element. */
  function goTo(row: number, column: number) {
    setCell({ row, column });
    const to = box.current;
    if (!to) return;
    const top = row * ROW;
    if (row >= 0 && (top < to.scrollTop || top > to.scrollTop + to.clientHeight - 2 * ROW)) {
      to.scrollTop = Math.max(0, top < to.scrollTop ? top : top - to.clientHeight + 2 * ROW);
    }
    const left = column * COLUMN;
    if (column > 0 && (left - COLUMN < to.scrollLeft || left + COLUMN > to.scrollLeft + to.clientWidth)) {
      to.scrollLeft = Math.max(0, left - COLUMN < to.scrollLeft ? left - COLUMN : left + COLUMN - to.clientWidth);
    }
    const element = row >= 0 ? elementAt(row) : undefined;
    if (element !== undefined && row !== cell?.row) pick(element);
  }

  function keys(event: React.KeyboardEvent) {
    const { row, column } = cell ?? { row: -1, column: 0 };
    const page = Math.max(1, Math.floor((box.current?.clientHeight ?? 240) / ROW) - 2);
    const whole = event.ctrlKey || event.metaKey;
    const to: Record<string, [number, number]> = {
      ArrowDown: [row + 1, column],
      ArrowUp: [row - 1, column],
      ArrowRight: [row, column + 1],
      ArrowLeft: [row, column - 1],
      PageDown: [row + page, column],
      PageUp: [row - page, column],
      Home: [whole ? 0 : row, 0],
      End: [whole ? matched - 1 : row, columns.length - 1],
    };
    const next = to[event.key];
    if (next) {
      event.preventDefault();
      goTo(Math.max(-1, Math.min(matched - 1, next[0])), Math.max(0, Math.min(columns.length - 1, next[1])));
    } else if ((event.key === "Enter" || event.key === " ") && cell) {
      event.preventDefault();
      const element = elementAt(row);
      if (row < 0 && columns[column]) sortBy(columns[column].key);
      else if (element !== undefined) pick(element);
    }
  }

  const focused = (row: number, column: number) =>
    cell?.row === row && cell.column === column ? "group-focus/grid:outline-2 group-focus/grid:-outline-offset-2 group-focus/grid:outline-current" : "";
  const shown = Array.from({ length: Math.max(0, Math.min(count, matched - first)) }, (_, k) => first + k);
  return (
    <section aria-label="All elements" className="flex h-[300px] min-w-0 flex-col border-t border-line bg-panel">
      <div className="flex items-center gap-2.5 px-3 py-1.5">
        <h2 className="heading">All elements</h2>
        <label className="flex grow items-center gap-1.5">
          <span className="text-soft">Keep where</span>
          <input
            className="field grow"
            aria-label="Keep elements where"
            aria-invalid={sentence !== ""}
            placeholder="size > 0.05 and z(position) > 1"
            spellCheck={false}
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
            onBlur={() => setQuery((q) => (q.keep === typed ? q : { ...q, keep: typed }))}
            onKeyDown={(e) => e.key === "Enter" && setQuery((q) => ({ ...q, keep: typed }))}
          />
        </label>
        <span className="text-soft tabular" role="status">
          {head ? `${matched.toLocaleString("en-GB")} of ${head.total.toLocaleString("en-GB")}` : "…"}
        </span>
        <IconButton label="Close the table" onClick={() => useStore.setState({ table: false })}>
          <X size={14} />
        </IconButton>
      </div>
      {sentence && (
        <p role="alert" className="mx-3 mb-1.5 font-medium">
          {sentence}
        </p>
      )}
      <div
        ref={box}
        role="grid"
        tabIndex={0}
        aria-label="Elements"
        aria-rowcount={matched + 1}
        aria-colcount={columns.length}
        aria-activedescendant={cell ? cellId(cell.row, cell.column) : undefined}
        className="group/grid relative min-h-0 grow overflow-auto border-t border-line tabular outline-offset-[-2px]"
        onScroll={(e) => setFirst(Math.max(0, Math.floor(e.currentTarget.scrollTop / ROW) - 1))}
        onKeyDown={keys}
        onFocus={() => setCell((now) => now ?? { row: -1, column: 0 })}
      >
        <div role="row" className="sticky top-0 z-10 flex w-max min-w-full bg-panel" style={{ height: ROW }}>
          {columns.map((c, k) => (
            <span
              key={c.key}
              id={cellId(-1, k)}
              role="columnheader"
              aria-sort={query.sort === c.key ? (query.descending ? "descending" : "ascending") : "none"}
              className={`w-[104px] flex-none border-b border-line ${k === 0 ? FIRST : ""} bg-panel ${focused(-1, k)}`}
            >
              <button
                type="button"
                tabIndex={-1}
                className="flex h-full w-full cursor-pointer items-center gap-1 truncate px-2 text-left font-semibold"
                onClick={() => sortBy(c.key)}
              >
                <span className="truncate">{c.key}</span>
                {query.sort === c.key && (query.descending ? <ArrowDown size={11} /> : <ArrowUp size={11} />)}
              </button>
            </span>
          ))}
        </div>
        <div style={{ height: Math.min(matched * ROW, TALLEST) }} className="relative">
          {shown.map((row) => {
            const page = pages.get(Math.floor(row / PAGE));
            const values = page?.rows[row % PAGE];
            const element = page?.elements[row % PAGE];
            const here = element !== undefined && element === traced;
            return (
              <div
                key={row}
                role="row"
                aria-rowindex={row + 2}
                aria-selected={here}
                className={`group absolute flex w-max min-w-full cursor-pointer items-center ${here ? "bg-ink text-on-ink" : "hover:bg-well"}`}
                style={{ top: row * ROW, height: ROW }}
                onClick={() => element !== undefined && pick(element)}
              >
                {values &&
                  columns.map((c, k) => (
                    <span
                      key={c.key}
                      id={cellId(row, k)}
                      role="gridcell"
                      onClick={() => setCell({ row, column: k })}
                      className={`w-[104px] flex-none truncate px-2 leading-6 ${focused(row, k)} ${k === 0 ? `${FIRST} ${here ? "bg-ink" : "bg-panel group-hover:bg-well"}` : ""}`}
                    >
                      <Cell value={values[k]} kind={c.kind} />
                    </span>
                  ))}
              </div>
            );
          })}
        </div>
      </div>
    </section>
  );
}
