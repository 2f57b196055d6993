/** Slots and cards of devices, models and the devices that differ from them, model sheets. */
import { mkdirSync } from 'node:fs';
import { extname, join } from 'node:path';
import { type Command, Option } from 'commander';
import type { SheetFault } from '@zpine/contract/hardwareRoutes';
import type { ReplyOf } from '@zpine/contract/routes';
import { shortSeries } from '@zpine/core/naming/series';
import { series } from './bulk.ts';
import { clientOf, outputOf } from './context.ts';
import { err, out, refusedWord, table, raw } from './print.ts';
import { filesIn, isFolder, readTable, readText, writeText } from './files.ts';
import { confirmed, unsaved } from './prompt.ts';
import { status, UsageError } from './refusals.ts';
import { fieldText } from './settings.ts';

type Hardware = ReplyOf<'device.hardware'>;

export function addCardVerbs(noun: Command): void {
  noun
    .command('hardware')
    .description('slots and cards, declared against found, and how the ports differ from the model')
    .argument('<device>')
    .action(async (ref: string, _options: object, command: Command) =>
      show(await clientOf().call('device.hardware', { params: { ref } }), command),
    );
  noun
    .command('found')
    .description('record which cards were seen in the slots (name them all); declares nothing')
    .argument('<device>')
    .argument('[cards...]', 'SLOT=MODEL, or SLOT=MODEL:SERIAL; none for "nothing is in it"')
    .addHelpText('after', '\nExample:\n  zpine device found har-core-1 1=C4-24T:C424-0410 3=C4-BAY 3/1=C4-8X')
    .action(async (ref: string, cards: string[], _options: object, command: Command) => {
      const body = { cards: cards.map(cardFrom) };
      show(await clientOf().call('device.found', { params: { ref }, body }), command);
    });
  noun
    .command('declare-found')
    .description('declare the cards that were found, as far as their models are known')
    .argument('<device>')
    .option('--reason <text>', 'why, for the history')
    .action(async (ref: string, { reason }: { reason?: string }, command: Command) =>
      show(await clientOf().call('device.declareFound', { params: { ref }, reason }), command),
    );
}

function cardFrom(text: string): { slot: string; model?: string; serial?: string } {
  const [, slot = '', model = '', serial = ''] = /^([^=]+)=([^:]*)(?::(.*))?$/.exec(text) ?? [];
  if (slot === '') throw new UsageError(`"${text}": write SLOT=MODEL or SLOT=MODEL:SERIAL`);
  return { slot, ...(model ? { model } : {}), ...(serial ? { serial } : {}) };
}

const signs: Record<Hardware['slots'][number]['state'], string> = {
  empty: '·',
  unseen: '?',
  same: '=',
  differs: '≠',
  missing: '−',
  undeclared: '+',
};

function show(seen: Hardware, command: Command): void {
  if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
  if (seen.slots.length === 0) out(`${seen.device} (${seen.model ?? 'no model'}) has no slots`);
  else {
    const rows = seen.slots.map((slot) => [
      `${'  '.repeat(slot.depth)}${slot.slot}`,
      slot.takes ?? '',
      slot.declared ? `${slot.declared.model}${slot.declared.serial ? ` ${slot.declared.serial}` : ''}` : '',
      slot.declared && slot.declared.ports > 0 ? String(slot.declared.ports) : '',
      slot.found ? [slot.found.model, slot.found.serial].filter(Boolean).join(' ') : '',
      `${signs[slot.state]} ${slot.words}`,
    ]);
    out(table(['slot', 'takes', 'declared', 'ports', 'found', ''], rows, new Set([3])));
    if (seen.slots.some((slot) => slot.state === 'undeclared')) err(`  zpine device declare-found ${seen.device}`);
  }
  const words = differenceText(seen.differs);
  if (words !== '') err(`ports differ from the model: ${words}; zpine model align ${seen.model ?? ''} ${seen.device}`);
}

const differenceText = ({ missing, extra, other }: Hardware['differs']): string =>
  [
    missing.length > 0 && `missing ${shortSeries(missing).join(' ')}`,
    extra.length > 0 && `too many ${shortSeries(extra).join(' ')}`,
    other.length > 0 && `of another kind ${other.map((one) => `${one.port} (${one.is}, not ${one.wanted})`).join(' ')}`,
  ]
    .filter(Boolean)
    .join('; ');

export function addModelVerbs(noun: Command): void {
  noun
    .command('differing')
    .description('devices whose ports are not those that the model, or a card of it, brings')
    .argument('<model>')
    .action(async (ref: string, _options: object, command: Command) => {
      const { devices } = await clientOf().call('model.differing', { params: { ref } });
      if (outputOf(command).json) return out(JSON.stringify(devices, null, 2));
      if (devices.length === 0) return out(`no device differs from ${ref}`);
      out(
        table(
          ['device', 'how', 'in its way'],
          devices.map((one) => [one.device, differenceText(one), one.blocked ?? '']),
        ),
      );
      out(`${devices.length} differ${devices.length === 1 ? 's' : ''}; zpine model align ${ref}`);
    });
  noun
    .command('align')
    .description('bring devices along with their changed model; one with ports in use that would go stays as it is')
    .argument('<model>')
    .argument('[devices...]', 'all that differ if not given')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .action(async (ref: string, names: string[], options: { yes?: boolean; reason?: string }, command: Command) => {
      const client = clientOf();
      const devices = names.flatMap(series);
      if (devices.length === 0) {
        const { devices: all } = await client.call('model.differing', { params: { ref } });
        if (all.length === 0) return out(`no device differs from ${ref}`);
        for (const one of all)
          out(`${one.device}  ${differenceText(one)}${one.blocked ? `  kept back: ${one.blocked}` : ''}`);
        const left = 'left as they are; --yes goes on without asking';
        if (!options.yes && !(await confirmed(`bring ${all.length} along?`, all.length, left))) return;
      }
      const body = devices.length === 0 ? {} : { devices };
      const done = await client.call('model.align', { params: { ref }, body, reason: options.reason });
      if (outputOf(command).json) return out(JSON.stringify(done, null, 2));
      if (done.aligned.length > 0) out(`brought along: ${done.aligned.join(' ')}`);
      for (const { device, why } of done.refused) err(`${device}: ${refusedWord()}: ${why}`);
      if (done.refused.length > 0) process.exitCode = status.refused;
    });
  addSheetVerbs(noun);
}

function addSheetVerbs(noun: Command): void {
  noun
    .command('read-sheets')
    .description('take in model sheets, YAML or JSON: shows what would come of them, then asks; all or none')
    .argument('<path...>', 'sheets, or folders of them; - for standard input')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExamples:\n  zpine model read-sheets lf-24.yaml\n  zpine model read-sheets sheets/ --yes')
    .action((paths: string[], options: { yes?: boolean; reason?: string }, command: Command) =>
      readSheets(paths, options, command),
    );
  noun
    .command('write-sheet')
    .description('models as sheets, which are read back without a difference')
    .argument('<model...>', 'models; * for all')
    .addOption(new Option('--as <format>').choices(['yaml', 'json']).default('yaml'))
    .option('--to <folder>', 'one file each in this folder; standard output if not given')
    .addHelpText(
      'after',
      "\nExamples:\n  zpine model write-sheet larkfield/lf-24\n  zpine model write-sheet '*' --to sheets/",
    )
    .action(async (models: string[], { as, to }: { as: 'yaml' | 'json'; to?: string }) => {
      const client = clientOf();
      const keys = models.includes('*') ? await keysOfModels() : models;
      if (to !== undefined) mkdirSync(to, { recursive: true });
      const texts = [];
      for (const ref of keys) {
        const { name, text } = await client.call('sheet.write', { params: { ref }, query: { as } });
        if (to !== undefined) writeText(join(to, name), text);
        texts.push(text);
      }
      if (to !== undefined) return out(`wrote ${texts.length} sheet${texts.length === 1 ? '' : 's'} to ${to}`);
      const whole = as === 'json' && texts.length > 1 ? `[${texts.join(',')}]\n` : texts.join('---\n');
      raw(whole);
    });
}

async function keysOfModels(): Promise<string[]> {
  const keys: string[] = [];
  for await (const model of clientOf().all('model', {})) keys.push(model.key);
  return keys;
}

const sheetEnds = ['.yaml', '.yml', '.json'];

function sheetsIn(path: string): { name: string; text: string }[] {
  if (path === '-') return [{ name: 'standard input', text: readText('-') }];
  if (!isFolder(path)) return [{ name: path, text: readTable(path).text }];
  return filesIn(path)
    .map((name) => join(path, name))
    .filter((file) => isFolder(file) || sheetEnds.includes(extname(file).toLowerCase()))
    .flatMap(sheetsIn);
}

async function readSheets(
  paths: string[],
  options: { yes?: boolean; reason?: string },
  command: Command,
): Promise<void> {
  const sheets = paths.flatMap(sheetsIn);
  if (sheets.length === 0) throw new UsageError('no sheets here: files that end in .yaml, .yml or .json');
  const send = (apply: boolean) => clientOf().call('sheet.read', { body: { sheets, apply }, reason: options.reason });
  const seen = await send(options.yes === true);
  if (outputOf(command).json) out(JSON.stringify(seen, null, 2));
  else showSheets(seen);
  if (seen.faults.length > 0) return void (process.exitCode = status.refused);
  if (seen.applied || seen.counts.add + seen.counts.edit === 0) return;
  if (paths.includes('-')) return unsaved();
  if (!(await confirmed('save this?'))) return;
  const done = await send(true);
  if (done.applied) return out(countWords(done));
  showSheets(done);
  process.exitCode = status.refused;
}

type Read = ReplyOf<'sheet.read'>;

const countWords = ({ counts, applied }: Read): string =>
  `${[
    counts.add > 0 && `${counts.add} added`,
    counts.edit > 0 && `${counts.edit} edited`,
    counts.same > 0 && `${counts.same} as they were`,
  ]
    .filter(Boolean)
    .join(', ')}: ${applied ? 'saved' : counts.add + counts.edit > 0 ? 'not saved yet' : 'nothing to do'}`;

function showSheets(seen: Read): void {
  if (seen.faults.length > 0) {
    err(`${seen.faults.length} fault${seen.faults.length === 1 ? '' : 's'}, ${refusedWord()}: nothing saved`);
    for (const one of seen.faults) err(faultText(one));
    return;
  }
  for (const { action, key, changes } of seen.models) {
    const text = changes
      .map((c) =>
        action === 'add'
          ? `${c.field} ${fieldText('model', c.field, c.after)}`
          : `${c.field} ${fieldText('model', c.field, c.before)} → ${fieldText('model', c.field, c.after)}`,
      )
      .join(', ');
    out(`${action}  ${key}  ${text.length > 110 ? `${text.slice(0, 109)}…` : text}`);
  }
  if (seen.vendors.length > 0) out(`with the vendor${seen.vendors.length === 1 ? '' : 's'} ${seen.vendors.join(', ')}`);
  out(countWords(seen));
  if (seen.differing > 0)
    err(
      `${seen.differing} device${seen.differing === 1 ? '' : 's'} would differ from a changed model; zpine model differing MODEL`,
    );
}

/** `lf-24.yaml:9:13  ports.2.kind  "1000baset"  …` */
const faultText = (f: SheetFault): string =>
  `  ${[
    `${f.file}:${f.line}:${f.column}`,
    f.at,
    f.value === null ? '' : JSON.stringify(f.value),
    `${f.detail}${f.remedy ? `; ${f.remedy}` : ''}`,
  ]
    .filter(Boolean)
    .join('  ')}`;
