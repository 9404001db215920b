import { UsageError } from "./options.ts";
import { RequestError } from "#core/match/request";

const HELP = `harbor: Red Harbor without a browser

  harbor solve REQUEST.json | -          solve a camera from marks; the answer goes to standard output.
                                         An array of requests is answered by an array.
  harbor render SHOT.json --assets DIR --out DIR [--samples N] [--percent N] [--noise N] [--passes LIST] [--denoise]
                                         write a shot's passes and finished picture
  harbor comp SHOT.json --assets DIR --passes DIR --out PICTURE.png
                                         composite passes that were rendered before
  harbor export SHOT.json --assets DIR --out DIR [--passes DIR] [--preset NAME | --only LIST]
                                         hand a shot over in open files
  harbor bench [--quick] [--out FILE]    measure solver and tracer, as ratios against references in the same run
  harbor schema                          the JSON Schema of the shot document
  harbor --help                          this text; "harbor COMMAND --help" tells more

Angles in files are degrees, lengths metres, pixels from the plate's top left corner (docs/design.md).
`;

/** Each command loads only what it needs: a solve waits for no renderer. */
const COMMANDS: Record<string, (args: string[]) => Promise<void>> = {
  solve: async (args) => (await import("./solve.ts")).runSolve(args),
  render: async (args) => (await import("./render.ts")).runRender(args),
  comp: async (args) => (await import("./render.ts")).runComp(args),
  export: async (args) => (await import("./export.ts")).runExport(args),
  bench: async (args) => (await import("./bench.ts")).runBench(args),
  schema: async () => {
    const { shotJsonSchema } = await import("#core/shot/jsonSchema");
    process.stdout.write(`${JSON.stringify(shotJsonSchema(), null, 1)}\n`);
  },
};

async function main([command, ...rest]: string[]): Promise<void> {
  if (!command || command === "--help" || command === "-h" || command === "help") {
    process.stdout.write(HELP);
    return;
  }
  const run = COMMANDS[command];
  if (!run) throw new UsageError(`There is no command "${command}". Try "harbor --help".`);
  await run(rest);
}

main(process.argv.slice(2)).catch((error: unknown) => {
  const known = error instanceof UsageError || error instanceof RequestError;
  process.stderr.write(`harbor: ${known ? error.message : ((error as Error).message ?? String(error))}\n`);
  process.exitCode = known ? 2 : 1;
});
