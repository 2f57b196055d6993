/** The checks that ship: entered on request, and records like any other from then on. */
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import { Refusal } from '@zpine/contract/errors';
import { nearest } from '@zpine/core/naming/names';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';

/** What runs, as far as anybody knows, and can be talked to. */
const RUNNING = 'stage=serving,unproved,proving dialect!=none';

interface ShippedCheck {
  name: string;
  title: string;
  severity?: 'failure' | 'attention' | 'remark';
  remedy?: 'push' | 'setting';
  remedyWith?: string;
  source: string;
}

const shipped: readonly ShippedCheck[] = [
  {
    name: 'time-servers',
    title: 'Follows the time servers that its settings name',
    remedy: 'push',
    source: `@require set.time.servers, "no time servers are set for it (setting time.servers)"
@let followed = flatten(pick(answers.time, "server") ?? [])
@for server of set.time.servers where not says(join(followed, " "), server)
does not follow @{server}
@end
@for row of answers.time where row.state and says(row.state, "astray")
its clock is astray
@end
`,
  },
  {
    name: 'ssh-only',
    title: 'Is managed by SSH only',
    severity: 'failure',
    source: `@require running.doors != null, "its dialect does not tell which lines open another way in"
@for line of running.doors
another way in is open: @{line}
@end
`,
  },
  {
    name: 'no-live-port-without-cable',
    title: 'No port is live in which the records know no cable',
    source: `@require ports, "its records know no port of it"
@let cabled = pick(links, "interface")
@for port of ports
  @for row of answers.interfaces where row.name == port.name and row.live and port.name not in cabled
@{port.name} is live, and the records know no cable in it
  @end
@end
`,
  },
  {
    name: 'gateway-seen',
    title: 'Sees its gateway',
    severity: 'failure',
    source: `@require device.management and device.management.gateway, "its records name no gateway"
@for row of answers.arp where row.address == device.management.gateway
@none
its gateway @{device.management.gateway} is not among the addresses that it sees
@end
`,
  },
  {
    name: 'no-factory-login',
    title: 'Lets nobody in by its factory login',
    severity: 'failure',
    source: `@if factory.letsIn
lets in whoever has the factory login of its model, user @{factory.user}
@end
`,
  },
  {
    name: 'software-version',
    title: 'Runs the version that is wanted',
    source: `@require set.software.version, "no version is wanted of it (setting software.version)"
@for row of answers.version where row.version != set.software.version
runs @{row.version ?? "an unknown version"}, wanted is @{set.software.version}
@none
  @require answers.version, "it does not tell its version"
@end
`,
  },
  {
    name: 'kept',
    title: 'Has stored what it runs',
    // Today says so already.
    severity: 'remark',
    remedy: 'push',
    source: `@for line of stored.lacks
runs, and is not stored: @{line}
@end
@for line of stored.alone
is stored, and does not run: @{line}
@end
`,
  },
  {
    name: 'vlans-end-to-end',
    title: 'Both ends of its cables carry the same VLANs, and those of its ports lead somewhere',
    source: `@remark A VLAN of a port without a cable to a device of ours has to be carried on one that has such a cable.
@for way of carried
  @require way.there != null, "what @{way.device} carries on @{way.port} is not known: capture it"
  @for vlan of way.here where vlan not in way.there
VLAN @{vlan} ends at @{way.device}: carried on @{way.interface}, and not on its @{way.port}
  @end
  @for vlan of way.there where vlan not in way.here
VLAN @{vlan} ends here: carried by @{way.device} on its @{way.port}, and not on @{way.interface}
  @end
@end
@if carried
  @let onward = flatten(pick(carried, "here"))
  @let cabled = pick(carried, "interface")
  @for port of running.carries where port.port not in cabled
    @for vlan of port.vlans where vlan not in onward
VLAN @{vlan} of port @{port.port} is carried on no cable to another device
    @end
  @end
@end
`,
  },
];

export async function shippedChecks(tx: Tx): Promise<ReplyOf<'check.shipped'>> {
  const entered = new Set((await find(tx, 'check', {})).map(({ name }) => name));
  return { items: shipped.map(({ name, title }) => ({ name, title, entered: entered.has(name) })) };
}

export async function takeShipped(tx: Tx, body: BodyOf<'check.takeShipped'>): Promise<ReplyOf<'check.takeShipped'>> {
  const names = shipped.map(({ name }) => name);
  for (const [i, name] of (body.checks ?? []).entries())
    if (!names.includes(name)) {
      const meant = nearest(name, names);
      throw Refusal.at(['checks', i], 'not-found', { kind: 'check', ref: name, ...(meant ? { meant } : {}) });
    }
  const wanted = shipped.filter(({ name }) => body.checks === undefined || body.checks.includes(name));
  const entered = new Set((await find(tx, 'check', {})).map(({ name }) => name));
  const fresh = wanted.filter(({ name }) => !entered.has(name));
  if (fresh.length > 0)
    await add(
      tx,
      'check',
      fresh.map((one) => ({ ...one, devices: RUNNING, ...(body.hour === undefined ? {} : { hour: body.hour }) })),
    );
  return {
    added: fresh.map(({ name }) => name),
    standing: wanted.filter(({ name }) => entered.has(name)).map(({ name }) => name),
  };
}
