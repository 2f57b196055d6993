/** Which file a client is given: as the records say; as they said a short time ago while the database is away. */
import { setTimeout as pause } from 'node:timers/promises';
import type { FileAnswer } from '../app/boot/fileAnswer.ts';
import { fileFor, transferred, type Asked, type FileHolder } from '../app/boot/files.ts';
import type { Actor } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { BootParts } from './dhcp.ts';
import { holderOf, isElsewhere } from './holder.ts';
import type { FromMemory } from './keptFiles.ts';
import { isDatabaseAway } from './ledger.ts';

const actor: Actor = { name: 'boot', via: 'service' };
/** Before a client asks again. */
const PATIENCE_MS = 2000;

export async function giveFile(parts: BootParts, asked: Asked): Promise<FromMemory> {
  const holder = holderOf(parts, asked.from);
  if (!parts.memory.away) {
    await parts.account.settled(holder);
    const answer = await byRecords(parts, asked, holder);
    if (answer) return answer;
  }
  const answer = parts.kept.give(asked, holder);
  const { name, from: address, transport: protocol } = asked;
  const detail = answer.ok
    ? `${name}, ${answer.shown.bytes} bytes, from memory: the database is away`
    : `${name}: ${answer.why}`;
  const outcome = answer.ok ? 'answered' : 'refused';
  const device = holder?.device ?? undefined;
  const now = parts.clock.now();
  parts.account.note({ protocol, what: 'read', outcome, address, mac: holder?.mac, device, detail }, now);
  if (device !== undefined) {
    const evidence = { file: name, from: address };
    const confirmed = answer.confirmed === undefined ? '' : new Date(answer.confirmed).toISOString();
    const event = answer.ok
      ? ({ kind: 'file-asked', evidence: { ...evidence, transport: protocol.toUpperCase(), confirmed } } as const)
      : ({ kind: 'file-refused', evidence: { ...evidence, why: answer.why } } as const);
    parts.account.arrival(device, [{ event, edition: parts.memory.fact(device)?.edition?.id }]);
  }
  return answer;
}

/** Undefined where the database is away, or stands still and is given up. */
async function byRecords(
  parts: BootParts,
  asked: Asked,
  holder: FileHolder | undefined,
): Promise<FileAnswer | undefined> {
  const elsewhere = isElsewhere(parts, asked.from);
  const asking = transact(parts.store, actor, 'file', (tx) => fileFor(tx, asked, holder, elsewhere)).catch(
    (error: unknown) => {
      if (isDatabaseAway(error)) return undefined;
      throw error;
    },
  );
  const limit = new AbortController();
  const first = await Promise.race([
    asking,
    pause(PATIENCE_MS, 'late' as const, { signal: limit.signal }).catch(() => 'late' as const),
  ]);
  limit.abort();
  if (first !== 'late') return first;
  if (!parts.memory.away) return asking;
  asking.catch((error: unknown) => parts.faults.say(error, 'a file was asked for'));
  return undefined;
}

type Given = Parameters<typeof transferred>[1];
type Ended = Parameters<typeof transferred>[2];

/** How a transfer ended: written down now, or when the database is back. */
export async function endTransfer(
  parts: BootParts,
  file: Given,
  end: Ended,
  confirmed: number | undefined,
): Promise<void> {
  if (confirmed === undefined) {
    try {
      return await transact(parts.store, actor, 'file', (tx) => transferred(tx, file, end));
    } catch (error) {
      // Of a leg it is not known how long the restart may take; the next boot tells.
      if (!isDatabaseAway(error) || file.leg !== null)
        return parts.faults.say(error, 'the end of a transfer could not be noted', { file: file.name });
    }
  }
  const { device, name, bytes, fingerprint, further } = file;
  if (device === null) return;
  const evidence = { file: name, bytes };
  const event = end.ok
    ? ({
        kind: further === true ? 'further-complete' : 'file-complete',
        evidence: { ...evidence, fingerprint, seconds: end.seconds },
      } as const)
    : ({ kind: 'file-broken', evidence: { ...evidence, why: end.why } } as const);
  parts.account.arrival(device, [{ event }]);
}
