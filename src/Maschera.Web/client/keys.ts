const fields = "input, select, textarea, dialog[open]";

/**
 * True where a key is the page's own: no chord, not typed into a field, not in an open dialog.
 * A field that went out of sight with its dialog keeps the focus for a moment; it no longer takes keys.
 */
export function forPage(event: KeyboardEvent, butNot = ""): boolean {
  if (event.ctrlKey || event.metaKey || event.altKey) return false;
  const takes = (event.target as Element).closest(butNot ? `${fields}, ${butNot}` : fields);
  return !takes?.checkVisibility();
}
