/**
 * Whether everything that was plugged into a device is plugged in again, and into the right ports: what it said of its ports
 * before its box was swapped, held against what it says now.
 */
import type { Answers } from '../fleet/effects.ts';

export interface Swapped {
  was: Answers;
  is: Answers;
  isLive: (state: string) => boolean;
  /** The cable in a port by the records, by the name that the port has on the device. */
  cableIn: (port: string) => { words: string; farEnd: string } | undefined;
}

export type PortFinding =
  /** It had link, and has none. */
  | { is: 'dark'; port: string; cable: string | null; farEnd: string | null }
  /** What was heard on one is heard on the other, and the other way round. */
  | { is: 'exchanged'; port: string; other: string }
  /** What was heard on it is heard on another now. */
  | { is: 'moved'; port: string; other: string; what: string }
  /** Another neighbour than before. */
  | { is: 'other neighbour'; port: string; was: string; now: string }
  /** It has link, and nobody is heard that was heard before. It may take a while. */
  | { is: 'silent'; port: string };

/** Who is heard on each port: neighbours by name, and hardware addresses. */
function heardBy({ neighbours, macs }: Answers): Map<string, Set<string>> {
  const out = new Map<string, Set<string>>();
  const add = (port: string | undefined, who: string | undefined): void => {
    if (!port || !who) return;
    out.set(port, (out.get(port) ?? new Set()).add(who.toLowerCase()));
  };
  for (const row of neighbours) add(row.interface, row.neighbour);
  for (const row of macs) add(row.interface, row.mac);
  return out;
}

/** More than half of those who were heard there before. */
function mostOf(before: ReadonlySet<string>, now: ReadonlySet<string> | undefined): boolean {
  let shared = 0;
  for (const who of before) if (now?.has(who) === true) shared += 1;
  return shared * 2 > before.size;
}

export function heldAgainstBefore({ was, is, isLive, cableIn }: Swapped): PortFinding[] {
  const live = (rows: Answers['interfaces']): Set<string> =>
    new Set(rows.flatMap((row) => (row.interface && isLive(row.state ?? '') ? [row.interface] : [])));
  const [wasLive, isLiveNow] = [live(was.interfaces), live(is.interfaces)];
  const [before, now] = [heardBy(was), heardBy(is)];
  const out: PortFinding[] = [];
  /** Ports of which it is said already where what hung there is now. */
  const told = new Set<string>();
  for (const [port, who] of before) {
    if (told.has(port) || mostOf(who, now.get(port))) continue;
    const other = [...now].find(([name, heard]) => name !== port && mostOf(who, heard))?.[0];
    if (other === undefined) continue;
    const others = before.get(other);
    told.add(port);
    if (others && mostOf(others, now.get(port))) {
      told.add(other);
      out.push({ is: 'exchanged', port, other });
    } else out.push({ is: 'moved', port, other, what: [...who][0] ?? '' });
  }
  const neighbourOf = (rows: Answers['neighbours'], port: string): string | undefined =>
    rows.find((row) => row.interface === port)?.neighbour;
  for (const port of wasLive) {
    if (told.has(port)) continue;
    if (!isLiveNow.has(port)) {
      const cable = cableIn(port);
      out.push({ is: 'dark', port, cable: cable?.words ?? null, farEnd: cable?.farEnd ?? null });
      continue;
    }
    const [one, other] = [neighbourOf(was.neighbours, port), neighbourOf(is.neighbours, port)];
    if (one !== undefined && other !== undefined && one.toLowerCase() !== other.toLowerCase())
      out.push({ is: 'other neighbour', port, was: one, now: other });
    else if ((before.get(port)?.size ?? 0) > 0 && (now.get(port)?.size ?? 0) === 0) out.push({ is: 'silent', port });
  }
  return out;
}

/** In one sentence, without its full stop. */
export function findingWords(finding: PortFinding): string {
  switch (finding.is) {
    case 'dark':
      return `${finding.port} is dark: ${finding.cable === null ? 'no cable in it?' : `cable ${finding.cable} not in?`}${finding.farEnd === null ? '' : ` It leads to ${finding.farEnd}`}`;
    case 'exchanged':
      return `${finding.port} and ${finding.other} are exchanged`;
    case 'moved':
      return `what hung on ${finding.port} hangs on ${finding.other} now (${finding.what})`;
    case 'other neighbour':
      return `${finding.port} leads to ${finding.now}, and led to ${finding.was} before`;
    case 'silent':
      return `${finding.port} has link, and nobody is heard on it yet`;
  }
}
