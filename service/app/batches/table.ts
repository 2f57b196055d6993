/** The table that a batch begins with: a row a switch; what a row leaves empty is worked out. */
import { parse } from 'csv-parse/sync';
import { separatorOf } from '@zpine/core/lists/cells';
import { valueFromText } from '@zpine/core/settings/layers';
import { parseMac } from '@zpine/core/addressing/mac';
import { boxName } from '@zpine/core/naming/boxName';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { cellsToCsv } from '@zpine/contract/csv';
import type { Stored } from '@zpine/contract/kinds';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { byId, find, keyOf, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { assignManagement, managementOf, managementsOf } from '../addressing/management.ts';
import { boxNamed, fitBox, isReasoned } from '../devices/fit.ts';
import { nextName } from '../devices/nextName.ts';
import { addOne } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { mustFind } from '../records/refs.ts';
import { typeOfSetting } from '../settings/effective.ts';
import { uniqueIds } from '../settings/layers.ts';
import { putValue } from '../settings/values.ts';
import { devicesOf } from './rows.ts';

/** Cells of a row that are fields of the device. */
const fields = ['name', 'duty', 'model', 'site', 'rack', 'positionU', 'face', 'labels', 'template', 'note'] as const;
const columns = ['serial', 'mac', ...fields, 'address'] as const;
type Column = (typeof columns)[number];

/** Heads as people write them. */
const spellings: Record<string, Column> = {
  u: 'positionU',
  'position u': 'positionU',
  'serial number': 'serial',
  device: 'name',
  'management address': 'address',
};

type Reply = ReplyOf<'batch.table'>;
type Cells = Partial<Record<Column, string>>;

interface Row {
  row: number;
  cells: Cells;
  values: Record<string, string>;
}

export async function takeTable(tx: Tx, ref: string, { text, apply }: BodyOf<'batch.table'>): Promise<Reply> {
  const batch = await mustFind(tx, 'batch', ref, true);
  const { rows, faults } = await readTable(tx, text);
  if (rows.length === 0 && faults.length === 0) throw new Refusal('table-nothing', { batch: batch.key });
  const items: Reply['items'] = [];
  if (faults.length === 0)
    for (const row of rows) {
      try {
        items.push(await takeRow(tx, batch, row));
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        faults.push(faultOf(error, row));
      }
    }
  const applied = apply && faults.length === 0;
  // All of it or nothing: what was refused in the midst of a row is taken back with the rest.
  if (!applied) tx.discarded = true;
  return { applied, rows: rows.length, items: faults.length > 0 ? [] : items, faults };
}

async function readTable(tx: Tx, text: string): Promise<{ rows: Row[]; faults: Reply['faults'] }> {
  const clean = text.replace(/^\uFEFF/, '');
  const delimiter = separatorOf(clean.split(/\r?\n/).filter((line) => line.trim() !== '')) ?? ',';
  let table: string[][];
  try {
    table = parse(clean, {
      delimiter,
      relax_column_count: true,
      trim: true,
    });
  } catch (error) {
    throw new Refusal('import-format', { format: 'CSV', why: error instanceof Error ? error.message : '' });
  }
  const [heads = [], ...lines] = table;
  const settings = new Map((await find(tx, 'setting', { natural_key: heads.map(lower) })).map((one) => [one.key, one]));
  const faults: Reply['faults'] = [];
  const meanings = heads.map((head) => {
    const column = columns.find((one) => one.toLowerCase() === lower(head)) ?? spellings[lower(head)];
    if (column === undefined && !settings.has(lower(head)) && head.trim() !== '')
      faults.push(said(1, head, head, new Refusal('table-head', { value: head, known: columns.join(', ') })));
    return column;
  });
  const filled = lines.flatMap((cells, i) => (cells.some((cell) => cell !== '') ? [{ cells, row: i + 2 }] : []));
  const rows = filled.map(({ cells, row: at }): Row => {
    const row: Row = { row: at, cells: {}, values: {} };
    for (const [place, cell] of cells.entries()) {
      const column = meanings[place];
      if (cell === '') continue;
      if (column !== undefined) row.cells[column] = cell;
      else if (heads[place]) row.values[lower(heads[place])] = cell;
    }
    return row;
  });
  return { rows, faults };
}

const lower = (text: string): string => text.trim().toLowerCase();

async function takeRow(tx: Tx, batch: Stored<'batch'>, { row, cells, values }: Row): Promise<Reply['items'][number]> {
  const workedOut: Record<string, string> = {};
  const mac = cells.mac === undefined ? null : parseMac(cells.mac);
  if (mac?.ok === false) throw Refusal.at(['mac'], mac.fault.code, mac.fault.params);
  const boxed = cells.serial !== undefined || mac !== null;
  const hardware = { serial: cells.serial ?? null, mac: mac?.ok ? mac.value : null };
  const box = boxed ? await boxNamed(tx, hardware) : undefined;
  if (cells.model === undefined && box) {
    workedOut.model = (await keyOf(tx, 'model', box.model)) ?? '';
  }
  const model = cells.model ?? workedOut.model;
  const standing = await standingDevice(tx, cells, model, box);
  const name = standing?.key ?? cells.name ?? (await nameFor(tx, { ...cells, ...(model ? { model } : {}) }));
  if (cells.name === undefined) workedOut.name = name;
  const given: Record<string, unknown> = { batch: `#${batch.id}` };
  for (const field of fields) if (cells[field] !== undefined) given[field] = inField(field, cells[field]);
  if ((standing?.model ?? null) === null && model !== undefined) given.model = model;
  const device = standing
    ? await editOne(tx, 'device', `#${standing.id}`, given)
    : await addOne(tx, 'device', { ...given, name });
  for (const [setting, value] of Object.entries(values)) await give(tx, device, setting, value);
  if (boxed) {
    if (device.model === null && !box)
      throw Refusal.at(['model'], 'table-no-model', { box: cells.serial ?? cells.mac ?? '' });
    const held = await mustFind(tx, 'device', `#${device.id}`, true);
    await fitBox(tx, held, { ...hardware, before: 'faulty', knowingly: isReasoned(tx) });
  }
  const [fitted] = await find(tx, 'box', { device_id: device.id });
  const before = await managementOf(tx, await byId(tx, 'device', device.id));
  const assigned = before
    ? undefined
    : await assignManagement(tx, `#${device.id}`, cells.address === undefined ? {} : { address: cells.address });
  if (before && cells.address !== undefined && cells.address !== before.address.address)
    throw Refusal.at(['address'], 'management-other', {
      device: device.key,
      address: before.address.address,
      asked: cells.address,
    });
  if (assigned && cells.address === undefined) workedOut.address = assigned.address;
  return {
    row,
    device: device.key,
    action: !standing ? 'added' : device.version === standing.version ? 'as before' : 'edited',
    box: fitted ? boxName(fitted) : null,
    address: before?.address.address ?? assigned?.address ?? null,
    workedOut,
  };
}

/** That with the name; else whose box it is; else what stands at that place. */
async function standingDevice(
  tx: Tx,
  cells: Cells,
  model: string | undefined,
  box: Stored<'box'> | undefined,
): Promise<Stored<'device'> | undefined> {
  if (cells.name !== undefined) return (await find(tx, 'device', { natural_key: lower(cells.name) }))[0];
  if (box && box.device !== null) return byId(tx, 'device', box.device);
  if (cells.rack === undefined || cells.positionU === undefined) return undefined;
  const rack = await mustFind(tx, 'rack', cells.rack);
  const [there] = await find(tx, 'device', { rack_id: rack.id, position_u: Number(cells.positionU) });
  // Other hardware there is no device of this table: that its place is taken will be said.
  const wanted = model === undefined ? undefined : await mustFind(tx, 'model', model);
  return wanted === undefined || there?.model === wanted.id ? there : undefined;
}

async function nameFor(tx: Tx, { duty, site, rack, model }: Cells): Promise<string> {
  if (duty === undefined || (site === undefined && rack === undefined)) throw Refusal.at(['name'], 'table-unnamed');
  const found = await nextName(tx, {
    duty,
    ...(site === undefined ? {} : { site }),
    ...(rack === undefined ? {} : { rack }),
    ...(model === undefined ? {} : { model }),
  });
  return found.name;
}

const inField = (field: (typeof fields)[number], cell: string): unknown =>
  field === 'positionU' && /^\d+$/.test(cell) ? Number(cell) : field === 'labels' ? cell.split(/[,\s]+/) : cell;

async function give(tx: Tx, device: Stored<'device'>, name: string, cell: string): Promise<void> {
  const setting = await mustFind(tx, 'setting', name);
  try {
    const value = valueFromText(typeOfSetting(setting), 'set', cell);
    await putValue(tx, { setting: name, layer: 'device', of: device.key, mode: 'set', value });
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    throw new Refusal(error.code, error.params, [{ path: [name], code: error.code, params: error.params }]);
  }
}

/** Where in the row it is, as far as the refusal says that. */
function faultOf(error: Refusal, { row, cells, values }: Row): Reply['faults'][number] {
  const path = String(error.faults[0]?.path.at(-1) ?? '');
  const column = columns.find((one) => one === path) ?? (path in values ? path : undefined);
  const value = column === undefined ? undefined : (cells[column as Column] ?? values[column]);
  return said(row, column ?? null, value ?? null, error);
}

function said(row: number, column: string | null, value: string | null, error: Refusal): Reply['faults'][number] {
  const { code, detail, remedy } = problemOf(error);
  return { row, column, value, code, detail, remedy: remedy ?? null };
}

/** The empty form: what is known stands in it. */
export async function formOf(tx: Tx, ref: string): Promise<ReplyOf<'batch.form'>> {
  const batch = await mustFind(tx, 'batch', ref);
  const devices = await devicesOf(tx, batch.id);
  const keys = {
    model: await keysOf(tx, 'model', uniqueIds(devices.map(({ model }) => model))),
    duty: await keysOf(tx, 'duty', uniqueIds(devices.map(({ duty }) => duty))),
    site: await keysOf(tx, 'site', uniqueIds(devices.map(({ site }) => site))),
    rack: await keysOf(tx, 'rack', uniqueIds(devices.map(({ rack }) => rack))),
  };
  const boxes = new Map(
    (await find(tx, 'box', { device_id: devices.map(({ id }) => id) })).map((box) => [box.device, box]),
  );
  const managed = await managementsOf(tx, devices);
  const rows = devices.map((device) => {
    const box = boxes.get(device.id);
    const cells: Record<(typeof columns)[number], string> = {
      serial: box?.serial ?? '',
      mac: box?.mac ?? '',
      name: device.key,
      duty: keys.duty.get(device.duty ?? 0) ?? '',
      model: keys.model.get(device.model ?? 0) ?? '',
      site: keys.site.get(device.site ?? 0) ?? '',
      rack: keys.rack.get(device.rack ?? 0) ?? '',
      positionU: device.positionU === null ? '' : String(device.positionU),
      face: device.positionU === null ? '' : device.face,
      labels: (device.labels ?? []).join(' '),
      template: '',
      note: device.note ?? '',
      address: managed.get(device.id)?.address.address ?? '',
    };
    return columns.map((column) => cells[column]);
  });
  return { name: `${batch.key}.csv`, text: cellsToCsv([...columns], rows), rows: rows.length };
}
