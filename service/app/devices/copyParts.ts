/** What hangs on devices, for copies of them: cards, ports, interfaces, and which interface is for management or stands for it. */
import { byIds, find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { numbersAt } from '../interfaces/vlans.ts';
import type { Copies } from '../records/copies.ts';
import { edit } from '../records/edit.ts';

/** The copies of the devices are noted in `copies`; models have brought their ports already. */
export async function copyDeviceParts(copies: Copies, devices: number[]): Promise<void> {
  const { tx } = copies;
  await copies.copy('card', await find(tx, 'card', { device_id: devices }, { order: ['sort_key'] }));
  await copyPorts(copies, devices);
  await noteVlans(copies, devices);
  await copyInterfaces(copies, devices);
  for (const device of (await byIds(tx, 'device', devices)).values()) {
    const copy = copies.of('device', device.id);
    const changes = Object.fromEntries(
      (['management', 'main'] as const).flatMap((field) => {
        const on = copies.of('interface', device[field] ?? 0);
        return on === undefined ? [] : [[field, `#${on}`]];
      }),
    );
    if (copy !== undefined && Object.keys(changes).length > 0)
      await edit(tx, 'device', [{ ref: `#${copy}`, changes }], false);
  }
}

const placeOf = (copies: Copies, { device, name }: { device: number; name: string }): string =>
  `${copies.of('device', device)} ${name.toLowerCase()}`;

async function byName(copies: Copies, kind: 'port' | 'interface', devices: number[]): Promise<Map<string, number>> {
  const made = devices.flatMap((id) => copies.of('device', id) ?? []);
  const found = await find(copies.tx, kind, { device_id: made });
  return new Map(found.map((one) => [`${one.device} ${one.name.toLowerCase()}`, one.id]));
}

/** Those that models and cards bring are there already; those that were added by hand are added again. */
async function copyPorts(copies: Copies, devices: number[]): Promise<void> {
  const before = await find(copies.tx, 'port', { device_id: devices }, { order: ['sort_key'] });
  const standing = await byName(copies, 'port', devices);
  // What an interface alone stands for comes with that.
  const missing = before.filter((p) => p.source === 'hand' && p.version > 0 && !standing.has(placeOf(copies, p)));
  await copies.copy('port', missing);
  const now = await byName(copies, 'port', devices);
  for (const port of before) {
    const copy = now.get(placeOf(copies, port));
    if (copy !== undefined) copies.note('port', port.id, copy);
  }
}

/** A copy at another site has the VLANs of the same numbers there. */
async function noteVlans(copies: Copies, devices: number[]): Promise<void> {
  const { tx } = copies;
  const befores = await byIds(tx, 'device', devices);
  const afters = await byIds(
    tx,
    'device',
    devices.flatMap((id) => copies.of('device', id) ?? []),
  );
  for (const before of befores.values()) {
    const after = afters.get(copies.of('device', before.id) ?? 0);
    if (!after || after.site === null || before.site === null || after.site === before.site) continue;
    const numbers = await numbersAt(tx, [before.site, after.site]);
    for (const [number, id] of numbers.get(before.site) ?? []) {
      const there = numbers.get(after.site)?.get(number);
      if (there !== undefined) copies.note('vlan', id, there);
    }
  }
}

/** Interfaces of ports are there already, and are made like those of before; others are added, what is below first. */
async function copyInterfaces(copies: Copies, devices: number[]): Promise<void> {
  const { tx } = copies;
  const before = await find(tx, 'interface', { device_id: devices }, { order: ['sort_key'] });
  const standing = await byName(copies, 'interface', devices);
  const there = before.filter((one) => standing.has(placeOf(copies, one)));
  for (const one of there) copies.note('interface', one.id, standing.get(placeOf(copies, one)) ?? 0);
  const missing = before.filter((one) => !there.includes(one));
  const below = missing.filter((one) => one.on === null && one.memberOf === null);
  await copies.copy('interface', below);
  await noteNewPorts(copies, tx, devices);
  const edits = there
    .filter((one) => one.version > 0)
    .map((one) => {
      const { device: _, name: __, form: ___, ...changes } = copies.fields('interface', one);
      return { ref: `#${copies.of('interface', one.id)}`, changes };
    });
  if (edits.length > 0) await edit(tx, 'interface', edits);
  copies.count('interface', edits.length);
  await copies.copy(
    'interface',
    missing.filter((one) => !below.includes(one)),
  );
}

/** Ports that came along with interfaces just now. */
async function noteNewPorts(copies: Copies, tx: Tx, devices: number[]): Promise<void> {
  const now = await byName(copies, 'port', devices);
  for (const port of await find(tx, 'port', { device_id: devices })) {
    const copy = now.get(placeOf(copies, port));
    if (copy !== undefined) copies.note('port', port.id, copy);
  }
}
