/** The same landing again. */
import type { Command } from 'commander';
import { kindOf } from '@zpine/contract/kinds';
import type { ReplyOf } from '@zpine/contract/routes';
import { many } from './bulk.ts';
import { clientOf, outputOf } from './context.ts';
import { planText } from './plans.ts';
import { err, out, table } from './print.ts';
import { confirmed, looked } from './prompt.ts';
import { UsageError } from './refusals.ts';

interface Options {
  title?: string;
  area?: string;
  plan?: string;
  name: string[];
  yes?: boolean;
  reason?: string;
}

export function addSiteVerbs(noun: Command): void {
  noun
    .command('copy')
    .description('copy a site: rooms, racks, devices, interfaces, VLANs and cables under a new code')
    .argument('<site>', 'the one that is like it')
    .argument('<code>', 'of the new one')
    .option('--title <text>')
    .option('--area <area>', 'the same area if not given')
    .option('--plan <siteplan>', 'blocks, prefixes and addresses by it')
    .option(
      '--name <old=new>',
      'the new name of a device, where the code of the site is not in it; may come again',
      (value: string, before: string[]) => [...before, value],
      [] as string[],
    )
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExample:\n  zpine site copy ard bel --title Bellhaven')
    .action(async (ref: string, code: string, options: Options, command: Command) => {
      const { title, area, plan, reason } = options;
      const body = {
        code,
        ...(title === undefined ? {} : { title }),
        ...(area === undefined ? {} : { area }),
        ...(plan === undefined ? {} : { plan }),
        names: namesFrom(options.name),
      };
      const send = (apply: boolean) =>
        clientOf().call('site.copy', { params: { ref }, body: { ...body, apply }, reason });
      const seen = await send(options.yes === true);
      if (outputOf(command).json) return looked(seen);
      show(seen);
      if (seen.applied) return out(`${seen.site} is like ${ref}; zpine device list --site ${seen.site}`);
      if (!(await confirmed(`make ${seen.site}?`))) return;
      out(`${(await send(true)).site} is like ${ref}; zpine device list --site ${seen.site}`);
    });
}

function namesFrom(given: string[]): Record<string, string> {
  return Object.fromEntries(
    given.map((text) => {
      const [, old = '', name = ''] = /^([^=]+)=(.+)$/.exec(text) ?? [];
      if (old === '') throw new UsageError(`"${text}": write --name OLD=NEW`);
      return [old, name];
    }),
  );
}

const SHOWN = ['rack', 'device', 'card', 'cable'];
const MOST = 30;

function show(seen: ReplyOf<'site.copy'>): void {
  const items = seen.items.filter((item) => SHOWN.includes(item.kind));
  out(
    table(
      ['kind', 'new', 'like'],
      items.slice(0, MOST).map((item) => [item.kind, item.key, item.from]),
    ),
  );
  if (items.length > MOST) out(`and ${items.length - MOST} more`);
  if (seen.planned.length > 0) out(planText(seen.planned));
  const counts = Object.entries(seen.counts).map(([kind, n]) => many(kindOf(kind), n));
  out(`${counts.join(', ')}: ${seen.applied ? 'saved' : 'not saved yet'}`);
  const why = new Map<string, string[]>();
  for (const { kind, key, why: words } of seen.left) {
    const at = `${kind} (${words})`;
    why.set(at, [...(why.get(at) ?? []), key]);
  }
  for (const [words, keys] of why)
    err(`not copied: ${words}: ${keys.slice(0, 5).join(', ')}${keys.length > 5 ? ` and ${keys.length - 5} more` : ''}`);
}
