import { ask } from "./ask";

// Passkeys: the browser makes one or answers with one, the form carries its answer. The form stays hidden where a browser has none.
const form = document.querySelector<HTMLFormElement>("form[data-passkey]");
const said = document.querySelector<HTMLElement>("[data-passkey-said]");

async function answer(form: HTMLFormElement) {
  const here = location.pathname + "?handler=PasskeyOptions";
  const made =
    form.dataset.passkey === "make"
      ? await navigator.credentials.create({
          publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(await ask("POST", here)),
        })
      : await navigator.credentials.get({
          publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(await ask("POST", here)),
        });
  (form.elements.namedItem("credential") as HTMLInputElement).value = JSON.stringify(made);
  form.submit();
}

if (form && said && window.PublicKeyCredential && "parseCreationOptionsFromJSON" in PublicKeyCredential) {
  form.hidden = false;
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    said.textContent = "";
    answer(form).catch((error: Error) => {
      said.textContent =
        error.name === "NotAllowedError"
          ? "No passkey was given. Nothing was changed; try again or use the password."
          : error.name === "SecurityError"
            ? "This address can't have passkeys: open Maschera by a name with a certificate your browser trusts."
            : error.message;
    });
  });
}
