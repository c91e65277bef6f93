import { clockOf, orderIn } from "../order";
import { goTo } from "./axis";
import { layClock } from "./clock";
import { forgetFolds } from "./cycle";
import { info, takeAxis } from "./state";
import { onNextTap } from "./move";
import { nearest, placeNear } from "./snap";

// A firing order laid over any trace by two taps: no engine file, no crank sensor.
const form = document.querySelector<HTMLFormElement>("#order")!;
const said = document.querySelector<HTMLElement>("#order-said")!;
const off = document.querySelector<HTMLButtonElement>("#order-off")!;

/** A repetition is looked for this share of the period around where it is due. */
const DRIFT = 0.12;
const MOST_CYCLES = 400;

/** Follows what repeats at two taps to both ends of the capture; where it is lost, the period goes on as it was. */
async function follow(channel: number, first: number, second: number) {
  const marks = [first, second];
  for (const way of [1, -1])
    for (;;) {
      const [last, before] = way > 0 ? [marks[marks.length - 1], marks[marks.length - 2]] : [marks[0], marks[1]];
      const due = last + (last - before);
      const period = Math.abs(last - before);
      if (due > info.to || due < info.from || marks.length >= MOST_CYCLES) break;
      const found = await placeNear(channel, due, nearest, DRIFT * period);
      if (way > 0) marks.push(found?.seconds ?? due);
      else marks.unshift(found?.seconds ?? due);
    }
  return marks;
}

form.addEventListener("submit", (event) => {
  event.preventDefault();
  const order = orderIn(String(new FormData(form).get("order")));
  if (!order) {
    said.textContent = "Write the order like 1-3-4-2: every cylinder once.";
    return;
  }
  said.textContent = `Now tap the trace where cylinder ${order[0]} fires. Esc leaves it.`;
  onNextTap((channel, first) => {
    said.textContent = `And where cylinder ${order[0]} fires the next time.`;
    onNextTap(async (_, second) => {
      try {
        const near = await Promise.all([placeNear(channel, first), placeNear(channel, second)]);
        const [a, b] = [near[0]?.seconds ?? first, near[1]?.seconds ?? second].sort((x, y) => x - y);
        if (!(b - a > 1e-4)) throw new Error("Both taps are at the same place. Tap two firings that follow each other.");
        said.textContent = "Following it over the capture …";
        const marks = await follow(channel, a, b);
        layClock(clockOf(marks, order));
        forgetFolds();
        off.hidden = false;
        said.textContent = `${marks.length - 1} cycles at ${Math.round(120 / (b - a))} rpm where you tapped.`;
        goTo("degrees");
      } catch (error) {
        said.textContent = error instanceof Error ? error.message : String(error);
      }
    });
  });
});
off.addEventListener("click", () => {
  layClock(null);
  forgetFolds();
  off.hidden = true;
  said.textContent = "";
  takeAxis("seconds");
  goTo("seconds");
});
