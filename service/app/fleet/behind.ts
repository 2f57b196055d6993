/** Which MACs are seen behind ports, beside the cables of the records: who hangs there, and who should. */
import { macFromBytes } from '@zpine/core/addressing/mac';
import { grouped } from '@zpine/core/lists/grouped';
import { Refusal } from '@zpine/contract/errors';
import type { KindName } from '@zpine/contract/kinds';
import type { LiveBehind } from '@zpine/contract/liveRoutes';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import { byIds, byKeys, find, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';
import { editOne } from '../records/edit.ts';
import { ofDevices, recordsNamesOf } from './liveDevices.ts';

interface SeenRow {
  device_id: number;
  device_key: string;
  interface: string;
  mac: Buffer;
  at: Date;
}

/** More MACs than that on a port are behind another device; fewer hang on it. */
const FEW = 2;
const MOST = 5000;

interface Found extends LiveBehind {
  from: string;
  /** The port that it would be plugged into; undefined where the records do not tell. */
  to: string | undefined;
  cable: number | undefined;
}

export async function liveBehind(tx: Tx, query: QueryOf<'live.behind'>): Promise<ReplyOf<'live.behind'>> {
  const found = await behind(tx, await ofDevices(tx, query));
  return { items: found.map(({ from: _from, to: _to, cable: _cable, ...one }) => one) };
}

export async function takeBehind(tx: Tx, body: BodyOf<'live.takeBehind'>): Promise<ReplyOf<'live.takeBehind'>> {
  const done: string[] = [];
  for (const [i, wanted] of body.plugs.entries()) {
    const device = (await byKeys(tx, 'device', [wanted.device.toLowerCase()])).get(wanted.device.toLowerCase());
    if (!device) throw Refusal.at(['plugs', i, 'device'], 'not-found', { kind: 'device', ref: wanted.device });
    const seen = await behind(tx, {
      sql: ' AND s.device_id = ? AND s.interface = ?',
      values: [device.id, wanted.interface],
    });
    const one = seen.find(({ take }) => take !== null);
    if (!one?.to)
      throw Refusal.at(['plugs', i], 'live-not-seen', {
        device: device.key,
        interface: wanted.interface,
        question: 'macs',
      });
    const { from, to, cable, recorded } = one;
    if (cable === undefined) await add(tx, 'cable', [{ from, to }]);
    else await editOne(tx, 'cable', `#${cable}`, { from, to, farEnd: null });
    done.push(`a cable leads from ${from} to ${to}${recorded === null ? '' : `, instead of ${recorded}`}`);
  }
  return { done };
}

async function behind(tx: Tx, condition: { sql: string; values: unknown[] }): Promise<Found[]> {
  const rows = await tx.select<SeenRow>(
    `SELECT d.id AS device_id, d.natural_key AS device_key, s.interface, s.mac, MAX(s.at) AS at
     FROM seen_mac s JOIN device d ON d.id = s.device_id WHERE 1 = 1${condition.sql}
     GROUP BY d.id, s.interface, s.mac ORDER BY d.sort_key, s.interface LIMIT ${MOST}`,
    condition.values,
  );
  const names = await recordsNamesOf(
    tx,
    rows.map((row) => ({ device: Number(row.device_id), name: row.interface })),
  );
  const ports = [...grouped(rows, (row) => `${row.device_id} ${row.interface}`).values()].filter(
    (all) => all.length <= FEW,
  );
  const owners = await ownersOf(
    tx,
    ports.flat().map(({ mac }) => mac),
  );
  const keyOf = (row: SeenRow): string =>
    `${row.device_key}:${names(Number(row.device_id), row.interface) ?? row.interface}`.toLowerCase();
  const plugs = await plugsOf(tx, [...new Set(ports.flat().map(keyOf))]);
  return ports.flatMap((all) =>
    all.map((row): Found => {
      const from = keyOf(row);
      const plug = plugs.get(from);
      const owner = owners.get(row.mac.toString('hex'));
      const recorded = plug?.far ?? null;
      const agrees = owner !== undefined && recorded !== null && recorded.split(':')[0] === owner.device;
      const to = owner?.port;
      const can = !agrees && plug !== undefined && to !== undefined && all.length === 1;
      return {
        device: row.device_key,
        interface: row.interface,
        mac: macFromBytes(row.mac),
        macs: all.length,
        belongs: owner ? (owner.port ?? owner.device) : null,
        recorded,
        agrees,
        take: can ? `${from} to ${to}${recorded === null ? '' : `, instead of ${recorded}`}` : null,
        seenAt: row.at.toISOString(),
        from,
        to,
        cable: plug?.cable,
      };
    }),
  );
}

interface Owner {
  device: string;
  /** Where the record of the MAC says it, or the device has only one. */
  port: string | undefined;
}

/** Whose MACs these are, by the records. */
async function ownersOf(tx: Tx, macs: readonly Buffer[]): Promise<Map<string, Owner>> {
  if (macs.length === 0) return new Map();
  const claims = await tx.select<{ mac: Buffer; kind: KindName; record_id: number }>(
    'SELECT mac, kind, record_id FROM mac_claim WHERE mac IN (?)',
    [[...macs]],
  );
  const of = (kind: KindName) => claims.filter((one) => one.kind === kind).map((one) => Number(one.record_id));
  const interfaces = await byIds(tx, 'interface', of('interface'));
  const boxes = await byIds(tx, 'box', of('box'));
  const ids = [
    ...[...interfaces.values()].map(({ device }) => device),
    ...[...boxes.values()].map(({ device }) => device).filter((id) => id !== null),
  ];
  const devices = await keysOf(tx, 'device', ids);
  const ports = ids.length === 0 ? [] : await find(tx, 'port', { device_id: ids });
  const byDevice = grouped(ports, ({ device }) => device);
  const out = new Map<string, Owner>();
  for (const { mac, kind, record_id: id } of claims) {
    const on = kind === 'interface' ? interfaces.get(Number(id)) : undefined;
    const device = on ? on.device : boxes.get(Number(id))?.device;
    const key = device === null || device === undefined ? undefined : devices.get(device);
    if (key === undefined || device === null || device === undefined) continue;
    const own = byDevice.get(device) ?? [];
    const port = on?.port
      ? own.find(({ id: one }) => one === on.port)?.key
      : own.length === 1
        ? own[0]?.key
        : undefined;
    out.set(mac.toString('hex'), { device: key, port });
  }
  return out;
}

/** The ports of the records among these keys, and what is plugged into them. */
async function plugsOf(
  tx: Tx,
  keys: string[],
): Promise<Map<string, { cable: number | undefined; far: string | null }>> {
  const ports = [...(await byKeys(tx, 'port', keys)).values()];
  const ids = ports.map(({ id }) => id);
  if (ids.length === 0) return new Map();
  const out = await find(tx, 'cable', { from_id: ids });
  const back = await find(tx, 'cable', { to_id: ids });
  const far = await keysOf(
    tx,
    'port',
    [...out.map(({ to }) => to), ...back.map(({ from }) => from)].filter((id) => id !== null),
  );
  return new Map(
    ports.map((port) => {
      const here = out.find(({ from }) => from === port.id);
      const there = back.find(({ to }) => to === port.id);
      const other = here ? here.to : there?.from;
      const known = other === null || other === undefined ? undefined : far.get(other);
      return [port.key, { cable: (here ?? there)?.id, far: known ?? here?.farEnd ?? null }];
    }),
  );
}
