/** Swapping a box: begun, fitted, cables ticked off, held against before, closed or taken back. */
import { writeFileSync } from 'node:fs';
import type { Command } from 'commander';
import { span } from '@zpine/core/text/span';
import type { ShownSwap } from '@zpine/contract/swapRoutes';
import { unaskedWords } from '@zpine/contract/swapWords';
import { clientOf, outputOf } from './context.ts';
import { ago, out, pairs, table } from './print.ts';
import { askNewSecret } from './prompt.ts';
import { UsageError } from './refusals.ts';
import { hoursIn } from './windows.ts';

const OLD = ['faulty', 'stock', 'retired'] as const;

export function addSwaps(program: Command): void {
  const noun = program.command('swap').description('Another box under the identity of a device.');
  noun
    .command('list')
    .description('swaps, the newest first')
    .option('--open', 'only those that are under way')
    .action(async ({ open }: { open?: boolean }, command: Command) => {
      const query = open === true ? { open: 'true' as const } : {};
      const { items } = await clientOf().call('swap.list', { query });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return out('no swaps; zpine swap start DEVICE');
      out(
        table(
          ['swap', 'device', 'state', 'old box', 'new box', 'cables', 'not as before', 'begun'],
          items.map((one) => [
            `#${one.id}`,
            one.device,
            one.state,
            one.oldBox,
            one.newBox ?? '',
            `${one.ticked} of ${one.cables}`,
            one.findings === null ? '' : String(one.findings),
            `${ago(one.startedAt)} ago`,
          ]),
        ),
      );
    });
  noun
    .command('start')
    .description('begin to swap the box of a device: what runs and what hangs on its ports is looked at first')
    .argument('<device>')
    .option('--box <serial>', 'the spare, if it is known already: its serial or MAC')
    .option('--hours <n>', 'how long its arrival window is open', '24')
    .option('--reason <text>', 'why')
    .addHelpText('after', '\nExample:\n  zpine swap start har-acc-2 --box LF24-0201-11')
    .action(async (ref: string, { box, hours, reason }: StartOptions, command: Command) => {
      const body = { ...(box === undefined ? {} : { box }), hours: hoursIn('--hours', hours) };
      tell(await clientOf().call('swap.start', { params: { ref }, body, reason }), command);
    });
  noun
    .command('show')
    .description('a swap: what ran before, its cables, and what is not as it was')
    .argument('<device>', 'its newest swap; or #ID')
    .action(async (ref: string, _options: object, command: Command) =>
      tell(await clientOf().call('swap.show', { params: { id: await idOf(ref) } }), command),
    );
  noun
    .command('fit')
    .description('say which box takes the place: it is fitted, and may boot as the device')
    .argument('<device>')
    .argument('<box>', 'its serial or MAC')
    .option('--hours <n>', 'how long its arrival window is open', '24')
    .option('--reason <text>', 'why, where that box is not in order')
    .action(async (ref: string, box: string, { hours, reason }: StartOptions, command: Command) => {
      const body = { box, hours: hoursIn('--hours', hours) };
      tell(await clientOf().call('swap.fit', { params: { id: await idOf(ref) }, body, reason }), command);
    });
  noun
    .command('tick')
    .description('tick cables off that are plugged in again')
    .argument('<device>')
    .argument('<port...>')
    .option('--undo', 'take the tick back')
    .action(async (ref: string, ports: string[], { undo }: { undo?: boolean }, command: Command) => {
      const body = { ports, done: undo !== true };
      tell(await clientOf().call('swap.tick', { params: { id: await idOf(ref) }, body }), command);
    });
  noun
    .command('look')
    .description('ask the device again what it says of its ports')
    .argument('<device>')
    .action(async (ref: string, _options: object, command: Command) =>
      tell(await clientOf().call('swap.look', { params: { id: await idOf(ref) }, body: {} }), command),
    );
  noun
    .command('take-back')
    .description('put the old box back under the device; the new one goes to stock')
    .argument('<device>')
    .option('--hours <n>', 'how long its arrival window is open', '24')
    .option('--reason <text>', 'why')
    .action(async (ref: string, { hours, reason }: StartOptions, command: Command) => {
      const body = { hours: hoursIn('--hours', hours) };
      tell(await clientOf().call('swap.takeBack', { params: { id: await idOf(ref) }, body, reason }), command);
    });
  noun
    .command('call-off')
    .description('call a swap off before another box is fitted')
    .argument('<device>')
    .option('--reason <text>', 'why')
    .action(async (ref: string, { reason }: { reason?: string }, command: Command) =>
      tell(await clientOf().call('swap.callOff', { params: { id: await idOf(ref) }, body: {}, reason }), command),
    );
  noun
    .command('emergency-sheet')
    .description(
      'what is needed at a console while the service cannot be reached: an HTML file, sealed with a passphrase',
    )
    .argument('[device...]')
    .option('--site <site>', 'instead: every device of a site')
    .option('--to <file>', 'save it there')
    .action(async (devices: string[], { site, to }: { site?: string; to?: string }) => {
      if (devices.length > 0 === (site !== undefined)) throw new UsageError('name devices, or a site with --site');
      const passphrase = await askNewSecret('passphrase');
      const body = { ...(site === undefined ? { devices } : { site }), passphrase };
      const sheet = await clientOf().call('swap.emergencySheet', { body });
      const file = to ?? sheet.name;
      writeFileSync(file, sheet.html, { mode: 0o600 });
      out(`${file}: ${sheet.devices.join(', ')}; any browser opens it, without a network`);
      if (sheet.without.length > 0) out(`without a published edition: ${sheet.without.join(', ')}`);
    });
  noun
    .command('close')
    .description('close a swap: its report is kept, and it is said what becomes of the old box')
    .argument('<device>')
    .option('--old-box <condition>', OLD.join(', '), 'faulty')
    .option('--reason <text>', 'why, where the device does not serve')
    .action(async (ref: string, { oldBox, reason }: { oldBox: string; reason?: string }, command: Command) => {
      const condition = OLD.find((one) => one === oldBox);
      if (condition === undefined) throw new UsageError(`--old-box takes ${OLD.join(', ')}`);
      const body = { oldBox: condition };
      tell(await clientOf().call('swap.close', { params: { id: await idOf(ref) }, body, reason }), command);
    });
}

interface StartOptions {
  box?: string;
  hours: string;
  reason?: string;
}

async function idOf(ref: string): Promise<string> {
  if (/^#[0-9]+$/.test(ref)) return ref.slice(1);
  const { items } = await clientOf().call('swap.list', { query: { limit: '200' } });
  const found = items.find(({ device }) => device === ref.toLowerCase());
  if (!found) throw new UsageError(`${ref} was never swapped; zpine swap start ${ref}`);
  return String(found.id);
}

function tell(swap: ShownSwap, command: Command): void {
  if (outputOf(command).json) return out(JSON.stringify(swap, null, 2));
  const { before, after } = swap;
  const rows: [string, string][] = [
    [swap.device, `swap #${swap.id}, ${swap.state}`],
    ['boxes', `${swap.oldBox}${swap.oldBoxIs === null ? '' : ` (${swap.oldBoxIs})`} → ${swap.newBox ?? 'waited for'}`],
    ['begun', `${ago(swap.startedAt)} ago by ${swap.startedBy}${swap.reason === null ? '' : `: ${swap.reason}`}`],
  ];
  if (swap.downSeconds !== null) rows.push(['down', `${swap.downIsLeast ? 'at least ' : ''}${span(swap.downSeconds)}`]);
  rows.push([
    'before',
    before.at === null
      ? `${unaskedWords(swap)}${swap.state === 'begun' && before.fault !== null ? `\nonce it answers: zpine swap look ${swap.device}` : ''}`
      : `${before.up} ports up, version ${before.version ?? 'not said'}, asked ${ago(before.at)} ago`,
  ]);
  if (before.handmade.length > 0)
    rows.push([
      'would be lost',
      `${before.handmade.length} lines that its edition does not have:\n${before.handmade.slice(0, 12).join('\n')}\ntaken over by choice: zpine drift take ${swap.device}`,
    ]);
  if (swap.behind.length > 0) rows.push(['behind it', `reached by nothing else: ${swap.behind.join(', ')}`]);
  if (swap.spares.length > 0)
    rows.push(['spares', swap.spares.map((one) => [one.box, one.whereabouts].filter(Boolean).join(', ')).join('\n')]);
  if (swap.diagnosis)
    rows.push(['wrong', `${swap.diagnosis.title}: ${swap.diagnosis.detail}\n${swap.diagnosis.remedy}`]);
  if (after)
    rows.push([
      'against before',
      after.findings.length === 0
        ? before.at === null
          ? 'nothing is known of before'
          : 'every port is as it was'
        : after.findings.join('\n'),
    ]);
  if (after && after.fault !== null) rows.push(['not asked since', after.fault]);
  if (swap.state === 'serving' && swap.knew.length > 0)
    rows.push(['the old box knew', `the passwords of ${swap.knew.join(', ')}, and those in its edition`]);
  out(pairs(rows));
  if (swap.cableList.length > 0) {
    out('');
    out(
      table(
        ['port', 'cable', 'colour', 'leads to', 'place', 'now', 'ticked'],
        swap.cableList.map((one) => [
          one.name,
          one.marking ?? one.cable,
          one.colour ?? '',
          one.farEnd,
          one.farPlace ?? '',
          one.state === 'unknown' ? '' : one.state,
          one.ticked === null ? '' : `${one.ticked.by}, ${ago(one.ticked.at)} ago`,
        ]),
      ),
    );
  }
  if (swap.next !== null) out('', `  ${swap.next}`);
}
