import type { Keep } from "../scene";

type Find = <T extends HTMLElement>(id: string) => T;
type Post = <T>(path: string, body?: unknown) => Promise<T>;

/** What is kept of a running instrument: the last seconds, or a recording. Returns what shows the list anew. */
export function startKeeps(
  id: string,
  find: Find,
  post: Post,
  guarded: (act: () => Promise<void>) => () => Promise<void>,
  fail: (error: unknown) => void,
) {
  let recording: number | null = null;

  async function showKeeps(): Promise<void> {
    const answer = await fetch(`/live/${id}/keeps`);
    if (!answer.ok) return;
    const keeps: Keep[] = await answer.json();
    find("keeps").replaceChildren(
      ...keeps.map((keep) => {
        const item = document.createElement("li");
        if (keep.captureId !== null) {
          const link = document.createElement("a");
          link.href = `/bench/${keep.captureId}`;
          link.textContent = keep.name;
          item.append("✓ kept: ", link);
        } else if (keep.error) {
          item.className = "wrong";
          item.textContent = `${keep.name}: ${keep.error}`;
        } else item.textContent = keep.id === recording ? "● recording…" : `${keep.name}: being written…`;
        return item;
      }),
    );
    if (keeps.some((k) => !k.isOver)) setTimeout(() => showKeeps().catch(fail), 300);
  }

  find("keep").addEventListener(
    "click",
    guarded(async () => {
      const text = find<HTMLInputElement>("keep-seconds").value.trim().replace(",", ".");
      if (!(Number(text) > 0)) throw new Error(`'${text}' is no number of seconds.`);
      await post(`keep?seconds=${Number(text)}`);
      await showKeeps();
    }),
  );
  find("record").addEventListener(
    "click",
    guarded(async () => {
      const button = find("record");
      if (recording === null) recording = (await post<Keep>("record")).id;
      else {
        await post(`finish?keep=${recording}`);
        recording = null;
      }
      button.setAttribute("aria-pressed", String(recording !== null));
      button.textContent = recording !== null ? "Finish recording" : "Record";
      await showKeeps();
    }),
  );

  return showKeeps;
}
