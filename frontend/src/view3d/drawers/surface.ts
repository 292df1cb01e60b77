/** Draws meshes: values run smoothly over the faces, or are looked up for each pixel where a lane ends in a table. */
import * as THREE from "three";
import type { Geometry } from "../../state/results.slice";
import { Coloured } from "./coloured";

export class Surface extends Coloured {
  readonly size = 0;
  readonly solid = true;
  readonly casts = true;

  constructor(geometry: Geometry) {
    super(geometry, "surface");
    this.add(polygons(geometry), "uv" in geometry.arrays, true);
    this.common.values.set("ways", 0, 3, geometry.arrays.normals as Float32Array);
  }

  draws(geometry: Geometry): boolean {
    return geometry === this.made;
  }

  override setLane(name: string, values: ArrayLike<number> | null) {
    const normals = this.made.arrays.normals as Float32Array;
    if (name === "normals") {
      const buffer = this.parts[0]!.mesh.geometry.getAttribute("normal") as THREE.BufferAttribute;
      buffer.array.set(values && values.length === normals.length ? values : normals);
      buffer.needsUpdate = true;
    } else super.setLane(name, name === "ways" ? (values ?? normals) : values);
  }
}

/** The arrays of a population as the vertices of triangles. */
function polygons({ positions, arrays }: Geometry): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  const triangles = arrays.triangles as Int32Array;
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  geometry.setAttribute("normal", new THREE.BufferAttribute((arrays.normals as Float32Array).slice(), 3));
  if (arrays.uv) geometry.setAttribute("uv", new THREE.BufferAttribute(arrays.uv as Float32Array, 2));
  geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(triangles.buffer, triangles.byteOffset, triangles.length), 1));
  return geometry;
}
