/** Taking things out of the stores into a job. */
import type { StoreEntry, Tool } from './types';

/** A cutter of the stores as a job's tool with its number. */
export function toolFrom(entry: StoreEntry & Tool, number: number): Tool {
  const { name, kind, diameter, flutes, flute_length, stickout, helix_angle, corner_radius, substrate } =
    entry;
  return {
    number,
    name,
    kind,
    diameter,
    flutes,
    flute_length,
    stickout,
    helix_angle,
    corner_radius,
    substrate,
  };
}
