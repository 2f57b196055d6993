/** Where a client sits: which prefix its packet is about, and whether whoever handed it on may speak for it. */
import type { Client } from './client.ts';
import type { Link } from './link.ts';
import type { Look } from './look.ts';
import { typeOfMessage, type Message } from './message.ts';
import { optionFault } from './readable.ts';

/** How a packet came. */
export type Heard = {
  /** Where from, as devices know the address. */
  source: string;
  /** As a broadcast on the service's own wire. */
  broadcast: boolean;
};

/** What a packet leads to when it is not answered, whoever sent it. */
type Fault = {
  /** `counted`: nobody is answered and no note is made; whoever listens counts it. */
  outcome: 'dropped' | 'counted';
  detail: string;
  /** What would have it answered. */
  remedy?: string;
  refusedRelay?: { relay: string; source: string };
};

export type Place = { link: Link; fault?: undefined } | { link: Link | undefined; fault: Fault };

type Records = Pick<Look, 'server' | 'linksAround' | 'deviceAt'>;

const dropped = (detail: string): Fault => ({ outcome: 'dropped', detail });

const NONE = '0.0.0.0';

/** `isHis`: whether an address of a prefix is the client's own, as records or leases have it. */
export function placeOf(
  look: Records,
  message: Message,
  client: Client,
  heard: Heard,
  isHis: (link: Link, address: string) => boolean,
): Place {
  const type = typeOfMessage(message);
  if (!type.ok) return { link: undefined, fault: dropped('it has no message type (option 53)') };
  const malformed = optionFault(message);
  if (malformed !== undefined) return { link: undefined, fault: dropped(malformed) };
  if (client.relay !== null) return behindRelay(look, client.relay, client, message, heard.source);
  const own = message.clientAddress;
  if (own === NONE || heard.broadcast) {
    const [link] = look.linksAround(look.server);
    if (link) return { link };
    const none = 'no prefix of the records holds the boot address of the service, on its own wire';
    return { link: undefined, fault: dropped(none) };
  }
  // RFC 2131, 4.3.2: a renewal comes straight from the client, and its own address says where it is.
  const links = look.linksAround(own);
  const link = links.find((one) => isHis(one, own)) ?? links[0];
  if (!link) return { link, fault: dropped(`no prefix of the records holds ${own}, which it says it has`) };
  if (heard.source === own) return { link };
  return {
    link,
    fault: { outcome: 'counted', detail: `it says it has ${own} and comes from ${heard.source}` },
  };
}

function behindRelay(look: Records, relay: string, client: Client, message: Message, source: string): Place {
  const links = look.linksAround(relay);
  const around =
    links.find((link) => link.gateway === relay) ??
    links.find((link) => look.deviceAt(relay, link.vrf) !== undefined || link.relays.includes(relay)) ??
    links[0];
  // RFC 3527, 3: link selection goes before subnet selection (RFC 3011).
  const selects = client.information.selects ?? selectedSubnet(message);
  const chosen = selects === undefined ? around : selected(look, selects, around);
  if (!chosen) {
    const what = selects === undefined ? relay : `${selects}, which relay ${relay} asks for`;
    return { link: undefined, fault: dropped(`no prefix of the records holds ${what}`) };
  }
  if (!isDeclared(look, [chosen, ...(around ? [around] : [])], relay)) {
    const remedy = declaring(chosen, relay);
    return {
      link: chosen,
      fault: { ...dropped(`${undeclared(chosen, relay)}; ${remedy}`), remedy, refusedRelay: { relay, source } },
    };
  }
  if (speaksFor(look, [chosen, ...(around ? [around] : [])], relay, source)) return { link: chosen };
  return {
    link: chosen,
    fault: {
      outcome: 'counted',
      detail: `it says it is from relay ${relay} and comes from ${source}, which is no address of its device`,
      refusedRelay: { relay, source },
    },
  };
}

const selectedSubnet = (message: Message): string | undefined => {
  const bytes = message.options.get(118);
  return bytes && Array.from(bytes).join('.');
};

/** In the VRF of the relay where that has one. */
function selected(look: Records, address: string, around: Link | undefined): Link | undefined {
  const links = look.linksAround(address);
  return around ? links.find(({ vrf }) => vrf === around.vrf) : links[0];
}

/** Why nobody is answered through a relay. */
export const undeclared = ({ key }: Pick<Link, 'key'>, relay: string): string =>
  `relay ${relay} is not declared: it is neither the gateway of ${key} nor on an interface`;

export const declaring = ({ key, relays }: Pick<Link, 'key' | 'relays'>, relay: string): string =>
  `zpine prefix edit ${key} --relays '${[...relays, relay].join(', ')}'`;

/** Relays count as declared when they are the gateway of the prefix, on an interface of the records, or listed with it. */
export const isDeclared = (
  look: Pick<Look, 'deviceAt'>,
  links: readonly Pick<Link, 'gateway' | 'relays' | 'vrf'>[],
  relay: string,
): boolean =>
  links.some(
    (link) => link.gateway === relay || link.relays.includes(relay) || look.deviceAt(relay, link.vrf) !== undefined,
  );

/**
 * A packet is from a relay when it comes from its address, from another of the same device, or from one that is listed:
 * anybody may send a packet that says so, and take a device's lease away by it.
 */
export function speaksFor(
  look: Pick<Look, 'deviceAt'>,
  links: readonly Pick<Link, 'vrf' | 'relays'>[],
  relay: string,
  source: string,
): boolean {
  if (source === relay) return true;
  return links.some(({ vrf, relays }) => {
    const device = look.deviceAt(relay, vrf);
    return relays.includes(source) || (device !== undefined && device === look.deviceAt(source, vrf));
  });
}
