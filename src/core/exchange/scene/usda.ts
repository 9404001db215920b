import type { Vec3 } from "../../math/vec3.ts";
import type { Mesh } from "../../props/model.ts";
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
 * even preview surfaces, sun and lamps. Light is in the plate's units. Textures are in the GLB.
 */
export function writeUsda(scene: SceneFile): string {
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
      for (let i = 0; i < of.uvs.length; i += 2) pairs.push(`(${number(of.uvs[i])}, ${number(1 - of.uvs[i + 1])})`);
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
  const looks: {
    path: string;
    name: string;
    colour: readonly number[];
    metallic: number;
    roughness: number;
    opacity: number;
  }[] = [];
  const look = (name: string, colour: readonly number[], metallic: number, roughness: number, opacity: number) => {
    const own = unique(`${name} look`);
    const path = `/shot/looks/${own}`;
    looks.push({ path, name: own, colour, metallic, roughness, opacity });
    return path;
  };

  line(1, 'def Xform "set"');
  line(1, "{");
  for (const thing of scene.set) mesh(2, thing.name, thing, look(thing.name, thing.albedo, 0, 0.9, 1), null);
  line(1, "}");
  line(1, 'def Xform "props"');
  line(1, "{");
  for (const { name, model, place } of scene.props) {
    line(2, `def Xform "${unique(name)}"`);
    line(2, "{");
    line(3, `matrix4d xformOp:transform = ${matrixText(columnsOf(place))}`);
    line(3, 'uniform token[] xformOpOrder = ["xformOp:transform"]');
    const paths = model.materials.map((m) =>
      look(
        `${name} ${m.name}`,
        m.baseColor.slice(0, 3),
        m.metallic,
        m.roughness,
        m.baseColor[3] * (1 - m.transmission),
      ),
    );
    for (const own of model.meshes) {
      for (const matrix of copiesOf(own) ?? [null]) mesh(3, own.name ?? name, own, paths[own.material], matrix);
    }
    line(2, "}");
  }
  line(1, "}");

  lights(scene, unique, line);

  line(1, 'def Scope "looks"');
  line(1, "{");
  for (const { path, name, colour, metallic, roughness, opacity } of looks) {
    line(2, `def Material "${name}"`);
    line(2, "{");
    line(3, `token outputs:surface.connect = <${path}/surface.outputs:surface>`);
    line(3, 'def Shader "surface"');
    line(3, "{");
    line(4, 'uniform token info:id = "UsdPreviewSurface"');
    line(4, `color3f inputs:diffuseColor = ${triple(colour)}`);
    line(4, `float inputs:metallic = ${number(metallic)}`);
    line(4, `float inputs:roughness = ${number(roughness)}`);
    if (opacity < 1) line(4, `float inputs:opacity = ${number(opacity)}`);
    line(4, "token outputs:surface");
    line(3, "}");
    line(2, "}");
  }
  line(1, "}");
  out.push("}", "");
  return out.join("\n");
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
