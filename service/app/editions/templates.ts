/** Finds the template of a device, and checks it. */
import { checkTemplate } from '@zpine/core/template/check';
import { parseTemplate } from '@zpine/core/template/parse';
import type { TemplateFault } from '@zpine/core/template/faults';
import { Refusal } from '@zpine/contract/errors';
import type { ShownTemplateFault } from '@zpine/contract/onboardingShapes';
import type { Stored } from '@zpine/contract/kinds';
import { allOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { catalogueOf } from '@zpine/contract/templateNames';
import { typeOfSetting } from '../settings/effective.ts';

/** The most specific match: a duty says more than a model, a model more than a dialect. */
const rankOf = (t: Stored<'template'>): number =>
  (t.duty === null ? 0 : 4) + (t.model === null ? 0 : 2) + (t.dialect === null ? 0 : 1);

/** The templates that devices can have, of which each has one. */
export const wholeTemplates = async (tx: Tx): Promise<Stored<'template'>[]> =>
  (await allOf(tx, 'template')).filter((one) => !one.fragment);

export function templateAmong(
  all: Stored<'template'>[],
  device: Stored<'device'>,
  dialect: number | null,
): Stored<'template'> {
  const own = device.template === null ? undefined : all.find((t) => t.id === device.template);
  if (own) return own;
  const fits = (wanted: number | null, has: number | null): boolean => wanted === null || wanted === has;
  const fitting = all
    .filter((t) => fits(t.dialect, dialect) && fits(t.model, device.model) && fits(t.duty, device.duty))
    .sort((a, b) => rankOf(b) - rankOf(a));
  const [best, next] = fitting;
  if (!best) throw new Refusal('template-none', { device: device.key });
  if (next && rankOf(next) === rankOf(best)) {
    const names = fitting.filter((t) => rankOf(t) === rankOf(best)).map((t) => t.key);
    throw new Refusal('template-several', { device: device.key, templates: names.join(', ') });
  }
  return best;
}

/** The fragments, by name. */
export async function fragmentsOf(tx: Tx): Promise<Map<string, string>> {
  const fragments = (await allOf(tx, 'template')).filter((one) => one.fragment);
  return new Map(fragments.map((one) => [one.key, one.source]));
}

/** Those that a template inserts, directly or by way of others. */
export function insertedBy(
  template: Pick<Stored<'template'>, 'key' | 'source'>,
  all: Map<string, string>,
): Record<string, string> {
  const found: Record<string, string> = {};
  const waiting = [...parseTemplate(template.key, template.source).template.inserts];
  for (let name = waiting.pop(); name !== undefined; name = waiting.pop()) {
    const source = all.get(name);
    if (source === undefined || name in found) continue;
    found[name] = source;
    waiting.push(...parseTemplate(name, source).template.inserts);
  }
  return Object.fromEntries(Object.entries(found).sort(([a], [b]) => (a < b ? -1 : 1)));
}

export async function settingsCatalogue(tx: Tx) {
  const settings = await allOf(tx, 'setting');
  return catalogueOf(
    settings.map((s) => ({ name: s.name, about: s.about, valueType: typeOfSetting(s), secret: s.secret })),
  );
}

export async function faultsOf(tx: Tx, template: Stored<'template'>): Promise<TemplateFault[]> {
  const fragments = await fragmentsOf(tx);
  return checkTemplate(template.key, template.source, (name) => fragments.get(name), await settingsCatalogue(tx));
}

export const presentFault = ({ hint, ...fault }: TemplateFault): ShownTemplateFault => ({
  ...fault,
  hint: hint ?? null,
});
