/** Light: a sun with soft shadow, a hemisphere, and an environment of soft boxes for reflections. */
import * as THREE from "three";

/** Soft boxes in a dark room; neutral, so that they tint nothing. */
function studio(): THREE.Scene {
  const scene = new THREE.Scene();
  scene.add(
    new THREE.Mesh(
      new THREE.SphereGeometry(20, 32, 16),
      new THREE.MeshBasicMaterial({ color: new THREE.Color(0.2, 0.2, 0.2), side: THREE.BackSide }),
    ),
  );
  const panel = (x: number, y: number, z: number, width: number, height: number, power: number) => {
    const mesh = new THREE.Mesh(
      new THREE.PlaneGeometry(width, height),
      new THREE.MeshBasicMaterial({ color: new THREE.Color(power, power, power), side: THREE.DoubleSide }),
    );
    mesh.position.set(x, y, z);
    mesh.lookAt(0, 0, 0);
    scene.add(mesh);
  };
  panel(0, 0, 9, 9, 9, 5.5);
  panel(-9, -4, 5, 3, 8, 9);
  panel(9, -6, 3, 2.4, 7, 6);
  panel(3, 10, 4, 9, 3, 4);
  panel(0, -10, 2, 8, 1.2, 3);
  const floor = new THREE.Mesh(
    new THREE.CircleGeometry(18, 32),
    new THREE.MeshBasicMaterial({ color: new THREE.Color(0.32, 0.32, 0.32) }),
  );
  floor.position.z = -4;
  scene.add(floor);
  return scene;
}

export function environment(renderer: THREE.WebGLRenderer): THREE.Texture {
  const generator = new THREE.PMREMGenerator(renderer);
  const texture = generator.fromScene(studio(), 0.03).texture;
  generator.dispose();
  return texture;
}

/** The sun's usual strength. */
export const SUN = 2.5;

export interface Lights {
  key: THREE.DirectionalLight;
  group: THREE.Group;
}

export function lights(shadowSize: number, withEnvironment: boolean): Lights {
  const group = new THREE.Group();
  const key = new THREE.DirectionalLight(0xffffff, SUN);
  key.castShadow = shadowSize > 0;
  key.shadow.mapSize.set(shadowSize || 1, shadowSize || 1);
  key.shadow.radius = 7;
  key.shadow.blurSamples = 20;
  key.shadow.bias = -0.0008;
  key.shadow.normalBias = 0.03;
  group.add(key, key.target);
  group.add(new THREE.HemisphereLight(0xffffff, 0x8a8a8a, withEnvironment ? 0.35 : 1.6));
  return { key, group };
}

/** Stand the sun and its shadow over a ball of the given middle and radius, turned by degrees about the vertical. */
export function aim(light: THREE.DirectionalLight, middle: THREE.Vector3, radius: number, turn = 0) {
  light.target.position.copy(middle);
  light.position.copy(middle).add(new THREE.Vector3(-0.9, -1.1, 2.3).applyAxisAngle(new THREE.Vector3(0, 0, 1), (turn * Math.PI) / 180).multiplyScalar(radius * 1.4));
  const camera = light.shadow.camera;
  camera.left = camera.bottom = -radius * 1.5;
  camera.right = camera.top = radius * 1.5;
  camera.near = radius * 0.1;
  camera.far = radius * 8;
  camera.updateProjectionMatrix();
  light.target.updateMatrixWorld();
}
