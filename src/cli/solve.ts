import { parseRequest } from "#core/match/request";
import { solve } from "#core/match/solve";
import { UsageError, parseOptions, readInput } from "./options.ts";

const HELP = `harbor solve REQUEST.json | -

Reads a request, or an array of them, and writes the answer, or an array. See docs/design.md section 5 for the fields.
A request that cannot be solved is answered with "camera": null and the reason among the findings. Malformed input
names the field on standard error, answers nothing, and exits with 2.
`;

export async function runSolve(args: string[]): Promise<void> {
  const { plain, options } = parseOptions(args, [], ["help"]);
  if (options.has("help")) {
    process.stdout.write(HELP);
    return;
  }
  if (plain.length !== 1) throw new UsageError('Name one request file, or "-" for standard input.');
  const text = await readInput(plain[0]);
  let input: unknown;
  try {
    input = JSON.parse(text);
  } catch (error) {
    throw new UsageError(`The request is not JSON: ${(error as Error).message}`);
  }
  const answer = Array.isArray(input)
    ? input.map((item, i) => parseRequest(item, `[${i}]`)).map((request) => solve(request))
    : solve(parseRequest(input));
  process.stdout.write(`${JSON.stringify(answer, null, 1)}\n`);
}
