/** The registry: every record kind, in an order in which references point backwards where they can. */
import { check, exception } from './kinds/checks.ts';
import { routine } from './kinds/routines.ts';
import { area, filler, rack, room, site } from './kinds/places.ts';
import { dialect, duty, owner, purpose, use } from './kinds/lists.ts';
import { label } from './kinds/labels.ts';
import { box, model, vendor } from './kinds/hardware.ts';
import { device } from './kinds/devices.ts';
import { cable, card, interfaceKind, port } from './kinds/interfaces.ts';
import { address, carrier, prefix, siteplan, vlan, vrf } from './kinds/addressing.ts';
import { bootprofile, image } from './kinds/boot.ts';
import { batch } from './kinds/batches.ts';
import { setting } from './kinds/settings.ts';
import { template } from './kinds/templates.ts';
import type { KindDescription, RecordOf, StoredOf } from './kind.ts';

export const kinds = {
  owner,
  purpose,
  duty,
  dialect,
  use,
  label,
  area,
  site,
  room,
  rack,
  filler,
  vendor,
  model,
  vrf,
  vlan,
  prefix,
  siteplan,
  template,
  bootprofile,
  image,
  batch,
  device,
  card,
  port,
  interface: interfaceKind,
  cable,
  box,
  address,
  carrier,
  setting,
  check,
  exception,
  routine,
} as const satisfies Record<string, KindDescription>;

export type KindName = keyof typeof kinds;
export const kindNames = Object.keys(kinds) as KindName[];
export const kindOf = (name: string): KindDescription => {
  const found = (kinds as Record<string, KindDescription>)[name];
  if (!found) throw new Error(`no kind '${name}'`);
  return found;
};
export const isKind = (name: string): name is KindName => name in kinds;

export type ApiRecord<K extends KindName> = RecordOf<(typeof kinds)[K]>;
export type Stored<K extends KindName> = StoredOf<(typeof kinds)[K]>;

/** Where records of this kind are referred to: [kind, field]. */
export const referrersOf = (name: string): [KindName, string][] =>
  kindNames.flatMap((other) =>
    Object.entries(kindOf(other).fields)
      .filter(([, field]) => field.to === name)
      .map(([field]): [KindName, string] => [other, field]),
  );
