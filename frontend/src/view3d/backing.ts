/**
 * A picture, with depth, of all populations but one: while that one alone is edited, the processor draws nothing else anew.
 * For plain drawing, whose materials give levels of the display and need no tone mapping.
 */
import * as THREE from "three";

export class Backing {
  private target: THREE.WebGLRenderTarget | null = null;
  /** The population that the picture lacks; empty while there is none. */
  private lacks = "";
  private readonly quad = new THREE.Mesh(
    new THREE.PlaneGeometry(2, 2),
    new THREE.ShaderMaterial({
      uniforms: { colours: { value: null }, depths: { value: null } },
      toneMapped: false,
      depthFunc: THREE.AlwaysDepth,
      vertexShader: "varying vec2 vAt; void main() { vAt = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
      fragmentShader: `varying vec2 vAt; uniform sampler2D colours; uniform sampler2D depths;
        void main() {
          float depth = texture2D(depths, vAt).r;
          if (depth >= 1.0) discard;
          gl_FragDepth = depth;
          gl_FragColor = vec4(texture2D(colours, vAt).rgb, 1.0);
        }`,
    }),
  );
  private readonly room = new THREE.Scene();
  private readonly eye = new THREE.Camera();

  constructor() {
    this.quad.frustumCulled = false;
    this.room.add(this.quad);
  }

  /** Something else than one population's values has changed. */
  forget() {
    this.lacks = "";
  }

  /** Draw everything, of which only the population `id` has changed since the picture of the others was taken. */
  draw(renderer: THREE.WebGLRenderer, scene: THREE.Scene, camera: THREE.Camera, id: string, subject: THREE.Object3D) {
    const target = this.sized(renderer.getDrawingBufferSize(new THREE.Vector2()));
    if (this.lacks !== id) {
      subject.visible = false;
      renderer.setRenderTarget(target);
      renderer.render(scene, camera);
      renderer.setRenderTarget(null);
      subject.visible = true;
      this.lacks = id;
    }
    const others = scene.children.filter((child) => child !== subject && child.visible && !containsLight(child));
    renderer.clear();
    renderer.autoClear = false;
    renderer.render(this.room, this.eye);
    for (const other of others) other.visible = false;
    renderer.render(scene, camera);
    for (const other of others) other.visible = true;
    renderer.autoClear = true;
  }

  dispose() {
    this.target?.depthTexture?.dispose();
    this.target?.dispose();
    this.quad.geometry.dispose();
    this.quad.material.dispose();
  }

  private sized(size: THREE.Vector2): THREE.WebGLRenderTarget {
    if (this.target && this.target.width === size.x && this.target.height === size.y) return this.target;
    this.target?.depthTexture?.dispose();
    this.target?.dispose();
    this.lacks = "";
    this.target = new THREE.WebGLRenderTarget(size.x, size.y, { minFilter: THREE.NearestFilter, magFilter: THREE.NearestFilter });
    this.target.depthTexture = new THREE.DepthTexture(size.x, size.y, THREE.UnsignedIntType);
    const { uniforms } = this.quad.material;
    uniforms.colours!.value = this.target.texture;
    uniforms.depths!.value = this.target.depthTexture;
    return this.target;
  }
}

function containsLight(object: THREE.Object3D): boolean {
  let found = false;
  object.traverse((child) => {
    found ||= child instanceof THREE.Light;
  });
  return found;
}
