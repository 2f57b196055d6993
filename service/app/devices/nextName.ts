/** The next name of a device at a place with a duty, by the pattern that the layers give. */
import { nextIn, rowOf, type PatternPart } from '@zpine/core/naming/patterns';
import { textSetting } from '@zpine/core/settings/read';
import { Refusal } from '@zpine/contract/errors';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { likeText, mustFindField } from '../records/refs.ts';
import { settingsOf } from '../settings/effective.ts';
import { byId } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

export async function nextName(tx: Tx, query: QueryOf<'device.nextName'>): Promise<ReplyOf<'device.nextName'>> {
  const given: Partial<Record<'site' | 'rack' | 'duty' | 'model', number>> = {};
  for (const field of ['site', 'rack', 'duty', 'model'] as const)
    if (query[field] !== undefined) given[field] = (await mustFindField(tx, field, query[field], field)).id;
  const rack = given.rack === undefined ? undefined : await byId(tx, 'rack', given.rack);
  const room = rack && (await byId(tx, 'room', rack.room));
  const siteId = given.site ?? room?.site;
  const site = siteId === undefined ? undefined : await byId(tx, 'site', siteId);
  const part = async (kind: KindName, id: number | null | undefined) =>
    id === null || id === undefined ? null : String(((await byId(tx, kind, id)) as { name?: string }).name ?? '');
  const values: Partial<Record<PatternPart, string | null>> = {
    area: await part('area', site?.area),
    site: site?.code ?? null,
    room: room?.name ?? null,
    rack: rack?.name ?? null,
    duty: await part('duty', given.duty),
    model: await part('model', given.model),
  };
  // A device that is not there yet has the layers of its place, its duty and its model.
  const blank = Object.fromEntries(fieldsOf(kindOf('device')).map(([name]) => [name, null]));
  const refs = { duty: given.duty ?? null, model: given.model ?? null, site: siteId ?? null, rack: rack?.id ?? null };
  const device = { ...blank, ...refs, id: 0, key: '' } as Stored<'device'>;
  const pattern = textSetting(await settingsOf(tx, device), 'naming.pattern') ?? '{site}-{duty}-{n}';
  const row = rowOf(pattern, values);
  if (!row.ok) throw new Refusal(row.fault.code, row.fault.params);
  const taken = await tx.select<{ name: string }>('SELECT name FROM device WHERE name LIKE ?', [
    `${likeText(row.value.before)}%${likeText(row.value.behind)}`,
  ]);
  return {
    name: nextIn(
      row.value,
      taken.map(({ name }) => name),
    ),
    pattern,
  };
}
