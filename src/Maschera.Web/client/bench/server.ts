import { arrangement, info } from "./state";

/** One channel of a window: points, or for each pixel column the least and the greatest. */
export interface Trace { seconds: number[]; values: (number | null)[] }

const KIND_COLUMNS = 0;

/** Says what went wrong, where the person looks. */
export function fail(error: unknown) {
  document.querySelector("#bench-error")!.textContent = error instanceof Error ? error.message : String(error);
}

export function calm() { document.querySelector("#bench-error")!.textContent = ""; }

/** Asks the server; a refusal becomes an error with its sentence. */
export async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const answer = await fetch(path, { method, headers: body === undefined ? {} : { "content-type": "application/json" }, body: body === undefined ? undefined : JSON.stringify(body) });
  if (answer.status === 204) return undefined as T;
  const said = answer.headers.get("content-type")?.includes("json") ? await answer.json() : null;
  if (!answer.ok) throw new Error(said?.error ?? `The server answered ${answer.status}. Reload the page and try again.`);
  return said as T;
}

export const bench = (path: string) => `/bench/${info.id}/${path}`;

/** The window of several channels, in their order. Empty columns are left out, gaps are null. */
export async function fetchWindow(channels: number[], from: number, to: number, columns: number): Promise<Trace[]> {
  if (channels.length === 0) return [];
  const answer = await fetch(`/bench/window?channels=${channels.join(",")}&from=${from}&to=${to}&columns=${columns}`);
  if (!answer.ok) throw new Error(`The samples could not be read (${answer.status}). Reload the page to try again.`);
  const bytes = await answer.arrayBuffer();
  const view = new DataView(bytes);
  const traces: Trace[] = [];
  for (let at = 0; at < bytes.byteLength;) {
    const kind = view.getInt32(at, true), n = view.getInt32(at + 4, true);
    at += 8;
    traces.push(kind === KIND_COLUMNS ? columnTrace(new Float32Array(bytes, at, 2 * n), from, (to - from) / n) : pointTrace(new Float32Array(bytes, at, n), new Float32Array(bytes, at + 4 * n, n), from));
    at += 8 * n;
  }
  return traces;
}

function columnTrace(pairs: Float32Array, from: number, width: number): Trace {
  const trace: Trace = { seconds: [], values: [] };
  for (let i = 0; i < pairs.length; i += 2) {
    if (pairs[i] > pairs[i + 1]) continue;
    const gap = Number.isNaN(pairs[i]);
    trace.seconds.push(from + (i / 2 + 0.25) * width, from + (i / 2 + 0.75) * width);
    trace.values.push(gap ? null : pairs[i], gap ? null : pairs[i + 1]);
  }
  return trace;
}

function pointTrace(seconds: Float32Array, values: Float32Array, from: number): Trace {
  return { seconds: Array.from(seconds, (t) => t + from), values: Array.from(values, (v) => (Number.isNaN(v) ? null : v)) };
}

let saving = 0;

/** Keeps the arrangement with the capture, a moment after the last change. */
export function saveArrangement() {
  clearTimeout(saving);
  saving = window.setTimeout(() => {
    ask("PUT", bench("arrangement"), arrangement).then(() => { document.body.dataset.saved = String(Date.now()); }).catch(fail);
  }, 250);
}

/** Follows a channel being worked out; its number once it is done. */
export async function follow(token: string, progress: (share: number) => void): Promise<number> {
  for (;;) {
    const run = await ask<{ share: number; isOver: boolean; channelId: number | null; error: string | null }>("GET", `/bench/derive/${token}`);
    if (run.error) throw new Error(run.error);
    if (run.channelId !== null) return run.channelId;
    progress(run.share);
    await new Promise((later) => setTimeout(later, 150));
  }
}

/** Says what was done, with a way back. */
export function offerUndo(said: string, undo: () => void) {
  document.querySelector(".toast")?.remove();
  const toast = document.createElement("div");
  toast.className = "toast no-print";
  toast.setAttribute("role", "status");
  const button = document.createElement("button");
  button.className = "act small";
  button.textContent = "Undo";
  button.addEventListener("click", () => { toast.remove(); undo(); });
  toast.append(said, button);
  document.body.append(toast);
  setTimeout(() => toast.remove(), 12_000);
}
