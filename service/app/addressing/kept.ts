/** What a prefix keeps for its own addresses: nothing of it may lie under the prefixes inside. */
import type { Family } from '@zpine/core/addressing/ip';
import { keptSpans, spanText, type KeptField } from '@zpine/core/addressing/ranges';
import type { Span } from '@zpine/core/addressing/spans';
import type { Draft } from '../records/draft.ts';

const names: Record<KeptField, string> = {
  pool: 'DHCP pool',
  quarantine: 'quarantine pool',
  heldBack: 'held-back range',
  gateway: 'gateway',
};

/** What the refusal of a prefix that would lie over it says. */
export const keptWords = (
  field: KeptField,
  span: Span,
  parent: string,
  family: Family,
  prefix: string,
): Record<string, string> => ({ what: names[field], range: spanText(span, family), parent, prefix });

export const keptByDraft = (draft: Draft): ReturnType<typeof keptSpans> =>
  keptSpans({
    gateway: draft.text('gateway'),
    heldBack: draft.text('heldBack'),
    pool: draft.text('pool'),
    quarantine: draft.text('quarantine'),
  });
