/** Lines of one height through a grid of values: marching squares, straight within a cell. */

export type Segment = [number, number, number, number];

/** Segments (x1, y1, x2, y2) where `values[row][column]` crosses `level`. */
export function contour(xs: number[], ys: number[], values: number[][], level: number): Segment[] {
  const found: Segment[] = [];
  for (let j = 0; j + 1 < ys.length; j++) {
    for (let i = 0; i + 1 < xs.length; i++) {
      const corners: [number, number, number][] = [
        [xs[i]!, ys[j]!, values[j]![i]!],
        [xs[i + 1]!, ys[j]!, values[j]![i + 1]!],
        [xs[i + 1]!, ys[j + 1]!, values[j + 1]![i + 1]!],
        [xs[i]!, ys[j + 1]!, values[j + 1]![i]!],
      ];
      const crossed: [number, number][] = [];
      corners.forEach((a, k) => {
        const b = corners[(k + 1) % 4]!;
        if (a[2] < level === b[2] < level) return;
        const t = (level - a[2]) / (b[2] - a[2]);
        crossed.push([a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])]);
      });
      for (let k = 0; k + 1 < crossed.length; k += 2)
        found.push([...crossed[k]!, ...crossed[k + 1]!] as Segment);
    }
  }
  return found;
}

/** About `count` round numbers between 0 and `most`. */
export function rounded(most: number, count: number): number[] {
  const rough = most / count;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough) ?? rough;
  return Array.from({ length: Math.floor(most / step) }, (_, k) => step * (k + 1));
}
