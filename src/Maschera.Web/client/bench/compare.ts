import { forPage } from "../keys";
import type { LaneChannel, OtherCapture } from "../scene";
import type { Snap } from "./snap";
import { arrangement, channelOf, info, onCycle, view } from "./state";
import { ask, bench, fail, fetchWindow, follow, saveArrangement, type Trace } from "./server";
import { takeNewChannels } from "./anew";
import { degreesAt } from "../crank";
import { inDegrees, onOurDegrees, spanOf, theClock } from "./clock";
import { choice, field, make, numberIn } from "./dom";

const panel = document.querySelector<HTMLElement>("#compare")!;

export const under = (): OtherCapture | undefined => info.others.find((o) => o.id === arrangement.compare?.capture);

/** The channel of the capture underneath that belongs to one of ours: its namesake, else the only one of that unit. */
export function partnerOf(channel: number) {
  const own = channelOf(channel);
  const others = under()?.channels ?? [];
  const sameUnit = others.filter((c) => c.unit === own.unit);
  return (
    others.find((c) => c.name.toLowerCase() === own.name.toLowerCase()) ??
    (sameUnit.length === 1 && info.channels.filter((c) => c.unit === own.unit).length === 1 ? sameUnit[0] : undefined)
  );
}

/** What lies underneath each channel, on our own time. */
export async function underneath(shown: LaneChannel[], from: number, to: number, columns: number): Promise<Map<number, Trace>> {
  const compare = arrangement.compare;
  const pairs = compare ? shown.map((c) => ({ own: c.channel, other: partnerOf(c.channel) })).filter((p) => p.other) : [];
  if (!compare || pairs.length === 0) return new Map();
  const degrees = inDegrees() ? await onOurDegrees(compare.capture) : null;
  if (degrees) {
    const span = spanOf(compare.capture),
      a = degrees.theirs(from),
      b = degrees.theirs(to);
    const traces = await fetchWindow(
      pairs.map((p) => p.other!.id),
      Number.isNaN(a) ? span.from : a,
      Number.isNaN(b) ? span.to : b,
      columns,
    );
    return new Map(pairs.map((p, i) => [p.own, within(traces[i], degrees.ours)]));
  }
  const { shift, stretch } = compare;
  const traces = await fetchWindow(
    pairs.map((p) => p.other!.id),
    (from - shift) / stretch,
    (to - shift) / stretch,
    columns,
  );
  return new Map(pairs.map((p, i) => [p.own, { seconds: traces[i].seconds.map((t) => t * stretch + shift), values: traces[i].values }]));
}

/** A trace on other times; what falls outside of them is left out. */
function within(trace: Trace, time: (seconds: number) => number): Trace {
  const seconds = trace.seconds.map(time);
  const inside = seconds.map((s) => !Number.isNaN(s));
  return { seconds: seconds.filter((_, i) => inside[i]), values: trace.values.filter((_, i) => inside[i]) };
}

let changed: () => void = () => {},
  moved: () => void = () => {};
let chosen: () => number = () => info.channels[0].id;

/** Tells the panel how to redraw, and which channel is meant. */
export function useCompare(redraw: () => void, refresh: () => void, channel: () => number) {
  changed = redraw;
  moved = refresh;
  chosen = channel;
  draw();
  document.addEventListener("keydown", (event) => {
    if (event.key === "k" && forPage(event)) knownGood();
  });
}

function put() {
  saveArrangement();
  changed();
}

export function moveUnder(shift: number) {
  if (!arrangement.compare) return;
  arrangement.compare.shift = shift;
  const entry = panel.querySelector<HTMLInputElement>("[data-shift]");
  if (entry) entry.value = String(Number(shift.toPrecision(7)));
  saveArrangement();
  moved();
}

const words = (name: string): string[] => name.toLowerCase().match(/[\p{L}\d]+/gu) ?? [];

/** Known-good of this engine underneath by one tap, and away again by the next. */
function knownGood() {
  const own = info.channels.map((c) => c.name.toLowerCase());
  const shared = (o: OtherCapture) => o.channels.filter((c) => own.includes(c.name.toLowerCase())).length;
  // Of those that share as many channels, the one whose name says the same of the condition.
  const said = words(document.querySelector("h1")!.textContent!);
  const alike = (o: OtherCapture) => words(o.name).filter((w) => said.includes(w)).length;
  const best = info.others
    .filter((o) => o.good && o.alike && shared(o) > 0)
    .sort((a, b) => shared(b) - shared(a) || alike(b) - alike(a))[0];
  if (arrangement.compare) pick("");
  else if (best) pick(String(best.id));
  else fail("No capture on the shelf is of this engine, taken under the same condition, with a channel of the same name.");
}

function pick(text: string) {
  arrangement.compare = text ? { capture: Number(text), shift: 0, stretch: 1 } : null;
  put();
  draw();
}

function draw() {
  const compare = arrangement.compare;
  const options: [string, string][] = [
    ["", "nothing"],
    ...info.others.map((o) => [String(o.id), `${o.name}, ${o.job}`] as [string, string]),
  ];
  panel.replaceChildren(
    make("button", { type: "button", class: "act self-start", onclick: knownGood }, compare ? "Take it away" : "Known-good underneath"),
    field("Underneath, as a pencil line", choice(options, compare && under() ? String(compare.capture) : "", pick)),
  );
  if (info.others.length === 0) panel.append(make("p", { class: "text-[0.9rem] text-soft" }, "There is no other capture yet."));
  if (!compare || !under()) return;
  const numeric = (label: string, value: number, words: Record<string, string>, take: (value: number) => void) => {
    const entry: HTMLInputElement = make("input", {
      class: "entry fig",
      inputMode: "decimal",
      value: String(value),
      ...words,
      onchange: () => {
        const n = numberIn(entry.value);
        if (n !== null) take(n);
        else entry.value = String(value);
      },
    });
    return field(label, entry);
  };
  panel.append(
    make(
      "div",
      { class: "grid grid-cols-2 gap-4" },
      numeric("Moved by, s", compare.shift, { "data-shift": "" }, moveUnder),
      numeric("Time stretched by", compare.stretch, {}, (n) => {
        if (n > 0) {
          compare.stretch = n;
          put();
        }
      }),
    ),
    field(
      "The edge is of",
      choice(
        paired().map((c) => [String(c.id), c.name]),
        String(lined()),
        (id) => {
          linedBy = Number(id);
        },
      ),
    ),
    make(
      "div",
      { class: "flex flex-wrap gap-2" },
      make("button", { type: "button", class: "act small", onclick: lineUp }, "Line up on an edge"),
      make("button", { type: "button", class: "act small", onclick: difference }, "Difference as a channel"),
    ),
    make("p", { id: "line-said", class: "text-[0.9rem] font-medium empty:hidden", role: "status" }),
    make(
      "p",
      { class: "text-[0.85rem] text-soft" },
      "Line up takes the edge nearest the middle of the view and brings the same edge underneath onto it; by crank degrees it says how far " +
        "they are apart. The pencil mark over the lanes can be dragged as well.",
    ),
  );
}

/** The channel by which a person lines up; 0 for the lane last touched. */
let linedBy = 0;
const paired = () => info.channels.filter((c) => partnerOf(c.id));
const lined = () => [linedBy, chosen(), ...paired().map((c) => c.id)].find((id) => id && partnerOf(id)) ?? 0;

/** Brings the same edge underneath onto the one in the middle of the view, and says what it did. */
async function lineUp() {
  const channel = lined();
  const other = partnerOf(channel),
    compare = arrangement.compare!;
  if (!other) return fail("No channel has a namesake underneath.");
  try {
    if (onCycle()) throw new Error("One cycle lies by its degrees. Go over to Seconds or Degrees to line up on an edge.");
    const degrees = inDegrees() ? await onOurDegrees(compare.capture) : null;
    const said = degrees
      ? await apartInDegrees(channel, other.id, compare.capture, degrees)
      : await moveOnto(channel, other.id, compare.shift, compare.stretch);
    panel.querySelector("#line-said")!.textContent = said;
  } catch (error) {
    fail(error);
  }
}

const signed = (value: number, places: number) => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(places)}`;

async function moveOnto(channel: number, other: number, shift: number, stretch: number) {
  const { from, to } = view();
  const asked = { channel, at: (from + to) / 2, reach: (to - from) / 4, other, shift, stretch };
  const answer = await ask<{ shift: number; at: number; what: string }>("POST", bench("line-up"), asked);
  moveUnder(answer.shift);
  const moved = 1000 * (answer.shift - shift);
  return `${channelOf(channel).name}, ${answer.what} at ${answer.at.toFixed(4)} s: what lies underneath moved by ${signed(moved, 2)} ms.`;
}

type Degrees = NonNullable<Awaited<ReturnType<typeof onOurDegrees>>>;

/** By crank degrees both cranks stand together: nothing is moved, the same edge's distance is what counts. */
async function apartInDegrees(channel: number, other: number, capture: number, degrees: Degrees) {
  const { from, to } = view();
  const reach = (to - from) / 4;
  const place = { level: 0, reach };
  const here = await ask<Snap | null>("POST", bench("snap"), { ...place, channel, at: (from + to) / 2, to: "edge" });
  if (!here) throw new Error("There is no clear edge here to line up on. Zoom in on one.");
  const there = await ask<Snap | null>("POST", `/bench/${capture}/snap`, {
    ...place,
    channel: other,
    at: degrees.theirs(here.seconds),
    to: here.what === "rising edge" ? "risingEdge" : "fallingEdge",
  });
  if (!there) throw new Error(`The capture underneath has no ${here.what} near here.`);
  const clock = theClock()!;
  const apart = degreesAt(clock, here.seconds) - degreesAt(clock, degrees.ours(there.seconds));
  const how =
    Math.abs(apart) < 0.05
      ? "at the same angle as underneath"
      : `${Math.abs(apart).toFixed(1)}° ${apart > 0 ? "later" : "earlier"} than underneath`;
  const edge = `${channelOf(channel).name}, this one ${here.what} at ${here.seconds.toFixed(4)} s`;
  return `${edge}: ${how}. Both cranks lie together, so nothing was moved.`;
}

async function difference() {
  const channel = chosen();
  const other = partnerOf(channel),
    compare = arrangement.compare!;
  if (!other) return fail(`${channelOf(channel).name} has no namesake underneath.`);
  try {
    const { token } = await ask<{ token: string }>("POST", bench("difference"), {
      channel,
      at: 0,
      reach: 1,
      other: other.id,
      shift: compare.shift,
      stretch: compare.stretch,
    });
    await follow(token, () => {});
    await takeNewChannels();
  } catch (error) {
    fail(error);
  }
}

/** The mark over the lanes by which the pencil line is moved. */
export function handle(secondsPerPixel: () => number): HTMLElement | null {
  const compare = arrangement.compare;
  if (!compare || !under()) return null;
  const grip = make(
    "button",
    {
      type: "button",
      class: "pencil",
      "data-grip": "",
      title: "Drag to move what lies underneath; arrow keys too",
      "aria-label": `Move ${under()!.name}`,
    },
    `⇆ ${under()!.name}`,
  );
  grip.addEventListener("pointerdown", (event) => {
    const start = event.clientX,
      before = compare.shift;
    grip.setPointerCapture(event.pointerId);
    grip.onpointermove = (move) => moveUnder(before + (move.clientX - start) * secondsPerPixel());
    grip.onpointerup = grip.onpointercancel = () => {
      grip.onpointermove = null;
    };
  });
  grip.addEventListener("keydown", (event) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!by) return;
    event.preventDefault();
    moveUnder(compare.shift + by * (event.shiftKey ? 10 : 1) * secondsPerPixel());
  });
  return grip;
}
