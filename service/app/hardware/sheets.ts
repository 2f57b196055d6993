/** Model sheets: one model as a YAML or JSON text of its own, read with the place of every fault, written without loss. */
import { isMap, isNode, isPair, isScalar, isSeq, type LineCounter, stringify, type Node } from 'yaml';
import { parsePorts, parseSlots } from '@zpine/core/rack/portGroups';
import { parseKeyPart } from '@zpine/core/naming/names';
import { problemOf, Refusal, type FieldFault } from '@zpine/contract/errors';
import type { SheetFault } from '@zpine/contract/hardwareRoutes';
import type { BodyOf, QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Value } from '@zpine/contract/fields';
import { kindOf, type Stored } from '@zpine/contract/kinds';
import { readYaml } from '../../store/yaml.ts';
import { byKeys, present } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { add, addOne } from '../records/add.ts';
import { edit } from '../records/edit.ts';
import { differences as fieldDifferences } from '../records/editMany.ts';
import { mustFind } from '../records/refs.ts';
import { differencesOfModel } from './differing.ts';

type Outcome = ReplyOf<'sheet.read'>;

/** What a sheet says of the hardware, in the order in which it is written; what it leaves out is as usual. */
const ofHardware = [
  'title',
  'dialect',
  'heightU',
  'depth',
  'width',
  'powerWatts',
  'weightGrams',
  'fits',
  'ports',
  'slots',
  'management',
] as const;
/** Said where somebody wants to; left alone where it is left out. */
const besides = ['note', 'labels'] as const;

/** One sheet on its way in, with the text that it stands in. */
interface Sheet {
  file: string;
  node: Node;
  lines: LineCounter;
  fields: Record<string, unknown>;
}

export async function readSheets(tx: Tx, body: BodyOf<'sheet.read'>): Promise<Outcome> {
  const out: Outcome = {
    applied: false,
    counts: { add: 0, edit: 0, same: 0 },
    models: [],
    vendors: [],
    faults: [],
    differing: 0,
  };
  const sheets = body.sheets.flatMap(({ name, text }) => sheetsIn(name, text, out.faults));
  const seen = new Map<string, string>();
  const changed: Stored<'model'>[] = [];
  for (const sheet of sheets) {
    const key = keyOf(sheet);
    const before = key === null ? undefined : seen.get(key);
    if (key !== null && before !== undefined) {
      fault(out.faults, sheet, ['name'], 'sheet-twice', { model: key, file: before });
      continue;
    }
    if (key !== null) seen.set(key, sheet.file);
    sheet.fields = withoutFaultyGroups(sheet, out.faults);
    try {
      await addVendor(tx, sheet, out.vendors);
      const model = await saveSheet(tx, sheet, key, out);
      if (model) changed.push(model);
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      noteRefusal(error, sheet, out.faults);
    }
  }
  for (const model of changed) out.differing += (await differencesOfModel(tx, model)).length;
  out.faults.sort((a, b) => a.file.localeCompare(b.file) || a.line - b.line || a.column - b.column);
  out.applied = body.apply && out.faults.length === 0;
  if (!out.applied) tx.discarded = true;
  return out;
}

const MOST_ALIASES = 100;

/** The maps of a text: one, a list of them, or one a document. */
function sheetsIn(file: string, text: string, faults: SheetFault[]): Sheet[] {
  const { documents, faults: broken, lines } = readYaml(text, { aliases: MOST_ALIASES });
  for (const { offset, message } of broken) {
    const { line, col } = lines.linePos(offset);
    faults.push({ file, line, column: col, at: '', value: null, ...words('sheet-syntax', { why: message }) });
  }
  if (documents.length === 0 && broken.length === 0) faults.push(wholeFault(file));
  if (broken.length > 0) return [];
  return documents.flatMap((document) => {
    const top = document.contents;
    const maps = isSeq(top) ? top.items : [top];
    return maps.flatMap((node): Sheet[] => {
      if (isMap(node)) {
        try {
          const fields = node.toJS(document, { maxAliasCount: MOST_ALIASES }) as Record<string, unknown>;
          return [{ file, node, lines, fields }];
        } catch (error) {
          const why = error instanceof Error ? error.message : String(error);
          faults.push({ ...wholeFault(file), ...words('sheet-syntax', { why }) });
          return [];
        }
      }
      const { line, col } = lines.linePos(isNode(node) ? (node.range?.[0] ?? 0) : 0);
      faults.push({ file, line, column: col, at: '', value: null, ...words('sheet-shape') });
      return [];
    });
  });
}

const wholeFault = (file: string): SheetFault => ({
  file,
  line: 1,
  column: 1,
  at: '',
  value: null,
  ...words('sheet-shape'),
});

function words(
  code: FieldFault['code'],
  params: FieldFault['params'] = {},
): Pick<SheetFault, 'code' | 'detail' | 'remedy'> {
  const { detail, remedy } = problemOf(new Refusal(code, params));
  return { code, detail, remedy: remedy ?? null };
}

function fault(
  faults: SheetFault[],
  sheet: Sheet,
  path: (string | number)[],
  code: FieldFault['code'],
  params: FieldFault['params'],
): void {
  const { line, column, value } = placeOf(sheet, path);
  faults.push({ file: sheet.file, line, column, at: path.join('.'), value, ...words(code, params) });
}

/** Where a value stands; of what is missing, the thing that it is missing in. */
function placeOf(
  { node, lines }: Sheet,
  path: (string | number)[],
): { line: number; column: number; value: string | null } {
  let here: unknown = node;
  let at = node.range?.[0] ?? 0;
  for (const part of path) {
    if (isMap(here)) {
      const pair = here.items.find(
        (item) => isPair(item) && isScalar(item.key) && String(item.key.value) === String(part),
      );
      if (!pair) break;
      const held = pair.value ?? pair.key;
      at = (isNode(held) ? held.range?.[0] : undefined) ?? at;
      here = pair.value;
    } else if (isSeq(here)) {
      here = here.items[Number(part)];
      at = (isNode(here) ? here.range?.[0] : undefined) ?? at;
    } else break;
  }
  const { line, col } = lines.linePos(at);
  const value = isScalar(here) ? String(here.value) : null;
  return { line, column: col, value };
}

function noteRefusal(refusal: Refusal, sheet: Sheet, faults: SheetFault[]): void {
  if (refusal.faults.length === 0) return fault(faults, sheet, [], refusal.code, refusal.params);
  for (const { path, code, params } of refusal.faults) fault(faults, sheet, path, code, params);
}

const textOf = (value: unknown): string =>
  typeof value === 'string' || typeof value === 'number' ? String(value) : '';

function keyOf({ fields }: Sheet): string | null {
  const [vendor, name] = [parseKeyPart(textOf(fields.vendor)), parseKeyPart(textOf(fields.name))];
  return vendor.ok && name.ok ? `${vendor.value}/${name.value}` : null;
}

/**
 * Of ports and slots it is said in which group the fault is. Gives the sheet without what is faulty in this way, so that
 * the rest of it is looked at, too.
 */
function withoutFaultyGroups(sheet: Sheet, faults: SheetFault[]): Record<string, unknown> {
  const rest = { ...sheet.fields };
  for (const [field, parse] of [
    ['ports', parsePorts],
    ['slots', parseSlots],
  ] as const) {
    const given = sheet.fields[field];
    if (!Array.isArray(given)) continue;
    const groups = given as { names: string; kind: string; takes: string }[];
    const texts = (group: unknown): boolean =>
      typeof group === 'object' && group !== null && Object.values(group).every((word) => typeof word === 'string');
    if (!groups.every((group) => texts(group) && typeof group.names === 'string')) continue;
    const before = faults.length;
    const look = (i: number, some: typeof groups): void => {
      const read = parse(some);
      if (!read.ok) fault(faults, sheet, [field, i, innerOf(read.fault.code)], read.fault.code, read.fault.params);
    };
    for (const [i, group] of groups.entries()) look(i, [group]);
    // Each may be sound, and all of them too many, or two of them alike.
    for (let i = 1; i < groups.length && faults.length === before; i += 1) look(i, groups.slice(0, i + 1));
    if (faults.length > before) delete rest[field];
  }
  return rest;
}

const innerOf = (code: string): string => ({ 'port-kind-unknown': 'kind', 'name-syntax': 'takes' })[code] ?? 'names';

async function addVendor(tx: Tx, { fields }: Sheet, vendors: string[]): Promise<void> {
  const name = parseKeyPart(textOf(fields.vendor));
  if (!name.ok || (await byKeys(tx, 'vendor', [name.value])).has(name.value)) return;
  const title = textOf(fields.vendorTitle);
  await addOne(tx, 'vendor', { name: name.value, ...(title === '' ? {} : { title }) });
  vendors.push(name.value);
}

async function saveSheet(tx: Tx, sheet: Sheet, key: string | null, out: Outcome): Promise<Stored<'model'> | undefined> {
  const { vendorTitle: _, ...given } = sheet.fields;
  const standing = key === null ? undefined : (await byKeys(tx, 'model', [key])).get(key);
  const none: string[] = [];
  const at = () => none;
  if (!standing) {
    const [model] = await add(tx, 'model', [given], at);
    if (!model) return undefined;
    out.counts.add += 1;
    const [is = {}] = await present(tx, 'model', [model]);
    const changes = fieldDifferences('model', {}, is);
    out.models.push({ file: sheet.file, kind: 'model', key: model.key, action: 'add', changes });
    return undefined;
  }
  const fields = kindOf('model').fields;
  const whole = Object.fromEntries(ofHardware.map((name) => [name, given[name] ?? fields[name]?.default ?? null]));
  const [model] = await edit(tx, 'model', [{ ref: `#${standing.id}`, changes: { ...given, ...whole } }], false);
  if (!model) return undefined;
  const [was = {}, is = {}] = await present(tx, 'model', [standing, model]);
  const changes = fieldDifferences('model', was, is);
  const action = model.version === standing.version ? 'same' : 'edit';
  out.counts[action] += 1;
  if (action === 'edit') out.models.push({ file: sheet.file, kind: 'model', key: model.key, action, changes });
  return action === 'edit' ? model : undefined;
}

export async function writeSheet(tx: Tx, ref: string, { as }: QueryOf<'sheet.write'>): Promise<ReplyOf<'sheet.write'>> {
  const model = await mustFind(tx, 'model', ref);
  const [shown = {}] = await present(tx, 'model', [model]);
  const [vendor] = await present(tx, 'vendor', [await mustFind(tx, 'vendor', `#${model.vendor}`)]);
  const fields = kindOf('model').fields;
  const usual = (name: string): Value => fields[name]?.default ?? null;
  const sheet: Record<string, Value> = { vendor: shown.vendor ?? null };
  if (typeof vendor?.title === 'string') sheet.vendorTitle = vendor.title;
  sheet.name = model.name;
  for (const name of [...ofHardware, ...besides]) {
    const value = shown[name] ?? null;
    if (JSON.stringify(value) !== JSON.stringify(usual(name))) sheet[name] = value;
  }
  const text = as === 'json' ? `${JSON.stringify(sheet, null, 2)}\n` : stringify(sheet, { lineWidth: 120 });
  return { name: `${model.key.replace('/', '-')}.${as}`, text };
}
