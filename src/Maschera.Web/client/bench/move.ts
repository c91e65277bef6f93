import { forPage } from "../keys";
import { aimKey, dropAim } from "./aim";
import { fit, fitHeight, host, lanes, onBuilt, secondsOf, type LaneView } from "./lanes";
import { address, back, forward, onCycle, onView, pan, rememberView, show, view, zoom, scaleHolder, scaleKey } from "./state";
import { addCaliper, addPin } from "./calipers";
import { addSpan } from "./spans";
import { saveArrangement } from "./server";

type Mode = "move" | "box" | "measure" | "pin";
let mode: Mode = "move";
/** The lane that was last touched or pointed at. */
let chosen = 0;

/** What the next tap on a lane is for; null where it moves as usual. */
let tapping: ((channel: number, at: number) => void) | null = null;

/** The next tap on a lane goes to `take`; Escape leaves it. */
export function onNextTap(take: (channel: number, at: number) => void) {
  tapping = take;
  host.dataset.mode = "pin";
  host.focus({ preventScroll: true });
}

/** Measures between two places: kept seconds on the capture, or degrees on the mean cycle. */
const measure = (channel: number, from: number, to: number, snaps: boolean) =>
  onCycle() ? addSpan(channel, from, to, snaps) : addCaliper(channel, from, to, snaps);

export const chosenLane = () => lanes[chosen] ?? lanes[0];

function chooseLane(index: number) {
  chosen = index;
  for (const lane of lanes) lane.frame.toggleAttribute("data-chosen", lane === chosenLane());
}

/** The next lane, by key; it is scrolled to. */
function nextLane() {
  dropAim();
  chooseLane((lanes.indexOf(chosenLane()) + 1) % lanes.length);
  chosenLane().frame.scrollIntoView({ block: "nearest" });
}

/** A place that was tapped, or taken with the aim. */
function take(lane: LaneView, at: number) {
  const give = tapping ?? ((_: number, pin: number) => void addPin(pin));
  setMode("move");
  give(lane.shown[0].channel, at);
}

export function setMode(next: Mode) {
  mode = next;
  tapping = null;
  dropAim();
  host.dataset.mode = next;
  for (const button of document.querySelectorAll<HTMLButtonElement>("[data-mode]"))
    if (button instanceof HTMLButtonElement) button.setAttribute("aria-pressed", String(button.dataset.mode === next));
}

onBuilt((lane) => {
  const over = lane.plot.over;
  const area = over.parentElement!;
  area.style.touchAction = "pan-y";
  area.addEventListener("wheel", (event) => wheel(event, lane), { passive: false });
  area.addEventListener("dblclick", (event) => {
    if (!(event.target as HTMLElement).closest("[data-grip]")) fit();
  });
  area.addEventListener("pointerenter", () => chooseLane(lanes.indexOf(lane)));
  over.addEventListener("pointerdown", (event) => press(event, lane));
});

let turning = 0;
function wheel(event: WheelEvent, lane: LaneView) {
  event.preventDefault();
  if (!turning) rememberView();
  clearTimeout(turning);
  turning = window.setTimeout(() => {
    turning = 0;
  }, 400);
  const across = event.shiftKey ? event.deltaY : event.deltaX;
  if (Math.abs(across) > Math.abs(event.shiftKey ? 0 : event.deltaY)) {
    pan(across / 900);
    return;
  }
  zoom(
    Math.exp(Math.max(-1, Math.min(1, event.deltaY / 400))),
    secondsOf(lane.plot, event.clientX - lane.plot.over.getBoundingClientRect().left),
    false,
  );
}

const fingers = new Map<number, { x: number; y: number }>();

function press(event: PointerEvent, lane: LaneView) {
  if (event.button !== 0 || (event.target as HTMLElement).closest("[data-grip]")) return;
  chooseLane(lanes.indexOf(lane));
  const over = lane.plot.over;
  const left = over.getBoundingClientRect().left;
  const at = (x: number) => secondsOf(lane.plot, x - left);
  fingers.set(event.pointerId, { x: event.clientX, y: event.clientY });
  over.setPointerCapture(event.pointerId);
  const stop = () => {
    over.onpointermove = over.onpointerup = over.onpointercancel = null;
    fingers.clear();
  };
  if (fingers.size === 2) {
    pinch(over, left);
    return;
  }
  if (tapping || mode === "pin") {
    stop();
    take(lane, at(event.clientX));
    return;
  }
  const start = { x: event.clientX, y: event.clientY, seconds: at(event.clientX), view: view() };
  if (mode === "move" && !event.shiftKey) {
    let moved = false;
    over.onpointermove = (move) => {
      if (!moved && Math.abs(move.clientX - start.x) < 3) return;
      if (!moved) rememberView();
      moved = true;
      const by = ((start.x - move.clientX) / over.clientWidth) * (start.view.to - start.view.from);
      show(start.view.from + by, start.view.to + by, false);
    };
    over.onpointerup = over.onpointercancel = stop;
    return;
  }
  const box = document.createElement("div");
  box.className = mode === "measure" ? "box span" : "box";
  over.append(box);
  const draw = (move: PointerEvent) => {
    const top = over.getBoundingClientRect().top;
    const flat = mode === "measure" || Math.abs(move.clientY - start.y) < 24;
    Object.assign(box.style, {
      left: `${Math.min(start.x, move.clientX) - left}px`,
      width: `${Math.abs(move.clientX - start.x)}px`,
      top: flat ? "0" : `${Math.min(start.y, move.clientY) - top}px`,
      height: flat ? "100%" : `${Math.abs(move.clientY - start.y)}px`,
    });
    return flat;
  };
  over.onpointermove = draw;
  over.onpointercancel = () => {
    box.remove();
    stop();
  };
  over.onpointerup = (up) => {
    const flat = draw(up);
    box.remove();
    stop();
    const a = Math.min(start.seconds, at(up.clientX)),
      b = Math.max(start.seconds, at(up.clientX));
    if (Math.abs(up.clientX - start.x) < 6) return;
    if (mode === "measure") {
      setMode("move");
      measure(lane.shown[0].channel, a, b, !up.altKey);
      return;
    }
    setMode("move");
    if (!flat) fixHeight(lane, start.y, up.clientY);
    show(a, b);
  };
}

/** Keeps the part of a lane's scales that a box spans. */
function fixHeight(lane: LaneView, y1: number, y2: number) {
  const top = lane.plot.over.getBoundingClientRect().top;
  for (const shown of lane.shown) {
    const a = lane.plot.posToVal(y1 - top, `y${scaleKey(shown.channel)}`),
      b = lane.plot.posToVal(y2 - top, `y${scaleKey(shown.channel)}`);
    if (a !== b) scaleHolder(shown.channel).range = [Math.min(a, b), Math.max(a, b)];
  }
  saveArrangement();
}

/** Two fingers zoom round their middle. */
function pinch(over: HTMLElement, left: number) {
  const reach = () => {
    const [a, b] = [...fingers.values()].map((f) => f.x - left);
    return { gap: Math.max(20, Math.abs(a - b)), middle: (a + b) / 2 };
  };
  const start = { ...reach(), view: view() };
  rememberView();
  over.onpointermove = (move) => {
    if (!fingers.has(move.pointerId) || fingers.size !== 2) return;
    fingers.set(move.pointerId, { x: move.clientX, y: move.clientY });
    const now = reach();
    const span = (start.view.to - start.view.from) * (start.gap / now.gap);
    const held = start.view.from + (start.middle / over.clientWidth) * (start.view.to - start.view.from);
    const from = held - (now.middle / over.clientWidth) * span;
    show(from, from + span, false);
  };
  over.onpointerup = over.onpointercancel = () => {
    over.onpointermove = over.onpointerup = over.onpointercancel = null;
    fingers.clear();
  };
}

const actions: Record<string, () => void> = {
  fit,
  in: () => zoom(0.5),
  out: () => zoom(2),
  left: () => pan(-0.25),
  right: () => pan(0.25),
  pageLeft: () => pan(-0.9),
  pageRight: () => pan(0.9),
  start: () => pan(-1e9),
  end: () => pan(1e9),
  back,
  forward,
  height: () => {
    fitHeight();
    saveArrangement();
  },
  box: () => setMode(mode === "box" ? "move" : "box"),
  pin: () => !onCycle() && setMode(mode === "pin" ? "move" : "pin"),
  measure: () => {
    if (mode !== "measure") return setMode("measure");
    setMode("move");
    const { from, to } = view();
    measure(chosenLane().shown[0].channel, from + 0.4 * (to - from), from + 0.6 * (to - from), true);
  },
  move: () => setMode("move"),
  nextLane,
};
const keys: Record<string, string> = {
  f: "fit",
  h: "height",
  "+": "in",
  "=": "in",
  "-": "out",
  ArrowLeft: "left",
  ArrowRight: "right",
  PageUp: "pageLeft",
  PageDown: "pageRight",
  Home: "start",
  End: "end",
  Backspace: "back",
  b: "box",
  m: "measure",
  p: "pin",
  l: "nextLane",
  Escape: "move",
};

// A remark for the trail takes the view along as it stands when it is sent.
document.addEventListener("submit", (event) => {
  const form = event.target as HTMLElement;
  if (!form.matches("[data-with-view]")) return;
  const here = new URL(address(), location.href);
  form.querySelector<HTMLInputElement>("[name=address]")!.value = here.pathname + here.search;
});
document.addEventListener("click", (event) => {
  const button = (event.target as HTMLElement).closest<HTMLElement>("[data-view], button[data-mode]");
  const name = button?.dataset.view ?? button?.dataset.mode;
  if (name === "link") copyLink(button!);
  else if (name) actions[name]();
});
document.addEventListener("keydown", (event) => {
  // What a jaw or a handle takes for itself comes here marked as done, or not at all.
  if (event.defaultPrevented || !forPage(event, "summary")) return;
  const aiming = tapping || mode === "pin";
  if (aiming && aimKey(event, chosenLane(), (at) => take(chosenLane(), at))) return;
  // Within the drawer they scroll it, as anywhere.
  if (/^(Page|Home$|End$)/.test(event.key) && (event.target as Element).closest("[role=tabpanel]")) return;
  const name = event.key === "Backspace" && event.shiftKey ? "forward" : keys[event.key];
  if (!name || (name === "move" && mode === "move" && !tapping)) return;
  event.preventDefault();
  actions[name]();
});

let noting = 0;
onView(() => {
  clearTimeout(noting);
  noting = window.setTimeout(() => history.replaceState(null, "", address()), 200);
});

async function copyLink(button: HTMLElement) {
  const full = new URL(address(), location.href).href;
  try {
    await navigator.clipboard.writeText(full);
    button.textContent = "Copied";
  } catch {
    history.replaceState(null, "", address());
    button.textContent = "In the address bar";
  }
  setTimeout(() => {
    button.textContent = "Link";
  }, 1600);
}

setMode("move");
