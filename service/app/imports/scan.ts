/** Scans of a barcode reader, as boxes: in stock, or fitted to devices that wait for one. */
import { isAscii } from '@zpine/core/text/ascii';
import { readScans, type ScannedBox } from '@zpine/core/lists/scans';
import { boxName } from '@zpine/core/naming/boxName';
import type { ImportOutcome } from '@zpine/contract/importRoutes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { boxNamed } from '../devices/fit.ts';
import { whereCondition } from '../records/where.ts';
import type { ImportRow, RowFault } from './rows.ts';
import { importRows } from './run.ts';

export async function importScans(tx: Tx, input: BodyOf<'import.scan'>): Promise<ImportOutcome> {
  const words = wordsOf(`${input.text}\n${input.model ?? ''}`);
  const models = await modelsNamed(tx, words);
  const devices = new Set((await find(tx, 'device', { natural_key: words })).map((device) => device.key));
  const modelOf = (text: string): string | undefined => {
    const typed = text.trim().toLowerCase();
    const fitting = models.filter((m) => [m.key, m.name, m.title?.toLowerCase()].includes(typed));
    return fitting.length === 1 ? fitting[0]?.key : undefined;
  };
  const deviceOf = (text: string): string | undefined => {
    const typed = text.trim().toLowerCase();
    return devices.has(typed) ? typed : undefined;
  };
  const read = readScans(input.text, { model: modelOf, device: deviceOf });
  const faults: RowFault[] = read.faults.map(({ line, code, value }) => ({
    ...at(line),
    column: null,
    value,
    code,
    params: { value },
  }));
  const waiting = input.where === undefined ? [] : await waitingFor(tx, input.where);
  const rows: ImportRow[] = [];
  for (const box of read.boxes) {
    const planned = await planBox(tx, box, input, modelOf(input.model ?? '') ?? input.model, waiting);
    if (planned) rows.push(planned);
    else faults.push({ ...at(box.line), column: 'model', value: boxName(box), code: 'scan-model', params: {} });
  }
  return importRows(tx, rows, faults, { apply: input.apply, format: 'csv' });
}

/** Everything in a list that could be a name: whole lines, their cells, and what stands between blanks. */
function wordsOf(text: string): string[] {
  const out = new Set<string>();
  for (const line of text.toLowerCase().split(/[\r\n]+/)) {
    for (const word of [line, ...line.split(/[\t;,|]/), ...line.split(/[\s;,|]+/)]) {
      // Stickers say what they carry; the name stands behind it.
      for (const part of [word, word.replace(/^.*?[:#=]/, '')]) if (part.trim() !== '') out.add(part.trim());
    }
  }
  return [...out];
}

async function modelsNamed(tx: Tx, words: string[]): Promise<Stored<'model'>[]> {
  if (words.length === 0) return [];
  const rows = await tx.select<{ id: number }>(
    'SELECT id FROM model WHERE natural_key IN (?) OR name IN (?) OR LOWER(title) IN (?)',
    // Of no word at all the database would not know what to do.
    [['', ...words.filter(isAscii)], words, words],
  );
  return find(tx, 'model', { id: rows.map((row) => Number(row.id)) });
}

const at = (line: number) => ({ file: null, row: line, kind: 'box' });

interface Waiting {
  device: Stored<'device'>;
  model: string | null;
}

/** Devices of a selection that have no box, in the order of their names. */
async function waitingFor(tx: Tx, where: string): Promise<Waiting[]> {
  const { sql, values } = await whereCondition(tx, 'device', where);
  const rows = await tx.select<{ id: number }>(
    `SELECT id FROM device WHERE (${sql}) AND stage <> 'retired' AND NOT EXISTS (SELECT 1 FROM box WHERE box.device_id = device.id)`,
    values,
  );
  const devices = await find(tx, 'device', { id: rows.map((row) => Number(row.id)) }, { order: ['sort_key'] });
  const out: Waiting[] = [];
  for (const device of devices) out.push({ device, model: await keyOf(tx, 'model', device.model) });
  return out;
}

async function planBox(
  tx: Tx,
  box: ScannedBox,
  input: BodyOf<'import.scan'>,
  standard: string | undefined,
  waiting: Waiting[],
): Promise<ImportRow | undefined> {
  const known = await boxNamed(tx, box, false);
  let model = box.model ?? (known ? await keyOf(tx, 'model', known.model) : null) ?? standard ?? null;
  let { device } = box;
  if (device === null && (known?.device ?? null) === null) {
    // The first that takes such a box; one whose model nobody said takes any.
    const i = waiting.findIndex((one) => model === null || one.model === null || one.model === model);
    const [found] = i < 0 ? [] : waiting.splice(i, 1);
    device = found?.device.key ?? null;
    model ??= found?.model ?? null;
  } else if (device !== null && model === null) {
    const [named] = await find(tx, 'device', { natural_key: device.toLowerCase() });
    model = named ? await keyOf(tx, 'model', named.model) : null;
  }
  if (model === null) return undefined;
  const serial = box.serial ?? known?.serial ?? null;
  const given: Record<string, unknown> = { serial, model, mac: box.mac, device };
  for (const [name, value] of Object.entries({
    whereabouts: input.whereabouts,
    owner: input.owner,
    labels: input.labels,
  }))
    if (value !== undefined && !(name === 'whereabouts' && device !== null)) given[name] = value;
  // What was not scanned is not known: of a box that is there it stays.
  const fields = Object.fromEntries(Object.entries(given).filter(([, value]) => value !== null));
  return { kind: 'box', file: null, row: box.line, fields, heads: {} };
}
