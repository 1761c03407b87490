/** Operations made from one that is there, changed as a finding tells, and taken out again. */
import { ROUGHERS, toolFrom } from '../stores';
import type { Finding, JobDocument, Operation, Region, StoreEntry, Tool } from '../types';

/** Diameter of the cutter for the rest over that of the one before it, at most (common practice: about half). */
const SMALLER = 0.6;

/** The job with an operation for the rest after the one at `at`; null where no smaller cutter is known. */
export function withRest(
  document: JobDocument,
  at: number,
  stored: (StoreEntry & Tool)[],
): JobDocument | null {
  const before = document.operations[at];
  const large = document.tools.find((t) => t.number === before?.tool);
  if (!before || !large) return null;
  const fits = <T extends Tool>(tools: T[]) =>
    tools
      .filter((t) => ROUGHERS.includes(t.kind ?? 'flat_end_mill') && t.diameter <= SMALLER * large.diameter)
      .sort((a, b) => b.diameter - a.diameter);
  const [known] = fits(document.tools);
  const [other] = fits(stored);
  if (!known && !other) return null;
  const tool = known ?? toolFrom(other!, Math.max(...document.tools.map((t) => t.number)) + 1);
  const operation: Operation = {
    name: freeName(`Rest of ${before.name}`, document.operations),
    kind: 'rough',
    regions: [...before.regions],
    tool: tool.number,
    reserve: before.reserve,
    allowance: before.allowance,
    tolerance: before.tolerance,
  };
  return {
    ...document,
    tools: known ? document.tools : [...document.tools, tool],
    operations: [...document.operations.slice(0, at + 1), operation, ...document.operations.slice(at + 1)],
  };
}

/** A region with the hole that a finding tells of drilled in it. */
export function withHole(region: Region, finding: Finding): Region {
  const { x, y, z, size } = finding;
  if (x === null || y === null || !size) return region;
  return { ...region, drilled: [...(region.drilled ?? []), { at: [x, y], diameter: size, bottom: z }] };
}

/** The job with cuts on the way back in the operation that a finding tells of. */
export function withCutsBack(document: JobDocument, finding: Finding): JobDocument {
  const conventional = finding.size ?? 0;
  return {
    ...document,
    operations: document.operations.map((o) => (o.name === finding.operation ? { ...o, conventional } : o)),
  };
}

/** The job without the operation of that name. */
export function without(document: JobDocument, name: string): JobDocument {
  return { ...document, operations: document.operations.filter((o) => o.name !== name) };
}

function freeName(name: string, operations: Operation[]): string {
  const taken = new Set(operations.map((o) => o.name));
  let number = 2;
  let free = name;
  while (taken.has(free)) free = `${name} ${number++}`;
  return free;
}
