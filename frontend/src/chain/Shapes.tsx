/** The shapes of a look: up to 32, of which each element is one. */
import { Plus } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { Asset, ElementPicture, Lane, Look, Shape } from "../api/client";
import { moved } from "../state/edits";
import { chosenPopulation, draftLook, editLook, NONE, useStore } from "../state/store";
import { Button } from "../widgets/Button";
import { Choice } from "../widgets/Choice";
import { NumberField } from "../widgets/NumberField";
import { Toggle } from "../widgets/Toggle";
import { FRESH_PICTURE, PictureEditor } from "./ElementPictures";
import { OWN_SHAPE, SHAPE_OPTIONS, SHAPE_WORDS, type ShapeWord } from "./steps/words";
import { Weighed } from "./Weighed";

const MOST = 32;
const NOTHING = " ";

const withShapes = (shapes: Shape[]) => (l: Look) => ({ ...l, shapes });
const wordOf = (shape: Shape) => (typeof shape.shape === "string" ? SHAPE_WORDS[shape.shape] : "By a dial");
/** What it is called: a mesh by its name. */
const nameOf = (shape: Shape) => shape.mesh ?? wordOf(shape);

const fresh = (shape: ShapeWord): Shape => ({ shape, mesh: null, weight: 1, size: 1, finish: null, picture: null });

/** One more shape of the chosen population's look. The first one is what the elements are drawn as now; a second begins the choice. */
export function addShape() {
  const drawn = chosenPopulation(useStore.getState())?.shape ?? "sequin";
  const first = typeof drawn === "string" && drawn in SHAPE_WORDS ? (drawn as ShapeWord) : "sequin";
  editLook("Add a shape", (l) => {
    if (l.shapes.length >= MOST) return l;
    const next = SHAPE_OPTIONS.map(({ value }) => value).find((word) => word !== first && !l.shapes.some((s) => s.shape === word)) ?? "ball";
    const before = l.shapes.length === 0 ? [fresh(first)] : l.shapes;
    return { ...l, shapes: [...before, { ...fresh(next), weight: 1 / before.length }] };
  });
}

export function Shapes({ look, lane, choosing }: { look: Look; lane: Lane; choosing: ReactNode }) {
  const [open, setOpen] = useState(0);
  const drawn = useStore((s) => chosenPopulation(s)?.shape ?? "sequin");
  const { shapes } = look;
  const k = Math.min(open, shapes.length - 1);
  const shape = shapes[k];
  const changed = (to: Partial<Shape>) => withShapes(shapes.map((s, i) => (i === k ? { ...s, ...to } : s)));
  const change = (label: string, to: Partial<Shape>) => editLook(label, changed(to));

  function add() {
    addShape();
    setOpen(Math.max(shapes.length, 1));
  }

  return (
    <section aria-label="Shapes of the look" className="flex flex-col gap-1.5">
      <div className="flex h-6 items-center gap-1">
        <h2 className="heading grow">Shapes</h2>
        <Button disabled={shapes.length >= MOST} onClick={add}>
          <Plus size={13} aria-hidden />
          Add a shape
        </Button>
      </div>
      {shapes.length === 0 && <p className="panel p-3 text-center text-soft">All elements are {typeof drawn !== "string" ? "as a dial says" : drawn === OWN_SHAPE.value ? "the meshes that they came with" : drawn === "glow" || drawn === "haze" ? drawn : SHAPE_WORDS[drawn].toLowerCase()}. Add a shape to mix several.</p>}
      {choosing}
      <Weighed
        of="shape"
        names={shapes.map((s, i) => (shapes.filter((o) => nameOf(o) === nameOf(s)).length > 1 ? `${nameOf(s)} ${i + 1}` : nameOf(s)))}
        lane={lane}
        open={k}
        onOpen={setOpen}
        onWeights={(weights, label) => editLook(label, withShapes(shapes.map((s, i) => ({ ...s, weight: weights[i] ?? 0 }))))}
        onRemove={(gone) => editLook("Remove a shape", withShapes(shapes.filter((_, i) => i !== gone)))}
        onMove={(from, to) => {
          editLook("Reorder shapes", withShapes(moved(shapes, from, to)));
          setOpen(to);
        }}
      >
        {shape && <ShapeEditor shape={shape} look={look} change={change} draft={(to) => draftLook(changed(to))} />}
      </Weighed>
    </section>
  );
}

interface EditorProps {
  shape: Shape;
  look: Look;
  change: (label: string, to: Partial<Shape>) => void;
  draft: (to: Partial<Shape>) => void;
}

function ShapeEditor({ shape, look, change, draft }: EditorProps) {
  const assets = useStore((s) => s.scene?.assets ?? (NONE as Asset[]));
  const meshes = assets.filter((a) => a.kind === "mesh").map((a) => a.name);
  const listed = [...new Set([...meshes, ...(shape.mesh ? [shape.mesh] : [])])];
  const options = [...SHAPE_OPTIONS.map(({ value, label }) => ({ value: value as string, label })), ...listed.map((name) => ({ value: `mesh ${name}`, label: name }))];
  const finishes = [{ value: NOTHING, label: "as chosen" }, ...look.finishes.map((f) => ({ value: f.name, label: f.name }))];
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <Choice
          label="Shape"
          plain
          value={shape.mesh ? `mesh ${shape.mesh}` : String(shape.shape)}
          options={options}
          onChange={(value) => change("Change the shape", value.startsWith("mesh ") ? { mesh: value.slice(5) } : { shape: value as ShapeWord, mesh: null })}
        />
        <NumberField label="Size" value={shape.size} min={0.0001} max={10000} onDraft={(size) => draft({ size })} onCommit={(size) => change("Change the size of the shape", { size })} />
        {look.finishes.length > 0 && (
          <span className="inline-flex items-center gap-1 text-soft">
            Finish
            <span className="text-ink">
              <Choice label="Finish of the shape" plain value={shape.finish ?? NOTHING} options={finishes} onChange={(value) => change("Change the finish of the shape", { finish: value === NOTHING ? null : value })} />
            </span>
          </span>
        )}
        <Toggle label="A picture of its own" on={shape.picture !== null} onChange={(on) => change(on ? "Give the shape a picture" : "Take the shape's picture away", { picture: on ? FRESH_PICTURE : null })} />
      </div>
      {shape.picture && <PictureEditor picture={shape.picture} onDraft={(picture: ElementPicture) => draft({ picture })} onCommit={(picture: ElementPicture, label: string) => change(label, { picture })} />}
    </div>
  );
}
