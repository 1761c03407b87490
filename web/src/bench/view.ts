/** The drawing's view: where its middle looks, and pixels to a millimetre. */

export interface View {
  x: number;
  y: number;
  scale: number;
}

export interface Size {
  width: number;
  height: number;
}

/** The view that shows a box (min, max) with a margin of paper around it. */
export function fitted(min: readonly number[], max: readonly number[], size: Size): View {
  const [w, h] = [Math.max(1e-6, max[0]! - min[0]!), Math.max(1e-6, max[1]! - min[1]!)];
  const scale = 0.88 * Math.min(size.width / w, size.height / h);
  return { x: (min[0]! + max[0]!) / 2, y: (min[1]! + max[1]!) / 2, scale };
}

/** The view after zooming by `factor` about a point of the screen, which stays where it is. */
export function zoomed(view: View, factor: number, px: number, py: number, size: Size): View {
  const scale = Math.min(500, Math.max(0.05, view.scale * factor));
  const [dx, dy] = [px - size.width / 2, py - size.height / 2];
  return {
    x: view.x + dx / view.scale - dx / scale,
    y: view.y - dy / view.scale + dy / scale,
    scale,
  };
}

/** The point of the plane, mm, under a point of the screen. */
export function under(view: View, px: number, py: number, size: Size): [number, number] {
  return [view.x + (px - size.width / 2) / view.scale, view.y - (py - size.height / 2) / view.scale];
}
