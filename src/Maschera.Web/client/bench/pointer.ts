import { degreesAt } from "../crank";
import { theClock } from "./clock";
import { lanes, onBuilt, seriesOf } from "./lanes";
import { onCycle } from "./state";

// What stands under the pointer: each channel's value beside its name, and the place.
const place = document.querySelector<HTMLElement>("#at-pointer")!;
const digits = (value: number) => (Number.isFinite(value) ? String(Number(value.toPrecision(4))).replace("-", "−") : "–");

function draw() {
  let at: number | null = null;
  for (const lane of lanes) {
    const index = lane.plot.cursor.idx;
    const left = lane.plot.cursor.left ?? -1;
    if (left >= 0) at = lane.plot.posToVal(left, "x");
    let series = 0;
    for (const entry of lane.shown) {
      series += seriesOf(entry).length;
      const value =
        index === null || index === undefined ? null : nearest(lane.plot.data[series] as (number | null | undefined)[] | undefined, index);
      for (const shown of document.querySelectorAll<HTMLElement>(`[data-pointer="${entry.channel}"]`))
        shown.textContent = value === null ? "" : digits(value);
    }
  }
  place.textContent = at === null ? "" : placeSaid(at);
}

/** The last value at or before a place. */
function nearest(values: (number | null | undefined)[] | undefined, at: number) {
  if (!values) return null;
  for (let i = Math.min(at, values.length - 1); i >= 0 && i > at - 200; i--) if (typeof values[i] === "number") return values[i] as number;
  return null;
}

function placeSaid(at: number) {
  if (onCycle()) return `${at.toFixed(1)}°`;
  const clock = theClock();
  if (!clock) return `${at.toFixed(4)} s`;
  const degrees = degreesAt(clock, at);
  return `cycle ${Math.floor(degrees / 720) + 1} · ${(((degrees % 720) + 720) % 720).toFixed(1)}° · ${at.toFixed(4)} s`;
}

export function startPointer() {
  onBuilt((lane) => {
    lane.plot.hooks.setCursor = [...(lane.plot.hooks.setCursor ?? []), draw];
    // A finger has no place before it touches, and its place stays when it is lifted.
    lane.plot.over.addEventListener("pointerup", (event) => {
      if (event.pointerType !== "touch") return;
      const left = event.clientX - lane.plot.over.getBoundingClientRect().left;
      requestAnimationFrame(() => lanes.forEach(({ plot }) => plot.setCursor({ left, top: 0 })));
    });
  });
}

export { draw as drawPointer };
