/** The fields that rows of an import may have: those of a kind, or those that say a setting's value in a layer. */
import { layerKinds, modes } from '@zpine/core/settings/layers';
import type { Field } from '@zpine/contract/fields';
import type { ImportKind } from '@zpine/contract/importRoutes';
import { kindOf } from '@zpine/contract/kinds';

const ofValue: Record<string, Field> = {
  setting: { type: 'ref', to: 'setting', title: 'Setting', required: true },
  layer: { type: 'choice', title: 'Layer', choices: layerKinds, required: true },
  of: { type: 'code', title: 'Of', about: 'The record that the layer is; empty for everywhere' },
  mode: { type: 'choice', title: 'Mode', choices: modes, default: 'set' },
  value: { type: 'json', title: 'Value', required: true },
};

export const importFields = (kind: ImportKind): Record<string, Field> =>
  kind === 'value' ? ofValue : kindOf(kind).fields;

export const fieldsOfImport = (kind: ImportKind): [string, Field][] => Object.entries(importFields(kind));
