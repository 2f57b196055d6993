/** Proves an arriving device: signs in, reads what it is and what it runs, compares, makes sure that it is kept. */
import type { ArrivalEvent } from '@zpine/core/arrival/arrival';
import { compareConfig, type Comparison, type Difference } from '@zpine/core/config/compare';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { Masker } from '@zpine/core/secrets/masking';
import type { Rung } from '@zpine/core/fleet/rungs';
import type { Probe, ProofResult } from '../app/arrivals/proof.ts';
import { hideSecrets, offTheWire } from '../app/editions/content.ts';
import { connect, type HostKey, type ConnectOptions } from './connect.ts';
import { NotReached } from './notReached.ts';
import { openSession, type Session } from './session.ts';

/** The rungs as an arrival tells them apart. */
const whyOf = (rung: Rung): Extract<ArrivalEvent, { kind: 'not-reached' }>['why'] =>
  rung === 'sign-in' || rung === 'host-key' ? rung : rung === 'exchange' ? 'algorithms' : 'connect';

const notReached = (error: unknown): ArrivalEvent =>
  error instanceof NotReached
    ? { kind: 'not-reached', why: whyOf(error.rung), detail: error.message }
    : {
        kind: 'not-reached',
        why: 'connect',
        detail: `the session ended early: ${error instanceof Error ? error.message : String(error)}`,
      };

export async function prove(probe: Probe, way: ConnectOptions): Promise<ProofResult> {
  const { dialect, access } = probe.target;
  if (!dialect) return { events: [{ kind: 'not-reached', why: 'sign-in', detail: `nothing is known of its dialect` }] };
  let hostKey: HostKey | undefined;
  let session: Session | undefined;
  try {
    const connected = await connect(probe.target, way);
    hostKey = connected.hostKey;
    session = await openSession(connected.client, dialect, { answerMs: access.answerSeconds * 1000 }, access.second);
    return { hostKey, ...(await inspect(session, probe, dialect, hostKey)) };
  } catch (error) {
    return { hostKey, events: [notReached(error)] };
  } finally {
    session?.close();
  }
}

const textOf = async (session: Session, command: string): Promise<string> => (await session.run(command)).text;

async function inspect(
  session: Session,
  probe: Probe,
  dialect: Dialect,
  hostKey: HostKey,
): Promise<Omit<ProofResult, 'hostKey'>> {
  const { version, cards } = dialect.sheet.questions;
  const about = version ? (dialect.rowsOf('version', await textOf(session, version.command))[0] ?? {}) : {};
  const found = { model: about.model ?? '', serial: about.serial ?? '', version: about.version ?? '' };
  const compared = await compareAll(session, probe, dialect, found, hostKey);
  if (!cards) return compared;
  const rows = dialect.rowsOf('cards', await textOf(session, cards.command));
  return {
    cards: rows.map(({ slot = '', model = '', serial = '' }) => ({ slot, model, serial })),
    ...compared,
  };
}

async function compareAll(
  session: Session,
  probe: Probe,
  dialect: Dialect,
  found: { model: string; serial: string; version: string },
  hostKey: HostKey,
): Promise<Omit<ProofResult, 'hostKey' | 'cards'>> {
  const { serial, model } = probe.expected;
  const { user } = probe.target.access;
  const events: ArrivalEvent[] = [
    { kind: 'reached', evidence: { address: probe.address, user, hostKey: hostKey.fingerprint, ...found } },
  ];
  if (serial !== null && found.serial.toLowerCase() !== serial.toLowerCase()) {
    return {
      events: [...events, { kind: 'wrong-box', evidence: { what: 'serial', found: found.serial, expected: serial } }],
    };
  }
  if (model !== null && found.model.toLowerCase() !== model.toLowerCase()) {
    return {
      events: [...events, { kind: 'wrong-box', evidence: { what: 'model', found: found.model, expected: model } }],
    };
  }
  const running = offTheWire(await textOf(session, dialect.sheet.running), probe.token);
  const compared = compareWith(probe, running, dialect);
  const comparison = { ...shown(compared, hider(probe, dialect, running)), at: new Date().toISOString() };
  if (!compared.matches) {
    const hide = hider(probe, dialect, running);
    const lines = [
      ...compared.missing.map((d) => `missing: ${lineText(d)}`),
      ...compared.extra.map((d) => `not wanted: ${lineText(d)}`),
    ].map(hide);
    const evidence = { missing: compared.missing.length, extra: compared.extra.length, lines: lines.slice(0, 20) };
    return { events: [...events, { kind: 'differs', evidence }], comparison };
  }
  events.push({ kind: 'matches', evidence: { lines: compared.right, elsewhere: compared.elsewhere.length } });
  return { events: [...events, await kept(session, probe, dialect)], comparison };
}

/** Lines differ by what they stand in, too. */
const lineText = ({ above, line }: Difference): string => [...above, line].join(' > ');

function compareWith(probe: Probe, actual: string, dialect: Dialect): Comparison {
  const [main] = probe.files;
  return compareConfig(main ?? { text: '', parts: [] }, actual, dialect);
}

/** Hides the edition's secrets, all that is known of the device, and what its sheet finds in what it runs. */
function hider({ files, target }: Probe, dialect: Dialect, running: string): (text: string) => string {
  const known = new Masker([...target.secrets, ...dialect.secretsIn(running)]);
  return (text) => known.mask(dialect.masked(hideSecrets(text, files)));
}

function shown(compared: Comparison, hide: (text: string) => string): Comparison {
  const each = (d: Difference): Difference => ({ ...d, above: d.above.map(hide), line: hide(d.line) });
  return {
    ...compared,
    missing: compared.missing.map(each),
    extra: compared.extra.map(each),
    elsewhere: compared.elsewhere.map(hide),
  };
}

/** The stored configuration is read; where it is not the edition, the device is told to keep, and read again. */
async function kept(session: Session, probe: Probe, dialect: Dialect): Promise<ArrivalEvent> {
  const { stored: storedBy, keep } = dialect.sheet;
  // Where nothing but what runs can be read, what runs is what is kept.
  if (storedBy === undefined) return { kind: 'kept', evidence: { by: 'the device itself' } };
  const stored = async () => compareWith(probe, offTheWire(await textOf(session, storedBy), probe.token), dialect);
  if ((await stored()).matches) return { kind: 'kept', evidence: { by: 'the device itself' } };
  if (keep === undefined) return { kind: 'not-kept', evidence: { why: 'its dialect has no word to keep' } };
  const { refused } = await session.run(keep);
  if (refused !== undefined) return { kind: 'not-kept', evidence: { why: refused } };
  const again = await stored();
  if (again.matches) return { kind: 'kept', evidence: { by: 'our command' } };
  return {
    kind: 'not-kept',
    evidence: {
      why: `${again.missing.length + again.extra.length} lines of what is stored differ after it was told to keep`,
    },
  };
}
