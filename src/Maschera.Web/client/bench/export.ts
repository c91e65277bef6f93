import { view } from "./state";
import { bench, fail } from "./server";

// Files of the samples, and the picture of the view; a PNG is painted from the same SVG.
function save(blob: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

const nameIn = (answer: Response) => /filename\*=UTF-8''([^;]+)/.exec(answer.headers.get("content-disposition") ?? "")?.[1] ?? "maschera";

async function fetched(path: string) {
  const answer = await fetch(path);
  if (answer.ok) return { name: decodeURIComponent(nameIn(answer)), blob: await answer.blob() };
  throw new Error(
    answer.headers.get("content-type")?.includes("json") ? (await answer.json()).error : `The server answered ${answer.status}.`,
  );
}

async function picture(png: boolean) {
  const { from, to } = view();
  const { name, blob } = await fetched(bench(`picture.svg?from=${from}&to=${to}`));
  if (!png) return save(blob, name);
  const image = new Image();
  image.src = URL.createObjectURL(blob);
  await image.decode();
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [2 * image.naturalWidth, 2 * image.naturalHeight];
  canvas.getContext("2d")!.drawImage(image, 0, 0, canvas.width, canvas.height);
  URL.revokeObjectURL(image.src);
  const painted = await new Promise<Blob>((done, no) =>
    canvas.toBlob((b) => (b ? done(b) : no(new Error("The picture could not be painted."))), "image/png"),
  );
  save(painted, name.replace(/\.svg$/, ".png"));
}

document.querySelector("#export")!.addEventListener("click", async (event) => {
  const button = (event.target as HTMLElement).closest<HTMLButtonElement>("[data-export]");
  if (!button) return;
  const format = button.dataset.export!;
  const windowOnly = document.querySelector<HTMLInputElement>("#export-window")!.checked;
  const { from, to } = view();
  button.disabled = true;
  try {
    if (format === "svg" || format === "png") await picture(format === "png");
    else {
      const { name, blob } = await fetched(bench(`export?format=${format}${windowOnly ? `&from=${from}&to=${to}` : ""}`));
      save(blob, name);
    }
  } catch (error) {
    fail(error);
  } finally {
    button.disabled = false;
  }
});
