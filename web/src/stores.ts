/** Taking things out of the stores into a job. */
import type { StoreEntry, Tool } from './types';

/** Kinds of cutter that roughing is planned for. */
export const ROUGHERS = ['flat_end_mill', 'bull_nose_end_mill'];

/** A cutter of the stores as a job's tool with its number. */
export function toolFrom(entry: StoreEntry & Tool, number: number): Tool {
  // eslint-disable-next-line @typescript-eslint/no-unused-vars
  const { id, own, source, ...tool } = entry;
  return { ...(tool as unknown as Tool), number };
}

/** What a job says of a material or machine: the catalogue's id, or an own entry in full. */
export function named<T extends StoreEntry>(list: T[], id: string): string | { name: string } {
  const entry = list.find((e) => e.id === id);
  if (!entry || entry.own === null) return id;
  // eslint-disable-next-line @typescript-eslint/no-unused-vars
  const { id: _, own, source, ...rest } = entry;
  return rest as unknown as { name: string };
}
