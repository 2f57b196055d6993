/** Errors of batches. */
import { row } from './errorRow.ts';

export const batchErrors = {
  'opening-time': row(
    422,
    'Not a time',
    (p) => `"${p.value}" is not a time`,
    () => '22:00, which is the next one, or 2026-12-04 22:00',
  ),
  'batch-past': row(
    422,
    'Over already',
    (p) => `a window from ${p.from} for ${p.hours} h would be over`,
    () => 'a later time, or more hours',
  ),
  'batch-empty': row(
    409,
    'No devices',
    (p) => `${p.batch} has no devices`,
    (p) => `zpine device edit DEVICE --batch ${p.batch}, or a table: zpine batch table ${p.batch} FILE`,
  ),
  'batch-not-open': row(
    409,
    'No window',
    (p) => `${p.batch} has no window now`,
    (p) => `zpine batch open ${p.batch} --at 22:00 --for 6`,
  ),
  'batch-other': row(
    409,
    'Not of this batch',
    (p) => `${p.device} is not of ${p.batch}`,
    (p) => `zpine device edit ${p.device} --batch ${p.batch}`,
  ),
  'batch-why': row(
    422,
    'A reason is needed',
    (p) => `why ${p.device} is left out belongs into the report`,
    () => '--why TEXT',
  ),
  'batch-open': row(
    409,
    'Under way',
    (p) => `the window of ${p.batch} is open until ${p.until}`,
    (p) => `zpine batch close ${p.batch}`,
  ),
  'table-head': row(
    422,
    'Unknown column',
    (p) => `"${p.value}" is neither a column of this table nor a setting`,
    (p) => `columns: ${p.known}; or the name of a setting`,
  ),
  'table-nothing': row(
    422,
    'No rows',
    () => 'the table has no row below its head',
    (p) => `its empty form: zpine batch form ${p.batch}`,
  ),
  'table-unnamed': row(
    422,
    'Nobody knows who it is',
    () => 'the row has no name, and one cannot be worked out: that takes a duty, and a site or a rack',
    () => 'fill in name, or duty and site',
  ),
  'table-no-model': row(
    422,
    'No model',
    (p) => `no box ${p.box} is in the records, and the row names no model for it`,
    () => 'fill in model',
  ),
} as const;
