/** The view with its controls, the traced element's mark and card. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { Lightbulb, Maximize, ScanSearch, Sparkles, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { PreviewLegend, Scene } from "../api/client";
import { arrayOf, choosePopulation, chosenPopulation, draft, edit, editPopulation, isolatePart, lookWith, openScene, pinPreview, showAlone, trace, travel, useStore } from "../state/store";
import { useEndings } from "../state/endings";
import { isFollowing } from "../state/follow";
import { Choice } from "../widgets/Choice";
import { ColourField } from "../widgets/ColourField";
import { offerFile } from "../rooms/gather/ImportDialog";
import { openMaking } from "../rooms/gather/MakingDialog";
import { FileButton } from "../widgets/FileButton";
import { NumberField } from "../widgets/NumberField";
import { Toggle } from "../widgets/Toggle";
import { Button, IconButton } from "../widgets/Button";
import { Bar } from "../widgets/Distribution";
import { hexFromBytes } from "../widgets/bytes";
import { Cameras } from "./Cameras";
import { Handles } from "./Handles";
import { frameAll, frameOne } from "./framing";
import { leave } from "./left";
import { MarkerHandles, PlaceHandles } from "./PlaceHandles";
import { Tools } from "./Tools";
import { ViewTrace } from "./ViewTrace";
import { view } from "./current";
import { drawLightly, quality, useDrawing } from "./quality";
import type { Picked } from "./picking";
import { Stage } from "./Stage";
import { synced } from "./sync";

const MOST = quality().most;

const FIGURE = new Intl.NumberFormat("en-GB", { maximumSignificantDigits: 4 });

/** What the ends of the scale stand for, while a value is shown. */
function Legend({ of }: { of: PreviewLegend }) {
  const name = useStore((s) => (s.preview ?? s.pinned)?.name ?? "");
  const step = useStore((s) => (s.preview ?? s.pinned)?.of === "step");
  if (!of.ends) return null;
  const [low, high] = of.ends.map((end) => FIGURE.format(end));
  return (
    <figure className="panel absolute bottom-11 left-2.5 m-0 w-56 px-2.5 py-2" aria-label={`Scale from ${low} to ${high}`}>
      <figcaption className="mb-1 truncate font-medium">{step ? "After the step" : name.replaceAll("_", " ")}</figcaption>
      <div className="overflow-hidden rounded-[3px] border border-line">
        <Bar bar={of.bar} height={12} />
      </div>
      <div className="mt-0.5 flex justify-between tabular">
        <span>{low}</span>
        <span>{high}</span>
      </div>
      {of.trimmed > 0 && <p className="mt-0.5 text-[11px] text-soft">{(100 * of.trimmed).toFixed(1)} % of the elements lie beyond these ends.</p>}
    </figure>
  );
}

/** A stage on the canvas, kept in step with the state; a sentence where this browser cannot draw it. */
function useStage(holder: React.RefObject<HTMLDivElement | null>, canvas: React.RefObject<HTMLCanvasElement | null>) {
  const [failed, setFailed] = useState("");
  useEffect(() => {
    const box = holder.current;
    const surface = canvas.current;
    if (!surface || !box) return;
    let made: Stage;
    try {
      made = new Stage(surface);
    } catch {
      setFailed("This browser cannot draw in 3D (WebGL 2). The colours are computed all the same.");
      return;
    }
    view.stage = made;
    made.onMoved = () => leave(made.view.seen);
    made.onFrame = () => {
      box.dataset.frames = "some";
      for (const told of view.frames) told();
    };
    const watch = new ResizeObserver(() => made.resize(box.clientWidth, box.clientHeight));
    watch.observe(box);
    const stop = synced(made, (milliseconds) => (surface.dataset.took = milliseconds.toFixed(2)));
    return () => {
      stop();
      watch.disconnect();
      made.dispose();
      view.stage = null;
    };
  }, [holder, canvas]);
  return failed;
}

/** Take the colour of an element where one is wanted, else trace it, in whichever population it is. */
function choose(picked: Picked | null) {
  const { picking, chosen } = useStore.getState();
  if (!picking) {
    if (picked && picked.population !== chosen) choosePopulation(picked.population);
    return trace(picked?.element ?? null);
  }
  const colours = picked && arrayOf(picked.population, "base_colour");
  useStore.setState({ picking: null });
  if (colours) picking(hexFromBytes((colours as Uint8Array).subarray(3 * picked.element, 3 * picked.element + 3)));
}

/** What the keys do in the view; whether one did something. */
function keyed(event: React.KeyboardEvent<HTMLCanvasElement>, count: number): boolean {
  const { traced, picking, chosen } = useStore.getState();
  const camera = view.stage?.view;
  const step = event.shiftKey ? 0.36 : 0.12;
  const box = event.currentTarget;
  const actions: Record<string, () => void> = {
    ArrowLeft: () => (event.altKey ? camera?.pan(-0.05, 0) : camera?.orbit(-step, 0)),
    ArrowRight: () => (event.altKey ? camera?.pan(0.05, 0) : camera?.orbit(step, 0)),
    ArrowUp: () => (event.altKey ? camera?.pan(0, 0.05) : camera?.orbit(0, step)),
    ArrowDown: () => (event.altKey ? camera?.pan(0, -0.05) : camera?.orbit(0, -step)),
    "+": () => camera?.zoom(0.88),
    "=": () => camera?.zoom(0.88),
    "-": () => camera?.zoom(1.14),
    "0": frameAll,
    "9": () => frameOne(chosen),
    Enter: () => choose(view.stage?.elementAt(box.clientWidth / 2, box.clientHeight / 2) ?? null),
    PageDown: () => count && trace(((traced ?? -1) + 1) % count),
    PageUp: () => count && trace(((traced ?? 0) - 1 + count) % count),
    Escape: () => (picking ? useStore.setState({ picking: null }) : trace(null)),
  };
  const action = actions[event.key];
  if (!action || event.ctrlKey || event.metaKey) return false;
  action();
  return true;
}

/** Turn and strength of the light, and a backdrop in place of the surround. */
function Light() {
  const view_ = useStore((s) => s.scene?.view);
  if (!view_) return null;
  const change = (label: string, to: Partial<Scene["view"]>) => edit(label, (scene) => ({ ...scene, view: { ...scene.view, ...to } }));
  const draw = (to: Partial<Scene["view"]>) => draft((scene) => ({ ...scene, view: { ...scene.view, ...to } }));
  return (
    <Popover className="contents">
      <PopoverButton aria-label="Light and backdrop" title="Light and backdrop" className="icon-button bg-panel">
        <Lightbulb size={14} />
      </PopoverButton>
      <PopoverPanel anchor={{ to: "bottom start", gap: 6 }} className="panel z-40 flex w-60 flex-col gap-2 p-3 shadow-xl outline-none">
        <NumberField label="Turn of the light" unit="°" step={1} digits={0} min={-360} max={360} value={view_.light_turn} onDraft={(light_turn) => draw({ light_turn })} onCommit={(light_turn) => change("Turn the light", { light_turn })} />
        <NumberField label="Strength" min={0} max={8} step={0.05} value={view_.light_strength} onDraft={(light_strength) => draw({ light_strength })} onCommit={(light_strength) => change("Change the light", { light_strength })} />
        <Toggle label="A backdrop" on={view_.backdrop !== null} onChange={(on) => change(on ? "Add a backdrop" : "Remove the backdrop", { backdrop: on ? "#8a8a8a" : null })} />
        {view_.backdrop !== null && <ColourField label="Backdrop" value={view_.backdrop} onDraft={(backdrop) => draw({ backdrop })} onCommit={(backdrop) => change("Change the backdrop", { backdrop })} />}
      </PopoverPanel>
    </Popover>
  );
}

/** How the view shows the scene. */
function Controls() {
  const vision = useStore((s) => s.vision);
  const surround = useStore((s) => s.scene?.view.surround ?? "mid");
  const shading = useStore((s) => s.scene?.view.shading ?? "finished");
  const alone = useStore((s) => s.scene?.populations.find((p) => p.id === s.alone)?.name);
  const several = useStore((s) => (s.scene?.populations.length ?? 0) > 1);
  return (
    <div className="pointer-events-none absolute inset-x-2.5 top-2.5 flex items-start gap-2 [&>*]:pointer-events-auto">
      <Choice
        label="Shading"
        value={shading}
        options={[
          { value: "finished", label: "Finished look" },
          { value: "flat", label: "Flat colour" },
        ]}
        onChange={(value) => edit("Change the shading", (scene) => ({ ...scene, view: { ...scene.view, shading: value } }))}
      />
      <Choice
        label="Surround"
        value={surround}
        options={[
          { value: "light", label: "Light surround" },
          { value: "mid", label: "Mid grey surround" },
          { value: "dark", label: "Dark surround" },
        ]}
        onChange={(value) => edit("Change the surround", (scene) => ({ ...scene, view: { ...scene.view, surround: value } }))}
      />
      <Choice
        label="Seen by"
        value={vision ?? "all"}
        options={[
          { value: "all", label: "All viewers" },
          { value: "protanopia", label: "Protanopia" },
          { value: "deuteranopia", label: "Deuteranopia" },
          { value: "tritanopia", label: "Tritanopia" },
        ]}
        onChange={(value) => lookWith(value === "all" ? null : value)}
      />
      <Light />
      <Cameras />
      <IconButton label="Frame all (0)" className="bg-panel" onClick={frameAll}>
        <Maximize size={14} />
      </IconButton>
      {several && (
        <IconButton label="Frame the chosen one (9)" className="bg-panel" onClick={() => frameOne(useStore.getState().chosen)}>
          <ScanSearch size={14} />
        </IconButton>
      )}
      {alone && (
        <span className="chip ml-auto min-w-0 border border-ink" role="status">
          <span className="truncate">{alone} alone</span>
          <IconButton label="Show all populations" className="-mr-1.5" onClick={() => showAlone(null)}>
            <X size={13} />
          </IconButton>
        </span>
      )}
    </div>
  );
}

const EVERY = [1, 2, 4, 10, 25, 100];
/** What is left out by so many, and at which level it is counted. */
const LEFT_OUT: Record<string, { one: string; many: string; level: number }> = {
  strands: { one: "strand", many: "strands", level: 1 },
  trails: { one: "trail", many: "trails", level: 1 },
  particles: { one: "particle", many: "particles", level: 0 },
};

/** A switch that draws every so many-th strand, and how many these are. */
function EveryNth({ kind }: { kind: string }) {
  const { one, many, level } = LEFT_OUT[kind]!;
  const nth = (n: number) => (n === 1 ? `All ${many}` : `One ${one} in ${n}`);
  const every = useStore((s) => s.scene?.populations.find((p) => p.id === s.chosen)?.draft.every ?? 1);
  const drawn = useStore((s) => s.geometry[s.chosen]?.header.levels[level]?.count ?? 0);
  if (isFollowing(every)) return null;
  const options = [...new Set([...EVERY, every])].sort((a, b) => a - b).map((n) => ({ value: String(n), label: nth(n) }));
  return (
    <span className="chip gap-2 tabular">
      <Choice plain label={`${many.charAt(0).toUpperCase()}${many.slice(1)} drawn`} value={String(every)} options={options} onChange={(to) => editPopulation(to === "1" ? `Draw all ${many}` : `Draw one ${one} in ${to}`, (p) => ({ ...p, draft: { ...p.draft, every: Number(to) } }))} />
      {level > 0 && (
        <span className="text-soft">
          {drawn.toLocaleString("en-GB")} {many}
        </span>
      )}
    </span>
  );
}

/** That no graphics card draws here, and the choice between lightly and fully. */
function Drawing() {
  const { card, light } = useDrawing();
  if (card) return null;
  return (
    <span className="chip text-soft">
      {light ? "Drawn lightly: no graphics card here" : "Drawn fully without a graphics card: slow"}
      <button type="button" className="cursor-pointer font-medium text-ink underline" onClick={() => drawLightly(!light)}>
        {light ? "Draw fully" : "Draw lightly"}
      </button>
    </span>
  );
}

/** How many elements the chosen population has, and how many of them are drawn. */
function Count({ count }: { count: number }) {
  const making = useStore((s) => s.making[s.chosen]);
  const kind = useStore((s) => s.geometry[s.chosen]?.header.kind);
  const named = useStore((s) => (kind === "clones" ? undefined : s.kinds.find((k) => k.name === kind)));
  const word = count === 1 ? (named?.element ?? "element") : (named?.elements ?? "elements");
  const part = useStore((s) => s.part);
  return (
    <div className="pointer-events-none absolute right-2.5 bottom-2.5 flex gap-2 [&>*]:pointer-events-auto">
      {making && (
        <Button onClick={() => void travel("undo")}>
          <X size={13} aria-hidden />
          Stop and undo
        </Button>
      )}
      {part !== null && (
        <span className="chip border border-ink" role="status">
          Part {part} singled out
          <IconButton label="Show all parts" className="-mr-1.5" onClick={() => isolatePart(null)}>
            <X size={13} />
          </IconButton>
        </span>
      )}
      <Drawing />
      {kind && kind in LEFT_OUT && <EveryNth kind={kind} />}
      <span className="chip tabular" role="status">
        <span>{making ? (count > 0 && (kind === "particles" || kind === "trails") ? "old motion, the new one is worked out" : "making…") : `${count.toLocaleString("en-GB")} ${word}`}</span>
        {word === "elements" && count > MOST && <span className="text-soft">{MOST.toLocaleString("en-GB")} drawn</span>}
      </span>
    </div>
  );
}

/** What is shown instead of the result, or wanted of the next click. */
function Mode() {
  const picking = useStore((s) => s.picking !== null);
  const pinned = useStore((s) => s.pinned);
  if (!pinned && !picking) return null;
  return (
    <div className="pointer-events-none absolute inset-x-0 top-12 flex justify-center">
      <span className="chip pointer-events-auto border border-ink" role="status">
        {picking ? "Click an element to take its colour; Enter takes the one in the middle" : pinned?.of === "step" ? "Showing what a step gives" : `Showing ${pinned?.of === "channel" ? pinned.name.replaceAll("_", " ") : pinned?.name}`}
        <IconButton
          label={picking ? "Take no colour" : "Show the result"}
          className="-mr-1.5"
          onClick={() => (picking ? useStore.setState({ picking: null }) : pinPreview(null))}
        >
          <X size={13} />
        </IconButton>
      </span>
    </div>
  );
}

/** What a scene begins with: a file, something made, or an example. */
function EmptyScene() {
  const populations = useStore((s) => s.scene?.populations.length ?? -1);
  const scenes = useStore((s) => s.scenes);
  const here = useStore((s) => s.sceneId);
  const endings = useEndings();
  const examples = scenes.filter((s) => s.id !== here && EXAMPLES.includes(s.id));
  const offered = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // Whoever comes here by the keyboard begins with what there is to do; nobody loses a focus that stands elsewhere.
    if (populations === 0 && document.activeElement === document.body) offered.current?.querySelector("button")?.focus();
  }, [populations]);
  if (populations !== 0) return null;
  return (
    <div className="pointer-events-none absolute inset-0 grid place-items-center p-6">
      <div ref={offered} className="panel pointer-events-auto flex w-[340px] flex-col gap-2.5 p-5 text-center">
        <p className="text-[15px] font-semibold">An empty scene</p>
        <FileButton strong label="Bring a file…" name="File to bring" accept={endings} onFile={(file) => void offerFile(file)} />
        <p className="-mt-1 text-[11.5px] text-soft">OBJ, PLY, GLB, USD or CSV; or drop one anywhere on the page.</p>
        <Button onClick={() => openMaking()}>
          <Sparkles size={14} aria-hidden />
          Make something…
        </Button>
        {examples.length > 0 && (
          <>
            <p className="mt-1 text-soft">or open an example</p>
            <div className="flex flex-wrap justify-center gap-1.5">
              {examples.map((scene) => (
                <Button key={scene.id} onClick={() => void openScene(scene.id)}>
                  {scene.name}
                </Button>
              ))}
            </div>
          </>
        )}
      </div>
    </div>
  );
}

/** The scenes that every data file begins with. */
const EXAMPLES = ["midnight-menagerie", "parade-route", "workshop-bench", "hobby-horse", "finale", "three-remarks"];

export default function View() {
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const failed = useStage(holder, canvas);
  const population = useStore(chosenPopulation);
  const count = useStore((s) => s.geometry[s.chosen]?.header.count ?? 0);
  const picking = useStore((s) => s.picking !== null);
  const legend = useStore((s) => s.results[s.chosen]?.preview ?? null);
  const pressed = useRef<{ x: number; y: number } | null>(null);
  return (
    <div ref={holder} className="relative h-full min-h-0 overflow-hidden" data-frames="none">
      <canvas
        ref={canvas}
        tabIndex={0}
        // oxlint-disable-next-line jsx-a11y/no-interactive-element-to-noninteractive-role -- a canvas takes part only so
        role="application"
        aria-label={`View of ${population?.name ?? "nothing"}. Arrow keys orbit, with Alt they pan, plus and minus zoom, 0 frames all, 9 the chosen population, Enter traces the element in the middle, Page Up and Page Down the neighbours.`}
        className={`block h-full w-full touch-none outline-none ${picking ? "cursor-crosshair" : ""} focus-visible:shadow-[inset_0_0_0_2px_var(--ink)]`}
        onPointerDown={(e) => {
          pressed.current = { x: e.clientX, y: e.clientY };
        }}
        onPointerUp={(e) => {
          const from = pressed.current;
          pressed.current = null;
          if (!from || e.button !== 0 || Math.hypot(e.clientX - from.x, e.clientY - from.y) > 4) return;
          const box = e.currentTarget.getBoundingClientRect();
          choose(view.stage?.elementAt(e.clientX - box.left, e.clientY - box.top) ?? null);
        }}
        onKeyDown={(e) => keyed(e, count) && e.preventDefault()}
      />
      {failed && <p className="panel absolute inset-x-8 top-20 p-4 text-sm">{failed}</p>}
      <Controls />
      {population && <Count count={count} />}
      {!population && (
        <EmptyScene />
      )}
      <Mode />
      {legend && <Legend of={legend} />}
      <Handles />
      <PlaceHandles />
      <MarkerHandles />
      <Tools />
      <ViewTrace />
    </div>
  );
}
