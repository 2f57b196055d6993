/** A rack as text: front and rear beside one another, the top above. */
import type { Command } from 'commander';
import type { BodyIn, ReplyOf } from '@zpine/contract/routes';
import { fromBottom, slotsOf, type Extent, type Face, type Side } from '@zpine/core/rack/occupancy';
import { series } from './bulk.ts';
import { clientOf, outputOf } from './context.ts';
import { err, out, stageText, table, type Table } from './print.ts';
import { confirmed, looked } from './prompt.ts';

type Drawing = ReplyOf<'rack.drawing'>;
type Item = Drawing['items'][number];

export function addRackVerbs(noun: Command): void {
  noun
    .command('draw')
    .description('a rack as it stands: front and rear, U by U')
    .argument('<key>', 'its key, such as ard/closet/w1')
    .action(async (ref: string, _options: object, command: Command) => {
      const seen = await clientOf().call('rack.drawing', { params: { ref } });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      out(...drawingText(seen));
      for (const line of budgetLines(seen)) out(line);
      if (seen.strips.length > 0) out(`beside the U: ${seen.strips.join(', ')}`);
      if (seen.unplaced.length > 0) err(`without a U: ${seen.unplaced.join(', ')}`);
    });
}

export function addRackFilling(noun: Command): void {
  noun
    .command('fill')
    .description('many devices into several racks: named by their patterns, each at the next U that is free')
    .argument('<rack...>', 'racks, shared out evenly among them')
    .requiredOption('--count <n>', 'how many in all')
    .option('--model <model>')
    .option('--duty <duty>')
    .option('--owner <owner>')
    .option('--labels <labels>')
    .option('--face <face>', 'front or rear')
    .option('--from <end>', 'begin at the bottom or at the top')
    .option('--startU <u>', 'not before this number')
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      '\nExample:\n  zpine rack fill ard/closet/w1 cob/closet/w1 ske/closet/w1 --count 10 --model larkfield/lf-24 --duty access',
    )
    .action(async (racks: string[], options: Record<string, string | boolean>, command: Command) => {
      const { yes, reason, count, startU, labels, ...given } = options as Record<string, string>;
      const body = {
        racks: racks.flatMap(series),
        count: Number(count),
        ...(startU === undefined ? {} : { startU: Number(startU) }),
        ...(labels === undefined ? {} : { labels: labels.split(/[\s,]+/) }),
        ...given,
      } as BodyIn<'rack.fill'>;
      const send = (apply: boolean) => clientOf().call('rack.fill', { body: { ...body, apply }, reason });
      const seen = await send(Boolean(yes));
      if (outputOf(command).json) return looked(seen);
      out(
        table(
          ['device', 'rack', 'U'],
          seen.items.map((item) => [item.device, item.rack, String(item.positionU ?? '–')]),
          new Set([2]),
        ),
      );
      if (seen.applied) return out(`added ${seen.items.length} devices`);
      if (!(await confirmed(`add ${seen.items.length} devices?`, seen.items.length))) return;
      out(`added ${(await send(true)).items.length} devices`);
    });
}

type Budget = Drawing['power'];

/** `power 765 of 3000 W`, and a word where it is too much. */
function budgetLines({ power, weight }: Drawing): string[] {
  const line = (name: string, { used, most, unknown }: Budget, unit: string, by: number): string[] => {
    if (used === 0 && most === null) return [];
    const of = most === null ? '' : ` of ${most / by}`;
    const over = most !== null && used > most ? `, ${(used - most) / by} ${unit} too much` : '';
    const more = unknown > 0 ? `, ${unknown} of unknown ${name}` : '';
    return [`${name} ${used / by}${of} ${unit}${over}${more}`];
  };
  return [...line('power', power, 'W', 1), ...line('weight', weight, 'kg', 1000)];
}

const formWords: Record<string, string> = { blank: 'blank panel', 'cable-guide': 'cable guide', reserved: 'reserved' };

const wordsOf = (item: Item): string => {
  if (item.kind === 'filler')
    return [`[${formWords[item.form ?? ''] ?? item.form ?? ''}]`, item.words].filter(Boolean).join(' ');
  const model = item.model?.split('/').at(-1)?.toUpperCase();
  const glyph = item.stage === null ? '' : stageText(item.stage).split(' ')[0];
  return [glyph, item.words, model].filter(Boolean).join(' ');
};

function drawingText(seen: Drawing): (string | Table)[] {
  const { heightU } = seen;
  const cells = new Map<string, string>();
  for (const item of seen.items) {
    const slots = slotsOf(seen, item satisfies Extent);
    const top = Math.max(...slots.map((slot) => slot.u));
    for (const { u, face, half } of slots) {
      // Its words stand at its top, on the face that it is mounted on; the other face sees its back.
      const words = u === top ? wordsOf(item) : '│';
      cells.set(`${u} ${face} ${half}`, face === item.face ? words : u === top ? `(${item.words})` : '│');
    }
  }
  const at = (u: number, face: Face): string => {
    const [left, right] = (['left', 'right'] satisfies Side[]).map((half) => cells.get(`${u} ${face} ${half}`));
    if (left === undefined && right === undefined) return '·';
    return left === right ? (left ?? '') : `${left ?? '·'} | ${right ?? '·'}`;
  };
  const rows: string[][] = [];
  for (let u = heightU; u >= 1; u -= 1) rows.push([String(fromBottom(seen, u)), at(u, 'front'), at(u, 'rear')]);
  const stretches = seen.free.map(({ from, to }) => (from === to ? String(from) : `${from}-${to}`)).join(', ');
  const kept = seen.reservedU > 0 ? `, ${seen.reservedU} U reserved` : '';
  const used = `${heightU - seen.freeU} of ${heightU} U used${kept}`;
  return [
    table(['U', 'front', 'rear'], rows, new Set([0])),
    `${used}${stretches ? `; free on both faces: ${stretches}` : ''}`,
  ];
}
