/** Names for addresses, as files for others. */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Command } from 'commander';
import { clientOf, outputOf } from './context.ts';
import { writeText } from './files.ts';
import { err, out, table, raw } from './print.ts';
import { UsageError } from './refusals.ts';

export function addNames(program: Command): void {
  const noun = program
    .command('names')
    .description('hosts file, zone files and files for SSH clients, made from devices and their addresses');
  noun
    .command('hosts')
    .description('addresses and names, as /etc/hosts has them')
    .option('--site <site>', 'only of this site')
    .action(async (query: { site?: string }, command: Command) => {
      const seen = await clientOf().call('names.hosts', { query });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      raw(seen.text);
    });
  noun
    .command('ssh')
    .description('a configuration for SSH clients: names, addresses, users, jump hosts, old algorithms; no secrets')
    .option('--where <tests>', 'only these devices')
    .addHelpText(
      'after',
      '\nExample:\n  zpine names ssh > ~/.ssh/brackwater   and in ~/.ssh/config: Include brackwater',
    )
    .action(async (query: { where?: string }, command: Command) => {
      const seen = await clientOf().call('names.ssh', { query });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      raw(seen.text);
    });
  noun
    .command('known-hosts')
    .description('the host keys that are pinned, as SSH clients keep them')
    .option('--where <tests>', 'only these devices')
    .action(async (query: { where?: string }, command: Command) => {
      const seen = await clientOf().call('names.knownHosts', { query });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      raw(seen.text);
      const { without } = seen;
      if (without.length > 0)
        err(
          `${without.length} pinned before keys were kept: ${without.slice(0, 5).join(', ')}${without.length > 5 ? ' …' : ''}; zpine reach keeps theirs`,
        );
    });
  noun
    .command('zones')
    .description('zone files (RFC 1035): which there are, one of them, or all into a folder')
    .argument('[zone]', 'only this one, printed')
    .option('--into <folder>', 'a file for each zone, named like it')
    .option('--site <site>', 'only what is of this site')
    .addHelpText('after', '\nExamples:\n  zpine names zones brackwater.example\n  zpine names zones --into zones')
    .action(zones);
}

async function zones(
  wanted: string | undefined,
  { into, site }: { into?: string; site?: string },
  command: Command,
): Promise<void> {
  const { items, nameless } = await clientOf().call('names.zones', { body: site === undefined ? {} : { site } });
  const chosen = wanted === undefined ? items : items.filter((item) => item.zone === wanted.replace(/\.$/, ''));
  if (outputOf(command).json) return out(JSON.stringify(chosen, null, 2));
  if (wanted !== undefined && chosen.length === 0)
    throw new UsageError(`there is no zone ${wanted}; zpine names zones lists them`);
  if (into !== undefined) {
    mkdirSync(into, { recursive: true });
    for (const { zone, text } of chosen) writeText(join(into, `${zone}.zone`), text);
    out(`${chosen.length} zone${chosen.length === 1 ? '' : 's'} in ${into}`);
  } else if (wanted !== undefined) raw(chosen.map(({ text }) => text).join(''));
  else
    out(
      table(
        ['zone', 'serial', 'records'],
        chosen.map(({ zone, serial, records }) => [zone, String(serial), String(records)]),
        new Set([1, 2]),
      ),
    );
  if (nameless.length > 0)
    err(
      `in no zone, as no setting name.domain says which: ${nameless.slice(0, 5).join(', ')}${nameless.length > 5 ? ` and ${nameless.length - 5} more` : ''}`,
    );
}
