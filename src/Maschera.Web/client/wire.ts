/** One channel of a window: points, or for each pixel column the least and the greatest. */
export interface Trace {
  seconds: number[];
  values: (number | null)[];
  /** True where least and greatest of each column stand in turn. */
  columns?: boolean;
}

const KIND_COLUMNS = 0;

/** The traces of a window as the server packs them: see BenchWindow.cs. Empty columns are left out, gaps are null. */
export function unpackWindow(bytes: ArrayBuffer, from: number, to: number): Trace[] {
  const view = new DataView(bytes);
  const traces: Trace[] = [];
  for (let at = 0; at < bytes.byteLength;) {
    const kind = view.getInt32(at, true),
      n = view.getInt32(at + 4, true);
    at += 8;
    traces.push(
      kind === KIND_COLUMNS
        ? columnTrace(new Float32Array(bytes, at, 2 * n), from, (to - from) / n)
        : pointTrace(new Float32Array(bytes, at, n), new Float32Array(bytes, at + 4 * n, n), from),
    );
    at += 8 * n;
  }
  return traces;
}

function columnTrace(pairs: Float32Array, from: number, width: number): Trace {
  const trace: Trace = { seconds: [], values: [], columns: true };
  for (let i = 0; i < pairs.length; i += 2) {
    if (pairs[i] > pairs[i + 1]) continue;
    const gap = Number.isNaN(pairs[i]);
    trace.seconds.push(from + (i / 2 + 0.25) * width, from + (i / 2 + 0.75) * width);
    trace.values.push(gap ? null : pairs[i], gap ? null : pairs[i + 1]);
  }
  return trace;
}

function pointTrace(seconds: Float32Array, values: Float32Array, from: number): Trace {
  return { seconds: Array.from(seconds, (t) => t + from), values: Array.from(values, (v) => (Number.isNaN(v) ? null : v)) };
}
