/** Findings that say the same of several places, as one. */
import type { Finding } from '../types';

/** In their order, each with a key of its own: those with a place that say the same word for word are one group. */
export function gathered(findings: Finding[]): [string, Finding[]][] {
  const groups = new Map<string, Finding[]>();
  findings.forEach((f, i) => {
    const key = f.x === null ? String(i) : JSON.stringify([f.operation, f.sentence]);
    const group = groups.get(key);
    if (group) group.push(f);
    else groups.set(key, [f]);
  });
  return [...groups];
}
