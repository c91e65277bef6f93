import { openPage } from "../drawer";
import { forPage } from "../keys";
import { captureView, info, show, type View } from "./state";

// A figure leads to its place: a link to this bench with from and to goes there without leaving the page and marks it.

let marked: View | null = placeIn(new URLSearchParams(location.search));

/** The stretch that a figure led to; null for none. */
export const markedPlace = () => marked;

function placeIn(words: URLSearchParams): View | null {
  const [from, to] = (words.get("mark") ?? "").split("~").map(Number);
  return Number.isFinite(from) && Number.isFinite(to) && from <= to && words.get("mark") ? { from, to } : null;
}

const placesOn = (page: Element | undefined) =>
  [...(page?.querySelectorAll<HTMLAnchorElement | SVGAElement>('a[href*="mark="]') ?? [])].filter((a) => a.checkVisibility());

/** The next figure that has a place, of the open page or else of the readings: it is shown and focused. */
function goOn(by: number) {
  let links = placesOn([...document.querySelectorAll<HTMLElement>("[role=tabpanel]")].find((p) => !p.hidden));
  if (links.length === 0) {
    openPage("readings");
    links = placesOn(document.querySelector("#page-readings")!);
  }
  const now = links.indexOf(document.activeElement as HTMLAnchorElement);
  const next = now < 0 ? (by > 0 ? 0 : links.length - 1) : (now + by + links.length) % links.length;
  links[next]?.focus();
  links[next]?.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
}

/** Listens for such links. `seconds` brings the lanes back from one cycle to the capture. */
export function startPlaces(seconds: () => void) {
  document.addEventListener("click", (event) => {
    const link = (event.target as HTMLElement).closest<HTMLAnchorElement | SVGAElement>("a[href]");
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
    const address = new URL(link.getAttribute("href")!, location.href);
    const from = Number(address.searchParams.get("from") ?? NaN),
      to = Number(address.searchParams.get("to") ?? NaN);
    if (address.pathname !== `/bench/${info.id}` || !(from < to)) return;
    event.preventDefault();
    seconds();
    marked = placeIn(address.searchParams);
    history.replaceState(null, "", address);
    show(from, to);
  });
  document.addEventListener("keydown", (event) => {
    if ((event.key === "n" || event.key === "N") && forPage(event)) goOn(event.shiftKey ? -1 : 1);
    if (event.key !== "Escape" || !marked) return;
    marked = null;
    const words = new URLSearchParams(location.search);
    words.delete("mark");
    history.replaceState(null, "", `${location.pathname}?${words}`);
    show(captureView().from, captureView().to, false);
  });
}
