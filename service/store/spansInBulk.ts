/** Free space of many prefixes at once: the same rows that takes and rebuilds keep one by one. */
import { fitOf, freeWithin, countOf, type Span } from '@zpine/core/addressing/spans';
import type { Family } from '@zpine/core/addressing/ip';
import { bytesOf, valueOf, type Holds } from './spans.ts';
import type { Tx } from './tx.ts';

const SLICE = 500;

export interface NewSpace {
  prefixId: number;
  family: Family;
  free: Record<Holds, Span[]>;
}

/** The spaces of new prefixes, with what is free in them. */
export async function createFilledSpaces(tx: Tx, spaces: readonly NewSpace[]): Promise<void> {
  const rows = spaces.flatMap(({ prefixId, family, free }) =>
    (['fixed', 'blocks'] as const).map((holds) => ({ prefixId, family, holds, spans: free[holds] })),
  );
  const ids = await tx.insertRows(
    'space',
    rows.map(({ prefixId, holds, spans }) => ({ prefix_id: prefixId, holds, free: countOf(spans) })),
  );
  await insertAll(
    tx,
    rows.flatMap(({ family, spans }, i) => spans.map((span) => ({ space: ids[i] ?? 0, family, span }))),
  );
}

const insertAll = (tx: Tx, spans: { space: number; family: Family; span: Span }[]): Promise<unknown> =>
  spans.length === 0
    ? Promise.resolve()
    : tx.insertRows(
        'free_span',
        spans.map(({ space, family, span }) => ({
          space_id: space,
          first: bytesOf(family, span.first),
          last: bytesOf(family, span.last),
          fit: fitOf(span, family),
        })),
        '',
      );

/** Takes stretches out of what is free in both spaces of a prefix, as far as they are free. The spaces must be locked. */
export async function occupyMany(tx: Tx, prefixId: number, family: Family, taken: readonly Span[]): Promise<void> {
  if (taken.length === 0) return;
  const last = taken.reduce((most, span) => (span.last > most ? span.last : most), 0n);
  const first = taken.reduce((least, span) => (span.first < least ? span.first : least), last);
  const spaces = await tx.select<{ id: number }>('SELECT id FROM space WHERE prefix_id = ? ORDER BY id', [prefixId]);
  for (const { id } of spaces) {
    // Spans are disjoint: those that touch the stretch end inside it, or are the first that ends behind it.
    const rows = await tx.select<{ first: Buffer; last: Buffer }>(
      `(SELECT first, last FROM free_span WHERE space_id = ? AND last >= ? AND last < ? ORDER BY last)
       UNION ALL (SELECT first, last FROM free_span WHERE space_id = ? AND last >= ? ORDER BY last LIMIT 1)`,
      [id, bytesOf(family, first), bytesOf(family, last), id, bytesOf(family, last)],
    );
    const before = rows.map((row) => ({ first: valueOf(row.first, family), last: valueOf(row.last, family) }));
    const sorted = [...taken].sort((a, b) => (a.first < b.first ? -1 : 1));
    const gone: Span[] = [];
    const fresh: Span[] = [];
    let at = 0;
    for (const span of before) {
      while (at < sorted.length && (sorted[at]?.last ?? 0n) < span.first) at += 1;
      const cuts: Span[] = [];
      for (let i = at; i < sorted.length && (sorted[i]?.first ?? 0n) <= span.last; i += 1) cuts.push(sorted[i] as Span);
      if (cuts.length === 0) continue;
      gone.push(span);
      fresh.push(...freeWithin(span, cuts));
    }
    for (let i = 0; i < gone.length; i += SLICE)
      await tx.execute('DELETE FROM free_span WHERE space_id = ? AND last IN (?)', [
        id,
        gone.slice(i, i + SLICE).map((span) => bytesOf(family, span.last)),
      ]);
    await insertAll(
      tx,
      fresh.map((span) => ({ space: Number(id), family, span })),
    );
    await tx.execute('UPDATE space SET free = free - ? WHERE id = ?', [countOf(gone) - countOf(fresh), id]);
  }
}
