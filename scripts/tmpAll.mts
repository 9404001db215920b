import { believable } from "../src/testing/believable.ts";
const [n, ...ps]=process.argv.slice(2);
for (const p of ps) console.log(p, n, JSON.stringify(await believable(p as any, Number(n), "/tmp/b"+n)));
