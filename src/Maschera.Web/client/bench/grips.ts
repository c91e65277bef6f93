// What can be gripped on a lane is drawn anew with every frame: the one that had the focus has it again afterwards.
let wanted: string | null = null;

const gripOf = (element: Element | null) => (element as HTMLElement | null)?.closest<HTMLElement>("[data-grip]")?.dataset.grip ?? null;

/** Gives a grip the focus as soon as it is drawn. */
export function wantGrip(name: string) {
  wanted = name;
}

/** Before lanes are thrown away: the focus goes to the same grip on the new ones. */
export function holdGrip() {
  wanted = gripOf(document.activeElement) ?? wanted;
}

/** Draws a layer anew. */
export function drawLayer(layer: HTMLElement, fill: () => void) {
  const held = layer.contains(document.activeElement) ? gripOf(document.activeElement) : null;
  layer.replaceChildren();
  fill();
  const name = held ?? wanted;
  const grip = name === null ? null : layer.querySelector<HTMLElement>(`[data-grip="${name}"]`);
  grip?.focus({ preventScroll: true });
  if (grip && name === wanted) wanted = null;
}

/** Keeps a key to the jaw it was pressed on. */
function take(event: KeyboardEvent) {
  event.preventDefault();
  event.stopPropagation();
}

/** True for a key that deletes what the jaw belongs to. */
export function deletes(event: KeyboardEvent) {
  const does = event.key === "Delete" || event.key === "Backspace";
  if (does) take(event);
  return does;
}

/** What a key means on a jaw: so many small steps, so many twentieths of the view, or on to what stands out there. Null for none. */
export function jawKey(event: KeyboardEvent): { steps: number } | { twentieths: number } | { back: boolean } | null {
  const way = { ArrowLeft: -1, ArrowRight: 1, PageUp: -1, PageDown: 1, ",": -1, ".": 1 }[event.key];
  if (!way) return null;
  take(event);
  if (event.key.startsWith("Arrow")) return { steps: way * (event.shiftKey ? 10 : 1) };
  return event.key.startsWith("Page") ? { twentieths: way } : { back: way < 0 };
}
