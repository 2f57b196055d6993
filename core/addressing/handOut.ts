/** Which addresses of a prefix devices get, duty by duty: `access from .11; core number .100; any from .200`. */
import { fail, ok, type Parsed } from '../fault.ts';
import { parseKeyPart } from '../naming/names.ts';
import type { Family } from './ip.ts';
import { addressAt, formatOffset, parseOffset, type OffsetFault } from './offsets.ts';
import type { Prefix } from './prefix.ts';

export interface HandOut {
  /** Null for the duties that no other rule names. */
  duty: string | null;
  /** `from`: the next free one at or above. `number`: the one that is as far above as the device's number says. */
  way: 'from' | 'number';
  offset: bigint;
}

export type HandOutFault = OffsetFault | 'handout-syntax' | 'handout-twice';

const ANY = 'any';

export function parseHandOut(text: string): Parsed<HandOut[], HandOutFault> {
  const out: HandOut[] = [];
  for (const part of text.split(';').filter((one) => one.trim() !== '')) {
    const [who = '', way, at, ...more] = part.trim().split(/\s+/);
    const duty = parseKeyPart(who);
    if (!duty.ok || (way !== 'from' && way !== 'number') || at === undefined || more.length > 0)
      return fail('handout-syntax', { value: part.trim() });
    const offset = parseOffset(at);
    if (!offset.ok) return offset;
    const named = duty.value === ANY ? null : duty.value;
    if (out.some((rule) => rule.duty === named)) return fail('handout-twice', { value: duty.value });
    out.push({ duty: named, way, offset: offset.value });
  }
  return ok(out);
}

export const formatHandOut = (rules: readonly HandOut[], family: Family): string =>
  rules.map(({ duty, way, offset }) => `${duty ?? ANY} ${way} ${formatOffset(offset, family)}`).join('; ');

/** The same addresses, said from the first address of another prefix; rules that begin outside of it are left over. */
export function rebased(rules: readonly HandOut[], from: Prefix, to: Prefix): { kept: HandOut[]; outside: HandOut[] } {
  const moved = rules.map((rule) => ({ rule, offset: from.first + rule.offset - to.first }));
  const fits = ({ offset }: { offset: bigint }): boolean => offset >= 0n && addressAt(to, offset).ok;
  return {
    kept: moved.filter(fits).map(({ rule, offset }) => ({ ...rule, offset })),
    outside: moved.filter((one) => !fits(one)).map(({ rule }) => rule),
  };
}

/** The number of a device is the last one in its name: 7 of `ard-acc-7`. */
export function numberOf(name: string): number | undefined {
  const digits = /(\d+)\D*$/.exec(name)?.[1];
  return digits === undefined ? undefined : Number(digits);
}

export type Start = { way: 'from' | 'exactly'; value: bigint; rule: string };

/** Where to look for the address of a device; undefined where no rule speaks of it. */
export function startFor(
  p: Prefix,
  rules: readonly HandOut[],
  device: { name: string; duty: string | null },
): Parsed<Start, OffsetFault | 'number-missing'> | undefined {
  const rule = rules.find((one) => one.duty !== null && one.duty === device.duty) ?? rules.find((one) => !one.duty);
  if (!rule) return undefined;
  const words = formatHandOut([rule], p.family);
  const number = rule.way === 'number' ? numberOf(device.name) : 0;
  if (number === undefined) return fail('number-missing', { device: device.name, rule: words });
  const at = addressAt(p, rule.offset + BigInt(number));
  return at.ok ? ok({ way: rule.way === 'from' ? 'from' : 'exactly', value: at.value, rule: words }) : at;
}
