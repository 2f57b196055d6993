import type { Command } from 'commander';
import type { ShownEdition } from '@zpine/contract/onboardingShapes';
import type { ReplyOf } from '@zpine/contract/routes';
import { clientOf, outputOf, previewing } from './context.ts';
import { diffLines } from './impact.ts';
import { forEach, withSelection, type Selection } from './each.ts';
import { ago, err, out, pairs, table, raw } from './print.ts';
import { UsageError } from './refusals.ts';

export function addEditions(program: Command): void {
  const noun = program
    .command('edition')
    .description('A configuration made for one device: numbered, immutable, published or not.');

  withSelection(noun.command('make').description('make the next edition of a device').argument('[device]'))
    .option('--reason <text>', 'why')
    .action((device: string | undefined, { reason, ...chosen }: { reason?: string } & Selection, command: Command) =>
      forEach(device, chosen, (ref) => make(ref, reason, command)),
    );

  const make = async (ref: string, reason: string | undefined, command: Command): Promise<void> => {
    const apply = previewing.hear === null;
    const edition = await clientOf().call('edition.make', { params: { ref }, body: { apply }, reason });
    if (outputOf(command).json) return out(JSON.stringify(edition, null, 2));
    if (!apply) return out(wouldBe(edition));
    const lines = edition.files.reduce((sum, file) => sum + file.text.split('\n').length - 1, 0);
    out(
      `edition ${edition.number} of ${edition.device}: ${lines} lines from ${edition.template} (${edition.digest.slice(0, 4)}…)`,
    );
    for (const { detail } of edition.wayBack) out(`  the way back in: ${detail}`);
    if (!edition.publishedAt) out(`  zpine edition publish ${edition.device} --open 72`);
  };

  noun
    .command('list')
    .description('the editions of a device, the newest first')
    .argument('<device>')
    .action(async (ref: string, _options: object, command: Command) => {
      const { items } = await clientOf().call('edition.list', { params: { ref } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err(`${ref} has no edition; zpine edition make ${ref}`);
      out(
        table(
          ['edition', 'made', 'by', 'published', 'digest', ''],
          items.map((e) => [
            String(e.number),
            `${ago(e.madeAt)} ago`,
            e.madeBy,
            e.publishedAt ? `${ago(e.publishedAt)} ago by ${e.publishedBy ?? ''}` : '',
            `${e.digest.slice(0, 8)}…`,
            [
              e.current ? 'given now' : '',
              e.stale && (e.current || e === items[0]) ? 'stale' : '',
              e.insisted ? 'insisted on' : '',
            ]
              .filter(Boolean)
              .join(', '),
          ]),
          new Set([0]),
        ),
      );
    });

  noun
    .command('show')
    .description('one edition, secrets masked')
    .argument('<device>')
    .argument('[number]', 'the newest if not given')
    .option('--trace', 'with the template line that every line comes from')
    .action(async (ref: string, number: string | undefined, { trace }: { trace?: boolean }, command: Command) => {
      const edition = await show(ref, number, trace ?? false);
      if (outputOf(command).json) return out(JSON.stringify(edition, null, 2));
      for (const file of edition.files) {
        if (file.name) out(`--- ${file.name}`);
        if (trace) out(traced(file));
        else raw(file.text);
      }
    });

  withSelection(
    noun
      .command('publish')
      .description('publish an edition: the device may be given it')
      .argument('[device]')
      .argument('[number]', 'the newest if not given'),
  )
    .option('--open <hours>', 'also open the arrival window, for this long')
    .option('--insist', 'although the way back in is not sure; needs --reason')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExample:\n  zpine edition publish ard-acc-1 --open 72')
    .action(
      (
        device: string | undefined,
        number: string | undefined,
        options: { open?: string; insist?: boolean; reason?: string } & Selection,
        command: Command,
      ) => forEach(device, options, (ref) => publish(ref, number, options, command)),
    );

  const publish = async (
    ref: string,
    number: string | undefined,
    options: { open?: string; insist?: boolean; reason?: string },
    command: Command,
  ): Promise<void> => {
    const hours = options.open === undefined ? undefined : Number(options.open);
    if (hours !== undefined && !(hours > 0)) throw new UsageError('--open takes a number of hours');
    const wanted = number ?? String((await show(ref, undefined, false)).number);
    const edition = await clientOf().call('edition.publish', {
      params: { ref, number: wanted },
      body: { insist: options.insist ?? false, ...(hours === undefined ? {} : { openHours: hours }) },
      reason: options.reason,
    });
    if (outputOf(command).json) return out(JSON.stringify(edition, null, 2));
    out(`edition ${edition.number} of ${edition.device} is published${edition.insisted ? ', insisted on' : ''}`);
    if (hours === undefined) out(`  zpine arrival open ${edition.device}   lets it fetch its file`);
    else out(`  its arrival window is open for ${hours} h: zpine arrival watch ${edition.device}`);
  };
}

/** What making one would come to, beside the newest. */
function wouldBe(edition: ReplyOf<'edition.make'>): string {
  const { device, number, fresh, changes } = edition;
  if (!fresh) return `${device}: the same as edition ${number}; nothing would be made`;
  const lines = [`${device}: edition ${number} would be made from ${edition.template}`];
  for (const { detail } of edition.wayBack) lines.push(`  the way back in: ${detail}`);
  for (const diff of changes ?? [])
    lines.push(`  ${[diff.file, diff.part || 'outside of parts'].filter(Boolean).join(' ')}`, ...diffLines(diff));
  return lines.join('\n');
}

async function show(ref: string, number: string | undefined, trace: boolean): Promise<ShownEdition> {
  const client = clientOf();
  let wanted = number;
  if (wanted === undefined) {
    const { items } = await client.call('edition.list', { params: { ref } });
    if (!items[0]) throw new UsageError(`${ref} has no edition; zpine edition make ${ref}`);
    wanted = String(items[0].number);
  }
  return client.call('edition.show', { params: { ref, number: wanted }, query: trace ? { trace: 'true' } : {} });
}

/** Every line with the template line, the loops and the settings that it comes from. */
function traced(file: ShownEdition['files'][number]): string {
  const lines = file.text.replace(/\n$/, '').split('\n');
  const from = lines.map((_, i) => {
    const t = file.trace?.[i];
    if (!t) return '';
    const settings = t.settings.map(
      (s) => `${s.name} (${s.origin ? [s.origin.kind, s.origin.key].filter(Boolean).join(' ') : 'default'})`,
    );
    const loops = t.loops.map((l) => `${l.name} ${l.value}`);
    return [`${t.template}:${t.line}`, ...loops, ...settings].join('  ');
  });
  return pairs(lines.map((line, i): [string, string] => [line, from[i] ?? '']));
}
