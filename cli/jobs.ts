/** What there is to do on site, as whoever stands before the rack sees it. */
import type { Command } from 'commander';
import type { ShownJob } from '@zpine/contract/jobRoutes';
import { clientOf, outputOf } from './context.ts';
import { ago, out, pairs, table } from './print.ts';

export function addJobs(program: Command): void {
  const noun = program
    .command('job')
    .description('What there is to do on site with a device, from the crate to service.');
  noun
    .command('list')
    .description('swaps, stuck arrivals, devices to be plugged in, of the sites that are yours')
    .argument('[site]')
    .action(async (site: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('job.list', { query: site === undefined ? {} : { site } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return out('nothing waits for a hand');
      out(
        table(
          ['device', 'site', 'rack', 'U', 'box', 'what to do'],
          items.map((job) => [
            job.device,
            job.site?.toUpperCase() ?? '',
            job.rack ?? '',
            job.positionU === null ? '' : String(job.positionU),
            job.box ?? '',
            job.words,
          ]),
          new Set([3]),
        ),
      );
    });
  noun
    .command('show')
    .description('its place, its cables, its box, how its arrival goes')
    .argument('<device>')
    .action(async (ref: string, _options: object, command: Command) =>
      tell(await clientOf().call('job.show', { params: { ref } }), command),
    );
  noun
    .command('tick')
    .description('tick cables off that are plugged in')
    .argument('<device>')
    .argument('<port...>')
    .option('--undo', 'take the tick back')
    .action(async (ref: string, ports: string[], { undo }: { undo?: boolean }, command: Command) =>
      tell(await clientOf().call('job.tick', { params: { ref }, body: { ports, done: undo !== true } }), command),
    );
  noun
    .command('box')
    .description('say which box was put in, where one is waited for')
    .argument('<device>')
    .argument('<box>', 'its serial or MAC')
    .action(async (ref: string, box: string, _options: object, command: Command) =>
      tell(await clientOf().call('job.box', { params: { ref }, body: { box } }), command),
    );
}

function tell(job: ShownJob, command: Command): void {
  if (outputOf(command).json) return out(JSON.stringify(job, null, 2));
  const { arrival } = job;
  const rows: [string, string][] = [
    [job.device, job.words],
    [
      'place',
      [job.siteTitle, job.rack, job.positionU === null ? null : `U ${job.positionU}`].filter(Boolean).join(', '),
    ],
    ['model', job.modelTitle ?? ''],
    ['box', job.box ?? `waited for: zpine job box ${job.device} SERIAL`],
    ['window', job.windowOpen ? 'open' : 'closed: it would be given nothing'],
  ];
  const last = arrival?.milestones.at(-1);
  if (last) rows.push(['arrival', `${last.name}, ${ago(last.at)} ago`]);
  if (arrival?.diagnosis) rows.push(['wrong', `${arrival.diagnosis.title}: ${arrival.diagnosis.detail}`]);
  if (job.findings !== null && job.findings.length > 0) rows.push(['not as before', job.findings.join('\n')]);
  out(pairs(rows));
  if (job.cables.length === 0) return;
  out('');
  out(
    table(
      ['in', 'port', 'label', 'colour', 'leads to', 'place'],
      job.cables.map((cable) => [
        cable.ticked === null ? '' : '●',
        cable.port,
        cable.marking ?? '',
        cable.colour ?? '',
        cable.farEnd,
        cable.farPlace ?? '',
      ]),
    ),
  );
}
