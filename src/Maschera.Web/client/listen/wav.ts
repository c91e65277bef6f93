/** Samples of -1 to 1 as a WAV file of 16 bits and one channel. */
export function wavOf(pieces: Float32Array[], rate: number): Blob {
  const count = pieces.reduce((sum, piece) => sum + piece.length, 0);
  const view = new DataView(new ArrayBuffer(44 + 2 * count));
  const text = (at: number, word: string) => [...word].forEach((c, i) => view.setUint8(at + i, c.charCodeAt(0)));
  text(0, "RIFF");
  view.setUint32(4, 36 + 2 * count, true);
  text(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, 1, true);
  view.setUint16(22, 1, true);
  view.setUint32(24, rate, true);
  view.setUint32(28, 2 * rate, true);
  view.setUint16(32, 2, true);
  view.setUint16(34, 16, true);
  text(36, "data");
  view.setUint32(40, 2 * count, true);
  let at = 44;
  for (const piece of pieces)
    for (const sample of piece) {
      view.setInt16(at, Math.round(Math.max(-1, Math.min(1, sample)) * 32767), true);
      at += 2;
    }
  return new Blob([view], { type: "audio/wav" });
}

/** The loudest sample of a piece, 0 to 1. */
export const peakOf = (piece: Float32Array) => piece.reduce((most, sample) => Math.max(most, Math.abs(sample)), 0);
