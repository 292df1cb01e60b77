/** The view with its controls, the traced element's mark and card. */
import { Maximize, Move3d, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { binary, type PreviewLegend, type SurfaceHeader } from "../api/client";
import { chosenPopulation, edit, lookWith, pinPreview, trace, useStore } from "../state/store";
import { Choice } from "../widgets/Choice";
import { IconButton } from "../widgets/Button";
import { Bar } from "../widgets/Distribution";
import { hexFromBytes } from "../widgets/bytes";
import { ViewTrace } from "./ViewTrace";
import { view } from "./current";
import { quality } from "./quality";
import { Stage } from "./Stage";

const MOST = quality().most;

const FIGURE = new Intl.NumberFormat("en-GB", { maximumSignificantDigits: 4 });

/** What the ends of the scale stand for, while a value is shown. */
function Legend({ of }: { of: PreviewLegend }) {
  const name = useStore((s) => (s.preview ?? s.pinned)?.name ?? "");
  const step = useStore((s) => (s.preview ?? s.pinned)?.of === "step");
  if (!of.ends) return null;
  const [low, high] = of.ends.map((end) => FIGURE.format(end));
  return (
    <figure className="panel absolute bottom-2.5 left-2.5 m-0 w-56 px-2.5 py-2" aria-label={`Scale from ${low} to ${high}`}>
      <figcaption className="mb-1 truncate font-medium">{step ? "After the step" : name}</figcaption>
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

export default function View() {
  const holder = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [failed, setFailed] = useState("");
  const [frames, setFrames] = useState(0);
  const population = useStore(chosenPopulation);
  const geometry = useStore((s) => s.geometry[s.chosen]);
  const isolated = useStore((s) => s.isolated);
  const traced = useStore((s) => s.traced);
  const vision = useStore((s) => s.vision);
  const picking = useStore((s) => s.picking !== null);
  const pinned = useStore((s) => s.pinned);
  const making = useStore((s) => s.making[s.chosen]);
  const surround = useStore((s) => s.scene?.view.surround ?? "mid");
  const shading = useStore((s) => s.scene?.view.shading ?? "finished");
  const framed = useRef("");

  useEffect(() => {
    if (!canvas.current || !holder.current) return;
    let made: Stage;
    try {
      made = new Stage(canvas.current);
    } catch {
      setFailed("This browser cannot draw in 3D (WebGL 2). The colours are computed all the same.");
      return;
    }
    view.stage = made;
    made.onFrame = () => setFrames((n) => n + 1);
    const box = holder.current;
    const watch = new ResizeObserver(() => made.resize(box.clientWidth, box.clientHeight));
    watch.observe(box);
    return () => {
      watch.disconnect();
      made.dispose();
      view.stage = null;
    };
  }, []);

  const surface = population?.maker.maker === "scatter" ? population.maker.surface : null;
  useEffect(() => {
    let stale = false;
    if (!surface) {
      view.stage?.setSurface(null);
      return;
    }
    void binary<SurfaceHeader>("GET", `/surfaces/${surface}`).then(({ arrays }) => {
      if (stale) return;
      view.stage?.setSurface({
        positions: arrays.positions as Float32Array,
        normals: arrays.normals as Float32Array,
        gloss: arrays.gloss as Float32Array,
        faces: arrays.faces as Int32Array,
      });
    });
    return () => {
      stale = true;
    };
  }, [surface]);

  useEffect(() => {
    if (!population || !geometry) {
      view.stage?.setElements(null, false);
      return;
    }
    const subject = `${population.id} ${surface}`;
    view.stage?.setElements(
      {
        key: `${geometry.key} ${population.shape}`,
        shape: population.shape,
        positions: geometry.positions,
        orientations: geometry.orientations,
        sizes: geometry.sizes,
        low: geometry.header.low,
        high: geometry.header.high,
      },
      framed.current !== subject,
    );
    framed.current = subject;
  }, [population, geometry, surface]);

  // New colours go to the view as they come, not after the panels have been drawn anew ...
  useEffect(
    () =>
      useStore.subscribe((now, before) => {
        if (now.colourVersion === before.colourVersion) return;
        const fresh = now.colours[now.chosen];
        if (!fresh || fresh === before.colours[before.chosen] || !canvas.current) return;
        view.stage?.setShading(now.results[now.chosen]?.preview ? "flat" : (now.scene?.view.shading ?? "finished"));
        view.stage?.setColours(fresh, now.colourVersion);
        canvas.current.dataset.took = (performance.now() - now.askedAt).toFixed(2);
      }),
    [],
  );
  // ... and again when other elements are shown.
  useEffect(() => {
    const { colours, chosen, colourVersion } = useStore.getState();
    const there = colours[chosen];
    if (there) view.stage?.setColours(there, colourVersion);
  }, [geometry, population?.id, population?.shape]);
  useEffect(() => view.stage?.isolate(isolated), [isolated]);
  useEffect(() => view.stage?.setSurround(surround), [surround]);
  // A value that is shown is not lit, so that its greys can be read against its scale.
  const legend = useStore((s) => s.results[s.chosen]?.preview ?? null);
  useEffect(() => view.stage?.setShading(legend ? "flat" : shading), [shading, legend]);

  /** Take the colour of an element where one is wanted, else trace it. */
  function choose(element: number | null) {
    const { picking, colours, chosen } = useStore.getState();
    if (!picking) return trace(element);
    const rgba = element === null ? undefined : colours[chosen]?.subarray(4 * element, 4 * element + 3);
    useStore.setState({ picking: null });
    if (rgba) picking(hexFromBytes(rgba));
  }

  const pressed = useRef<{ x: number; y: number } | null>(null);
  const count = geometry?.header.count ?? 0;

  function keys(event: React.KeyboardEvent) {
    const step = event.shiftKey ? 0.36 : 0.12;
    const actions: Record<string, () => void> = {
      ArrowLeft: () => (event.altKey ? view.stage?.pan(-0.05, 0) : view.stage?.orbit(-step, 0)),
      ArrowRight: () => (event.altKey ? view.stage?.pan(0.05, 0) : view.stage?.orbit(step, 0)),
      ArrowUp: () => (event.altKey ? view.stage?.pan(0, 0.05) : view.stage?.orbit(0, step)),
      ArrowDown: () => (event.altKey ? view.stage?.pan(0, -0.05) : view.stage?.orbit(0, -step)),
      "+": () => view.stage?.zoom(0.88),
      "=": () => view.stage?.zoom(0.88),
      "-": () => view.stage?.zoom(1.14),
      "0": () => view.stage?.frame(),
      Enter: () => {
        const box = canvas.current!;
        choose(view.stage?.elementAt(box.clientWidth / 2, box.clientHeight / 2) ?? null);
      },
      PageDown: () => count && trace(((traced ?? -1) + 1) % count),
      PageUp: () => count && trace(((traced ?? 0) - 1 + count) % count),
      Escape: () => (picking ? useStore.setState({ picking: null }) : trace(null)),
    };
    const action = actions[event.key];
    if (!action || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    action();
  }

  return (
    <div ref={holder} className="relative h-full min-h-0 overflow-hidden" data-frames={frames > 0 ? "some" : "none"}>
      <canvas
        ref={canvas}
        tabIndex={0}
        role="application"
        aria-label={`View of ${population?.name ?? "nothing"}. Arrow keys orbit, with Alt they pan, plus and minus zoom, 0 frames all, Enter traces the element in the middle, Page Up and Page Down the neighbours.`}
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
        onKeyDown={keys}
      />
      {failed && <p className="panel absolute inset-x-8 top-20 p-4 text-sm">{failed}</p>}
      <div className="pointer-events-none absolute inset-x-2.5 top-2.5 flex items-start gap-2 [&>*]:pointer-events-auto">
        <Choice
          label="Shading"
          value={shading}
          options={[
            { value: "finished", label: "Finished look" },
            { value: "flat", label: "Flat colour" },
          ]}
          onChange={(value) =>
            edit("Change the shading", (scene) => ({ ...scene, view: { ...scene.view, shading: value } }))
          }
        />
        <Choice
          label="Surround"
          value={surround}
          options={[
            { value: "light", label: "Light surround" },
            { value: "mid", label: "Mid grey surround" },
            { value: "dark", label: "Dark surround" },
          ]}
          onChange={(value) =>
            edit("Change the surround", (scene) => ({ ...scene, view: { ...scene.view, surround: value } }))
          }
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
        <IconButton label="Frame all (0)" className="bg-panel" onClick={() => view.stage?.frame()}>
          <Maximize size={14} />
        </IconButton>
      </div>
      <div className="pointer-events-none absolute right-2.5 bottom-2.5">
        {population && (
          <span className="chip tabular" role="status">
            <span>{making ? "making…" : `${count.toLocaleString("en-GB")} elements`}</span>
            {count > MOST && <span className="text-soft">{MOST.toLocaleString("en-GB")} drawn</span>}
          </span>
        )}
      </div>
      {!population && (
        <div className="absolute inset-0 grid place-items-center">
          <div className="panel max-w-xs p-5 text-center text-sm">
            <Move3d className="mx-auto mb-2" size={22} />
            Nothing here yet. Go to Gather: bring in points, or make a scatter.
          </div>
        </div>
      )}
      {(pinned || picking) && (
        <div className="pointer-events-none absolute inset-x-0 top-12 flex justify-center">
          <span className="chip pointer-events-auto border border-ink" role="status">
            {picking ? "Click an element to take its colour; Enter takes the one in the middle" : pinned?.of === "step" ? "Showing what a step gives" : `Showing ${pinned?.name}`}
            <IconButton
              label={picking ? "Take no colour" : "Show the result"}
              className="-mr-1.5"
              onClick={() => (picking ? useStore.setState({ picking: null }) : pinPreview(null))}
            >
              <X size={13} />
            </IconButton>
          </span>
        </div>
      )}
      {legend && <Legend of={legend} />}
      <ViewTrace frames={frames} />
    </div>
  );
}
