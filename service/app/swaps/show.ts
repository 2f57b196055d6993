/** A swap as it is shown: before, during and after. */
import { findingWords, heldAgainstBefore } from '@zpine/core/arrival/swapped';
import { boxName } from '@zpine/core/naming/boxName';
import type { ShownSwap, SwapCable, SwapHead } from '@zpine/contract/swapRoutes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { presentArrivals } from '../arrivals/list.ts';
import { arrivals, type ArrivalRow } from '../arrivals/arrivals.ts';
import { plugs } from '../cables/shown.ts';
import { sitesOf } from '../devices/inForce.ts';
import { targetsOf } from '../fleet/targets.ts';
import { showDrift } from '../fleet/drift.ts';
import { handmadeLines } from './handmade.ts';
import { isOpen, mustFindSwap, saidIn, saveSwap, swaps, ticksOf, type Said, type SwapRow } from './rows.ts';

export async function listSwaps(tx: Tx, query: QueryOf<'swap.list'>): Promise<ReplyOf<'swap.list'>> {
  const where = query.open === undefined ? '' : `WHERE closed_at IS ${query.open === 'true' ? '' : 'NOT '}NULL`;
  const rows = await tx.select<SwapRow>(`SELECT ${swaps.all} FROM swap ${where} ORDER BY id DESC LIMIT ${query.limit}`);
  const items: SwapHead[] = [];
  for (const row of rows) items.push(row.report === null ? (await gathered(tx, row)).head : headIn(row.report));
  return { items, next: null };
}

/** Of the report that was kept. */
function headIn(report: string): SwapHead {
  const {
    reason: _reason,
    before: _before,
    spares: _spares,
    behind: _behind,
    arrival: _arrival,
    diagnosis: _diagnosis,
    cableList: _cables,
    after: _after,
    knew: _knew,
    oldBoxIs: _is,
    next: _next,
    ...head
  } = JSON.parse(report) as ShownSwap;
  return head;
}

/** Its report, as it stands at its end. */
export async function keepReport(tx: Tx, id: string): Promise<ShownSwap> {
  const report = await showSwap(tx, id);
  await saveSwap(tx, Number(id), { report: JSON.stringify(report) });
  return report;
}

interface Gathered {
  head: SwapHead;
  device: Stored<'device'> | undefined;
  cables: SwapCable[];
  findings: string[] | null;
}

async function gathered(tx: Tx, row: SwapRow): Promise<Gathered> {
  const device = (await byIds(tx, 'device', [Number(row.device_id)])).get(Number(row.device_id));
  const site = device && (await sitesOf(tx, [device])).get(device.id);
  const { cables, findings } = device ? await held(tx, row, device) : { cables: [], findings: null };
  const until = row.served_at ?? row.closed_at ?? (await tx.now()).date;
  return {
    device,
    cables,
    findings,
    head: {
      id: Number(row.id),
      device: device?.key ?? row.device_key,
      site: site === undefined ? null : await keyOf(tx, 'site', site),
      state: row.state,
      oldBox: row.old_box,
      newBox: row.new_box,
      startedAt: row.started_at.toISOString(),
      startedBy: row.started_by,
      closedAt: row.closed_at?.toISOString() ?? null,
      downIsLeast: row.down_at !== null && row.down_at.getTime() === row.fitted_at?.getTime(),
      downSeconds: row.down_at ? Math.max(0, Math.round((until.getTime() - row.down_at.getTime()) / 1000)) : null,
      cables: cables.length,
      ticked: cables.filter(({ ticked }) => ticked !== null).length,
      findings: findings?.length ?? null,
    },
  };
}

/** Its cables, and what it says now held against what it said before. */
async function held(
  tx: Tx,
  row: SwapRow,
  device: Stored<'device'>,
): Promise<{ cables: SwapCable[]; findings: string[] | null }> {
  const dialect = (await targetsOf(tx, [device])).get(device.id)?.dialect;
  const nameOf = (port: string): string => dialect?.interfaceName(port) ?? port;
  const isLive = (state: string): boolean => dialect?.isLive(state) ?? false;
  const ports = await find(tx, 'port', { device_id: device.id });
  // Of a port its tables speak now by one name, now by another.
  const short = new Map(ports.flatMap(({ name }) => [[name, name] as const, [nameOf(name), name] as const]));
  const [was, is] = [byPorts(saidIn(row.was), short), byPorts(saidIn(row.is), short)];
  const ticks = ticksOf(row);
  const stateIn = (said: typeof is, name: string): 'up' | 'dark' | 'unknown' => {
    const state = said?.answers.interfaces.find((one) => one.interface === name)?.state;
    return state === undefined ? 'unknown' : isLive(state) ? 'up' : 'dark';
  };
  const { items } = await plugs(tx, { device: device.key });
  const cables = items.flatMap((plug): SwapCable[] => {
    const port = plug.from.port?.slice(device.key.length + 1);
    if (port === undefined) return [];
    const before = stateIn(was, port);
    return [
      {
        port,
        name: nameOf(port),
        cable: plug.cable,
        kind: plug.kind,
        colour: plug.colour,
        marking: plug.marking,
        farEnd: plug.to.words,
        farPlace: plug.to.place,
        ticked: ticks[port] ?? null,
        state: stateIn(is, port),
        wasUp: before === 'unknown' ? null : before === 'up',
      },
    ];
  });
  if (!was || !is) return { cables, findings: null };
  const of = new Map(cables.map((cable) => [cable.port, cable]));
  const findings = heldAgainstBefore({
    was: was.answers,
    is: is.answers,
    isLive,
    cableIn: (name) => {
      const cable = of.get(name);
      return cable && { words: cable.marking ?? cable.cable, farEnd: cable.farEnd };
    },
  }).map(findingWords);
  if (was.version !== null && is.version !== null && was.version !== is.version)
    findings.push(`it runs version ${is.version}, and ran ${was.version} before`);
  return { cables, findings };
}

/** The same with every port by the name that the records have for it. */
function byPorts(said: Said | null, short: ReadonlyMap<string, string>): Said | null {
  if (!said) return null;
  const named = (rows: Said['answers']['macs']): Said['answers']['macs'] =>
    rows.map((row) => ({ ...row, interface: short.get(row.interface ?? '') ?? row.interface ?? '' }));
  const { interfaces, neighbours, macs } = said.answers;
  return { ...said, answers: { interfaces: named(interfaces), neighbours: named(neighbours), macs: named(macs) } };
}

export async function showSwap(tx: Tx, id: string): Promise<ShownSwap> {
  const row = await mustFindSwap(tx, id);
  // Once it is over, nothing that changes in the records changes what it says.
  if (row.report !== null) return JSON.parse(row.report) as ShownSwap;
  const { head, device, cables, findings } = await gathered(tx, row);
  const [was, is] = [saidIn(row.was), saidIn(row.is)];
  const drift = device ? (await showDrift(tx, device.key)).drift : null;
  const isBefore = row.state === 'begun';
  const arrival = device && row.fitted_at ? await arrivalSince(tx, device.id, row.fitted_at) : undefined;
  const isLive = device ? (await targetsOf(tx, [device])).get(device.id)?.dialect?.isLive : undefined;
  return {
    ...head,
    reason: row.reason,
    before: {
      at: was?.at ?? null,
      version: was?.version ?? null,
      fault: was === null ? row.fault : null,
      handmade: isBefore ? (device ? await handmadeLines(tx, device) : []) : (JSON.parse(row.lost ?? '[]') as string[]),
      comparedAt: isBefore ? (drift?.comparedAt ?? null) : null,
      up: was?.answers.interfaces.filter(({ state = '' }) => isLive?.(state) ?? false).length ?? 0,
    },
    spares: device && isBefore ? await sparesFor(tx, device) : [],
    behind: JSON.parse(row.behind) as string[],
    arrival: arrival?.id ?? null,
    diagnosis: arrival?.diagnosis ?? null,
    cableList: cables,
    after: is ? { at: is.at, version: is.version, findings: findings ?? [], fault: row.fault } : null,
    knew: device ? await usersKnown(tx, device) : [],
    oldBoxIs:
      (row.old_box_id === null
        ? undefined
        : (await byIds(tx, 'box', [Number(row.old_box_id)])).get(Number(row.old_box_id))
      )?.condition ?? null,
    next: nextStep(row, findings, cables),
  };
}

function nextStep(row: SwapRow, findings: readonly string[] | null, cables: readonly SwapCable[]): string | null {
  if (!isOpen(row)) return null;
  if (row.state === 'begun')
    return `zpine swap fit ${row.device_key} SERIAL, or plug the spare into the same port: it is recognised by it`;
  if (row.state === 'booting') return `zpine arrival watch ${row.device_key}`;
  if ((findings?.length ?? 0) > 0) return 'what is not as it was stands below; it is looked at again every 10 s';
  const open = cables.filter(({ ticked, state }) => ticked === null && state !== 'up').length;
  return open > 0 && row.is === null
    ? 'it serves; it is being asked what it says of its ports'
    : `zpine swap close ${row.device_key}`;
}

async function arrivalSince(tx: Tx, device: number, since: Date) {
  const rows = await tx.select<ArrivalRow>(
    `SELECT ${arrivals.all} FROM arrival WHERE device_id = ? AND updated_at >= ? ORDER BY id DESC LIMIT 1`,
    [device, since],
  );
  const [shown] = await presentArrivals(tx, rows);
  return shown;
}

/** Boxes of its model that are in stock: those whose whereabouts name its site or rack first. */
async function sparesFor(tx: Tx, device: Stored<'device'>): Promise<ShownSwap['spares']> {
  if (device.model === null) return [];
  const boxes = await find(
    tx,
    'box',
    { model_id: device.model, condition: 'stock' },
    { order: ['sort_key', 'id'], limit: 200 },
  );
  const site = (await keyOf(tx, 'site', (await sitesOf(tx, [device])).get(device.id) ?? null)) ?? '';
  const near = (whereabouts: string | null): number =>
    site !== '' && new RegExp(`\\b${site}\\b`, 'i').test(whereabouts ?? '') ? 0 : 1;
  return boxes
    .toSorted((a, b) => near(a.whereabouts) - near(b.whereabouts))
    .slice(0, 20)
    .map((box) => ({ box: boxName(box), whereabouts: box.whereabouts, condition: box.condition }));
}

/** Whoever signs in on it: these passwords stand in the old box. */
async function usersKnown(tx: Tx, device: Stored<'device'>): Promise<string[]> {
  const target = (await targetsOf(tx, [device])).get(device.id);
  return target ? [target.access.user].filter((user) => user !== '') : [];
}
