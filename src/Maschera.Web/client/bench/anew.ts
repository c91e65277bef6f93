import type { ChannelInfo, LaneChannel } from "../scene";
import { ask, bench } from "./server";
import { arrangement, info, rearranged } from "./state";

const plain = (channel: number): LaneChannel => ({
  channel,
  unit: null,
  hidden: false,
  invert: false,
  offset: 0,
  range: null,
  standing: false,
  smooth: null,
  smoothBy: 0,
  copy: null,
  as: null,
});

/** Takes what channels the capture has now: new ones get a lane each, below the others, and the page keeps its view. */
export async function takeNewChannels() {
  const channels = await ask<ChannelInfo[]>("GET", bench("channels"));
  const known = new Set(info.channels.map((c) => c.id));
  const fresh = channels.filter((c) => !known.has(c.id));
  info.channels.splice(0, info.channels.length, ...channels);
  arrangement.lanes.push(...fresh.map((c) => ({ height: null, channels: [plain(c.id)], shared: false })));
  rearranged();
  // The form of a reading offers them as well.
  document.querySelector("select[name=kind]")?.dispatchEvent(new Event("change", { bubbles: true }));
  const last = document.querySelector("#bench .lane:last-child");
  if (fresh.length > 0) last?.scrollIntoView({ block: "nearest" });
}
