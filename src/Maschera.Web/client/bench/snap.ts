import { secondsPerPixel } from "./lanes";
import { ask, bench } from "./server";

/** Pixels round a place in which an edge or a peak is meant. */
const REACH = 14;

export interface Snap {
  seconds: number;
  what: string;
}

/** How a jaw is drawn to what is near: "nearest", "edge", "peak" or "level"; the level in the channel's own unit. */
export interface Wish {
  to: string;
  level: number;
}

export const nearest: Wish = { to: "nearest", level: 0 };
const usualReach = () => REACH * secondsPerPixel();

/** What stands out near a place; null where nothing does within the reach, s. */
export const placeNear = (channel: number, at: number, wish = nearest, reach = usualReach()) =>
  ask<Snap | null>("POST", bench("snap"), { channel, at, reach, ...wish });

/** What stands out next, or before. */
export const nextPlace = (channel: number, at: number, back: boolean, wish = nearest) =>
  ask<Snap | null>("POST", bench("snap-next"), { channel, at, reach: usualReach(), ...wish, back });
