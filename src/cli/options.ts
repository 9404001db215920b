import { readFile } from "node:fs/promises";
import { parseArgs } from "node:util";

/** A wrong command line, in a sentence. */
export class UsageError extends Error {}

/** Splits arguments into plain ones and --name values; flags named in `switches` take no value. Throws UsageError. */
export function parseOptions(args: string[], names: string[], switches: string[] = []) {
  const options = Object.fromEntries([
    ...names.map((name) => [name, { type: "string" as const }]),
    ...switches.map((name) => [name, { type: "boolean" as const }]),
  ]);
  try {
    const { positionals, values } = parseArgs({ args, options, allowPositionals: true });
    const given = Object.entries(values).map(([name, value]): [string, string] => [
      name,
      value === true ? "" : String(value),
    ]);
    return { plain: positionals, options: new Map(given) };
  } catch (error) {
    throw new UsageError(sentenceOf(error as Error & { code?: string }), { cause: error });
  }
}

function sentenceOf({ code, message }: Error & { code?: string }): string {
  const [name] = /--[\w-]+/.exec(message) ?? ["The option"];
  if (code === "ERR_PARSE_ARGS_UNKNOWN_OPTION") return `There is no option ${name}. Try "harbor --help".`;
  return /does not take/.test(message) ? `${name} takes no value.` : `${name} needs a value.`;
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
