import type { Caliper, Pin } from "../scene";
import { channelOf, info, laneChannelOf, onCycle, show, view } from "./state";
import { deletes, drawLayer, jawKey, wantGrip } from "./grips";
import { areaWidth, lanes, onPlaced, pixelOf, secondsOf, type LaneView } from "./lanes";
import { ask, bench, fail, offerUndo } from "./server";
import { nextPlace, placeNear } from "./snap";
import { choice, field, make, numberIn } from "./dom";
import { openPage } from "../drawer";

// Calipers and pins: kept on the server, measured there on all samples; here they are drawn and dragged.
const panel = document.querySelector<HTMLElement>("#measures")!;
let calipers: Caliper[] = info.calipers;
let pins: Pin[] = info.pins;
let chosen = calipers[0]?.id ?? 0;
let snap = "nearest",
  level = 0;

const shownUnit = (channel: number) => laneChannelOf(channel)?.unit ?? null;
const visibleLane = (channel: number) => lanes.find((lane) => lane.shown.some((c) => c.channel === channel));

/** What jaws are drawn to on a channel. */
function wish(channel: number) {
  const unit = channelOf(channel).units.find((u) => u.unit === shownUnit(channel)) ?? channelOf(channel).units[0];
  return { to: snap === "none" ? "nearest" : snap, level: (level - unit.offset) / unit.factor };
}

const snapped = async (channel: number, at: number) =>
  snap === "none" ? at : ((await placeNear(channel, at, wish(channel)))?.seconds ?? at);

export async function addCaliper(channel: number, from: number, to: number, snaps: boolean, name: string | null = null) {
  try {
    const [a, b] = snaps ? await Promise.all([snapped(channel, from), snapped(channel, to)]) : [from, to];
    const made = await ask<Caliper>("POST", bench("calipers"), { name, channel, from: a, to: b === a ? to : b, unit: shownUnit(channel) });
    calipers.push(made);
    chosen = made.id;
    wantGrip(`from-${made.id}`);
    draw();
    openPage("measures");
  } catch (error) {
    fail(error);
  }
}

/** How often each caliper was sent. */
const sent = new Map<number, number>();

/**
 * Moves a caliper; the figures come back from the server. An answer that was overtaken is dropped: by a later one, or by the jaw,
 * which may have gone on and is sent again when it rests.
 */
async function keep(caliper: Caliper) {
  const { id, name, channel, from, to } = caliper;
  const mine = (sent.get(id) ?? 0) + 1;
  sent.set(id, mine);
  try {
    const kept = await ask<Caliper>("PUT", bench(`calipers/${id}`), { name, channel, from, to, unit: shownUnit(channel) });
    if (mine !== sent.get(id) || caliper.from !== from || caliper.to !== to) return;
    Object.assign(caliper, kept);
    draw();
  } catch (error) {
    fail(error);
  }
}

/** Measures all again, after a unit was changed. */
export async function measureAgain(channel: number) {
  for (const caliper of calipers.filter((c) => c.channel === channel)) await keep(caliper);
}

async function remove(caliper: Caliper) {
  try {
    await ask("DELETE", bench(`calipers/${caliper.id}`));
    calipers = calipers.filter((c) => c.id !== caliper.id);
    chosen = calipers[0]?.id ?? 0;
    draw();
    offerUndo(`${caliper.name} is deleted.`, () => addCaliper(caliper.channel, caliper.from, caliper.to, false, caliper.name));
  } catch (error) {
    fail(error);
  }
}

export async function addPin(at: number, remark = "") {
  try {
    const pin = await ask<Pin>("POST", bench("pins"), { id: 0, at, remark });
    pins = [...pins, pin].sort((a, b) => a.at - b.at);
    draw();
    openPage("measures");
    panel.querySelector<HTMLInputElement>(`[data-pin="${pin.id}"]`)?.focus();
  } catch (error) {
    fail(error);
  }
}

async function keepPin(pin: Pin) {
  try {
    await ask<Pin>("PUT", bench(`pins/${pin.id}`), pin);
    place();
  } catch (error) {
    fail(error);
  }
}

async function removePin(pin: Pin) {
  try {
    await ask("DELETE", bench(`pins/${pin.id}`));
    pins = pins.filter((p) => p.id !== pin.id);
    draw();
    offerUndo("The pin is deleted.", () => addPin(pin.at, pin.remark));
  } catch (error) {
    fail(error);
  }
}

/** Puts jaws, spans and pins where the view has them. */
export function place() {
  if (onCycle()) return;
  for (const lane of lanes) {
    drawLayer(lane.layer, () => {
      for (const caliper of calipers) if (lane.shown.some((c) => c.channel === caliper.channel)) drawCaliper(lane, caliper);
      pins.forEach((pin, i) => drawPin(lane, pin, i + 1));
    });
  }
}

function drawCaliper(lane: LaneView, caliper: Caliper) {
  const wide = areaWidth();
  const a = pixelOf(lane.plot, caliper.from),
    b = pixelOf(lane.plot, caliper.to);
  if (b < 0 || a > wide) return;
  const left = Math.max(0, a),
    right = Math.min(wide, b);
  const span = make("div", { class: caliper.id === chosen ? "span chosen" : "span" });
  Object.assign(span.style, { left: `${left}px`, width: `${Math.max(0, right - left)}px` });
  const label = make(
    "button",
    {
      type: "button",
      class: "measure",
      "data-grip": `label-${caliper.id}`,
      onclick: () => {
        chosen = caliper.id;
        draw();
      },
    },
    calipers.length > 1 ? `${caliper.name}  ${caliper.label}` : caliper.label,
  );
  const half = 4 * label.textContent!.length + 9;
  label.style.left = `${Math.max(half, Math.min(wide - half, (left + right) / 2))}px`;
  lane.layer.append(span, label);
  for (const side of ["from", "to"] as const) {
    const x = pixelOf(lane.plot, caliper[side]);
    if (x < -1 || x > wide + 1) continue;
    const jaw = make("div", {
      class: "jaw",
      "data-grip": `${side}-${caliper.id}`,
      tabIndex: 0,
      role: "slider",
      "aria-label": `${caliper.name}, ${side === "from" ? "left" : "right"} jaw, on ${channelOf(caliper.channel).name}`,
      "aria-valuenow": caliper[side].toPrecision(7),
      "aria-valuemin": info.from,
      "aria-valuemax": info.to,
      "aria-valuetext": `${caliper[side].toPrecision(7)} seconds; ${caliper.label}`,
    });
    jaw.style.left = `${x}px`;
    jaw.addEventListener("pointerdown", (event) => dragJaw(event, lane, caliper, side, jaw));
    jaw.addEventListener("keydown", (event) => stepJaw(event, caliper, side));
    lane.layer.append(jaw);
  }
}

function dragJaw(event: PointerEvent, lane: LaneView, caliper: Caliper, side: "from" | "to", jaw: HTMLElement) {
  event.stopPropagation();
  event.preventDefault();
  jaw.focus();
  chosen = caliper.id;
  const left = lane.plot.over.getBoundingClientRect().left;
  jaw.setPointerCapture(event.pointerId);
  let at = caliper[side];
  const ahead = foresee(lane, caliper, jaw);
  jaw.onpointermove = (move) => {
    at = secondsOf(lane.plot, move.clientX - left);
    jaw.style.left = `${pixelOf(lane.plot, at)}px`;
    ahead(at, move.altKey);
  };
  jaw.onpointerup = jaw.onpointercancel = async (up) => {
    jaw.onpointermove = null;
    try {
      caliper[side] = up.altKey || at === caliper[side] ? at : await snapped(caliper.channel, at);
      keep(caliper);
    } catch (error) {
      fail(error);
    }
  };
}

/** Shows what a jaw will be drawn to before it is let go: a mark there, and its name on the jaw. */
function foresee(lane: LaneView, caliper: Caliper, jaw: HTMLElement) {
  const mark = make("div", { class: "foreseen" });
  let asking = false;
  return (at: number, free: boolean) => {
    if (free || snap === "none") return mark.remove();
    if (asking) return;
    asking = true;
    placeNear(caliper.channel, at, wish(caliper.channel))
      .then((found) => {
        if (!found || !jaw.onpointermove) return mark.remove();
        mark.style.left = `${pixelOf(lane.plot, found.seconds)}px`;
        mark.textContent = found.what;
        lane.layer.append(mark);
      })
      .catch(fail)
      .finally(() => {
        asking = false;
      });
  };
}

/** One sample with the arrows, ten with Shift, a twentieth of the view by page; the edge or peak before or next by comma and full stop. */
async function stepJaw(event: KeyboardEvent, caliper: Caliper, side: "from" | "to") {
  if (deletes(event)) return remove(caliper);
  const key = jawKey(event);
  if (!key) return;
  try {
    if ("steps" in key) return await walk(caliper, side, key.steps);
    const { from, to } = view();
    if ("twentieths" in key) {
      caliper[side] = Math.min(info.to, Math.max(info.from, caliper[side] + (key.twentieths * (to - from)) / 20));
      return await keep(caliper);
    }
    const found = await nextPlace(caliper.channel, caliper[side], key.back, wish(caliper.channel));
    if (!found) return fail("Nothing more stands out in this direction.");
    caliper[side] = found.seconds;
    await keep(caliper);
  } catch (error) {
    fail(error);
  }
}

/** Steps still to be made while the server works one out: a quick row of presses moves as far as it says. */
let ahead = 0,
  walking = false;
async function walk(caliper: Caliper, side: "from" | "to", steps: number) {
  ahead += steps;
  if (walking) return;
  walking = true;
  try {
    while (ahead !== 0) {
      const by = ahead;
      ahead = 0;
      caliper[side] = await ask<number>("POST", bench("step"), { channel: caliper.channel, at: caliper[side], by });
    }
  } finally {
    walking = false;
    ahead = 0;
  }
  await keep(caliper);
}

function drawPin(lane: LaneView, pin: Pin, number: number) {
  const x = pixelOf(lane.plot, pin.at);
  if (x < 0 || x > areaWidth()) return;
  const first = lane === lanes[0];
  const mark = make("div", { class: first ? "pin first" : "pin", title: pin.remark }, ...(first ? [String(number)] : []));
  mark.style.left = `${x}px`;
  lane.layer.append(mark);
}

function draw() {
  place();
  const snaps = choice(
    [
      ["nearest", "the nearest edge or peak"],
      ["edge", "edges"],
      ["peak", "peaks"],
      ["level", "a level…"],
      ["none", "nothing"],
    ],
    snap,
    (value) => {
      snap = value;
      draw();
    },
  );
  const line = make("div", { class: snap === "level" ? "grid grid-cols-2 gap-4" : "" }, field("Jaws are drawn to", snaps));
  if (snap === "level") {
    const entry: HTMLInputElement = make("input", {
      class: "entry fig",
      inputMode: "decimal",
      value: String(level),
      onchange: () => {
        level = numberIn(entry.value) ?? level;
      },
    });
    line.append(field("Level, as the lane shows it", entry));
  }
  panel.replaceChildren();
  if (calipers.length === 0 && pins.length === 0)
    panel.append(
      make(
        "p",
        { class: "text-[0.92rem] text-soft" },
        "Choose Measure, then drag over a lane from one place to another. Choose Pin to leave a remark.",
      ),
    );
  else panel.append(line);
  for (const caliper of calipers) panel.append(caliperCard(caliper));
  pins.forEach((pin, i) => panel.append(pinRow(pin, i + 1)));
}

function caliperCard(caliper: Caliper) {
  const name: HTMLInputElement = make("input", {
    class: "entry",
    value: caliper.name,
    "aria-label": "Name of the caliper",
    onchange: () => {
      caliper.name = name.value;
      keep(caliper);
    },
  });
  const head = make(
    "div",
    { class: "flex items-center gap-2" },
    name,
    make(
      "button",
      {
        type: "button",
        class: "act small",
        "aria-label": `Show ${caliper.name}`,
        onclick: () => {
          chosen = caliper.id;
          bring(caliper);
          draw();
        },
      },
      "Show",
    ),
    make(
      "button",
      { type: "button", class: "act quiet", "aria-label": `Delete ${caliper.name}`, onclick: () => remove(caliper) },
      "Delete",
    ),
  );
  const card = make(
    "div",
    { class: "flex flex-col gap-1", "data-caliper": caliper.id },
    head,
    make("p", { class: "text-[0.85rem] text-soft" }, `${channelOf(caliper.channel).name}, ${caliper.label}`),
  );
  if (caliper.id === chosen)
    card.append(
      make(
        "table",
        { class: "figures" },
        make(
          "tbody",
          {},
          ...caliper.figures.map((f) =>
            make("tr", {}, make("td", {}, f.name), make("td", { class: "fig num" }, f.value), make("td", { class: "fig" }, f.unit)),
          ),
        ),
      ),
    );
  return card;
}

function bring(caliper: Caliper) {
  const { from, to } = view();
  if (caliper.from >= from && caliper.to <= to && visibleLane(caliper.channel)) return;
  const room = Math.max(caliper.to - caliper.from, 1e-6);
  show(caliper.from - room, caliper.to + room);
}

function pinRow(pin: Pin, number: number) {
  const entry: HTMLInputElement = make("input", {
    class: "entry",
    value: pin.remark,
    placeholder: "What is to be seen here",
    "data-pin": pin.id,
    "aria-label": `Remark of pin ${number}`,
    onchange: () => {
      pin.remark = entry.value;
      keepPin(pin);
    },
  });
  return make(
    "div",
    { class: "flex items-center gap-2" },
    make("span", { class: "pinned fig" }, String(number)),
    entry,
    make("button", { type: "button", class: "act quiet", "aria-label": `Delete pin ${number}`, onclick: () => removePin(pin) }, "Delete"),
  );
}

export function startCalipers() {
  onPlaced(place);
  draw();
}
