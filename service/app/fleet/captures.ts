/** Captured configurations: a text is kept once, a version only when it changed. */
import { isAscii } from '@zpine/core/text/ascii';
import { structuredPatch } from 'diff';
import { Refusal } from '@zpine/contract/errors';
import type { RunRow, ShownCapture } from '@zpine/contract/fleetShapes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Masker } from '@zpine/core/secrets/masking';
import { byId, find } from '../../store/records.ts';
import { sha256 } from '../../store/digests.ts';
import type { Tx } from '../../store/tx.ts';
import type { ReadTexts } from './compared.ts';
import { findRefs, likeText } from '../records/refs.ts';
import { maskersFor, saveSecrets } from '../secrets/known.ts';
import { bytes, maybe, number, table, text, time, type RowOf } from '../../store/table.ts';

/** One file as a device showed it. */
export interface Captured {
  file: string;
  content: Buffer;
  binary: boolean;
  /** Without secrets; of a binary one nothing. */
  shown: string;
  /** What its sheet found to be secret in it. */
  secrets: string[];
  /** What makes two readings alike: the text without lines that differ each time. */
  steady: Buffer;
  /** It was looked for, and is not there. */
  gone?: boolean;
}

export const captures = table('capture', {
  id: number,
  device_id: number,
  device_key: text,
  file: text,
  digest: bytes,
  fingerprint: text,
  current: number,
  first_at: time,
  last_at: time,
  run_id: maybe(number),
  gone: number,
});
/** What they hold is asked for by itself. */
export const texts = table('captured_text', { bytes: number, is_binary: number });
type CaptureRow = RowOf<typeof captures> & RowOf<typeof texts>;

type ShownFile = NonNullable<RunRow['files']>[number];

/** Keeps what is new; what stands already is only dated. Gives when the configuration was seen last before, if it was. */
export async function storeCaptured(
  tx: Tx,
  device: number,
  run: number | null,
  files: Captured[],
): Promise<{ files: ShownFile[]; lastRunning: Date | null }> {
  const now = await tx.now();
  const { key: deviceKey } = await byId(tx, 'device', device);
  const standing = await tx.select<CaptureRow>(
    'SELECT id, file, digest, last_at, gone FROM capture WHERE device_id = ? AND current = 1',
    [device],
  );
  const out: ShownFile[] = [];
  for (const { file, content, binary, shown, secrets, steady, gone = false } of files) {
    const fingerprint = tx.sealer.fingerprint(content);
    // A text is as large as it is shown: its true size would tell of the secrets in it.
    const bytes = binary ? content.length : Buffer.byteLength(shown);
    const digest = sha256(steady);
    const last = standing.find((one) => one.file === file);
    const changed = !last?.digest.equals(digest) || Boolean(last.gone) !== gone;
    if (changed) {
      await saveSecrets(tx, { kind: 'device', id: device }, secrets);
      // Devices whose texts are the same share one, where they are shown alike: what is secret is not the same for all.
      const key = sha256(digest, shown);
      await tx.execute(
        'INSERT IGNORE INTO captured_text (digest, bytes, is_binary, shown, content) VALUES (?, ?, ?, ?, ?)',
        [key, bytes, binary ? 1 : 0, shown, tx.sealer.seal(content.toString('base64'))],
      );
      if (last) await tx.execute('UPDATE capture SET current = 0 WHERE id = ?', [last.id]);
      await tx.insertRows('capture', [
        {
          device_id: device,
          device_key: deviceKey,
          file,
          digest,
          text_key: key,
          fingerprint,
          current: 1,
          first_at: now,
          last_at: now,
          run_id: run,
          gone: gone ? 1 : 0,
        },
      ]);
    } else await tx.execute('UPDATE capture SET last_at = ?, run_id = ? WHERE id = ?', [now, run, last?.id]);
    // What was not there before either is no news.
    if (!gone || last) out.push({ file, bytes, fingerprint, changed, binary, failed: null });
  }
  if (out.some((one) => one.changed)) tx.hint('capture', device, null);
  return { files: out, lastRunning: standing.find((one) => one.file === 'running')?.last_at ?? null };
}

const COLUMNS = `${captures.of('c')}, ${texts.of('t')}`;
const FROM = 'FROM capture c JOIN captured_text t ON t.digest = c.text_key';

const shown = (row: CaptureRow): ShownCapture => ({
  id: Number(row.id),
  device: row.device_key,
  file: row.file,
  bytes: Number(row.bytes),
  fingerprint: row.fingerprint,
  binary: Boolean(row.is_binary),
  firstAt: row.first_at.toISOString(),
  lastAt: row.last_at.toISOString(),
  run: row.run_id === null ? null : Number(row.run_id),
  current: Boolean(row.current),
  gone: Boolean(row.gone),
});

export async function listCaptures(tx: Tx, query: QueryOf<'capture.list'>): Promise<ReplyOf<'capture.list'>> {
  const tests: string[] = ['1 = 1'];
  const values: unknown[] = [];
  if (query.device !== undefined) {
    const device = (await findRefs(tx, 'device', [query.device])).get(query.device);
    tests.push('c.device_id = ?');
    values.push(device?.id ?? 0);
  }
  if (query.file !== undefined) {
    tests.push(isAscii(query.file) ? 'c.file = ?' : 'FALSE');
    if (isAscii(query.file)) values.push(query.file);
  }
  if (query.current === 'true') tests.push('c.current = 1');
  const rows = await tx.select<CaptureRow>(
    `SELECT ${COLUMNS} ${FROM} WHERE ${tests.join(' AND ')} ORDER BY c.id DESC LIMIT ${query.limit}`,
    values,
  );
  return { items: rows.map(shown) };
}

/** By device; of one that is gone nothing is known any more. */
async function maskersOf(tx: Tx, rows: readonly { device_id: number }[]): Promise<Map<number, Masker>> {
  const ids = [...new Set(rows.map((row) => Number(row.device_id)))];
  return ids.length === 0 ? new Map() : maskersFor(tx, await find(tx, 'device', { id: ids }));
}

export type CurrentCapture = { id: number; device: string; file: string; text: string };

/** The newest texts of all devices, masked, after one of them, in the order of their numbers; binary files are left out. */
export async function currentCaptures(tx: Tx, after: number, most: number): Promise<CurrentCapture[]> {
  const rows = await tx.select<{ id: number; device_id: number; device_key: string; file: string; shown: string }>(
    `SELECT c.id, c.device_id, c.device_key, c.file, t.shown ${FROM}
     WHERE c.current = 1 AND c.gone = 0 AND t.is_binary = 0 AND c.id > ? ORDER BY c.id LIMIT ${most}`,
    [after],
  );
  const maskers = await maskersOf(tx, rows);
  return rows.map(({ id, device_id, device_key: device, file, shown: text }) => ({
    id: Number(id),
    device,
    file,
    text: maskers.get(Number(device_id))?.mask(text) ?? text,
  }));
}

export type WholeCapture = {
  id: number;
  device_id: number;
  file: string;
  first_at: Date;
  content: Buffer;
  /** There was none. */
  gone: number;
};

/** Captures with their whole contents, secrets included, in the order of their numbers. */
export async function wholeCaptures(tx: Tx, ids: readonly number[]): Promise<WholeCapture[]> {
  const rows = await tx.select<Omit<WholeCapture, 'content'> & { content: string }>(
    `SELECT c.id, c.device_id, c.file, c.first_at, c.gone, t.content ${FROM} WHERE c.id IN (?) ORDER BY c.id`,
    [ids],
  );
  return rows.map((row) => ({ ...row, id: Number(row.id), content: contentOf(tx, row) }));
}

/** The last texts of a device, whole; undefined where nothing was captured. */
export async function capturedTexts(tx: Tx, device: number): Promise<ReadTexts | undefined> {
  const rows = await currentTexts(tx, [device]);
  const text = (file: string) => rows.find((one) => one.file === file)?.content.toString('utf8');
  const running = text('running');
  // Whose they are, and who may read them, is not captured.
  const files = new Map(
    rows
      .filter(({ file }) => file.startsWith('/'))
      .map(({ file, content, gone }) => [file, gone ? null : { content, owner: null, mode: null }]),
  );
  return running === undefined ? undefined : { running, stored: text('stored'), files };
}

/** The last configurations of devices, and the files that editions bring there, whole, with when each was seen last. */
export async function currentTexts(
  tx: Tx,
  devices: readonly number[],
): Promise<{ device: number; file: string; at: Date; content: Buffer; gone: boolean }[]> {
  if (devices.length === 0) return [];
  const rows = await tx.select<{ device_id: number; file: string; last_at: Date; gone: number; content: string }>(
    `SELECT c.device_id, c.file, c.last_at, c.gone, t.content ${FROM}
     WHERE c.device_id IN (?) AND c.current = 1 AND (c.file IN ('running', 'stored') OR c.file LIKE '/%')`,
    [devices],
  );
  return rows.map((row) => ({
    device: Number(row.device_id),
    file: row.file,
    at: row.last_at,
    content: contentOf(tx, row),
    gone: Boolean(row.gone),
  }));
}

async function captureRow(tx: Tx, id: string | number): Promise<CaptureRow & { shown: string; content: string }> {
  const row = /^[0-9]{1,15}$/.test(String(id))
    ? await tx.one<CaptureRow & { shown: string; content: string }>(
        `SELECT ${COLUMNS}, t.shown, t.content ${FROM} WHERE c.id = ?`,
        [id],
      )
    : undefined;
  if (!row) throw new Refusal('not-found', { kind: 'capture', ref: `#${id}` });
  // A secret that became known after the text was kept.
  const masker = (await maskersOf(tx, [row])).get(Number(row.device_id));
  return { ...row, shown: masker?.mask(row.shown) ?? row.shown };
}

const contentOf = (tx: Tx, row: { content: string }): Buffer => Buffer.from(tx.sealer.open(row.content), 'base64');

export async function showCapture(tx: Tx, id: string): Promise<ReplyOf<'capture.show'>> {
  const row = await captureRow(tx, id);
  return { ...shown(row), text: row.is_binary ? contentOf(tx, row).toString('base64') : row.shown };
}

/** The whole text, secrets included: who wanted it is written down. */
export async function revealCapture(tx: Tx, id: string): Promise<ReplyOf<'capture.reveal'>> {
  const row = await captureRow(tx, id);
  await tx.change({
    kind: 'capture',
    id: Number(row.id),
    key: `${row.file} of ${row.device_key}`,
    versionFrom: 1,
    versionTo: 1,
    before: null,
    after: { revealed: true },
  });
  const content = contentOf(tx, row);
  return { text: row.is_binary ? content.toString('base64') : content.toString('utf8') };
}

export async function diffCaptures(tx: Tx, query: QueryOf<'capture.diff'>): Promise<ReplyOf<'capture.diff'>> {
  const first = await captureRow(tx, query.from);
  const second = query.to === undefined ? undefined : await captureRow(tx, query.to);
  const to = second ?? first;
  const from = second ? first : await before(tx, first);
  if (to.is_binary || from?.is_binary) throw new Refusal('capture-other-file');
  const patch = structuredPatch('', '', from?.shown ?? '', to.shown, '', '', { context: 3 });
  const lines = patch.hunks.flatMap((hunk, i) => [
    ...(i === 0 ? [] : [{ sign: ' ' as const, text: '…' }]),
    ...hunk.lines
      .filter((line) => !line.startsWith('\\'))
      .map((line) => ({ sign: (line[0] ?? ' ') as ' ' | '+' | '-', text: line.slice(1) })),
  ]);
  return { from: from ? shown(from) : null, to: shown(to), lines };
}

async function before(tx: Tx, row: CaptureRow): Promise<Awaited<ReturnType<typeof captureRow>> | undefined> {
  const earlier = await tx.one<{ id: number }>(
    'SELECT id FROM capture WHERE device_id = ? AND file = ? AND id < ? ORDER BY id DESC LIMIT 1',
    [row.device_id, row.file, row.id],
  );
  return earlier && captureRow(tx, earlier.id);
}

/** So many texts are looked at in one go. */
const SLICE = 200;

export async function searchCaptures(tx: Tx, query: QueryOf<'capture.search'>): Promise<ReplyOf<'capture.search'>> {
  const wanted = query.q.toLowerCase();
  const missing = query.missing === 'true';
  const out: ReplyOf<'capture.search'> = { items: [], searched: 0, more: false };
  const count = await tx.one<{ count: number }>(
    `SELECT COUNT(*) AS count ${FROM} WHERE c.current = 1 AND t.is_binary = 0`,
  );
  out.searched = Number(count?.count ?? 0);
  for (let after = 0; ;) {
    const like = `%${likeText(query.q)}%`;
    // Whether it is in a text is judged by the text as it is shown: a search tells nothing of what is masked.
    const rows = await tx.select<{ id: number; device_id: number; device_key: string; file: string; shown: string }>(
      `SELECT c.id, c.device_id, c.device_key, c.file, IF(t.shown LIKE ?, t.shown, '') AS shown ${FROM}
       WHERE c.current = 1 AND t.is_binary = 0 AND c.id > ? ${missing ? '' : 'AND t.shown LIKE ?'} ORDER BY c.id LIMIT ${SLICE}`,
      [like, after, ...(missing ? [] : [like])],
    );
    const maskers = await maskersOf(
      tx,
      rows.filter((row) => row.shown !== ''),
    );
    for (const row of rows) {
      after = Number(row.id);
      const at = { id: Number(row.id), device: row.device_key, file: row.file };
      const text = row.shown === '' ? '' : (maskers.get(Number(row.device_id))?.mask(row.shown) ?? row.shown);
      if (missing) {
        if (!text.toLowerCase().includes(wanted)) out.items.push({ ...at, line: 0, text: '' });
      } else
        for (const [i, line] of text.split('\n').entries())
          if (line.toLowerCase().includes(wanted)) out.items.push({ ...at, line: i + 1, text: line.trim() });
      if (out.items.length > query.limit) return { ...out, items: out.items.slice(0, query.limit), more: true };
    }
    if (rows.length < SLICE) return out;
  }
}

/** Versions beyond those that are to be kept go, and with them texts that nothing refers to any more. */
export async function dropOldCaptures(tx: Tx, keep: number): Promise<number> {
  const old = await tx.select<{ id: number }>(
    `SELECT id FROM (SELECT id, ROW_NUMBER() OVER (PARTITION BY device_id, file ORDER BY id DESC) AS n FROM capture) numbered
     WHERE n > ? LIMIT 1000`,
    [keep],
  );
  if (old.length > 0) await tx.execute('DELETE FROM capture WHERE id IN (?)', [old.map((row) => row.id)]);
  await tx.execute(
    'DELETE FROM captured_text WHERE NOT EXISTS (SELECT 1 FROM capture c WHERE c.text_key = captured_text.digest) LIMIT 1000',
  );
  return old.length;
}
