import { readFile } from "node:fs/promises";

/** A wrong command line, in a sentence. */
export class UsageError extends Error {}

/** Splits arguments into plain ones and --name values; flags named in `switches` take no value. */
export function parseOptions(args: string[], names: string[], switches: string[] = []) {
  const plain: string[] = [];
  const options = new Map<string, string>();
  for (let i = 0; i < args.length; i++) {
    const arg = args[i];
    if (!arg.startsWith("--")) {
      plain.push(arg);
      continue;
    }
    const name = arg.slice(2);
    if (switches.includes(name)) options.set(name, "");
    else if (!names.includes(name)) throw new UsageError(`There is no option ${arg}. Try "harbor --help".`);
    else if (i + 1 >= args.length) throw new UsageError(`${arg} needs a value.`);
    else options.set(name, args[++i]);
  }
  return { plain, options };
}

/** A whole number of at least 1 from an option. */
export function wholeNumber(text: string | undefined, name: string, fallback: number): number {
  if (text === undefined) return fallback;
  const value = Number(text);
  if (!Number.isInteger(value) || value < 1) throw new UsageError(`--${name} must be a whole number of at least 1.`);
  return value;
}

/** Text of a file, or of standard input for "-". */
export async function readInput(name: string): Promise<string> {
  if (name !== "-") {
    return readFile(name, "utf8").catch(() => {
      throw new UsageError(`${name} cannot be read. Check the path.`);
    });
  }
  const chunks: Buffer[] = [];
  for await (const chunk of process.stdin) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks).toString("utf8");
}
