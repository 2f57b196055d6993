/** What matters about a record, in one sentence; and where it belongs. */
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { portKinds, type PortKindName } from '@zpine/core/rack/ports';
import { type AnyRecord } from '@zpine/contract/kind';
import { metres } from '../cables/words.ts';
import { placeOf } from '../shell/navigation.ts';
import { listPath, pathOf } from './paths.ts';

const join = (parts: unknown[]): string =>
  parts.filter((part) => part !== null && part !== undefined && part !== '').join(' · ');
const upper = (value: unknown): string | null => (typeof value === 'string' ? value.toUpperCase() : null);

const comesWith = (r: AnyRecord): string =>
  r.source === 'hand'
    ? 'added by hand'
    : r.source === 'card'
      ? `comes with card ${String(r.card)}`
      : 'comes with the model';

const sentences: Partial<Record<KindName, (r: AnyRecord) => string>> = {
  site: (r) => join([upper(r.code), r.area, r.timeZone]),
  room: (r) => join([r.key, upper(r.site)]),
  rack: (r) => join([`${String(r.heightU)} U`, r.purpose, r.owner, `numbered from the ${String(r.numbering)}`]),
  model: (r) =>
    join([
      r.vendor,
      r.dialect,
      `${String(r.heightU)} U`,
      `${String(r.depth)} depth`,
      r.powerWatts && `${String(r.powerWatts)} W`,
    ]),
  box: (r) => join([r.model, r.mac, r.condition, r.device ? `fitted as ${String(r.device)}` : r.whereabouts]),
  vlan: (r) => join([`VLAN ${String(r.number)} at ${upper(r.site)}`, r.use]),
  prefix: (r) =>
    join([
      r.description,
      r.vlan && `VLAN ${String(r.vlan).split('/').at(-1)}`,
      r.gateway && `gateway ${String(r.gateway)}`,
    ]),
  address: (r) =>
    join([r.interface ? `on ${String(r.interface)}` : 'reserved', r.description, `in ${String(r.prefix)}`]),
  interface: (r) => join([r.mode, r.form, r.description, r.enabled ? null : 'disabled']),
  card: (r) => join([r.model, r.serial, `slot ${String(r.slot)} of ${String(r.device)}`]),
  port: (r) => join([portKinds[r.kind as PortKindName].title, comesWith(r)]),
  cable: (r) =>
    join([r.kind, r.colour, metres(r.lengthCm as number | null), r.marking, `to ${String(r.to ?? r.farEnd)}`]),
  template: (r) => (r.fragment ? 'A fragment' : join(['for', r.dialect, r.model, r.duty])),
  setting: (r) => join([r.about, r.valueType, r.unit]),
};

export const sentenceOf = (kind: KindName, record: AnyRecord): string =>
  sentences[kind]?.(record) ?? kindOf(kind).about;

export function crumbsOf(kind: KindName, record: AnyRecord): [string, string | undefined][] {
  const k = kindOf(kind);
  const crumbs: [string, string | undefined][] = [];
  const place = placeOf(kind);
  if (place) crumbs.push([place.title, place.to]);
  if (place?.kinds[0] !== kind) crumbs.push([k.titles, listPath(kind)]);
  const above = k.key.parts.find((part) => k.fields[part]?.type === 'ref' && part !== 'vrf');
  if (above && typeof record[above] === 'string')
    crumbs.push([record[above], pathOf(k.fields[above]?.to ?? '', record[above])]);
  crumbs.push([record.key, undefined]);
  return crumbs;
}
