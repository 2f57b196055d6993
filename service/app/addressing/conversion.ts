import { convert } from '@zpine/core/addressing/convert';
import { Refusal } from '@zpine/contract/errors';
import type { ReplyOf } from '@zpine/contract/routes';

/** What people otherwise work out by hand; no record is asked. */
export function conversion(text: string): ReplyOf<'address.convert'> {
  const read = convert(text);
  if (!read.ok) throw Refusal.at(['text'], read.fault.code, read.fault.params);
  const { is, facts } = read.value;
  return { is, facts: facts.map(([name, value]) => ({ name, value })) };
}
