/** Shapes drawn by hand: rectangles, circles and polygons as vertices with bulges. */
import type { Vertex } from '../types';

export type Point = [number, number];

export const rectangle = (a: Point, b: Point): Vertex[] => {
  const [x1, x2] = [Math.min(a[0], b[0]), Math.max(a[0], b[0])];
  const [y1, y2] = [Math.min(a[1], b[1]), Math.max(a[1], b[1])];
  return [
    [x1, y1],
    [x2, y1],
    [x2, y2],
    [x1, y2],
  ];
};

export const circle = (centre: Point, radius: number): Vertex[] => [
  [centre[0] - radius, centre[1], 1],
  [centre[0] + radius, centre[1], 1],
];

export type Known =
  | { kind: 'rectangle'; x: number; y: number; width: number; height: number }
  | { kind: 'circle'; x: number; y: number; diameter: number }
  | { kind: 'other' };

/** What an outline is, so that its sizes can be typed. */
export function known(outline: Vertex[]): Known {
  const straight = outline.every((p) => !p[2]);
  if (outline.length === 2 && outline.every((p) => p[2] === 1)) {
    const [a, b] = outline as [Vertex, Vertex];
    return { kind: 'circle', x: (a[0] + b[0]) / 2, y: a[1], diameter: Math.abs(b[0] - a[0]) };
  }
  const [a, b, c, d] = outline;
  if (
    outline.length === 4 &&
    straight &&
    a![1] === b![1] &&
    b![0] === c![0] &&
    c![1] === d![1] &&
    d![0] === a![0]
  )
    return { kind: 'rectangle', x: a![0], y: a![1], width: c![0] - a![0], height: c![1] - a![1] };
  return { kind: 'other' };
}

/** An outline as a polyline to draw. */
export function polyline(outline: Vertex[]): Point[] {
  const points: Point[] = [];
  outline.forEach((p, i) => {
    const q = outline[(i + 1) % outline.length]!;
    points.push([p[0], p[1]]);
    const bulge = p[2] ?? 0;
    if (Math.abs(bulge) < 1e-9) return;
    const sweep = 4 * Math.atan(bulge);
    const [dx, dy] = [q[0] - p[0], q[1] - p[1]];
    const off = 1 / Math.tan(sweep / 2) / 2;
    const [cx, cy] = [p[0] + dx / 2 - dy * off, p[1] + dy / 2 + dx * off];
    const start = Math.atan2(p[1] - cy, p[0] - cx);
    const r = Math.hypot(p[0] - cx, p[1] - cy);
    for (let k = 1; k < 24; k++)
      points.push([cx + r * Math.cos(start + (sweep * k) / 24), cy + r * Math.sin(start + (sweep * k) / 24)]);
  });
  return points;
}
