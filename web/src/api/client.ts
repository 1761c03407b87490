/** Calls to the server, typed from its OpenAPI schema. A fault is thrown as `Faults`. */
import createClient from 'openapi-fetch';
import type { Bite, Finding, JobDocument, Operation, Picture, Placing, Plan, Stores } from '../types';
import type { components, paths } from './schema';

export class Faults extends Error {
  constructor(readonly sentences: string[]) {
    super(sentences.join(' '));
  }
}

export interface JobLine {
  id: number;
  name: string;
  updated: string;
  seconds: number | null;
  state: string;
  findings: number;
  picture: Picture;
}

export interface Job {
  id: number;
  revision: number;
  document: JobDocument;
  picture: Picture;
  plan: Plan | null;
}

export interface Quantity {
  value: number;
  metric: string;
  inch: string;
}

const client = createClient<paths>({ baseUrl: '/' });

interface Answer {
  data?: unknown;
  error?: unknown;
  response: Response;
}

async function unwrap<T>(call: Promise<Answer>): Promise<T> {
  let answer: Answer;
  try {
    answer = await call;
  } catch {
    throw new Faults(['The server does not answer. Is it still running?']);
  }
  if (answer.response.ok) return answer.data as T;
  const faults = (answer.error as { faults?: string[] } | undefined)?.faults;
  throw new Faults(faults ?? [`The server could not do that (${answer.response.status}).`]);
}

/** Documents are typed here, and plain JSON objects in the schema. */
type Plain = Record<string, never>;
const plain = (document: JobDocument) => document as unknown as Plain;

export const stores = () => unwrap<Stores>(client.GET('/api/stores'));
export const nearestMaterial = (group: string, hardness: number | null) =>
  unwrap<{ id: string | null }>(
    client.GET('/api/nearest-material', { params: { query: { group, hardness } } }),
  );
export const keepEntry = (kind: string, data: Record<string, unknown>, pk: number | null) =>
  pk === null
    ? unwrap<{ id: number }>(
        client.POST('/api/stores/{kind}', { params: { path: { kind } }, body: { data: data as Plain } }),
      )
    : unwrap<{ id: number }>(
        client.PUT('/api/stores/{kind}/{pk}', {
          params: { path: { kind, pk } },
          body: { data: data as Plain },
        }),
      );
export const deleteEntry = (kind: string, pk: number) =>
  unwrap<void>(client.DELETE('/api/stores/{kind}/{pk}', { params: { path: { kind, pk } } }));
export async function importCutters(file: File): Promise<{ count: number }> {
  const body = new FormData();
  body.append('file', file);
  const call = fetch('/api/cutters', { method: 'POST', body }).then(async (response) => {
    const content: unknown = await response.json().catch(() => undefined);
    return { data: content, error: content, response };
  });
  return unwrap<{ count: number }>(call);
}
export const jobs = () => unwrap<JobLine[]>(client.GET('/api/jobs'));
export const job = (pk: number) => unwrap<Job>(client.GET('/api/jobs/{pk}', { params: { path: { pk } } }));
export const makeJob = (document: JobDocument) =>
  unwrap<Job>(client.POST('/api/jobs', { body: { document: plain(document) } }));
export const changeJob = (pk: number, document: JobDocument) =>
  unwrap<Job>(
    client.PUT('/api/jobs/{pk}', { params: { path: { pk } }, body: { document: plain(document) } }),
  );
export const deleteJob = (pk: number) =>
  unwrap<void>(client.DELETE('/api/jobs/{pk}', { params: { path: { pk } } }));
export const bite = async (document: JobDocument, operation: number) =>
  (await unwrap<{ bite: Bite }>(client.POST('/api/bite', { body: { document: plain(document), operation } })))
    .bite;
export type Relief = components['schemas']['ReliefOut'];
export type BiteChart = components['schemas']['ChartOut'];
export const reliefs = (document: JobDocument, operation: number) =>
  unwrap<Relief[]>(client.POST('/api/bite/relief', { body: { document: plain(document), operation } }));
export const chart = (document: JobDocument, operation: number) =>
  unwrap<BiteChart>(client.POST('/api/bite/chart', { body: { document: plain(document), operation } }));
export const quantity = (text: string, kind: string, units: string) =>
  unwrap<Quantity>(client.POST('/api/quantity', { body: { text, kind, units } }));
export const startPlan = (pk: number) =>
  unwrap<Plan>(client.POST('/api/jobs/{pk}/plan', { params: { path: { pk } } }));
export const plan = (pk: number) => unwrap<Plan>(client.GET('/api/plans/{pk}', { params: { path: { pk } } }));
export const stopPlan = (pk: number) =>
  unwrap<Plan>(client.POST('/api/plans/{pk}/stop', { params: { path: { pk } } }));

export async function trace(pk: number): Promise<ArrayBuffer> {
  const answer = await fetch(`/api/plans/${pk}/trace`);
  if (!answer.ok) throw new Faults(['The path could not be fetched.']);
  return answer.arrayBuffer();
}

type Schemas = components['schemas'];
export type PartFile = Schemas['PartOut'];
export type Layout = Schemas['LayoutOut'];
export type Feature = Schemas['FeatureOut'];
export type Chain = Schemas['ChainOut'];
export type AreaIn = Schemas['AreaIn'];
export type Pick = Schemas['Pick'];

/** Keep a part file and have it read; ask `part` until it is done. */
async function sendPart(file: File, units = '', join = 0): Promise<PartFile> {
  const body = new FormData();
  body.append('file', file);
  body.append('units', units);
  body.append('join', String(join));
  const call = fetch('/api/parts', { method: 'POST', body }).then(async (response) => {
    const content: unknown = await response.json().catch(() => undefined);
    return { data: content, error: content, response };
  });
  return unwrap<PartFile>(call);
}

export const part = (pk: number) =>
  unwrap<PartFile>(client.GET('/api/parts/{pk}', { params: { path: { pk } } }));

/** Send a part and wait until it is read. A part that cannot be read is thrown as `Faults`. */
export async function readPart(file: File, units = '', join = 0): Promise<PartFile> {
  let found = await sendPart(file, units, join);
  while (found.state === 'waiting' || found.state === 'reading') {
    await new Promise((r) => setTimeout(r, 250));
    found = await part(found.id);
  }
  if (found.state === 'failed') throw new Faults([found.sentence]);
  return found;
}

export async function mesh(pk: number, body: number): Promise<ArrayBuffer> {
  const answer = await fetch(`/api/parts/${pk}/mesh?body=${body}`);
  if (!answer.ok) throw new Faults(['The part could not be fetched.']);
  return answer.arrayBuffer();
}

const placed = (placing: Placing) => placing as unknown as Plain;
export const layout = (pk: number, placing: Placing) =>
  unwrap<Layout>(
    client.POST('/api/parts/{pk}/layout', { params: { path: { pk } }, body: { placing: placed(placing) } }),
  );
export const slice = (pk: number, placing: Placing, z: number) =>
  unwrap<Feature[]>(
    client.POST('/api/parts/{pk}/slice', { params: { path: { pk } }, body: { placing: placed(placing), z } }),
  );
export const chain = (pk: number, placing: Placing, pick: Pick) =>
  unwrap<Chain>(
    client.POST('/api/parts/{pk}/chain', {
      params: { path: { pk } },
      body: { placing: placed(placing), pick },
    }),
  );
export const chainArea = (
  pk: number,
  placing: Placing,
  pick: Pick,
  wish: { bottom: number; bridge: boolean; width: number | null; right: boolean },
) =>
  unwrap<Feature>(
    client.POST('/api/parts/{pk}/chain-area', {
      params: { path: { pk } },
      body: { placing: placed(placing), pick, ...wish },
    }),
  );
export const drawnArea = (area: AreaIn) => unwrap<Feature>(client.POST('/api/areas', { body: area }));
export const mergeAreas = (areas: AreaIn[]) =>
  unwrap<Feature>(client.POST('/api/areas/merge', { body: { areas } }));
export const splitArea = (area: AreaIn, a: [number, number], b: [number, number]) =>
  unwrap<Feature[]>(client.POST('/api/areas/split', { body: { area, a, b } }));
export const changePart = (pk: number, newPart: number) =>
  unwrap<{ job: Job; findings: Finding[] }>(
    client.POST('/api/jobs/{pk}/part', { params: { path: { pk } }, body: { part: newPart } }),
  );
/** The operations of a document, the areas of one shared out over several by depth. */
export const byDepth = async (document: JobDocument, operation: number) =>
  (
    await unwrap<{ operations: Operation[] }>(
      client.POST('/api/bite/by-depth', { body: { document: plain(document), operation } }),
    )
  ).operations;

export const limits = async (document: JobDocument, operation: number) =>
  (
    await unwrap<Schemas['Limits']>(
      client.POST('/api/limits', { body: { document: plain(document), operation } }),
    )
  ).areas;
