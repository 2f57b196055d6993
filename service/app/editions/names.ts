/** Every name that a template sees for a device, with type and value. */
import { SECRET_MASK } from '@zpine/core/template/render';
import { type Shape, shapeName } from '@zpine/core/template/shapes';
import { Marked, type Val, isMap } from '@zpine/core/template/values';
import type { ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { mustFind } from '../records/refs.ts';
import { contextOf, ONE_TIME } from './context.ts';
import { settingsCatalogue } from './templates.ts';

type Item = ReplyOf<'device.names'>['items'][number];

export async function templateNames(tx: Tx, ref: string): Promise<ReplyOf<'device.names'>> {
  const device = await mustFind(tx, 'device', ref);
  const { data } = await contextOf(tx, device);
  const { names } = await settingsCatalogue(tx);
  const items: Item[] = [];
  for (const [name, shape] of Object.entries(names)) gather(name, shape, data[name] ?? null, items);
  return { items };
}

/** Maps are gone into; lists are shown whole. */
function gather(name: string, shape: Shape, value: Val, items: Item[]): void {
  if (shape.is === 'map' && !shape.open) {
    if (value === null || !isMap(value))
      items.push({ name, type: shapeName(shape), about: shape.about ?? '', value: plain(value) });
    else
      for (const [field, inner] of Object.entries(shape.fields))
        gather(`${name}.${field}`, inner, value[field] ?? null, items);
    return;
  }
  items.push({ name, type: shapeName(shape), about: shape.about ?? '', value: plain(value) });
}

function plain(value: Val): Item['value'] {
  if (value instanceof Marked) return SECRET_MASK;
  if (typeof value === 'string') return value.replaceAll(ONE_TIME, 'ONE-TIME');
  if (Array.isArray(value)) return value.map(plain);
  if (isMap(value)) return Object.fromEntries(Object.entries(value).map(([key, held]) => [key, plain(held)]));
  return value as Item['value'];
}
