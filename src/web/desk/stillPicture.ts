import * as THREE from "three";

/**
 * The view once nothing moves: the mean of several frames, each moved by a part of a pixel and with textures as fine as
 * all of them together can show, as the proof has its pixels from many samples. Edges are smooth then, and what is polished
 * here and tarnished there mirrors before it is averaged.
 */

/** Frames of a still picture. */
export const STILL_FRAMES = 8;
/** Levels by which textures may be finer: a frame's pixels count for that many less each. */
export const STILL_DETAIL = -0.5 * Math.log2(STILL_FRAMES);

/** Where in its pixel a frame looks, from −½ to ½: steps of the golden ratio's like in two dimensions (Roberts 2018, R2). */
export const stillOffset = (frame: number): [number, number] => [
  ((0.5 + frame * 0.7548776662466927) % 1) - 0.5,
  ((0.5 + frame * 0.5698402909980532) % 1) - 0.5,
];

export class StillPicture {
  readonly target = new THREE.WebGLRenderTarget(8, 8, { samples: 0, type: THREE.HalfFloatType, depthBuffer: false });
  private readonly scene = new THREE.Scene();
  private readonly eye = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private readonly material: THREE.ShaderMaterial;
  private readonly quad: THREE.Mesh;

  constructor(private readonly frame: THREE.WebGLRenderTarget) {
    this.material = new THREE.ShaderMaterial({
      uniforms: { picture: { value: frame.texture } },
      vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
      fragmentShader:
        "uniform sampler2D picture; varying vec2 at; void main() { gl_FragColor = texture2D(picture, at); }",
      blending: THREE.CustomBlending,
      blendSrc: THREE.ConstantAlphaFactor,
      blendDst: THREE.OneMinusConstantAlphaFactor,
      depthTest: false,
      depthWrite: false,
    });
    this.quad = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material);
    this.quad.frustumCulled = false;
    this.scene.add(this.quad);
  }

  /** Takes the frame that was drawn last as the one of that number, from 0. */
  take(renderer: THREE.WebGLRenderer, number: number): void {
    const { width, height } = this.frame;
    if (number === 0) this.target.setSize(width, height);
    this.material.blendAlpha = 1 / (number + 1);
    renderer.setRenderTarget(this.target);
    if (number === 0) renderer.clear();
    const clears = renderer.autoClear;
    renderer.autoClear = false;
    renderer.render(this.scene, this.eye);
    renderer.autoClear = clears;
    renderer.setRenderTarget(null);
  }

  dispose(): void {
    this.target.dispose();
    this.material.dispose();
    this.quad.geometry.dispose();
  }
}

/** Waits until the graphics card has done what it was told so far. */
export async function whenDrawn(renderer: THREE.WebGLRenderer): Promise<void> {
  const gl = renderer.getContext() as WebGL2RenderingContext;
  const sync = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
  if (!sync) return;
  gl.flush();
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, 8));
    const state = gl.clientWaitSync(sync, 0, 0);
    if (state !== gl.TIMEOUT_EXPIRED) break;
  }
  gl.deleteSync(sync);
}
