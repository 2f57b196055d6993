import { randomUUID } from 'node:crypto';
import { type Context } from 'hono';
import { HTTPException } from 'hono/http-exception';
import { type Logger } from 'pino';
import { type Problem, problemOf, Refusal } from '@zpine/contract/errors';
import { driverError, isAway } from '../store/database.ts';

/** Every error leaves as problem details (RFC 9457). */
export function answerProblem(c: Context, error: unknown, log: Logger): Response {
  const refusal = asRefusal(error, c, log);
  const problem = problemOf(refusal);
  if (problem.status === 503) c.header('Retry-After', '2');
  if (problem.status === 429) c.header('Retry-After', String(refusal.params.seconds ?? 60));
  if (problem.status === 401) c.header('WWW-Authenticate', 'Bearer realm="zealous-pine"');
  if (refusal.code === 'method-unknown') c.header('Allow', String(refusal.params.allowed));
  return c.body(JSON.stringify(problem), problem.status as 400, { 'Content-Type': 'application/problem+json' });
}

/** The same, for an answer that has begun already. */
export const problemFor = (c: Context, error: unknown, log: Logger): Problem => problemOf(asRefusal(error, c, log));

function asRefusal(error: unknown, c: Context, log: Logger): Refusal {
  if (error instanceof Refusal) return error;
  if (error instanceof HTTPException && error.status === 413) return new Refusal('body-large', { max: '' });
  if (isAway(error)) return new Refusal('database-away');
  const id = randomUUID().slice(0, 8);
  log.error(
    { err: error, fault: id, method: c.req.method, path: c.req.path, sql: driverError(error).sqlMessage },
    'a request failed',
  );
  return new Refusal('internal', { id });
}
