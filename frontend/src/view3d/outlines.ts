/** The outlines of placements: lines of the scene, projected onto the canvas. */
import * as THREE from "three";
import type { Step } from "../api/client";
import type { Stage } from "./Stage";

export interface Line {
  points: string;
  dashed: boolean;
}

type Placed = Extract<Step, { step: "falloff" | "picture" }>;
type Point = [number, number, number];

const CIRCLE = Array.from({ length: 65 }, (_, k) => (k / 64) * 2 * Math.PI);
const ring = (a: number, b: number, radius: number): Point[] =>
  CIRCLE.map((t) => {
    const p: Point = [0, 0, 0];
    p[a] = radius * Math.cos(t);
    p[b] = radius * Math.sin(t);
    return p;
  });
const square = (size: number, z = 0): Point[] => [[-1, -1], [1, -1], [1, 1], [-1, 1], [-1, -1]].map(([x, y]) => [x! * size, y! * size, z] as Point);
const box = (size: number): Point[][] => [square(size, size), square(size, -size), ...[[-1, -1], [1, -1], [1, 1], [-1, 1]].map(([x, y]) => [[x! * size, y! * size, -size], [x! * size, y! * size, size]] as Point[])];

/** In the placement's own space, in which its size is 1: lines at the outer edge, and dashed ones at the inner. */
function own(step: Placed): [Point[], boolean][] {
  if (step.step === "picture") return [[square(1), false], [[[0, 0, 0], [0, 1, 0]], true]];
  const [outer, inner] = [step.outer, step.inner].map((edge) => (typeof edge === "number" ? edge : 1)) as [number, number];
  const both = (of: (size: number) => Point[][]): [Point[], boolean][] => [...of(outer).map((l): [Point[], boolean] => [l, false]), ...(inner > 0 ? of(inner).map((l): [Point[], boolean] => [l, true]) : [])];
  if (step.shape === "ball") return both((r) => [ring(0, 1, r), ring(0, 2, r), ring(1, 2, r)]);
  if (step.shape === "box") return both(box);
  if (step.shape === "plane") return [[square(1), false], ...both((z) => [square(1, z), square(1, -z)]).map(([l]): [Point[], boolean] => [l, true]), [[[0, 0, 0], [0, 0, outer]], false]];
  if (step.shape === "angle") return [[ring(0, 1, 1), false], [[[0, 0, 0], [1, 0, 0]], false], [[[0, 0, -0.5], [0, 0, 0.5]], true], [CIRCLE.map((t) => [0.8 * Math.cos(t) * (t / 6.3), 0.8 * Math.sin(t) * (t / 6.3), 0]), true]];
  return [];
}

/** What is drawn over the canvas; nothing of a line that goes behind the camera. */
export function outline(step: Placed, matrix: THREE.Matrix4, centre: THREE.Vector3, end: THREE.Vector3, stage: Stage): Line[] {
  if (step.step === "falloff" && step.shape === "line") return lineOf(centre, end, stage);
  return own(step).flatMap(([points, dashed]) => projected(points.map(([x, y, z]) => new THREE.Vector3(x, y, z).applyMatrix4(matrix)), dashed, stage));
}

/** A line from its beginning to its end, which has a bar across. */
export function lineOf(centre: THREE.Vector3, end: THREE.Vector3, stage: Stage): Line[] {
  const [a, b] = [stage.placed(centre), stage.placed(end)];
  if (!a || !b) return [];
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1;
  const [x, y] = [((b.y - a.y) / length) * 9, (-(b.x - a.x) / length) * 9];
  const text = (...points: { x: number; y: number }[]) => points.map((p) => `${p.x.toFixed(1)},${p.y.toFixed(1)}`).join(" ");
  return [{ points: text(a, b), dashed: false }, { points: text({ x: b.x - x, y: b.y - y }, { x: b.x + x, y: b.y + y }), dashed: false }];
}

function projected(points: THREE.Vector3[], dashed: boolean, stage: Stage): Line[] {
  const seen = points.map((p) => stage.placed(p));
  if (seen.some((p) => p === null)) return [];
  return [{ points: seen.map((p) => `${p!.x.toFixed(1)},${p!.y.toFixed(1)}`).join(" "), dashed }];
}
