// What is typed into a form with data-draft outlasts the page in this tab: until it is kept by the server or thrown away. The
// attribute names a field that the address has filled in already. A page whose forms come and go names them by an id.
type Field = HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement;
interface Draft {
  fields: Record<string, string | boolean>;
  sent: boolean;
}

const isSwitch = (field: Field): field is HTMLInputElement => field instanceof HTMLInputElement && /checkbox|radio/.test(field.type);
// The stamp of what was there when the typing began goes along, so that the server sees what others wrote meanwhile.
const fieldsOf = (form: HTMLFormElement) =>
  ([...form.elements] as Field[]).filter(
    (f) => f.name && (f.name === "Was" || !/hidden|file|password|submit|button|fieldset/.test(f.type)) && f.name !== form.dataset.draft,
  );
const keyOf = (field: Field) => (isSwitch(field) ? `${field.name}=${field.value}` : field.name);
const valueOf = (field: Field) => (isSwitch(field) ? field.checked : field.value);
const place = (form: HTMLFormElement) => `draft ${location.pathname} ${form.getAttribute("id") ?? [...document.forms].indexOf(form)}`;

function keep(form: HTMLFormElement, sent: boolean) {
  const fields = Object.fromEntries(fieldsOf(form).map((f) => [keyOf(f), valueOf(f)]));
  sessionStorage.setItem(place(form), JSON.stringify({ fields, sent } satisfies Draft));
}

function notice(form: HTMLFormElement) {
  const line = document.createElement("p");
  line.className = "draft";
  line.setAttribute("role", "status");
  line.textContent = "What you had typed is here again, not saved yet. ";
  const over = document.createElement("button");
  over.type = "button";
  over.className = "act small quiet";
  over.textContent = "Start over";
  over.addEventListener("click", () => {
    sessionStorage.removeItem(place(form));
    location.reload();
  });
  line.append(over);
  form.before(line);
}

function bringBack(form: HTMLFormElement, draft: Draft) {
  let isOther = false;
  for (const field of fieldsOf(form)) {
    const typed = draft.fields[keyOf(field)];
    if (typed === undefined || typed === valueOf(field)) continue;
    isOther ||= field.name !== "Was";
    if (isSwitch(field)) field.checked = typed as boolean;
    else field.value = typed as string;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
  if (isOther) notice(form);
}

/** A form that led to another page was taken. */
function forgetTaken() {
  for (const key of Object.keys(sessionStorage).filter((k) => k.startsWith("draft ") && k.split(" ")[1] !== location.pathname))
    if ((JSON.parse(sessionStorage.getItem(key)!) as Draft).sent) sessionStorage.removeItem(key);
}

const isReturn = () => (performance.getEntriesByType("navigation")[0] as PerformanceNavigationTiming | undefined)?.type === "back_forward";

document.addEventListener("DOMContentLoaded", () => {
  forgetTaken();
  for (const form of document.querySelectorAll<HTMLFormElement>("form[data-draft]")) {
    const kept = sessionStorage.getItem(place(form));
    const draft = kept === null ? null : (JSON.parse(kept) as Draft);
    const isRefused = draft?.sent && [...form.querySelectorAll(".wrong")].some((w) => w.textContent?.trim());
    // A refused form comes back with what was typed; it is kept on for who goes back from it, as where the server did not answer.
    if (isRefused) keep(form, false);
    else if (draft && (!draft.sent || isReturn())) bringBack(form, draft);
    else sessionStorage.removeItem(place(form));
    form.addEventListener("input", () => keep(form, false));
    form.addEventListener("submit", () => keep(form, true));
    form.querySelector("[data-drop]")?.addEventListener("click", () => sessionStorage.removeItem(place(form)));
  }
});
