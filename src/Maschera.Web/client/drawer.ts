import { forPage } from "./keys";

// The drawer: a page at a time, wide or narrow or shut, remembered on this machine.
interface Kept {
  page: string | null;
  wide: boolean;
}

const drawer = document.querySelector<HTMLElement>("[data-drawer]")!;
const desk = document.querySelector<HTMLElement>(".desk")!;
const tabs = [...drawer.querySelectorAll<HTMLButtonElement>("[role=tab]")];
/** Bench and live remember their own. */
const name = `drawer ${drawer.dataset.drawer || "bench"}`;
const kept: Kept = read();
let changed: () => void = () => {};

function read(): Kept {
  try {
    const found = JSON.parse(localStorage.getItem(name) ?? "") as Kept;
    if (found.page === null || tabs.some((t) => t.dataset.page === found.page)) return { page: found.page, wide: found.wide === true };
  } catch {
    // Nothing kept yet, or another build's words: the readings are open where they leave room.
  }
  return { page: innerWidth >= 1100 ? tabs[0].dataset.page! : null, wide: false };
}

/** Opens a page, or shuts the drawer with null. */
export function openPage(page: string | null) {
  kept.page = page;
  lay();
}

function lay() {
  desk.dataset.drawer = kept.page === null ? "shut" : kept.wide ? "wide" : "narrow";
  for (const tab of tabs) {
    const on = tab.dataset.page === kept.page;
    tab.setAttribute("aria-selected", String(on));
    tab.tabIndex = on || (kept.page === null && tab === tabs[0]) ? 0 : -1;
    document.querySelector<HTMLElement>(`#page-${tab.dataset.page}`)!.hidden = !on;
  }
  drawer.querySelector("[data-wider]")!.setAttribute("aria-pressed", String(kept.wide));
  localStorage.setItem(name, JSON.stringify(kept));
  changed();
}

export function startDrawer(relaid: () => void) {
  // Before the lanes are built nobody has to be told.
  lay();
  changed = relaid;
  document.addEventListener("click", (event) => {
    const target = event.target as HTMLElement;
    const tab = target.closest<HTMLElement>("[role=tab], button[data-page]");
    if (tab) openPage(tab.dataset.page === kept.page ? null : tab.dataset.page!);
    const verdict = target.closest<HTMLElement>("[data-reading]");
    if (verdict) {
      openPage("readings");
      document.querySelector(`#${verdict.dataset.reading}`)!.scrollIntoView({ block: "start" });
    }
    if (target.closest("[data-shut]")) openPage(null);
    if (target.closest("[data-wider]")) {
      kept.wide = !kept.wide;
      lay();
    }
  });
  drawer.querySelector("[role=tablist]")!.addEventListener("keydown", (event) => {
    const by = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[(event as KeyboardEvent).key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const next = tabs[(tabs.indexOf(document.activeElement as HTMLButtonElement) + by + tabs.length) % tabs.length];
    next.focus();
    openPage(next.dataset.page!);
  });
  document.addEventListener("keydown", (event) => {
    if (!forPage(event)) return;
    const page = tabs[Number(event.key) - 1]?.dataset.page;
    if (event.key === "0") openPage(null);
    else if (page) {
      openPage(page === kept.page ? null : page);
      // The next Tab goes into the page that was opened.
      document.querySelector<HTMLElement>(`#page-${page}:not([hidden])`)?.focus({ preventScroll: true });
    } else if (event.key === "w" && kept.page !== null) {
      kept.wide = !kept.wide;
      lay();
    }
  });
}
