/** Files too large for one request: sent as a stream, kept in pieces, looked at in the background, saved when told to. */
import { Refusal } from '@zpine/contract/errors';
import type { ImportOutcome, Upload, uploadStates } from '@zpine/contract/importRoutes';
import type { QueryOf } from '@zpine/contract/routes';
import { z } from 'zod';
import type { User } from '../access/who.ts';
import type { Actor, Store } from '../../store/store.ts';
import { transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { kindOfImport } from './headMapping.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';

type UploadState = (typeof uploadStates)[number];

export const uploads = table('upload', {
  id: number,
  name: text,
  kind: maybe(text),
  format: maybe(word<'csv' | 'yaml' | 'json'>()),
  columns: text,
  state: word<UploadState>(),
  bytes: number,
  bytes_done: number,
  rows_done: number,
  encoding: word<'utf-8' | 'windows-1252'>(),
  cancelled: number,
  /** Values of secret settings may be in it: its pieces are sealed. */
  sealed: number,
  outcome: maybe(text),
  failure: maybe(text),
  reason: maybe(text),
  via: word<Actor['via']>(),
  started_by: text,
  at: time,
});
export type UploadRow = RowOf<typeof uploads>;

/** Pieces of this size go to the database one by one. */
const CHUNK = 1 << 20;

const columnsShape = z.record(z.string(), z.string().nullable());

function columnsFrom(text: string | undefined): Record<string, string | null> {
  if (text === undefined) return {};
  try {
    const read = columnsShape.safeParse(JSON.parse(text));
    if (read.success) return read.data;
  } catch {
    // Said below: it is not what is wanted.
  }
  throw Refusal.at(['columns'], 'value-shape', { form: '{"HEAD": "FIELD"}' });
}

/** Takes a file in, piece by piece; nothing of it is looked at yet. */
export async function receiveUpload(
  store: Store,
  actor: Actor,
  query: QueryOf<'import.upload'>,
  body: AsyncIterable<Uint8Array>,
  most: number,
): Promise<Upload> {
  const columns = columnsFrom(query.columns);
  const kind = query.kind === undefined ? null : kindOfImport(query.kind);
  // Rows of a record kind hold no secret; values of settings do, and so may a file of many kinds.
  const sealed = kind === null || kind === 'value';
  const id = await transact(store, actor, 'import.upload', async (tx) => {
    const row = {
      name: query.name,
      kind,
      format: query.as ?? null,
      columns: JSON.stringify(columns),
      sealed: sealed ? 1 : 0,
      state: query.apply === 'true' ? 'saving' : 'waiting',
      reason: actor.reason ?? null,
      via: actor.via,
      started_by: actor.name,
      at: await tx.now(),
    };
    return (await tx.insertRows('upload', [row]))[0] ?? 0;
  });
  try {
    const { bytes, encoding } = await saveChunks(store, actor, { id, sealed, most }, body);
    if (bytes === 0) throw new Refusal('import-empty');
    return await transact(store, actor, 'import.upload', async (tx) => {
      await tx.execute('UPDATE upload SET bytes = ?, encoding = ? WHERE id = ?', [bytes, encoding, id]);
      tx.job({ name: 'import', payload: { id, apply: query.apply === 'true' }, delaySeconds: 0 });
      return presentUpload(await uploadRow(tx, String(id)));
    });
  } catch (error) {
    await transact(store, actor, 'import.upload', (tx) => tx.execute('DELETE FROM upload WHERE id = ?', [id]));
    throw error;
  }
}

async function saveChunks(
  store: Store,
  actor: Actor,
  { id, sealed, most }: { id: number; sealed: boolean; most: number },
  body: AsyncIterable<Uint8Array>,
): Promise<{ bytes: number; encoding: UploadRow['encoding'] }> {
  const decoder = new TextDecoder('utf-8', { fatal: true });
  let encoding: UploadRow['encoding'] = 'utf-8';
  const look = (piece?: Uint8Array) => {
    try {
      if (encoding === 'utf-8') decoder.decode(piece, { stream: piece !== undefined });
    } catch {
      // What spreadsheets on some desks still write.
      encoding = 'windows-1252';
    }
  };
  let bytes = 0;
  let seq = 0;
  let held: Uint8Array[] = [];
  let size = 0;
  const keep = async () => {
    const data = Buffer.concat(held);
    [held, size] = [[], 0];
    if (data.length === 0) return;
    look(data);
    const row = { upload_id: id, seq: (seq += 1), data: sealed ? sealChunk(store, data) : data };
    await transact(store, actor, 'import.upload', (tx) => tx.insertRows('upload_chunk', [row], ''));
  };
  for await (const piece of body) {
    bytes += piece.byteLength;
    if (bytes > most) throw new Refusal('body-large', { max: most });
    held.push(piece);
    size += piece.byteLength;
    if (size >= CHUNK) await keep();
  }
  await keep();
  look();
  return { bytes, encoding };
}

const sealChunk = (store: Store, data: Buffer): Buffer => Buffer.from(store.sealer.seal(data.toString('latin1')));
export const openChunk = (store: Store, data: Buffer): Buffer =>
  Buffer.from(store.sealer.open(data.toString()), 'latin1');

/** Nobody reads them again. */
export const dropChunks = (tx: Tx, id: number): Promise<number> =>
  tx.execute('DELETE FROM upload_chunk WHERE upload_id = ?', [id]);

export async function uploadRow(tx: Tx, id: string, lock = false): Promise<UploadRow> {
  const row = /^#?[1-9][0-9]{0,15}$/.test(id)
    ? await tx.one<UploadRow>(`SELECT ${uploads.all} FROM upload WHERE id = ? ${lock ? 'FOR UPDATE' : ''}`, [
        Number(id.replace('#', '')),
      ])
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'upload', ref: id });
  return row;
}

export const presentUpload = (row: UploadRow): Upload => ({
  id: Number(row.id),
  name: row.name,
  state: row.state,
  bytes: Number(row.bytes),
  bytesDone: Number(row.bytes_done),
  rowsDone: Number(row.rows_done),
  encoding: row.encoding,
  startedBy: row.started_by,
  at: row.at.toISOString(),
  outcome: row.outcome === null ? null : (JSON.parse(row.outcome) as ImportOutcome),
  failure: row.failure,
});

export async function applyUpload(tx: Tx, id: string, user: User): Promise<Upload> {
  const row = await uploadRow(tx, id, true);
  if (row.state !== 'read') throw new Refusal('upload-state', { state: row.state });
  await tx.execute(
    "UPDATE upload SET state = 'saving', bytes_done = 0, rows_done = 0, started_by = ?, via = ?, reason = COALESCE(?, reason) WHERE id = ?",
    [user.name, tx.actor.via, tx.actor.reason ?? null, row.id],
  );
  tx.job({ name: 'import', payload: { id: Number(row.id), apply: true }, delaySeconds: 0 });
  return presentUpload(await uploadRow(tx, id));
}

/** Stops what runs, and forgets what waits; what is saved stays, and can be taken back. */
export async function cancelUpload(tx: Tx, id: string): Promise<Upload> {
  const row = await uploadRow(tx, id, true);
  if (!['waiting', 'reading', 'read', 'saving'].includes(row.state))
    throw new Refusal('upload-state', { state: row.state });
  const idle = row.state === 'read' || row.state === 'waiting';
  await tx.execute('UPDATE upload SET cancelled = 1, state = ? WHERE id = ?', [idle ? 'cancelled' : row.state, row.id]);
  if (idle) await dropChunks(tx, Number(row.id));
  return presentUpload(await uploadRow(tx, id));
}
