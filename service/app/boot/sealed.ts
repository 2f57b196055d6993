/** Files of published editions as they are kept, for who holds them while the database is away. */
import { maskedText } from '@zpine/core/template/render';
import { utf8Bytes } from '@zpine/core/text/utf8';
import { onTheWire, type Files } from '../editions/content.ts';
import type { Sealer } from '../../store/sealing.ts';
import type { Tx } from '../../store/tx.ts';
import type { GivenFile } from './fileAnswer.ts';

/** Of one device, under seal. */
export type SealedFiles = {
  device: number;
  edition: number;
  /** As the store keeps it. */
  content: string;
  /** The one-time part of its window. */
  token: string;
};

/** The published editions of devices whose windows are open; in one statement. */
export async function sealedFiles(tx: Tx, editions: readonly number[]): Promise<SealedFiles[]> {
  if (editions.length === 0) return [];
  const rows = await tx.select<{ id: number; device_id: number; content: string; token: string }>(
    `SELECT e.id, e.device_id, e.content, a.token FROM edition e
     JOIN arrival a ON a.device_id = e.device_id AND a.ended_at IS NULL AND a.closes_at > ?
     WHERE e.id IN (?) AND e.published_at IS NOT NULL ORDER BY a.id`,
    [tx.aboutNow(), editions],
  );
  return rows.map(({ id, device_id: device, content, token }) => ({
    device: Number(device),
    edition: Number(id),
    content,
    token,
  }));
}

/** `name`: empty for the main file. Undefined where the edition has none of that name. */
export function openedFile(
  sealer: Sealer,
  { device, content, token }: SealedFiles,
  name: string,
): GivenFile | undefined {
  const file = (JSON.parse(sealer.open(content)) as Files).find((one) => one.name === name);
  return (
    file && {
      content: utf8Bytes(onTheWire(file.text, token)) ?? new Uint8Array(),
      device,
      leg: null,
      shown: { bytes: Buffer.byteLength(maskedText(file)), fingerprint: sealer.fingerprint(file.text) },
    }
  );
}
