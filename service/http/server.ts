/** The HTTP server, made from the route list. */
import { readFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { serveStatic } from '@hono/node-server/serve-static';
import { Hono, type Context } from 'hono';
import { compress } from 'hono/compress';
import { stream } from 'hono/streaming';
import { secureHeaders } from 'hono/secure-headers';
import type { Logger } from 'pino';
import { Refusal } from '@zpine/contract/errors';
import type { BootState, ShownProcess } from '@zpine/contract/processes';
import type { Route } from '@zpine/contract/route';
import { routes, verbRoutes, type QueryOf, type RouteId } from '@zpine/contract/routes';
import type { User } from '../app/access/who.ts';
import type { OwnRoutes } from '../app/handler.ts';
import type { EventFeed } from '../store/events.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly } from '../store/transact.ts';
import type { Answered, Apart, Asked } from './asked.ts';
import { carryOut } from './carryOut.ts';
import { answerTerminal, type OpensTerminal } from './terminal.ts';
import { streamEvents } from './events.ts';
import { bodyIn, idempotencyKeyOf, parsed, queryOf, textOf, versionOf } from './input.ts';
import { giveImage, takeImage } from './imageContent.ts';
import { openApi } from './openapi.ts';
import { Metrics } from './metrics.ts';
import { answerProblem } from './problems.ts';
import type { BodyRoom } from './bodyRoom.ts';
import { admit, closeSession, openSession, refuseForeign, refuseForeignPage, stillIn } from './session.ts';
import { answerUpload } from './upload.ts';

export interface ServerOptions {
  store: Store;
  feed: EventFeed;
  log: Logger;
  version: string;
  bodyBytes: number;
  /** For imports that are answered at once, and for files that are uploaded. */
  importBytes: number;
  uploadBytes: number;
  imageBytes: number;
  sessionHours: number;
  cookieSecure: boolean;
  /** Addresses of proxies whose word counts on whom a request comes from. */
  trustedProxies: readonly string[];
  organisation: string;
  /** Event streams that are open, by user. */
  streams: Map<number, number>;
  /** For the bodies that are held at a time. */
  room: BodyRoom;
  /** Where large work is done; left out, it is done here. */
  apart?: Apart | undefined;
  /** The processes that the service consists of, as they are now. */
  processes: () => ShownProcess[];
  /** How it is with whoever answers booting devices; undefined where nobody does, or it is not said in time. */
  booting?: (() => Promise<BootState | undefined>) | undefined;
  /** Opens terminals on devices. */
  terminal: OpensTerminal;
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
        baseUri: ["'none'"],
        formAction: ["'self'"],
        frameAncestors: ["'none'"],
        objectSrc: ["'none'"],
      },
      strictTransportSecurity: options.cookieSecure,
      crossOriginResourcePolicy: 'same-origin',
    }),
  );
  const squeeze = compress();
  // Answers are for whoever asked, and may hold what nobody else is to see.
  app.use('/api/*', async (c, next) => {
    await next();
    if (!c.res.headers.has('Cache-Control')) c.header('Cache-Control', 'no-store');
  });
  app.use((c, next) => (c.req.path === '/api/v1/events' ? next() : squeeze(c, next)));
  addHealth(app, options);
  // Worked out for who first asks: it takes most of the time of a start.
  let document: string | undefined;
  app.get('/api/openapi.json', (c) =>
    c.body((document ??= JSON.stringify(openApi(options.version))), 200, { 'Content-Type': 'application/json' }),
  );
  for (const [id, route] of Object.entries(routes) as [RouteId, Route][]) {
    app.on(route.method, honoPath(route), (c) => answer(c, id, route, options));
  }
  refuseTheRest(app);
  if (options.consoleFolder) addConsole(app, options.consoleFolder);
  return app;
}

const honoPath = (route: Route): string => `/api/v1${route.path.replace(/\{(\w+)\}/g, ':$1')}`;

function addHealth(app: Hono, { store, version, organisation, booting }: ServerOptions): void {
  const metrics = new Metrics(store, version, booting);
  app.get('/metrics', async (c) => {
    await admit(c, store, 'viewer');
    return c.body(await metrics.text(), 200, { 'Content-Type': metrics.contentType });
  });
  app.get('/health/live', (c) => c.json({ alive: true }));
  app.get('/health/ready', async (c) => {
    await readOnly(store, { name: 'service', via: 'service' }, (tx) => tx.one('SELECT 1 AS one'));
    return c.json({ ready: true });
  });
  app.get('/api/v1/about', (c) => c.json({ product: 'Zealous Pine', version, organisation }));
}

/** What is below /api and matches no route: the method is wrong, or the path is. */
function refuseTheRest(app: Hono): void {
  const methods = new Map<string, string[]>();
  for (const route of Object.values(routes)) {
    const path = honoPath(route);
    methods.set(path, [...(methods.get(path) ?? []), route.method]);
  }
  const known = [...methods].map(([path, allowed]) => ({
    pattern: new RegExp(`^${path.replace(/:\w+/g, '[^/]+')}$`),
    methods: allowed,
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
  refuseForeign(c);
  const unasked = openAnswers[id];
  if (unasked) return unasked(c, options);
  // Whoever may not ask is told so before anything they send is read.
  const user = await admit(c, store, route.role === 'anyone' ? 'viewer' : route.role);
  if (route.own) return ownAnswers[id as Exclude<OwnRoutes, 'session.open'>]({ c, user, via: viaOf(c, user), options });
  const via = viaOf(c, user);
  const most = route.large ? options.importBytes : options.bodyBytes;
  return options.room.during(route.body ? most : 0, c, async () => {
    const asked: Asked = {
      id,
      path: c.req.path,
      url: c.req.url,
      params: c.req.param(),
      query: c.req.query(),
      text: route.body ? await textOf(c, most) : '',
      version: versionOf(c),
      idempotencyKey: idempotencyKeyOf(c),
      accept: c.req.header('Accept') ?? '',
      user,
      via,
    };
    const { signal } = c.req.raw;
    const apart = options.apart && isLarge(asked, route) ? options.apart : undefined;
    return respond(c, await (apart ? apart.carryOut(asked, signal) : carryOut(store, asked, options.log, signal)));
  });
}

interface OwnCall {
  c: Context;
  user: User;
  via: Actor['via'];
  options: ServerOptions;
}

/** What has more to do with the request than a unit of work. */
const ownAnswers: Record<Exclude<OwnRoutes, 'session.open'>, (call: OwnCall) => Response | Promise<Response>> = {
  events: ({ c, user, options: { store, feed, closing, streams } }) =>
    streamEvents(c, feed, closing, streams, user.id, stillIn(c, store)),
  'session.show': ({ c, user }) => c.json({ name: user.name, title: user.title, role: user.role, disabled: false }),
  'doctor.processes': ({ c, options }) => c.json({ items: options.processes() }),
  'session.close': async ({ c, user, via, options }) => {
    const { reason } = queryOf(c.req.query(), verbRoutes['session.close']);
    await closeSession(c, options.store, { name: user.name, via, reason }, user);
    return c.body(null, 204);
  },
  'terminal.open': ({ c, user, via, options }) => {
    refuseForeignPage(c);
    const { reason, ...size } = queryOf(c.req.query(), verbRoutes['terminal.open']).query as QueryOf<'terminal.open'>;
    const actor: Actor = { name: user.name, via, reason };
    const { closing, store } = options;
    return answerTerminal(c, options.terminal, actor, c.req.param('ref') ?? '', size, {
      closing,
      stillIn: stillIn(c, store),
    });
  },
  'image.put': ({ c, user, via, options }) => {
    const { query, reason } = queryOf(c.req.query(), verbRoutes['image.put']);
    const actor: Actor = { name: user.name, via, reason };
    return takeImage(c, options.store, actor, query as QueryOf<'image.put'>, options.imageBytes);
  },
  'image.get': ({ c, user, via, options }) => giveImage(c, options.store, { name: user.name, via }),
  'import.upload': ({ c, user, via, options }) => {
    const { query, reason } = queryOf(c.req.query(), verbRoutes['import.upload']);
    const actor: Actor = { name: user.name, via, reason };
    return answerUpload(c, options.store, actor, query as QueryOf<'import.upload'>, options.uploadBytes);
  },
};

/** What is answered to whoever is not signed in. */
const openAnswers: Partial<Record<RouteId, (c: Context, options: ServerOptions) => Promise<Response>>> = {
  'session.open': open,
};

async function open(c: Context, options: ServerOptions): Promise<Response> {
  const text = await textOf(c, Math.min(options.bodyBytes, SIGN_IN_BYTES));
  const body = parsed(verbRoutes['session.open'].body, bodyIn(text)) as { name: string; password: string };
  const { sessionHours: hours, cookieSecure: secure, trustedProxies } = options;
  return c.json(await openSession(c, options.store, body, { hours, secure, trustedProxies }));
}

/** Nobody who is not signed in has more to say than a name and a password. */
const SIGN_IN_BYTES = 16 * 1024;
/** A body of this length takes a while to be read and checked. */
const LARGE_BODY = 64 * 1024;

/** What people can make large is not done where everybody waits for answers. */
const isLarge = (asked: Asked, route: Route): boolean =>
  route.apart === true || asked.query.preview !== undefined || asked.text.length > LARGE_BODY;

function respond(c: Context, { status, headers, body }: Answered): Response | Promise<Response> {
  for (const [name, value] of Object.entries(headers)) c.header(name, value);
  if (body === null) return c.body(null, status as 204);
  if (typeof body === 'string') {
    // With a known length, short answers are not compressed.
    c.header('Content-Length', String(Buffer.byteLength(body)));
    return c.body(body, status as 200);
  }
  c.status(status as 200);
  return stream(c, async (out) => {
    const pieces = body[Symbol.asyncIterator]();
    try {
      for (let next = await pieces.next(); !next.done && !out.aborted; next = await pieces.next())
        await out.write(next.value);
    } finally {
      await pieces.return?.();
    }
  });
}
