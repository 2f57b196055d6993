/** The typed client, made from the route list: used by the command line, the console and the demo loader. */
import { type z } from 'zod';
import { type bulkBody, type BulkReply, type RemovalReply } from './bulkRoutes.ts';
import { type Problem } from './errors.ts';
import { type Upload } from './importRoutes.ts';
import { recordPath } from './kind.ts';
import { kindOf, type ApiRecord, type KindName } from './kinds.ts';
import { pathNames } from './route.ts';
import { routes, type BodyIn, type QueryIn, type ReplyOf, type VerbRouteId } from './routes.ts';

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

export interface ClientOptions {
  /** Empty in the console: the page's own origin. */
  url: string;
  token?: string | undefined;
  via: 'cli' | 'console' | 'api';
  fetch?: typeof fetch;
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
}

export type BulkIn = z.input<typeof bulkBody>;

type Query = Record<string, string | number | undefined>;

export class Client {
  private readonly options: ClientOptions;

  constructor(options: ClientOptions) {
    this.options = options;
  }

  /** Calls a route that is not one of the kinds' five. */
  call<R extends VerbRouteId>(
    id: R,
    input: { params?: Record<string, string>; query?: QueryIn<R>; body?: BodyIn<R> } & WriteOptions = {},
  ): Promise<ReplyOf<R>> {
    const route = routes[id];
    let path = `/api/v1${route.path}`;
    for (const name of pathNames(route.path))
      path = path.replace(`{${name}}`, encodeURIComponent(input.params?.[name] ?? ''));
    return this.send(route.method, path, input.query as Query | undefined, input.body, input) as Promise<ReplyOf<R>>;
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
    return this.send('PATCH', `/api/v1/${kindOf(kind).path}`, {}, body, options) as Promise<BulkReply>;
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
    return this.send('POST', `${recordPath(kindOf(kind), ref)}/removal`, {}, {}) as Promise<RemovalReply>;
  }

  /** Sends a file as it is, without holding it in memory. */
  async upload(
    query: QueryIn<'import.upload'>,
    body: ReadableStream | Blob,
    options: WriteOptions = {},
  ): Promise<Upload> {
    const stream = { body, ...(body instanceof Blob ? {} : { duplex: 'half' }) };
    return (await this.send('POST', '/api/v1/uploads', query as Query, undefined, options, stream)) as Upload;
  }

  /** Sends one request and reads its answer; refusals and silence become errors. */
  async send(
    method: string,
    path: string,
    query: Query = {},
    body?: unknown,
    options: WriteOptions = {},
    /** Instead of a body in JSON. */
    raw?: object,
  ): Promise<unknown> {
    const search = new URLSearchParams();
    for (const [name, value] of Object.entries(query)) if (value !== undefined) search.set(name, String(value));
    if (options.reason) search.set('reason', options.reason);
    const headers: Record<string, string> = { Accept: 'application/json', 'Zpine-Via': this.options.via };
    if (this.options.token) headers.Authorization = `Bearer ${this.options.token}`;
    if (body !== undefined) headers['Content-Type'] = 'application/json';
    if (options.version !== undefined) headers['If-Match'] = `"${options.version}"`;
    if (options.idempotencyKey) headers['Idempotency-Key'] = options.idempotencyKey;
    const url = `${this.options.url}${path}${search.size > 0 ? `?${search}` : ''}`;
    let response: Response;
    try {
      const send = this.options.fetch ?? fetch;
      response = await send(url, { method, headers, ...(body === undefined ? raw : { body: JSON.stringify(body) }) });
    } catch (error) {
      const cause = (error as { cause?: { code?: string } }).cause?.code;
      throw new UnreachedError(`${this.options.url || 'the service'} does not answer${cause ? ` (${cause})` : ''}`);
    }
    if (response.status === 204) return null;
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
