/** Pictures on elements: both graded versions of each as one texture, worked out by the core. */
import * as THREE from "three";
import { binary, type ElementPictureOf } from "../api/client";
import { persisted } from "./persisted";

const made = new Map<string, THREE.DataArrayTexture>();
const asked = new Set<string>();
/** Textures of a scene are few; the oldest goes when there are more. */
const MOST = 24;

/** The texture of a picture, or null while it is on its way; then `come` is called once it is there. */
export function elementPicture(of: ElementPictureOf, come: () => void): THREE.DataArrayTexture | null {
  const found = made.get(of.key);
  if (found) return found;
  if (!asked.has(of.key)) {
    asked.add(of.key);
    void fetchPicture(of, come);
  }
  return null;
}

async function fetchPicture(of: ElementPictureOf, come: () => void) {
  const found = await persisted(() => binary<{ rows: number; columns: number }>("POST", "/element-pictures", { source: of.source, picture: of.picture }));
  if (found) {
    const { header, arrays } = found;
    const { rows, columns } = header;
    const texels = new Uint8Array(8 * rows * columns);
    // Rows come from the top; textures begin at the bottom.
    [arrays.first, arrays.second].forEach((version, k) => {
      for (let row = 0; row < rows; row++) {
        const line = (version as Uint8Array).subarray(4 * columns * row, 4 * columns * (row + 1));
        texels.set(line, 4 * columns * (rows * k + rows - 1 - row));
      }
    });
    const texture = new THREE.DataArrayTexture(texels, columns, rows, 2);
    texture.colorSpace = THREE.SRGBColorSpace;
    texture.wrapS = texture.wrapT = THREE.RepeatWrapping;
    texture.magFilter = THREE.LinearFilter;
    texture.minFilter = THREE.LinearMipmapLinearFilter;
    texture.generateMipmaps = true;
    texture.needsUpdate = true;
    made.set(of.key, texture);
    for (const [key, old] of made) {
      if (made.size <= MOST) break;
      old.dispose();
      made.delete(key);
    }
    come();
  }
  asked.delete(of.key);
}
