/** Captured configurations: taken, listed, shown, compared, searched. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Command } from 'commander';
import { compilePattern, type Pattern } from '@zpine/core/text/pattern';
import { clientOf, outputOf } from './context.ts';
import { ago, err, moment, out, table, raw } from './print.ts';
import { UsageError } from './refusals.ts';
import { confirmed } from './changing.ts';
import { asData, follow, idOf, judge, outcomeTable, selectionOf, summary, withDevices, type Selected } from './runs.ts';

async function devicesOf(where: string): Promise<string[]> {
  const out: string[] = [];
  for await (const device of clientOf().all('device', { where })) out.push(device.key);
  return out;
}

/** `har-acc-7.running`: files that a comparison of folders, or a repository, can make something of. */
async function saveInto(folder: string, devices: readonly string[]): Promise<void> {
  mkdirSync(folder, { recursive: true });
  let [files, without] = [0, 0];
  for (const device of devices) {
    const { items } = await clientOf().call('capture.list', { query: { device, current: 'true' } });
    if (items.length === 0) without += 1;
    for (const { id, file } of items) {
      const { text, binary } = await clientOf().call('capture.show', { params: { id: String(id) } });
      writeFileSync(join(folder, `${device}.${file}`), binary ? Buffer.from(text, 'base64') : text);
      files += 1;
    }
  }
  err(
    `${files} file${files === 1 ? '' : 's'} of ${devices.length} device${devices.length === 1 ? '' : 's'} in ${folder}${without > 0 ? `; ${without} never captured` : ''}`,
  );
}

interface RestoreOptions {
  whole?: boolean;
  keep: boolean;
  insist?: boolean;
  go?: string;
  reason?: string;
}

const size = (bytes: number): string => (bytes < 10_000 ? `${bytes} B` : `${(bytes / 1024).toFixed(0)} KiB`);

/** With their numbers; status 1 where there is none. */
function tellLines(text: string, source: string): void {
  let pattern: Pattern;
  try {
    pattern = compilePattern(source);
  } catch (error) {
    throw new UsageError(`"${source}" is no pattern: ${error instanceof Error ? error.message : ''}`);
  }
  const found = text
    .split('\n')
    .flatMap((line, i) => (pattern.test(line) ? [`${String(i + 1).padStart(5)}  ${line}`] : []));
  for (const line of found) out(line);
  if (found.length === 0) {
    err(`no line fits ${source}`);
    process.exitCode = 1;
  }
}

export function addCaptures(program: Command): void {
  const noun = program
    .command('capture')
    .description('The configurations that devices have, kept whenever they changed.');
  withDevices(noun.command('now').description('capture devices now').argument('[device...]'))
    .option('--into <folder>', 'write what they have into files there, secrets masked')
    .addHelpText(
      'after',
      "\nExample:\n  zpine capture now --where 'site=har'\nBy plan: zpine setting set capture.hours 24 --on site:har",
    )
    .action(async (devices: string[], options: Selected & { into?: string }, command: Command) => {
      const run = await follow(
        await clientOf().call('run.capture', { body: selectionOf(devices, options), reason: options.reason }),
      );
      if (options.into !== undefined)
        await saveInto(
          options.into,
          run.rows.map((row) => row.device),
        );
      if (asData(run, command)) return;
      out(outcomeTable(run));
      out('');
      out(summary(run));
      judge(run);
    });

  noun
    .command('save')
    .description('write the last captures into a folder, a file each, secrets masked; no device is asked')
    .argument('<folder>')
    .argument('[device...]')
    .option('--where <tests>', 'all devices of a selection')
    .addHelpText('after', "\nExample:\n  zpine capture save captures --where 'site=har'")
    .action(async (folder: string, devices: string[], options: Selected) => {
      const { where } = selectionOf(devices, options);
      await saveInto(folder, where === undefined ? devices : await devicesOf(where));
    });

  noun
    .command('restore')
    .description('put back what was captured: previewed, confirmed by number, verified, kept; files beside, too')
    .argument('<capture...>', 'numbers of captures, such as 12')
    .option('--whole', 'as a whole, with a restart, instead of what differs; where the dialect knows how')
    .option('--no-keep', 'do not have the devices store what then runs')
    .option('--insist', 'although the service would lose its way in; needs --reason')
    .option('--go <number>', 'confirm without being asked: the number of devices that are to be changed')
    .option('--reason <text>', 'why, kept with the run')
    .addHelpText('after', '\nExample:\n  zpine capture list har-acc-7\n  zpine capture restore 12')
    .action(async (refs: string[], options: RestoreOptions, command: Command) => {
      const body = {
        captures: refs.map((ref) => Number(idOf(ref))),
        keep: options.keep,
        whole: options.whole === true,
        insist: options.insist === true,
      };
      const run = await follow(await clientOf().call('run.restore', { body, reason: options.reason }));
      await confirmed(run, options.go, command);
    });

  noun
    .command('list')
    .description('captured files, the newest first')
    .argument('[device]')
    .option('--file <name>', 'only this file: running, stored, or what the dialect names')
    .option('--current', 'only the newest of each')
    .option('--limit <n>', 'maximum number of rows', '50')
    .action(
      async (
        device: string | undefined,
        options: { file?: string; current?: boolean; limit: string },
        command: Command,
      ) => {
        const { items } = await clientOf().call('capture.list', {
          query: {
            ...(device === undefined ? {} : { device }),
            ...(options.file === undefined ? {} : { file: options.file }),
            ...(options.current ? { current: 'true' as const } : {}),
            limit: options.limit,
          },
        });
        if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
        if (items.length === 0) return err('nothing was captured yet; zpine capture now DEVICE');
        out(
          table(
            ['capture', 'device', 'file', 'size', 'fingerprint', 'first seen', 'last seen', ''],
            items.map((one) => [
              `#${one.id}`,
              one.device,
              one.file,
              one.gone ? 'gone' : size(one.bytes),
              one.fingerprint.slice(0, 12),
              `${ago(one.firstAt)} ago`,
              `${ago(one.lastAt)} ago`,
              one.current ? 'current' : '',
            ]),
            new Set([3]),
          ),
        );
      },
    );

  noun
    .command('show')
    .description('one captured file, secrets masked')
    .argument('<capture>', '#12, or DEVICE for what it runs')
    .option('--file <name>', 'of a device: another file than running', 'running')
    .option('--lines <pattern>', 'only lines in which this pattern is found, with their numbers')
    .option('--reveal', 'secrets included; this is recorded')
    .option('--reason <text>', 'why they are wanted')
    .action(
      async (
        ref: string,
        options: { file: string; lines?: string; reveal?: boolean; reason?: string },
        command: Command,
      ) => {
        const id = await idFor(ref, options.file);
        const shown = await clientOf().call('capture.show', { params: { id } });
        if (outputOf(command).json) return out(JSON.stringify(shown, null, 2));
        const text = options.reveal
          ? (await clientOf().call('capture.reveal', { params: { id }, body: {}, reason: options.reason })).text
          : shown.text;
        if (options.lines !== undefined && !shown.binary) return tellLines(text, options.lines);
        if (shown.binary) process.stdout.write(Buffer.from(text, 'base64'));
        else raw(text);
      },
    );

  noun
    .command('diff')
    .description('what changed since the version before, or between two captures')
    .argument('<capture>', '#12, or DEVICE for what it runs')
    .argument('[to]')
    .option('--file <name>', 'of a device: another file than running', 'running')
    .action(async (ref: string, to: string | undefined, options: { file: string }, command: Command) => {
      const from = await idFor(ref, options.file);
      const other = to === undefined ? undefined : await idFor(to, options.file);
      const diff = await clientOf().call('capture.diff', {
        query: { from: from, ...(other === undefined ? {} : { to: other }) },
      });
      if (outputOf(command).json) return out(JSON.stringify(diff, null, 2));
      const name = (one: { device: string; file: string; firstAt: string } | null) =>
        one ? `${one.file} of ${one.device}, ${moment(one.firstAt)}` : 'nothing before';
      out(`- ${name(diff.from)}\n+ ${name(diff.to)}`);
      for (const { sign, text } of diff.lines) out(`${sign} ${text}`);
      if (diff.lines.length === 0) out('no line differs');
    });

  noun
    .command('search')
    .description('lines of all current captures that have a text')
    .argument('<text>')
    .option('--missing', 'instead: the captures that have no such line')
    .option('--limit <n>', 'maximum number of rows', '200')
    .action(async (text: string, options: { missing?: boolean; limit: string }, command: Command) => {
      const found = await clientOf().call('capture.search', {
        query: {
          q: text,
          limit: options.limit,
          ...(options.missing ? { missing: 'true' as const } : {}),
        },
      });
      if (outputOf(command).json) return out(JSON.stringify(found, null, 2));
      if (found.items.length > 0)
        out(
          options.missing
            ? table(
                ['device', 'file', 'capture'],
                found.items.map((one) => [one.device, one.file, `#${one.id}`]),
              )
            : table(
                ['device', 'file', 'line', 'text'],
                found.items.map((one) => [one.device, one.file, String(one.line), one.text]),
                new Set([2]),
              ),
        );
      out(`${found.items.length}${found.more ? ' and more' : ''} in ${found.searched} captures`);
    });
}

async function idFor(ref: string, file: string): Promise<string> {
  if (/^#?[0-9]+$/.test(ref)) return ref.replace(/^#/, '');
  const { items } = await clientOf().call('capture.list', {
    query: { device: ref, file, current: 'true', limit: '1' },
  });
  if (!items[0]) throw new UsageError(`${file} of ${ref} was never captured; zpine capture now ${ref}`);
  return String(items[0].id);
}
