import { runBench } from "./bench.ts";
import { runExport } from "./export.ts";
import { runComp, runRender } from "./render.ts";
import { UsageError } from "./options.ts";
import { shotJsonSchema } from "#core/shot/jsonSchema";
import { RequestError } from "#core/match/request";
import { runSolve } from "./solve.ts";

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

const COMMANDS: Record<string, (args: string[]) => Promise<void>> = {
  solve: runSolve,
  render: runRender,
  comp: runComp,
  export: runExport,
  bench: runBench,
  schema: () => {
    process.stdout.write(`${JSON.stringify(shotJsonSchema(), null, 1)}\n`);
    return Promise.resolve();
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
