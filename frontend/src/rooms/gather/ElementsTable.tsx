/** All elements as a table: only the rows in sight are there, fetched a page at a time. */
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useRef, useState } from "react";
import { type ElementsAnswer, json, Refused } from "../../api/client";
import { isolatePart, NONE, trace, useStore } from "../../state/store";
import { Choice } from "../../widgets/Choice";
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
  /** The level whose owners are listed; empty for the elements. */
  level: string;
  sort: string;
  descending: boolean;
  keep: string;
}

const NUMBER = new Intl.NumberFormat("en-GB", { maximumSignificantDigits: 6, useGrouping: false });

function Shown({ value, kind }: { value: unknown; kind: string }) {
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

/** The pages of rows that have come, and what asks for one. */
function usePages(query: Query, top: () => number) {
  const scene = useStore((s) => s.scene);
  const chosen = useStore((s) => s.chosen);
  const version = useStore((s) => s.results[s.chosen]);
  const [head, setHead] = useState<ElementsAnswer | null>(null);
  const [pages, setPages] = useState<ReadonlyMap<number, ElementsAnswer>>(new Map());
  const [sentence, setSentence] = useState("");
  const asked = useRef(new Set<number>());
  const generation = useRef(0);

  const ask = useCallback(
    (offset: number, find: number | null) =>
      json<ElementsAnswer>("POST", "/elements", { scene, population: chosen, frame: useStore.getState().frame, ...query, offset, limit: PAGE, find }),
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
    void load(Math.floor(top() / ROW / PAGE));
    // oxlint-disable-next-line exhaustive-deps
  }, [load, version]);
  return { head, pages, sentence, ask, load };
}

interface Cell {
  row: number;
  column: number;
}

/** Where a key takes the keyboard among so many rows and columns; undefined where it does not move. */
function moved({ row, column }: Cell, event: React.KeyboardEvent, rows: number, columns: number, page: number): Cell | undefined {
  const whole = event.ctrlKey || event.metaKey;
  const to: Record<string, [number, number]> = {
    ArrowDown: [row + 1, column],
    ArrowUp: [row - 1, column],
    ArrowRight: [row, column + 1],
    ArrowLeft: [row, column - 1],
    PageDown: [row + page, column],
    PageUp: [row - page, column],
    Home: [whole ? 0 : row, 0],
    End: [whole ? rows - 1 : row, columns - 1],
  };
  const next = to[event.key];
  return next && { row: Math.max(-1, Math.min(rows - 1, next[0])), column: Math.max(0, Math.min(columns - 1, next[1])) };
}

/** Bring a cell into sight; the head and the first column cover what lies under them. */
function reveal(box: HTMLElement, { row, column }: Cell) {
  const top = row * ROW;
  if (row >= 0 && (top < box.scrollTop || top > box.scrollTop + box.clientHeight - 2 * ROW)) {
    box.scrollTop = Math.max(0, top < box.scrollTop ? top : top - box.clientHeight + 2 * ROW);
  }
  const left = column * COLUMN;
  if (column > 0 && (left - COLUMN < box.scrollLeft || left + COLUMN > box.scrollLeft + box.clientWidth)) {
    box.scrollLeft = Math.max(0, left - COLUMN < box.scrollLeft ? left - COLUMN : left + COLUMN - box.clientWidth);
  }
}

export function ElementsTable() {
  const element = useStore((s) => s.traced);
  const part = useStore((s) => s.part);
  const owner = useStore((s) => s.results[s.chosen]?.trace?.owners.find((o) => o.level === "part")?.number ?? null);
  const box = useRef<HTMLDivElement>(null);
  const [query, setQuery] = useState<Query>({ level: "", sort: "", descending: false, keep: "" });
  const { head, pages, sentence, ask, load } = usePages(query, () => box.current?.scrollTop ?? 0);
  const parts = query.level !== "";
  // What is picked out: an element, or of parts the one that is singled out, else that of the traced element.
  const traced = parts ? (part ?? (element === null ? null : owner)) : element;
  /** The cell that the keyboard is on; the head is row -1. */
  const [cell, setCell] = useState<Cell | null>(null);
  const fromTable = useRef<number | null>(null);
  /** The row to be brought into sight as soon as the table is long enough to have it. */
  const [sought, setSought] = useState<number | null>(null);
  const matched = head?.matched ?? 0;
  const columns = head?.columns ?? [];
  const rows = useVirtualizer({
    count: Math.min(matched, Math.floor(TALLEST / ROW)),
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 2,
  });
  const shown = rows.getVirtualItems();
  const [first, last] = [shown[0]?.index ?? 0, shown.at(-1)?.index ?? 0];
  useEffect(() => {
    for (const row of [first, last]) void load(Math.floor(row / PAGE));
  }, [first, last, matched, load]);

  // An element that was traced in the view is brought into sight.
  useEffect(() => {
    if (traced === null || fromTable.current === traced) return;
    fromTable.current = null;
    let stale = false;
    void ask(0, traced).then(({ row_found: row }) => {
      if (!stale) setSought(row);
    });
    return () => {
      stale = true;
    };
  }, [traced, ask]);
  useEffect(() => {
    if (sought === null || sought >= matched) return;
    box.current?.scrollTo({ top: Math.max(0, sought * ROW - 2 * ROW) });
    setSought(null);
  }, [sought, matched]);

  const elementAt = (row: number) => pages.get(Math.floor(row / PAGE))?.elements[row % PAGE];
  const sortBy = (key: string) => setQuery((q) => ({ ...q, sort: key, descending: q.sort === key && !q.descending }));
  function pick(picked: number) {
    fromTable.current = picked;
    if (parts) isolatePart(picked === part ? null : picked);
    else trace(picked);
  }

  /** Put the keyboard on a cell, and trace its element. */
  function goTo(next: Cell) {
    setCell(next);
    if (box.current) reveal(box.current, next);
    const element = next.row >= 0 ? elementAt(next.row) : undefined;
    if (element !== undefined && next.row !== cell?.row) pick(element);
  }

  function keys(event: React.KeyboardEvent) {
    const page = Math.max(1, Math.floor((box.current?.clientHeight ?? 240) / ROW) - 2);
    const next = moved(cell ?? { row: -1, column: 0 }, event, matched, columns.length, page);
    if (next) {
      event.preventDefault();
      goTo(next);
    } else if ((event.key === "Enter" || event.key === " ") && cell) {
      event.preventDefault();
      const element = elementAt(cell.row);
      if (cell.row < 0 && columns[cell.column]) sortBy(columns[cell.column]!.key);
      else if (element !== undefined) pick(element);
    }
  }

  return (
    <section aria-label="All elements" className="flex h-[300px] min-w-0 flex-col border-t border-line bg-panel">
      <Keep
        head={head}
        wrong={sentence !== ""}
        level={query.level}
        onLevel={(level) => setQuery({ level, sort: "", descending: false, keep: "" })}
        onKeep={(keep) => setQuery((q) => (q.keep === keep ? q : { ...q, keep }))}
      />
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
        onKeyDown={keys}
        onFocus={() => setCell((now) => now ?? { row: -1, column: 0 })}
      >
        <Head columns={columns} query={query} cell={cell} onSort={sortBy} />
        <div style={{ height: rows.getTotalSize() }} className="relative">
          {shown.map(({ key, index }) => {
            const page = pages.get(Math.floor(index / PAGE));
            const element = page?.elements[index % PAGE];
            return (
              <Row
                key={key}
                index={index}
                columns={columns}
                values={page?.rows[index % PAGE]}
                here={element !== undefined && element === traced}
                cell={cell}
                onCell={(column) => setCell({ row: index, column })}
                onPick={() => element !== undefined && pick(element)}
              />
            );
          })}
        </div>
      </div>
    </section>
  );
}

/** Which elements are kept, and how many those are. */
function Keep({ head, wrong, level, onLevel, onKeep }: { head: ElementsAnswer | null; wrong: boolean; level: string; onLevel: (level: string) => void; onKeep: (keep: string) => void }) {
  const [typed, setTyped] = useState("");
  const levels = useStore((s) => s.geometry[s.chosen]?.header.levels ?? NONE);
  return (
    <div className="flex items-center gap-2.5 px-3 py-1.5">
      {levels.length > 1 ? (
        <Choice
          label="Rows"
          plain
          value={level}
          options={levels.map((l, k) => ({ value: k === 0 ? "" : l.name, label: k === 0 ? `Each ${l.name}` : `Each ${l.name} (${l.count.toLocaleString("en-GB")})` }))}
          onChange={onLevel}
        />
      ) : (
        <h2 className="heading">All elements</h2>
      )}
      <label className={`flex grow items-center gap-1.5 ${level ? "invisible" : ""}`}>
        <span className="text-soft">Keep where</span>
        <input
          className="field grow"
          aria-label="Keep elements where"
          aria-invalid={wrong}
          placeholder="size > 0.05 and z(position) > 1"
          spellCheck={false}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={() => onKeep(typed)}
          onKeyDown={(e) => e.key === "Enter" && onKeep(typed)}
        />
      </label>
      <span className="text-soft tabular" role="status">
        {head ? `${head.matched.toLocaleString("en-GB")} of ${head.total.toLocaleString("en-GB")}` : "…"}
      </span>
      <IconButton label="Close the table" onClick={() => useStore.setState({ table: false })}>
        <X size={14} />
      </IconButton>
    </div>
  );
}

type Columns = ElementsAnswer["columns"];

const focused = (cell: Cell | null, row: number, column: number) =>
  cell?.row === row && cell.column === column ? "group-focus/grid:outline-2 group-focus/grid:-outline-offset-2 group-focus/grid:outline-current" : "";

/** The names of the columns; one sorts by them. */
function Head({ columns, query, cell, onSort }: { columns: Columns; query: Query; cell: Cell | null; onSort: (key: string) => void }) {
  return (
    <div role="row" className="sticky top-0 z-10 flex w-max min-w-full bg-panel" style={{ height: ROW }}>
      {columns.map((c, k) => (
        <span
          key={c.key}
          id={cellId(-1, k)}
          role="columnheader"
          aria-sort={query.sort === c.key ? (query.descending ? "descending" : "ascending") : "none"}
          className={`w-[104px] flex-none border-b border-line ${k === 0 ? FIRST : ""} bg-panel ${focused(cell, -1, k)}`}
        >
          <button
            type="button"
            tabIndex={-1}
            className="flex h-full w-full cursor-pointer items-center gap-1 truncate px-2 text-left font-semibold"
            onClick={() => onSort(c.key)}
          >
            <span className="truncate">{c.key}</span>
            {query.sort === c.key && (query.descending ? <ArrowDown size={11} /> : <ArrowUp size={11} />)}
          </button>
        </span>
      ))}
    </div>
  );
}

interface RowProps {
  index: number;
  columns: Columns;
  /** Undefined until its page has come. */
  values: ElementsAnswer["rows"][number] | undefined;
  /** Whether its element is traced. */
  here: boolean;
  cell: Cell | null;
  onCell: (column: number) => void;
  onPick: () => void;
}

function Row({ index, columns, values, here, cell, onCell, onPick }: RowProps) {
  return (
    <div
      role="row"
      tabIndex={-1}
      aria-rowindex={index + 2}
      aria-selected={here}
      className={`group absolute flex w-max min-w-full cursor-pointer items-center ${here ? "bg-ink text-on-ink" : "hover:bg-well"}`}
      style={{ top: index * ROW, height: ROW }}
      onClick={onPick}
    >
      {values &&
        columns.map((c, k) => (
          <span
            key={c.key}
            id={cellId(index, k)}
            role="gridcell"
            onClick={() => onCell(k)}
            className={`w-[104px] flex-none truncate px-2 leading-6 ${focused(cell, index, k)} ${k === 0 ? `${FIRST} ${here ? "bg-ink" : "bg-panel group-hover:bg-well"}` : ""}`}
          >
            <Shown value={values[k]} kind={c.kind} />
          </span>
        ))}
    </div>
  );
}
