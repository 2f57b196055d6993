import type { Command } from 'commander';
import { faultText } from '@zpine/core/template/faults';
import { clientOf, outputOf } from './context.ts';
import { readText } from './files.ts';
import { out, table, raw } from './print.ts';
import { status } from './refusals.ts';
import { valueText } from './settings.ts';

export function addTemplateVerbs(noun: Command): void {
  noun
    .command('check')
    .description('all faults of a template and of its fragments')
    .argument('<template>')
    .action(async (ref: string, _options: object, command: Command) => {
      const { faults } = await clientOf().call('template.check', { params: { ref } });
      if (faults.length > 0) process.exitCode = status.refused;
      if (outputOf(command).json) return out(JSON.stringify(faults, null, 2));
      if (faults.length === 0) return out(`${ref}: no faults`);
      for (const { hint, ...fault } of faults) out(faultText({ ...fault, ...(hint === null ? {} : { hint }) }));
      out(`${faults.length} fault${faults.length === 1 ? '' : 's'}`);
    });

  noun
    .command('names')
    .description('every name that a template sees for a device, with type and value')
    .argument('<device>')
    .argument('[begin]', 'only names that begin so')
    .action(async (ref: string, begin: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('device.names', { params: { ref } });
      const wanted = items.filter((i) => begin === undefined || i.name.startsWith(begin));
      if (outputOf(command).json) return out(JSON.stringify(wanted, null, 2));
      out(
        table(
          ['name', 'type', 'value', 'meaning'],
          wanted.map((i) => [i.name, i.type, short(valueText(i.value)), i.about]),
        ),
      );
    });

  noun
    .command('text')
    .description('the text of a template, as it is')
    .argument('<template>')
    .action(async (ref: string) => raw((await clientOf().show('template', ref)).source));

  noun
    .command('put')
    .description('give a template the text of a file; a new one is added')
    .argument('<template>')
    .argument('<file>', '- for standard input')
    .option('--fragment', 'a new one is a fragment')
    .option('--dialect <dialect>', 'a new one is for this dialect')
    .option('--model <model>', 'a new one is for this model')
    .option('--duty <duty>', 'a new one is for this duty')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nExample:\n  zpine template put furrow-access furrow-access.pine --dialect furrow --duty access',
    )
    .action(async (ref: string, file: string, options: Record<string, string | boolean | undefined>) => {
      const client = clientOf();
      const source = readText(file);
      const { reason, ...fields } = options;
      const why = reason as string | undefined;
      const { items } = await client.list('template', { q: ref, limit: '500' });
      const standing = items.find((t) => t.key === ref.toLowerCase());
      if (standing) await client.edit('template', `#${standing.id}`, { source, ...fields }, { reason: why });
      else await client.add('template', { name: ref, source, ...fields }, { reason: why });
      const { faults } = await client.call('template.check', { params: { ref } });
      out(
        `${standing ? 'edited' : 'added'} template ${ref}${faults.length > 0 ? `; it has ${faults.length} fault${faults.length === 1 ? '' : 's'}: zpine template check ${ref}` : ', no faults'}`,
      );
    });
}

const short = (text: string): string => (text.length > 60 ? `${text.slice(0, 59)}…` : text);
