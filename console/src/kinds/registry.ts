/** Kinds that have more than their description: one file each. */
import type { KindName } from '@zpine/contract/kinds';
import { address } from './address.ts';
import { batch } from './batch.tsx';
import { bootprofile } from './bootprofile.tsx';
import { box } from './box.tsx';
import { cable } from './cable.tsx';
import { card } from './card.ts';
import { check } from './check.tsx';
import { routine } from './routine.tsx';
import { device } from './device.tsx';
import { dialect } from './dialect.ts';
import type { Extras } from './extras.ts';
import { image } from './image.tsx';
import { interfaceExtras } from './interface.tsx';
import { model } from './model.tsx';
import { port } from './port.tsx';
import { prefix } from './prefix.tsx';
import { rack } from './rack.tsx';
import { room } from './room.ts';
import { setting } from './setting.tsx';
import { site } from './site.tsx';
import { siteplan } from './siteplan.tsx';
import { template } from './template.tsx';
import { vlan } from './vlan.ts';

const extras: Partial<Record<KindName, Extras>> = {
  address,
  batch,
  bootprofile,
  box,
  cable,
  card,
  check,
  routine,
  device,
  dialect,
  image,
  interface: interfaceExtras,
  model,
  port,
  prefix,
  rack,
  room,
  setting,
  site,
  siteplan,
  template,
  vlan,
};

const none: Extras = {};

export const extrasOf = (kind: KindName): Extras => extras[kind] ?? none;
