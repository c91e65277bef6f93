// Runs the stand-in scope at 4 x 1 MS/s against a running server and tells its processor time and memory.
// node benchmarks/live.mjs http://127.0.0.1:5080 SERVER_PID [minutes]
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
const require = createRequire(new URL("../src/Maschera.Web/client/package.json", import.meta.url));
const { HubConnectionBuilder, LogLevel } = require("@microsoft/signalr");
const [base, pid, minutes = "10"] = process.argv.slice(2);

const rig = await fetch(`${base}/rig`);
const html = await rig.text();
const cookie = rig.headers
  .getSetCookie()
  .map((c) => c.split(";")[0])
  .join("; ");
const words = new URLSearchParams({
  "Form.Job": /<option value="(\d+)">/.exec(html)[1],
  "Form.Cylinder": "0",
  "Form.Leak": "2.5",
  "Form.Battery": "good",
  "Form.Seconds": "5",
  "Form.Rate": "1000000",
  __RequestVerificationToken: /__RequestVerificationToken" type="hidden" value="([^"]+)"/.exec(html)[1],
});
for (const probe of ["Starter current", "Battery voltage", "Ignition", "Crank sensor"]) words.append("Form.Probes", probe);
const started = await fetch(`${base}/rig?handler=Live`, { method: "POST", body: words, headers: { cookie }, redirect: "manual" });
const id = started.headers.get("location")?.split("/").pop();
if (!id) throw new Error(`The instrument did not start (${started.status}).`);
await fetch(`${base}/live/${id}/key?on=true`, { method: "POST" });

let columns = 0,
  next = 0,
  gaps = 0;
const connection = new HubConnectionBuilder().withUrl(`${base}/live/hub`).configureLogging(LogLevel.Error).build();
await connection.start();
connection.stream("Follow", id, 2 / 700, 0).subscribe({
  next: (frame) => {
    if (frame.first !== next) gaps++;
    const count = Buffer.from(frame.columns, "base64").length / 8 / 4;
    columns += count;
    next = frame.first + count;
  },
  error: (e) => console.error(e),
  complete: () => {},
});

const cpu = () => {
  const f = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1].split(" ");
  return (Number(f[11]) + Number(f[12])) / 100;
};
const megabytes = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, "utf8"))[1]) / 1024;
const sleep = (s) => new Promise((done) => setTimeout(done, s * 1000));
const whole = Number(minutes) * 60;
const from = { cpu: cpu(), at: Date.now() };
const recordAt = Math.floor(whole / 3),
  recordFor = Math.floor(whole / 6);
let recording = null;
for (let second = 10; second <= whole; second += 10) {
  await sleep(10);
  if (recording === null && second >= recordAt)
    recording = { id: (await (await fetch(`${base}/live/${id}/record`, { method: "POST" })).json()).id, second };
  if (recording?.second + recordFor === second) await fetch(`${base}/live/${id}/finish?keep=${recording.id}`, { method: "POST" });
  if (second % 30 === 0)
    console.log(
      `${second} s: ${megabytes().toFixed(0)} MB, ${((100 * (cpu() - from.cpu)) / ((Date.now() - from.at) / 1000)).toFixed(0)} % of a core since the start, ${columns} columns, ${gaps} gaps in the stream`,
    );
}
await fetch(`${base}/live/${id}/keep?seconds=25`, { method: "POST" });
await sleep(20);
for (const keep of await (await fetch(`${base}/live/${id}/keeps`)).json()) console.log(JSON.stringify(keep));
await fetch(`${base}/live/${id}/stop`, { method: "POST" });
await connection.stop().catch(() => {});
process.exit();
