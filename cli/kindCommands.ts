/** The five verbs of every kind, from its description. */
import { Argument, Option, type Command } from 'commander';
import { cellText, recordsToCsv } from '@zpine/contract/csv';
import { typeOf, type Value } from '@zpine/contract/fields';
import { fieldsOf, splitKey, type KindDescription } from '@zpine/contract/kind';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import { countText } from '@zpine/contract/counting';
import { clientOf, outputOf } from './context.ts';
import {
  cloneRecord,
  editMany,
  keyFields,
  labelsFrom,
  many,
  removeMany,
  removeRecord,
  series,
  spread,
} from './bulk.ts';
import { viewNamed } from './finding.ts';
import { addFieldOptions, fieldsFrom, lowered, type AnyFields, type Options } from './kindFields.ts';
import { err, out, pairs, stageText, table, raw } from './print.ts';
import { wanted } from './prompt.ts';
import { UsageError } from './refusals.ts';

/** Adds a noun for every kind; gives them, so that verbs of their own can join. */
/** `asked`: the one noun that is wanted; the others are there by name alone. Left out, all are made. */
export function addKinds(program: Command, asked?: string): Map<KindName, Command> {
  return new Map(
    kindNames.map((kind) => {
      const k = kindOf(kind);
      const noun = program.command(kind).description(k.about).summary(k.about);
      if (asked === undefined || asked === kind) addVerbs(noun, kind, k);
      return [kind, noun];
    }),
  );
}

function addVerbs(noun: Command, kind: KindName, k: KindDescription): void {
  const example = exampleKey(k);

  const listing = noun
    .command('list')
    .description(`list ${lowered(k.titles)}`)
    .argument('[begin]', 'only keys that begin with this');
  for (const [name, field] of fieldsOf(k))
    if (typeOf(field).filter)
      listing.addOption(new Option(`--${name} <value>`, `only where ${lowered(field.title)} is this; none for empty`));
  listing
    .option('--where <tests>', "only records that match: 'site=ard duty=access stage!=retired'")
    .option('--view <name>', 'as a saved view narrows and sorts it')
    .option('--sort <field>', `by ${['key', 'updatedAt', ...(k.sort ?? [])].join(', ')}; with - before it from the end`)
    .option('--limit <n>', 'maximum number of rows', '100')
    .action((begin: string | undefined, options: Options, command: Command) => list(k, kind, begin, options, command));

  noun
    .command('show')
    .description(`show one ${lowered(k.title)}`)
    .argument('<key>', keyHelp(k))
    .action((key: string, _options: Options, command: Command) => show(k, kind, key, command));

  const adding = noun
    .command('add')
    .description(`add one ${lowered(k.title)}`)
    .addArgument(new Argument('<key>', `its key, such as ${exampleKey(k)}; NAME-{1..8} adds many`));
  addFieldOptions(adding, k, (name) => !k.key.parts.includes(name) || k.fields[name]?.type === 'ref');
  adding
    .option('--yes', 'where many are added: do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', `\nExample:\n  zpine ${kind} add ${example}${exampleOptions(k)}`)
    .action((key: string, options: Options, command: Command) => addRecord(kind, key, options, command));

  const editing = noun
    .command('edit')
    .description(`edit one ${lowered(k.title)}, or all of a selection`)
    .argument('[key]', `${keyHelp(k)}; NAME-{1..8} edits many`);
  addFieldOptions(editing, k, () => true);
  editing
    .option('--where <tests>', 'instead of a key, all of a selection: shows what would come of it, and asks')
    .option('--add-labels <labels>', 'labels to put beside those that are there')
    .option('--drop-labels <labels>', 'labels to take off')
    .option('--yes', 'with a selection: do not ask')
    .option('--clear <fields>', 'fields to empty, with commas between')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', `\nExample:\n  zpine ${kind} edit ${example}${exampleOptions(k)}`)
    .action((key: string | undefined, options: Options, command: Command) => edit(k, kind, key, options, command));

  noun
    .command('remove')
    .description(`remove one ${lowered(k.title)}, or all of a selection`)
    .argument('[key]', keyHelp(k))
    .option('--where <tests>', 'instead of a key, all of a selection: lists what would go, and asks by number')
    .option('--contents', contentsHelp[kind] ?? 'with what lies in it')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .option(
      '--preview',
      'remove nothing: say what would go with it, what stands in its way, and what would change elsewhere',
    )
    .action((key: string | undefined, options: Options, command: Command) => {
      if ((key === undefined) === (options.where === undefined))
        throw new UsageError(`name one ${lowered(k.title)}, or a selection with --where`);
      if (key !== undefined && options.contents !== true) return removeRecord(kind, key, options, command);
      const which = key === undefined ? { where: String(options.where) } : { refs: [key] };
      return removeMany(kind, which, options, command);
    });
  addCloning(noun, k, kind);
}

function addCloning(noun: Command, k: KindDescription, kind: KindName): void {
  const cloning = noun
    .command('clone')
    .description(`copy one ${lowered(k.title)}, with its parts, under other names`)
    .argument('<key>', keyHelp(k))
    .argument('[new...]', 'keys of the copies; NAME-{2..9} stands for many');
  addFieldOptions(cloning, k, (name) => !k.key.parts.includes(name) || k.fields[name]?.type === 'ref');
  if (kind === 'device')
    cloning
      .option('--serial <values>', 'of the box of each, one that is known or a new one')
      .option('--boxMac <values>', 'of those boxes');
  const example =
    kind === 'device'
      ? "zpine device clone ske-acc-1 'ske-acc-{2..9}' --positionU '{11..4}'"
      : `zpine ${kind} clone ${exampleKey(k)} NEW`;
  cloning
    .option('--list <file>', 'a table of the copies, its head names the fields; - for standard input')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      `\nA field has one value for all copies, or one for each: a list with commas, or {4..11}.\n\nExample:\n  ${example}`,
    )
    .action((key: string, names: string[], options: Options, command: Command) =>
      cloneRecord(kind, key, names, options, command),
    );
}

/** What goes along with `--contents`. */
const contentsHelp: Partial<Record<KindName, string>> = {
  site: 'with its rooms, racks, devices, VLANs, prefixes and their addresses; boxes go to stock',
  room: 'with its racks and the devices in them; boxes go to stock',
  rack: 'with the devices in it; boxes go to stock',
  vlan: 'with its prefixes and their addresses',
  prefix: 'with the addresses in it that no interface has',
  device: 'and put its box in stock',
};

const keyHelp = (k: KindDescription): string => `its key, such as ${exampleKey(k)}, or #ID`;

const examples: Record<string, string> = {
  room: 'ard/closet',
  rack: 'ard/closet/w1',
  model: 'larkfield/lf-24',
  vlan: 'ard/304',
  interface: 'ard-acc-1:1/3',
  port: 'ard-acc-1:1/3',
  card: 'har-core-1:2',
  cable: 'ard-acc-1:1/3',
  carrier: '10.77.1.1~har-core-1:vlan316',
  filler: 'har/equipment/e1/33/front',
};
const exampleKey = (k: KindDescription): string =>
  examples[k.name] ?? k.fields[k.key.parts[0] ?? '']?.example ?? k.name;

function exampleOptions(k: KindDescription): string {
  const shown = fieldsOf(k).find(
    ([name, field]) => !k.key.parts.includes(name) && field.example && !field.derived && !field.byVerb,
  );
  return shown ? ` --${shown[0]} '${shown[1].example}'` : '';
}

const shownCell = (k: KindDescription, name: string, record: AnyFields): string => {
  if (name === 'stage') return stageText(String(record.stage));
  const text = cellText(k, name, record).split('\n')[0] ?? '';
  return text.length > 48 && k.fields[name]?.type === 'note' ? `${text.slice(0, 47)}…` : text;
};

async function list(
  k: KindDescription,
  kind: KindName,
  begin: string | undefined,
  options: Options,
  command: Command,
): Promise<void> {
  const { json, csv } = outputOf(command);
  const filters = Object.fromEntries(
    fieldsOf(k).flatMap(([name]) => (typeof options[name] === 'string' ? [[name, options[name]]] : [])),
  );
  const view = typeof options.view === 'string' ? await viewNamed(kind, options.view) : {};
  const where = [view.where, options.where].filter((text): text is string => typeof text === 'string');
  const query = {
    ...view,
    ...filters,
    q: begin ?? view.q,
    where: where.length > 1 ? where.map((text) => `(${text})`).join(' ') : where[0],
    sort: (options.sort as string | undefined) ?? view.sort,
    limit: String(options.limit),
    count: 'true',
  };
  const page = await clientOf().list(kind, query);
  const items = page.items;
  if (json) return out(JSON.stringify(items, null, 2));
  if (csv) return raw(recordsToCsv(k, items));
  if (items.length === 0) {
    const narrowed = Object.values({ ...filters, ...view }).length > 0 || begin !== undefined || where.length > 0;
    const title = lowered(k.titles);
    return err(narrowed ? `no ${title} match` : `no ${title} yet; zpine ${kind} add ${exampleKey(k)} adds one`);
  }
  const numeric = new Set(k.list.flatMap((name, i) => (k.fields[name]?.type === 'int' ? [i] : [])));
  out(
    table(
      k.list.map((name) => (name === 'key' ? kind : name)),
      items.map((item) => k.list.map((name) => shownCell(k, name, item))),
      numeric,
    ),
  );
  if (page.next !== null)
    err(
      `${items.length} of ${countText(page.count ?? 0, page.countIs)} ${lowered(k.titles)}; --limit ${Math.min(page.count ?? 500, 500)} shows more`,
    );
}

async function show(k: KindDescription, kind: KindName, key: string, command: Command): Promise<void> {
  const record = await clientOf().show(kind, key);
  print(k, record, command);
}

function print(k: KindDescription, record: AnyFields, command: Command): void {
  const { json, csv } = outputOf(command);
  if (json) return out(JSON.stringify(record, null, 2));
  if (csv) return raw(recordsToCsv(k, [record]));
  const rows = fieldsOf(k).flatMap(([name, field]): [string, string][] => {
    const text = name === 'stage' ? stageText(String(record.stage)) : cellText(k, name, record);
    return text === '' ? [] : [[name, field.unit ? `${text} ${field.unit}` : text]];
  });
  out(pairs([[k.name, `${String(record.key)}   #${String(record.id)}, version ${String(record.version)}`], ...rows]));
}

export async function addRecord(kind: KindName, key: string, options: Options, command: Command): Promise<void> {
  const k = kindOf(kind);
  const reason = options.reason as string | undefined;
  if (key.includes('{')) {
    const keys = series(key);
    const records = keys.map((one) => keyFields(k, one));
    spread(k, records, options);
    const { json } = outputOf(command);
    if (!(await wanted(`add ${many(k, keys.length)}?`, keys, { yes: options.yes, json }))) return;
    const made = await clientOf().addAll(kind, records, { reason });
    if (json) return out(JSON.stringify(made, null, 2));
    return out(`added ${many(k, made.length)}: ${made.map((record) => record.key).join(' ')}`);
  }
  const fields = { ...splitKey(k, key), ...fieldsFrom(k, options) };
  const parts = Object.fromEntries(
    k.key.parts.map((name) => [
      name,
      k.fields[name]?.type === 'int' ? (typeOf(k.fields[name]).fromText(String(fields[name])) as Value) : fields[name],
    ]),
  );
  const record = await clientOf().add(kind, { ...fields, ...parts }, { reason });
  if (outputOf(command).json) return out(JSON.stringify(record, null, 2));
  out(`added ${kind} ${record.key}`);
}

async function edit(
  k: KindDescription,
  kind: KindName,
  key: string | undefined,
  options: Options,
  command: Command,
): Promise<void> {
  const fields = fieldsFrom(k, options);
  for (const name of typeof options.clear === 'string' ? options.clear.split(',').map((f) => f.trim()) : [])
    fields[name] = null;
  const addLabels = labelsFrom(options.addLabels);
  const dropLabels = labelsFrom(options.dropLabels);
  const labelled = addLabels.length + dropLabels.length > 0;
  if (Object.keys(fields).length === 0 && !labelled) throw new UsageError('nothing to edit: name at least one field');
  if (key !== undefined && options.where !== undefined) throw new UsageError('either a key or --where, not both');
  const change = { changes: fields, addLabels, dropLabels };
  if (typeof options.where === 'string') return editMany(kind, { where: options.where, ...change }, options, command);
  if (key?.includes('{')) return editMany(kind, { refs: series(key), ...change }, options, command);
  if (key === undefined) throw new UsageError('name a record, or select some with --where');
  if (labelled) return editMany(kind, { refs: [key], ...change }, { ...options, yes: true }, command);
  const client = clientOf();
  const before = (await client.show(kind, key)) as AnyFields;
  const record = (await client.edit(kind, key, fields, {
    version: Number(before.version),
    reason: options.reason as string | undefined,
  })) as AnyFields;
  if (outputOf(command).json) return out(JSON.stringify(record, null, 2));
  if (record.version === before.version) return out(`${kind} ${String(record.key)}: nothing was different`);
  out(`edited ${kind} ${String(record.key)}`);
  const changed = fieldsOf(k).filter(([name]) => JSON.stringify(before[name]) !== JSON.stringify(record[name]));
  out(
    pairs(
      changed.map(([name]) => [
        `  ${name}`,
        `${cellText(k, name, before) || '(empty)'} → ${cellText(k, name, record) || '(empty)'}`,
      ]),
    ),
  );
}
