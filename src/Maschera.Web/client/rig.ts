// The drawn engine: a tap on a part shows what can be wrong with it, and what was chosen is written on the part.
const form = document.querySelector<HTMLFormElement>("#rig");
const parts = [...document.querySelectorAll<SVGGElement>(".part")];
const panels = [...document.querySelectorAll<HTMLElement>(".part-panel")];

function show(name: string) {
  for (const panel of panels) panel.hidden = panel.dataset.panel !== name;
  for (const part of parts) part.setAttribute("aria-pressed", String(part.dataset.part === name));
}

/** What was chosen in a panel, in few words; empty for a sound part. */
function given(panel: HTMLElement) {
  const degrees = panel.querySelector<HTMLInputElement>("[data-degrees]");
  if (degrees) {
    const late = Number(degrees.value.replace(",", ".").replace("−", "-"));
    return late ? `${Math.abs(late)}° ${late > 0 ? "late" : "early"}` : "";
  }
  return panel.querySelector<HTMLInputElement>("input:checked")?.dataset.brief ?? "";
}

function write() {
  for (const panel of panels) {
    const words = given(panel);
    const part = parts.find((p) => p.dataset.part === panel.dataset.panel);
    part?.classList.toggle("faulty", words !== "");
    const place = part?.querySelector("[data-given]");
    if (place) place.textContent = words;
  }
}

if (form && panels.length > 0) {
  const wrong = panels.find((p) => [...p.querySelectorAll(".wrong")].some((w) => w.textContent));
  show(wrong?.dataset.panel ?? panels[0].dataset.panel!);
  write();
  form.addEventListener("input", write);
  for (const part of parts) {
    part.addEventListener("click", () => show(part.dataset.part!));
    part.addEventListener("keydown", (event) => {
      if (event.key !== "Enter" && event.key !== " ") return;
      event.preventDefault();
      show(part.dataset.part!);
      panels
        .find((p) => !p.hidden)
        ?.querySelector<HTMLInputElement>("input:checked, input")
        ?.focus();
    });
  }
  // Another job has another engine.
  form.querySelector<HTMLSelectElement>("[data-rig-job]")!.addEventListener("change", (event) => {
    location.href = `/rig?job=${(event.target as HTMLSelectElement).value}`;
  });
}
