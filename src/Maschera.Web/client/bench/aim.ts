import { make } from "./dom";
import { fail } from "./server";
import { jawKey } from "./grips";
import { areaWidth, lanes, onPlaced, pixelOf, secondsPerPixel, type LaneView } from "./lanes";
import { nextPlace } from "./snap";
import { view } from "./state";

// What a tap does with the finger, the aim does by keys: it is moved along a lane, and Enter takes the place.
let place: number | null = null;
let mark: HTMLElement | null = null;

export function dropAim() {
  place = null;
  mark?.remove();
  mark = null;
}

/** Moves the aim on a lane, or takes its place with Enter; false where the key is none of the aim's. */
export function aimKey(event: KeyboardEvent, lane: LaneView, take: (at: number) => void): boolean {
  const { from, to } = view();
  if (event.key === "Enter" && place !== null) {
    event.preventDefault();
    const at = place;
    dropAim();
    take(at);
    return true;
  }
  const key = jawKey(event);
  if (!key) return false;
  const start = place ?? (from + to) / 2;
  if ("back" in key) onTo(lane, start, key.back);
  else put(lane, start + ("steps" in key ? 2 * key.steps * secondsPerPixel() : (key.twentieths * (to - from)) / 20));
  return true;
}

async function onTo(lane: LaneView, start: number, back: boolean) {
  try {
    const found = await nextPlace(lane.shown[0].channel, start, back);
    if (found) put(lane, found.seconds);
    else fail("Nothing more stands out in this direction.");
  } catch (error) {
    fail(error);
  }
}

function put(lane: LaneView, at: number) {
  const { from, to } = view();
  place = Math.min(to, Math.max(from, at));
  draw(lane);
}

function draw(lane: LaneView) {
  mark ??= make("div", { class: "foreseen aim", role: "status" }, make("span"));
  const x = pixelOf(lane.plot, place!);
  mark.style.left = `${x}px`;
  mark.dataset.side = x > areaWidth() - 90 ? "left" : "right";
  mark.firstChild!.textContent = `${place!.toFixed(4)} s`;
  if (mark.parentElement !== lane.plot.over) lane.plot.over.append(mark);
}

onPlaced(() => {
  const lane = lanes.find((l) => l.plot.over === mark?.parentElement);
  if (lane && place !== null) draw(lane);
  else if (mark && !mark.isConnected) dropAim();
});
