/** Cables: where they lead, the list for people with the plugs in their hands, and many at once. */
import type { Command } from 'commander';
import type { CableEnd } from '@zpine/contract/hardwareRoutes';
import type { Value } from '@zpine/contract/fields';
import type { ReplyOf } from '@zpine/contract/routes';
import { cableColours, cableKindNames } from '@zpine/core/rack/ports';
import { series } from './bulk.ts';
import { clientOf, outputOf } from './context.ts';
import { err, out, table } from './print.ts';
import { wanted } from './prompt.ts';
import { UsageError } from './refusals.ts';

type Trace = ReplyOf<'port.trace'>;
type Plug = ReplyOf<'cable.plugs'>['items'][number];

export function addCableVerbs(noun: Command): void {
  noun
    .command('trace')
    .description('follow the cable in a port, through panels, to where it ends')
    .argument('<port>', 'such as ard-acc-1:1/1')
    .addHelpText('after', '\nExample:\n  zpine cable trace ard-acc-1:1/1')
    .action(async (ref: string, _options: object, command: Command) => {
      const seen = await clientOf().call('port.trace', { params: { ref } });
      out(outputOf(command).json ? JSON.stringify(seen, null, 2) : traceText(seen));
    });
  noun
    .command('plugs')
    .description('every plug of a rack, a device or a site, from the top down, and where its cable leads')
    .option('--rack <rack>')
    .option('--device <device>')
    .option('--site <site>')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine cable plugs --rack ard/closet/w1\n  zpine cable plugs --device ard-acc-1 --csv',
    )
    .action(async (query: { rack?: string; device?: string; site?: string }, command: Command) => {
      if (Object.keys(query).length !== 1) throw new UsageError('of what? --rack, --device or --site');
      const { items } = await clientOf().call('cable.plugs', { query });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      const rows = items.map(plugCells);
      if (items.length === 0) return err('no cable is plugged in here; zpine cable add PORT --to PORT');
      out(table(heads, rows));
      out(`${items.length} plug${items.length === 1 ? '' : 's'}`);
    });
  addPairs(noun);
}

function addPairs(noun: Command): void {
  noun
    .command('pairs')
    .description('many cables at once: the first port of one row to the first of the other, and so on')
    .argument('<from>', "a row of ports: 'ard-acc-1:1/{1..24}'")
    .argument('<to>', "as many: 'ard-pp-1:{1..24}'")
    .option('--kind <kind>', `one of ${cableKindNames.join(', ')}`)
    .option('--colour <colour>', `one of ${Object.keys(cableColours).join(', ')}`)
    .option('--lengthCm <n>', 'of each, in cm')
    .option('--marking <row>', "printed on them: 'ARD-{001..024}'")
    .option('--yes', 'do not ask')
    .option('--reason <text>', 'why, for the history')
    .addHelpText(
      'after',
      "\nExample:\n  zpine cable pairs 'ard-acc-1:1/{1..24}' 'ard-pp-1:{1..24}' --kind cat6 --colour yellow\n\nA table of pairs, with the heads from,to,kind,colour,lengthCm,marking: zpine import cable FILE",
    )
    .action(async (from: string, to: string, options: Record<string, string> & { yes?: boolean }, command: Command) => {
      const [ones, others] = [series(from), series(to)];
      if (ones.length !== others.length)
        throw new UsageError(`${from} has ${ones.length} ports, and ${to} has ${others.length}`);
      const markings = options.marking === undefined ? [] : series(options.marking);
      if (markings.length > 0 && markings.length !== ones.length)
        throw new UsageError(`--marking has ${markings.length} texts for ${ones.length} cables`);
      const { kind, colour, lengthCm, reason } = options;
      const cables = ones.map((one, i): Record<string, Value> => ({
        from: one,
        to: others[i] ?? '',
        ...(kind === undefined ? {} : { kind }),
        ...(colour === undefined ? {} : { colour }),
        ...(lengthCm === undefined ? {} : { lengthCm: Number(lengthCm) }),
        ...(markings[i] === undefined ? {} : { marking: markings[i] }),
      }));
      const { json } = outputOf(command);
      const rows = ones.map((one, i) => `${one}  ${others[i] ?? ''}`);
      if (!(await wanted(`add ${ones.length} cables?`, rows, { yes: options.yes, json }))) return;
      const made = await clientOf().addAll('cable', cables, { reason });
      if (json) return out(JSON.stringify(made, null, 2));
      out(
        `added ${made.length} cable${made.length === 1 ? '' : 's'}: ${ones[0]} to ${others[0]} … ${ones.at(-1)} to ${others.at(-1)}`,
      );
    });
}

/** 100 cm as people say it. */
const metres = (cm: number | null): string => (cm === null ? '' : `${cm / 100} m`);

const endText = (end: CableEnd): string => [end.words, end.place && `(${end.place})`].filter(Boolean).join(' ');

const endings: Record<Trace['ends'], string> = {
  port: 'ends there',
  words: 'ends there; it is not ours',
  open: 'ends in a panel that nothing goes on from',
  circle: 'comes back to where it was: two panels are joined in a circle',
  none: 'no cable is plugged in here',
};

function traceText({ from, hops, ends, lengthCm }: Trace): string {
  const rows = hops.map((hop): string[] => [
    '↓',
    [hop.kind, hop.colour, metres(hop.lengthCm), hop.marking].filter(Boolean).join(' '),
    endText(hop.to),
  ]);
  const total = lengthCm === null || hops.length < 2 ? '' : `, ${metres(lengthCm)} in all`;
  const lines = [endText(from), ...rows.map(([arrow, cable, to]) => `${arrow} ${cable || 'cable'}\n${to}`)];
  return `${lines.join('\n')}\n${endings[ends]}${total}`;
}

const heads = ['U', 'plug', 'to', 'at', 'ends at', 'kind', 'colour', 'length', 'printed'];

/** In the same rack the U is enough. */
function placeBeside(here: string | null, there: string | null): string {
  if (there === null) return '';
  const rack = (place: string | null) => place?.replace(/ U \d+$/, '');
  return rack(here) === rack(there) ? (/U \d+$/.exec(there)?.[0] ?? 'same rack') : there;
}

function plugCells({ from, to, far, ends, kind, colour, lengthCm, marking }: Plug): string[] {
  const [, u = ''] = / U (\d+)$/.exec(from.place ?? '') ?? [];
  const beyond = ends === 'open' ? 'nothing plugged behind' : ends === 'circle' ? 'a circle of panels' : '';
  return [
    u,
    from.words,
    to.words,
    placeBeside(from.place, to.place),
    far === null ? beyond : endText(far) + (beyond ? `, ${beyond}` : ''),
    kind ?? '',
    colour ?? '',
    metres(lengthCm),
    marking ?? '',
  ];
}
