import { degreesAt, secondsAt } from "../crank";
import { forPage } from "../keys";
import { isLaid, needClock, theClock } from "./clock";
import { foldOf } from "./cycle";
import { workOut } from "./derive";
import { make } from "./dom";
import { lanes, onPlaced, whileBusy } from "./lanes";
import { startPlaces } from "./place";
import { fail } from "./server";
import { address, axisNow, captureView, channelOf, info, onCycle, show, takeAxis, view, type Axis } from "./state";
import { layStrip, startStrip } from "./strip";
import { chooseCylinder, chosenCylinder } from "./strokes";

// The three axes, and the cylinder in question.
const find = <T extends HTMLElement>(id: string) => document.querySelector<T>(`#${id}`)!;
let redraw: () => void = () => {};

/** Goes over to an axis; where there is no clock it says why and stays. */
export const goTo = (next: Axis) => whileBusy(() => goOver(next)).catch(fail);

async function goOver(next: Axis) {
  if (next !== "seconds") await needClock();
  const before = axisNow();
  takeAxis(next);
  if (next !== "seconds" && chosenCylinder() === null && theClock()!.known) chooseCylinder(theClock()!.odd[0] ?? null);
  if (next === "degrees" && before === "seconds") twoCycles();
  apply();
}

/** Crank degrees show two cycles at the place one was looking at, not all. */
function twoCycles() {
  const clock = theClock()!;
  const { from, to } = captureView();
  const [a, b] = [degreesAt(clock, from), degreesAt(clock, to)];
  if (b - a <= 1500) return;
  const first = 720 * Math.floor((a + b) / 2 / 720);
  const [start, end] = [secondsAt(clock, first), secondsAt(clock, first + 1440)];
  if (start < end) show(start, end);
}

function apply() {
  for (const button of document.querySelectorAll<HTMLElement>("[data-axis]"))
    button.setAttribute("aria-pressed", String(button.dataset.axis === axisNow()));
  layStrip();
  history.replaceState(null, "", address());
  redraw();
  show(view().from, view().to, false);
  drawPage();
}

/** Goes on by whole cycles, so that the next one stands where this one stood. */
export function stepCycle(by: number) {
  const clock = theClock();
  if (!clock || onCycle()) return;
  const { from, to } = view();
  const start = secondsAt(clock, degreesAt(clock, from) + 720 * by);
  if (!Number.isNaN(start)) show(start, start + (to - from), false);
}

function choose(cylinder: number | null) {
  chooseCylinder(cylinder === chosenCylinder() ? null : cylinder);
  for (const lane of lanes) lane.plot.redraw(false);
  show(view().from, view().to, false);
  drawPage();
}

/** The next cylinder in firing order, none after the last. */
async function chooseNext() {
  try {
    const { known, firing } = await needClock();
    if (!known) throw new Error("Which turn of the two is not known here, so no cylinder can be told. Add a sync to the next capture.");
    const at = firing.findIndex((f) => f.cylinder === chosenCylinder());
    choose(firing[at + 1]?.cylinder ?? chosenCylinder());
  } catch (error) {
    fail(error);
  }
}

/** The drawer's page of cycles: the cylinders, what the clock says, and the cycles unlike the others. */
function drawPage() {
  const clock = theClock();
  find("speed-trace").hidden = !clock?.speed;
  find("clock-said").textContent = clock ? [clock.said, ...clock.notes].join(". ") : "";
  const seat = clock?.firing.find((f) => f.cylinder === chosenCylinder())?.seat;
  find("cylinder-seat").textContent = seat ? `Cylinder ${chosenCylinder()} sits ${seat}.` : "";
  if (clock)
    find("cylinders").replaceChildren(
      ...(clock.known
        ? clock.firing.map(({ cylinder }) =>
            make(
              "button",
              {
                type: "button",
                class: clock.odd.includes(cylinder)
                  ? "act small fig underline decoration-fault decoration-2 underline-offset-4"
                  : "act small fig",
                "aria-pressed": String(cylinder === chosenCylinder()),
                onclick: () => choose(cylinder),
              },
              String(cylinder),
            ),
          )
        : [make("p", { class: "text-[0.92rem]" }, "Which turn of the two is not known, so no cylinder can be told.")]),
    );
}

let oddShown = "";

/** Links to the odd cycles of every channel folded; written anew only where they are others. */
function drawOdd() {
  if (!onCycle()) return;
  const rows = lanes.flatMap((lane) =>
    lane.shown.flatMap(({ channel }) => (foldOf(channel)?.odd ?? []).map((odd) => ({ channel, seconds: odd.seconds }))),
  );
  const now = JSON.stringify(rows);
  if (now === oddShown) return;
  oddShown = now;
  const clock = theClock()!;
  find("odd-cycles").replaceChildren(
    ...(rows.length
      ? rows.map(({ channel, seconds }) => {
          const end = secondsAt(clock, degreesAt(clock, seconds) + 720) || seconds + 0.2;
          const stretch = `from=${seconds.toPrecision(9)}&to=${end.toPrecision(9)}`;
          return make(
            "a",
            {
              class: "flex min-h-11 items-center",
              href: `/bench/${info.id}?${stretch}&mark=${seconds.toPrecision(9)}~${end.toPrecision(9)}`,
            },
            `${channelOf(channel).name}, at ${seconds.toFixed(2)} s`,
          );
        })
      : [make("p", { class: "text-soft" }, "None: every cycle runs like the mean.")]),
  );
}

export function startAxis(rebuild: () => void) {
  redraw = rebuild;
  startStrip(choose);
  startPlaces(() => {
    if (onCycle()) {
      takeAxis("seconds");
      apply();
    }
  });
  onPlaced(drawOdd);
  for (const button of document.querySelectorAll<HTMLElement>("[data-axis]"))
    button.addEventListener("click", () => goTo(button.dataset.axis as Axis));
  find("speed-trace").addEventListener("click", () => {
    const { channel, teeth } = theClock()!.speed!;
    workOut(`Speed of ${channel}`, "", `speed("${channel}", ${teeth})`);
  });
  document.addEventListener("keydown", (event) => {
    if (!forPage(event)) return;
    const next = { s: "seconds", d: axisNow() === "degrees" ? "seconds" : "degrees", c: onCycle() ? "seconds" : "cycle" }[event.key];
    if (next) goTo(next as Axis);
    else if (event.key === "x") chooseNext();
    else if (event.key === "[" || event.key === "]") stepCycle(event.key === "]" ? 1 : -1);
  });
  const asked = new URLSearchParams(location.search).get("axis");
  if ((asked === "degrees" || asked === "cycle") && info.channels.length && !isLaid()) goTo(asked);
}
