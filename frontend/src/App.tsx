/** The page: rooms around one view, the share strip below. */
import { EditorWindows } from "./chain/EditorWindows";
import { Redo2, Search, SunMoon, TriangleAlert, Undo2, X } from "lucide-react";
import { lazy, Suspense, useCallback, useEffect, useState } from "react";
import { flushSync } from "react-dom";
import type { Step } from "./api/client";
import { commands } from "./commands";
import { Library } from "./library/Library";
import { PictureDialog } from "./library/PictureDialog";
import { ColourLeft, ColourRight } from "./rooms/colour/ColourRoom";
import { ElementsTable } from "./rooms/gather/ElementsTable";
import { GatherLeft, GatherRight } from "./rooms/gather/GatherRoom";
import { DropZone, ImportDialog } from "./rooms/gather/ImportDialog";
import { MakingDialog } from "./rooms/gather/MakingDialog";
import { JobsTray } from "./rooms/JobsTray";
import { PublishLeft, PublishRight } from "./rooms/publish/PublishRoom";
import { RemovalDialog } from "./rooms/Removal";
import { EditCosts } from "./rooms/EditCosts";
import { EarlierStates } from "./rooms/EarlierStates";
import { SceneMenu } from "./rooms/SceneMenu";
import { at, isRamp } from "./state/edits";
import { chosenLook, giveUp, type Room, saveAsCopy, showRoom, tell, travel, useStore } from "./state/store";
import { flipTheme } from "./theme";
import { TimeBar } from "./view3d/TimeBar";
import { Button, IconButton } from "./widgets/Button";
import { CommandSearch } from "./widgets/CommandSearch";
import { focusOn } from "./widgets/focus";
import { ShareStrip } from "./widgets/ShareStrip";

/** The 3D code is most of the program: the page stands and asks for its data while it loads. */
const View = lazy(() => import("./view3d/View"));

const ROOMS: { room: Room; name: string; left: () => React.ReactNode; right: () => React.ReactNode }[] = [
  { room: "gather", name: "Gather", left: GatherLeft, right: GatherRight },
  { room: "colour", name: "Colour", left: ColourLeft, right: ColourRight },
  { room: "publish", name: "Publish", left: PublishLeft, right: PublishRight },
];

const SAVE_WORDS = { saved: "saved", saving: "saving…", offline: "not saved yet", conflict: "not saved", refused: "not saved" } as const;

function SaveState() {
  const saving = useStore((s) => s.saving);
  const calm = saving === "saved" || saving === "saving";
  return (
    <span role="status" aria-label="Save state" data-saving={saving} className={`whitespace-nowrap ${calm ? "text-soft" : "font-semibold"}`}>
      {SAVE_WORDS[saving]}
    </span>
  );
}

function Card({ sentence, onClose, children }: { sentence: string; onClose?: () => void; children?: React.ReactNode }) {
  return (
    <div role="alert" className="flex max-w-[640px] items-center gap-3 rounded-lg border-2 border-ink bg-panel px-3.5 py-2.5 shadow-lg">
      <TriangleAlert size={16} className="flex-none" aria-hidden />
      <p>{sentence}</p>
      {children}
      {onClose && (
        <IconButton label="Close" onClick={onClose}>
          <X size={14} />
        </IconButton>
      )}
    </div>
  );
}

/** Why something is not saved, and what to do; and what else did not work. */
function Notices() {
  const saving = useStore((s) => s.saving);
  const sentence = useStore((s) => s.saveSentence);
  const notice = useStore((s) => s.notice);
  const action = useStore((s) => s.noticeAction);
  return (
    <div className="fixed top-14 left-1/2 z-30 flex -translate-x-1/2 flex-col items-center gap-2">
      {sentence && saving === "conflict" && (
        <Card sentence={`${sentence} What you edit here is kept in this window.`}>
          <Button strong className="flex-none" onClick={() => void saveAsCopy()}>
            Save as a copy
          </Button>
          <Button className="flex-none" onClick={giveUp}>
            Reload without it
          </Button>
        </Card>
      )}
      {sentence && saving !== "conflict" && <Card sentence={sentence} onClose={() => useStore.setState({ saveSentence: "" })} />}
      {notice && (
        <Card sentence={notice} onClose={() => tell("")}>
          {action && (
            <Button strong className="flex-none" onClick={action.run}>
              {action.label}
            </Button>
          )}
        </Card>
      )}
    </div>
  );
}

/** What has happened, for screen readers. */
function Announcements() {
  const announcement = useStore((s) => s.announcement);
  return (
    <p role="log" aria-live="polite" aria-label="Announcements" className="sr-only">
      {announcement}
    </p>
  );
}

function Header({ onSearch }: { onSearch: () => void }) {
  const room = useStore((s) => s.room);
  const canUndo = useStore((s) => s.canUndo || s.saving === "offline");
  const canRedo = useStore((s) => s.canRedo);
  return (
    <header className="grid h-11 min-w-0 grid-cols-[minmax(0,1fr)_auto_minmax(0,1fr)] items-center border-b border-line bg-panel px-3 max-[760px]:grid-cols-[minmax(0,1fr)_auto_auto] max-[760px]:gap-2 max-[760px]:px-2">
      <div className="flex min-w-0 items-center gap-1.5">
        <svg viewBox="0 0 24 24" className="size-6 flex-none" fill="none" aria-hidden>
          <path d="M12 2c5 3.6 7 7 7 11a7 7 0 0 1-14 0c0-4 2-7.4 7-11Z" fill="var(--ink)" />
          <path
            d="M12 7v12M8.2 11.2 12 14l3.8-2.8M8 15.6l4 2.6 4-2.6"
            stroke="var(--panel)"
            strokeWidth="1.3"
            strokeLinecap="round"
            strokeLinejoin="round"
          />
        </svg>
        <h1 className="mr-0.5 ml-1 text-[15px] font-bold whitespace-nowrap max-[760px]:sr-only">Gaudy Seed</h1>
        <SceneMenu />
        <SaveState />
      </div>
      <nav aria-label="Rooms" className="flex rounded-lg bg-well p-[3px]">
        {ROOMS.map((r) => (
          <button
            key={r.room}
            type="button"
            aria-current={r.room === room ? "page" : undefined}
            className={`h-6.5 w-[88px] cursor-pointer rounded-md text-[13px] max-[760px]:w-[68px] ${r.room === room ? "bg-ink font-semibold text-on-ink" : "hover:bg-panel"}`}
            onClick={() => showRoom(r.room)}
          >
            {r.name}
          </button>
        ))}
      </nav>
      <div className="flex items-center justify-end gap-1">
        <JobsTray />
        <IconButton label="Undo (Ctrl+Z)" disabled={!canUndo} onClick={() => void travel("undo")}>
          <Undo2 size={15} />
        </IconButton>
        <IconButton label="Redo (Ctrl+Shift+Z)" disabled={!canRedo} onClick={() => void travel("redo")}>
          <Redo2 size={15} />
        </IconButton>
        <IconButton label="Light or dim interface" onClick={flipTheme}>
          <SunMoon size={15} />
        </IconButton>
        <button type="button" className="button ml-1.5 max-[760px]:px-2" onClick={onSearch}>
          <Search size={13} aria-hidden />
          <span className="max-[760px]:sr-only">Search commands</span>
          <kbd className="font-sans text-[11px] text-soft max-[760px]:hidden">Ctrl K</kbd>
        </button>
      </div>
    </header>
  );
}

/** The shares of the chosen population; those of a stepped ramp can be set. */
function Strip() {
  const result = useStore((s) => s.results[s.chosen]);
  const settable = useStore((s) => {
    const place = s.results[s.chosen]?.groups.place;
    const step = place ? (at(chosenLook(s), place) as Step | undefined) : undefined;
    return (isRamp(step) && step.interpolation === "steps") || (step?.step === "palette" && step.swatches.every(({ weight }) => typeof weight === "number"));
  });
  return <ShareStrip result={result} settable={settable} />;
}

/** What the last answer computed and which lanes came with it, for those who look at the page from outside. */
function Computed() {
  const computed = useStore((s) => s.results[s.chosen]?.computed.join(" "));
  const sent = useStore((s) => s.results[s.chosen]?.sent?.join(" "));
  return <span hidden data-computed={computed} data-sent={sent} />;
}

/** What F6 goes through: the left column, the view, the right column, the shares. */
const REGIONS = ["main > aside:first-child", "main canvas", "main > aside[data-room]", "footer"];

/** The keyboard to the next region, or the one before. */
function skip(by: 1 | -1) {
  const here = REGIONS.findIndex((region) => document.activeElement?.closest(region));
  const next = here < 0 ? (by > 0 ? 0 : REGIONS.length - 1) : (here + by + REGIONS.length) % REGIONS.length;
  const region = document.querySelector<HTMLElement>(REGIONS[next]!);
  const first = region?.matches("[tabindex]") ? region : region?.querySelector<HTMLElement>("[aria-pressed='true'], [aria-expanded='true'][data-first], button:not(:disabled), input, [tabindex='0']");
  first?.focus();
}

/** The keys that work everywhere. */
function useKeys(search: () => void) {
  useEffect(() => {
    const keys = (event: KeyboardEvent) => {
      const command = event.ctrlKey || event.metaKey;
      const typing = event.target instanceof HTMLElement && event.target.matches("input, textarea, select, [contenteditable]");
      const key = event.key.toLowerCase();
      if (command && key === "k") {
        event.preventDefault();
        // At once, so that what is typed next goes into the search.
        flushSync(search);
      } else if (command && key === "z" && !typing) {
        event.preventDefault();
        void travel(event.shiftKey ? "redo" : "undo");
      } else if (command && key === "y" && !typing) {
        event.preventDefault();
        void travel("redo");
      } else if (event.altKey && ["1", "2", "3"].includes(key)) {
        event.preventDefault();
        showRoom(ROOMS[Number(key) - 1]!.room);
        focusOn(`${REGIONS[2]} :is(button, input, [tabindex="0"]):not(:disabled)`);
      } else if (event.key === "F6" && !command && !event.altKey) {
        event.preventDefault();
        skip(event.shiftKey ? -1 : 1);
      }
    };
    window.addEventListener("keydown", keys);
    return () => window.removeEventListener("keydown", keys);
  }, [search]);
}

export function App() {
  const room = useStore((s) => s.room);
  const loaded = useStore((s) => s.scene !== null);
  const loadError = useStore((s) => s.loadError);
  const [searching, setSearching] = useState(false);
  const table = useStore((s) => s.table);
  const chosen = useStore((s) => s.chosen);

  const search = useCallback(() => setSearching(true), []);
  useKeys(search);

  const shown = ROOMS.find((r) => r.room === room)!;
  if (loadError) {
    return (
      <div className="grid h-full place-items-center">
        <div role="alert" className="panel max-w-sm p-5 text-center">
          <p className="mb-3">{loadError}</p>
          <button type="button" className="button" onClick={() => location.reload()}>
            Try again
          </button>
        </div>
      </div>
    );
  }
  return (
    <div
      className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[44px_minmax(0,1fr)_46px]"
      data-loaded={loaded}
    >
      <Header onSearch={search} />
      <main className="grid min-h-0 grid-cols-[212px_minmax(0,1fr)_456px] max-[900px]:grid-cols-[164px_minmax(0,1fr)_372px] min-[1600px]:grid-cols-[248px_minmax(0,1fr)_560px]">
        <aside className="min-h-0 overflow-y-auto border-r border-line">
          <shown.left />
        </aside>
        <div className="grid min-h-0 min-w-0 grid-rows-[minmax(0,1fr)_auto_auto]">
          <Suspense fallback={<div role="status" aria-label="Loading the view" />}>
            <View />
          </Suspense>
          <TimeBar />
          {table && room === "gather" && <ElementsTable key={chosen} />}
        </div>
        <aside className="min-h-0 overflow-y-auto border-l border-line" data-room={room}>
          <shown.right />
        </aside>
      </main>
      <Strip />
      <Computed />
      <CommandSearch open={searching} onClose={() => setSearching(false)} commands={searching ? commands() : []} />
      {room === "colour" && <EditorWindows />}
      <Notices />
      <Announcements />
      <EarlierStates />
      <RemovalDialog />
      <EditCosts />
      <ImportDialog />
      <MakingDialog />
      <Library />
      <PictureDialog />
      <DropZone />
    </div>
  );
}
