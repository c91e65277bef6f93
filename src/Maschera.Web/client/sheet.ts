// A sheet of values typed with a meter in the other hand: Enter keeps a value and goes to the next one, a tap on a level from a
// caliper puts it where one typed last.
const fields = () => [...document.querySelectorAll<HTMLInputElement>("input[data-next]")];
let last: HTMLInputElement | null = null;

document.addEventListener("focusin", (event) => {
  const field = event.target as HTMLInputElement;
  if (field.matches?.("input[data-next]")) last = field;
});

document.addEventListener("keydown", (event) => {
  const field = event.target as HTMLInputElement;
  if (event.key !== "Enter" || !field.matches?.("input[data-next]")) return;
  event.preventDefault();
  const all = fields();
  const next = all[all.indexOf(field) + 1];
  // Leaving the field says that it has changed, which sends it.
  if (next) next.focus();
  else field.blur();
});

document.addEventListener("click", (event) => {
  const level = (event.target as HTMLElement).closest<HTMLElement>("[data-fill]");
  if (!level) return;
  const field = last ?? fields().find((f) => f.value === "") ?? fields()[0];
  if (!field) return;
  field.value = level.dataset.fill!;
  field.dispatchEvent(new Event("change", { bubbles: true }));
});
