import { stringify } from 'yaml';
import { exampleCsv, exampleRows } from '@zpine/contract/examples';
import { typeOf } from '@zpine/contract/fields';
import { importFields } from './fields.ts';
import { kindOfImport } from './headMapping.ts';
import type { Format } from './rows.ts';

/** A file of a few rows that an import of the kind would take. */
export function exampleText(kindText: string, as: Format): { text: string } {
  const kind = kindOfImport(kindText);
  if (as === 'csv') return { text: exampleCsv(kind) };
  const specs = importFields(kind);
  const rows = exampleRows(kind).map((row) =>
    Object.fromEntries(
      Object.entries(row).flatMap(([name, text]) => {
        const spec = specs[name];
        if (text === '' || !spec) return [];
        const value = kind !== 'value' ? typeOf(spec).fromText(text) : text.includes(', ') ? text.split(', ') : text;
        return [[name, value]];
      }),
    ),
  );
  const tree = { [kind]: rows };
  return { text: as === 'json' ? `${JSON.stringify(tree, null, 2)}\n` : stringify(tree, { lineWidth: 140 }) };
}
