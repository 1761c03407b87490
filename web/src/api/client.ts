/** Calls to the server, typed from its OpenAPI schema. A fault is thrown as `Faults`. */
import createClient from 'openapi-fetch';
import type { Bite, JobDocument, Picture, Plan, ReadDrawing, Stores } from '../types';
import type { paths } from './schema';

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

export async function readDrawing(file: File, units: string): Promise<ReadDrawing> {
  const body = new FormData();
  body.append('file', file);
  body.append('units', units);
  const call = fetch('/api/drawings', { method: 'POST', body }).then(async (response) => {
    const content: unknown = await response.json().catch(() => undefined);
    return { data: content, error: content, response };
  });
  return unwrap<ReadDrawing>(call);
}
