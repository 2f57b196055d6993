/** What devices said of themselves, taken into records that lack it: a name, a dialect, a model, a box. */
import { nameByAddress } from '@zpine/core/lists/hosts';
import { parseMac } from '@zpine/core/addressing/mac';
import { parseKeyPart } from '@zpine/core/naming/names';
import type { Met, RunRow } from '@zpine/contract/fleetShapes';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds, byKeys, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { addOne } from '../records/add.ts';
import { takeSerial } from '../devices/serial.ts';
import { editOne } from '../records/edit.ts';
import { answeredRows } from './runRows.ts';
import { runRow } from './runs.ts';
import { targetsOf } from './targets.ts';

type Taken = ReplyOf<'run.take'>;
type Item = Taken['items'][number];

export async function takeMet(tx: Tx, id: string, body: BodyOf<'run.take'>): Promise<Taken> {
  const run = await runRow(tx, id);
  const named = body.devices && new Set(body.devices.map((device) => device.trim().toLowerCase()));
  const met = new Map<number, Met>();
  for (const row of await answeredRows(tx, run.id)) {
    const { met: said } = JSON.parse(row.result ?? '{}') as Partial<RunRow>;
    const wanted = !named || named.has(row.device_key) || named.has(`#${row.device_id}`);
    if (said && wanted) met.set(Number(row.device_id), said);
  }
  const devices = [...(await byIds(tx, 'device', [...met.keys()])).values()];
  const targets = await targetsOf(tx, devices);
  const models = await allOf(tx, 'model');
  const items: Item[] = [];
  for (const device of devices) {
    const said = met.get(device.id);
    const target = targets.get(device.id);
    if (!said || !target) continue;
    const item: Item = { device: device.key, changes: [], left: [] };
    await takeOne(tx, { device, said, models, address: target.address, dialect: target.dialectName }, item);
    if (item.changes.length + item.left.length > 0) items.push(item);
  }
  const changes = items.some((item) => item.changes.length > 0);
  if (!body.apply) tx.discarded = true;
  return { applied: body.apply && changes, items };
}

interface One {
  device: Stored<'device'>;
  said: Met;
  models: Stored<'model'>[];
  address: string | null;
  dialect: string | null;
}

/** Only what the records lack: what somebody entered stays, and where the device says otherwise, that is told. */
async function takeOne(tx: Tx, { device, said, models, address, dialect }: One, item: Item): Promise<void> {
  const fields: Record<string, string> = {};
  const take = (field: string, from: string | null, to: string) => {
    fields[field] = to;
    item.changes.push({ field, from, to });
  };
  if (dialect === null) {
    if ((await byKeys(tx, 'dialect', [said.dialect])).size === 0) await addOne(tx, 'dialect', { name: said.dialect });
    take('dialect', null, said.dialect);
  }
  const model = said.model === null ? undefined : modelNamed(models, said.model);
  if (device.model === null && said.model !== null) {
    if (model) take('model', null, model.key);
    else item.left.push(`model ${said.model}: there is no such model in the records`);
  }
  if (said.name !== null && address !== null && device.name === nameByAddress(address)) {
    const name = parseKeyPart(said.name.split('.')[0] ?? '');
    if (!name.ok) item.left.push(`name ${said.name}: no device can be called so`);
    else if ((await byKeys(tx, 'device', [name.value])).size > 0)
      item.left.push(`name ${name.value}: another device is called so`);
    else take('name', device.name, name.value);
  }
  const edited = Object.keys(fields).length > 0 ? await editOne(tx, 'device', `#${device.id}`, fields) : device;
  await takeBox(tx, edited, said, models, item);
}

/** By the last part of its key, or by its title; undefined where none or several are called so. */
export function modelNamed(models: readonly Stored<'model'>[], said: string): Stored<'model'> | undefined {
  const wanted = said.toLowerCase();
  const found = models.filter(({ name, title }) => name === wanted || title?.toLowerCase() === wanted);
  return found.length === 1 ? found[0] : undefined;
}

async function takeBox(
  tx: Tx,
  device: Stored<'device'>,
  said: Met,
  models: readonly Stored<'model'>[],
  item: Item,
): Promise<void> {
  if (said.serial === null) return;
  const [fitted] = await find(tx, 'box', { device_id: device.id });
  if (fitted) {
    if (fitted.serial === null) {
      const why = await takeSerial(tx, device.id, said.serial);
      if (why === undefined) item.changes.push({ field: 'serial', from: null, to: said.serial });
      else item.left.push(`serial ${why}`);
    } else if (fitted.serial.toLowerCase() !== said.serial.toLowerCase())
      item.left.push(`serial ${said.serial}: the records have ${fitted.serial}`);
    return;
  }
  const [other] = (await byKeys(tx, 'box', [said.serial.toLowerCase()])).values();
  if (other && (other.device !== null || other.condition !== 'stock')) {
    const holder = other.device === null ? undefined : (await byIds(tx, 'device', [other.device])).get(other.device);
    return void item.left.push(
      `serial ${said.serial}: that box is ${holder ? `fitted as ${holder.key}` : other.condition}`,
    );
  }
  if (other) await editOne(tx, 'box', `#${other.id}`, { condition: 'fitted', device: device.key });
  else {
    const model = models.find(({ id }) => id === device.model);
    if (!model) return void item.left.push(`serial ${said.serial}: a box has a model, and the device has none`);
    const mac = said.mac === null ? undefined : parseMac(said.mac);
    const own = mac?.ok ? { mac: mac.value } : {};
    await addOne(tx, 'box', { serial: said.serial, model: model.key, ...own, condition: 'fitted', device: device.key });
  }
  item.changes.push({ field: 'box', from: null, to: said.serial });
}
