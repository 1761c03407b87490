/** The operations that a new job on a part begins with, and where areas go that are added to it later. */
import * as api from '../api/client';
import type { JobDocument, Operation, Region } from '../types';

/** A face's own name for itself, as the part's features have it. */
const FACE = 'top face';

/** Faces by themselves, first: in one operation with what is deep they would have its thin bite. */
export function firstOperations(regions: Region[]): Operation[] {
  const faces = regions.filter((r) => r.feature?.kind === FACE);
  const others = regions.filter((r) => !faces.includes(r));
  const named: [string, Region[]][] =
    faces.length && others.length
      ? [
          ['Face the top', faces],
          ['Rough the areas', others],
        ]
      : [['Rough the areas', regions]];
  return named.map(([name, own]) => ({
    name,
    kind: 'rough',
    regions: own.map((r) => r.name),
    tool: 1,
    reserve: 0.15,
    allowance: { wall: 0.2, floor: 0.1 },
    tolerance: 0.02,
  }));
}

/** A new job, the areas that are no faces shared out by depth where that saves time. */
export async function sharedOut(document: JobDocument): Promise<JobDocument> {
  const last = document.operations.length - 1;
  return { ...document, operations: await api.byDepth(document, last) };
}

/** Which operation takes an area that is added: the first that cuts more than faces. */
export function takesMore(document: JobDocument): number {
  const faces = new Set(document.regions.filter((r) => r.feature?.kind === FACE).map((r) => r.name));
  return Math.max(
    0,
    document.operations.findIndex((o) => o.regions.some((name) => !faces.has(name))),
  );
}
