/** What answers a call: a use case, in a unit of work. */
import type { RecordHead } from '@zpine/contract/kind';
import type { Pieces } from './pieces.ts';
import { Refusal } from '@zpine/contract/errors';
import type { Value } from '@zpine/contract/fields';
import type { KindName } from '@zpine/contract/kinds';
import type { BodyOf, QueryOf, ReplyOf, VerbRouteId, verbRoutes } from '@zpine/contract/routes';
import { present } from '../store/records.ts';
import type { Tx } from '../store/tx.ts';
import type { User } from './access/who.ts';

export interface Call<Query = unknown, Body = unknown> {
  params: Record<string, string>;
  query: Query;
  body: Body;
  /** From If-Match. */
  version: number | undefined;
  user: User;
}

export type Handler<Query = never, Body = never> = (tx: Tx, call: Call<Query, Body>) => Promise<unknown>;

/** These need more than a unit of work; the HTTP part answers them. */
export type OwnRoutes = {
  [R in VerbRouteId]: (typeof verbRoutes)[R] extends { own: true } ? R : never;
}[VerbRouteId];

export type VerbHandlers = {
  [R in Exclude<VerbRouteId, OwnRoutes>]: (tx: Tx, call: Call<QueryOf<R>, BodyOf<R>>) => Promise<ReplyOf<R> | Pieces>;
};

export const refOf = (call: Call): string => call.params.ref ?? '';

export function onlyOne<T>(items: T[]): T {
  const [item] = items;
  if (item === undefined) throw new Error('there is none');
  return item;
}

/** One record as it is answered with. */
export async function presentOne(tx: Tx, kind: KindName, record: RecordHead): Promise<Record<string, Value>> {
  const [one] = await present(tx, kind, [record]);
  if (!one) throw new Refusal('not-found', { kind, ref: '' });
  return one;
}
