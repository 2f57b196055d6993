import { randomUUID } from 'node:crypto';
import type { Context } from 'hono';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { driverError, isAway } from '../store/database.ts';
import type { Log } from './asked.ts';

/** Every error leaves as problem details (RFC 9457). */
export function answerProblem(c: Context, error: unknown, log: Log): Response {
  const refusal = asRefusal(error, { id: c.req.method, path: c.req.path }, log);
  const problem = problemOf(refusal);
  if (problem.status === 503) c.header('Retry-After', '2');
  if (problem.status === 429) c.header('Retry-After', String(refusal.params.seconds ?? 60));
  if (problem.status === 401) c.header('WWW-Authenticate', 'Bearer realm="zealous-pine"');
  if (leavesBody(c, refusal)) c.header('Connection', 'close');
  if (refusal.code === 'method-unknown') c.header('Allow', String(refusal.params.allowed));
  return c.body(JSON.stringify(problem), problem.status as 400, { 'Content-Type': 'application/problem+json' });
}

/** Refused before its body was read: what is still on its way is no request, so the connection ends with the answer. */
const unread = ['body-large', 'signed-out', 'role-insufficient', 'busy', 'sign-in-paused'];
const SMALL = 64 * 1024;

const leavesBody = (c: Context, { code }: Refusal): boolean =>
  unread.includes(code) &&
  (c.req.header('Transfer-Encoding') !== undefined || Number(c.req.header('Content-Length') ?? 0) > SMALL);

/** What is no refusal is a fault of ours: the log has all of it, the answer only where to look. */
export function asRefusal(error: unknown, { id, path }: { id: string; path: string }, log: Log): Refusal {
  if (error instanceof Refusal) return error;
  if (isAway(error)) return new Refusal('database-away');
  const fault = randomUUID().slice(0, 8);
  log.error({ err: error, fault, route: id, path, sql: driverError(error).sqlMessage }, 'a request failed');
  return new Refusal('internal', { id: fault });
}
