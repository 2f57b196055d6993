/** Proves an arriving device: signs in, reads what it is and what it runs, compares, makes sure that it is kept. */
import { type ArrivalEvent } from '@zpine/core/arrival/arrival';
import { compareConfig, type Comparison, type Difference } from '@zpine/core/config/compare';
import { dialectOf } from '@zpine/core/config/dialect';
import { type DialectDescription } from '@zpine/core/config/dialects/description';
import { dial, type DialRow } from '@zpine/core/addressing/dial';
import { type Probe, type ProofResult } from '../app/arrivals/proof.ts';
import { hideSecrets, offTheWire } from '../app/editions/content.ts';
import { NotReached, Session } from './session.ts';

const VRF = 'default';

export async function prove(probe: Probe, dialMap: readonly DialRow[]): Promise<ProofResult> {
  const dialect = dialectOf(probe.dialect);
  if (!dialect)
    return { events: [{ kind: 'not-reached', why: 'sign-in', detail: `nothing is known of ${probe.dialect}` }] };
  const { address, port } = dial(dialMap, VRF, { address: probe.address, port: probe.port });
  let session: Session;
  try {
    session = await Session.open(
      { host: address, port, user: probe.user, password: probe.password, pinned: probe.pinned },
      dialect,
    );
  } catch (error) {
    if (!(error instanceof NotReached)) throw error;
    return { events: [{ kind: 'not-reached', why: error.why, detail: error.message }] };
  }
  const hostKey = { fingerprint: session.fingerprint, algorithm: session.algorithm };
  try {
    return { hostKey, ...(await inspect(session, probe, dialect)) };
  } catch (error) {
    const detail = `the session ended early: ${error instanceof Error ? error.message : String(error)}`;
    return { hostKey, events: [{ kind: 'not-reached', why: 'connect', detail }] };
  } finally {
    session.close();
  }
}

async function inspect(
  session: Session,
  probe: Probe,
  dialect: DialectDescription,
): Promise<Omit<ProofResult, 'hostKey'>> {
  const { commands, particulars } = dialect.shell;
  const about = await session.run(commands.particulars);
  const found = {
    model: particulars.model.exec(about)?.[1] ?? '',
    serial: particulars.serial.exec(about)?.[1] ?? '',
    version: particulars.version.exec(about)?.[1] ?? '',
  };
  const cards = [...about.matchAll(particulars.cards)].map(([, slot = '', model = '', serial = '']) => ({
    slot,
    model,
    serial,
  }));
  return { cards, ...(await compareAll(session, probe, dialect, found)) };
}

async function compareAll(
  session: Session,
  probe: Probe,
  dialect: DialectDescription,
  found: { model: string; serial: string; version: string },
): Promise<Omit<ProofResult, 'hostKey' | 'cards'>> {
  const { commands } = dialect.shell;
  const { serial, model } = probe.expected;
  const events: ArrivalEvent[] = [
    { kind: 'reached', evidence: { address: probe.address, user: probe.user, hostKey: session.fingerprint, ...found } },
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
  const running = offTheWire(await session.run(commands.running), probe.token);
  const compared = compareWith(probe, running, dialect);
  const comparison = { ...shown(compared, probe), at: new Date().toISOString() };
  if (!compared.matches) {
    const lines = [
      ...compared.missing.map((d) => `missing: ${lineText(d)}`),
      ...compared.extra.map((d) => `not wanted: ${lineText(d)}`),
    ].map((line) => hideSecrets(line, probe.files));
    const evidence = { missing: compared.missing.length, extra: compared.extra.length, lines: lines.slice(0, 20) };
    return { events: [...events, { kind: 'differs', evidence }], comparison };
  }
  events.push({ kind: 'matches', evidence: { lines: compared.right, elsewhere: compared.elsewhere.length } });
  return { events: [...events, await kept(session, probe, dialect)], comparison };
}

/** Lines differ by what they stand in, too. */
const lineText = ({ above, line }: Difference): string => [...above, line].join(' > ');

function compareWith(probe: Probe, actual: string, dialect: DialectDescription): Comparison {
  const [main] = probe.files;
  return compareConfig(main ?? { text: '', sections: [] }, actual, dialect.heads);
}

function shown(compared: Comparison, probe: Probe): Comparison {
  const hide = (text: string) => hideSecrets(text, probe.files);
  const each = (d: Difference): Difference => ({ ...d, above: d.above.map(hide), line: hide(d.line) });
  return {
    ...compared,
    missing: compared.missing.map(each),
    extra: compared.extra.map(each),
    elsewhere: compared.elsewhere.map(hide),
  };
}

/** The stored configuration is read; where it is not the edition, the device is told to keep, and read again. */
async function kept(session: Session, probe: Probe, dialect: DialectDescription): Promise<ArrivalEvent> {
  const { commands, refusal } = dialect.shell;
  const stored = async () => compareWith(probe, offTheWire(await session.run(commands.kept), probe.token), dialect);
  if ((await stored()).matches) return { kind: 'kept', evidence: { by: 'the device itself' } };
  const said = await session.run(commands.keep);
  const refused = refusal.exec(said)?.[2];
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
