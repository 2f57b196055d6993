/** Proves an arriving device: signs in, reads what it is and what it runs, compares, makes sure that it is kept. */
import type { ArrivalEvent } from '@zpine/core/arrival/arrival';
import { differenceText } from '@zpine/core/config/compare';
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Rung } from '@zpine/core/fleet/rungs';
import type { Probe, ProofResult } from '../app/arrivals/proof.ts';
import { comparedWith, driftOf, linesOf } from '../app/fleet/compared.ts';
import { connect, type HostKey, type ConnectOptions } from './connect.ts';
import { tryLogin } from './leftOpen.ts';
import { NotReached } from './notReached.ts';
import { openSession, type Session } from './session.ts';
import { systemOf, toldInWords } from './snmp.ts';
import { placedFiles } from './work/filing.ts';
import { capturedText } from '../app/fleet/capturedText.ts';

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
    hostKey = connected.hostKey ?? undefined;
    session = await openSession(connected.client, dialect, { answerMs: access.answerSeconds * 1000 }, access.second);
    const found = await inspect(session, probe, dialect, hostKey, way);
    return { hostKey, ...found, events: await besides(probe, way, found.events) };
  } catch (error) {
    return { hostKey, events: [notReached(error)] };
  } finally {
    session?.close();
  }
}

/** What it tells of itself by SNMP stands with what was read by SSH, where the settings say how. */
async function besides({ target }: Probe, way: ConnectOptions, events: ArrivalEvent[]): Promise<ArrivalEvent[]> {
  const { snmp } = target.access;
  if (!snmp) return events;
  const told = await systemOf(target, snmp, way).then(toldInWords, (error: unknown) =>
    error instanceof Error ? error.message : String(error),
  );
  return events.map((event) =>
    event.kind === 'reached' ? { ...event, evidence: { ...event.evidence, snmp: told } } : event,
  );
}

const textOf = async (session: Session, command: string): Promise<string> => (await session.run(command)).text;

async function inspect(
  session: Session,
  probe: Probe,
  dialect: Dialect,
  hostKey: HostKey | undefined,
  way: ConnectOptions,
): Promise<Omit<ProofResult, 'hostKey'>> {
  const { version, cards } = dialect.sheet.questions;
  const about = version ? (dialect.rowsOf('version', await textOf(session, version.command))[0] ?? {}) : {};
  const found = { model: about.model ?? '', serial: about.serial ?? '', version: about.version ?? '' };
  const compared = await compareAll(session, probe, dialect, found, hostKey, way);
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
  hostKey: HostKey | undefined,
  way: ConnectOptions,
): Promise<Omit<ProofResult, 'hostKey' | 'cards'>> {
  const { serial, model } = probe.expected;
  const { bare, user: secure } = probe.target.access;
  const user = bare ? bare.user : secure;
  const events: ArrivalEvent[] = [
    {
      kind: 'reached',
      evidence: { address: probe.address, user, hostKey: hostKey?.fingerprint ?? 'none: without encryption', ...found },
    },
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
  const { image } = probe;
  if (image && found.version !== image.version) {
    const evidence = { image: image.name, expected: image.version, found: found.version || '(none)' };
    return { events: [...events, { kind: 'image-differs', evidence }] };
  }
  const running = await textOf(session, dialect.sheet.running);
  const compared = comparedWith(probe.target, dialect, probe.edition.files, running);
  const files = await placedFiles(session, dialect, probe.edition);
  const drift = driftOf(probe.target, dialect, probe.edition, { running, stored: undefined, files });
  if (drift.comparison?.matches === false) {
    const differences = drift.comparison?.differences ?? [];
    const others = drift.comparison?.files ?? [];
    const evidence = {
      missing: differences.filter(({ kind }) => kind !== 'extra').length + others.length,
      extra: differences.filter(({ kind }) => kind === 'extra').length,
      lines: [
        ...differences.slice(0, 20).map(differenceText),
        ...others.map(({ path, deed }) => `file ${path}: ${deed}`),
      ].slice(0, 20),
    };
    return {
      events: [...events, { kind: 'differs', evidence }],
      drift,
      captured: [capturedText(dialect, probe.target.secrets, 'running', running)],
    };
  }
  events.push({
    kind: 'matches',
    evidence: {
      lines: compared.right,
      elsewhere: compared.elsewhere.length,
      ...(compared.notComparable.length > 0 ? { notComparable: compared.notComparable.length } : {}),
    },
  });
  const open = await leftOpen(probe, way);
  const { event, stored } = open ? { event: open, stored: undefined } : await kept(session, probe, dialect);
  return {
    events: [...events, event],
    drift: driftOf(probe.target, dialect, probe.edition, { running, stored, files }),
    captured: [
      capturedText(dialect, probe.target.secrets, 'running', running),
      ...(stored === undefined ? [] : [capturedText(dialect, probe.target.secrets, 'stored', stored)]),
    ],
  };
}

/** What let the service in at first, or anybody, has to be gone before it serves. */
async function leftOpen({ target, first }: Probe, way: ConnectOptions): Promise<ArrivalEvent | undefined> {
  for (const { what, ...login } of first) {
    const tried = await tryLogin(target, login, way);
    if ('letsIn' in tried && tried.letsIn) return { kind: 'left-open', evidence: { what, user: login.user } };
  }
  return undefined;
}

/** The stored configuration is read; where it is not the edition, the device is told to keep, and read again. */
async function kept(
  session: Session,
  { target, edition }: Probe,
  dialect: Dialect,
): Promise<{ event: ArrivalEvent; stored: string | undefined }> {
  const { stored: storedBy, keep } = dialect.sheet;
  const isKept = (by: string, stored?: string) => ({ event: { kind: 'kept' as const, evidence: { by } }, stored });
  const isNot = (why: string, stored?: string) => ({ event: { kind: 'not-kept' as const, evidence: { why } }, stored });
  // Where nothing but what runs can be read, what runs is what is kept.
  if (storedBy === undefined) return isKept('the device itself');
  const matches = (stored: string) => comparedWith(target, dialect, edition.files, stored);
  const before = await textOf(session, storedBy);
  if (matches(before).matches) return isKept('the device itself', before);
  if (keep === undefined) return isNot('its dialect has no word to keep', before);
  const { refused } = await session.run(keep);
  if (refused !== undefined) return isNot(refused, before);
  const after = await textOf(session, storedBy);
  const again = matches(after);
  if (again.matches) return isKept('our command', after);
  return isNot(`${linesOf(again.differences)} lines of what is stored differ after it was told to keep`, after);
}
