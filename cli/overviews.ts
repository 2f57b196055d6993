import type { Command } from 'commander';
import { matters } from '@zpine/contract/matters';
import { clientOf, outputOf } from './context.ts';
import type { ReplyOf } from '@zpine/contract/routes';
import { ago, out, pairs, table, type Table } from './print.ts';

export function addOverviews(program: Command): void {
  program
    .command('today')
    .description('open tasks')
    .option('--counts', 'only how many there are, and how many devices arrive')
    .action(async ({ counts = false }: { counts?: boolean }, command: Command) => {
      if (counts) {
        const { open, arriving } = await clientOf().call('today.counts');
        if (outputOf(command).json) return out(JSON.stringify({ open, arriving }, null, 2));
        return out(
          `${open} open task${open === 1 ? '' : 's'}, ${arriving} device${arriving === 1 ? '' : 's'} arriving`,
        );
      }
      const seen = await clientOf().call('today');
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      const doubtful = seen.doubts?.count ?? 0;
      const also =
        doubtful > 0 ? `${doubtful} thing${doubtful === 1 ? '' : 's'} in the records doubtful: zpine doctor data` : '';
      if (seen.items.length === 0) return out(['no open tasks', also].filter(Boolean).join('\n'));
      out(
        table(
          ['what', 'for', 'why', ''],
          seen.items.map((i) => [matters[i.code].today.words, i.key, i.detail, i.command]),
        ),
      );
      if (also !== '') out(`\n${also}`);
    });

  program
    .command('search')
    .description('records by names, serials, MACs in any notation, addresses, labels, descriptions, notes')
    .argument('<text...>')
    .action(async (words: string[], _options: object, command: Command) => {
      const text = words.join(' ');
      const { items } = await clientOf().call('search', { query: { q: text } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return out(`nothing is found by "${text}"`);
      out(
        table(
          ['kind', 'key', 'title', 'found by', ''],
          items.map((i) => [i.kind, i.key, i.title ?? '', i.why, i.found === i.title ? '' : i.found]),
        ),
      );
    });

  program
    .command('history')
    .description('who changed what, the newest first')
    .argument('[kind]', 'only changes of this kind')
    .argument('[record]', 'only changes of this record, by key or #ID')
    .option('--actor <name>', 'only by this person')
    .option('--via <means>', 'only through this: api, console, cli, service')
    .option('--since <day>', 'from this day on, UTC: 2026-05-04, 2026-05-04T10:00')
    .option('--until <day>', 'before this day')
    .option('--text <text>', 'in the reason, or in the key of a record')
    .option('--limit <n>', 'maximum number of rows', '20')
    .action(
      async (
        kind: string | undefined,
        record: string | undefined,
        options: { actor?: string; via?: 'api'; since?: string; until?: string; text?: string; limit: string },
        command: Command,
      ) => {
        const { items } = await clientOf().call('history.list', {
          query: {
            kind,
            record,
            actor: options.actor,
            via: options.via,
            since: options.since,
            until: options.until,
            q: options.text,
            limit: options.limit,
          },
        });
        if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
        if (items.length === 0) return out('no such changes');
        if (outputOf(command).csv) return out(changeTable(items));
        for (const set of items) {
          out(
            `#${set.id}  ${ago(set.at)} ago  ${set.actor} by ${set.via}  ${set.action}${set.reason ? `  “${set.reason}”` : ''}${set.undoes === null ? '' : `  undoes #${set.undoes}`}${set.undoneBy === null ? '' : `  undone by #${set.undoneBy}`}`,
          );
          out(
            pairs(
              set.changes
                .slice(0, 5)
                .map((c) => [
                  `    ${c.before ? (c.after ? 'edited' : 'removed') : 'added'} ${c.kind} ${c.key}`,
                  differences(c.before, c.after),
                ]),
            ),
          );
          if (set.count > 5) out(`    and ${set.count - 5} more`);
        }
      },
    );
}

/** One row per change, as far as they are told. */
const changeTable = (items: ReplyOf<'history.list'>['items']): Table =>
  table(
    ['set', 'at', 'by', 'via', 'action', 'reason', 'change', 'kind', 'record', 'differences'],
    items.flatMap((set) =>
      set.changes.map((c) => [
        String(set.id),
        set.at,
        set.actor,
        set.via,
        set.action,
        set.reason ?? '',
        c.before ? (c.after ? 'edited' : 'removed') : 'added',
        c.kind,
        c.key,
        differences(c.before, c.after),
      ]),
    ),
  );

type Image = Record<string, unknown> | null;

function differences(before: Image, after: Image): string {
  if (!before || !after) return '';
  const shown = (value: unknown) =>
    value === null || value === undefined ? '(empty)' : typeof value === 'string' ? value : JSON.stringify(value);
  return Object.keys(after)
    .filter((name) => JSON.stringify(before[name]) !== JSON.stringify(after[name]))
    .map((name) => `${name} ${shown(before[name])} → ${shown(after[name])}`)
    .join(', ');
}
