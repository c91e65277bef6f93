// Asks a running server for pages and windows of traces with many clients at once and tells how long each kind takes.
// node benchmarks/load.mjs http://127.0.0.1:5080 [clients] [seconds] [SERVER_PID]
import { Agent, get } from "node:http";
import { readFileSync } from "node:fs";
const [base, clients = "32", seconds = "20", pid] = process.argv.slice(2);
const agent = new Agent({ keepAlive: true, maxSockets: Number(clients) });

const ask = (path) =>
  new Promise((resolve, reject) =>
    get(base + path, { agent }, (answer) => {
      const parts = [];
      answer.on("data", (part) => parts.push(part));
      answer.on("end", () =>
        resolve({
          status: answer.statusCode,
          text: Buffer.concat(parts).toString("latin1"),
        }),
      );
    }).on("error", reject),
  );
const memory = () => (pid ? Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))[1]) / 1024 : 0);

const list = await ask("/");
const jobs = [...new Set([...list.text.matchAll(/href="(\/jobs\/\d+)"/g)].map((m) => m[1]))];
const bench = await ask("/bench/1");
const channels = [...new Set([...bench.text.matchAll(/(?:&quot;|"|\\u0022)id(?:&quot;|"|\\u0022):\s*(\d+)/g)].map((m) => m[1]))].slice(
  0,
  3,
);
const kinds = {
  jobs: () => "/",
  job: (i) => jobs[i % jobs.length],
  bench: () => "/bench/1",
  window: (i) => {
    const from = (i % 40) / 10;
    return `/bench/window?channels=${channels.join(",") || 1}&from=${from}&to=${from + 1.5}&columns=1150`;
  },
};
const order = ["window", "window", "window", "window", "window", "jobs", "job", "window", "bench", "window"];
const took = Object.fromEntries(Object.keys(kinds).map((k) => [k, []]));
let wrong = 0;
const before = memory();
const end = Date.now() + 1000 * Number(seconds);
await Promise.all(
  Array.from({ length: Number(clients) }, async (_, client) => {
    for (let i = client * 7; Date.now() < end; i++) {
      const kind = order[i % order.length];
      const from = performance.now();
      const { status } = await ask(kinds[kind](i));
      took[kind].push(performance.now() - from);
      if (status !== 200) wrong++;
    }
  }),
);
const at = (list, share) => list.sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(share * list.length))]?.toFixed(0);
console.log(`| asked for | answers | median, ms | 95 % | 99 % |\n| --- | --- | --- | --- | --- |`);
for (const [kind, list] of Object.entries(took))
  console.log(`| ${kind} | ${list.length} | ${at(list, 0.5)} | ${at(list, 0.95)} | ${at(list, 0.99)} |`);
console.log(
  `${clients} clients, ${wrong} answers that were not 200; memory ${before.toFixed(0)} MB before, ${memory().toFixed(0)} MB after.`,
);
agent.destroy();
