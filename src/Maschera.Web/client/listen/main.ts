import { peakOf, wavOf } from "./wav";

/** Longest recording, s; the last this many are kept. */
const longest = 20;
/** Quieter than this, of full scale, is no starter close by. */
const loud = 0.02;
/** Loud for so long is enough to compare cylinders, s. */
const enough = 5;

const form = document.querySelector<HTMLFormElement>("#listen")!;
const find = <T extends HTMLElement>(name: string) => form.querySelector<T>(`[data-${name}]`)!;
const [button, told, canvas] = [find<HTMLButtonElement>("listen"), find("told"), find<HTMLCanvasElement>("level")];
find("recorder").hidden = !navigator.mediaDevices?.getUserMedia;

let stop: (() => void) | null = null;
const say = (text: string) => {
  if (told.textContent !== text) told.textContent = text;
};

button.addEventListener("click", () => (stop ? stop() : listen().catch(refused)));

function refused(error: Error) {
  stop = null;
  button.textContent = "Listen";
  say(
    error.name === "NotAllowedError"
      ? "The browser may not listen. Allow the microphone for this page, or choose a recording below."
      : `No microphone could be opened (${error.message}). Choose a recording made with a phone below.`,
  );
}

async function listen() {
  // What makes speech clear takes a whine for noise and levels its swell out.
  const sound = await navigator.mediaDevices.getUserMedia({
    audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false },
  });
  const context = new AudioContext();
  await context.audioWorklet.addModule("/worklet.js");
  const tap = new AudioWorkletNode(context, "tap");
  context.createMediaStreamSource(sound).connect(tap);
  const pieces: Float32Array[] = [];
  const peaks: number[] = [];
  let [samples, loudSamples] = [0, 0];
  tap.port.onmessage = (event: MessageEvent<Float32Array>) => {
    pieces.push(event.data);
    peaks.push(peakOf(event.data));
    samples += event.data.length;
    if (peaks[peaks.length - 1] > loud) loudSamples += event.data.length;
    const heard = loudSamples / context.sampleRate;
    if (heard === 0) say("Listening. Crank for five seconds now.");
    else if (heard < enough) say(`Cranking: ${heard.toFixed(1)} of ${enough} s heard.`);
    else say("Enough heard. Let go of the key, then press Done.");
    if (samples > longest * context.sampleRate) stop?.();
  };
  const drawing = window.setInterval(() => draw(peaks, context.sampleRate / 128), 50);
  button.textContent = "Done";
  canvas.hidden = false;
  stop = () => {
    stop = null;
    window.clearInterval(drawing);
    for (const track of sound.getTracks()) track.stop();
    const rate = context.sampleRate;
    void context.close();
    button.textContent = "Listen";
    if (loudSamples < rate) return say("Hardly anything was heard. Lay the microphone closer to the starter, and listen again.");
    say("Reading what was heard…");
    send(wavOf(pieces, rate));
  };
}

function send(recording: Blob) {
  const files = new DataTransfer();
  files.items.add(new File([recording], "cranking.wav", { type: "audio/wav" }));
  form.querySelector<HTMLInputElement>("input[type=file]")!.files = files.files;
  form.requestSubmit();
}

/** The level of the last ten seconds as ink from the middle, the line of what counts as loud with it. */
function draw(peaks: number[], perSecond: number) {
  const ink = canvas.getContext("2d")!;
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  if (canvas.width !== width) [canvas.width, canvas.height] = [width, height];
  const style = getComputedStyle(canvas);
  ink.clearRect(0, 0, width, height);
  const shown = Math.round(10 * perSecond);
  const first = Math.max(0, peaks.length - shown);
  ink.fillStyle = style.getPropertyValue("--trace-1");
  for (let i = first; i < peaks.length; i++) {
    const tall = Math.max(1, Math.sqrt(peaks[i]) * height);
    ink.fillRect(((i - first) / shown) * width, (height - tall) / 2, Math.max(1, width / shown), tall);
  }
  ink.strokeStyle = style.getPropertyValue("--soft");
  ink.setLineDash([4, 4]);
  for (const sign of [-1, 1]) {
    const at = height / 2 + (sign * Math.sqrt(loud) * height) / 2;
    ink.beginPath();
    ink.moveTo(0, at);
    ink.lineTo(width, at);
    ink.stroke();
  }
}
