/** A configuration that a device sends by itself: taken where the settings say so, kept as a capture of its own name. */
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { saveBootRecord } from '../boot/records.ts';
import { settingsOfMany } from '../settings/effective.ts';
import { capturedText } from './capturedText.ts';
import { storeCaptured } from './captures.ts';
import { targetsOf } from './targets.ts';

/** The file of the capture: what was sent is not what the service read. */
const SENT = 'sent';
const EXPECTED = 'capture.sent';
/** Between two of one device. */
const REST_SECONDS = 5;

export interface Writing {
  /** Whose address it comes from; undefined for nobody's. */
  device: number | undefined;
  from: string;
  name: string;
}

/** Why nothing is taken; undefined where it is expected. */
export async function refusesWrite(tx: Tx, { device: id, from, name }: Writing): Promise<string | undefined> {
  const device = id === undefined ? undefined : (await byIds(tx, 'device', [id])).get(id);
  const why = device ? await unexpected(tx, device) : `${from} is the address of no device`;
  if (why !== undefined) await noted(tx, { from, device: device?.id }, 'refused', `it wanted to write ${name}: ${why}`);
  return why;
}

async function unexpected(tx: Tx, device: Parameters<typeof targetsOf>[1][number]): Promise<string | undefined> {
  const { value } = await settingsOfMany(tx, [device], [EXPECTED]);
  if (value(device, EXPECTED) !== true) return `nothing is expected of ${device.key}: ${EXPECTED} is not set for it`;
  if (!(await targetsOf(tx, [device])).get(device.id)?.dialect)
    return `nothing is known of the dialect of ${device.key}`;
  const recent = await tx.one(
    'SELECT 1 AS one FROM capture WHERE device_id = ? AND file = ? AND current = 1 AND last_at > ? - INTERVAL ? SECOND',
    [device.id, SENT, await tx.now(), REST_SECONDS],
  );
  return recent ? `${device.key} sent one less than ${REST_SECONDS} s ago` : undefined;
}

/** Gives why it is not kept; undefined where it is. */
export async function keepSent(
  tx: Tx,
  { device: id, from, name }: Writing,
  content: Uint8Array,
): Promise<string | undefined> {
  const device = id === undefined ? undefined : (await byIds(tx, 'device', [id])).get(id);
  const target = device && (await targetsOf(tx, [device])).get(device.id);
  if (!device || !target?.dialect) return 'the device is gone';
  const text = textIn(content);
  const why = text === undefined ? 'it is no text' : text.trim() === '' ? 'it is empty' : undefined;
  const about = { from, device: device.id };
  if (text === undefined || why !== undefined) {
    await noted(tx, about, 'refused', `${name}: ${why ?? ''}`);
    return why;
  }
  const captured = capturedText(target.dialect, target.secrets, SENT, text);
  const { files } = await storeCaptured(tx, device.id, null, [captured]);
  const said = files[0]?.changed ? 'taken as a capture' : 'as it was sent before';
  await noted(tx, about, 'answered', `${name}, ${captured.shown.length} signs: ${said}`);
  return undefined;
}

const noted = (
  tx: Tx,
  { from, device }: { from: string; device: number | undefined },
  outcome: 'answered' | 'refused',
  detail: string,
): Promise<void> =>
  saveBootRecord(tx, { protocol: 'tftp', what: 'write', outcome, address: from, device, detail: detail.slice(0, 500) });

function textIn(content: Uint8Array): string | undefined {
  try {
    const text = new TextDecoder('utf-8', { fatal: true }).decode(content);
    return text.includes('\u0000') ? undefined : text.replaceAll('\r\n', '\n');
  } catch {
    return undefined;
  }
}
