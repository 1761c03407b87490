/** An operation's areas as the lines that the order sheet has for them: many as deep as each other are one. */
import type { Region } from '../types';

export interface AreaLine {
  name: string;
  /** Steps on one slope end where the part says; areas alike, or one alone, are changed by one floor. */
  kind: 'steps' | 'areas';
  regions: Region[];
}

/** More lines than that, or names in a sentence, nobody reads. */
const MOST_LINES = 8;
const MOST_NAMES = 6;

/** The lines of an operation; `each`: every area has its own however many there are. */
export function linesOf(regions: Region[], each: boolean): AreaLine[] {
  const found: AreaLine[] = [];
  const steps = new Map<string, AreaLine>();
  for (const r of regions) {
    const group = r.feature?.group as string | undefined;
    const line = group && steps.get(group);
    if (line) line.regions.push(r);
    else found.push({ name: group || r.name, kind: group ? 'steps' : 'areas', regions: [r] });
    if (group && !line) steps.set(group, found.at(-1)!);
  }
  return each || found.length <= MOST_LINES ? found : together(found);
}

/** One line for all areas of a depth. */
function together(lines: AreaLine[]): AreaLine[] {
  const deep = new Map<number, AreaLine[]>();
  for (const line of lines) {
    const floor = line.regions[0]!.bottom;
    if (line.kind === 'areas') deep.set(floor, [...(deep.get(floor) ?? []), line]);
  }
  const alike = [...deep.values()].map((own): AreaLine => {
    if (own.length === 1) return own[0]!;
    return {
      name: `${own[0]!.name} and ${own.length - 1} more`,
      kind: 'areas',
      regions: own.flatMap((line) => line.regions),
    };
  });
  return [...alike, ...lines.filter((line) => line.kind === 'steps')];
}

/** The areas in a sentence: by name, or how many. */
export function areasSaid(regions: Region[]): string {
  const names = [...new Set(regions.map((r) => r.feature?.group || r.name))];
  return names.length > MOST_NAMES ? `${names.length} areas` : names.join(', ');
}
