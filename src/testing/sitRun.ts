import { DEMO_PLACES } from "../demo/documents.ts";
import type { DemoPlace } from "../demo/documents.ts";
import { SIT_CASES, reportOf } from "./sitCases.ts";

/** npm run bench:sit [-- PERCENT [SAMPLES]]: whether the sit report names what is wrong with twelve composites, and nothing on right ones. */
const [percent = "50", samples = "12"] = process.argv.slice(2);
const say = (text: string) => process.stdout.write(`${text}\n`);
for (const place of Object.keys(DEMO_PLACES) as DemoPlace[]) {
  const lines = await reportOf(place, null, Number(percent), Number(samples));
  const wrong = lines.filter(({ state }) => state === "warn" || state === "bad");
  say(
    `${place.padEnd(18)} as it is: ${wrong.length === 0 ? "clean" : wrong.map((l) => `${l.check} ${l.score!.toFixed(2)} (${l.value})`).join(", ")}`,
  );
}
let named = 0;
for (const { name, place, fault, change, percent: own100 } of SIT_CASES) {
  const lines = await reportOf(place, change, own100 ?? Number(percent), Number(samples));
  const [worst, next] = lines;
  if (worst.check === fault && worst.state !== "good") named++;
  const own = lines.find((l) => l.check === fault);
  say(
    `${name.padEnd(18)} ${worst.check === fault ? "named" : "MISSED"}: ${worst.check} ${worst.score?.toFixed(2)} (${worst.value}); next ${next.check} ${next.score?.toFixed(2)}${worst.check === fault ? "" : `; ${fault} ${own?.score?.toFixed(2)} (${own?.value})`}`,
  );
}
say(`${named} of ${SIT_CASES.length} faults named first`);
