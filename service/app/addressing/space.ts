import { formatPrefix, parsePrefix, sizeOf, type Prefix } from '@zpine/core/addressing/prefix';
import { firstAligned, fitOf } from '@zpine/core/addressing/spans';
import { mustParse } from '@zpine/core/fault';
import type { ReplyOf } from '@zpine/contract/routes';
import { mustFind } from '../records/refs.ts';
import { freeCount, freeSpans, ipText, valueOf } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { fillPercent } from './fill.ts';
import { restingOf } from './resting.ts';
import { runningOut, samplesOf } from './samples.ts';

const MOST_SPANS = 1000;
const MOST_RESTING = 200;
/** Told ahead on a prefix' own page. */
const AHEAD_DAYS = 3650;

/** How a prefix is filled. */
export async function space(tx: Tx, ref: string): Promise<ReplyOf<'prefix.space'>> {
  const prefix = await mustFind(tx, 'prefix', ref);
  const p = mustParse(parsePrefix(prefix.cidr));
  const fixed = await freeSpans(tx, prefix.id, p.family, 'fixed', { most: MOST_SPANS });
  const counts = await tx.one<{ assigned: number; children: number }>(
    `SELECT (SELECT COUNT(*) FROM address WHERE prefix_id = ?) AS assigned, (SELECT COUNT(*) FROM prefix WHERE parent_id = ?) AS children`,
    [prefix.id, prefix.id],
  );
  const free = await freeCount(tx, prefix.id);
  const resting = await restingOf(tx, prefix.id, MOST_RESTING);
  const [ends] = await runningOut(tx, AHEAD_DAYS, [prefix.id]);
  return {
    size: String(sizeOf(p)),
    free: String(free),
    assigned: Number(counts?.assigned ?? 0),
    children: Number(counts?.children ?? 0),
    fillPercent: fillPercent(sizeOf(p), free),
    next: fixed[0] ? ipText(p.family, fixed[0].first) : null,
    freeSpans: fixed.map((s) => ({ first: ipText(p.family, s.first), last: ipText(p.family, s.last) })),
    holes: await holesOf(tx, prefix.id, p),
    resting: resting.map(({ address, until }) => ({
      address: ipText(p.family, valueOf(address, p.family)),
      until: until.toISOString(),
    })),
    samples: await samplesOf(tx, prefix.id),
    runsOut: ends?.day ?? null,
  };
}

/** What is free for blocks, with the largest that fits in each stretch. */
async function holesOf(tx: Tx, prefixId: number, p: Prefix): Promise<ReplyOf<'prefix.space'>['holes']> {
  const spans = await freeSpans(tx, prefixId, p.family, 'blocks', { most: MOST_SPANS });
  return spans.map((span) => {
    const length = fitOf(span, p.family);
    const first = firstAligned(span, length, p.family) ?? span.first;
    return {
      first: ipText(p.family, span.first),
      last: ipText(p.family, span.last),
      fits: formatPrefix({ family: p.family, first, length }),
    };
  });
}
