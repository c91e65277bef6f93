import { build, refresh, rebuild } from "./lanes";
import { show, view } from "./state";
import { drawHidden } from "./sheet";
import { drawOverview } from "./overview";
import { startCalipers } from "./calipers";
import { useCompare } from "./compare";
import { chosenLane } from "./move";
import { startDegrees } from "./degrees";
import { startLog } from "./log";
import "./derive";
import "./export";

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
  // Before the lanes are built, for it follows the pointer on each of them.
  startLog();
  build();
  startCalipers();
  drawHidden();
  drawOverview();
  startDegrees(redraw);
  useCompare(rebuild, refresh, () => chosenLane().shown[0].channel);
  show(view().from, view().to, false);
});
