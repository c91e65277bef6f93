/** A button that switches something on the instrument: its words say what the next press does, or that it runs. */
export function startSwitch(
  button: HTMLButtonElement,
  words: [off: string, on: string],
  guarded: (act: () => Promise<void>) => () => Promise<void>,
  set: (on: boolean) => Promise<unknown>,
) {
  const isOn = () => button.getAttribute("aria-pressed") === "true";
  const say = () => {
    button.textContent = words[isOn() ? 1 : 0];
  };
  button.addEventListener(
    "click",
    guarded(async () => {
      const on = !isOn();
      await set(on);
      button.setAttribute("aria-pressed", String(on));
      say();
    }),
  );
  say();
}
