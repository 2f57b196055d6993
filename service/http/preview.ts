/** `?preview=impact`: what a write would do elsewhere, whole or piece by piece; nothing is saved. */
import { type Context } from 'hono';
import { stream } from 'hono/streaming';
import { type Logger } from 'pino';
import { z } from 'zod';
import { Refusal } from '@zpine/contract/errors';
import { heard, IMPACT_STREAM, noImpact, type ImpactLine } from '@zpine/contract/impactShapes';
import { type Route } from '@zpine/contract/route';
import { impactOf, type Previewed } from '../app/impact/impact.ts';
import { problemFor } from './problems.ts';

const MOST_SECONDS = 600;
const USUAL_SECONDS = 60;

/** Calls that save no records; what they do is seen elsewhere, or comes to nothing here. */
const withoutRecords =
  /^(session|token|user|view|run|capture|hostKey|stranger\.dismiss|events|doctor)\b|^import\.(upload|cancel)$/;

export interface PreviewQuery {
  seconds: number;
}

/** Read from the query of a write; undefined where it is to be saved. */
export function previewOf(query: Record<string, string>, id: string, route: Route): PreviewQuery | undefined {
  const { preview, previewSeconds } = query;
  if (preview === undefined) {
    if (previewSeconds !== undefined) throw Refusal.at(['previewSeconds'], 'preview-unknown', { value: '' });
    return undefined;
  }
  if (preview !== 'impact') throw Refusal.at(['preview'], 'preview-unknown', { value: preview });
  if (route.unrecorded || route.onlyReads || withoutRecords.test(id)) throw new Refusal('preview-nothing');
  const seconds = z.coerce
    .number()
    .int()
    .min(1)
    .max(MOST_SECONDS)
    .safeParse(previewSeconds ?? USUAL_SECONDS);
  if (!seconds.success) throw Refusal.at(['previewSeconds'], 'value-high', { max: MOST_SECONDS });
  return { seconds: seconds.data };
}

/** What only shows without `apply` is asked what it would do with it. */
export function applied(route: Route, raw: unknown): unknown {
  const shape = route.body instanceof z.ZodObject ? route.body.shape : {};
  return 'apply' in shape && typeof raw === 'object' && raw !== null ? { ...raw, apply: true } : raw;
}

export async function answerImpact(c: Context, preview: Omit<Previewed, 'signal'>, log: Logger): Promise<Response> {
  const events = impactOf({ ...preview, signal: c.req.raw.signal });
  // The first event says whether it would be refused: then the answer is that refusal, as without a preview.
  const first = await events.next();
  if (first.done) throw new Error('an impact says something');
  if (!(c.req.header('Accept') ?? '').includes(IMPACT_STREAM)) {
    let whole = heard(noImpact(), first.value);
    for await (const event of events) whole = heard(whole, event);
    return c.json(whole);
  }
  c.header('Content-Type', IMPACT_STREAM);
  // Held back for no one: neither compressed nor gathered on the way.
  c.header('Cache-Control', 'no-store, no-transform');
  c.header('X-Accel-Buffering', 'no');
  return stream(c, async (out) => {
    const say = (line: ImpactLine) => out.write(`${JSON.stringify(line)}\n`);
    try {
      await say(first.value);
      for await (const event of events) {
        if (out.aborted) break;
        await say(event);
      }
    } catch (error) {
      await say({ event: 'refused', problem: problemFor(c, error, log) });
    }
  });
}
