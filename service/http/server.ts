/** The HTTP server, made from the route list. */
import { readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { serveStatic } from '@hono/node-server/serve-static';
import { Hono, type Context } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { compress } from 'hono/compress';
import { secureHeaders } from 'hono/secure-headers';
import { type Logger } from 'pino';
import { cellsToCsv, recordsToCsv } from '@zpine/contract/csv';
import { Refusal } from '@zpine/contract/errors';
import { type Value } from '@zpine/contract/fields';
import { isKind, kindOf } from '@zpine/contract/kinds';
import { REMARKS_HEADER, remarksHeader, type Remark } from '@zpine/contract/remarks';
import { type ShownRun } from '@zpine/contract/fleetShapes';
import { type Route } from '@zpine/contract/route';
import { routes, verbRoutes, type QueryOf, type RouteId } from '@zpine/contract/routes';
import { runTable } from '@zpine/contract/runTables';
import { type User } from '../app/access/who.ts';
import { handlers } from '../app/handlers.ts';
import { once, type Answer } from '../app/idempotency.ts';
import { type EventFeed } from '../store/events.ts';
import { takeUploaded } from '../app/imports/background.ts';
import { read, run, type Actor, type Store, type Tx } from '../store/tx.ts';
import { streamEvents } from './events.ts';
import { bodyOf, idempotencyKeyOf, parsed, queryOf, versionOf } from './input.ts';
import { openApi } from './openapi.ts';
import { Metrics } from './metrics.ts';
import { answerImpact, applied, previewOf } from './preview.ts';
import { answerProblem } from './problems.ts';
import { admit, closeSession, openSession } from './session.ts';
import { takeUpload } from './upload.ts';

export interface ServerOptions {
  store: Store;
  feed: EventFeed;
  log: Logger;
  version: string;
  bodyBytes: number;
  /** For imports that are answered at once, and for files that are uploaded. */
  importBytes: number;
  uploadBytes: number;
  sessionHours: number;
  cookieSecure: boolean;
  organisation: string;
  /** The folder of the built console, if there is one. */
  consoleFolder?: string | undefined;
  /** Aborted when the service shuts down: open streams end. */
  closing: AbortSignal;
}

export function makeServer(options: ServerOptions): Hono {
  const app = new Hono();
  app.onError((error, c) => answerProblem(c, error, options.log));
  app.use(
    secureHeaders({
      contentSecurityPolicy: {
        defaultSrc: ["'self'"],
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:'],
        fontSrc: ["'self'", 'data:'],
      },
      strictTransportSecurity: options.cookieSecure,
      crossOriginResourcePolicy: 'same-origin',
    }),
  );
  const squeeze = compress();
  app.use((c, next) => (c.req.path === '/api/v1/events' ? next() : squeeze(c, next)));
  const limited = (maxSize: number) =>
    bodyLimit({ maxSize, onError: (c) => answerProblem(c, new Refusal('body-large', { max: maxSize }), options.log) });
  const [plain, imports] = [limited(options.bodyBytes), limited(options.importBytes)];
  app.use((c, next) => {
    // An upload is measured as it comes: it is never held as a whole.
    if (c.req.path === '/api/v1/uploads') return next();
    return (c.req.path === '/api/v1/imports' ? imports : plain)(c, next);
  });
  addHealth(app, options);
  const document = JSON.stringify(openApi(options.version));
  app.get('/api/openapi.json', (c) => c.body(document, 200, { 'Content-Type': 'application/json' }));
  for (const [id, route] of Object.entries(routes) as [RouteId, Route][]) {
    app.on(route.method, honoPath(route), (c) => answer(c, id, route, options));
  }
  refuseTheRest(app);
  if (options.consoleFolder) addConsole(app, options.consoleFolder);
  return app;
}

const honoPath = (route: Route): string => `/api/v1${route.path.replace(/\{(\w+)\}/g, ':$1')}`;

function addHealth(app: Hono, { store, version, organisation }: ServerOptions): void {
  const metrics = new Metrics(store, version);
  app.get('/metrics', async (c) => {
    await admit(c, store, 'viewer');
    return c.body(await metrics.text(), 200, { 'Content-Type': metrics.contentType });
  });
  app.get('/health/live', (c) => c.json({ alive: true }));
  app.get('/health/ready', async (c) => {
    await read(store, { name: 'service', via: 'service' }, (tx) => tx.one('SELECT 1 AS one'));
    return c.json({ ready: true });
  });
  app.get('/api/v1/about', (c) => c.json({ product: 'Zealous Pine', version, organisation }));
}

/** What is below /api and matches no route: the method is wrong, or the path is. */
function refuseTheRest(app: Hono): void {
  const known = [...new Set(Object.values(routes).map(honoPath))].map((path) => ({
    pattern: new RegExp(`^${path.replace(/:\w+/g, '[^/]+')}$`),
    methods: Object.values(routes)
      .filter((r) => honoPath(r) === path)
      .map((r) => r.method),
  }));
  app.all('/api/*', (c) => {
    const { method, path } = c.req;
    const match = known.find((k) => k.pattern.test(path));
    if (match) throw new Refusal('method-unknown', { path, method, allowed: match.methods.join(', ') });
    throw new Refusal('route-unknown', { method, path });
  });
}

/** The console is one page that finds its own way; its assets carry their digest in their names. */
function addConsole(app: Hono, folder: string): void {
  const page = readFileSync(join(folder, 'index.html'), 'utf8');
  app.use('/assets/*', async (c, next) => {
    await next();
    if (c.res.ok) c.header('Cache-Control', 'public, max-age=31536000, immutable');
  });
  app.get('/assets/*', serveStatic({ root: relative(process.cwd(), folder) || '.' }));
  for (const file of ['/favicon.svg', '/without-eval.js'])
    app.get(file, serveStatic({ root: relative(process.cwd(), folder) || '.' }));
  app.get('/assets/*', (c) => c.text('not found', 404));
  app.get('*', (c) => c.html(page, 200, { 'Cache-Control': 'no-cache' }));
}

const viaOf = (c: Context, user: User): Actor['via'] => {
  const said = c.req.header('Zpine-Via');
  if (said === 'cli' || said === 'console') return said;
  return user.by === 'session' ? 'console' : 'api';
};

async function answer(c: Context, id: RouteId, route: Route, options: ServerOptions): Promise<Response> {
  const { store } = options;
  if (id === 'session.open') {
    const body = parsed(verbRoutes['session.open'].body, await bodyOf(c)) as { name: string; password: string };
    return c.json(await openSession(c, store, body, { hours: options.sessionHours, secure: options.cookieSecure }));
  }
  const user = await admit(c, store, route.role === 'anyone' ? 'viewer' : route.role);
  if (id === 'events') return streamEvents(c, options.feed, options.closing);
  if (id === 'session.show') return c.json({ name: user.name, title: user.title, role: user.role, disabled: false });
  const { query, reason } = queryOf(c, route);
  const actor: Actor = { name: user.name, via: viaOf(c, user), reason };
  if (id === 'session.close') {
    await closeSession(c, store, actor);
    return c.body(null, 204);
  }

  if (id === 'import.upload')
    return takeUpload(c, store, actor, query as QueryOf<'import.upload'>, options.uploadBytes);
  const handler = handlers[id];
  // Bodies of the kinds are checked with their references, so that one answer names all faults.
  const preview = route.method === 'GET' ? undefined : previewOf(c.req.query(), id, route);
  const sent = route.body ? await bodyOf(c) : {};
  const raw = preview ? applied(route, sent) : sent;
  const body = route.body && id in verbRoutes ? parsed(route.body, raw) : raw;
  const params = c.req.param() as Record<string, string>;
  const call = { params, query, body, version: versionOf(c), user };
  const status = route.status ?? 200;
  if (route.method === 'GET')
    return reply(c, id, { status, body: await read(store, actor, (tx) => handler(tx, call)) });
  if (preview) {
    const work = previewedWork(store, id, (tx) => handler(tx, call), params);
    const { seconds } = preview;
    return answerImpact(c, { store, actor, action: id, work, kind: id.split('.')[0] ?? '', seconds }, options.log);
  }

  const key = route.unrecorded ? undefined : idempotencyKeyOf(c);
  let remarks: readonly Remark[] = [];
  const result = await run(store, actor, id, async (tx): Promise<Answer> => {
    remarks = tx.remarks;
    const work = async (): Promise<Answer> => ({ status, body: await handler(tx, call) });
    if (key === undefined) return work();
    return once(tx, user.id, key, `${route.method} ${c.req.path} ${JSON.stringify(raw)}`, work);
  });
  if (remarks.length > 0) c.header(REMARKS_HEADER, remarksHeader(remarks));
  return reply(c, id, result);
}

/** An uploaded file is saved by a job later: what the job would do is looked at, not that there would be one. */
const previewedWork = (
  store: Store,
  id: RouteId,
  work: (tx: Tx) => Promise<unknown>,
  params: Record<string, string>,
): ((tx: Tx) => Promise<unknown>) => (id === 'import.apply' ? (tx) => takeUploaded(tx, store, params.id ?? '') : work);

function reply(c: Context, id: RouteId, { status, body }: Answer): Response {
  if (status === 204) return c.body(null, 204);
  const [kind = '', verb = ''] = id.split('.');
  if (id === 'run.show' && wantsCsv(c)) {
    const { heads, rows } = runTable(body as ShownRun);
    return c.body(cellsToCsv(heads, rows), 200, { 'Content-Type': 'text/csv; charset=utf-8' });
  }
  if (verb === 'list' && isKind(kind)) {
    const { items, next } = body as { items: Record<string, Value>[]; next: string | null };
    if (next !== null) c.header('Link', `<${nextUrl(c, next)}>; rel="next"`);
    if (wantsCsv(c)) {
      return c.body(recordsToCsv(kindOf(kind), items), 200, { 'Content-Type': 'text/csv; charset=utf-8' });
    }
  }
  const version = (body as { version?: unknown } | null)?.version;
  if (typeof version === 'number') c.header('ETag', `"${version}"`);
  const text = JSON.stringify(body);
  // With a known length, short answers are not compressed.
  return c.body(text, status as 200, {
    'Content-Type': 'application/json',
    'Content-Length': String(Buffer.byteLength(text)),
  });
}

const wantsCsv = (c: Context): boolean => /\btext\/csv\b/.test(c.req.header('Accept') ?? '');

function nextUrl(c: Context, mark: string): string {
  const url = new URL(c.req.url);
  url.searchParams.set('after', mark);
  return `${url.pathname}${url.search}`;
}
