/** Brings the ports of devices, and the interfaces of those, in line with what models and cards bring. */
import { grouped } from '@zpine/core/lists/grouped';
import { expandSlots, slotAround, slotItself } from '@zpine/core/rack/portGroups';
import { isEthernet, plugFits, portsFit, type CableKindName, type PortKindName } from '@zpine/core/rack/ports';
import { mustParse } from '@zpine/core/fault';
import { DEFAULT_VRF } from '@zpine/contract/kinds/addressing';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type Stored } from '@zpine/contract/kinds';
import { Refusal } from '@zpine/contract/errors';
import { type AnyStored, byIds, find } from '../../store/records.ts';
import { insertDerived } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';
import { takeAway, withParts } from '../records/parts.ts';
import { hardwareOf, type Brought, type Hardware } from './sockets.ts';
import { refuseInUse } from './use.ts';

/** Devices of one slice: a large import brings many ports. */
const SLICE = 100;

export async function alignPorts(tx: Tx, devices: Stored<'device'>[]): Promise<void> {
  for (let at = 0; at < devices.length; at += SLICE) await alignSlice(tx, devices.slice(at, at + SLICE));
}

/** The same for devices that came just now: nothing stands there yet. */
export async function bringPorts(tx: Tx, devices: Stored<'device'>[]): Promise<void> {
  const withModel = devices.filter((device) => device.model !== null);
  for (let at = 0; at < withModel.length; at += SLICE) {
    const hardware = await hardwareOf(tx, withModel.slice(at, at + SLICE));
    await insertSockets(
      tx,
      hardware.flatMap(({ device, sockets }) => sockets.map((socket) => ({ device, socket }))),
    );
  }
}

interface Wanted {
  device: Stored<'device'>;
  socket: Brought;
}

/** How the ports of a device differ from what model and cards bring. */
export interface Difference {
  device: Stored<'device'>;
  hardware: Hardware;
  missing: Brought[];
  extra: Stored<'port'>[];
  /** What is there, but is another kind of socket. */
  other: Kept[];
  kept: Kept[];
  clash: string | undefined;
}

interface Kept {
  port: Stored<'port'>;
  socket: Brought;
}

export async function differences(tx: Tx, devices: Stored<'device'>[]): Promise<Difference[]> {
  const hardware = await hardwareOf(tx, devices);
  const ports = grouped(
    await find(tx, 'port', { device_id: devices.map((d) => d.id) }, { order: ['sort_key'] }),
    (p) => p.device,
  );
  return hardware.map((one) => {
    const wanted = new Map(one.sockets.map((socket) => [socket.name.toLowerCase(), socket]));
    const extra: Stored<'port'>[] = [];
    const kept: Kept[] = [];
    for (const port of ports.get(one.device.id) ?? []) {
      const name = port.name.toLowerCase();
      const socket = wanted.get(name);
      // One that has an interface, and one that has none, are not the same socket: the one goes, the other comes.
      if (socket && isEthernet(socket.kind) !== isEthernet(port.kind as PortKindName)) {
        extra.push(port);
        continue;
      }
      if (socket) kept.push({ port, socket });
      else if (port.source !== 'hand') extra.push(port);
      wanted.delete(name);
    }
    const other = kept.filter(({ port, socket }) => port.kind !== socket.kind);
    return { device: one.device, hardware: one, missing: [...wanted.values()], extra, other, kept, clash: one.clash };
  });
}

/** Everything that could be refused is looked at before anything is written. */
async function alignSlice(tx: Tx, devices: Stored<'device'>[]): Promise<void> {
  const found = await differences(tx, devices);
  for (const { device, hardware, extra, clash } of found) {
    if (clash !== undefined) throw new Refusal('port-clash', { device: device.key, port: clash });
    refuseLostCards(hardware);
    await refuseInUse(
      tx,
      extra.map((port) => port.id),
      `the hardware of ${device.key}`,
    );
  }
  await refuseUnlike(
    tx,
    found.flatMap((one) => one.other),
  );
  const extra = found.flatMap((one) => one.extra);
  // Nobody is asked whether they may go: what brought them is gone.
  const gone = extra as AnyStored[];
  if (gone.length > 0) await takeAway(tx, 'port', gone, await withParts(tx, 'port', gone));
  await settle(
    tx,
    found.flatMap((one) => one.kept),
  );
  await insertSockets(
    tx,
    found.flatMap(({ device, missing }) => missing.map((socket) => ({ device, socket }))),
  );
}

/** A card needs its slot, whatever becomes of the model around it. */
function refuseLostCards({ device, model, cards }: Hardware): void {
  const models = new Map(cards.map(({ card, model: of }) => [card.slot.toLowerCase(), of]));
  for (const { card } of cards) {
    const around = slotAround(card.slot);
    const holder = around === null ? model : models.get(around.toLowerCase());
    const slots = mustParse(expandSlots(holder?.slots ?? []));
    if (!slots.some(({ name }) => name.toLowerCase() === slotItself(card.slot).toLowerCase()))
      throw new Refusal('card-in-the-way', { what: holder?.key ?? device.key, card: card.key });
  }
}

/** What stays belongs to whatever brings it now, and may be of another kind. */
async function settle(tx: Tx, kept: Kept[]): Promise<void> {
  const through = new Map(kept.map(({ port }) => [`${port.device} ${port.name.toLowerCase()}`, port.id]));
  for (const { port, socket } of kept) {
    const goesOn =
      socket.through === null ? null : (through.get(`${port.device} ${socket.through.toLowerCase()}`) ?? null);
    const card = socket.card?.id ?? null;
    if (port.kind === socket.kind && port.source === socket.source && port.card === card && port.through === goesOn)
      continue;
    await tx.execute('UPDATE port SET kind = ?, source = ?, card_id = ?, through_id = ? WHERE id = ?', [
      socket.kind,
      socket.source,
      card,
      goesOn,
      port.id,
    ]);
  }
  await insertInterfaces(
    tx,
    kept.flatMap(({ port, socket }) =>
      isEthernet(socket.kind) ? [{ id: port.id, device: port.device, name: port.name }] : [],
    ),
  );
}

async function refuseUnlike(tx: Tx, other: Kept[]): Promise<void> {
  const kinds = new Map(other.map(({ port, socket }) => [port.id, socket.kind]));
  const ids = [...kinds.keys()];
  const cables = [...(await find(tx, 'cable', { from_id: ids })), ...(await find(tx, 'cable', { to_id: ids }))];
  const ends = await byIds(
    tx,
    'port',
    cables.flatMap((cable) => [cable.from, ...(cable.to === null ? [] : [cable.to])]),
  );
  const kindOfPort = (id: number) => kinds.get(id) ?? ((ends.get(id)?.kind ?? 'ethernet') as PortKindName);
  for (const cable of cables) {
    const [one, two] = [kindOfPort(cable.from), cable.to === null ? null : kindOfPort(cable.to)];
    const plug = cable.kind as CableKindName | null;
    const fits =
      (two === null || portsFit(one, two)) &&
      (plug === null || (plugFits(plug, one) && (two === null || plugFits(plug, two))));
    if (!fits)
      throw new Refusal('cable-unlike', {
        one: ends.get(cable.from)?.key ?? '',
        kind: one,
        other: ends.get(cable.to ?? 0)?.key ?? cable.farEnd ?? '',
        otherKind: two ?? cable.kind ?? '',
      });
  }
}

async function insertSockets(tx: Tx, wanted: Wanted[]): Promise<void> {
  const made = await insertDerived(
    tx,
    'port',
    wanted.map(({ device, socket }) => ({
      device: device.id,
      name: socket.name,
      kind: socket.kind,
      source: socket.source,
      card: socket.card?.id ?? null,
    })),
  );
  const ids = new Map(wanted.map(({ device, socket }, i) => [`${device.id} ${socket.name}`, made[i]?.id ?? 0]));
  const pairs = wanted.flatMap(({ device, socket }, i): [number, number][] => {
    const other = socket.through === null ? undefined : ids.get(`${device.id} ${socket.through}`);
    return other === undefined ? [] : [[made[i]?.id ?? 0, other]];
  });
  for (const [id, other] of pairs) await tx.execute('UPDATE port SET through_id = ? WHERE id = ?', [other, id]);
  await insertInterfaces(
    tx,
    wanted.flatMap(({ device, socket }, i) =>
      isEthernet(socket.kind) ? [{ id: made[i]?.id ?? 0, device: device.id, name: socket.name }] : [],
    ),
  );
}

const blank = Object.fromEntries(
  fieldsOf(kindOf('interface')).map(([name, field]) => [name, field.default ?? null]),
) as Record<string, string | number | boolean | null>;

/** Every Ethernet port has an interface; those that have one already are left alone. */
export async function insertInterfaces(tx: Tx, ports: { id: number; device: number; name: string }[]): Promise<void> {
  if (ports.length === 0) return;
  const standing = await tx.select<{
    id: number;
    device_id: number;
    name: string;
    port_id: number | null;
    form: string;
  }>('SELECT id, device_id, name, port_id, form FROM `interface` WHERE device_id IN (?)', [
    [...new Set(ports.map((port) => port.device))],
  ]);
  const known = new Map(standing.map((row) => [`${row.device_id} ${row.name.toLowerCase()}`, row]));
  const fresh = [];
  for (const port of ports) {
    const held = known.get(`${port.device} ${port.name.toLowerCase()}`);
    if (!held) fresh.push(port);
    else if (held.port_id === null && held.form === 'port')
      await tx.execute('UPDATE `interface` SET port_id = ? WHERE id = ?', [port.id, held.id]);
  }
  await insertDerived(
    tx,
    'interface',
    fresh.map((port) => ({
      ...blank,
      device: port.device,
      name: port.name,
      form: 'port',
      vrf: DEFAULT_VRF,
      port: port.id,
    })),
  );
}
