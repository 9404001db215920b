import type { Vec3 } from "../../math/vec3.ts";
import type { Material, Mesh, Texture, TextureMatrix } from "../../props/model.ts";
import { plainMaterial } from "../../props/model.ts";
import type { SceneFile } from "./scene.ts";
import { cameraMatrix, columnsOf, copiesOf, lookingAlong, uniqueNames } from "./scene.ts";

/** Tenths of a scene unit, in which the format gives focal length and aperture: those of a sensor 36 mm wide. */
const SENSOR_MM = 36;

const number = (v: number): string => String(Number(v.toPrecision(9)));
const triple = (v: readonly number[]): string => `(${v.map(number).join(", ")})`;

/** 4 × 4 column by column as the format writes it: rows of the transposed matrix. */
const matrixText = (m: readonly number[]): string =>
  `( ${[0, 1, 2, 3].map((r) => `(${[0, 1, 2, 3].map((c) => number(m[r * 4 + c])).join(", ")})`).join(", ")} )`;

const triples = (values: Float32Array): string => {
  const parts: string[] = [];
  for (let i = 0; i < values.length; i += 3) parts.push(triple([values[i], values[i + 1], values[i + 2]]));
  return parts.join(", ");
};

/**
 * The scene as USD text (openusd.org, usda 1.0): Z up, metres; camera with its lens shift as aperture offsets, set, props with
 * preview surfaces and their textures, sun and lamps. Light is in the plate's units. `fileOf` names a texture's file beside it;
 * without it surfaces are even.
 */
export function writeUsda(scene: SceneFile, fileOf: (texture: Texture) => string | null = () => null): string {
  const unique = uniqueNames();
  const out: string[] = [
    "#usda 1.0",
    "(",
    '    defaultPrim = "shot"',
    "    metersPerUnit = 1",
    '    upAxis = "Z"',
    `    doc = "Camera, set, props and lights of a shot matched to a photograph of ${scene.frame.width} x ${scene.frame.height} pixels"`,
    ")",
    "",
    'def Xform "shot"',
    "{",
  ];
  const line = (depth: number, text: string) => out.push("    ".repeat(depth) + text);
  const { camera, frame } = scene;
  const mm = SENSOR_MM / frame.width;
  line(1, 'def Camera "camera"');
  line(1, "{");
  line(2, `float focalLength = ${number(camera.focalPx * mm)}`);
  line(2, `float horizontalAperture = ${number(SENSOR_MM)}`);
  line(2, `float verticalAperture = ${number(frame.height * mm)}`);
  line(2, `float horizontalApertureOffset = ${number((frame.width / 2 - camera.principal[0]) * mm)}`);
  line(2, `float verticalApertureOffset = ${number((camera.principal[1] - frame.height / 2) * mm)}`);
  line(2, "float2 clippingRange = (0.01, 10000)");
  line(2, `matrix4d xformOp:transform = ${matrixText(cameraMatrix(camera))}`);
  line(2, 'uniform token[] xformOpOrder = ["xformOp:transform"]');
  line(1, "}");

  const mesh = (
    depth: number,
    name: string,
    of: Pick<Mesh, "positions" | "indices"> & Partial<Mesh>,
    material: string,
    matrix: number[] | null,
    turn: TextureMatrix | null = null,
  ) => {
    line(depth, `def Mesh "${unique(name)}" (`);
    line(depth + 1, 'prepend apiSchemas = ["MaterialBindingAPI"]');
    line(depth, ")");
    line(depth, "{");
    line(depth + 1, `int[] faceVertexCounts = [${new Array(of.indices.length / 3).fill(3).join(", ")}]`);
    line(depth + 1, `int[] faceVertexIndices = [${[...of.indices].join(", ")}]`);
    line(depth + 1, `point3f[] points = [${triples(of.positions)}]`);
    if (of.normals) {
      line(depth + 1, `normal3f[] normals = [${triples(of.normals)}] (`);
      line(depth + 2, 'interpolation = "vertex"');
      line(depth + 1, ")");
    }
    if (of.uvs) {
      const pairs: string[] = [];
      const [a, b, c, d, e, f] = turn ?? [1, 0, 0, 0, 1, 0];
      for (let i = 0; i < of.uvs.length; i += 2) {
        const [u, v] = [of.uvs[i], of.uvs[i + 1]];
        pairs.push(`(${number(a * u + b * v + c)}, ${number(1 - (d * u + e * v + f))})`);
      }
      line(depth + 1, `texCoord2f[] primvars:st = [${pairs.join(", ")}] (`);
      line(depth + 2, 'interpolation = "vertex"');
      line(depth + 1, ")");
    }
    line(depth + 1, 'uniform token subdivisionScheme = "none"');
    if (matrix) {
      line(depth + 1, `matrix4d xformOp:transform = ${matrixText(columnsOf(matrix))}`);
      line(depth + 1, 'uniform token[] xformOpOrder = ["xformOp:transform"]');
    }
    line(depth + 1, `rel material:binding = <${material}>`);
    line(depth, "}");
  };
  const looks: Look[] = [];
  const look = (name: string, material: Material, textures: readonly Texture[]) => {
    const own = unique(`${name} look`);
    const path = `/shot/looks/${own}`;
    const file = (at: number | null) => (at === null ? null : fileOf(textures[at]));
    looks.push({ path, name: own, material, textures, file });
    return path;
  };

  line(1, 'def Xform "set"');
  line(1, "{");
  for (const thing of scene.set) {
    const [r, g, b] = thing.albedo;
    const even = plainMaterial({ baseColor: [r, g, b, 1], roughness: 0.9 });
    mesh(2, thing.name, thing, look(thing.name, even, []), null);
  }
  line(1, "}");
  line(1, 'def Xform "props"');
  line(1, "{");
  for (const { name, model, place } of scene.props) {
    line(2, `def Xform "${unique(name)}"`);
    line(2, "{");
    line(3, `matrix4d xformOp:transform = ${matrixText(columnsOf(place))}`);
    line(3, 'uniform token[] xformOpOrder = ["xformOp:transform"]');
    const paths = model.materials.map((m) => look(`${name} ${m.name}`, m, model.textures));
    for (const own of model.meshes) {
      for (const matrix of copiesOf(own) ?? [null])
        mesh(3, own.name ?? name, own, paths[own.material], matrix, model.materials[own.material].baseMatrix);
    }
    line(2, "}");
  }
  line(1, "}");

  lights(scene, unique, line);

  line(1, 'def Scope "looks"');
  line(1, "{");
  for (const own of looks) surfaceOf(own, line);
  line(1, "}");
  out.push("}", "");
  return out.join("\n");
}

interface Look {
  path: string;
  name: string;
  material: Material;
  textures: readonly Texture[];
  file: (texture: number | null) => string | null;
}

const WRAPS = { repeat: "repeat", clamp: "clamp", mirror: "mirror" };

/** A material as a UsdPreviewSurface with its textures (openusd.org, UsdPreviewSurface specification 2.6). */
function surfaceOf(
  { path, name, material: m, textures, file }: Look,
  line: (depth: number, text: string) => void,
): void {
  const readers: { name: string; file: string; texture: Texture; space: string; lines: string[] }[] = [];
  /** A texture of the material; what it puts out, or null where there is none. */
  const reads = (of: string, at: number | null, space: "sRGB" | "raw", ...lines: string[]): string | null => {
    const own = file(at);
    if (own === null) return null;
    readers.push({ name: of, file: own, texture: textures[at!], space, lines });
    return `${path}/${of}.outputs:`;
  };
  const scaled = (r: number, g: number, b: number, a: number) => `float4 inputs:scale = ${triple([r, g, b, a])}`;
  const [r, g, b, a] = m.baseColor;
  const opacity = a * (1 - m.transmission);
  const base = reads("base", m.baseTexture, "sRGB", scaled(r, g, b, opacity));
  const surface = reads("surface_map", m.surfaceTexture, "raw", scaled(1, m.roughness, m.metallic, 1));
  const bumps = reads(
    "normal_map",
    m.normalTexture,
    "raw",
    `float4 inputs:scale = ${triple([2 * m.normalScale, 2 * m.normalScale, 2, 1])}`,
    `float4 inputs:bias = ${triple([-m.normalScale, -m.normalScale, -1, 0])}`,
  );
  const shines = reads("emissive_map", m.emissiveTexture, "sRGB", scaled(...m.emissive, 1));
  line(2, `def Material "${name}"`);
  line(2, "{");
  line(3, `token outputs:surface.connect = <${path}/surface.outputs:surface>`);
  line(3, 'def Shader "surface"');
  line(3, "{");
  line(4, 'uniform token info:id = "UsdPreviewSurface"');
  const input = (type: string, key: string, from: string | null, output: string, value: string) =>
    line(4, from ? `${type} inputs:${key}.connect = <${from}${output}>` : `${type} inputs:${key} = ${value}`);
  input("color3f", "diffuseColor", base, "rgb", triple([r, g, b]));
  input("float", "metallic", surface, "b", number(m.metallic));
  input("float", "roughness", surface, "g", number(m.roughness));
  if (m.emissive.some((e) => e > 0)) input("color3f", "emissiveColor", shines, "rgb", triple(m.emissive));
  if (m.alpha === "mask") line(4, `float inputs:opacityThreshold = ${number(m.alphaCutoff)}`);
  if (opacity < 1 || (base && m.alpha !== "opaque")) input("float", "opacity", base, "a", number(opacity));
  if (bumps) line(4, `normal3f inputs:normal.connect = <${bumps}rgb>`);
  line(4, `float inputs:ior = ${number(m.index)}`);
  if (m.coat > 0) line(4, `float inputs:clearcoat = ${number(m.coat)}`);
  if (m.coat > 0) line(4, `float inputs:clearcoatRoughness = ${number(m.coatRoughness)}`);
  line(4, "token outputs:surface");
  line(3, "}");
  for (const own of readers) {
    line(3, `def Shader "${own.name}"`);
    line(3, "{");
    line(4, 'uniform token info:id = "UsdUVTexture"');
    line(4, `asset inputs:file = @./${own.file}@`);
    line(4, `token inputs:sourceColorSpace = "${own.space}"`);
    const [across, down] = own.texture.wrap ?? ["repeat", "repeat"];
    line(4, `token inputs:wrapS = "${WRAPS[across]}"`);
    line(4, `token inputs:wrapT = "${WRAPS[down]}"`);
    for (const text of own.lines) line(4, text);
    line(4, `float2 inputs:st.connect = <${path}/st.outputs:result>`);
    for (const output of ["float outputs:r", "float outputs:g", "float outputs:b", "float outputs:a"]) line(4, output);
    line(4, "float3 outputs:rgb");
    line(3, "}");
  }
  if (readers.length > 0) {
    line(3, 'def Shader "st"');
    line(3, "{");
    line(4, 'uniform token info:id = "UsdPrimvarReader_float2"');
    line(4, 'string inputs:varname = "st"');
    line(4, "float2 outputs:result");
    line(3, "}");
  }
  line(2, "}");
}

function lights(
  { sun, lamps }: SceneFile,
  unique: (name: string) => string,
  line: (depth: number, text: string) => void,
): void {
  const light = (kind: string, name: string, radiance: Vec3, direction: Vec3, position: Vec3, own: string[]) => {
    const level = Math.max(...radiance, 1e-9);
    line(1, `def ${kind} "${unique(name)}"`);
    line(1, "{");
    line(2, `float inputs:intensity = ${number(level)}`);
    line(2, `color3f inputs:color = ${triple(radiance.map((r) => r / level))}`);
    for (const text of own) line(2, text);
    line(2, `matrix4d xformOp:transform = ${matrixText(lookingAlong(direction, position))}`);
    line(2, 'uniform token[] xformOpOrder = ["xformOp:transform"]');
    line(1, "}");
  };
  if (sun) {
    const away = sun.direction.map((v) => -v) as Vec3;
    const size = (2 * sun.angularRadius * 180) / Math.PI;
    light("DistantLight", "sun", sun.irradiance, away, [0, 0, 0], [`float inputs:angle = ${number(size)}`]);
  }
  for (const { name, kind, radiance, facing, position, size } of lamps) {
    if (kind === "rectangle")
      light("RectLight", name, radiance, facing, position, [
        `float inputs:width = ${number(size[0])}`,
        `float inputs:height = ${number(size[1])}`,
      ]);
    else
      light(kind === "sphere" ? "SphereLight" : "DiskLight", name, radiance, facing, position, [
        `float inputs:radius = ${number(size[0] / 2)}`,
      ]);
  }
}
