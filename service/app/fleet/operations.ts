/** Operations: named acts that are neither questions nor configuration, previewed and confirmed by the number of devices. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { blankFaults } from '@zpine/core/dialect/blanks';
import { isOwnOperation, type OwnOperation } from '@zpine/core/dialect/operations';
import { nearest } from '@zpine/core/naming/names';
import { Refusal, type FieldFault } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { openWindow } from '../arrivals/window.ts';
import { publishedFilesOf } from '../editions/rows.ts';
import { withTable, type WithTable } from './asks.ts';
import { filledTexts } from './errands.ts';
import { makeRun } from './runs.ts';
import { mustBeMeant } from './selection.ts';
import { targetsOf } from './targets.ts';

const how: Record<OwnOperation, string> = { restart: 'restarted', wipe: 'wiped' };
const titles: Record<OwnOperation, string> = { restart: 'Restart', wipe: 'Wipe' };

/** What stands in the blanks of a device, kept under seal. */
export interface OperationSeal {
  blanks: Record<string, string>;
}

type Body = BodyOf<'run.operation'>;

export async function operate(tx: Tx, body: Body): Promise<RunHead> {
  const found = await withTable(tx, body);
  const { devices } = found.selected;
  await mustBeMeant(tx, body, devices.length);
  const dialects = await mustKnow(tx, body.operation, devices);
  const blanks = await blanksOf(tx, body, found, dialects);
  // Who is to boot from here needs an edition: that is found before its memory is emptied.
  if (body.hours !== undefined) {
    const published = await publishedFilesOf(
      tx,
      devices.map(({ id }) => id),
    );
    const without = devices.find(({ id }) => !published.has(id));
    if (without) throw new Refusal('edition-none', { device: without.key });
  }
  const [first] = dialects.values();
  const { operation } = body;
  const title = isOwnOperation(operation)
    ? titles[operation]
    : (first?.sheet.operations[operation]?.title ?? operation);
  const said = Object.entries(body.blanks).map(([name, value]) => `${name} ${value}`);
  return makeRun(tx, {
    kind: 'operation',
    title: [title, said.join(', ')].filter(Boolean).join(': '),
    input: {
      asks: [],
      expect: [],
      confirmed: false,
      operation,
      insist: body.insist,
      ...(isHarmless(operation, dialects) ? { harmless: true } : {}),
      ...(body.hours === undefined ? {} : { hours: body.hours }),
    },
    selected: found.selected,
    sealed: new Map([...blanks].map(([id, given]) => [id, JSON.stringify({ blanks: given } satisfies OperationSeal)])),
  });
}

/** It changes nothing, by the word of all the sheets. */
const isHarmless = (operation: string, dialects: Map<number, Dialect>): boolean =>
  !isOwnOperation(operation) &&
  [...dialects.values()].every(({ sheet }) => sheet.operations[operation]?.changes === false);

/** Every device has a dialect whose sheet names the operation. */
async function mustKnow(tx: Tx, operation: string, devices: Stored<'device'>[]): Promise<Map<number, Dialect>> {
  const targets = await targetsOf(tx, devices);
  const out = new Map<number, Dialect>();
  for (const { id, key } of devices) {
    const { dialect, dialectName } = targets.get(id) ?? {};
    const title = dialect?.sheet.title ?? dialectName ?? '(none)';
    if (isOwnOperation(operation)) {
      if (!dialect?.sheet[operation])
        throw new Refusal('operation-unknown', { device: key, dialect: title, how: how[operation], operation });
    } else if (!dialect || !Object.hasOwn(dialect.sheet.operations, operation)) {
      const known = [...Object.keys(dialect?.sheet.operations ?? {}), ...(dialect?.sheet.restart ? ['restart'] : [])];
      const meant = nearest(operation, known);
      throw Refusal.at(['operation'], 'operation-unnamed', {
        device: key,
        dialect: title,
        operation,
        known: known.join(', ') || 'none',
        ...(meant === undefined ? {} : { meant }),
      });
    }
    if (dialect) out.set(id, dialect);
  }
  return out;
}

/** What stands in the blanks of each device: said for all, or in its row; names of templates are filled in. */
async function blanksOf(
  tx: Tx,
  body: Body,
  { selected: { devices }, lines, wide }: WithTable,
  dialects: Map<number, Dialect>,
): Promise<Map<number, Record<string, string>>> {
  if (lines && !wide) throw Refusal.at(['perDevice', 'text'], 'operation-table', {});
  const names = Object.keys(body.blanks);
  const filled = await Promise.all(
    names.map((name) => filledTexts(tx, devices, body.blanks[name] ?? '', ['blanks', name])),
  );
  const out = new Map<number, Record<string, string>>();
  const faults: FieldFault[] = [];
  for (const device of devices) {
    const [row, second] = wide?.rows.get(device.id) ?? [];
    if (row && second)
      throw Refusal.at(['perDevice', 'text'], 'wide-device-twice', {
        row: second.row,
        first: row.row,
        device: device.key,
      });
    const given = {
      ...Object.fromEntries(names.map((name, i) => [name, filled[i]?.get(device.id) ?? ''])),
      ...row?.values,
    };
    const blanks = isOwnOperation(body.operation)
      ? {}
      : (dialects.get(device.id)?.sheet.operations[body.operation]?.blanks ?? {});
    for (const fault of blankFaults(blanks, given)) faults.push(faultAt(fault, device.key, row));
    out.set(device.id, given);
  }
  // What is wrong for all devices alike is said once.
  if (faults.length > 0) throw Refusal.of([...new Map(faults.map((one) => [JSON.stringify(one), one])).values()]);
  return out;
}

/** With its row, where it stands in one. */
function faultAt(
  { code, params, blank }: ReturnType<typeof blankFaults>[number],
  device: string,
  row: { row: number; values: Record<string, string> } | undefined,
): FieldFault {
  if (row?.values[blank] === undefined && code !== 'blank-missing') return { path: ['blanks', blank], code, params };
  if (!row) return { path: ['blanks', blank], code, params };
  const why =
    code === 'blank-missing'
      ? `nothing stands there for ${device}`
      : `"${params.value ?? blank}": ${params.why ?? `there is no such blank; there is ${params.known ?? ''}`}`;
  return { path: ['perDevice', 'text'], code: 'wide-cell', params: { row: row.row, head: blank, why } };
}

/** Opens the arrival window of a device that is about to boot without a configuration. */
export async function expectBack(tx: Tx, device: number, hours: number): Promise<void> {
  const record = (await byIds(tx, 'device', [device])).get(device);
  if (record) await openWindow(tx, record, hours);
}
