/** Editions as they are kept: who made them and when; and, asked for by itself, what is shown of them or kept under seal. */
import type { FilePlace } from '@zpine/core/config/filing';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { type Files, type Inputs, readInputs, type ShownFile } from './content.ts';
import type { LockoutFault } from './lockout.ts';
import { maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

/** What they hold is asked for by itself. */
export const editions = table('edition', {
  id: number,
  device_id: number,
  number,
  digest: text,
  inputs_digest: text,
  template: text,
  made_at: time,
  made_by: text,
  reason: maybe(text),
  published_at: maybe(time),
  published_by: maybe(text),
  insisted: maybe(text),
});
export type EditionRow = RowOf<typeof editions> & {
  /** The device is given this one now. */
  current: boolean;
  /** No later one was made. */
  newest: boolean;
};

/** What people see of an edition. */
export interface ShownParts {
  files: ShownFile[];
  wayBack: LockoutFault[];
}

const CURRENT = `SELECT p.id FROM edition p WHERE p.device_id = e.device_id AND p.published_at IS NOT NULL
  ORDER BY p.published_at DESC, p.number DESC LIMIT 1`;

const SELECT = `SELECT ${editions.of('e')}, e.id = (${CURRENT}) AS current,
  NOT EXISTS (SELECT 1 FROM edition n WHERE n.device_id = e.device_id AND n.number > e.number) AS newest FROM edition e`;

async function rowsBy(tx: Tx, behind: string, values: unknown[]): Promise<EditionRow[]> {
  const rows = await tx.select<EditionRow>(`${SELECT} ${behind}`, values);
  return rows.map((row) => ({
    ...row,
    id: Number(row.id),
    device_id: Number(row.device_id),
    current: Boolean(row.current),
    newest: Boolean(row.newest),
  }));
}

/** The last ones of a device, the newest first. */
export const lastEditions = (tx: Tx, device: number, most: number): Promise<EditionRow[]> =>
  rowsBy(tx, 'WHERE e.device_id = ? ORDER BY e.number DESC LIMIT ?', [device, most]);

export async function mustFindEdition(tx: Tx, device: Stored<'device'>, number: string): Promise<EditionRow> {
  const [row] = /^[1-9][0-9]{0,8}$/.test(number)
    ? await rowsBy(tx, 'WHERE e.device_id = ? AND e.number = ?', [device.id, Number(number)])
    : [];
  if (!row) throw new Refusal('not-found', { kind: 'edition', ref: `${device.key} ${number}` });
  return row;
}

/** The edition that a device is given now. */
export const publishedOf = (tx: Tx, device: number): Promise<{ id: number; number: number } | undefined> =>
  tx.one(
    `SELECT id, number FROM edition WHERE device_id = ? AND published_at IS NOT NULL
     ORDER BY published_at DESC, number DESC LIMIT 1`,
    [device],
  );

interface PublishedFiles {
  id: number;
  number: number;
  inputs_digest: string;
  files: Files;
  /** Where its outputs go on the device. */
  places: FilePlace[];
}

/** What devices are to run: their published editions with all secrets, by the ids of the devices. */
export async function publishedFilesOf(tx: Tx, devices: readonly number[]): Promise<Map<number, PublishedFiles>> {
  if (devices.length === 0) return new Map();
  const rows = await tx.select<{
    device_id: number;
    id: number;
    number: number;
    inputs_digest: string;
    content: string;
    places: string | null;
  }>(
    `SELECT e.device_id, e.id, e.number, e.inputs_digest, e.content, e.places FROM edition e
     WHERE e.device_id IN (?) AND e.id = (${CURRENT})`,
    [devices],
  );
  return new Map(
    rows.map(({ device_id, content, id, number, inputs_digest, places }) => [
      Number(device_id),
      {
        id: Number(id),
        number,
        inputs_digest,
        ...heldIn(tx, { content, places }),
      },
    ]),
  );
}

const heldIn = (
  tx: Tx,
  { content, places }: { content: string; places: string | null },
): Pick<PublishedFiles, 'files' | 'places'> => ({
  files: JSON.parse(tx.sealer.open(content)) as Files,
  places: places === null ? [] : (JSON.parse(places) as FilePlace[]),
});

const partOf = async (tx: Tx, id: number, column: 'shown' | 'content' | 'inputs'): Promise<string | undefined> =>
  (await tx.one<{ held: string }>(`SELECT ${column} AS held FROM edition WHERE id = ?`, [id]))?.held;

export async function shownParts(tx: Tx, id: number): Promise<ShownParts> {
  const text = await partOf(tx, id, 'shown');
  return text === undefined ? { files: [], wayBack: [] } : (JSON.parse(text) as ShownParts);
}

/** With all secrets, as it goes to the device; none of an edition that is gone. */
export async function filesOf(tx: Tx, id: number): Promise<Files> {
  const text = await partOf(tx, id, 'content');
  return text === undefined ? [] : (JSON.parse(tx.sealer.open(text)) as Files);
}

/** One with its number and all secrets; undefined where it is gone. */
export async function editionWith(tx: Tx, id: number): Promise<Omit<PublishedFiles, 'inputs_digest'> | undefined> {
  const row = await tx.one<{ number: number; content: string; places: string | null }>(
    'SELECT number, content, places FROM edition WHERE id = ?',
    [id],
  );
  return row && { id, number: row.number, ...heldIn(tx, row) };
}

/** What it was made from. */
export async function frozenInputs(tx: Tx, id: number): Promise<Inputs | undefined> {
  const text = await partOf(tx, id, 'inputs');
  return text === undefined ? undefined : readInputs(tx.sealer.open(text));
}
