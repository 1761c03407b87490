/**
 * The state of the part's screen: the file, how it lies, its stock, and what is to be cut.
 * The server places and finds; here is only what was wished and what was accepted.
 */
import * as api from '../api/client';
import { areaIn, areaOf, carried, climbs, datumWords, fresh, withRegions, type Area } from './areas';
import type {
  Datum,
  Finding,
  JobDocument,
  KeepOut,
  Placing,
  Region,
  StockWish,
  Vector,
  Vertex,
} from '../types';

/** What a click in the drawing does. */
export type Tool =
  'areas' | 'chain' | 'split' | 'rectangle' | 'circle' | 'polygon' | 'face' | 'edge' | 'datum';
/** What a shape drawn by hand becomes. */
export type Purpose = 'area' | 'keep-out' | 'stock';
export type Step = 'part' | 'lies' | 'stock' | 'areas' | 'cut';

interface Kept {
  placing: Placing;
  areas: Area[];
  keepOuts: KeepOut[];
}

export const FIRST: Placing = {
  body: 0,
  up: [0, 0, 1],
  along: null,
  turn: 0,
  stock: { kind: 'margins', x: [0, 0], y: [0, 0], z: [0, 0] },
  datum: { of: 'stock', x: 'low', y: 'low', z: 'stock top', point: null },
};

export class Desk {
  part = $state.raw<api.PartFile | null>(null);
  file: File | null = null;
  reading = $state(false);
  placing = $state.raw<Placing>(FIRST);
  layout = $state.raw<api.Layout | null>(null);
  mesh = $state.raw<ArrayBuffer | null>(null);
  areas = $state.raw<Area[]>([]);
  keepOuts = $state.raw<KeepOut[]>([]);
  faults = $state.raw<string[]>([]);
  /** What a new version of the part changed. */
  changed = $state.raw<Finding[]>([]);
  step = $state<Step>('part');
  tool = $state<Tool>('areas');
  purpose = $state<Purpose>('keep-out');
  view = $state<'above' | 'space'>('above');
  /** Names of areas that are selected, to be looked at, merged or split. */
  selected = $state.raw<string[]>([]);
  hovered = $state<string | null>(null);
  chainPick = $state.raw<api.Pick | null>(null);
  chain = $state.raw<api.Chain | null>(null);
  follow = $state<'height' | 'tangent'>('height');
  done = $state.raw<Kept[]>([]);
  undone = $state.raw<Kept[]>([]);
  units = $state<'mm' | 'in'>('mm');
  workOffset = $state('G54');
  setupName = $state('Setup 1');
  busy = $state(false);
  #asked = 0;
  #hovering = 0;

  get isDrawing() {
    return this.part?.source === 'drawing';
  }

  get accepted(): Area[] {
    return this.areas.filter((a) => a.accepted);
  }

  async open(file: File, units = '', join = 0) {
    this.file = file;
    [this.reading, this.faults] = [true, []];
    try {
      const part = await api.readPart(file, units, join);
      const again = this.part?.name === part.name && this.part.bodies.length === part.bodies.length;
      this.part = part;
      if (!again) {
        this.placing = FIRST;
        [this.areas, this.keepOuts, this.done, this.undone] = [[], [], [], []];
        this.view = part.source === 'drawing' ? 'above' : 'space';
      }
      await Promise.all([this.fetchMesh(), this.lay(this.placing, false)]);
      this.step = 'lies';
    } catch (error) {
      this.#fail(error);
    }
    this.reading = false;
  }

  /** Take up the part of a job that is on the bench. */
  async resume(document: JobDocument) {
    const kept = document.part;
    this.reading = true;
    if (!kept) throw new api.Faults(['This job was not made from a part.']);
    try {
      this.part = await api.part(kept.id);
      this.placing = kept.placing;
      this.keepOuts = document.keep_outs ?? [];
      this.workOffset = document.setup?.work_offset ?? 'G54';
      this.setupName = document.setup?.name ?? 'Setup 1';
      this.view = this.isDrawing ? 'above' : 'space';
      await Promise.all([this.fetchMesh(), this.lay(this.placing, false)]);
      this.areas = await withRegions(
        this.areas,
        document.regions,
        document.operations.flatMap((o) => o.regions),
      );
      this.step = 'areas';
      this.view = 'above';
    } catch (error) {
      this.#fail(error);
    }
    this.reading = false;
  }

  /** The same part turned over, in what the earlier job left of its stock. */
  async nextSetup(job: number, document: JobDocument) {
    const kept = document.part;
    if (!kept) {
      this.faults = ['That job was not made from a part, so it has no next setup.'];
      return;
    }
    try {
      this.part = await api.part(kept.id);
      const up = kept.placing.up.map((v) => -v) as Vector;
      this.placing = { ...kept.placing, up, turn: 0, stock: { kind: 'model', job }, datum: FIRST.datum };
      this.setupName = `After ${document.setup?.name ?? 'Setup 1'}`;
      this.view = 'space';
      await Promise.all([this.fetchMesh(), this.lay(this.placing, false)]);
      this.step = 'lies';
    } catch (error) {
      this.#fail(error);
    }
  }

  async fetchMesh() {
    if (!this.part) return;
    this.mesh = this.isDrawing ? null : await api.mesh(this.part.id, this.placing.body);
  }

  #fail(error: unknown) {
    this.faults = error instanceof api.Faults ? error.sentences : [String(error)];
  }

  #keep(): Kept {
    return { placing: this.placing, areas: this.areas, keepOuts: this.keepOuts };
  }

  #before() {
    this.done = [...this.done.slice(-99), this.#keep()];
    this.undone = [];
  }

  async #back(to: Kept) {
    const same = to.placing === this.placing;
    [this.placing, this.areas, this.keepOuts] = [to.placing, to.areas, to.keepOuts];
    if (!same && this.part) {
      const body = this.placing.body;
      this.layout = await api.layout(this.part.id, this.placing);
      if (this.layout && body !== undefined) await this.fetchMesh();
    }
  }

  async undo() {
    const last = this.done.at(-1);
    if (!last) return;
    this.undone = [...this.undone, this.#keep()];
    this.done = this.done.slice(0, -1);
    await this.#back(last);
  }

  async redo() {
    const next = this.undone.at(-1);
    if (!next) return;
    this.done = [...this.done, this.#keep()];
    this.undone = this.undone.slice(0, -1);
    await this.#back(next);
  }

  /**
   * Place the part as wished; what was accepted is kept where the same features are found again.
   * The wish stands at once, so that the next one builds on it; a refused one is taken back.
   */
  async lay(placing: Placing, remember = true) {
    if (!this.part) return;
    const mine = ++this.#asked;
    const before = this.#keep();
    const body = placing.body !== this.placing.body;
    this.placing = placing;
    this.busy = true;
    try {
      const layout = await api.layout(this.part.id, placing);
      if (remember) {
        this.done = [...this.done.slice(-99), before];
        this.undone = [];
      }
      if (mine !== this.#asked) return;
      const old = this.layout;
      [this.layout, this.faults] = [layout, []];
      this.areas = carried(this.areas, layout, old);
      this.selected = this.selected.filter((n) => this.areas.some((a) => a.name === n));
      if (body) await this.fetchMesh();
    } catch (error) {
      this.#fail(error);
      if (mine === this.#asked) this.placing = before.placing;
    }
    if (mine === this.#asked) this.busy = false;
  }

  stock = (stock: StockWish) => this.lay({ ...this.placing, stock });
  datum = (datum: Datum) => this.lay({ ...this.placing, datum });
  lookUp = (up: Vector) => this.lay({ ...this.placing, up, along: null, turn: 0 });
  alongX = (along: Vector) => this.lay({ ...this.placing, along, turn: 0 });
  turnBy = (degrees: number) =>
    this.lay({ ...this.placing, turn: (((this.placing.turn + degrees) % 360) + 360) % 360 });

  /** Turn the part over, about its X as it lies. */
  flip() {
    const up = this.placing.up;
    return this.lay({ ...this.placing, up: [-up[0], -up[1], -up[2]], along: this.axis(0) });
  }

  /** A machine axis (0 X, 1 Y, 2 Z) in the model's own coordinates. */
  axis(k: number): Vector {
    const row = this.layout!.matrix[k]!;
    return [row[0]!, row[1]!, row[2]!];
  }

  /** A place in job coordinates as a point of the model. */
  toModel(p: Vector): Vector {
    const m = this.layout!.matrix;
    const d = [0, 1, 2].map((k) => p[k]! - m[k]![3]!);
    return [0, 1, 2].map((k) => m[0]![k]! * d[0]! + m[1]![k]! * d[1]! + m[2]![k]! * d[2]!) as Vector;
  }

  #areas(areas: Area[]) {
    this.#before();
    this.areas = areas;
  }

  change(name: string, by: Partial<Area>) {
    const renamed = (a: Area) =>
      by.name ? { ...a, after: a.after.map((n) => (n === name ? by.name! : n)) } : a;
    this.#areas(this.areas.map((a) => renamed(a.name === name ? { ...a, ...by } : a)));
    if (by.name) this.selected = this.selected.map((n) => (n === name ? by.name! : n));
  }

  accept(names: string[], accepted: boolean) {
    this.#areas(this.areas.map((a) => (names.includes(a.name) ? { ...a, accepted } : a)));
  }

  toggle(name: string) {
    const area = this.areas.find((a) => a.name === name);
    if (area) this.accept([name], !area.accepted);
  }

  toggleEdge(name: string, edge: number) {
    const area = this.areas.find((a) => a.name === name);
    if (!area) return;
    const open = area.open.includes(edge)
      ? area.open.filter((e) => e !== edge)
      : [...area.open, edge].sort((a, b) => a - b);
    this.change(name, { open });
  }

  /** Depths of a drawing's areas from the numbers that its layers end with. */
  takeLayerDepths() {
    this.#areas(
      this.areas.map((a) =>
        a.bottom === null && a.feature.layer_depth !== null
          ? { ...a, bottom: a.top - a.feature.layer_depth }
          : a,
      ),
    );
  }

  /** The areas of a drawing's layer are one group of depth. */
  layerDepth(layer: string, bottom: number) {
    this.#areas(this.areas.map((a) => (a.feature.layer === layer ? { ...a, bottom } : a)));
  }

  add(features: api.Feature[], stem: string, bottom: number | null = null) {
    const made = features.map((feature) => {
      const taken = [...this.areas.map((a) => a.name)];
      return { ...areaOf(feature, false), name: fresh(stem, taken), bottom: bottom ?? feature.bottom };
    });
    for (const [i, area] of made.entries()) {
      const others = [...this.areas, ...made.slice(0, i)].map((a) => a.name);
      area.name = fresh(stem, others);
    }
    this.#areas([...this.areas, ...made]);
    this.selected = made.map((a) => a.name);
  }

  /** New sizes of an area that was drawn by hand. */
  async reshape(name: string, outline: Vertex[]) {
    const area = this.areas.find((a) => a.name === name);
    if (!area) return;
    await this.#try(async () => {
      const wish = { ...areaIn(area), outline: outline as number[][], open_edges: [] };
      this.change(name, { feature: await api.drawnArea(wish), open: [] });
    });
  }

  remove(name: string) {
    this.#areas(this.areas.filter((a) => a.name !== name));
    this.selected = this.selected.filter((n) => n !== name);
  }

  async slice(z: number) {
    if (!this.part) return;
    await this.#try(async () => this.add(await api.slice(this.part!.id, this.placing, z), 'slice'));
  }

  async merge() {
    const own = this.areas.filter((a) => this.selected.includes(a.name));
    await this.#try(async () => {
      const feature = await api.mergeAreas(own.map(areaIn));
      this.#areas(this.areas.map((a) => (own.includes(a) ? { ...a, accepted: false } : a)));
      const done = this.done;
      this.add([feature], 'merged');
      this.done = done;
    });
  }

  async split(a: [number, number], b: [number, number]) {
    const own = this.areas.find((x) => this.selected.includes(x.name));
    if (!own) {
      this.faults = ['Select the area to split first, in the list or in the drawing.'];
      return;
    }
    await this.#try(async () => {
      const pieces = await api.splitArea(areaIn(own), a, b);
      this.#areas(this.areas.map((x) => (x === own ? { ...x, accepted: false } : x)));
      const done = this.done;
      this.add(pieces, `piece of ${own.name}`);
      this.done = done;
    });
    this.tool = 'areas';
  }

  async pickChain(pick: api.Pick) {
    await this.#try(async () => {
      this.chainPick = pick;
      this.chain = await api.chain(this.part!.id, this.placing, pick);
    });
  }

  /** What a click here would pick, while the pointer moves. */
  hoverChain(pick: api.Pick) {
    const mine = ++this.#hovering;
    setTimeout(async () => {
      if (mine !== this.#hovering || this.tool !== 'chain' || this.chainPick) return;
      try {
        const found = await api.chain(this.part!.id, this.placing, pick);
        if (mine === this.#hovering && !this.chainPick) this.chain = found;
      } catch {
        if (mine === this.#hovering && !this.chainPick) this.chain = null;
      }
    }, 90);
  }

  async takeChain(wish: { bottom: number; bridge: boolean; width: number | null; right: boolean }) {
    const pick = this.chainPick;
    if (!pick) return;
    await this.#try(async () => {
      const feature = await api.chainArea(this.part!.id, this.placing, pick, wish);
      this.add([feature], wish.width === null ? 'area' : 'strip');
      [this.chain, this.chainPick, this.tool] = [null, null, 'areas'];
    });
  }

  /** A shape drawn by hand becomes what it was drawn for. */
  async drawn(outline: Vertex[]) {
    const stock = this.layout!.stock_picture;
    if (this.purpose === 'keep-out') {
      this.#before();
      const name = fresh(
        'clamp',
        this.keepOuts.map((k) => k.name),
      );
      this.keepOuts = [...this.keepOuts, { name, outline, bottom: null, top: stock.max[2] + 10 }];
    } else if (this.purpose === 'stock') {
      const low = this.layout!.bounds[0];
      const relative = outline.map((p) => [p[0] - low[0], p[1] - low[1], ...p.slice(2)] as Vertex);
      const top = Math.max(0, stock.max[2] - this.layout!.bounds[1][2]);
      const below = Math.max(0, low[2] - stock.min[2]);
      await this.stock({ kind: 'outline', outline: relative, off_top: top, below });
    } else {
      await this.#try(async () => {
        const top = stock.max[2];
        const area = { outline: outline as number[][], islands: [], open_edges: [], top, bottom: top - 1 };
        const feature = await api.drawnArea(area);
        this.add([feature], 'drawn area');
        const name = this.selected[0]!;
        this.areas = this.areas.map((a) => (a.name === name ? { ...a, bottom: null } : a));
      });
    }
    this.tool = 'areas';
  }

  changeKeepOut(name: string, by: Partial<KeepOut> | null) {
    this.#before();
    this.keepOuts =
      by === null
        ? this.keepOuts.filter((k) => k.name !== name)
        : this.keepOuts.map((k) => (k.name === name ? { ...k, ...by } : k));
  }

  async #try(what: () => Promise<void>) {
    try {
      this.faults = [];
      await what();
    } catch (error) {
      this.#fail(error);
    }
  }

  /** In words for the operator: where the datum lies. */
  get datumWords(): string {
    return datumWords(this.placing.datum);
  }

  /** What still has to be said before the job can be made. */
  get missing(): string {
    if (!this.part || !this.layout) return 'Choose a part first.';
    if (!this.accepted.length) return 'Accept at least one area.';
    const open = this.accepted.find((a) => a.bottom === null);
    if (open) return `Give the depth of ${open.name}.`;
    const stock = this.placing.stock;
    if (this.isDrawing && stock.kind === 'margins' && stock.z[0] + stock.z[1] === 0)
      return 'Give the thickness of the stock.';
    return '';
  }

  regions(): Region[] {
    const names = this.cutNames;
    const before = this.areas.filter(
      (a) =>
        !a.accepted && a.bottom !== null && this.accepted.some((b) => !climbs(b) && b.after.includes(a.name)),
    );
    const known = [...names, ...before.map((a) => a.name)];
    return [...this.accepted, ...before].map((a) => ({
      name: a.name,
      outline: a.feature.outline as Vertex[],
      islands: a.feature.islands as Vertex[][],
      open_edges: a.open.length > 0 && a.open.length === a.feature.outline.length ? 'all' : a.open,
      top: a.top,
      bottom: a.bottom!,
      after: a.after.filter((n) => (climbs(a) ? names : known).includes(n)),
      floors: a.floors.filter((z) => z < a.top && z > a.bottom!),
      start: a.start,
      drilled: a.drilled.filter((h) => h.bottom == null || h.bottom < a.top),
      over_slope: a.feature.over_slope,
      feature: { key: a.feature.key, kind: a.feature.kind, group: a.feature.group },
    }));
  }

  /** Names of what the operations cut. */
  get cutNames(): string[] {
    return this.accepted.map((a) => a.name);
  }

  /** The pieces of a document that this screen decides. */
  pieces() {
    return {
      stock: this.layout!.stock,
      setup: { name: this.setupName, work_offset: this.workOffset, datum: this.datumWords },
      part: {
        id: this.part!.id,
        name: this.part!.name,
        placing: this.placing,
        matrix: this.layout!.matrix,
      },
      keep_outs: this.keepOuts,
      regions: this.regions(),
    };
  }
}
