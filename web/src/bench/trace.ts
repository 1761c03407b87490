/** The measured path as arrays, decoded from the server's binary block (PathTrace.packed). */

export const CUT = 0;
export const LINK = 1;
export const ENTRY = 2;
export const POSITION = 3;
export const PARTS = ['cutting', 'link', 'entry', 'rapid'] as const;

export interface Trace {
  count: number;
  /** x, y, z of each point, mm. */
  position: Float32Array;
  seconds: Float32Array;
  /** Measured radial depth over the target. */
  share: Float32Array;
  feed: Float32Array;
  level: Float32Array;
  line: Int32Array;
  part: Uint8Array;
  operation: Uint8Array;
}

export function decode(buffer: ArrayBuffer): Trace {
  const count = new DataView(buffer).getUint32(0, true);
  let at = 4;
  const floats = (size: number) => {
    const array = new Float32Array(buffer, at, size);
    at += 4 * size;
    return array;
  };
  const position = floats(3 * count);
  const seconds = floats(count);
  const share = floats(count);
  const feed = floats(count);
  const level = floats(count);
  const line = new Int32Array(buffer, at, count);
  at += 4 * count;
  const part = new Uint8Array(buffer, at, count);
  at += count;
  const operation = new Uint8Array(buffer, at, count);
  return { count, position, seconds, share, feed, level, line, part, operation };
}

/** First point at or after a time. */
export function indexAt(trace: Trace, seconds: number): number {
  let low = 0;
  let high = trace.count - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (trace.seconds[middle]! < seconds) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The point of a range, at one level or all, next to a place and within so many mm of it; null where none is. */
export function nearestTo(
  trace: Trace,
  range: [number, number],
  level: number | null,
  x: number,
  y: number,
  within: number,
): number | null {
  let best = within ** 2;
  let found: number | null = null;
  for (let k = range[0]; k < range[1]; k++) {
    if (trace.part[k] === POSITION) continue;
    if (level !== null && Math.abs(trace.level[k]! - level) > 1e-3) continue;
    const d = (trace.position[3 * k]! - x) ** 2 + (trace.position[3 * k + 1]! - y) ** 2;
    if (d < best) [best, found] = [d, k];
  }
  return found;
}

/** Where the cutter is at a time, between two points of the path. */
export function placeAt(trace: Trace, seconds: number): [number, number, number] {
  const k = indexAt(trace, seconds);
  const j = Math.max(0, k - 1);
  const [a, b] = [trace.seconds[j]!, trace.seconds[k]!];
  const t = b > a ? Math.min(1, Math.max(0, (seconds - a) / (b - a))) : 1;
  const p = trace.position;
  const mix = (c: number) => p[3 * j + c]! + t * (p[3 * k + c]! - p[3 * j + c]!);
  return [mix(0), mix(1), mix(2)];
}

/** First and one past the last point of an operation. */
export function rangeOf(trace: Trace, operation: number): [number, number] {
  const first = trace.operation.indexOf(operation);
  if (first < 0) return [0, 0];
  let last = trace.operation.lastIndexOf(operation);
  return [first, ++last];
}
