/** Changes as they are kept: what a record was before and after. */
import type { Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import type { ReplyOf } from '@zpine/contract/routes';
import { maybe, number, table, text, type RowOf } from '../../store/table.ts';
import { rulesOf } from '../kinds/rules.ts';

export type Image = Record<string, Value>;
/** What became of a record by taking a change back. */
export type TookBack = ReplyOf<'history.undo'>['items'][number]['action'];

export const changes = table('change', {
  change_set_id: number,
  seq: number,
  kind: text,
  record_id: number,
  record_key: text,
  version_from: maybe(number),
  version_to: maybe(number),
  before: maybe(text),
  after: maybe(text),
});
export type ChangeRow = RowOf<typeof changes>;

export const imageOf = (text: string | null): Image | null => (text === null ? null : (JSON.parse(text) as Image));

/** What a record was, in today's words: the way some texts are written has changed since. */
export function recalled(kind: KindName, text: string | null): Image | null {
  const image = imageOf(text);
  return image && (rulesOf(kind).recall?.(image) ?? image);
}

/** What history keeps of a record's fields, put over today's fields; those that came since have their defaults. */
export const fieldsFrom = (kind: KindName, image: Image): Image =>
  Object.fromEntries(
    fieldsOf(kindOf(kind)).map(([name, field]) => [
      name,
      Object.hasOwn(image, name) ? (image[name] ?? null) : (field.default ?? null),
    ]),
  );

export const sortOf = ({ before, after }: ChangeRow): 'added' | 'edited' | 'removed' =>
  before === null ? 'added' : after === null ? 'removed' : 'edited';
