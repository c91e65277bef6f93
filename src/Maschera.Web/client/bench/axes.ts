import type uPlot from "uplot";
import type { LaneChannel } from "../scene";
import { cycleTitle, degreeTicks, degreeTitle, inDegrees } from "./clock";
import { onCycle, scaleKey, view } from "./state";
import { ink } from "../stroke";

/** Room for the scales left and right of the lanes, and where there is none at the right, px. */
export const LEFT = 58,
  RIGHT = 46,
  EDGE = 22;

/** The first channel of a lane that has a scale of its own beside the first one's. */
export const secondScale = (shown: LaneChannel[]) => shown.find((c) => scaleKey(c.channel) !== scaleKey(shown[0].channel));
export const twoScales = (lanes: LaneChannel[][]) => lanes.some((shown) => secondScale(shown));

/** The axes of a lane; only the last one labels what runs across. */
export function axesOf(shown: LaneChannel[], last: boolean): uPlot.Axis[] {
  const common = {
    stroke: ink("--soft"),
    grid: { stroke: ink("--grid"), width: 1 },
    ticks: { stroke: ink("--grid"), width: 1, size: 4 },
    font: '12px "Spline Sans Mono"',
  };
  const foot = { ...common, size: last ? 24 : 8, labelSize: last ? 16 : 0, labelFont: "12px Archivo" };
  const second = secondScale(shown);
  return [
    { ...foot, label: last ? title() : undefined, ...ticks(last) },
    { ...common, scale: `y${scaleKey(shown[0].channel)}`, size: LEFT, space: 26 },
    ...(second
      ? [{ ...common, grid: { show: false }, scale: `y${scaleKey(second.channel)}`, side: 1 as const, size: RIGHT, space: 26 }]
      : []),
  ];
}

const title = () => (onCycle() ? "" : inDegrees() ? degreeTitle() : "seconds");

function ticks(last: boolean): Partial<uPlot.Axis> {
  if (onCycle())
    return { splits: cycleSplits, values: (_, at) => at.map((d) => (last ? `${d}°` : "")), label: last ? cycleTitle() : undefined };
  if (inDegrees()) return { splits: () => degreeTicks().seconds, values: () => degreeTicks().labels.map((label) => (last ? label : "")) };
  const digits = () => Math.max(1, Math.min(8, Math.ceil(-Math.log10((view().to - view().from) / 10))));
  return { values: (_, at) => at.map((t) => (last ? t.toFixed(digits()) : "")) };
}

/** Round degrees of the cycle in view, some twelve at most. */
function cycleSplits() {
  const { from, to } = view();
  const step = [1, 2, 5, 10, 30, 45, 90].find((s) => (to - from) / s <= 12) ?? 90;
  const at: number[] = [];
  for (let d = Math.ceil(from / step) * step; d <= to; d += step) at.push(d);
  return at;
}
