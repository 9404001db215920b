import { decodeExr, init } from "exrs";

/** Reads every channel of an EXR file by its name with the reader of exrs, written apart from three's and from our own. */
export async function readWithExrs(
  bytes: Uint8Array,
): Promise<{ width: number; height: number; channels: Map<string, Float32Array> }> {
  await init();
  const { width, height, layers } = decodeExr(bytes);
  const channels = new Map<string, Float32Array>();
  for (const layer of layers)
    for (const name of layer.channelNamesAlphabetical)
      channels.set(layer.name ? `${layer.name}.${name}` : name, layer.getInterleavedPixels([name])!);
  return { width, height, channels };
}
