/** Draws meshes: the values of the vertices run smoothly over the faces. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { EFFECTS, laneName } from "../materials";
import { changing, Coloured } from "./coloured";

export class Surface extends Coloured {
  constructor(geometry: Geometry) {
    super(geometry, polygons(geometry), "surface");
    this.object.castShadow = true;
  }

  readonly size = 0;

  draws(geometry: Geometry): boolean {
    return geometry === this.made;
  }
}

/** The arrays of a population as the vertices of triangles. */
function polygons({ positions, arrays }: Geometry): THREE.BufferGeometry {
  const count = positions.length / 3;
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  geometry.setAttribute("normal", new THREE.BufferAttribute(arrays.normals as Float32Array, 3));
  geometry.setIndex(new THREE.BufferAttribute(new Uint32Array((arrays.triangles as Int32Array).buffer, (arrays.triangles as Int32Array).byteOffset, arrays.triangles!.length), 1));
  changing(geometry, count, false, Object.keys(EFFECTS).map(laneName));
  return geometry;
}
