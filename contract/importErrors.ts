/** Errors of imports, undo and what else is done with many records at once. */
import { meant, row, type ErrorRow } from './errorRow.ts';

export const importErrors = {
  'where-syntax': row(
    422,
    'Selection not understood',
    (p) => `${p.words}\n  ${p.text}\n  ${' '.repeat(Math.max(0, Number(p.at) - 1) || 0)}^`,
    () => 'write tests such as site=ard duty=access, joined by blanks, or, not and brackets',
  ),
  'import-format': row(
    422,
    'Not understood',
    (p) => `this is not ${p.format}: ${p.why}`,
    () => 'say what it is: CSV, YAML or JSON',
  ),
  'import-kind': row(
    422,
    'Kind missing',
    () => 'it is not said of which kind these rows are',
    () => 'name the kind, or put the rows below the names of their kinds',
  ),
  'import-kind-unknown': row(422, 'No such kind', (p) => `there is no kind "${p.kind}"`, meant),
  'import-empty': row(422, 'Nothing in it', () => 'there are no rows in it'),
  'import-header': row(422, 'Column unknown', (p) => `no field is called "${p.column}"`, meant),
  'import-header-twice': row(422, 'Column twice', (p) => `the column "${p.column}" stands twice`),
  'import-ragged': row(
    422,
    'Other number of cells',
    (p) => `this row has ${p.cells} cells, the head has ${p.heads}`,
    () => 'a comma in a text wants quotes around it',
  ),
  'import-row': row(422, 'Not a row', () => 'this is not a map of fields and values'),
  'import-many': row(422, 'Too many rows', (p) => `the most is ${p.max} rows at a time`),
  'import-circle': row(422, 'Circle', (p) => `${p.key} would end up inside itself`),
  'field-by-verb': row(422, 'Not changed here', (p) => `${p.field} is changed by a verb of its own, not by an import`),
  'undo-newer': row(
    409,
    'Changed since',
    (p) => `${p.kind} ${p.key} was changed after this: it is at version ${p.current}, not ${p.version}`,
    () => 'undo what is newer first',
  ),
  'undo-gone': row(
    409,
    'Gone since',
    (p) => `${p.kind} ${p.key} was removed after this`,
    () => 'undo its removal first',
  ),
  'undo-back': row(409, 'There again', (p) => `${p.kind} ${p.key} is there already`),
  'undo-kind': row(409, 'Cannot be undone', (p) => `what was done to ${p.kind} ${p.key} cannot be taken back`),
  'undo-done': row(409, 'Undone already', (p) => `change set ${p.id} was undone by change set ${p.by}`),
} as const satisfies Record<string, ErrorRow>;
