/** What is known of a value before there is one: the names of the data, of the settings, and their types. */
import type { TypeName } from './values.ts';

export type Shape = { about?: string; secret?: boolean } & (
  | { is: 'any' | 'text' | 'number' | 'bool' | 'nothing' }
  | { is: 'list'; of: Shape }
  /** `open` maps may hold more names than are known; `rest` is what those are. */
  | { is: 'map'; fields: Record<string, Shape>; open: boolean; rest?: Shape }
);

export const any: Shape = { is: 'any' };
export const text = (about?: string): Shape => ({ is: 'text', ...(about === undefined ? {} : { about }) });
export const number = (about?: string): Shape => ({ is: 'number', ...(about === undefined ? {} : { about }) });
export const bool = (about?: string): Shape => ({ is: 'bool', ...(about === undefined ? {} : { about }) });
export const secretShape = (about?: string): Shape => ({ ...text(about), secret: true });
export const listOf = (of: Shape, about?: string): Shape => ({
  is: 'list',
  of,
  ...(about === undefined ? {} : { about }),
});
export const mapOf = (fields: Record<string, Shape>, about?: string, open = false): Shape => ({
  is: 'map',
  fields,
  open,
  ...(about === undefined ? {} : { about }),
});

/** A map whose names are not known, only what it holds. */
export const mapOfAll = (rest: Shape, about?: string): Shape => ({
  is: 'map',
  fields: {},
  open: true,
  rest,
  ...(about === undefined ? {} : { about }),
});

export function shapeName(shape: Shape): TypeName | 'anything' {
  if (shape.secret) return 'a secret';
  const names = {
    any: 'anything',
    text: 'a text',
    number: 'a number',
    bool: 'true or false',
    nothing: 'nothing',
    list: 'a list',
    map: 'a map',
  } as const;
  return names[shape.is];
}

/** What either of two values may be. */
export function either(a: Shape, b: Shape): Shape {
  const secret = a.secret === true || b.secret === true;
  if (a.is === 'nothing') return b;
  if (b.is === 'nothing' || a === b) return a;
  const same = a.is === b.is && a.is !== 'map' && a.is !== 'list';
  if (a.is === 'list' && b.is === 'list') return listOf(either(a.of, b.of));
  return secret ? { ...(same ? a : any), secret } : same ? a : any;
}
