import { type KindName } from '@zpine/contract/kinds';
import { type KindRules } from '../records/draft.ts';
import { addressRules } from './address.ts';
import { areaRules } from './area.ts';
import { boxRules } from './box.ts';
import { deviceRules } from './device.ts';
import { fillerRules } from './filler.ts';
import { labelRules } from './label.ts';
import { modelRules } from './model.ts';
import { prefixRules } from './prefix.ts';
import { rackRules } from './rack.ts';
import { settingRules } from './setting.ts';
import { templateRules } from './template.ts';
import { vrfRules } from './vrf.ts';

const rules: Partial<Record<KindName, KindRules>> = {
  address: addressRules,
  area: areaRules,
  box: boxRules,
  device: deviceRules,
  filler: fillerRules,
  label: labelRules,
  model: modelRules,
  rack: rackRules,
  prefix: prefixRules,
  setting: settingRules,
  template: templateRules,
  vrf: vrfRules,
};

const none: KindRules = {};
export const rulesOf = (kind: KindName): KindRules => rules[kind] ?? none;
