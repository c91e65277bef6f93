import "htmx.org";

// The person's choice of light, kept on this machine; set before anything is painted.
const root = document.documentElement;
root.dataset.light = localStorage.getItem("light") ?? "day";
document.addEventListener("click", (event) => {
  const target = event.target as HTMLElement;
  if (target.closest("[data-night]")) {
    const light = root.dataset.light === "night" ? "day" : "night";
    root.dataset.light = light;
    localStorage.setItem("light", light);
    document.dispatchEvent(new Event("light"));
  }
  if (target.closest("[data-print]")) window.print();
});

const typing = (element: Element | null) =>
  element instanceof HTMLInputElement || element instanceof HTMLTextAreaElement || element instanceof HTMLSelectElement;

// `?` shows the keys, `/` goes to the search.
document.addEventListener("keydown", (event) => {
  if (typing(document.activeElement) || event.ctrlKey || event.metaKey || event.altKey) return;
  const keys = document.querySelector<HTMLDialogElement>("#keys");
  if (event.key === "?" && keys) keys.open ? keys.close() : keys.showModal();
  const search = document.querySelector<HTMLInputElement>("[data-search]");
  if (event.key === "/" && search) {
    event.preventDefault();
    search.focus();
  }
});
