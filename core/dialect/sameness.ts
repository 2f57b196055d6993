/** What makes two lines of a dialect the same, and what must be known of lines to bring one configuration to another. */
import { compilePattern, type Pattern } from '../text/pattern.ts';
import { PATH, pathText } from './path.ts';
import type { DialectSheet } from './sheet.ts';

/** A line without its secret, and what stood there. */
export interface LineSecret {
  /** Equal for lines that differ in their secret alone. */
  key: string;
  secret: string;
  /** How it is written, where the sheet tells forms apart. */
  form: string | undefined;
}

export interface Sameness {
  /** The line as it is meant, whatever its spelling. */
  meant: (above: readonly string[], line: string) => string;
  secretOf: (above: readonly string[], line: string) => LineSecret | undefined;
  /** Whether this stands where a device does not show a secret. */
  hides: (secret: string) => boolean;
  /** Of a line whose order counts: what it is ordered among. */
  orderHead: (above: readonly string[], line: string) => string | undefined;
  /** It says what is so anyway. */
  isUsual: (above: readonly string[], line: string) => boolean;
  /** What is to be there before it has the smaller number; lines of no such sort have the largest. */
  buildRank: (above: readonly string[], line: string) => number;
  /** What stands in one place only. */
  exclusiveOf: (above: readonly string[], line: string) => string | undefined;
  /** Whether the way in hangs on the line: addresses, way out, accounts, SSH, ports that carry its VLAN or are shut. */
  isWayIn: (above: readonly string[], line: string, uplinks?: Uplinks) => boolean;
}

/** By what the way in comes to a device: a VLAN, and the ports that carry it now. */
export interface Uplinks {
  vlan: string | undefined;
  ports: readonly string[];
}

export function samenessOf(sheet: DialectSheet): Sameness {
  const all = (sources: readonly string[]) => sources.map(compilePattern);
  const spellings = sheet.spellings.map(({ line, as }) => ({ pattern: compilePattern(line), as }));
  const secrets = all(sheet.secrets);
  const hidden = sheet.hidden === undefined ? undefined : compilePattern(sheet.hidden);
  const ordered = all(sheet.ordered);
  const usual = all(sheet.usual);
  const builds = all(sheet.builds);
  const exclusive = all(sheet.exclusive);
  const { address, gateway, user, shell, carries, still } = sheet.wayIn ?? {};
  const wayIn = any(all([address, gateway, user, shell].filter((source) => source !== undefined)));
  const carried = named(all(carries === undefined ? [] : [carries]), 'vlans');
  const shut = named(all(still === undefined ? [] : [still]), 'port');
  return {
    meant: (above, line) => {
      let out = line;
      for (const one of spellings) out = spelled(one, above, out);
      return out;
    },
    secretOf: (above, line) => secretIn(secrets, above, line),
    hides: (secret) => hidden?.whole(secret) ?? false,
    orderHead: named(ordered, 'head'),
    isUsual: any(usual),
    buildRank: (above, line) => {
      const at = builds.length === 0 ? -1 : builds.findIndex((one) => one.test(pathText(above, line)));
      return at < 0 ? builds.length : at;
    },
    exclusiveOf: named(exclusive, 'what'),
    isWayIn: (above, line, uplinks) =>
      wayIn(above, line) ||
      (uplinks?.vlan !== undefined &&
        (carried(above, line)?.split(',').includes(uplinks.vlan) || uplinks.ports.includes(shut(above, line) ?? ''))),
  };
}

/** What the first pattern that fits has by a name. */
const named = (patterns: readonly Pattern[], part: string) => (above: readonly string[], line: string) => {
  if (patterns.length === 0) return undefined;
  const path = pathText(above, line);
  for (const one of patterns) {
    const found = one.find(path)?.[part];
    if (found !== undefined) return found;
  }
  return undefined;
};

const any = (patterns: readonly Pattern[]) => (above: readonly string[], line: string) =>
  patterns.length > 0 && patterns.some((one) => one.test(pathText(above, line)));

function spelled(
  { pattern, as }: { pattern: Pattern; as: string | undefined },
  above: readonly string[],
  line: string,
): string {
  const path = pathText(above, line);
  const found = pattern.find(path);
  if (!found) return line;
  if (as !== undefined) return as.replace(/\{(\w+)\}/g, (_, part: string) => found[part] ?? '');
  const begin = path.length - line.length;
  let out = line;
  for (const part of ['fold', 'list'] as const) {
    const place = pattern.groups.includes(part) ? pattern.at(path, 0, part) : undefined;
    if (!place || place.from < begin) continue;
    const [from, to] = [place.from - begin, place.to - begin];
    const text = line.slice(from, to);
    out = line.slice(0, from) + (part === 'fold' ? text.toLowerCase() : listed(text)) + line.slice(to);
  }
  return out;
}

/** A list of this many numbers is as long as any, and what is longer is compared as it stands. */
const MOST_LISTED = 5000;

/** `304,316-318` and `316-317, 318, 304` alike: ranges of numbers, the smallest first. */
function listed(text: string): string {
  const numbers = new Set<number>();
  for (const piece of text.split(',')) {
    const [, first, last = first] = /^\s*(\d{1,6})(?:\s*-\s*(\d{1,6}))?\s*$/.exec(piece) ?? [];
    if (first === undefined || Number(last) - Number(first) > MOST_LISTED) return text;
    for (let n = Number(first); n <= Number(last); n += 1) numbers.add(n);
    if (numbers.size > MOST_LISTED) return text;
  }
  const out: string[] = [];
  for (const n of [...numbers].sort((a, b) => a - b)) {
    const [begin = '', end = begin] = out.at(-1)?.split('-') ?? [];
    if (begin !== '' && Number(end) === n - 1) out[out.length - 1] = `${begin}-${n}`;
    else out.push(String(n));
  }
  return out.join(',');
}

function secretIn(patterns: readonly Pattern[], above: readonly string[], line: string): LineSecret | undefined {
  // As in masking: a pattern is about a line as it stands, or about the line with its blocks.
  for (const text of above.length === 0 ? [line] : [line, [...above, line].join(PATH)])
    for (const one of patterns) {
      const place = one.at(text, 0, 'secret');
      if (!place || place.to <= place.from) continue;
      const form = one.groups.includes('form') ? one.at(text, 0, 'form') : undefined;
      const cut = [place, ...(form ? [form] : [])].sort((a, b) => b.from - a.from);
      const key = cut.reduce((rest, { from, to }) => `${rest.slice(0, from)}\u0000${rest.slice(to)}`, text);
      return {
        key: key.slice(text.length - line.length),
        secret: text.slice(place.from, place.to),
        form: form && text.slice(form.from, form.to),
      };
    }
  return undefined;
}
