/** The ground: invisible but for the sun's shadow and a soft contact shadow under the subject. */
import * as THREE from "three";

/** A depth picture from below, blurred: how near the subject is to the ground at each place. */
export class ContactShadow {
  readonly mesh: THREE.Mesh;
  private readonly camera = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private readonly targets = [0, 1].map(() => new THREE.WebGLRenderTarget(256, 256));
  private readonly depth = new THREE.ShaderMaterial({
    uniforms: { reach: { value: 1 } },
    side: THREE.DoubleSide,
    vertexShader: `varying float vDepth; uniform float reach;
      void main() { vec4 p = modelViewMatrix * vec4(position, 1.0); vDepth = -p.z / reach; gl_Position = projectionMatrix * p; }`,
    fragmentShader: `varying float vDepth;
      void main() { gl_FragColor = vec4(vec3(0.0), pow(clamp(1.0 - vDepth, 0.0, 1.0), 1.6)); }`,
  });
  private readonly blur = new THREE.ShaderMaterial({
    uniforms: { source: { value: null as THREE.Texture | null }, along: { value: new THREE.Vector2() } },
    depthTest: false,
    vertexShader: "varying vec2 vAt; void main() { vAt = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
    fragmentShader: `varying vec2 vAt; uniform sampler2D source; uniform vec2 along;
      void main() {
        float sum = 0.0; float weights = 0.0;
        for (int k = -8; k <= 8; k++) {
          float w = exp(-float(k * k) / 26.0);
          sum += w * texture2D(source, vAt + along * float(k)).a; weights += w;
        }
        gl_FragColor = vec4(vec3(0.0), sum / weights);
      }`,
  });
  private readonly quad = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.blur);

  constructor() {
    this.mesh = new THREE.Mesh(
      new THREE.PlaneGeometry(2, 2),
      new THREE.MeshBasicMaterial({
        map: this.targets[0]!.texture,
        transparent: true,
        opacity: 0.62,
        depthWrite: false,
        toneMapped: false,
      }),
    );
    this.mesh.renderOrder = 1;
    this.quad.frustumCulled = false;
  }

  /** Render the shadow of the subjects onto the ground at `level`. */
  update(renderer: THREE.WebGLRenderer, subjects: THREE.Object3D[], middle: THREE.Vector3, radius: number, level: number) {
    const half = radius * 1.35;
    const reach = radius * 0.55;
    Object.assign(this.camera, { left: -half, right: half, top: half, bottom: -half, near: 0, far: reach });
    this.camera.position.set(middle.x, middle.y, level);
    this.camera.up.set(0, 1, 0);
    this.camera.lookAt(middle.x, middle.y, level + 1);
    this.camera.updateProjectionMatrix();
    this.camera.updateMatrixWorld();
    this.depth.uniforms.reach!.value = reach;
    const scene = new THREE.Scene();
    const parents = subjects.map((subject) => subject.parent);
    for (const subject of subjects) scene.add(subject);
    scene.overrideMaterial = this.depth;
    const [first, second] = this.targets as [THREE.WebGLRenderTarget, THREE.WebGLRenderTarget];
    const clear = renderer.getClearAlpha();
    renderer.setClearAlpha(0);
    renderer.setRenderTarget(first);
    renderer.clear();
    renderer.render(scene, this.camera);
    for (const spread of [1.6, 0.9]) {
      this.pass(renderer, first, second, spread / 256, 0);
      this.pass(renderer, second, first, 0, spread / 256);
    }
    renderer.setRenderTarget(null);
    renderer.setClearAlpha(clear);
    subjects.forEach((subject, k) => parents[k]?.add(subject));
    // Seen from above the picture taken from below is mirrored.
    this.mesh.scale.set(-half, half, 1);
    this.mesh.position.set(middle.x, middle.y, level + radius * 0.001);
    (this.mesh.material as THREE.MeshBasicMaterial).side = THREE.DoubleSide;
  }

  private pass(
    renderer: THREE.WebGLRenderer,
    from: THREE.WebGLRenderTarget,
    to: THREE.WebGLRenderTarget,
    x: number,
    y: number,
  ) {
    this.blur.uniforms.source!.value = from.texture;
    this.blur.uniforms.along!.value.set(x, y);
    renderer.setRenderTarget(to);
    renderer.render(this.quad, this.camera);
  }
}
