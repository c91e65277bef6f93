import { nextOn, snapOn, wrapped } from "../fold";
import type { LaneChannel } from "../scene";
import { foldOf } from "./cycle";
import { make } from "./dom";
import { openPage } from "../drawer";
import { deletes, drawLayer, jawKey, wantGrip } from "./grips";
import { areaWidth, lanes, onPlaced, pixelOf, secondsOf, secondsPerPixel, type LaneView } from "./lanes";
import { channelOf, drawn, laneChannelOf, onCycle, unitOf, view } from "./state";
import { theClock } from "./clock";

// Calipers on one cycle: degrees, measured on the mean. They belong to the picture and are not kept.
interface Span {
  channel: number;
  from: number;
  to: number;
}

const panel = document.querySelector<HTMLElement>("#cycle-measures")!;
const REACH = 14;
let spans: Span[] = [];
const angle = (degrees: number) => `${degrees.toFixed(1)}°`.replace("-", "−");

/** The mean of a channel at some degrees, as its lane shows it; null where there is none. */
function meanAt(shown: LaneChannel, degrees: number) {
  const value = foldOf(shown.channel)?.mean[Math.floor(wrapped(degrees))];
  return typeof value === "number" ? drawn(shown, unitOf(shown), value) : null;
}

export function addSpan(channel: number, from: number, to: number, snaps: boolean) {
  const mean = foldOf(channel)?.mean;
  const reach = REACH * secondsPerPixel();
  const place = (at: number) => (snaps && mean ? snapOn(mean, at, reach) : at);
  spans.push({ channel, from: place(from), to: place(to) });
  wantGrip(`from-${spans.length - 1}`);
  draw();
  openPage("measures");
}

function draw() {
  panel.hidden = !onCycle() || spans.length === 0;
  // Called with every frame: on the capture's own axis there is nothing to write.
  if (panel.hidden) {
    if (panel.firstChild) panel.replaceChildren();
    return place();
  }
  panel.replaceChildren(make("h2", { class: "mb-2" }, "On one cycle"), ...spans.map(card));
  place();
}

function card(span: Span) {
  const shown = laneChannelOf(span.channel);
  const unit = unitOf(shown).unit;
  const [a, b] = [meanAt(shown, span.from), meanAt(shown, span.to)];
  const value = (v: number | null) => (v === null ? "–" : String(Number(v.toPrecision(4))).replace("-", "−"));
  const clock = theClock()!;
  const perDegree = (clock.seconds[clock.seconds.length - 1] - clock.seconds[0]) / ((clock.seconds.length - 1) * clock.every);
  const rows: [string, string, string][] = [
    ["From", angle(span.from), ""],
    ["To", angle(span.to), ""],
    ["Between", angle(span.to - span.from), ""],
    ["Time at the mean speed", (1000 * perDegree * (span.to - span.from)).toFixed(2), "ms"],
    ["At the left jaw", value(a), unit],
    ["At the right jaw", value(b), unit],
    ["Difference", a === null || b === null ? "–" : value(b - a), unit],
  ];
  return make(
    "div",
    { class: "mb-4 flex flex-col gap-1", "data-span": span.channel },
    make(
      "div",
      { class: "flex items-center justify-between" },
      make("strong", {}, channelOf(span.channel).name),
      make(
        "button",
        {
          type: "button",
          class: "act quiet",
          onclick: () => remove(span),
        },
        "Delete",
      ),
    ),
    make(
      "table",
      { class: "figures" },
      make(
        "tbody",
        {},
        ...rows.map(([name, v, u]) =>
          make("tr", {}, make("td", {}, name), make("td", { class: "fig num" }, v), make("td", { class: "fig" }, u)),
        ),
      ),
    ),
  );
}

/** Puts jaws where the view has them. */
function place() {
  if (!onCycle()) return;
  for (const lane of lanes) {
    drawLayer(lane.layer, () => {
      for (const span of spans) if (lane.shown.some((c) => c.channel === span.channel)) drawSpan(lane, span);
    });
  }
}

function drawSpan(lane: LaneView, span: Span) {
  const wide = areaWidth();
  const [a, b] = [pixelOf(lane.plot, span.from), pixelOf(lane.plot, span.to)];
  if (b < 0 || a > wide) return;
  const tint = make("div", { class: "span chosen" });
  Object.assign(tint.style, { left: `${Math.max(0, a)}px`, width: `${Math.max(0, Math.min(wide, b) - Math.max(0, a))}px` });
  const label = make("span", { class: "measure" }, angle(span.to - span.from));
  label.style.left = `${Math.max(36, Math.min(wide - 36, (a + b) / 2))}px`;
  lane.layer.append(tint, label);
  for (const side of ["from", "to"] as const) {
    const jaw = make("div", {
      class: "jaw",
      "data-grip": `${side}-${spans.indexOf(span)}`,
      tabIndex: 0,
      role: "slider",
      "aria-label": `${side === "from" ? "Left" : "Right"} jaw on ${channelOf(span.channel).name}`,
      "aria-valuenow": span[side].toFixed(1),
      "aria-valuemin": 0,
      "aria-valuemax": 720,
      "aria-valuetext": `${span[side].toFixed(1)} degrees`,
    });
    jaw.style.left = `${pixelOf(lane.plot, span[side])}px`;
    jaw.addEventListener("pointerdown", (event) => drag(event, lane, span, side, jaw));
    jaw.addEventListener("keydown", (event) => stepJaw(event, span, side));
    lane.layer.append(jaw);
  }
}

/** Half a degree with the arrows, five with Shift, a twentieth of the view by page, on to what stands out by comma and full stop. */
function stepJaw(event: KeyboardEvent, span: Span, side: "from" | "to") {
  if (deletes(event)) return remove(span);
  const key = jawKey(event);
  if (!key) return;
  const { from, to } = view();
  const mean = foldOf(span.channel)?.mean;
  if ("steps" in key) span[side] += key.steps / 2;
  else if ("twentieths" in key) span[side] += (key.twentieths * (to - from)) / 20;
  else if (mean) span[side] = nextOn(mean, span[side], key.back, REACH * secondsPerPixel()) ?? span[side];
  span[side] = Math.min(720, Math.max(0, span[side]));
  draw();
}

function remove(span: Span) {
  spans = spans.filter((s) => s !== span);
  draw();
}

function drag(event: PointerEvent, lane: LaneView, span: Span, side: "from" | "to", jaw: HTMLElement) {
  event.stopPropagation();
  event.preventDefault();
  const left = lane.plot.over.getBoundingClientRect().left;
  jaw.setPointerCapture(event.pointerId);
  jaw.onpointermove = (move) => {
    span[side] = secondsOf(lane.plot, move.clientX - left);
    jaw.style.left = `${pixelOf(lane.plot, span[side])}px`;
  };
  jaw.onpointerup = jaw.onpointercancel = (up) => {
    jaw.onpointermove = null;
    const mean = foldOf(span.channel)?.mean;
    if (!up.altKey && mean) span[side] = snapOn(mean, span[side], REACH * secondsPerPixel());
    draw();
  };
}

export function startSpans() {
  onPlaced(draw);
}
