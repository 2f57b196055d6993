/** Boot files: names of records, given to the address that was leased to the device, inside its arrival window. */
import { bootFileOf } from '@zpine/core/dialect/dialect';
import { maskedText } from '@zpine/core/template/render';
import { utf8Bytes } from '@zpine/core/text/utf8';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, byKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { applyEvent, openArrival } from '../arrivals/arrivals.ts';
import { onTheWire } from '../editions/content.ts';
import { filesOf, publishedOf } from '../editions/rows.ts';
import { dialectOf } from '../fleet/dialects.ts';
import { saveBootRecord } from './records.ts';

/** What may be told of a file that holds secrets: as large as it is shown, and a keyed digest. */
export interface ShownSize {
  bytes: number;
  fingerprint: string;
}

export type FileAnswer =
  | { ok: true; content: Uint8Array; device: number; arrival: number; shown: ShownSize }
  /** What the client is told: not found, or no access; and why, for our own record. */
  | { ok: false; code: 'not-found' | 'access'; why: string };

/** Who was acknowledged the address that a file is asked for from. */
export type FileHolder = { device: number | null; mac: string };

/** `harbour-sw.furrow` and, for further files of an edition, `harbour-sw/motd`. */
const wanted = (name: string): string => name.replace(/^\/+/, '');

/** `lease`: who has the address, as far as anybody has. */
export async function fileFor(tx: Tx, name: string, from: string, lease: FileHolder | undefined): Promise<FileAnswer> {
  const device = lease?.device ? (await byIds(tx, 'device', [lease.device], true)).get(lease.device) : undefined;
  const answer = device
    ? await fileOf(tx, device, wanted(name))
    : await refuseForeign(tx, wanted(name), from, lease !== undefined);
  await saveBootRecord(tx, {
    protocol: 'tftp',
    what: 'read',
    outcome: answer.ok ? 'answered' : 'refused',
    address: from,
    mac: lease?.mac,
    device: device?.id,
    detail: answer.ok ? `${name}, ${answer.shown.bytes} bytes` : `${name}: ${answer.why}`,
  });
  const arrival = device && (await openArrival(tx, device.id));
  if (arrival) {
    const evidence = { file: name, from };
    if (answer.ok) {
      const edition = (await publishedOf(tx, device.id))?.id;
      await applyEvent(
        tx,
        arrival,
        { kind: 'file-asked', evidence: { ...evidence, transport: 'TFTP' } },
        edition === undefined ? {} : { edition },
      );
    } else await applyEvent(tx, arrival, { kind: 'file-refused', evidence: { ...evidence, why: answer.why } });
  }
  return answer;
}

async function fileOf(tx: Tx, device: Stored<'device'>, name: string): Promise<FileAnswer> {
  const sheet = (await dialectOf(tx, device))?.sheet;
  const main = sheet && bootFileOf(sheet, device.key);
  const edition = await publishedOf(tx, device.id);
  if (main === undefined) return { ok: false, code: 'access', why: `nothing is known of how ${device.key} boots` };
  if (!edition) return { ok: false, code: 'access', why: `no edition of ${device.key} is published` };
  const file = (await filesOf(tx, edition.id)).find((f) => name === (f.name === '' ? main : `${device.key}/${f.name}`));
  if (!file) return { ok: false, code: 'not-found', why: `${device.key} has no such file; its first is ${main}` };
  const arrival = await openArrival(tx, device.id);
  if (!arrival) return { ok: false, code: 'access', why: `the arrival window of ${device.key} is closed` };
  const text = onTheWire(file.text, arrival.token);
  return {
    ok: true,
    content: utf8Bytes(text) ?? new Uint8Array(),
    device: device.id,
    arrival: Number(arrival.id),
    shown: { bytes: Buffer.byteLength(maskedText(file)), fingerprint: tx.sealer.fingerprint(file.text) },
  };
}

/** Nobody's address: it hears the same of every name, so that it cannot find out which devices there are. */
async function refuseForeign(tx: Tx, name: string, from: string, leased: boolean): Promise<FileAnswer> {
  const key = name.split('/')[0]?.replace(/\.[a-z]+$/, '') ?? '';
  const known = (await byKeys(tx, 'device', [key.toLowerCase()])).size > 0;
  const why = known
    ? leased
      ? `${from} is leased to nobody who is known`
      : `${from} is not leased to ${key}`
    : 'no device has a file of this name';
  return { ok: false, code: 'not-found', why };
}

/** How a transfer ended. */
export async function transferred(
  tx: Tx,
  file: { device: number; name: string; bytes: number; fingerprint: string },
  end: { ok: true; seconds: number } | { ok: false; why: string },
): Promise<void> {
  const arrival = await openArrival(tx, file.device);
  if (!end.ok)
    await saveBootRecord(tx, {
      protocol: 'tftp',
      what: 'read',
      outcome: 'broken',
      device: file.device,
      detail: `${file.name}: ${end.why}`,
    });
  if (!arrival) return;
  const evidence = { file: file.name, bytes: file.bytes };
  if (end.ok)
    await applyEvent(tx, arrival, {
      kind: 'file-complete',
      evidence: { ...evidence, fingerprint: file.fingerprint, seconds: end.seconds },
    });
  else await applyEvent(tx, arrival, { kind: 'file-broken', evidence: { ...evidence, why: end.why } });
}
