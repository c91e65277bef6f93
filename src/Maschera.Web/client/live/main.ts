import { HubConnectionBuilder, LogLevel, type ISubscription } from "@microsoft/signalr";
import uPlot from "uplot";
import { ask } from "../ask";
import { breathing, paintColumns, tellColumns } from "../dense";
import { openPage, startDrawer } from "../drawer";
import { forPage } from "../keys";
import type { LiveFrame, LiveInfo } from "../scene";
import { ink } from "../stroke";
import { startKeeps } from "./keeps";
import { drawOrder, startOrder } from "./order";
import { startSwitch } from "./switch";
import { scaleFor } from "../scale";

const info: LiveInfo = JSON.parse(document.querySelector("#live-data")!.textContent!);
const host = document.querySelector<HTMLElement>("#live")!;
const find = <T extends HTMLElement>(id: string) => document.querySelector<T>(`#${id}`)!;
const fail = (error: unknown) => {
  find("live-error").textContent = error instanceof Error ? error.message : String(error);
};
const columns = () => Math.max(200, host.clientWidth - LEFT - EDGE);

/** Room left and right of the lanes, px. */
const LEFT = 58,
  EDGE = 26;

let span = 2,
  width = span / columns();
/** Columns in view of the rolling picture: number of the first, and for each channel least and greatest in turn. */
let first = 0;
let pairs: number[][] = info.channels.map(() => []);
let now = 0,
  next = 0,
  held: { from: number; to: number } | null = null,
  seenTrigger: number | null = null;
const plots: uPlot[] = [];
const scales: [number, number][] = info.channels.map(() => [0, 1]);

const post = <T>(path: string, body?: unknown) => ask<T>("POST", `/live/${info.id}/${path}`, body);

function build() {
  plots.splice(0).forEach((plot) => plot.destroy());
  host.replaceChildren();
  const high = Math.max(84, Math.min(560, (find("lanes").clientHeight - 36) / info.channels.length - 41));
  info.channels.forEach((channel, i) => {
    const last = i === info.channels.length - 1;
    const frame = document.createElement("div");
    frame.className = "lane";
    const name = document.createElement("div");
    name.className = "name";
    const swatch = document.createElement("i");
    swatch.style.background = ink(`--trace-${i % 6}`);
    const text = document.createElement("span");
    text.className = "flex min-h-8 items-center gap-2";
    const unit = document.createElement("span");
    unit.className = "fig font-normal text-soft";
    unit.textContent = channel.unit;
    text.append(swatch, channel.name, unit);
    name.append(text);
    frame.append(name);
    host.append(frame);
    const common = {
      stroke: ink("--soft"),
      grid: { stroke: ink("--grid"), width: 1 },
      ticks: { stroke: ink("--grid"), width: 1, size: 4 },
      font: '12px "Spline Sans Mono"',
    };
    const plot = new uPlot(
      {
        width: host.clientWidth,
        height: high + (last ? 40 : 8),
        legend: { show: false },
        padding: [4, EDGE, 0, 0],
        cursor: { drag: { x: false, y: false }, y: false, points: { show: false } },
        scales: { x: { time: false, auto: false, min: 0, max: span }, y: { auto: false, range: () => scales[i] } },
        axes: [
          {
            ...common,
            size: last ? 24 : 8,
            label: last ? "seconds since the start" : undefined,
            labelSize: last ? 16 : 0,
            labelFont: "12px Archivo",
            values: (_, ticks) => ticks.map((t) => (last ? t.toFixed(digits()) : "")),
          },
          { ...common, size: LEFT, space: 26 },
        ],
        hooks: { drawSeries: [paintColumns] },
        series: [{}, { stroke: ink(`--trace-${i % 6}`), width: 1.25, points: { show: false }, paths: breathing }],
      },
      [[], []],
      frame,
    );
    tellColumns(plot, [false, true]);
    look(plot);
    plots.push(plot);
  });
}

const shown = () => held ?? { from: Math.max(0, now - span), to: Math.max(span, now) };
const digits = () => Math.max(1, Math.min(6, Math.ceil(-Math.log10((shown().to - shown().from) / 10))));

function draw(from: number, each: number, values: ArrayLike<number>[]) {
  const { from: left, to: right } = shown();
  plots.forEach((plot, i) => {
    const x: number[] = [],
      y: (number | null)[] = [];
    let low = Infinity,
      high = -Infinity;
    for (let k = 0; k < values[i].length; k += 2) {
      const a = values[i][k],
        b = values[i][k + 1];
      if (Number.isNaN(a)) continue;
      x.push(from + (k / 2 + 0.25) * each, from + (k / 2 + 0.75) * each);
      y.push(a, b);
      if (a < low) low = a;
      if (b > high) high = b;
    }
    scales[i] = scaleFor(scales[i], low, high, info.channels[i].range);
    plot.batch(() => {
      plot.setData([x, y] as uPlot.AlignedData, false);
      plot.setScale("x", { min: left, max: right });
      plot.setScale("y", { min: scales[i][0], max: scales[i][1] });
    });
  });
  drawOrder(plots[0], from, each, values);
  host.dataset.drawn = `${left.toFixed(3)}-${right.toFixed(3)}`;
}

let framed = 0;
function roll() {
  if (!framed)
    framed = requestAnimationFrame(() => {
      framed = 0;
      if (!held) draw(first * width, width, pairs);
    });
}

function take(frame: LiveFrame) {
  now = frame.now;
  find("clock").textContent = `${now.toFixed(1)} s`;
  const bytes = Uint8Array.from(atob(frame.columns), (c) => c.charCodeAt(0));
  const values = new Float32Array(bytes.buffer);
  const each = values.length / info.channels.length;
  if (frame.first !== first + pairs[0].length / 2) {
    first = frame.first;
    pairs = info.channels.map(() => []);
  }
  info.channels.forEach((_, i) => {
    for (let k = 0; k < each; k++) pairs[i].push(values[i * each + k]);
  });
  const surplus = pairs[0].length / 2 - columns();
  if (surplus > 0) {
    pairs.forEach((list) => list.splice(0, 2 * surplus));
    first += surplus;
  }
  next = first + pairs[0].length / 2;
  if (frame.firedAt !== null && frame.firedAt !== seenTrigger) fired(frame.firedAt);
  if (!frame.running) fail(frame.error ?? "The instrument has stopped.");
  roll();
}

function fired(at: number) {
  seenTrigger = at;
  find("trigger-state").textContent = `Fired at ${at.toFixed(3)} s`;
  if (
    find<HTMLFormElement>("trigger").elements.namedItem("action") instanceof HTMLSelectElement &&
    new FormData(find<HTMLFormElement>("trigger")).get("action") === "hold"
  )
    hold({ from: Math.max(0, at - span / 2), to: at + span / 2 });
  else showKeeps();
}

const connection = new HubConnectionBuilder()
  .withUrl("/live/hub")
  .withAutomaticReconnect({ nextRetryDelayInMilliseconds: ({ previousRetryCount }) => Math.min(5000, 250 * 2 ** previousRetryCount) })
  .configureLogging(LogLevel.Error)
  .build();
let following: ISubscription<LiveFrame> | null = null;

function follow(from: number) {
  following?.dispose();
  following = connection.stream<LiveFrame>("Follow", info.id, width, from).subscribe({
    next: take,
    error: (error) => {
      if (connection.state === "Connected") fail(error.message);
    },
    complete: () => {},
  });
}

connection.onreconnecting(() => {
  find("connection").textContent = "Connection lost, coming back…";
});
connection.onreconnected(() => {
  find("connection").textContent = "";
  follow(next);
  showKeeps();
});

/** Starts the rolling picture anew, filled from what is held. */
function restart() {
  width = span / columns();
  first = 0;
  pairs = info.channels.map(() => []);
  follow(Math.max(0, Math.floor(now / width) - columns()));
}

function hold(at: { from: number; to: number } | null) {
  held = at;
  const button = find("hold");
  button.setAttribute("aria-pressed", String(!!at));
  button.textContent = at ? "Run on" : "Hold";
  if (at) lookBack();
}

let looking = false,
  lookAgain = false;
async function lookBack() {
  if (looking) {
    lookAgain = true;
    return;
  }
  looking = true;
  try {
    do {
      lookAgain = false;
      const asked = held;
      if (!asked) return;
      const answer = await fetch(`/live/${info.id}/window?from=${asked.from}&to=${asked.to}&columns=${columns()}`);
      if (!answer.ok) throw new Error("The samples are no longer there: the instrument has stopped.");
      const values = new Float32Array(await answer.arrayBuffer());
      const each = values.length / info.channels.length;
      if (held)
        draw(
          asked.from,
          (asked.to - asked.from) / (each / 2),
          info.channels.map((_, i) => values.subarray(i * each, (i + 1) * each)),
        );
    } while (lookAgain);
  } catch (error) {
    fail(error);
  } finally {
    looking = false;
  }
}

function move(from: number, to: number) {
  if (!held) return;
  const wide = Math.max(10 / info.rate, Math.min(to - from, info.held));
  const least = Math.max(0, now - info.held);
  from = Math.max(least - wide / 2, Math.min(from, now - wide / 2));
  held = { from, to: from + wide };
  for (const plot of plots) plot.setScale("x", { min: held.from, max: held.to });
  lookBack();
}

function zoom(factor: number, at?: number) {
  if (!held) hold({ from: Math.max(0, now - span), to: now });
  const { from, to } = held!;
  const middle = at ?? (from + to) / 2;
  move(middle - (middle - from) * factor, middle + (to - middle) * factor);
}

function look(plot: uPlot) {
  const over = plot.over;
  over.style.touchAction = "pan-y";
  over.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      zoom(Math.exp(Math.max(-1, Math.min(1, event.deltaY / 400))), held ? plot.posToVal(event.offsetX, "x") : undefined);
    },
    { passive: false },
  );
  over.addEventListener("pointerdown", (event) => {
    if (!held) return;
    const start = { x: event.clientX, ...held };
    over.setPointerCapture(event.pointerId);
    over.onpointermove = (moved) => {
      const by = ((start.x - moved.clientX) / over.clientWidth) * (start.to - start.from);
      move(start.from + by, start.to + by);
    };
    over.onpointerup = over.onpointercancel = () => {
      over.onpointermove = null;
    };
  });
}

const guarded = (act: () => Promise<void> | void) => async () => {
  find("live-error").textContent = "";
  try {
    await act();
  } catch (error) {
    fail(error);
  }
};

const showKeeps = startKeeps(info.id, find, post, guarded, fail);

startSwitch(find("key"), ["Turn the key", "Release the key"], guarded, (on) => post(`key?on=${on}`));
startSwitch(find("trial"), ["Trial", "Trial runs"], guarded, (on) => post(`trial?on=${on}`));

find("hold").addEventListener("click", () => {
  if (held) {
    hold(null);
    restart();
  } else hold({ from: Math.max(0, now - span), to: Math.max(span, now) });
});
find<HTMLSelectElement>("span").addEventListener("change", (event) => {
  span = Number((event.target as HTMLSelectElement).value);
  if (held) move(held.to - span, held.to);
  else restart();
});
document.addEventListener("keydown", (event) => {
  if (!forPage(event)) return;
  if (event.key === "+" || event.key === "=") zoom(0.5);
  else if (event.key === "-") zoom(2);
  else if (event.key === "ArrowLeft" && held) move(held.from - (held.to - held.from) / 4, held.to - (held.to - held.from) / 4);
  else if (event.key === "ArrowRight" && held) move(held.from + (held.to - held.from) / 4, held.to + (held.to - held.from) / 4);
  else if (event.key === "h") find("hold").click();
  else if (event.key === "t") find("trial").click();
  else if (event.key === "k") {
    openPage("keep-page");
    find("keep").click();
  } else return;
  event.preventDefault();
});

const form = find<HTMLFormElement>("trigger");
const armed = () => find("arm").textContent === "Disarm";
form.addEventListener("change", () => {
  const kind = new FormData(form).get("kind") as string;
  for (const part of form.querySelectorAll<HTMLElement>("[data-for]")) part.hidden = !part.dataset.for!.split(" ").includes(kind);
});
form.addEventListener("submit", (event) => {
  event.preventDefault();
  guarded(async () => {
    const words = new FormData(form);
    const number = (name: string) => Number(String(words.get(name)).replace(",", "."));
    const on = !armed();
    await post("trigger", {
      on,
      channel: Number(words.get("channel")),
      kind: words.get("kind"),
      level: number("level"),
      upwards: words.get("upwards") === "true",
      width: number("width") / 1000,
      longer: words.get("longer") === "true",
      action: words.get("action"),
      keepSeconds: Number(find<HTMLInputElement>("keep-seconds").value) || 1,
    });
    seenTrigger = null;
    find("arm").textContent = on ? "Disarm" : "Arm";
    find("trigger-state").textContent = on ? "Armed, waiting" : "";
  })();
});

/** Has the readings made anew while their page is open and nothing is held: hold keeps trace and readings. */
function readAgain() {
  const page = find("page-live-readings");
  if (!held && !page.hidden && !document.hidden) find("readings-now").dispatchEvent(new Event("again"));
}

let resizing = 0;
const redraw = () => {
  build();
  held ? lookBack() : roll();
};
window.addEventListener("resize", () => {
  clearTimeout(resizing);
  resizing = window.setTimeout(redraw, 120);
});
document.addEventListener("light", redraw);
startOrder(redraw);
document.fonts.ready.then(async () => {
  startDrawer(() => {
    redraw();
    if (!held && connection.state === "Connected") restart();
  });
  build();
  // A press before this point would be lost: until now the server draws these buttons disabled.
  for (const button of document.querySelectorAll<HTMLButtonElement>("button:disabled")) button.disabled = false;
  showKeeps().catch(fail);
  setInterval(readAgain, 1000);
  try {
    await connection.start();
    restart();
  } catch (error) {
    fail(error);
  }
});
