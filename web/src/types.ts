/** The documents that travel as plain JSON; their schema is `justbite schema` (the job file). */

export type Vertex = [number, number] | [number, number, number];

export interface Tool {
  number: number;
  name?: string;
  kind?: 'flat_end_mill';
  diameter: number;
  flutes: number;
  flute_length: number;
  stickout: number;
  helix_angle?: number;
  corner_radius?: number;
  substrate?: 'carbide' | 'hss';
}

export interface Region {
  name: string;
  outline: Vertex[];
  islands?: Vertex[][];
  open_edges?: 'all' | number[];
  top?: number;
  bottom: number;
}

export interface Operation {
  name: string;
  kind: 'rough';
  regions: string[];
  tool: number;
  bite?: { ae?: number; share?: number; angle?: number } | null;
  step_down?: number | null;
  speed?: number | null;
  feed?: number | null;
  reserve?: number;
  allowance?: { wall?: number; floor?: number };
  tolerance?: number;
  hover?: number;
  return_feed?: number | null;
}

export interface JobDocument {
  format: 'justbite-job';
  version: 1;
  name: string;
  units?: 'mm' | 'in';
  machine: string | { name: string };
  material: string | { name: string };
  tools: Tool[];
  stock: { box: { min: [number, number, number]; max: [number, number, number] } };
  regions: Region[];
  operations: Operation[];
  travel_height?: number | null;
  approach_gap?: number;
}

export interface Ceiling {
  name: string;
  value: number;
  ceiling: number;
  unit: string;
  share: number;
  binds: boolean;
  relief: string;
}

export interface Bite {
  ae: number;
  ap: number;
  steps: number;
  angle: number;
  speed: number;
  cutting_speed: number;
  feed: number;
  feed_per_tooth: number;
  chip_mean: number;
  chip_most: number;
  removal_rate: number;
  power: number;
  torque: number;
  axial_contact: number;
  entry_feed: number;
  pinned: string[];
  ceilings: Ceiling[];
}

export interface Finding {
  code: string;
  severity: 'error' | 'warning' | 'note';
  sentence: string;
  hint: string;
  operation: string;
  x: number | null;
  y: number | null;
}

export interface OperationReport {
  name: string;
  seconds: number;
  cut_seconds: number;
  link_seconds: number;
  entry_seconds: number;
  target_engagement_deg: number;
  max_engagement_deg: number;
  p99_engagement_deg: number;
  max_over_target: number;
  left_over_share: number;
  levels: number[];
  ideal_seconds: number;
}

export interface Report {
  seconds: number;
  ideal_seconds: number;
  limit_seconds: number;
  blocks: number;
  operations: OperationReport[];
  warnings: Finding[];
}

export interface Picture {
  stock: { min: [number, number, number]; max: [number, number, number] };
  regions: {
    name: string;
    top: number;
    bottom: number;
    edges: { points: [number, number][]; open: boolean }[];
    islands: [number, number][][];
  }[];
}

export interface Plan {
  id: number;
  state: 'waiting' | 'computing' | 'done' | 'stopped' | 'failed';
  progress: number;
  doing: string;
  sentence: string;
  fresh: boolean;
  report: Report | null;
}

export interface StoreEntry {
  id: string;
  source: string;
  name: string;
  [key: string]: unknown;
}

export interface Stores {
  materials: StoreEntry[];
  tools: (StoreEntry & Tool)[];
  machines: (StoreEntry & { max_rpm: number; power_kw: number })[];
}

export interface DrawnArea {
  name: string;
  layer: string;
  outline: Vertex[];
  islands: Vertex[][];
  area: number;
  drawn: [number, number][];
  drawn_islands: [number, number][][];
}

export interface ReadDrawing {
  areas: DrawnArea[];
  findings: Finding[];
  units: 'mm' | 'in';
  units_known: boolean;
  bounds: [number, number, number, number];
}
