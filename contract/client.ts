/** The typed client, made from the route list: used by the command line, the console and the demo loader. */
import type { z } from 'zod';
import type { bulkBodySchema, BulkReply, RemovalReply, removeManyBodySchema, RemoveManyReply } from './bulkRoutes.ts';
import { REMARKS_HEADER, remarksIn, type Remark } from './remarks.ts';
import type { Problem } from './errors.ts';
import { heard, IMPACT_STREAM, noImpact, type Impact, type ImpactLine } from './impactShapes.ts';
import type { Upload } from './importRoutes.ts';
import { recordPath } from './kind.ts';
import { kindOf, type ApiRecord, type KindName } from './kinds.ts';
import type { CountIs } from './counting.ts';
import { pathNames, saves } from './call.ts';
import { calls } from './calls.ts';
import type { BodyIn, QueryIn, ReplyOf, VerbRouteId } from './routes.ts';

/** The service refused: `problem` has code, words and places. */
export class RefusedError extends Error {
  readonly problem: Problem;
  constructor(problem: Problem) {
    super(problem.detail);
    this.name = 'RefusedError';
    this.problem = problem;
  }
}

/** The service did not answer, or what answered is not the service. */
export class UnreachedError extends Error {
  override name = 'UnreachedError';
}

/** Thrown by writes of a client that only previews: nothing was saved, and this is what they would do. */
export class PreviewedError extends Error {
  override name = 'PreviewedError';
  readonly impact: Impact;
  constructor(impact: Impact) {
    super('nothing was saved: this was a preview');
    this.impact = impact;
  }
}

export interface PreviewOptions {
  /** Called with all that is known, again and again. */
  hear?: (impact: Impact) => void;
  signal?: AbortSignal;
  seconds?: number;
}

export interface ClientOptions {
  /** Empty in the console: the page's own origin. */
  url: string;
  token?: string | undefined;
  via: 'cli' | 'console' | 'api';
  fetch?: typeof fetch;
  /** Set where writes are to tell what they would do, and save nothing. */
  preview?: PreviewOptions;
  /** Hears what a write leaves to be done or known. */
  onRemarks?: (remarks: Remark[]) => void;
}

export interface WriteOptions {
  version?: number | undefined;
  reason?: string | undefined;
  idempotencyKey?: string | undefined;
}

export interface Page<T> {
  items: T[];
  next: string | null;
  count?: number;
  countIs?: CountIs;
}

export type BulkIn = z.input<typeof bulkBodySchema>;
export type RemoveManyIn = z.input<typeof removeManyBodySchema>;

type Query = Record<string, string | number | undefined>;

export class Client {
  private readonly options: ClientOptions;

  constructor(options: ClientOptions) {
    this.options = options;
  }

  /** What a write would do elsewhere: the write itself, by a client that saves nothing. */
  async impactOf(write: (client: Client) => Promise<unknown>, preview: PreviewOptions): Promise<Impact> {
    try {
      await write(new Client({ ...this.options, preview }));
    } catch (error) {
      if (error instanceof PreviewedError) return error.impact;
      throw error;
    }
    throw new Error('nothing was written');
  }

  /** Calls a route that is not one of the kinds' five. */
  call<R extends VerbRouteId>(
    id: R,
    input: { params?: Record<string, string>; query?: QueryIn<R>; body?: BodyIn<R> } & WriteOptions = {},
  ): Promise<ReplyOf<R>> {
    const call = calls[id];
    let path = `/api/v1${call.path}`;
    for (const name of pathNames(call.path))
      path = path.replace(`{${name}}`, encodeURIComponent(input.params?.[name] ?? ''));
    const options = { ...input, onlyReads: !saves(call, input.body) };
    return this.send(call.method, path, input.query as Query | undefined, input.body, options) as Promise<ReplyOf<R>>;
  }

  list<K extends KindName>(kind: K, query: Query = {}): Promise<Page<ApiRecord<K>>> {
    return this.send('GET', `/api/v1/${kindOf(kind).path}`, query) as Promise<Page<ApiRecord<K>>>;
  }

  /** Every record, page by page. */
  async *all<K extends KindName>(kind: K, query: Query = {}): AsyncGenerator<ApiRecord<K>> {
    for (let after: string | undefined; ;) {
      const page = await this.list(kind, { limit: 500, ...query, after });
      yield* page.items;
      if (page.next === null) return;
      after = page.next;
    }
  }

  show<K extends KindName>(kind: K, ref: string | number): Promise<ApiRecord<K>> {
    return this.send('GET', recordPath(kindOf(kind), ref)) as Promise<ApiRecord<K>>;
  }

  add<K extends KindName>(kind: K, fields: object, options: WriteOptions = {}): Promise<ApiRecord<K>> {
    return this.send('POST', `/api/v1/${kindOf(kind).path}`, {}, fields, options) as Promise<ApiRecord<K>>;
  }

  addAll<K extends KindName>(kind: K, records: object[], options: WriteOptions = {}): Promise<ApiRecord<K>[]> {
    return this.send('POST', `/api/v1/${kindOf(kind).path}`, {}, records, options) as Promise<ApiRecord<K>[]>;
  }

  edit<K extends KindName>(
    kind: K,
    ref: string | number,
    fields: object,
    options: WriteOptions = {},
  ): Promise<ApiRecord<K>> {
    return this.send('PATCH', recordPath(kindOf(kind), ref), {}, fields, options) as Promise<ApiRecord<K>>;
  }

  async remove(kind: KindName, ref: string | number, options: WriteOptions = {}): Promise<void> {
    await this.send('DELETE', recordPath(kindOf(kind), ref), {}, undefined, options);
  }

  /** Edits many records at once, or shows what would come of it. */
  editMany(kind: KindName, body: BulkIn, options: WriteOptions = {}): Promise<BulkReply> {
    const path = `/api/v1/${kindOf(kind).path}`;
    return this.send('PATCH', path, {}, body, { ...options, onlyReads: !body.apply }) as Promise<BulkReply>;
  }

  /** Removes many records at once, or shows what would go. */
  removeMany(kind: KindName, body: RemoveManyIn, options: WriteOptions = {}): Promise<RemoveManyReply> {
    const path = `/api/v1/${kindOf(kind).path}/removal`;
    return this.send('POST', path, {}, body, { ...options, onlyReads: !body.apply }) as Promise<RemoveManyReply>;
  }

  clone<K extends KindName>(
    kind: K,
    ref: string | number,
    records: object[],
    options: WriteOptions = {},
  ): Promise<ApiRecord<K>[]> {
    const path = `${recordPath(kindOf(kind), ref)}/clones`;
    return this.send('POST', path, {}, { records }, options) as Promise<ApiRecord<K>[]>;
  }

  /** What a removal would take along, and what stands in its way. */
  removal(kind: KindName, ref: string | number): Promise<RemovalReply> {
    const path = `${recordPath(kindOf(kind), ref)}/removal`;
    return this.send('POST', path, {}, {}, { onlyReads: true }) as Promise<RemovalReply>;
  }

  /** Sends a file as it is, without holding it in memory. */
  async upload(
    query: QueryIn<'import.upload'>,
    body: ReadableStream | Blob,
    options: WriteOptions = {},
  ): Promise<Upload> {
    const stream = { body, ...(body instanceof Blob ? {} : { duplex: 'half' }) };
    return (await this.send('POST', '/api/v1/uploads', query, undefined, options, stream)) as Upload;
  }

  /** Sends the content of an image, without holding it in memory. `length`: in bytes. */
  async putImage(
    ref: string,
    query: QueryIn<'image.put'>,
    body: ReadableStream | Blob,
    { length, ...options }: WriteOptions & { length?: number } = {},
  ): Promise<ReplyOf<'image.put'>> {
    const stream = {
      body,
      ...(body instanceof Blob ? {} : { duplex: 'half' }),
      ...(length === undefined ? {} : { headers: { 'Content-Length': String(length) } }),
    };
    const path = `/api/v1/images/${encodeURIComponent(ref)}/content`;
    return (await this.send('POST', path, query, undefined, options, stream)) as ReplyOf<'image.put'>;
  }

  /** The content of an image, as it comes. */
  async getImage(ref: string): Promise<ReadableStream> {
    const url = `${this.options.url}/api/v1/images/${encodeURIComponent(ref)}/content`;
    const headers: Record<string, string> = { 'Zpine-Via': this.options.via };
    if (this.options.token) headers.Authorization = `Bearer ${this.options.token}`;
    const response = await fetch(url, { headers }).catch((error: unknown) => {
      throw unreached(this.options.url || 'the service', error);
    });
    if (response.ok && response.body) return response.body;
    throw new RefusedError((await response.json()) as Problem);
  }

  /** Sends one request and reads its answer; refusals and silence become errors. */
  async send(
    method: string,
    path: string,
    query: Query = {},
    body?: unknown,
    options: WriteOptions & { onlyReads?: boolean } = {},
    /** Instead of a body in JSON. */
    raw?: { headers?: Record<string, string> } & object,
  ): Promise<unknown> {
    const search = new URLSearchParams();
    const preview = method === 'GET' || options.onlyReads ? undefined : this.options.preview;
    if (preview) search.set('preview', 'impact');
    if (preview?.seconds !== undefined) search.set('previewSeconds', String(preview.seconds));
    for (const [name, value] of Object.entries(query)) if (value !== undefined) search.set(name, String(value));
    if (options.reason) search.set('reason', options.reason);
    const accept = preview ? `${IMPACT_STREAM}, application/json` : 'application/json';
    const headers: Record<string, string> = { Accept: accept, 'Zpine-Via': this.options.via };
    if (this.options.token) headers.Authorization = `Bearer ${this.options.token}`;
    if (body !== undefined) headers['Content-Type'] = 'application/json';
    if (options.version !== undefined) headers['If-Match'] = `"${options.version}"`;
    if (options.idempotencyKey) headers['Idempotency-Key'] = options.idempotencyKey;
    const url = `${this.options.url}${path}${search.size > 0 ? `?${search.toString()}` : ''}`;
    let response: Response;
    try {
      const send = this.options.fetch ?? fetch;
      const signal = preview?.signal;
      const sent = body === undefined ? raw : { body: JSON.stringify(body) };
      const all = { ...headers, ...raw?.headers };
      response = await send(url, { method, ...sent, headers: all, ...(signal ? { signal } : {}) });
    } catch (error) {
      throw unreached(this.options.url || 'the service', error);
    }
    const remarks = remarksIn(response.headers.get(REMARKS_HEADER));
    if (remarks.length > 0) this.options.onRemarks?.(remarks);
    if (response.status === 204) return null;
    if (preview && response.ok) throw new PreviewedError(await impactIn(response, preview));
    const text = await response.text();
    let answer: unknown;
    try {
      answer = JSON.parse(text);
    } catch {
      throw new UnreachedError(`${url} answered with status ${response.status}, and not with JSON: is it the service?`);
    }
    if (!response.ok) throw new RefusedError(answer as Problem);
    return answer;
  }
}

const distrusted =
  /^(DEPTH_ZERO_SELF_SIGNED_CERT|SELF_SIGNED_CERT_IN_CHAIN|UNABLE_TO_VERIFY_LEAF_SIGNATURE|UNABLE_TO_GET_ISSUER_CERT(_LOCALLY)?|CERT_UNTRUSTED)$/;

/** Why no answer came, in words: a certificate that is not trusted is another thing than silence. */
export function unreached(url: string, error: unknown): UnreachedError {
  const { code = '', message } = (error as { cause?: { code?: string; message?: string } }).cause ?? {};
  if (distrusted.test(code))
    return new UnreachedError(
      `${url} answers with a certificate that is not trusted here; if it is yours, name its authority: NODE_EXTRA_CA_CERTS=FILE`,
    );
  if (code === 'CERT_HAS_EXPIRED') return new UnreachedError(`the certificate of ${url} has expired`);
  if (code === 'ERR_TLS_CERT_ALTNAME_INVALID')
    return new UnreachedError(`the certificate of ${url} is for another name: ${message ?? ''}`);
  return new UnreachedError(`${url} does not answer${code ? ` (${code})` : ''}`);
}

/** Reads an impact as it comes, line by line. */
async function impactIn(response: Response, { hear }: PreviewOptions): Promise<Impact> {
  let impact = noImpact();
  let held = '';
  let ended = false;
  const take = (text: string): void => {
    const line = JSON.parse(text) as ImpactLine;
    if (line.event === 'refused') throw new RefusedError(line.problem);
    ended = line.event === 'end';
    impact = heard(impact, line);
    hear?.(impact);
  };
  const decoder = new TextDecoder();
  const reader = response.body?.getReader();
  for (let piece = await reader?.read(); piece && !piece.done; piece = await reader?.read()) {
    held += decoder.decode(piece.value as Uint8Array, { stream: true });
    const lines = held.split('\n');
    held = lines.pop() ?? '';
    for (const line of lines) take(line);
  }
  if (!ended) throw new UnreachedError('the service went away in the middle of its answer');
  return impact;
}
