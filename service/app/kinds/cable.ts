/** A cable joins two ports that fit, and has each of them for itself. */
import { plugFits, portsFit, type CableKindName, type PortKindName } from '@zpine/core/rack/ports';
import type { Row } from '@zpine/contract/fields';
import type { Stored } from '@zpine/contract/kinds';
import { asStored, idsOf, type Draft, type KindRules } from '../records/draft.ts';
import { columnsIn, recordIn } from '../../store/joined.ts';
import { byIds, find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

export const cableRules: KindRules = {
  async prepare(tx, drafts) {
    const ends = [...idsOf(drafts, 'from'), ...idsOf(drafts, 'to')];
    const ports = await byIds(tx, 'port', ends);
    const held = await cablesIn(tx, ends);
    const wanted = new Map<number, Draft>();
    for (const draft of drafts) {
      const [from, to] = [ports.get(draft.id('from') ?? 0), ports.get(draft.id('to') ?? 0)];
      const words = draft.text('farEnd');
      if (to && words !== null) draft.fault('farEnd', 'cable-ends');
      // Of one that comes back, the other end may be on its way.
      if (!to && words === null && !tx.takingBack) draft.fault('to', 'cable-nowhere');
      for (const [field, port] of [
        ['from', from],
        ['to', to],
      ] as const) {
        if (!port) continue;
        const there = held.get(port.id);
        const other = wanted.get(port.id);
        if (there && there.id !== draft.before?.id && !moves(drafts, there, port.id))
          draft.fault(field, 'cable-taken', {
            port: port.key,
            to: await farEndOf(tx, there, port.id),
            cable: there.key,
          });
        else if (other === draft) draft.fault('to', 'cable-same', { port: port.key });
        else if (other) draft.fault(field, 'taken', { value: port.key, by: 'another row of this request' });
        wanted.set(port.id, draft);
      }
      checkFit(draft, from, to);
    }
  },

  async added(tx, records) {
    await saveEnds(
      tx,
      records.map((record) => asStored('cable', record)),
    );
  },

  async edited(tx, pairs) {
    const moved = pairs.filter(({ before, after }) => before.from !== after.from || before.to !== after.to);
    if (moved.length === 0) return;
    await tx.execute('DELETE FROM cable_end WHERE cable_id IN (?)', [moved.map(({ after }) => after.id)]);
    await saveEnds(
      tx,
      moved.map(({ after }) => asStored('cable', after)),
    );
  },
};

/** Whether a cable that stands in the way is moved out of it by the same request. */
const moves = (drafts: Draft[], cable: Stored<'cable'>, port: number): boolean =>
  drafts.some((d) => d.before?.id === cable.id && d.id('from') !== port && d.id('to') !== port);

const kindOfPort = (port: Stored<'port'>): PortKindName => port.kind as PortKindName;

function checkFit(draft: Draft, from: Stored<'port'> | undefined, to: Stored<'port'> | undefined): void {
  if (from && to && from.id !== to.id && !portsFit(kindOfPort(from), kindOfPort(to)))
    draft.fault('to', 'cable-unlike', { one: from.key, kind: from.kind, other: to.key, otherKind: to.kind });
  const cable = draft.text('kind') as CableKindName | null;
  if (cable === null) return;
  const odd = [from, to].find((port) => port && !plugFits(cable, kindOfPort(port)));
  if (odd) draft.fault('kind', 'cable-plug', { cable, port: odd.key, kind: odd.kind });
}

/** The cables that are in these ports. */
export async function cablesIn(tx: Tx, ports: number[]): Promise<Map<number, Stored<'cable'>>> {
  if (ports.length === 0) return new Map();
  return new Map([...(await cablesAndEnds(tx, ports))].map(([port, { cable }]) => [port, cable]));
}

export interface CableEnd {
  cable: Stored<'cable'>;
  /** The port at its other end; undefined where that is something in words. */
  other: Stored<'port'> | undefined;
}

/** The same with what is at the other ends. */
export async function cablesAndEnds(tx: Tx, ports: number[]): Promise<Map<number, CableEnd>> {
  const found = new Map<number, CableEnd>();
  if (ports.length === 0) return found;
  const rows = await tx.select<Row>(
    `SELECT e.port_id, ${columnsIn('cable', 'c')}, ${columnsIn('port', 'p')} FROM cable_end e JOIN cable c ON c.id = e.cable_id
     LEFT JOIN port p ON p.id = IF(c.from_id = e.port_id, c.to_id, c.from_id) WHERE e.port_id IN (?)`,
    [ports],
  );
  for (const row of rows) {
    const cable = recordIn('cable', 'c', row);
    if (cable) found.set(Number(row.port_id), { cable, other: recordIn('port', 'p', row) });
  }
  return found;
}

const farEndOf = async (tx: Tx, cable: Stored<'cable'>, port: number): Promise<string> =>
  cable.from === port
    ? ((await keyOf(tx, 'port', cable.to)) ?? cable.farEnd ?? 'nowhere')
    : ((await keyOf(tx, 'port', cable.from)) ?? '');

async function saveEnds(tx: Tx, cables: Stored<'cable'>[]): Promise<void> {
  // The same order for everybody: two that want the same two ports do not wait for one another.
  const rows = cables
    .flatMap((cable) =>
      [cable.from, cable.to].flatMap((port) => (port === null ? [] : [{ port_id: port, cable_id: cable.id }])),
    )
    .sort((a, b) => a.port_id - b.port_id);
  if (rows.length > 0) await tx.insertRows('cable_end', rows, '');
}

/** Keys of cables are those of the ports that they begin in. */
export const cablesOfPorts = async (tx: Tx, ports: number[]): Promise<Stored<'cable'>[]> => [
  ...(await find(tx, 'cable', { from_id: ports })),
  ...(await find(tx, 'cable', { to_id: ports })),
];
