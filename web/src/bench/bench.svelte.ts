/**
 * The bench's state: the job as edited, its bite, its plan and path, and where the cutter is
 * looked at. Edits are kept on the server as soon as they are sound; undo goes back.
 */
import * as api from '../api/client';
import type { Bite, JobDocument, Operation, Picture, Plan, Region, Stores } from '../types';
import { settled } from '../parts/pending';
import { decode, placeAt, rangeOf, type Trace } from './trace';

export type Lens = 'engagement' | 'feed' | 'order';
/** A document, or how it is made from the one that stands when its turn comes. */
type Edit = JobDocument | ((document: JobDocument | null) => JobDocument | null);
const SLOWEST_POLL = 1000;
/** Milliseconds without progress after which no minutes are told; and that are no measure of the rest any more. */
const [STANDS, APART] = [4_000, 20_000];

export class BenchState {
  id: number;
  document = $state.raw<JobDocument | null>(null);
  picture = $state.raw<Picture | null>(null);
  stores = $state.raw<Stores | null>(null);
  plan = $state.raw<Plan | null>(null);
  trace = $state.raw<Trace | null>(null);
  bites = $state.raw<(Bite | null)[]>([]);
  /** What would relieve a ceiling that binds, by its name; asked for once the typing rests. */
  reliefs = $state.raw<Record<string, string>>({});
  /** Whether the bite chart stands in the drawing's place, and its map. */
  charting = $state(false);
  chart = $state.raw<api.BiteChart | null>(null);
  faults = $state<string[]>([]);
  operation = $state(0);
  level = $state<number | null>(null);
  lens = $state<Lens>('engagement');
  units = $state<'mm' | 'in'>('mm');
  seconds = $state(0);
  playing = $state(false);
  looked = $state<{ x: number; y: number } | null>(null);
  done = $state.raw<JobDocument[]>([]);
  undone = $state.raw<JobDocument[]>([]);
  #traceOf = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #asked = 0;
  #began = 0;
  #moved = 0;
  #stood = 0;
  #closed = false;

  constructor(id: number) {
    this.id = id;
  }

  get current(): Operation | null {
    return this.document?.operations[this.operation] ?? null;
  }
  get bite(): Bite | null {
    return this.bites[this.operation] ?? null;
  }
  get tool() {
    return this.document?.tools.find((t) => t.number === this.current?.tool) ?? null;
  }
  get running(): boolean {
    return this.plan?.state === 'waiting' || this.plan?.state === 'computing';
  }
  /** What the plan's state is called on the top line. */
  get planWord(): string {
    const plan = this.plan;
    if (!plan) return 'not planned yet';
    if (this.running) return plan.doing || 'waiting for the planner';
    if (plan.state === 'done') return plan.fresh ? 'plan fresh' : 'plan out of date';
    return plan.state === 'stopped' ? 'planning stopped' : 'planning failed';
  }
  get report() {
    return this.plan?.report?.operations[this.operation] ?? null;
  }
  /** Seconds left, from the progress so far; null while too little is known. */
  get left(): number | null {
    if (!this.running || !this.plan || this.plan.progress < 0.05 || !this.#began) return null;
    if (Date.now() - this.#moved > STANDS) return null;
    const gone = (Date.now() - this.#began - this.#stood) / 1000;
    return gone > 2 ? (gone / this.plan.progress) * (1 - this.plan.progress) : null;
  }

  async load() {
    try {
      const [job, stores] = await Promise.all([api.job(this.id), api.stores()]);
      this.stores = stores;
      this.#take(job);
      await this.refreshBites();
    } catch (error) {
      this.#fail(error);
    }
  }

  close() {
    this.#closed = true;
    clearTimeout(this.#timer);
  }

  #take(job: api.Job) {
    this.document = job.document;
    this.picture = job.picture;
    this.units = job.document.units ?? 'mm';
    this.operation = Math.min(this.operation, job.document.operations.length - 1);
    this.#takePlan(job.plan);
  }

  #takePlan(plan: Plan | null) {
    if (plan?.progress !== this.plan?.progress || plan?.id !== this.plan?.id) {
      const still = Date.now() - this.#moved;
      if (this.#began && still > APART) this.#stood += still;
      this.#moved = Date.now();
    }
    const came = plan?.state === 'done' && this.plan?.id === plan.id && this.running;
    this.plan = plan;
    // The path that is there now may have changed the bite.
    if (came) void this.refreshBites();
    if (plan?.state === 'done' && this.#traceOf !== plan.id) void this.#fetchTrace(plan.id);
    if (plan && this.running && !this.#closed) {
      if (!this.#began) [this.#began, this.#moved, this.#stood] = [Date.now(), Date.now(), 0];
      clearTimeout(this.#timer);
      this.#timer = setTimeout(() => void this.#poll(plan.id), plan.state === 'waiting' ? 150 : 300);
    } else {
      this.#began = 0;
    }
  }

  async #poll(id: number) {
    try {
      this.#takePlan(await api.plan(id));
    } catch (error) {
      this.#fail(error);
      if (!this.#closed) this.#timer = setTimeout(() => void this.#poll(id), SLOWEST_POLL);
    }
  }

  async #fetchTrace(id: number) {
    this.#traceOf = id;
    try {
      const trace = decode(await api.trace(id));
      if (this.#traceOf !== id) return;
      this.trace = trace;
      this.playing = false;
      this.seconds = this.#end(this.operation);
    } catch (error) {
      this.#fail(error);
    }
  }

  /** When an operation ends in the program, seconds. */
  #end(operation: number): number {
    if (!this.trace) return 0;
    const [, last] = rangeOf(this.trace, operation);
    return last > 0 ? this.trace.seconds[last - 1]! : 0;
  }

  #fail(error: unknown) {
    this.faults = error instanceof api.Faults ? error.sentences : [String(error)];
  }

  async refreshBites() {
    if (!this.document) return;
    const document = this.document;
    const mine = ++this.#asked;
    const bites = await Promise.all(
      document.operations.map((_, i) => api.bite(document, i).catch(() => null)),
    );
    if (mine !== this.#asked) return;
    this.bites = bites;
    this.askRelief();
  }

  /** The bite of an edit that is still being typed; nothing is kept. */
  async preview(change: (operation: Operation) => Operation) {
    const document = this.#with(change);
    if (!document) return;
    const mine = ++this.#asked;
    try {
      const bite = await api.bite(document, this.operation);
      if (mine !== this.#asked) return;
      this.bites = this.bites.map((b, i) => (i === this.operation ? bite : b));
      this.faults = [];
      this.askRelief(document);
    } catch (error) {
      if (mine === this.#asked) this.#fail(error);
    }
  }

  #edits: Promise<void> = Promise.resolve();
  #resting: ReturnType<typeof setTimeout> | undefined;
  #chartKey = '';

  /** Ask what would relieve the ceilings, and for the chart, when nothing was typed for a while. */
  askRelief(document: JobDocument | null = this.document) {
    clearTimeout(this.#resting);
    this.reliefs = {};
    this.#resting = setTimeout(async () => {
      if (!document || this.#closed) return;
      const operation = this.operation;
      try {
        const found = await api.reliefs(document, operation);
        if (operation === this.operation)
          this.reliefs = Object.fromEntries(found.map((r) => [r.ceiling, r.sentence]));
        await this.askChart(document);
      } catch {
        this.reliefs = {};
      }
    }, 350);
  }

  /** The map of the chosen operation; asked anew only when something but its point changed. */
  async askChart(document: JobDocument | null = this.document) {
    const own = document?.operations[this.operation];
    if (!document || !own || !this.charting) return;
    const { bite, step_down, ...rest } = own;
    const key = JSON.stringify([
      rest,
      document.tools,
      document.material,
      document.machine,
      document.regions,
      bite === undefined || bite === null,
      step_down === undefined || step_down === null,
    ]);
    if (key === this.#chartKey && this.chart) return;
    const operation = this.operation;
    const found = await api.chart(document, operation);
    if (operation === this.operation) [this.chart, this.#chartKey] = [found, key];
  }

  #with(change: (operation: Operation) => Operation, name = this.current?.name): JobDocument | null {
    if (!this.document) return null;
    const operations = this.document.operations.map((o) => (o.name === name ? change(o) : o));
    return { ...this.document, operations };
  }

  changeOperation(change: (operation: Operation) => Operation) {
    // Of the operation that is looked at now; when its turn comes it may be another.
    const name = this.current?.name;
    return this.change(() => this.#with(change, name));
  }

  changeRegion(name: string, change: (region: Region) => Region) {
    return this.changeRegions([name], change);
  }

  changeRegions(names: string[], change: (region: Region) => Region) {
    return this.change(
      (d) => d && { ...d, regions: d.regions.map((r) => (names.includes(r.name) ? change(r) : r)) },
    );
  }

  /** Keep an edit; when the server refuses it, the job stays as it was and the reason is shown. */
  change(next: Edit, remember = true): Promise<void> {
    // One after the other: each edit is made on what the one before it left.
    this.#edits = this.#edits.then(() => this.#change(next, remember));
    return this.#edits;
  }

  async #change(edit: Edit, remember: boolean) {
    const before = this.document;
    const next = typeof edit === 'function' ? edit(before) : edit;
    if (!before || !next) return;
    try {
      const job = await api.changeJob(this.id, next);
      if (remember) {
        this.done = [...this.done, before];
        this.undone = [];
      }
      this.faults = [];
      this.#take(job);
    } catch (error) {
      this.#fail(error);
    }
    void this.refreshBites();
  }

  /** Share the areas of an operation out over several, by depth. */
  async shareOut(operation: string) {
    const at = this.document?.operations.findIndex((o) => o.name === operation) ?? -1;
    if (!this.document || at < 0) return;
    try {
      const operations = await api.byDepth(this.document, at);
      await this.change((d) => d && { ...d, operations });
    } catch (error) {
      this.#fail(error);
    }
  }

  async undo() {
    const last = this.done.at(-1);
    if (!last || !this.document) return;
    this.undone = [...this.undone, this.document];
    this.done = this.done.slice(0, -1);
    await this.change(last, false);
  }

  async redo() {
    const next = this.undone.at(-1);
    if (!next || !this.document) return;
    this.done = [...this.done, this.document];
    this.undone = this.undone.slice(0, -1);
    await this.change(next, false);
  }

  toggleEdge(name: string, edge: number) {
    return this.changeRegion(name, (region) => {
      const count = region.outline.length;
      const before =
        region.open_edges === 'all' ? Array.from({ length: count }, (_, i) => i) : (region.open_edges ?? []);
      const edges = before.includes(edge)
        ? before.filter((e) => e !== edge)
        : [...before, edge].sort((a, b) => a - b);
      return { ...region, open_edges: edges.length === count ? 'all' : edges };
    });
  }

  async startPlanning() {
    this.faults = [];
    // What was typed last is planned too; where it is refused there is nothing to plan.
    await settled();
    await this.#edits;
    if (this.faults.length) return;
    try {
      this.#takePlan(await api.startPlan(this.id));
    } catch (error) {
      this.#fail(error);
    }
  }

  async stopPlanning() {
    if (this.plan) this.#takePlan(await api.stopPlan(this.plan.id));
  }

  async choose(operation: number) {
    // What was typed is for the operation that it was typed at.
    await settled();
    this.operation = operation;
    this.level = null;
    this.playing = false;
    this.seconds = this.#end(operation);
    this.askRelief();
  }

  get cutter(): [number, number, number] | null {
    return this.trace ? placeAt(this.trace, this.seconds) : null;
  }
}
