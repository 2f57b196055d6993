/** Site plans, and everything that is looked at first and then done to prefixes. */
import type { Command } from 'commander';
import { readRecipe } from '@zpine/core/addressing/recipe';
import { stepWords } from '@zpine/core/addressing/recipeWords';
import type { PlanRow } from '@zpine/contract/planShapes';
import { clientOf, outputOf } from './context.ts';
import { out, pairs, table, type Table } from './print.ts';
import { confirmed, looked } from './prompt.ts';

interface ApplyOptions {
  site: string;
  yes?: boolean;
  reason?: string;
}

export function addPlanVerbs(noun: Command): void {
  noun.commands
    .find((c) => c.name() === 'show')
    ?.action(async (key: string, _options: object, command: Command) => {
      const plan = await clientOf().show('siteplan', key);
      if (outputOf(command).json) return out(JSON.stringify(plan, null, 2));
      out(pairs([[`siteplan`, [plan.name, plan.title].filter(Boolean).join('  ')]]));
      const rows = readRecipe(plan.steps).steps.flatMap((step, i) => {
        const { title, lines } = stepWords(step);
        return (lines.length > 0 ? lines : ['']).map((line, j) =>
          j === 0 ? [String(i + 1), title, line] : ['', '', line],
        );
      });
      out(table(['', 'step', ''], rows, new Set([0])));
      out(`zpine siteplan apply ${plan.key} --site SITE`);
    });
  noun
    .command('apply')
    .description('give a site its blocks, VLANs, prefixes, loopbacks and links: shows which, then asks')
    .argument('<plan>')
    .requiredOption('--site <site>')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nWhat the site has already stays as it is, so the same plan can be applied again.\nPlans are written as YAML: zpine import siteplan FILE\n\nExample:\n  zpine siteplan apply landing --site ske',
    )
    .action(apply);
}

async function apply(ref: string, { site, yes, reason }: ApplyOptions, command: Command): Promise<void> {
  const send = (go: boolean) =>
    clientOf().call('siteplan.apply', { params: { ref }, body: { site, apply: go }, reason });
  const seen = await send(yes === true);
  if (outputOf(command).json) return looked(seen);
  out(planText(seen.rows));
  if (seen.new === 0) return out(`${seen.site} has all of it`);
  if (seen.applied) return out(`${seen.new} added at ${seen.site}`);
  if (!(await confirmed(`add these ${seen.new}?`, seen.new))) return;
  out(`${(await send(true)).new} added at ${seen.site}`);
}

export const planText = (rows: readonly PlanRow[]): Table =>
  table(
    ['step', '', '', '', ''],
    rows.map(({ step, kind, what, detail, there }) => [
      String(step),
      there ? '=' : '+',
      kind,
      what,
      there ? 'there' : detail,
    ]),
    new Set([0]),
  );
