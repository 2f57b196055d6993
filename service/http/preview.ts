/** `?preview=impact`: what a write would do elsewhere, whole or piece by piece; nothing is saved. */
import { z } from 'zod';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { heard, IMPACT_STREAM, noImpact, type ImpactLine } from '@zpine/contract/impactShapes';
import type { Route } from '@zpine/contract/route';
import { impactOf, type Previewed } from '../app/impact/impact.ts';
import type { Answered, Asked, Log } from './asked.ts';
import { asRefusal } from './problems.ts';

const MOST_SECONDS = 600;
const USUAL_SECONDS = 60;

export interface PreviewQuery {
  seconds: number;
}

/** Read from the query of a write; undefined where it is to be saved. */
export function previewOf(query: Record<string, string>, route: Route): PreviewQuery | undefined {
  const { preview, previewSeconds } = query;
  if (preview === undefined) {
    if (previewSeconds !== undefined) throw Refusal.at(['previewSeconds'], 'preview-unknown', { value: '' });
    return undefined;
  }
  if (preview !== 'impact') throw Refusal.at(['preview'], 'preview-unknown', { value: preview });
  if (route.unrecorded || route.onlyReads || route.unforeseen) throw new Refusal('preview-nothing');
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

export async function answerImpact(asked: Asked, preview: Previewed, log: Log): Promise<Answered> {
  const events = impactOf(preview);
  // The first event says whether it would be refused: then the answer is that refusal, as without a preview.
  const first = await events.next();
  if (first.done) throw new Error('an impact says something');
  if (!asked.accept.includes(IMPACT_STREAM)) {
    let whole = heard(noImpact(), first.value);
    for await (const event of events) whole = heard(whole, event);
    return { status: 200, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(whole) };
  }
  const line = (said: ImpactLine): string => `${JSON.stringify(said)}\n`;
  const lines = async function* (): AsyncGenerator<string> {
    try {
      yield line(first.value);
      for await (const event of events) yield line(event);
    } catch (error) {
      yield line({ event: 'refused', problem: problemOf(asRefusal(error, asked, log)) });
    }
  };
  return {
    status: 200,
    // Held back for no one: neither compressed nor gathered on the way.
    headers: {
      'Content-Type': IMPACT_STREAM,
      'Cache-Control': 'no-store, no-transform',
      'X-Accel-Buffering': 'no',
    },
    body: lines(),
  };
}
