/** Handles of the chosen population's place in the view: move, raise, turn and size, by pointer and keys. */
import { Move3d, MoveVertical, RotateCw, Scaling } from "lucide-react";
import * as THREE from "three";
import type { PopulationDocument } from "../api/client";
import { withPopulation } from "../state/edits";
import { chosenPopulation, draft, editPopulation, useStore } from "../state/store";
import { keyMove, useDrag } from "../widgets/interactive";
import { view } from "./current";
import { useFrames } from "./frames";

type Place = PopulationDocument["place"];

/** The numbers of a place; null while one of them follows a dial, which then has the say. */
function plain(place: Place): { position: [number, number, number]; turn: [number, number, number]; size: number } | null {
  const numbers = [...place.position, ...place.turn, place.size];
  return numbers.every((n) => typeof n === "number") ? (place as never) : null;
}

const round = (n: number) => Math.round(n * 1000) / 1000;

interface Held {
  x: number;
  y: number;
  from: NonNullable<ReturnType<typeof plain>>;
  now: Place;
}

interface HandleProps {
  label: string;
  at: { x: number; y: number };
  icon: React.ReactNode;
  id: string;
  /** The place after the pointer has gone so far, in pixels. */
  dragged: (from: Held["from"], x: number, y: number) => Place;
  /** The place after a key. */
  keyed: (from: Held["from"], x: number, y: number) => Place;
  place: Held["from"];
}

function Handle({ label, at, icon, id, dragged, keyed, place }: HandleProps) {
  const put = (to: Place) => draft((scene) => withPopulation(scene, id, (p) => ({ ...p, place: to })));
  const drag = useDrag<Held>({
    move: (held, event) => {
      const now = dragged(held.from, event.clientX - held.x, event.clientY - held.y);
      put(now);
      return { ...held, now };
    },
    end: ({ now }, moved) => moved && editPopulation(label, (p) => ({ ...p, place: now })),
  });
  return (
    <button
      type="button"
      aria-label={`${label}. Arrow keys, with Shift ten times as far.`}
      title={label}
      className="absolute grid size-7 -translate-x-1/2 -translate-y-1/2 cursor-grab touch-none place-items-center rounded-full border border-white bg-[#141414] text-white shadow-md active:cursor-grabbing"
      style={{ left: at.x, top: at.y }}
      {...drag((event) => ({ x: event.clientX, y: event.clientY, from: place, now: place }))}
      onKeyDown={(event) => {
        const by = keyMove(event);
        if (by && (by.x || by.y)) editPopulation(label, (p) => ({ ...p, place: keyed(place, by.x, by.y) }));
      }}
    >
      {icon}
    </button>
  );
}

/** A step of a key, in units and degrees. */
const STEP = 0.05;
const DEGREES = 5;

export function Handles() {
  const placing = useStore((s) => s.placing);
  const population = useStore(chosenPopulation);
  const header = useStore((s) => s.geometry[s.chosen]?.header);
  if (!placing || !population || !header) return null;
  const place = plain(population.place);
  if (!place) return null;
  return <Four id={population.id} place={place} />;
}

function Four({ id, place }: { id: string; place: Held["from"] }) {
  useFrames();
  const stage = view.stage;
  if (!stage) return null;
  const box = stage.boxOf(id);
  if (!box) return null;
  const middle = box.getCenter(new THREE.Vector3());
  const foot = new THREE.Vector3(middle.x, middle.y, box.min.z);
  const centre = stage.placed(foot);
  const top = stage.placed(new THREE.Vector3(middle.x, middle.y, box.max.z));
  const side = stage.placed(new THREE.Vector3(box.max.x, middle.y, box.min.z));
  const corner = stage.placed(new THREE.Vector3(box.max.x, middle.y, box.max.z));
  if (!centre || !top || !side || !corner) return null;
  /** How far the ground under a pixel lies from that under another. */
  const along = (x: number, y: number) => {
    const from = stage.onGround(centre.x, centre.y, foot.z);
    const to = stage.onGround(centre.x + x, centre.y + y, foot.z);
    return from && to ? to.sub(from) : new THREE.Vector3();
  };
  const unit = Math.max(1e-6, box.max.z - box.min.z) / Math.max(8, Math.abs(centre.y - top.y));
  const moved = (from: Held["from"], by: THREE.Vector3): Place => ({ ...from, position: from.position.map((n, k) => round(n + by.getComponent(k))) as never });
  const sized = (from: Held["from"], factor: number): Place => ({ ...from, size: round(Math.min(1e6, Math.max(0.001, from.size * factor))) });
  const turned = (from: Held["from"], by: number): Place => ({ ...from, turn: [from.turn[0], from.turn[1], round(from.turn[2] + by)] });
  const vector = (x: number, y: number, z: number) => new THREE.Vector3(x, y, z);
  return (
    <div role="group" aria-label="Place in the scene" className="pointer-events-none absolute inset-0 [&>*]:pointer-events-auto">
      <Handle id={id} place={place} label="Move on the ground" at={centre} icon={<Move3d size={15} />} dragged={(from, x, y) => moved(from, along(x, y))} keyed={(from, x, y) => moved(from, vector(x * STEP, y * STEP, 0))} />
      <Handle id={id} place={place} label="Raise or lower" at={top} icon={<MoveVertical size={15} />} dragged={(from, _x, y) => moved(from, vector(0, 0, -y * unit))} keyed={(from, _x, y) => moved(from, vector(0, 0, y * STEP))} />
      <Handle id={id} place={place} label="Turn" at={side} icon={<RotateCw size={15} />} dragged={(from, x) => turned(from, x / 2)} keyed={(from, x, y) => turned(from, (x + y) * DEGREES)} />
      <Handle id={id} place={place} label="Size" at={corner} icon={<Scaling size={15} />} dragged={(from, x, y) => sized(from, Math.exp((x - y) / 160))} keyed={(from, x, y) => sized(from, 1 + (x + y) * STEP)} />
    </div>
  );
}
