// Runs beside the page, in the thread of the sound: hands on what the microphone gives.
declare const registerProcessor: (name: string, type: unknown) => void;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}

class Tap extends AudioWorkletProcessor {
  process(inputs: Float32Array[][]): boolean {
    if (inputs[0]?.[0]) this.port.postMessage(inputs[0][0].slice());
    return true;
  }
}

registerProcessor("tap", Tap);
