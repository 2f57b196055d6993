import type { Command } from 'commander';
import { differenceText } from '@zpine/core/config/compare';
import { milestoneWords } from '@zpine/core/arrival/words';
import type { ShownArrival } from '@zpine/contract/onboardingShapes';
import { clientOf, outputOf } from './context.ts';
import { forEach, withSelection, type Selection } from './each.ts';
import { ago, clock, err, moment, out, pairs, stageText, table, type Table } from './print.ts';
import { status, UsageError } from './refusals.ts';
import { hoursIn } from './windows.ts';

export function addArrivals(program: Command): void {
  const noun = program.command('arrival').description('One boot of a device towards service, with its milestones.');

  noun
    .command('list')
    .description('arrivals, the newest first')
    .argument('[device]')
    .option('--open', 'only those that are under way')
    .action(async (device: string | undefined, options: { open?: boolean }, command: Command) => {
      const { items } = await clientOf().call('arrival.list', {
        query: { ...(device === undefined ? {} : { device }), ...(options.open ? { open: 'true' as const } : {}) },
      });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('no arrivals; zpine arrival open DEVICE lets a device fetch its file');
      out(
        table(
          ['arrival', 'device', 'stage', 'last milestone', 'at', 'address', 'what is wrong'],
          items.map((a, i) => [
            `#${a.id}`,
            a.device,
            // Of an earlier boot the stage says nothing: it is that of the device now.
            items.findIndex((one) => one.device === a.device) < i ? 'over' : a.stage ? stageText(a.stage) : 'gone',
            a.milestones.at(-1)?.name ?? (a.endedAt ? 'none' : 'waited for'),
            a.milestones.length > 0 ? `${ago(a.milestones.at(-1)?.at ?? '')} ago` : '',
            a.address ?? '',
            a.diagnosis?.title ?? (a.elsewhere !== null ? 'in another place' : ''),
          ]),
        ),
      );
    });

  noun
    .command('show')
    .description('one arrival: milestones with their evidence, and what is wrong')
    .argument('<device>', 'its newest arrival; or #ID')
    .action(async (ref: string, _options: object, command: Command) => {
      const arrival = await newest(ref);
      const full = await clientOf().call('arrival.show', { params: { id: String(arrival.id) } });
      if (outputOf(command).json) return out(JSON.stringify(full, null, 2));
      out(...arrivalText(full));
      if (full.comparison && !full.comparison.matches) {
        out('');
        for (const d of full.comparison.differences) out(`  ${differenceText(d)}   (${d.part})`);
      }
    });

  withSelection(
    noun.command('open').description('open the window in which a device may fetch its files').argument('[device]'),
  )
    .option('--hours <n>', 'for so long', '72')
    .option('--reason <text>', 'why')
    .action((device: string | undefined, options: { hours: string; reason?: string } & Selection) => {
      const { hours, reason } = options;
      const body = { hours: hoursIn('--hours', hours) };
      return forEach(device, options, async (ref) => {
        const arrival = await clientOf().call('arrival.open', { params: { ref }, body, reason });
        out(`${arrival.device} may fetch its files until ${moment(arrival.closesAt)}`);
      });
    });

  withSelection(noun.command('close').description('close the arrival window of a device').argument('[device]'))
    .option('--reason <text>', 'why')
    .action((device: string | undefined, { reason, ...chosen }: { reason?: string } & Selection) =>
      forEach(device, chosen, async (ref) => {
        await clientOf().call('arrival.close', { params: { ref }, reason });
        out(`the arrival window of ${ref} is closed`);
      }),
    );

  noun
    .command('retry')
    .description('look at an arriving device again now')
    .argument('<device>')
    .action(async (ref: string) => {
      const arrival = await newest(ref);
      await clientOf().call('arrival.retry', { params: { id: String(arrival.id) }, body: {} });
      out(`${arrival.device} is looked at again`);
    });

  withSelection(
    noun
      .command('prove')
      .description('prove devices as they are, without a boot: entered by hand, or by the console cable')
      .argument('[device]'),
  )
    .option('--hours <n>', 'how long it is tried', '1')
    .option('--reason <text>', 'why')
    .action((device: string | undefined, options: { hours: string; reason?: string } & Selection) => {
      const { hours, reason } = options;
      const body = { hours: hoursIn('--hours', hours) };
      return forEach(device, options, async (ref) => {
        const arrival = await clientOf().call('device.prove', { params: { ref }, body, reason });
        out(`${arrival.device} is being proved; zpine arrival watch ${arrival.device} --until-served`);
      });
    });

  noun
    .command('confirm')
    .description('say that a device stands where it should, though the records have it elsewhere')
    .argument('<device>')
    .option('--reason <text>', 'why, for the milestone')
    .action(async (ref: string, { reason }: { reason?: string }) => {
      const arrival = await newest(ref);
      const params = { id: String(arrival.id) };
      const { device, phase } = await clientOf().call('arrival.confirm', { params, body: {}, reason });
      out(phase === 'serving' ? `${device} serves` : `${device} may serve where it is`);
    });

  noun
    .command('watch')
    .description('milestones as they come')
    .argument('[device...]', 'only these devices')
    .option('--until-served', 'end when they all serve; status 1 with a diagnosis when they do not')
    .option('--limit <seconds>', 'end after so long in any case')
    .addHelpText('after', '\nExample:\n  zpine arrival watch ard-acc-1 --until-served --limit 300')
    .action((devices: string[], options: { untilServed?: boolean; limit?: string }) => watch(devices, options));
}

async function newest(ref: string): Promise<ShownArrival> {
  if (/^#[0-9]+$/.test(ref)) return clientOf().call('arrival.show', { params: { id: ref.slice(1) } });
  const { items } = await clientOf().call('arrival.list', { query: { device: ref, limit: '1' } });
  if (!items[0]) throw new UsageError(`${ref} never arrived; zpine arrival open ${ref}`);
  return items[0];
}

function arrivalText(a: ShownArrival): (string | Table)[] {
  const rows: [string, string][] = [
    [
      a.device,
      `${a.stage ? stageText(a.stage) : 'gone'}    arrival #${a.id}${a.edition === null ? '' : `, edition ${a.edition}`}`,
    ],
    [
      'window',
      `opened ${ago(a.openedAt)} ago by ${a.openedBy}, ${a.endedAt ? `ended ${ago(a.endedAt)} ago` : `open until ${moment(a.closesAt)}`}`,
    ],
  ];
  if (a.box) rows.push(['box', `${a.box}${a.mac ? `, MAC ${a.mac}` : ''}`]);
  if (a.address) rows.push(['booted at', `${a.address}${a.relay ? ` behind relay ${a.relay}` : ''}`]);
  if (a.management) rows.push(['management', a.management]);
  if (a.elsewhere !== null && a.diagnosis?.code !== 'other-place')
    rows.push([
      'place',
      `${a.elsewhere}\nit does not serve until somebody says that it is right so: zpine arrival confirm ${a.device}`,
    ]);
  if (a.diagnosis) rows.push(['wrong', `${a.diagnosis.title}: ${a.diagnosis.detail}\n${a.diagnosis.remedy}`]);
  const stones = a.milestones.map((m) => [clock(m.at), m.name, milestoneWords(m.name, m.evidence)]);
  return [
    pairs(rows),
    '',
    stones.length > 0 ? table(['at', 'milestone', 'evidence'], stones) : 'nothing was heard of it yet',
  ];
}

const POLL_MS = 400;

/** Prints every new milestone and diagnosis. */
async function watch(devices: string[], options: { untilServed?: boolean; limit?: string }): Promise<void> {
  const client = clientOf();
  const wanted = new Set(devices.map((d) => d.toLowerCase()));
  const seen = new Map<number, { stones: number; wrong: string | undefined }>();
  const until = options.limit === undefined ? Infinity : Date.now() + Number(options.limit) * 1000;
  let last: ShownArrival[] = [];
  while (Date.now() < until) {
    const { items } = await client.call('arrival.list', { query: { limit: '200' } });
    const newestOf = new Map<string, ShownArrival>();
    for (const a of items)
      if ((wanted.size === 0 || wanted.has(a.device)) && !newestOf.has(a.device)) newestOf.set(a.device, a);
    last = [...newestOf.values()];
    for (const arrival of last.toReversed()) tell(arrival, seen);
    if (options.untilServed && wanted.size > 0 && [...wanted].every((d) => newestOf.get(d)?.phase === 'serving')) {
      out(`${[...wanted].join(', ')}: serving`);
      return;
    }
    await new Promise((resolve) => setTimeout(resolve, POLL_MS));
  }
  if (!options.untilServed) return;
  for (const a of last.filter((one) => one.phase !== 'serving')) {
    err(
      `${a.device} does not serve: ${a.diagnosis ? `${a.diagnosis.title}: ${a.diagnosis.detail}\n  ${a.diagnosis.remedy}` : a.milestones.length === 0 ? 'nothing was heard of it yet' : `the last milestone is ${a.milestones.at(-1)?.name ?? ''}`}`,
    );
  }
  for (const device of wanted) if (!last.some((a) => a.device === device)) err(`${device} never arrived`);
  process.exitCode = status.refused;
}

function tell(arrival: ShownArrival, seen: Map<number, { stones: number; wrong: string | undefined }>): void {
  const before = seen.get(arrival.id) ?? { stones: 0, wrong: undefined };
  for (const m of arrival.milestones.slice(before.stones))
    out(
      `${clock(m.at)}  ${arrival.device.padEnd(12)}  ${m.name.padEnd(13)}  ${milestoneWords(m.name, m.evidence)}`.trimEnd(),
    );
  const wrong =
    arrival.diagnosis && arrival.diagnosis.code !== 'ssh-waiting'
      ? `${arrival.diagnosis.title}: ${arrival.diagnosis.detail}`
      : undefined;
  if (wrong !== undefined && wrong !== before.wrong)
    out(`${clock(arrival.updatedAt)}  ${arrival.device.padEnd(12)}  ${'!'.padEnd(13)}  ${wrong}`);
  seen.set(arrival.id, { stones: arrival.milestones.length, wrong });
}
