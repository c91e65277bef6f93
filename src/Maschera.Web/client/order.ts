import type { Clock } from "./scene";

/** The cylinders of an order as a person writes it, 1342 as well as 1-3-4-2; null where it is none. */
export function orderIn(text: string): number[] | null {
  const written = text.trim();
  const order = (/^[1-9]{2,9}$/.test(written) ? [...written] : written.split(/[\s,;.–-]+/)).map(Number);
  const whole = order.every((n) => Number.isInteger(n) && n >= 1 && n <= 24);
  return whole && order.length >= 2 && new Set(order).size === order.length ? order : null;
}

/** A clock of whole cycles, extended by one beyond either end. */
export function clockOf(marks: number[], order: number[]): Clock {
  const ends = [2 * marks[0] - marks[1], ...marks, 2 * marks[marks.length - 1] - marks[marks.length - 2]];
  return {
    first: -720,
    every: 720,
    seconds: ends,
    known: true,
    firing: order.map((cylinder, i) => ({ cylinder, degrees: (720 * i) / order.length })),
    said:
      `The order ${order.join("-")} laid over the trace by hand, ${marks.length - 1} cycles of even firing; ` +
      "between them the speed is taken as steady",
    notes: [],
    valves: null,
    odd: [],
    speed: null,
  };
}
