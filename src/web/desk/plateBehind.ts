import * as THREE from "three";
import type { Camera, Frame } from "#core/optics/camera";
import type { Response } from "#core/image/response";
import { aimPlate, bendAs, CURVE, ON_PLATE, plateUniforms } from "./plateShader.ts";

/** Tangents at the borders of the picture that the camera's pinhole gives. */
export interface Reach {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

/**
 * The plate as light that comes through glass: drawn in the pass of what lies behind it alone, since the plate itself lies
 * below the view.
 */
export class PlateBehind {
  readonly mesh: THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial>;

  constructor(picture: THREE.WebGLRenderTarget) {
    const material = new THREE.ShaderMaterial({
      uniforms: {
        ...plateUniforms(),
        plate: { value: null },
        low: { value: new THREE.Vector2() },
        high: { value: new THREE.Vector2() },
      },
      vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
      fragmentShader: `uniform sampler2D plate; uniform vec2 low; uniform vec2 high; varying vec2 at;
        ${ON_PLATE}
        ${CURVE}
        void main() {
          vec2 on = clamp(onPlate(mix(low, high, at)), 0.0, 1.0);
          gl_FragColor = vec4(toScene(texture2D(plate, vec2(on.x, 1.0 - on.y)).rgb), 1.0);
        }`,
      depthTest: false,
      depthWrite: false,
    });
    this.mesh = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = -10;
    this.mesh.visible = false;
    this.mesh.onBeforeRender = (renderer) => {
      material.colorWrite = renderer.getRenderTarget() !== picture;
    };
  }

  /** Looks through a camera whose picture reaches so far; `response` is the plate's curve. */
  aim(camera: Camera, frame: Frame, reach: Reach, response: Response | null | undefined): void {
    const { uniforms } = this.mesh.material;
    aimPlate(uniforms, camera, frame);
    bendAs(uniforms, response);
    (uniforms.low.value as THREE.Vector2).set(reach.left, reach.bottom);
    (uniforms.high.value as THREE.Vector2).set(reach.right, reach.top);
  }

  /** Draws what is drawn there with the plate behind it. */
  during(plate: THREE.Texture | null, draw: () => void): void {
    this.mesh.material.uniforms.plate.value = plate;
    this.mesh.visible = plate !== null;
    draw();
    this.mesh.visible = false;
  }

  dispose(): void {
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}
