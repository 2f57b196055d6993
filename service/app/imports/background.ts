/** The work of an uploaded import: one unit of work over the whole file, however large, with progress beside it. */
import { Refusal, problemOf } from '@zpine/contract/errors';
import type { ImportKind, ImportOutcome } from '@zpine/contract/importRoutes';
import { LeaseLost, mustHold, type Lease } from '../../store/claims.ts';
import type { Actor, Store } from '../../store/store.ts';
import { readOnly, transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { csvBatches } from './csv.ts';
import { Import } from './engine.ts';
import { rememberedHeads, rememberHeads } from './headMapping.ts';
import { guessFormat, readText } from './read.ts';
import { whole, type Head, type ImportRow } from './rows.ts';
import { outcomeOf, importRows } from './run.ts';
import { dropChunks, openChunk, uploadRow, type UploadRow } from './uploads.ts';
import { refersToOwn, Stretches } from './stretches.ts';

/** YAML and JSON are read as a whole: more than that is for CSV. */
const MOST_WHOLE = 32 << 20;

class Cancelled extends Error {}

/** `hold`: by which claim; what it keeps is kept only while that is the last one. */
export async function importUpload(
  store: Store,
  { id, apply }: { id: number; apply: boolean },
  hold: Lease,
): Promise<void> {
  const service: Actor = { name: 'service', via: 'service' };
  const set = (sql: string, values: unknown[]) =>
    transact(store, service, 'import', (tx) => tx.execute(`UPDATE upload SET ${sql} WHERE id = ?`, [...values, id]));
  const upload = await readOnly(store, service, (tx) => uploadRow(tx, String(id))).catch(() => undefined);
  // Removed, stopped, or saved already by an instance that could not say so any more.
  if (!upload || !['waiting', 'reading', 'saving'].includes(upload.state)) return;
  if (!apply) await set("state = 'reading'", []);
  const progress = new Progress(store, id);
  try {
    const actor: Actor = { name: upload.started_by, via: upload.via, reason: upload.reason ?? undefined };
    const outcome = await transact(store, actor, 'import.run', async (tx) => {
      progress.begin();
      const done = await importPieces(tx, store, upload, apply, progress);
      // With the records, so that whoever is asked to do it again sees that it is done.
      if (done.applied) {
        await mustHold(tx, hold);
        await tx.execute("UPDATE upload SET state = 'saved', outcome = ? WHERE id = ?", [JSON.stringify(done), id]);
      }
      return done;
    });
    if (!outcome.applied)
      await set('state = ?, outcome = ?, bytes_done = bytes, rows_done = ?', [
        outcome.faults.length > 0 ? 'refused' : 'read',
        JSON.stringify(outcome),
        outcome.rows,
      ]);
    if (outcome.applied || outcome.faults.length > 0)
      await transact(store, service, 'import', (tx) => dropChunks(tx, id));
  } catch (error) {
    if (error instanceof LeaseLost) throw error;
    if (error instanceof Cancelled) await set("state = 'cancelled'", []);
    else {
      const failure = error instanceof Refusal ? problemOf(error).detail : String(error);
      await set("state = 'failed', failure = ?", [failure.slice(0, 500)]);
    }
    await transact(store, service, 'import', (tx) => dropChunks(tx, id));
  }
}

/** Ends an upload whose work was ended from outside, with the reason; what it held is let go. */
export const failUpload = (store: Store, id: number, failure: string, hold: Lease): Promise<void> =>
  transact(store, { name: 'service', via: 'service' }, 'import', async (tx) => {
    await mustHold(tx, hold);
    await tx.execute(
      "UPDATE upload SET state = 'failed', failure = ? WHERE id = ? AND state IN ('waiting', 'reading', 'saving')",
      [failure.slice(0, 500), id],
    );
    await dropChunks(tx, id);
  });

/** The same work for whoever only wants to see what it would do. */
export async function importUploaded(tx: Tx, store: Store, ref: string): Promise<ImportOutcome> {
  const upload = await uploadRow(tx, ref);
  if (upload.state !== 'read') throw new Refusal('upload-state', { state: upload.state });
  return importPieces(tx, store, upload, true, { bytes: 0, rows: 0, tell: () => Promise.resolve() });
}

/** How far it is: told now and then, and a chance to be stopped. */
interface Telling {
  bytes: number;
  rows: number;
  tell: () => Promise<void>;
}

/** Writes now and then how far it is, on a connection of its own, and sees whether somebody wants to stop. */
class Progress implements Telling {
  bytes = 0;
  rows = 0;
  private readonly store: Store;
  private readonly id: number;
  private last = 0;

  constructor(store: Store, id: number) {
    this.store = store;
    this.id = id;
  }

  /** A unit of work may be begun anew. */
  begin(): void {
    [this.bytes, this.rows, this.last] = [0, 0, 0];
  }

  async tell(): Promise<void> {
    if (Date.now() - this.last < 700) return;
    this.last = Date.now();
    const stop = await transact(this.store, { name: 'service', via: 'service' }, 'import', async (tx) => {
      await tx.execute('UPDATE upload SET bytes_done = ?, rows_done = ? WHERE id = ?', [
        this.bytes,
        this.rows,
        this.id,
      ]);
      return (
        (await tx.one<{ cancelled: number }>('SELECT cancelled FROM upload WHERE id = ?', [this.id]))?.cancelled !== 0
      );
    });
    if (stop) throw new Cancelled();
  }
}

async function* textOf(store: Store, upload: UploadRow, progress: Telling): AsyncGenerator<string> {
  const decoder = new TextDecoder(upload.encoding);
  const reader: Actor = { name: 'service', via: 'service' };
  for (let seq = 1; ; seq += 1) {
    const chunk = await readOnly(store, reader, (tx) =>
      tx.one<{ data: Buffer }>('SELECT data FROM upload_chunk WHERE upload_id = ? AND seq = ?', [upload.id, seq]),
    );
    if (!chunk) break;
    const data = upload.sealed ? openChunk(store, chunk.data) : chunk.data;
    progress.bytes += data.length;
    yield decoder.decode(data, { stream: true });
  }
  yield decoder.decode();
}

async function importPieces(
  tx: Tx,
  store: Store,
  upload: UploadRow,
  apply: boolean,
  progress: Telling,
): Promise<ImportOutcome> {
  const columns = JSON.parse(upload.columns) as Record<string, string | null>;
  const kind = (upload.kind ?? undefined) as ImportKind | undefined;
  const chunks = textOf(store, upload, progress);
  const begin = (await chunks.next()).value as string | undefined;
  const all = (async function* () {
    yield begin ?? '';
    yield* chunks;
  })();
  const format = upload.format ?? guessFormat((begin ?? '').replace(/^\uFEFF/, ''));
  if (format === 'csv' && kind !== undefined) return importTable(tx, all, { kind, columns, apply, progress });
  if (Number(upload.bytes) > MOST_WHOLE) {
    const work = new Import(tx, []);
    work.faults.push(whole('import-large', { format: format.toUpperCase(), max: MOST_WHOLE }));
    return outcomeOf(tx, work, { apply, format, heads: [], rows: 0, tree: null });
  }
  let text = '';
  for await (const chunk of all) text += chunk;
  await progress.tell();
  const remembered = (of: ImportKind) => rememberedHeads(tx, of);
  const parsed = await readText({ text, file: null, kind, as: format, columns, remembered });
  const behind = () => progress.tell();
  return importRows(tx, parsed.rows, parsed.faults, { apply, format, heads: parsed.heads, behind });
}

interface Table {
  kind: ImportKind;
  columns: Record<string, string | null>;
  apply: boolean;
  progress: Telling;
}

async function importTable(
  tx: Tx,
  chunks: AsyncIterable<string>,
  { kind, columns, apply, progress }: Table,
): Promise<ImportOutcome> {
  const work = new Import(tx, [kind]);
  const stretches = new Stretches(work, { apply, behind: () => progress.tell() });
  const remembered = await rememberedHeads(tx, kind);
  let heads: Head[] = [];
  const together = kind !== 'value' && refersToOwn(kind);
  const held: ImportRow[] = [];
  const take = async (rows: ImportRow[]) => {
    if (kind === 'value') return stretches.importValues(rows);
    await stretches.importOf(kind, rows);
    await stretches.importWaiting();
  };
  for await (const batch of csvBatches({ chunks, kind, file: null, columns, remembered })) {
    if (batch.heads) heads = batch.heads;
    work.faults.push(...batch.faults);
    progress.rows += batch.rows.length + batch.faults.length;
    if (together) held.push(...batch.rows);
    else await take(batch.rows);
    await progress.tell();
    if (work.full) {
      work.faults.unshift(whole('import-stopped', { count: work.faults.length }));
      break;
    }
  }
  await take(held);
  if (progress.rows === 0 && work.faults.length === 0) work.faults.push(whole('import-empty'));
  const { tree } = stretches;
  const outcome = outcomeOf(tx, work, { apply, format: 'csv', heads, rows: progress.rows, tree });
  if (outcome.applied) await rememberHeads(tx, kind, columns);
  return outcome;
}
