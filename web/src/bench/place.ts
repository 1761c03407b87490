/** A place in the plane as it is typed: X and Y with a space between them. */

/** X and Y; undefined where that is not what was typed. */
export function placeIn(typed: string): [number, number] | undefined {
  const [x, y, ...more] = typed
    .trim()
    .split(/[\s;]+/)
    .filter(Boolean)
    .map((w) => Number(w.replace(',', '.')));
  return Number.isFinite(x) && Number.isFinite(y) && !more.length ? [x!, y!] : undefined;
}
