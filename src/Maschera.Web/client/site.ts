import "htmx.org";
import { forPage } from "./keys";
import "./drafts";
import "./sheet";
import "./turns";

// The person's choice of light, kept on this machine, else the system's; set before anything is painted.
const root = document.documentElement;
const dark = matchMedia("(prefers-color-scheme: dark)");
const light = () => localStorage.getItem("light") ?? (dark.matches ? "night" : "day");
root.dataset.light = light();
dark.addEventListener("change", () => {
  root.dataset.light = light();
  document.dispatchEvent(new Event("light"));
});
document.addEventListener("click", (event) => {
  const target = event.target as HTMLElement;
  if (target.closest("[data-night]")) {
    root.dataset.light = root.dataset.light === "night" ? "day" : "night";
    localStorage.setItem("light", root.dataset.light);
    document.dispatchEvent(new Event("light"));
  }
  if (target.closest("[data-print]")) window.print();
  if (target.closest("[data-keys]")) showKeys(document.querySelector<HTMLDialogElement>("#keys")!);
});

function showKeys(keys: HTMLDialogElement) {
  keys.querySelector<HTMLInputElement>("#letters")!.checked = lettersOn();
  keys.showModal();
}

// What is changed on a form of this kind is read again at once.
document.addEventListener("change", (event) => {
  (event.target as HTMLElement).closest<HTMLFormElement>("form[data-at-once]")?.requestSubmit();
});

// Single keys can be switched off, for those whose speech or hand types them unwanted; before anybody else hears of them.
const lettersOn = () => localStorage.getItem("letters") !== "off";
document.addEventListener(
  "keydown",
  (event) => {
    const plain = event.key.length === 1 && event.key !== "?" && event.key !== " ";
    if (plain && !lettersOn() && forPage(event)) event.stopImmediatePropagation();
  },
  { capture: true },
);
document.addEventListener("change", (event) => {
  const box = event.target as HTMLInputElement;
  if (box.id === "letters") localStorage.setItem("letters", box.checked ? "on" : "off");
});

// `?` shows the keys, `/` goes to the search.
document.addEventListener("keydown", (event) => {
  const keys = document.querySelector<HTMLDialogElement>("#keys");
  if (event.key === "?" && keys?.open) return keys.close();
  if (!forPage(event)) return;
  if (event.key === "?" && keys) showKeys(keys);
  const search = document.querySelector<HTMLInputElement>("[data-search]");
  if (event.key === "/" && search) {
    event.preventDefault();
    search.focus();
  }
});
