/** What the entries of the stores are made of: fields by store, and their text form. */

export type Kind = 'tools' | 'materials' | 'machines';
export interface Field {
  key: string;
  label: string;
  unit?: string;
  /** What holds where nothing is typed. */
  unless?: string;
  options?: string[];
  words?: boolean;
  /** Yes or no. */
  yes?: boolean;
  curve?: boolean;
  /** Two modes, along and across the feed: frequency, stiffness, damping. */
  modes?: boolean;
}
export const TITLES: [Kind, string][] = [
  ['tools', 'Cutters'],
  ['materials', 'Materials'],
  ['machines', 'Machines'],
];
const KINDS = [
  'flat_end_mill',
  'bull_nose_end_mill',
  'ball_end_mill',
  'chamfer_mill',
  'drill',
  'face_mill',
  'radius_mill',
];
export const FIELDS: Record<Kind, Field[]> = {
  tools: [
    { key: 'name', label: 'Name', words: true },
    { key: 'kind', label: 'Kind', options: KINDS },
    { key: 'diameter', label: 'Diameter', unit: 'mm' },
    { key: 'flutes', label: 'Flutes' },
    { key: 'flute_length', label: 'Flute length', unit: 'mm' },
    { key: 'stickout', label: 'Stick-out', unit: 'mm' },
    { key: 'helix_angle', label: 'Helix angle', unit: '°' },
    { key: 'corner_radius', label: 'Corner radius', unit: 'mm' },
    { key: 'rake_angle', label: 'Rake angle', unit: '°' },
    { key: 'point_angle', label: 'Point angle', unit: '°' },
    { key: 'holder_diameter', label: 'Holder diameter', unit: 'mm' },
    { key: 'holder_length', label: 'Holder length', unit: 'mm' },
    { key: 'dynamics', label: 'Tool point', unit: 'Hz N/µm ζ; …', modes: true },
    { key: 'centre_cutting', label: 'Cuts at its middle', options: ['no', 'yes'], yes: true },
    { key: 'substrate', label: 'Made of', options: ['carbide', 'hss'] },
  ],
  materials: [
    { key: 'name', label: 'Name', words: true },
    { key: 'group', label: 'Group (ISO 513)', options: ['P', 'M', 'K', 'N', 'S', 'H'] },
    { key: 'kc11', label: 'kc1.1', unit: 'N/mm²' },
    { key: 'mc', label: 'mc' },
    { key: 'cutting_speed', label: 'Cutting speed', unit: 'm/min' },
    { key: 'chip_share', label: 'Wanted mean chip', unit: 'of D' },
    { key: 'most_chip_share', label: 'Thickest chip', unit: 'of D' },
    { key: 'most_bite_share', label: 'Largest bite', unit: 'of D' },
    { key: 'ramp_angle', label: 'Ramp angle', unit: '°' },
    { key: 'slot_share', label: 'Deepest slot', unit: 'of D', unless: 'the group’s' },
    { key: 'hardness', label: 'Hardness', unit: 'HB' },
  ],
  machines: [
    { key: 'name', label: 'Name', words: true },
    { key: 'max_rpm', label: 'Most speed', unit: 'rpm' },
    { key: 'min_rpm', label: 'Least speed', unit: 'rpm' },
    { key: 'max_feed', label: 'Most feed', unit: 'mm/min' },
    { key: 'rapid_feed', label: 'Rapid', unit: 'mm/min' },
    { key: 'power_kw', label: 'Power', unit: 'kW' },
    { key: 'torque_nm', label: 'Torque', unit: 'Nm' },
    { key: 'efficiency', label: 'Efficiency' },
    { key: 'acceleration', label: 'Acceleration', unit: 'mm/s²' },
    { key: 'block_rate', label: 'Blocks', unit: 'a second' },
    { key: 'power_points', label: 'Power curve', unit: 'rpm kW; …', curve: true },
    { key: 'torque_points', label: 'Torque curve', unit: 'rpm Nm; …', curve: true },
  ],
};
export const COLUMNS: Record<Kind, string[]> = {
  tools: ['kind', 'diameter', 'flutes', 'flute_length', 'stickout', 'substrate'],
  materials: ['group', 'kc11', 'mc', 'cutting_speed', 'hardness'],
  machines: ['max_rpm', 'max_feed', 'power_kw', 'torque_nm', 'acceleration'],
};

/** A value as it is typed and shown. */
export function text(value: unknown, field?: Field): string {
  if (field?.yes) return value ? 'yes' : 'no';
  if (value === null || value === undefined) return '';
  if (field?.modes)
    return (value as Record<string, number>[])
      .map((m) => `${m.frequency} ${m.stiffness} ${m.damping}`)
      .join('; ');
  if (field?.curve) return (value as number[][]).map((p) => p.join(' ')).join('; ');
  return typeof value === 'number' ? String(value) : String(value).replaceAll('_', ' ');
}

/** The typed fields as an entry; `values` (recommendations of a cutter) come along as they are. */
export function typedEntry(kind: Kind, draft: Record<string, string>): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  for (const f of FIELDS[kind]) {
    const typed = (draft[f.key] ?? '').trim();
    if (f.modes) {
      const modes = typed.split(';').map((p) => {
        const [frequency, stiffness, damping] = p
          .trim()
          .split(/[\s,]+/)
          .map(Number);
        return { frequency, stiffness, damping };
      });
      // One mode given is taken for both directions.
      out[f.key] = typed ? [modes[0], modes[1] ?? modes[0]] : null;
    } else if (f.curve)
      out[f.key] = typed
        ? typed.split(';').map((p) =>
            p
              .trim()
              .split(/[\s,]+/)
              .map(Number),
          )
        : [];
    else if (f.yes) out[f.key] = typed === 'yes';
    else if (f.words || f.options) out[f.key] = typed;
    else out[f.key] = typed === '' ? null : Number(typed.replace(',', '.'));
    if (
      out[f.key] === null &&
      !['dynamics', 'point_angle', 'holder_diameter', 'holder_length', 'hardness', 'slot_share'].includes(
        f.key,
      )
    )
      delete out[f.key];
  }
  return out;
}
