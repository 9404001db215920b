import { picturesOf } from "../props/looks.ts";
import type { Shot } from "./schema.ts";

/** Hashes of the files that a shot needs to be worked on. The one list of them. */
export function assetsOf(shot: Shot): Set<string> {
  const hashes = new Set<string>();
  for (const { asset, codes, profile } of Object.values(shot.plates))
    for (const hash of [asset, codes, profile]) if (hash) hashes.add(hash);
  for (const hash of modelsOf(shot)) hashes.add(hash);
  for (const hash of photosOf(shot)) hashes.add(hash);
  for (const picture of Object.values(shot.notes.pictures)) hashes.add(picture.asset);
  return hashes;
}

/** Hashes of the photographs that boxes are made of. */
const photosOf = ({ props }: Pick<Shot, "props">): string[] =>
  Object.values(props).flatMap(({ source }) =>
    source.kind === "model" && source.skin
      ? Object.values(source.skin.sides).flatMap((side) => (side?.from === "photo" ? [side.picture] : []))
      : [],
  );

/** What of a shot is had from files that are read as models are. */
export type FromFiles = Pick<Shot, "props" | "set" | "light">;

/** Hashes of its models' files, of props and of the place, and of the pictures that looks and the sky have. */
export const modelsOf = (shot: FromFiles): Set<string> =>
  new Set([
    ...Object.values(shot.props).flatMap(({ source }) => (source.kind === "model" ? [source.asset] : [])),
    ...Object.values(shot.props).flatMap(({ looks }) => picturesOf(looks)),
    ...placeFilesOf(shot),
  ]);

/** Hashes of what the place itself has from files: models of it, and the picture of what surrounds it. */
export const placeFilesOf = (shot: Pick<Shot, "set" | "light">): Set<string> => {
  const { spread } = shot.light.sky;
  return new Set([...setModelsOf(shot), ...(spread.kind === "picture" ? [spread.asset] : [])]);
};

/** Hashes of the models that are used as set. */
export const setModelsOf = ({ set }: Pick<Shot, "set">): Set<string> =>
  new Set(Object.values(set).flatMap((part) => (part.kind === "model" ? [part.asset] : [])));
