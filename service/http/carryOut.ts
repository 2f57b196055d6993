/** Does what a request asks for, once who asks is known. */
import { cellsToCsv, recordsToCsv } from '@zpine/contract/csv';
import type { Value } from '@zpine/contract/fields';
import { isKind, kindOf } from '@zpine/contract/kinds';
import { REMARKS_HEADER, remarksHeader, type Remark } from '@zpine/contract/remarks';
import type { Route } from '@zpine/contract/route';
import { routes, verbRoutes, type RouteId } from '@zpine/contract/routes';
import type { OwnRoutes } from '../app/handler.ts';
import { handlers, previewed } from '../app/handlers.ts';
import { once, type Answer } from '../app/idempotency.ts';
import { Pieces } from '../app/pieces.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly, transact } from '../store/transact.ts';
import type { Tx } from '../store/tx.ts';
import type { Answered, Asked, Log } from './asked.ts';
import { bodyIn, parsed, queryOf } from './input.ts';
import { answerImpact, applied, previewOf } from './preview.ts';

export async function carryOut(store: Store, asked: Asked, log: Log, signal: AbortSignal): Promise<Answered> {
  const id = asked.id as Exclude<RouteId, OwnRoutes>;
  const route: Route = routes[id];
  const { params, version, user } = asked;
  const { query, reason } = queryOf(asked.query, route);
  const actor: Actor = { name: user.name, via: asked.via, reason };
  const handler = handlers[id];
  // Bodies of the kinds are checked with their references, so that one answer names all faults.
  const preview = route.method === 'GET' ? undefined : previewOf(asked.query, route);
  const sent = route.body ? bodyIn(asked.text) : {};
  const raw = preview ? applied(route, sent) : sent;
  const body = route.body && id in verbRoutes ? parsed(route.body, raw) : raw;
  const call = { params, query, body, version, user };
  const status = route.status ?? 200;
  if (route.method === 'GET')
    return answered(asked, { status, body: await readOnly(store, actor, (tx) => handler(tx, call), signal) });
  if (preview) {
    const other = previewed[id];
    const work = other ? (tx: Tx) => other(tx, store, params) : (tx: Tx) => handler(tx, call);
    const what = {
      store,
      actor,
      action: id,
      work,
      kind: id.split('.')[0] ?? '',
      seconds: preview.seconds,
      signal,
    };
    return answerImpact(asked, what, log);
  }

  const key = route.unrecorded || route.reveals ? undefined : asked.idempotencyKey;
  let remarks: readonly Remark[] = [];
  const result = await transact(
    store,
    actor,
    id,
    async (tx): Promise<Answer> => {
      remarks = tx.remarks;
      const work = async (): Promise<Answer> => ({ status, body: await handler(tx, call) });
      if (key === undefined) return work();
      return once(tx, user.id, key, `${route.method} ${asked.path} ${JSON.stringify(raw)}`, work);
    },
    signal,
  );
  const said = answered(asked, result);
  if (remarks.length > 0) said.headers[REMARKS_HEADER] = remarksHeader(remarks);
  return said;
}

function answered(asked: Asked, { status, body }: Answer): Answered {
  if (body instanceof Pieces) return { status, headers: { 'Content-Type': 'application/json' }, body: body.json };
  if (status === 204) return { status, headers: {}, body: null };
  const headers: Record<string, string> = {};
  const [kind = '', verb = ''] = asked.id.split('.');
  const csv = (text: string): Answered => ({
    status: 200,
    headers: { ...headers, 'Content-Type': 'text/csv; charset=utf-8' },
    body: text,
  });
  const route: Route = routes[asked.id];
  if (route.table && wantsCsv(asked)) {
    const { heads, rows } = route.table(body);
    return csv(cellsToCsv(heads, rows));
  }
  if (verb === 'list' && isKind(kind)) {
    const { items, next } = body as { items: Record<string, Value>[]; next: string | null };
    if (next !== null) headers.Link = `<${nextUrl(asked.url, next)}>; rel="next"`;
    if (wantsCsv(asked)) return csv(recordsToCsv(kindOf(kind), items));
  }
  const version = (body as { version?: unknown } | null)?.version;
  if (typeof version === 'number') headers.ETag = `"${version}"`;
  headers['Content-Type'] = 'application/json';
  return { status, headers, body: JSON.stringify(body) };
}

const wantsCsv = ({ accept }: Asked): boolean => /\btext\/csv\b/.test(accept);

function nextUrl(text: string, mark: string): string {
  const url = new URL(text);
  url.searchParams.set('after', mark);
  return `${url.pathname}${url.search}`;
}
