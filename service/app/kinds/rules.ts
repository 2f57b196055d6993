import type { KindName } from '@zpine/contract/kinds';
import type { KindRules } from '../records/draft.ts';
import { addressRules } from './address.ts';
import { areaRules } from './area.ts';
import { bootprofileRules } from './bootprofile.ts';
import { boxRules } from './box.ts';
import { cableRules } from './cable.ts';
import { cardRules } from './card.ts';
import { carrierRules } from './carrier.ts';
import { checkRules } from './check.ts';
import { deviceRules } from './device.ts';
import { dialectRules } from './dialect.ts';
import { exceptionRules } from './exception.ts';
import { fillerRules } from './filler.ts';
import { imageRules } from './image.ts';
import { interfaceRules } from './interface.ts';
import { labelRules } from './label.ts';
import { modelRules } from './model.ts';
import { portRules } from './port.ts';
import { prefixRules } from './prefix.ts';
import { rackRules } from './rack.ts';
import { routineRules } from './routine.ts';
import { settingRules } from './setting.ts';
import { siteplanRules } from './siteplan.ts';
import { templateRules } from './template.ts';
import { vlanRules } from './vlan.ts';
import { vrfRules } from './vrf.ts';

const rules: Partial<Record<KindName, KindRules>> = {
  address: addressRules,
  area: areaRules,
  bootprofile: bootprofileRules,
  box: boxRules,
  cable: cableRules,
  card: cardRules,
  carrier: carrierRules,
  check: checkRules,
  device: deviceRules,
  dialect: dialectRules,
  exception: exceptionRules,
  filler: fillerRules,
  image: imageRules,
  interface: interfaceRules,
  label: labelRules,
  model: modelRules,
  port: portRules,
  prefix: prefixRules,
  rack: rackRules,
  routine: routineRules,
  setting: settingRules,
  siteplan: siteplanRules,
  template: templateRules,
  vlan: vlanRules,
  vrf: vrfRules,
};

const none: KindRules = {};
export const rulesOf = (kind: KindName): KindRules => rules[kind] ?? none;
