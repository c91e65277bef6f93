import { build, refresh, rebuild } from "./lanes";
import { show, view } from "./state";
import { drawHidden } from "./sheet";
import { drawOverview } from "./overview";
import { startCalipers } from "./calipers";
import { useCompare } from "./compare";
import { chosenLane } from "./move";
import { startAxis } from "./axis";
import { startDrawer } from "../drawer";
import { startLog } from "./log";
import { startPointer } from "./pointer";
import { startSpans } from "./spans";
import "./derive";
import "./export";
import "./order";

function redraw() {
  build();
  refresh();
  drawOverview();
}

let resizing = 0;
window.addEventListener("resize", () => {
  clearTimeout(resizing);
  resizing = window.setTimeout(redraw, 120);
});
document.addEventListener("light", redraw);
document.fonts.ready.then(() => {
  startDrawer(redraw);
  // Before the lanes are built, for it follows the pointer on each of them.
  startPointer();
  startLog();
  build();
  startCalipers();
  startSpans();
  drawHidden();
  drawOverview();
  startAxis(redraw);
  useCompare(rebuild, refresh, () => chosenLane().shown[0].channel);
  show(view().from, view().to, false);
});
