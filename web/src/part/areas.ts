/**
 * What is to be cut, as the part's screen holds it: from features and from a job's regions, and carried over when the
 * part is laid anew. Nothing here changes what it is given.
 */
import * as api from '../api/client';
import type { Datum, DrilledHole, Region } from '../types';

/** Something to cut: found on the part or made by hand. */
export interface Area {
  name: string;
  feature: api.Feature;
  found: boolean;
  accepted: boolean;
  top: number;
  /** Null: not given yet, as for a drawing. */
  bottom: number | null;
  open: number[];
  /** Names of areas or holes that are there before this one: the cutter starts in them. */
  after: string[];
  /** Heights in between that get a level of their own. */
  floors: number[];
  /** Where the cutter is to go in; null: where it is quickest. */
  start: [number, number] | null;
  /** Holes that are drilled before. */
  drilled: DrilledHole[];
}

/** A step on a slope: what is deeper is cut before it where both are cut, and never taken to be there already. */
export function climbs(a: Area): boolean {
  return a.feature.over_slope > 0;
}

export function areaIn(a: Area): api.AreaIn {
  return {
    outline: a.feature.outline as number[][],
    islands: a.feature.islands as number[][][],
    open_edges: a.open,
    top: a.top,
    bottom: a.bottom ?? a.top - 1,
  };
}

export function areaOf(feature: api.Feature, found: boolean): Area {
  const flat = feature.depth <= 0;
  return {
    name: feature.name,
    feature,
    found,
    accepted: !found,
    top: feature.top,
    bottom: flat ? null : feature.bottom,
    open: feature.open_edges,
    after: feature.after,
    floors: [],
    start: null,
    drilled: [],
  };
}

/** The areas after a new layout: found ones by their names, with what was decided; made ones fall away
 * unless the part lies as it did. */
export function carried(before: Area[], layout: api.Layout, old: api.Layout | null): Area[] {
  const lies = old && sameTurn(old.matrix, layout.matrix);
  const shift = old ? [0, 1, 2].map((k) => layout.matrix[k]![3]! - old.matrix[k]![3]!) : [0, 0, 0];
  const still = Math.hypot(...shift) < 1e-9;
  const found = layout.features.map((f) => {
    const area = areaOf(f, true);
    const was = lies ? before.find((a) => a.found && a.feature.name === f.name) : undefined;
    if (!was) return area;
    const bottom =
      was.bottom === null || was.bottom === was.feature.bottom ? area.bottom : was.bottom + shift[2]!;
    const kept =
      was.feature.depth <= 0 && was.bottom !== null
        ? layout.stock_picture.max[2] - (was.top - was.bottom)
        : bottom;
    const open = was.feature.outline.length === f.outline.length ? was.open : area.open;
    const floors = was.floors.map((z) => z + shift[2]!);
    return {
      ...area,
      name: was.name,
      accepted: was.accepted,
      bottom: kept,
      open,
      after: was.after,
      floors,
      ...waysIn(was, shift),
    };
  });
  return [...found, ...before.filter((a) => !a.found && lies && still)];
}

/** Where the cutter goes in, with an area that was moved. */
function waysIn(
  was: Pick<Area, 'start' | 'drilled'>,
  [dx, dy, dz]: number[],
): Pick<Area, 'start' | 'drilled'> {
  const moved = ([x, y]: [number, number]): [number, number] => [x + dx!, y + dy!];
  return {
    start: was.start && moved(was.start),
    drilled: was.drilled.map((h) => ({
      ...h,
      at: moved(h.at),
      bottom: h.bottom == null ? null : h.bottom + dz!,
    })),
  };
}

function sameTurn(a: number[][], b: number[][]): boolean {
  return [0, 1, 2].every((i) => [0, 1, 2].every((k) => Math.abs(a[i]![k]! - b[i]![k]!) < 1e-9));
}

/** Found areas with the decisions of a job's regions; regions that none matches are made by hand. */
export async function withRegions(found: Area[], regions: Region[], cut: string[]): Promise<Area[]> {
  const left = [...regions];
  const areas = found.map((area) => {
    const k = left.findIndex((r) => r.feature?.key === area.feature.key);
    if (k < 0) return area;
    const [r] = left.splice(k, 1);
    return {
      ...area,
      name: r!.name,
      accepted: cut.includes(r!.name),
      after: r!.after ?? [],
      floors: r!.floors ?? [],
      start: r!.start ?? null,
      drilled: r!.drilled ?? [],
      top: r!.top ?? 0,
      bottom: r!.bottom,
      open: openOf(r!),
    };
  });
  for (const r of left) {
    const feature = await api.drawnArea({
      outline: r.outline as number[][],
      islands: (r.islands ?? []) as number[][][],
      open_edges: r.open_edges ?? [],
      top: r.top ?? 0,
      bottom: r.bottom,
    });
    const own = {
      name: r.name,
      open: openOf(r),
      accepted: cut.includes(r.name),
      after: r.after ?? [],
      floors: r.floors ?? [],
      start: r.start ?? null,
      drilled: r.drilled ?? [],
    };
    areas.push({ ...areaOf(feature, false), ...own });
  }
  return areas;
}

function openOf(r: Region): number[] {
  return r.open_edges === 'all' ? r.outline.map((_, i) => i) : (r.open_edges ?? []);
}

/** A name that is not taken: "clamp", "clamp 2" … */
export function fresh(stem: string, taken: string[]): string {
  let name = stem;
  for (let n = 2; taken.includes(name); n++) name = `${stem} ${n}`;
  return name;
}

const SIDE = { low: { x: 'left', y: 'front' }, middle: { x: '', y: '' }, high: { x: 'right', y: 'back' } };

export function datumWords(datum: Datum): string {
  const z = `Z0 on ${datum.z}`;
  if (datum.of === 'point') return `picked point, ${z}`;
  const words = [SIDE[datum.y].y, SIDE[datum.x].x].filter(Boolean);
  const place =
    words.length === 2
      ? `${words.join(' ')} corner`
      : words.length === 1
        ? `middle of the ${words[0]} edge`
        : 'middle';
  return `${place} of the ${datum.of}, ${z}`;
}
