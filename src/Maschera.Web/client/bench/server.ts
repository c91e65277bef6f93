import { ask } from "../ask";
import { unpackWindow, type Trace } from "../wire";
import { arrangement, info } from "./state";

export { ask } from "../ask";
export type { Trace } from "../wire";

/** Says what went wrong, where the person looks. */
export function fail(error: unknown) {
  document.querySelector("#bench-error")!.textContent = error instanceof Error ? error.message : String(error);
}

export function calm() {
  document.querySelector("#bench-error")!.textContent = "";
}

export const bench = (path: string) => `/bench/${info.id}/${path}`;

/** The window of several channels, in their order. */
export async function fetchWindow(channels: number[], from: number, to: number, columns: number): Promise<Trace[]> {
  if (channels.length === 0) return [];
  const answer = await fetch(`/bench/window?channels=${channels.join(",")}&from=${from}&to=${to}&columns=${columns}`);
  if (!answer.ok) {
    const said = answer.headers.get("content-type")?.includes("json") ? (await answer.json()).error : null;
    throw new Error(said ?? `The samples could not be read (${answer.status}). Reload the page to try again.`);
  }
  return unpackWindow(await answer.arrayBuffer(), from, to);
}

let saving = 0;

/** Keeps the arrangement with the capture, a moment after the last change. */
export function saveArrangement() {
  clearTimeout(saving);
  saving = window.setTimeout(() => {
    ask("PUT", bench("arrangement"), arrangement)
      .then(() => {
        document.body.dataset.saved = String(Date.now());
      })
      .catch(fail);
  }, 250);
}

/** Follows a channel being worked out; its number once it is done. */
export async function follow(token: string, progress: (share: number) => void): Promise<number> {
  for (;;) {
    const run = await ask<{ share: number; isOver: boolean; channelId: number | null; error: string | null }>(
      "GET",
      `/bench/derive/${token}`,
    );
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
  button.addEventListener("click", () => {
    toast.remove();
    undo();
  });
  toast.append(said, button);
  document.body.append(toast);
  setTimeout(() => toast.remove(), 12_000);
}
