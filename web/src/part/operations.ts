/** The operations that a new job on a part begins with, and where areas go that are added to it later. */
import * as api from '../api/client';
import type { JobDocument, Operation, Region } from '../types';

/** All areas in one operation, until they are shared out. */
export function firstOperations(regions: Region[]): Operation[] {
  return [
    {
      name: 'Rough the areas',
      kind: 'rough',
      regions: regions.map((r) => r.name),
      tool: 1,
      reserve: 0.15,
      allowance: { wall: 0.2, floor: 0.1 },
      tolerance: 0.02,
    },
  ];
}

/** A new job, its areas shared out by depth where that saves time: a face apart from what is deep. */
export async function sharedOut(document: JobDocument): Promise<JobDocument> {
  return { ...document, operations: await api.byDepth(document, 0) };
}

/** Which operation takes an area that is added: the first of those with the first cutter that has most areas. */
export function takesMore(document: JobDocument): number {
  const counts = document.operations.map((o) =>
    o.tool === document.operations[0]?.tool ? o.regions.length : 0,
  );
  return Math.max(0, counts.indexOf(Math.max(...counts)));
}
