/** What answers the calls of this area. */
import { Pieces } from '../pieces.ts';
import { exampleText } from './example.ts';
import { exportText, mayExport } from './export.ts';
import { pasteDevices } from './paste.ts';
import { importText } from './run.ts';
import { importScans } from './scan.ts';
import { applyUpload, cancelUpload, presentUpload, uploadRow } from './uploads.ts';
import type { VerbHandlers } from '../handler.ts';

export const importsHandlers = {
  'import.run': (tx, { body }) => importText(tx, body),
  'import.scan': (tx, { body }) => importScans(tx, body),
  'import.paste': (tx, { body }) => pasteDevices(tx, body),
  'import.show': async (tx, { params }) => presentUpload(await uploadRow(tx, params.id ?? '')),
  'import.apply': (tx, { params, user }) => applyUpload(tx, params.id ?? '', user),
  'import.cancel': (tx, { params }) => cancelUpload(tx, params.id ?? ''),
  'import.example': (_tx, { params, query }) => Promise.resolve(exampleText(params.kind ?? '', query.as)),
  // Its answer is made piece by piece.
  'export.run': async (tx, { query }) => {
    await mayExport(tx, query);
    return new Pieces(exportText(tx, query));
  },
} satisfies Partial<VerbHandlers>;
