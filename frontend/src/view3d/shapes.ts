/** The shapes that elements are drawn as, one unit across; the core makes them, so that files have the same. */
import * as THREE from "three";
import { binary, type ShapeHeader } from "../api/client";
import { persisted } from "./persisted";
import { quality } from "./quality";

const made = new Map<string, THREE.BufferGeometry>();
const asked = new Set<string>();

/** The shape under a key, or null while it is on its way; then `come` is called once it is there. */
export function shapeGeometry(key: string, come: () => void): THREE.BufferGeometry | null {
  const found = made.get(key);
  if (found) return found;
  if (!asked.has(key)) {
    asked.add(key);
    void fetchShape(key, come);
  }
  return null;
}

async function fetchShape(key: string, come: () => void) {
  const found = await persisted(() => binary<ShapeHeader>("GET", `/shapes/${encodeURIComponent(key)}${quality().plain ? "?coarse=1" : ""}`));
  if (found) {
    const { arrays } = found;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(arrays.positions as Float32Array, 3));
    geometry.setAttribute("normal", new THREE.BufferAttribute(arrays.normals as Float32Array, 3));
    geometry.setAttribute("uv", new THREE.BufferAttribute(arrays.uv as Float32Array, 2));
    geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(arrays.faces as Int32Array), 1));
    made.set(key, geometry);
    come();
  }
  asked.delete(key);
}
