/** Showing numbers: minutes, angles, and the load scale's colours. */

export function minutes(seconds: number): string {
  const whole = Math.round(seconds);
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`;
}

/** Digits grouped by narrow spaces (ISO 80000-1), trailing zeros dropped. */
export function number(value: number, digits = 0): string {
  const [whole, part] = value.toFixed(digits).split('.') as [string, string?];
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, '\u202f');
  const rest = part?.replace(/0+$/, '');
  return rest ? `${grouped}.${rest}` : grouped;
}

/** A length in the units shown: mm, or inches. */
export function length(value: number, units: 'mm' | 'in', digits = 2): string {
  return units === 'mm' ? `${number(value, digits)} mm` : `${number(value / 25.4, digits + 2)} in`;
}

/** Two lengths as one: "1.2 to 3.4 mm", or "3.4 mm" where they are the same. */
export function range(low: number, high: number, units: 'mm' | 'in'): string {
  if (high - low < 1e-6) return length(high, units);
  return `${length(low, units).replace(/ (mm|in)$/, '')} to ${length(high, units)}`;
}

const STOPS: [number, number, number][] = [
  [0xee, 0xe2, 0xb8],
  [0xaa, 0xbe, 0x8a],
  [0x46, 0x8c, 0x80],
  [0x10, 0x4e, 0x5c],
];
export const OVER: [number, number, number] = [0xd8, 0x43, 0x1f];
/** Above this share of the target a load counts as over it: the proof's own accuracy. */
export const OVER_FROM = 1.06;

/** The load scale: pale straw to deep teal up to the target, vermilion above it. */
export function loadColour(share: number): [number, number, number] {
  if (share > OVER_FROM) return OVER;
  const at = Math.min(1, Math.max(0, share)) * 3;
  const k = Math.min(2, Math.floor(at));
  const t = at - k;
  const a = STOPS[k]!;
  const b = STOPS[k + 1]!;
  return [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), a[2] + t * (b[2] - a[2])];
}

export const css = ([r, g, b]: [number, number, number]) =>
  `rgb(${Math.round(r)} ${Math.round(g)} ${Math.round(b)})`;
