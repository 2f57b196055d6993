/** The two ends of a cable and the VLANs that they carry: where they disagree, and what brings them together. */
import { formatNumbers } from '@zpine/core/lists/numbers';

/** A sub-interface of an end; without a tag it is the untagged one. */
interface Sub {
  key: string;
  tag: number | null;
  vlan: number | null;
}

export interface End {
  /** `ard-xr-1:cu2`. */
  key: string;
  mode: string | null;
  /** Its device has routed interfaces and none that switches: a port of which nothing is said will be routed, too. */
  router: boolean;
  vlan: number | null;
  tagged: number[];
  subs: Sub[];
  site: string | null;
  /** The VLANs that there are at its site. */
  known: ReadonlySet<number>;
}

interface Carried {
  tagged: Set<number>;
  untagged: number | null;
}

/** Of a routed port its sub-interfaces carry VLANs, of a switching one it does itself. */
const routes = (end: End): boolean =>
  end.mode === 'routed' || end.subs.length > 0 || (end.mode === null && end.router && end.vlan === null);

export function carriedBy(end: End): Carried {
  if (!routes(end)) return { tagged: new Set(end.tagged.filter((n) => n !== end.vlan)), untagged: end.vlan };
  return {
    tagged: new Set(end.subs.flatMap((sub) => sub.tag ?? [])),
    untagged: end.subs.find((sub) => sub.tag === null)?.vlan ?? null,
  };
}

/** What they carry differently, in words; undefined where they agree. */
export function disagreement(a: End, b: End): string | undefined {
  const [one, other] = [carriedBy(a), carriedBy(b)];
  const all = (c: Carried): number[] => [...c.tagged, ...(c.untagged === null ? [] : [c.untagged])];
  const lacks = (from: Carried, to: Carried): number[] => all(from).filter((n) => !all(to).includes(n));
  const mixed = (from: Carried, to: Carried): number[] =>
    to.untagged !== null && from.tagged.has(to.untagged) ? [to.untagged] : [];
  const parts = [
    ...said(lacks(one, other), `on ${a.key} only`),
    ...said(lacks(other, one), `on ${b.key} only`),
    ...said(mixed(one, other), `tagged on ${a.key}, untagged on ${b.key}`),
    ...said(mixed(other, one), `tagged on ${b.key}, untagged on ${a.key}`),
  ];
  return parts.length === 0 ? undefined : `VLAN ${parts.join(', ')}`;
}

const said = (numbers: number[], words: string): string[] =>
  numbers.length === 0 ? [] : [`${formatNumbers([...new Set(numbers)].sort((x, y) => x - y))} ${words}`];

/**
 * Commands after which both ends carry the same, each in the way of its kind. Nothing is taken away: what one end
 * carries tagged the other gets tagged; of two untagged ones that of the first end is kept.
 */
export function agreeing(a: End, b: End): string[] {
  const [one, other] = [carriedBy(a), carriedBy(b)];
  const tagged = new Set([...one.tagged, ...other.tagged]);
  const untagged = [one.untagged, other.untagged].find((n) => n !== null && !tagged.has(n)) ?? null;
  return [a, b].flatMap((end) => bring(end, { tagged, untagged }));
}

const shown = (numbers: Iterable<number>): string =>
  formatNumbers([...numbers].sort((x, y) => x - y)).replaceAll(' ', '');

function bring(end: End, want: Carried): string[] {
  const is = carriedBy(end);
  const same = is.untagged === want.untagged && shown(is.tagged) === shown(want.tagged);
  if (same) return [];
  const missing = [...want.tagged, ...(want.untagged === null ? [] : [want.untagged])].filter((n) => !end.known.has(n));
  const vlans = end.site === null ? [] : missing.map((n) => `zpine vlan add ${end.site}/${n}`);
  return [...vlans, ...(routes(end) ? subCommands(end, is, want) : portCommands(end, want))];
}

function portCommands(end: End, want: Carried): string[] {
  const mode = want.tagged.size > 0 ? 'trunk' : 'access';
  const fields = [
    `--mode ${mode}`,
    ...(want.tagged.size > 0 ? [`--tagged ${shown(want.tagged)}`] : []),
    ...(want.untagged === null ? [] : [`--vlan ${want.untagged}`]),
  ];
  const clear = [
    ...(want.untagged === null && end.vlan !== null ? ['vlan'] : []),
    ...(want.tagged.size === 0 && end.tagged.length > 0 ? ['tagged'] : []),
  ];
  return [
    `zpine interface edit ${end.key} ${[...fields, ...(clear.length > 0 ? [`--clear ${clear.join(',')}`] : [])].join(' ')}`,
  ];
}

function subCommands(end: End, is: Carried, want: Carried): string[] {
  const out: string[] = [];
  const plain = end.subs.find((sub) => sub.tag === null);
  if (want.untagged !== is.untagged && plain) {
    const { vlan } = plain;
    // It carries its VLAN tagged from now on, as the other end does.
    if (vlan !== null && want.tagged.has(vlan) && !is.tagged.has(vlan)) {
      out.push(`zpine interface edit ${plain.key} --tag ${vlan}`);
      is.tagged.add(vlan);
      if (want.untagged !== null) out.push(newSub(end, null, want.untagged));
    } else if (want.untagged !== null) out.push(`zpine interface edit ${plain.key} --vlan ${want.untagged}`);
    else out.push(`zpine interface edit ${plain.key} --clear vlan`);
  } else if (want.untagged !== is.untagged && want.untagged !== null) out.push(newSub(end, null, want.untagged));
  for (const n of [...want.tagged].sort((x, y) => x - y)) if (!is.tagged.has(n)) out.push(newSub(end, n, n));
  return out;
}

function newSub(end: End, tag: number | null, vlan: number): string {
  const names = new Set(end.subs.map((sub) => sub.key));
  const suffix = tag ?? 0;
  const name = names.has(`${end.key}.${suffix}`) ? `${end.key}.${suffix}-${vlan}` : `${end.key}.${suffix}`;
  const how = tag === null ? '' : ` --tag ${tag}`;
  return `zpine interface add ${name} --form sub-interface --on ${end.key}${how} --vlan ${vlan}`;
}
