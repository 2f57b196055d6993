/** What devices said last: addresses, MACs; what is watched; notices. */
import type { Command } from 'commander';
import { clientOf, outputOf } from './context.ts';
import { ago, err, out, table } from './print.ts';

export function addLive(program: Command): void {
  const live = program.command('live').description('What devices themselves said last, beside the records.');
  live
    .command('addresses')
    .description('interfaces whose address on the device falls in or overlaps a prefix')
    .argument('<prefix>')
    .addHelpText('after', "\nFresh answers: zpine ask interfaces --where 'site=har'")
    .action(async (prefix: string, _options: object, command: Command) => {
      const { items } = await clientOf().call('live.addresses', { query: { prefix } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0)
        return err(
          'nobody said that they have such an address, and the records have none; zpine ask interfaces --where TESTS asks them',
        );
      out(
        table(
          ['address', 'device', 'interface', 'state', 'seen', 'in the records', ''],
          items.map((one) => [
            one.address,
            one.device,
            one.interface,
            one.state ?? '',
            one.seenAt === null ? 'not seen' : `${ago(one.seenAt)} ago`,
            one.recorded ?? 'none',
            one.seenAt === null ? '○' : one.agrees ? '● agree' : '✕ differ',
          ]),
        ),
      );
    });
  live
    .command('mac')
    .description('where a MAC was seen last; a part of it is enough')
    .argument('<mac>')
    .addHelpText('after', "\nFresh answers: zpine ask macs --where 'site=har'")
    .action(async (mac: string, _options: object, command: Command) => {
      const { items } = await clientOf().call('live.mac', { query: { mac } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0)
        return err('no device said that it sees such a MAC; zpine ask macs --where TESTS asks them');
      out(
        table(
          ['mac', 'device', 'port', 'vlan', 'MACs on the port', 'seen'],
          items.map((one) => [
            one.mac,
            one.device,
            one.interface,
            one.vlan ?? '',
            String(one.macsOnPort),
            `${ago(one.seenAt)} ago`,
          ]),
          new Set([4]),
        ),
      );
    });

  const watch = program.command('watch').description('Devices that are looked at by plan, and how they are.');
  watch
    .command('list')
    .description('what is watched, and how it is')
    .argument('[device]')
    .addHelpText('after', '\nTo watch: zpine setting set watch.minutes 5 --on site:har')
    .action(async (device: string | undefined, _options: object, command: Command) => {
      const { items } = await clientOf().call('watch.list', { query: device === undefined ? {} : { device } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('nothing is watched; zpine setting set watch.minutes 5 --on site:SITE');
      out(
        table(
          ['device', 'what', 'state', 'for', 'looked at'],
          items.map((one) => [
            one.device,
            one.what,
            `${one.state}${one.flapping ? ' (flaps)' : ''}`,
            ago(one.since),
            `${ago(one.lookedAt)} ago`,
          ]),
        ),
      );
    });
  watch
    .command('notices')
    .description('what the watch had to tell, the newest first')
    .option('--limit <n>', 'maximum number of rows', '50')
    .action(async (options: { limit: string }, command: Command) => {
      const { items } = await clientOf().call('notice.list', { query: { limit: options.limit } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      if (items.length === 0) return err('no notices');
      out(
        table(
          ['when', 'device', 'notice', 'letter'],
          items.map((one) => [
            `${ago(one.at)} ago`,
            one.device,
            one.text,
            one.mailedAt !== null ? 'sent' : one.mailFault !== null ? `not taken: ${one.mailFault}` : '',
          ]),
        ),
      );
    });
}
