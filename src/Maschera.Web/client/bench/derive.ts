import { ask, bench, fail, follow } from "./server";
import { takeNewChannels } from "./anew";

// A derived channel: the expression goes to the server, its progress comes back, then the bench is shown anew.
const form = document.querySelector<HTMLFormElement>("#derive")!;
const said = document.querySelector<HTMLElement>("#derive-error")!;
const bar = document.querySelector<HTMLProgressElement>("#derive-bar")!;
const stop = document.querySelector<HTMLButtonElement>("#derive-stop")!;

form.addEventListener("submit", (event) => {
  event.preventDefault();
  const words = new FormData(form);
  workOut(String(words.get("name")), String(words.get("unit")), String(words.get("expression"))).then((done) => {
    if (done) form.reset();
  });
});

/** Works a channel out and puts it on the lanes; false where that failed, and why is said. */
export async function workOut(name: string, unit: string, expression: string): Promise<boolean> {
  said.textContent = "";
  try {
    const { token } = await ask<{ token: string }>("POST", bench("derived"), { name, unit, expression });
    bar.hidden = stop.hidden = false;
    stop.onclick = () => {
      ask("DELETE", `/bench/derive/${token}`).catch(() => {});
    };
    await follow(token, (share) => {
      bar.value = share;
    });
    await takeNewChannels();
    return true;
  } catch (error) {
    said.textContent = error instanceof Error ? error.message : String(error);
    return false;
  } finally {
    bar.hidden = stop.hidden = true;
  }
}

// A reading offers a channel of what it found.
document.addEventListener("click", (event) => {
  const button = (event.target as HTMLElement).closest<HTMLButtonElement>("[data-derive]");
  if (!button) return;
  button.disabled = true;
  workOut(button.dataset.derive!, "", button.dataset.expression!).then((done) => {
    button.disabled = done;
    if (!done) fail(said.textContent);
  });
});
