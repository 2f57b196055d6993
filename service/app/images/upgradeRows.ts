/** Upgrades under way: which device fetches what just now. */
import type { Expectation } from '@zpine/core/fleet/expectations';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import { inputOf } from '../fleet/runs.ts';
import type { Tx } from '../../store/tx.ts';

/** What the word of a URL begins with that is of an upgrade, and not of an arrival window. */
export const UPGRADE_WORD = 'up-';

/** What an upgrade keeps of a device under seal. */
export interface UpgradeSeal {
  /** By its id: whose content is fetched. */
  image: number;
  name: string;
  file: string;
  /** As the device says it that runs it. */
  version: string;
  bytes: number;
  sha256: string;
  sha512: string;
  /** The one-time part of the URL, and the whole of it. */
  word: string;
  url: string;
  /** For devices that fetch by TFTP. */
  server: string;
  /** Where the device is, by the records. */
  address: string | null;
  /** What answers have to say afterwards, names filled in. */
  expect: Expectation[];
}

interface UnderWay {
  id: number;
  device: string;
  word: string;
  file: string;
  address: string | null;
  image: Stored<'image'>;
}

export async function upgradesUnderWay(tx: Tx): Promise<UnderWay[]> {
  const begun = (
    await tx.select<{ id: number; input: string }>(
      "SELECT id, input FROM run WHERE kind = 'upgrade' AND state = 'working'",
    )
  ).filter((run) => inputOf(run).confirmed === true);
  if (begun.length === 0) return [];
  // That a device is begun with is written down a moment later.
  const rows = await tx.select<{ device_id: number; device_key: string; sealed: string }>(
    "SELECT device_id, device_key, sealed FROM run_row WHERE run_id IN (?) AND state <> 'done' AND sealed IS NOT NULL",
    [begun.map(({ id }) => id)],
  );
  if (rows.length === 0) return [];
  const seals = rows.map((row) => ({ row, seal: JSON.parse(tx.sealer.open(row.sealed)) as Partial<UpgradeSeal> }));
  const images = await byIds(
    tx,
    'image',
    seals.flatMap(({ seal }) => seal.image ?? []),
  );
  return seals.flatMap(({ row, seal: { word = '', file = '', address = null, image: id } }) => {
    const image = images.get(id ?? 0);
    return image ? [{ id: Number(row.device_id), device: row.device_key, word, file, address, image }] : [];
  });
}
