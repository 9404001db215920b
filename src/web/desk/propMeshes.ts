import * as THREE from "three";
import { srgbToLinear } from "#core/colour/srgb";
import type { Material, Mesh, Model, Texture, TextureMatrix, TextureWrap } from "#core/props/model";
import { COPY_FLOATS, meshBox } from "#core/props/model";
import { isBulky, meanThickness } from "#core/props/thickness";
import { vertexTangents } from "#core/trace/tangents";
import type { PropLight, StillLight } from "./propShader.ts";
import { dressShader, newPropLight } from "./propShader.ts";

/**
 * Meshes, textures and materials of the props that the interactive view shows. What models share (the same file with
 * other looks, or in rows) lies on the graphics card once, and leaves it when no prop shows it any more.
 */

const WRAPS: Record<TextureWrap, THREE.Wrapping> = {
  repeat: THREE.RepeatWrapping,
  clamp: THREE.ClampToEdgeWrapping,
  mirror: THREE.MirroredRepeatWrapping,
};

interface Kept<T> {
  value: T;
  used: boolean;
}

/** Things on the graphics card by what they were made of; what was not asked for between two sweeps is let go. */
class Shelf<K, T> {
  private readonly known = new Map<K, Kept<T>>();
  constructor(private readonly discard: (value: T) => void) {}
  of(key: K, make: () => T): T {
    let kept = this.known.get(key);
    if (!kept) this.known.set(key, (kept = { value: make(), used: true }));
    kept.used = true;
    return kept.value;
  }
  begin(): void {
    for (const kept of this.known.values()) kept.used = false;
  }
  sweep(): void {
    for (const [key, { value, used }] of this.known)
      if (!used) {
        this.discard(value);
        this.known.delete(key);
      }
  }
}

/** Colours of corners, bytes as on a screen, in linear light. */
function linearColours(colours: Uint8Array): THREE.BufferAttribute {
  const table = Float32Array.from({ length: 256 }, (_, i) => srgbToLinear(i / 255));
  const linear = Float32Array.from(colours, (byte, i) => (i % 4 === 3 ? byte / 255 : table[byte]));
  return new THREE.BufferAttribute(linear, 4);
}

function geometryOf({ positions, normals, uvs, colours, indices }: Mesh, coloured: boolean): THREE.BufferGeometry {
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 3));
  if (coloured) {
    const white = new Uint8Array((positions.length / 3) * 4).fill(255);
    geometry.setAttribute("color", linearColours(colours ?? white));
  }
  if (uvs) geometry.setAttribute("uv", new THREE.BufferAttribute(uvs, 2));
  geometry.setIndex(new THREE.BufferAttribute(indices, 1));
  const { low, high } = meshBox({ positions });
  geometry.boundingBox = new THREE.Box3(new THREE.Vector3(...low), new THREE.Vector3(...high));
  geometry.boundingSphere = geometry.boundingBox.getBoundingSphere(new THREE.Sphere());
  return geometry;
}

/** Gives a mesh the directions of its grain, as the tracer has them; false where its texture has none. */
function grain(geometry: THREE.BufferGeometry, mesh: Mesh): boolean {
  if (!mesh.uvs) return false;
  if (!geometry.hasAttribute("tangent")) {
    const along = vertexTangents(mesh);
    const four = new Float32Array((along.length / 3) * 4);
    // Without a direction any will do, but it must be one.
    for (let i = 0, j = 0; i < along.length; i += 3, j += 4) {
      four.set(along.subarray(i, i + 3), j);
      if (Math.hypot(along[i], along[i + 1], along[i + 2]) < 0.5) four[j] = 1;
      four[j + 3] = 1;
    }
    geometry.setAttribute("tangent", new THREE.BufferAttribute(four, 4));
  }
  return true;
}

function textureOf({ texels, width, height, wrap = ["repeat", "repeat"] }: Texture): THREE.DataTexture {
  const texture = new THREE.DataTexture(texels as Uint8Array<ArrayBuffer>, width, height);
  [texture.wrapS, texture.wrapT] = wrap.map((w) => WRAPS[w]);
  texture.magFilter = THREE.LinearFilter;
  texture.minFilter = THREE.LinearMipmapLinearFilter;
  texture.generateMipmaps = true;
  texture.needsUpdate = true;
  return texture;
}

function copiesOf(geometry: THREE.BufferGeometry, material: THREE.Material, copies: Float32Array): THREE.InstancedMesh {
  const count = copies.length / COPY_FLOATS;
  const object = new THREE.InstancedMesh(geometry, material, count);
  const matrix = new THREE.Matrix4();
  for (let i = 0; i < count; i++) {
    const m = copies.subarray(i * COPY_FLOATS, (i + 1) * COPY_FLOATS);
    // prettier-ignore
    object.setMatrixAt(i, matrix.set(m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8], m[9], m[10], m[11], 0, 0, 0, 1));
  }
  return object;
}

interface Group {
  group: THREE.Group;
  /** Textures as its materials have them: placed, and with their colour space. */
  placed: THREE.Texture[];
}

/** A material of one prop: lit by its own surroundings, and by the sun unless that leaves it out. */
interface OwnMaterial {
  material: THREE.MeshPhysicalMaterial;
  light: PropLight;
}

export class PropMeshes {
  /** What changes for all of them from frame to frame of a still picture. */
  readonly still: StillLight = { detail: { value: 0 }, frame: { value: 0 } };
  private fresh = false;
  private readonly own = new Shelf<string, OwnMaterial>(({ material }) => material.dispose());
  private readonly geometries = new Shelf<Float32Array, THREE.BufferGeometry>((geometry) => geometry.dispose());
  private readonly textures = new Shelf<Uint8Array, THREE.Texture>((texture) => texture.dispose());
  private readonly groups = new Shelf<Model, Group>(({ group, placed }) => {
    for (const texture of placed) texture.dispose();
    for (const mesh of group.children as THREE.Mesh[]) {
      (mesh.material as THREE.Material).dispose();
      if (mesh instanceof THREE.InstancedMesh) mesh.dispose();
    }
  });

  /** Before the models that are shown are asked for. */
  begin(): void {
    for (const shelf of [this.geometries, this.textures, this.groups, this.own]) shelf.begin();
  }

  /** Lets go of what none of them needs. */
  sweep(): void {
    for (const shelf of [this.own, this.groups, this.geometries, this.textures]) shelf.sweep();
  }

  /** A model's meshes for one prop, which may be lit otherwise than others of the same model. */
  groupFor(prop: string, model: Model, sunlit: boolean): THREE.Group {
    const group = this.groupOf(model).clone();
    for (const mesh of group.children as THREE.Mesh<THREE.BufferGeometry, THREE.MeshPhysicalMaterial>[]) {
      const shared = mesh.material;
      const own = this.own.of(`${prop} ${shared.uuid}`, () => this.ownOf(shared));
      own.light.sunlit.value = sunlit ? 1 : 0;
      mesh.material = own.material;
    }
    return group;
  }

  private ownOf(shared: THREE.MeshPhysicalMaterial): OwnMaterial {
    this.fresh = true;
    const own = { material: shared.clone(), light: newPropLight(this.still) };
    const { wear, bulky } = shared.userData as { wear: Material["wear"]; bulky: boolean };
    dressShader(own.material, wear, own.light, bulky);
    return own;
  }

  /** A model's meshes, to be cloned. */
  groupOf(model: Model): THREE.Group {
    const coloured = new Set(model.meshes.filter((m) => m.colours).map((m) => m.material));
    const { group } = this.groups.of(model, () => this.made(model, coloured));
    // Asked for also where the group is known: they are still needed.
    for (const mesh of model.meshes)
      this.geometries.of(mesh.positions, () => geometryOf(mesh, coloured.has(mesh.material)));
    for (const texture of model.textures) this.textures.of(texture.texels, () => textureOf(texture));
    return group;
  }

  /** True if models were made since it was asked last. */
  takeFresh(): boolean {
    const was = this.fresh;
    this.fresh = false;
    return was;
  }

  private made(model: Model, coloured: ReadonlySet<number>): Group {
    this.fresh = true;
    const placed: THREE.Texture[] = [];
    const materials = model.materials.map((material, i) =>
      this.materialOf(material, model.textures, coloured.has(i), material.thin ? 0 : meanThickness(model, i), placed),
    );
    materials.forEach((made, i) => (made.userData.bulky = made.transmission > 0 && isBulky(model, i)));
    const group = new THREE.Group();
    for (const mesh of model.meshes) {
      const geometry = this.geometries.of(mesh.positions, () => geometryOf(mesh, coloured.has(mesh.material)));
      const { anisotropy, anisotropyTurn } = model.materials[mesh.material];
      if (anisotropy > 0 && grain(geometry, mesh)) {
        materials[mesh.material].anisotropy = anisotropy;
        materials[mesh.material].anisotropyRotation = anisotropyTurn;
      }
      const object = mesh.copies
        ? copiesOf(geometry, materials[mesh.material], mesh.copies)
        : new THREE.Mesh(geometry, materials[mesh.material]);
      // Light goes through glass: it throws hardly a shadow.
      object.castShadow = model.materials[mesh.material].transmission < 0.5;
      object.receiveShadow = true;
      group.add(object);
    }
    return { group, placed };
  }

  private materialOf(
    m: Material,
    textures: readonly Texture[],
    coloured: boolean,
    thickness: number,
    placed: THREE.Texture[],
  ): THREE.MeshPhysicalMaterial {
    const pick = (index: number | null, matrix: TextureMatrix, colour: boolean): THREE.Texture | null => {
      if (index === null) return null;
      const shared = this.textures.of(textures[index].texels, () => textureOf(textures[index]));
      const own = shared.clone();
      own.colorSpace = colour ? THREE.SRGBColorSpace : THREE.NoColorSpace;
      own.matrixAutoUpdate = false;
      own.matrix.set(matrix[0], matrix[1], matrix[2], matrix[3], matrix[4], matrix[5], 0, 0, 1);
      own.needsUpdate = true;
      placed.push(own);
      return own;
    };
    // The colour that is left after a way on which what is absorbed most has fallen to 1/e.
    const most = Math.max(...m.absorption);
    const left = m.absorption.map((a) => (most > 0 ? Math.exp(-a / most) : 1));
    const surface = pick(m.surfaceTexture, m.surfaceMatrix, false);
    const physical = new THREE.MeshPhysicalMaterial({
      color: new THREE.Color().setRGB(m.baseColor[0], m.baseColor[1], m.baseColor[2]),
      metalness: m.metallic,
      roughness: m.roughness,
      map: pick(m.baseTexture, m.baseMatrix, true),
      roughnessMap: surface,
      metalnessMap: surface,
      normalMap: pick(m.normalTexture, m.normalMatrix, false),
      normalScale: new THREE.Vector2(m.normalScale, m.normalScale),
      emissive: new THREE.Color().setRGB(...m.emissive),
      emissiveMap: pick(m.emissiveTexture, m.emissiveMatrix, true),
      ior: Math.min(2.33, m.index),
      specularIntensity: m.specular,
      specularColor: new THREE.Color().setRGB(...m.specularColor),
      clearcoat: m.coat,
      clearcoatRoughness: m.coatRoughness,
      sheen: m.sheenColor.some((c) => c > 0) ? 1 : 0,
      sheenColor: new THREE.Color().setRGB(...m.sheenColor),
      sheenRoughness: m.sheenRoughness,
      vertexColors: coloured,
      transmission: m.transmission,
      thickness,
      attenuationColor: new THREE.Color().setRGB(left[0], left[1], left[2]),
      attenuationDistance: most > 0 ? 1 / most : Infinity,
      transparent: m.alpha === "blend" && m.baseColor[3] < 1,
      opacity: m.alpha === "blend" ? m.baseColor[3] : 1,
      alphaTest: m.alpha === "mask" ? m.alphaCutoff : 0,
      side: THREE.DoubleSide,
    });
    physical.userData.wear = m.wear;
    return physical;
  }
}
