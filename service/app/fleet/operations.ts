/** Operations: named acts that are neither questions nor configuration, previewed and confirmed by the number of devices. */
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { BodyOf } from '@zpine/contract/routes';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { openWindow } from '../arrivals/window.ts';
import { publishedFilesOf } from '../editions/rows.ts';
import { makeRun } from './runs.ts';
import { mustBeMeant, selected } from './selection.ts';
import { targetsOf } from './targets.ts';

const how = { restart: 'restarted', wipe: 'wiped' } as const;

export async function operate(tx: Tx, body: BodyOf<'run.operation'>): Promise<RunHead> {
  const found = await selected(tx, body);
  const { devices } = found;
  await mustBeMeant(tx, body, devices.length);
  const targets = await targetsOf(tx, devices);
  for (const { id, key } of devices) {
    const { dialect, dialectName } = targets.get(id) ?? {};
    if (!dialect?.sheet[body.operation])
      throw new Refusal('operation-unknown', {
        device: key,
        dialect: dialect?.sheet.title ?? dialectName ?? '(none)',
        how: how[body.operation],
        operation: body.operation,
      });
  }
  // Who is to boot from here needs an edition: that is found before its memory is emptied.
  if (body.hours !== undefined) {
    const published = await publishedFilesOf(
      tx,
      devices.map(({ id }) => id),
    );
    const without = devices.find(({ id }) => !published.has(id));
    if (without) throw new Refusal('edition-none', { device: without.key });
  }
  return makeRun(tx, {
    kind: 'operation',
    title: body.operation === 'restart' ? 'Restart' : 'Wipe',
    input: {
      asks: [],
      expect: [],
      confirmed: false,
      operation: body.operation,
      insist: body.insist,
      ...(body.hours === undefined ? {} : { hours: body.hours }),
    },
    selected: found,
  });
}

/** Opens the arrival window of a device that is about to boot without a configuration. */
export async function expectBack(tx: Tx, device: number, hours: number): Promise<void> {
  const record = (await byIds(tx, 'device', [device])).get(device);
  if (record) await openWindow(tx, record, hours);
}
