/** Saved views, removed records, and completion for the shell. */
import type { Command } from 'commander';
import { cellText } from '@zpine/contract/csv';
import type { Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { isKind, kindOf } from '@zpine/contract/kinds';
import { clientOf, outputOf } from './context.ts';
import { ago, err, out, table } from './print.ts';
import { UsageError } from './refusals.ts';

export function addFinding(program: Command): void {
  addViews(program);
  addRemoved(program);
}

/** The query of a saved view. */
export async function viewNamed(kind: string, name: string): Promise<Record<string, string>> {
  const { items } = await clientOf().call('view.list', { query: { kind } });
  const found = items.find((view) => view.name === name);
  if (found) return found.query;
  const known = items.map((view) => view.name).join(', ');
  throw new UsageError(`there is no view "${name}" of ${kind}${known ? `; there are ${known}` : ''}`);
}

function addViews(program: Command): void {
  const noun = program.command('view').description('What lists are narrowed and sorted by, under a name.');
  noun
    .command('list')
    .description('your views, and those that others share')
    .argument('[kind]')
    .action(async (kind: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('view.list', { query: kind === undefined ? {} : { kind } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err("no views; zpine view save device spare --where 'label=spare'");
      out(
        table(
          ['kind', 'view', 'of', '', 'what'],
          items.map((view) => [
            view.kind,
            view.name,
            view.owner,
            view.shared ? 'shared' : 'private',
            Object.entries(view.query)
              .map(([name, text]) => `${name}: ${text}`)
              .join('  '),
          ]),
        ),
      );
    });
  noun
    .command('save')
    .description('save a view; zpine KIND list --view NAME shows it')
    .argument('<kind>')
    .argument('<name>')
    .option('--where <tests>', 'what it lets through')
    .option('--sort <field>')
    .option('--shared', 'others see it as well')
    .action(async (kind: string, name: string, options: { where?: string; sort?: string; shared?: boolean }) => {
      const { where, sort, shared = false } = options;
      const query = { ...(where === undefined ? {} : { where }), ...(sort === undefined ? {} : { sort }) };
      if (where !== undefined) await clientOf().list(kind as 'device', { where, limit: 1 });
      const view = await clientOf().call('view.save', { body: { kind, name, shared, query } });
      out(`zpine ${view.kind} list --view ${view.name}`);
    });
  noun
    .command('remove')
    .description('remove a view of yours')
    .argument('<kind>')
    .argument('<name>')
    .action(async (kind: string, name: string) => {
      const { items } = await clientOf().call('view.list', { query: { kind } });
      const view = items.find((one) => one.name === name);
      if (!view) throw new UsageError(`there is no view "${name}" of ${kind}`);
      await clientOf().call('view.remove', { params: { id: String(view.id) } });
      out(`removed the view ${view.name} of ${view.kind}`);
    });
}

function addRemoved(program: Command): void {
  program
    .command('removed')
    .description('records that were removed, the latest first')
    .argument('[kind]', 'only of this kind')
    .argument('[text]', 'only keys that hold this')
    .option('--limit <n>', 'maximum number of rows', '30')
    .action(
      async (kind: string | undefined, text: string | undefined, options: { limit: string }, command: Command) => {
        const { items } = await clientOf().call('removed.list', { query: { kind, q: text, limit: options.limit } });
        if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
        if (items.length === 0) return err('nothing like that was removed');
        out(
          table(
            ['kind', 'key', 'removed', 'by', 'why', 'it was'],
            items.map((r) => [r.kind, r.key, `${ago(r.at)} ago`, r.actor, r.reason ?? '', wasText(r.kind, r.fields)]),
          ),
        );
      },
    );
  program
    .command('restore')
    .description('bring a removed record back, with its parts')
    .argument('<kind>')
    .argument('<key>', 'its key, or #ID')
    .option('--reason <text>', 'why, for the history')
    .action(async (kind: string, ref: string, { reason }: { reason?: string }, command: Command) => {
      const { items } = await clientOf().call('removed.restore', { params: { kind, ref }, reason });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      out(
        table(
          ['back again', ''],
          items.slice(0, 30).map((i) => [i.kind, i.key]),
        ),
      );
      if (items.length > 30) out(`and ${items.length - 30} more`);
    });
}

function wasText(kind: string, fields: Record<string, unknown>): string {
  if (!isKind(kind)) return '';
  const k = kindOf(kind);
  const text = fieldsOf(k)
    .filter(([name, field]) => !k.key.parts.includes(name) && field.type !== 'note' && field.type !== 'source')
    .map(([name]) => [name, cellText(k, name, fields as Record<string, Value>)])
    .filter(([, cell]) => cell !== '')
    .map(([name, cell]) => `${name} ${cell}`)
    .join(', ');
  return text.length > 70 ? `${text.slice(0, 69)}…` : text;
}
