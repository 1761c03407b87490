/** The documents that travel as plain JSON; their schema is `justbite schema` (the job file). */

export type Vertex = [number, number] | [number, number, number];

/** What somebody recommends for a cutter in a material (or a group of ISO 513). */
export interface CutValues {
  material: string;
  /** m/min */
  cutting_speed: number;
  /** mm, at the radial depth `at_share` of D. */
  feed_per_tooth: number;
  at_share: number;
  /** Steepest way down, degrees; null: the material's. */
  ramp_angle?: number | null;
  source: string;
}

export interface Tool {
  number: number;
  name?: string;
  kind?:
    | 'flat_end_mill'
    | 'bull_nose_end_mill'
    | 'ball_end_mill'
    | 'chamfer_mill'
    | 'drill'
    | 'face_mill'
    | 'radius_mill';
  diameter: number;
  flutes: number;
  flute_length: number;
  stickout: number;
  helix_angle?: number;
  corner_radius?: number;
  substrate?: 'carbide' | 'hss';
  rake_angle?: number;
  centre_cutting?: boolean;
  values?: CutValues[];
  dynamics?: { frequency: number; stiffness: number; damping: number }[] | null;
}

/** A hole that is drilled into an area before it is cut. */
export interface DrilledHole {
  at: [number, number];
  diameter: number;
  /** Z down to which it has its whole width; null: to the floor of the area. */
  bottom?: number | null;
}

export interface Region {
  name: string;
  outline: Vertex[];
  islands?: Vertex[][];
  open_edges?: 'all' | number[];
  top?: number;
  bottom: number;
  floors?: number[];
  after?: string[];
  start?: [number, number] | null;
  drilled?: DrilledHole[];
  feature?: { key: string; kind: string; group?: string } | null;
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
  /** Whether the feed rises where the path takes less than the bite. */
  follow_bite?: boolean;
  hover?: number;
  return_feed?: number | null;
  entry?: 'auto' | 'helix' | 'ramp' | 'plunge';
  order?: 'areas' | 'levels';
  /** Bite of cuts in the other direction, share of the bite; 0: climb milling only. */
  conventional?: number;
}

export interface JobDocument {
  format: 'justbite-job';
  version: 1;
  name: string;
  units?: 'mm' | 'in';
  machine: string | { name: string };
  material: string | { name: string };
  tools: Tool[];
  /** As the server gives it; see `justbite.model.job.Stock`. */
  stock: object;
  setup?: { name: string; work_offset: string; datum: string };
  part?: JobPart | null;
  keep_outs?: KeepOut[];
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
  /** Shown, but neither kept nor broken: what it rests on was not measured. */
  estimate: boolean;
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
  /** cm3/min, with nothing pinned. */
  best_removal_rate: number;
  /** (most - least) over mean torque in a turn. */
  ripple: number;
  /** Torque in Nm and bending force in N over one turn, even steps. */
  turn: { torque: number[]; force: number[] };
  entry_feed: number;
  /** Whose cutting speed and chip these are; "catalogue", or who recommends them for the cutter. */
  basis: string;
  pinned: string[];
  ceilings: Ceiling[];
}

export interface Finding {
  code: string;
  severity: 'error' | 'warning' | 'note';
  sentence: string;
  hint: string;
  operation: string;
  area: string;
  x: number | null;
  y: number | null;
  z: number | null;
  size: number | null;
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
  /** The most that a way in removes in a minute, over what the bite does. */
  entry_over_bite: number;
  /** The thickest chip of cuts and links over what a tooth bears. */
  chip_over_borne: number;
  left_over_share: number;
  /** What letting the feed follow the bite saves; 0 when it is off. */
  follow_saved_seconds: number;
  levels: number[];
  /** What was planned to choose the bite by minutes; the last was quicker when `path.choose`. */
  trials: { ae: number; steps: number; seconds: number }[];
  path: { choose: boolean } | null;
  /** The same areas by parallel offsets; null where that finds no way in. */
  plain_seconds: number | null;
  ideal_seconds: number;
}

export interface Report {
  seconds: number;
  ideal_seconds: number;
  limit_seconds: number;
  blocks: number;
  /** What the program cuts into the part itself; null where the job was not made from one. */
  into_part: { deep_mm: number; area_mm2: number } | null;
  /** Stock that stands where no area goes down to the part; null where the job was not made from one. */
  stands_mm3: number | null;
  operations: OperationReport[];
  warnings: Finding[];
}

export interface Picture {
  stock: {
    min: [number, number, number];
    max: [number, number, number];
    outlines: [number, number][][];
  };
  keep_outs: { name: string; points: [number, number][]; top: number }[];
  regions: {
    name: string;
    top: number;
    bottom: number;
    edges: { points: [number, number][]; open: boolean }[];
    islands: [number, number][][];
    drilled: { x: number; y: number; radius: number }[];
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
  /** Key of an entry of the workshop's own; null for the catalogue that ships. */
  own: number | null;
  source: string;
  name: string;
  [key: string]: unknown;
}

export interface Stores {
  materials: StoreEntry[];
  tools: (StoreEntry & Tool)[];
  machines: (StoreEntry & { max_rpm: number; power_kw: number })[];
}

export type Share = 'low' | 'middle' | 'high';
export type Vector = [number, number, number];

export type StockWish =
  | { kind: 'margins'; x: [number, number]; y: [number, number]; z: [number, number] }
  | { kind: 'size'; size: Vector; off_top: number; x: Share; y: Share }
  | { kind: 'round'; axis: 'x' | 'z'; diameter: number; length: number | null; off_end: number }
  | { kind: 'outline'; outline: Vertex[]; off_top: number; below: number }
  | { kind: 'model'; part?: number | null; job?: number | null };

export interface Datum {
  of: 'stock' | 'part' | 'point';
  x: Share;
  y: Share;
  z: 'stock top' | 'stock bottom' | 'part top' | 'part bottom';
  point: Vector | null;
}

/** How a body lies on the machine; `justbite.model.placing.Placing`. */
export interface Placing {
  body: number;
  up: Vector;
  along: Vector | null;
  turn: number;
  stock: StockWish;
  datum: Datum;
}

export interface KeepOut {
  name: string;
  outline: Vertex[];
  bottom: number | null;
  top: number;
}

/** Which part a job was made from, and how it was placed. */
export interface JobPart {
  id: number;
  name: string;
  placing: Placing;
  matrix: number[][];
}
