/** What can be wrong with dialects, selections, runs and captures. */
import { meant, row, type ErrorRow } from './errorRow.ts';

export const fleetErrors = {
  'sheet-faulty': row(
    422,
    'Dialect sheet not understood',
    (p) => `line ${p.line}, column ${p.column}: ${p.place ? `${p.place}: ` : ''}${p.message}`,
  ),
  'selection-missing': row(
    422,
    'No devices named',
    () => 'say which devices: by their names, or by a selection',
    () => 'all there are: where=stage!=retired',
  ),
  'selection-both': row(422, 'Devices named twice', () => 'either names of devices or a selection, not both'),
  'selection-empty': row(409, 'No device', (p) => `no device matches ${p.where}`),
  'selection-everything': row(
    409,
    'Every device there is',
    (p) => `this selects all ${p.count} devices`,
    () => 'if that is meant, say so: everything=true',
  ),
  'ask-missing': row(422, 'Nothing to ask', () => 'say what is asked: a command, a question, or a list of them'),
  'ask-both': row(422, 'Command or question', () => 'either a command or a question, not both'),
  'ask-changes': row(
    422,
    'Not a command that only reads',
    (p) => `"${p.command}" is not one of ${p.dialect}'s read-only commands`,
    () => 'what changes devices is an errand; if it only reads, the sheet of the dialect can say so: reads',
  ),
  'question-unknown': row(
    422,
    'No such question',
    (p) => `no dialect of these devices has a question "${p.question}"; there are ${p.known}`,
    meant,
  ),
  'pattern-faulty': row(422, 'Pattern not understood', (p) => `"${p.pattern}": ${p.why}`),
  'list-empty': row(422, 'No lines', (p) => `there is no line in it, or lines for more than ${p.max} devices`),
  'list-device-missing': row(
    422,
    'Line without a device',
    (p) => `row ${p.row}, column ${p.column}: "${p.line}" belongs to no device`,
  ),
  'list-device-unknown': row(
    422,
    'No such device',
    (p) => `there is no device "${p.device}" among those that are selected`,
    meant,
  ),
  'list-cell-lines': row(422, 'More than a line', (p) => `row ${p.row}, ${p.device}: a cell is one line`),
  'list-broken': row(422, 'Not a table', (p) => `the table cannot be read: ${p.why}`),
  'errand-empty': row(422, 'Nothing to do', () => 'an errand needs lines, or a table of lines'),
  'errand-contradicts': row(
    422,
    'Lines that undo one another',
    (p) => `${p.device}: "${p.second}" would take the place of "${p.first}"`,
  ),
  'errand-unknown-dialect': row(
    409,
    'Not known how to change it',
    (p) => `${p.device}: ${p.why}`,
    () => 'zpine dialect check FILE; the part of a sheet that says it is called change',
  ),
  'errand-template': row(422, 'Lines not understood', (p) => `${p.device}: ${p.first}`),
  'errand-not-previewed': row(409, 'Not waiting', (p) => `run #${p.id} waits for nobody: ${p.why}`),
  'errand-count': row(
    409,
    'Another number of devices',
    (p) => `this errand would change ${p.count} device${Number(p.count) === 1 ? '' : 's'}, not ${p.given}`,
    () => 'look at the preview again, and confirm with the number that it names',
  ),
  'errand-nothing-back': row(409, 'Nothing to undo', (p) => `run #${p.id} changed no device`),
  'run-over': row(409, 'Over', (p) => `run #${p.id} has ended`),
  'run-other-kind': row(409, 'Another kind of run', (p) => `run #${p.id} is no ${p.wanted}`),
  'capture-other-file': row(422, 'Not comparable', () => 'a binary file has no lines to compare'),
  'try-source': row(422, 'Nothing to try it on', () => 'give a recorded session, or a device; not both'),
  'mac-short': row(422, 'Not enough of a MAC', () => 'at least four hexadecimal digits, or a whole MAC'),
} as const satisfies Record<string, ErrorRow>;
