import * as THREE from "three";
import type { Vec3 } from "#core/math/vec3";

/**
 * Soft shade where props come near what they stand on, as the light from all around leaves it: the prop is looked at from
 * below its feet, what is near them is dark, and that picture is blurred and laid under it. Taken anew only when its model,
 * turn or size changes: a prop that is moved takes its shade along.
 */

const SIDE = 256;
/** How far up a prop darkens what it stands on, and how far its shade goes beyond it: as shares of its height, in metres at most. */
const UP = { share: 0.4, most: 0.8 };
const BEYOND = { share: 0.35, most: 0.5 };
/** The shade lies so far above what it is on, metres. */
const LIFT = 0.002;

interface Shade {
  key: string;
  model: object;
  picture: THREE.WebGLRenderTarget;
  sheet: THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial>;
  used: boolean;
}

/** One prop that stands somewhere. */
export interface ShadedProp {
  id: string;
  /** Placed in the world. */
  group: THREE.Group;
  model: object;
  /** What else of it changes its shade: how it is turned and sized. */
  pose: string;
  /** Which way the face that it stands on looks. */
  normal: Vec3;
}

function discard({ picture, sheet }: Shade): void {
  picture.dispose();
  sheet.material.dispose();
}

const VERTEX = `
  void main() {
    vec4 p = vec4(position, 1.0);
    #ifdef USE_INSTANCING
      p = instanceMatrix * p;
    #endif
    gl_Position = projectionMatrix * modelViewMatrix * p;
  }`;
const FLAT = "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }";

export class ContactShades {
  private readonly scene = new THREE.Scene();
  private readonly below = new THREE.OrthographicCamera();
  private readonly near = new THREE.ShaderMaterial({
    side: THREE.DoubleSide,
    vertexShader: VERTEX,
    fragmentShader: "void main() { float d = 1.0 - gl_FragCoord.z; gl_FragColor = vec4(0.0, 0.0, 0.0, d * d); }",
    blending: THREE.NoBlending,
  });
  private readonly blur = new THREE.ShaderMaterial({
    uniforms: { picture: { value: null }, step: { value: new THREE.Vector2() } },
    vertexShader: FLAT,
    fragmentShader: `uniform sampler2D picture; uniform vec2 step; varying vec2 at;
      void main() {
        float sum = 0.0; float weight = 0.0;
        for (int i = -8; i <= 8; i++) { float w = exp(-0.5 * float(i * i) / 12.0); sum += w * texture2D(picture, at + step * float(i)).a; weight += w; }
        gl_FragColor = vec4(0.0, 0.0, 0.0, sum / weight);
      }`,
    blending: THREE.NoBlending,
    depthTest: false,
  });
  private readonly screen = new THREE.Scene();
  private readonly flat = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private readonly between = new THREE.WebGLRenderTarget(SIDE, SIDE);
  private readonly square = new THREE.PlaneGeometry(1, 1);
  private readonly shades = new Map<string, Shade>();

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.screen.add(new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.blur));
  }

  /** Sheets to be drawn under props, so strong (from 0 to 1). */
  under(props: readonly ShadedProp[], strength: number): THREE.Mesh[] {
    for (const shade of this.shades.values()) shade.used = false;
    const sheets = props.map((prop) => this.sheetOf(prop, strength));
    for (const [id, shade] of this.shades)
      if (!shade.used) {
        discard(shade);
        this.shades.delete(id);
      }
    return sheets;
  }

  private sheetOf({ id, group, model, pose, normal }: ShadedProp, strength: number): THREE.Mesh {
    // Axes of the face: its own plane and up from it.
    const up = new THREE.Vector3(...normal);
    const frame = new THREE.Quaternion().setFromUnitVectors(new THREE.Vector3(0, 0, 1), up);
    const back = new THREE.Matrix4().makeRotationFromQuaternion(frame.clone().invert());
    const box = new THREE.Box3();
    const own = new THREE.Box3();
    for (const mesh of group.children as THREE.Mesh[]) {
      const instanced = mesh instanceof THREE.InstancedMesh;
      if (instanced) mesh.computeBoundingBox();
      else mesh.geometry.computeBoundingBox();
      own.copy((instanced ? mesh.boundingBox : mesh.geometry.boundingBox)!);
      box.union(own.applyMatrix4(new THREE.Matrix4().multiplyMatrices(back, mesh.matrixWorld)));
    }
    const tall = box.max.z - box.min.z;
    const beyond = Math.min(BEYOND.most, BEYOND.share * tall);
    const [width, depth] = [box.max.x - box.min.x + 2 * beyond, box.max.y - box.min.y + 2 * beyond];
    const middle = new THREE.Vector3((box.min.x + box.max.x) / 2, (box.min.y + box.max.y) / 2, box.min.z);
    const place = middle.clone().applyQuaternion(frame);
    const key = `${pose} ${normal.join()}`;
    let shade = this.shades.get(id);
    if (!shade) {
      const picture = new THREE.WebGLRenderTarget(SIDE, SIDE);
      shade = { key: "", model, used: true, picture, sheet: this.newSheet(picture.texture) };
      this.shades.set(id, shade);
    }
    shade.used = true;
    if (shade.key !== key || shade.model !== model) {
      this.take(shade.picture, group, place, frame, [width, depth], Math.min(UP.most, UP.share * tall), beyond);
      Object.assign(shade, { key, model });
    }
    const { sheet } = shade;
    sheet.material.uniforms.strength.value = strength;
    sheet.quaternion.copy(frame);
    sheet.position.copy(place).addScaledVector(up, LIFT);
    sheet.scale.set(width, depth, 1);
    return sheet;
  }

  private newSheet(picture: THREE.Texture): Shade["sheet"] {
    const material = new THREE.ShaderMaterial({
      uniforms: { picture: { value: picture }, strength: { value: 1 } },
      vertexShader:
        "varying vec2 at; void main() { at = uv; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }",
      fragmentShader:
        "uniform sampler2D picture; uniform float strength; varying vec2 at; void main() { gl_FragColor = vec4(0.0, 0.0, 0.0, strength * texture2D(picture, at).a); }",
      transparent: true,
      depthWrite: false,
      polygonOffset: true,
      polygonOffsetFactor: -2,
      polygonOffsetUnits: -8,
    });
    return new THREE.Mesh(this.square, material);
  }

  /** Looks at a prop from below its feet, and blurs what is near them. */
  private take(
    to: THREE.WebGLRenderTarget,
    group: THREE.Group,
    place: THREE.Vector3,
    frame: THREE.Quaternion,
    [width, depth]: [number, number],
    reach: number,
    beyond: number,
  ): void {
    const { renderer, below } = this;
    // From below, across is mirrored: the sheet is looked at from above.
    below.left = width / 2;
    below.right = -width / 2;
    below.top = depth / 2;
    below.bottom = -depth / 2;
    below.near = 0;
    below.far = reach + LIFT;
    below.updateProjectionMatrix();
    const up = new THREE.Vector3(0, 0, 1).applyQuaternion(frame);
    below.position.copy(place).addScaledVector(up, -LIFT);
    below.up.set(0, 1, 0).applyQuaternion(frame);
    below.lookAt(below.position.clone().add(up));
    const { parent } = group;
    const order = parent?.children.indexOf(group) ?? -1;
    this.scene.add(group);
    this.scene.overrideMaterial = this.near;
    renderer.setRenderTarget(to);
    renderer.clear();
    renderer.render(this.scene, below);
    this.scene.remove(group);
    // Back where it was among the others: the first of them is what the light is taken at.
    if (parent) {
      parent.add(group);
      parent.children.splice(order, 0, parent.children.pop()!);
    }
    const radius = (0.5 * beyond) / 8;
    for (const [from, onto, step] of [
      [to, this.between, [radius / width, 0]],
      [this.between, to, [0, radius / depth]],
    ] as const) {
      this.blur.uniforms.picture.value = from.texture;
      (this.blur.uniforms.step.value as THREE.Vector2).set(step[0], step[1]);
      renderer.setRenderTarget(onto);
      renderer.clear();
      renderer.render(this.screen, this.flat);
    }
    renderer.setRenderTarget(null);
  }

  dispose(): void {
    for (const shade of this.shades.values()) discard(shade);
    for (const thing of [this.near, this.blur, this.between, this.square]) thing.dispose();
  }
}
