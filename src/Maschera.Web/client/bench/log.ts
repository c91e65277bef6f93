import { channelOf, drawn, laneChannelOf, onCycle, onView, show, unitOf, view } from "./state";
import { ask, bench } from "./server";
import { drawPointer } from "./pointer";
import { make } from "./dom";

interface Statistic {
  id: number;
  count: number;
  mean: number;
  spread: number;
  least: number;
  leastAt: number;
  most: number;
  mostAt: number;
}
interface Stretch {
  from: number;
  to: number;
}
interface LogEvent extends Stretch {
  name: string;
  text: string;
  doubt: string | null;
}

const table = document.querySelector<HTMLElement>("#log-values");
const digits = (value: number) => (Number.isFinite(value) ? String(Number(value.toPrecision(4))) : "–");

/** Shows a stretch with some room on either side. */
function goTo({ from, to }: Stretch) {
  const room = Math.max(0.3 * (to - from), 0.5);
  show(from - room, to + room);
}

/** A value as its lane shows it. */
function shown(channel: number, value: number) {
  const lane = laneChannelOf(channel);
  return lane ? drawn(lane, unitOf(lane), value) : value;
}

let timer = 0;

async function drawStatistics() {
  const { from, to } = view();
  const rows = await ask<Statistic[]>("GET", bench(`statistics?from=${from}&to=${to}`)).catch(() => []);
  table!.querySelector("tbody")!.replaceChildren(
    ...rows.map((row) => {
      const channel = channelOf(row.id),
        lane = laneChannelOf(row.id);
      const jump = (at: number, text: string, says: string) =>
        make(
          "button",
          {
            type: "button",
            class: "act quiet fig",
            "aria-label": `${text}, ${says} of ${channel.name}, show it`,
            onclick: () => {
              const half = (view().to - view().from) / 8;
              show(at - half, at + half);
            },
          },
          text,
        );
      const cell = (...content: (Node | string)[]) => make("td", { class: "num fig" }, ...content);
      if (row.count === 0)
        return make("tr", {}, make("td", {}, channel.name), make("td", { colSpan: 4, class: "text-soft" }, "nothing in view"));
      return make(
        "tr",
        {},
        make("td", {}, `${channel.name}${lane ? `, ${unitOf(lane).unit}` : ""}`),
        cell(make("span", { "data-pointer": String(row.id) }, "")),
        cell(jump(row.leastAt, digits(shown(row.id, row.least)), "Minimum")),
        cell(`${digits(shown(row.id, row.mean))}`),
        cell(jump(row.mostAt, digits(shown(row.id, row.most)), "Maximum")),
      );
    }),
  );
  drawPointer();
}

async function drawEvents() {
  const list = document.querySelector<HTMLElement>("#log-events")!;
  const events = await ask<LogEvent[]>("GET", bench("events")).catch(() => []);
  list.replaceChildren(
    ...(events.length === 0
      ? [
          make(
            "li",
            { class: "text-soft" },
            "No cranking, idle, pull or slowing down was found: that takes an engine speed, and the pedal.",
          ),
        ]
      : events.map((e) =>
          make(
            "li",
            {},
            make(
              "button",
              { type: "button", class: "push block min-h-11 cursor-pointer text-left", onclick: () => goTo(e) },
              make("strong", {}, e.name),
              make("span", { class: "fig" }, ` ${e.from.toFixed(0)} s `),
              make("span", { class: "underline decoration-grid underline-offset-4" }, e.text),
            ),
            ...(e.doubt ? [make("p", { class: "watch inline text-[0.9rem]" }, e.doubt)] : []),
          ),
        )),
  );
}

function startFind() {
  const form = document.querySelector<HTMLFormElement>("#log-find")!,
    list = document.querySelector<HTMLElement>("#log-found")!,
    said = document.querySelector<HTMLElement>("#log-said")!;
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    list.replaceChildren();
    said.textContent = "";
    said.className = "text-[0.9rem] text-soft";
    try {
      const found = await ask<{ count: number; seconds: number; stretches: Stretch[] }>("POST", bench("find"), {
        condition: String(new FormData(form).get("condition")),
        least: 0.2,
      });
      said.textContent =
        found.count === 0
          ? "It holds nowhere."
          : `${found.count} ${found.count === 1 ? "stretch" : "stretches"}, ${found.seconds.toFixed(1)} s together.`;
      list.replaceChildren(
        ...found.stretches
          .slice(0, 60)
          .map((s) =>
            make(
              "li",
              {},
              make(
                "button",
                { type: "button", class: "act quiet fig", onclick: () => goTo(s) },
                `${s.from.toFixed(1)} – ${s.to.toFixed(1)} s`,
              ),
            ),
          ),
      );
    } catch (error) {
      said.className = "wrong";
      said.textContent = error instanceof Error ? error.message : String(error);
    }
  });
}

export function startLog() {
  if (!table) return;
  onView(() => {
    if (onCycle()) return;
    clearTimeout(timer);
    timer = window.setTimeout(drawStatistics, 250);
    for (const entry of document.querySelectorAll<HTMLInputElement>("[data-from]")) entry.value = String(view().from);
    for (const entry of document.querySelectorAll<HTMLInputElement>("[data-to]")) entry.value = String(view().to);
  });
  // The picture first.
  window.setTimeout(drawEvents, 400);
  startFind();
  document.querySelector("#log-group")!.addEventListener("click", async () => {
    await ask("POST", bench("group"));
    location.reload();
  });
}
