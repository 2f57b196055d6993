/** What another DHCP server is fed with: all of it, or what is another than in the file of last time. */
import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import { z } from 'zod';
import { changedRows, type Deed } from '@zpine/core/lists/changedRows';
import { dhcpDataParts, dhcpOptionSchema, dhcpPoolSchema, reservationSchema } from '@zpine/contract/dhcpDataRoutes';
import { clientOf, outputOf } from './context.ts';
import { err, out, table } from './print.ts';
import { UsageError } from './refusals.ts';

type Part = (typeof dhcpDataParts)[number];
type Cell = string | number | null;
type Row = Record<string, Cell>;

/** What makes a row the same one as another, and how a file of them is read. */
const parts: Record<Part, { schema: z.ZodType<Row>; keys: readonly string[] }> = {
  reservations: { schema: reservationSchema, keys: ['device', 'address', 'vrf'] },
  pools: { schema: dhcpPoolSchema, keys: ['prefix', 'vrf', 'pool', 'first'] },
  options: { schema: dhcpOptionSchema, keys: ['scope', 'of', 'code'] },
};

export function addDhcpData(dhcp: Command): void {
  dhcp
    .command('data')
    .description(
      'what another DHCP server needs to serve our devices: fixed addresses, pools, options with their bytes',
    )
    .argument('<part>', dhcpDataParts.join(', '))
    .option('--where <selection>', 'of these devices; pools and options of the prefixes that they boot in')
    .option('--against <file>', 'only what is another than in this file, which --json wrote')
    .addHelpText(
      'after',
      '\nExamples:\n  zpine dhcp data reservations --where site=ard --csv\n  zpine dhcp data options --json > options.json\n  zpine dhcp data options --against options.json --csv',
    )
    .action(data);
}

async function data(word: string, options: { where?: string; against?: string }, command: Command): Promise<void> {
  const part = dhcpDataParts.find((one) => one === word);
  if (part === undefined) throw new UsageError(`"${word}" is not known: write one of ${dhcpDataParts.join(', ')}`);
  const { keys } = parts[part];
  const earlier = options.against === undefined ? undefined : readRows(part, options.against);
  const { where } = options;
  const reply = await clientOf().call('dhcp.data', { query: { part, ...(where === undefined ? {} : { where }) } });
  const rows: Row[] = reply[part];
  const key = (row: Row) => keys.map((name) => String(row[name])).join(' ');
  const shown = earlier ? changedRows(earlier, rows, key) : rows.map((row) => ({ deed: undefined, row }));
  if (outputOf(command).json) return out(JSON.stringify(earlier ? shown : rows, null, 2));
  if (shown.length === 0) return err(earlier ? `nothing of the ${part} has changed` : `there are no ${part}`);
  const heads = Object.keys(shown[0]?.row ?? {});
  const cells = ({ deed, row }: { deed: Deed | undefined; row: Row }) => [
    ...(deed ? [deed] : []),
    ...heads.map((name) => String(row[name] ?? '')),
  ];
  out(table([...(earlier ? ['is'] : []), ...heads], shown.map(cells)));
}

function readRows(part: Part, file: string): Row[] {
  let read: unknown;
  try {
    read = JSON.parse(readFileSync(file, 'utf8'));
  } catch (error) {
    throw new UsageError(`${file} cannot be read: ${error instanceof Error ? error.message : String(error)}`);
  }
  const rows = z.array(parts[part].schema).safeParse(read);
  if (rows.success) return rows.data;
  const [issue] = rows.error.issues;
  throw new UsageError(
    `${file} is not what "zpine dhcp data ${part} --json" writes: ${issue?.path.join('.') ?? ''} ${issue?.message ?? ''}`,
  );
}
