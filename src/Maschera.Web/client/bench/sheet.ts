import type { Lane, LaneChannel } from "../scene";
import { arrangement, channelOf, info, laneChannelOf, layOnScale, onOneScale, onRearranged, scaleHolder, unitOf } from "./state";
import { host, lanes, onBuilt, rebuild, scaleOf, secondsPerPixel, type LaneView } from "./lanes";
import { ask, bench, fail, follow, offerUndo, saveArrangement } from "./server";
import { choice, field, make, numberIn } from "./dom";
import { handle } from "./compare";
import { measureAgain } from "./calipers";
import { drawOverview } from "./overview";
import { ink } from "../stroke";
import { takeNewChannels } from "./anew";

// The name over a lane opens its sheet: unit, place, height, scale and what is done to the trace.
const sheet = document.querySelector<HTMLDialogElement>("#lane-sheet")!;

onBuilt((lane) => {
  lane.name.replaceChildren(...lane.shown.map((shown) => nameOf(lane, shown)));
  if (lane === lanes[0]) {
    const grip = handle(secondsPerPixel);
    if (grip) lane.name.append(grip);
  }
});

function nameOf(lane: LaneView, shown: LaneChannel) {
  const channel = channelOf(shown.channel);
  const done = [
    shown.invert && "inverted",
    shown.offset !== 0 && "moved",
    shown.standing && "AC coupled",
    shown.smooth === "lowpass" && `low-pass ${shown.smoothBy} Hz`,
    shown.smooth === "median" && `median of ${shown.smoothBy}`,
    scaleHolder(shown.channel).range && "scale held",
  ].filter(Boolean);
  const swatch = make("i", {});
  if (channel.desired) Object.assign(swatch.style, { background: "none", height: "0", borderTop: `2px dashed ${ink("--ink")}` });
  else swatch.style.background = ink(`--trace-${channel.ink}`);
  const words = [channel.name, channel.expression ? ` = ${channel.expression}` : "", done.length ? ` (${done.join(", ")})` : ""].join("");
  const button = make(
    "button",
    { type: "button", class: "trace", "aria-haspopup": "dialog", onclick: () => open(shown.channel) },
    swatch,
    words,
    make("span", { class: "fig font-normal text-soft empty:hidden" }, unitOf(shown).unit || "of full scale"),
    make("span", { class: "fig min-w-14 text-right font-normal text-soft empty:hidden", "data-pointer": String(shown.channel) }),
    make("span", { class: "sr-only" }, ", settings"),
    make("span", { class: "more", "aria-hidden": "true" }, "▾"),
  );
  drag(button, lane, shown);
  return button;
}

/** Dragging a name onto a lane puts the channel into it; onto its upper or lower edge, into a lane of its own there. */
function drag(button: HTMLElement, lane: LaneView, shown: LaneChannel) {
  button.addEventListener("pointerdown", (event) => {
    const start = { x: event.clientX, y: event.clientY };
    let mark: HTMLElement | null = null,
      target: { lane: Lane; where: "before" | "in" | "after" } | null = null;
    button.onpointermove = (move) => {
      if (!mark && Math.hypot(move.clientX - start.x, move.clientY - start.y) < 8) return;
      if (!mark) {
        button.setPointerCapture(event.pointerId);
        mark = make("div", { class: "drop" });
        host.append(mark);
      }
      const over = lanes.find((l) => {
        const box = l.frame.getBoundingClientRect();
        return move.clientY >= box.top && move.clientY < box.bottom;
      });
      if (!over) return;
      const box = over.frame.getBoundingClientRect(),
        share = (move.clientY - box.top) / box.height;
      target = { lane: over.lane, where: share < 0.25 ? "before" : share > 0.75 ? "after" : "in" };
      const top = box.top - host.getBoundingClientRect().top;
      Object.assign(
        mark.style,
        target.where === "in"
          ? { top: `${top}px`, height: `${box.height}px` }
          : { top: `${top + (target.where === "after" ? box.height : 0) - 2}px`, height: "4px" },
      );
    };
    button.onpointerup = button.onpointercancel = (up) => {
      button.onpointermove = null;
      mark?.remove();
      if (up.type === "pointerup" && mark && target) {
        up.preventDefault();
        button.addEventListener("click", (click) => click.stopImmediatePropagation(), { capture: true, once: true });
        moveTo(shown, target.lane, target.where);
      }
    };
  });
}

function moveTo(shown: LaneChannel, onto: Lane, where: "before" | "in" | "after") {
  const from = arrangement.lanes.find((l) => l.channels.includes(shown))!;
  if (from === onto && (where === "in" || from.channels.length === 1)) return;
  from.channels = from.channels.filter((c) => c !== shown);
  const at = arrangement.lanes.indexOf(onto);
  if (where === "in") onto.channels.push(shown);
  else arrangement.lanes.splice(where === "before" ? at : at + 1, 0, { height: from.height, channels: [shown], shared: false });
  arrangement.lanes = arrangement.lanes.filter((l) => l.channels.length > 0);
  changed();
}

function changed() {
  saveArrangement();
  rebuild();
  drawOverview();
  drawHidden();
}

onRearranged(changed);

function open(id: number) {
  const shown = laneChannelOf(id),
    channel = channelOf(id);
  const lane = arrangement.lanes.find((l) => l.channels.includes(shown))!;
  const at = arrangement.lanes.indexOf(lane);
  const number = (value: number, take: (n: number) => void, words: Record<string, unknown> = {}) => {
    const entry: HTMLInputElement = make("input", {
      class: "entry fig",
      inputMode: "decimal",
      value: String(value),
      ...words,
      onchange: () => {
        const n = numberIn(entry.value);
        if (n === null) entry.value = String(value);
        else take(n);
      },
    });
    return entry;
  };
  const tick = (label: string, on: boolean, take: (on: boolean) => unknown) => {
    const box: HTMLInputElement = make("input", { type: "checkbox", class: "h-5 w-5", checked: on, onchange: () => take(box.checked) });
    return make("label", { class: "flex min-h-11 items-center gap-3" }, box, label);
  };
  const holder = scaleHolder(id);
  const [low, high] = holder.range ?? scaleOf(id);
  const unit = unitOf(shown).unit;
  const together = onOneScale(id);
  const alike = arrangement.lanes.flatMap((l) => l.channels).filter((c) => c !== shown && unitOf(c).unit === unit);
  const like = together.find((c) => c !== shown)?.channel;
  const short = (n: number) => Number(n.toPrecision(5));
  const others = arrangement.lanes.filter((l) => l !== lane);
  const places: [string, string][] = [
    ["", lane.channels.length > 1 ? "together with others, as now" : "of its own"],
    ...(lane.channels.length > 1 ? [["own", "of its own"] as [string, string]] : []),
    ...others.map(
      (l) =>
        [String(arrangement.lanes.indexOf(l)), `with ${l.channels.map((c) => channelOf(c.channel).name).join(", ")}`] as [string, string],
    ),
  ];
  sheet.replaceChildren(
    make("h2", { class: "mb-4" }, channel.name),
    make(
      "div",
      { class: "grid grid-cols-2 gap-x-5 gap-y-3" },
      field(
        "Shown in",
        choice(
          channel.units.map((u) => [u.unit, u.unit || "share of full scale"]),
          shown.unit ?? channel.unit,
          (unit) => {
            shown.unit = unit;
            shown.range = null;
            changed();
            measureAgain(id);
          },
        ),
      ),
      field(
        "Lane",
        choice(places, "", (where) => {
          if (where === "own") moveTo(shown, lane, "after");
          else if (where) moveTo(shown, arrangement.lanes[Number(where)], "in");
          open(id);
        }),
      ),
      ...(alike.length
        ? [
            field(
              "Scale",
              choice(
                [["", "of its own"], ...alike.map((c) => [String(c.channel), `as ${channelOf(c.channel).name}`] as [string, string])],
                like === undefined ? "" : String(like),
                (other) => {
                  shown.range = null;
                  layOnScale(shown, other ? Number(other) : null);
                  changed();
                  open(id);
                },
              ),
            ),
          ]
        : []),
      field(
        "Bottom of the scale",
        number(short(low), (n) => {
          holder.range = [n, Math.max(holder.range?.[1] ?? high, n + 1e-9)];
          changed();
        }),
      ),
      field(
        "Top of the scale",
        number(short(high), (n) => {
          holder.range = [Math.min(holder.range?.[0] ?? low, n - 1e-9), n];
          changed();
        }),
      ),
      field(
        "Moved up by",
        number(shown.offset, (n) => {
          shown.offset = n;
          changed();
        }),
      ),
      field(
        "Height of the lane, pixels",
        number(lane.height ?? Math.round(lanes.find((l) => l.lane === lane)?.plot.height ?? 150), (n) => {
          lane.height = Math.round(Math.max(60, Math.min(800, n)));
          changed();
        }),
      ),
      tick("Upside down", shown.invert, (on) => {
        shown.invert = on;
        shown.range = null;
        changed();
      }),
      tick(together.length > 1 ? `AC coupling, all ${together.length} on this scale` : "AC coupling", shown.standing, async (on) => {
        for (const c of together) {
          c.standing = on;
          await smooth(c);
        }
      }),
      field(
        "Smoothed by",
        choice(
          [
            ["", "nothing"],
            ["lowpass", "low-pass, Hz"],
            ["median", "median, samples"],
          ],
          shown.smooth ?? "",
          (how) => {
            shown.smooth = (how || null) as LaneChannel["smooth"];
            shown.smoothBy = how === "median" ? 5 : suggestion();
            smooth(shown);
            open(id);
          },
        ),
      ),
      ...(shown.smooth
        ? [
            field(
              shown.smooth === "median" ? "Samples, odd" : "Hz",
              number(shown.smoothBy, (n) => {
                shown.smoothBy = n;
                smooth(shown);
              }),
            ),
          ]
        : []),
    ),
    make("p", { class: "wrong mt-2", role: "alert", id: "sheet-error" }),
    make(
      "div",
      { class: "mt-5 flex flex-wrap gap-2" },
      make("button", { type: "button", class: "act small", disabled: at === 0, onclick: () => swap(at, -1, id) }, "Lane up"),
      make(
        "button",
        { type: "button", class: "act small", disabled: at === arrangement.lanes.length - 1, onclick: () => swap(at, 1, id) },
        "Lane down",
      ),
      make(
        "button",
        {
          type: "button",
          class: "act small",
          onclick: () => {
            holder.range = null;
            changed();
            open(id);
          },
        },
        "Fit the scale",
      ),
      make(
        "button",
        {
          type: "button",
          class: "act small",
          onclick: () => {
            shown.hidden = true;
            sheet.close();
            changed();
          },
        },
        "Hide",
      ),
      ...(channel.expression
        ? [make("button", { type: "button", class: "act quiet", onclick: () => removeDerived(id) }, "Delete this channel")]
        : []),
      make("button", { type: "button", class: "act main small ml-auto", onclick: () => sheet.close() }, "Done"),
    ),
  );
  if (!sheet.open) sheet.showModal();
}

/** A low-pass that takes away what is faster than a two-hundredth of the view. */
function suggestion() {
  const hertz = 0.2 / secondsPerPixel();
  return Number(hertz.toPrecision(1));
}

function swap(at: number, by: number, id: number) {
  const [lane] = arrangement.lanes.splice(at, 1);
  arrangement.lanes.splice(at + by, 0, lane);
  changed();
  open(id);
}

/** Has the smoothed copy made, then draws it. The raw trace stays faintly beneath. */
async function smooth(shown: LaneChannel) {
  const problem = (text: string) => {
    const place = document.querySelector("#sheet-error");
    if (place) place.textContent = text;
  };
  problem("");
  try {
    if (!shown.standing && !shown.smooth) shown.copy = null;
    else {
      const answer = await ask<{ token?: string; channelId?: number }>("POST", bench("smoothed"), {
        channel: shown.channel,
        standing: shown.standing,
        smooth: shown.smooth,
        smoothBy: shown.smoothBy,
      });
      shown.copy = answer.channelId ?? (await follow(answer.token!, (share) => problem(`Working: ${Math.round(100 * share)} %`)));
      problem("");
    }
    shown.range = null;
    changed();
  } catch (error) {
    problem(error instanceof Error ? error.message : String(error));
  }
}

async function removeDerived(id: number) {
  const channel = channelOf(id);
  try {
    await ask("DELETE", bench(`derived/${id}`));
    sheet.close();
    for (const lane of arrangement.lanes) lane.channels = lane.channels.filter((c) => c.channel !== id);
    arrangement.lanes = arrangement.lanes.filter((l) => l.channels.length > 0);
    changed();
    offerUndo(`${channel.name} is deleted.`, async () => {
      try {
        const { token } = await ask<{ token: string }>("POST", bench("derived"), {
          name: channel.name,
          unit: channel.unit,
          expression: channel.expression,
        });
        await follow(token, () => {});
        await takeNewChannels();
      } catch (error) {
        fail(error);
      }
    });
  } catch (error) {
    fail(error);
  }
}

const hidden = document.querySelector<HTMLElement>("#hidden-channels")!;

/** Every channel with a way to its sheet, in the drawer. */
function drawList() {
  document
    .querySelector("#channel-list")!
    .replaceChildren(
      ...info.channels.map((channel) =>
        make(
          "li",
          { class: "flex items-center justify-between border-b border-grid" },
          make("span", {}, channel.name),
          make(
            "button",
            { type: "button", class: "act quiet", "aria-label": `${channel.name}: set up`, onclick: () => open(channel.id) },
            "Set up",
          ),
        ),
      ),
    );
}

export function drawHidden() {
  drawList();
  const aside = arrangement.lanes.flatMap((l) => l.channels).filter((c) => c.hidden && info.channels.some((i) => i.id === c.channel));
  hidden.replaceChildren(
    ...(aside.length
      ? [
          "Hidden: ",
          ...aside.map((c) =>
            make(
              "button",
              {
                type: "button",
                class: "act quiet small",
                onclick: () => {
                  c.hidden = false;
                  changed();
                },
              },
              `${channelOf(c.channel).name}, show`,
            ),
          ),
        ]
      : []),
  );
}
