/** Makes an element with properties, attributes (aria-…, data-…, role) and children. */
export function make<K extends keyof HTMLElementTagNameMap>(
  tag: K,
  words: Record<string, unknown> = {},
  ...children: (Node | string)[]
): HTMLElementTagNameMap[K] {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(words)) {
    if (name.startsWith("on")) element.addEventListener(name.slice(2), value as EventListener);
    else if (name === "class" || name.includes("-") || name === "role" || name === "for" || name === "list")
      element.setAttribute(name, String(value));
    else (element as unknown as Record<string, unknown>)[name] = value;
  }
  element.append(...children);
  return element;
}

/** A labelled field. */
export const field = (label: string, entry: HTMLElement) => make("label", { class: "field" }, make("span", {}, label), entry);

export function choice(options: [string, string][], value: string, change: (value: string) => void) {
  const select = make(
    "select",
    { class: "entry", onchange: () => change(select.value) },
    ...options.map(([v, text]) => make("option", { value: v, selected: v === value }, text)),
  );
  return select;
}

/** A number as a person types it, with a point or a comma; null where it is none. */
export function numberIn(text: string) {
  const value = Number(text.trim().replace(",", "."));
  return text.trim() !== "" && Number.isFinite(value) ? value : null;
}
