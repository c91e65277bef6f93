/** The page's token, without which the server changes nothing. */
const token = () => document.querySelector<HTMLInputElement>("input[name=__RequestVerificationToken]")?.value ?? "";

/** Asks the server; a refusal becomes an error with its sentence. */
export async function ask<T>(method: string, path: string, body?: unknown): Promise<T> {
  const answer = await fetch(path, {
    method,
    headers: { RequestVerificationToken: token(), ...(body === undefined ? {} : { "content-type": "application/json" }) },
    body: body === undefined ? undefined : JSON.stringify(body),
  });
  if (answer.status === 204) return undefined as T;
  const said = answer.headers.get("content-type")?.includes("json") ? await answer.json() : null;
  if (!answer.ok) throw new Error(said?.error ?? `The server answered ${answer.status}. Reload the page and try again.`);
  return said as T;
}
