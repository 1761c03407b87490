/** Findings that say the same of several places, as one; what saves minutes at a press before other notes. */
import type { Finding } from '../types';

/** Areas that would be cut sooner in operations by depth, if a hole were drilled, or with cuts on the way back. */
export const BY_DEPTH = 'rule.by-depth';
export const DRILL = 'rule.pre-drill';
export const WAY_BACK = 'rule.way-back';
const SOONER = [BY_DEPTH, DRILL, WAY_BACK];

const GRAVE: Record<string, number> = { error: 0, warning: 1, note: 3 };
const rank = (f: Finding) => (SOONER.includes(f.code) ? 2 : (GRAVE[f.severity] ?? 3));

/**
 * The gravest first, else in their order, each with a key of its own: those with a place that say the same word for
 * word are one group.
 */
export function gathered(all: Finding[]): [string, Finding[]][] {
  const groups = new Map<string, Finding[]>();
  const findings = [...all].sort((a, b) => rank(a) - rank(b));
  findings.forEach((f, i) => {
    const key = f.x === null ? String(i) : JSON.stringify([f.operation, f.sentence]);
    const group = groups.get(key);
    if (group) group.push(f);
    else groups.set(key, [f]);
  });
  return [...groups];
}
