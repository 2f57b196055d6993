import { formatIp, parseIp, type Ip } from '@zpine/core/addressing/ip';
import { formatPrefix, parsePrefix } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import { kind } from '../kind.ts';

/** The VRF that is there from the beginning; its name is part of how keys are written. */
export const defaultVrf = 'default';
export const DEFAULT_VRF = 1;

/** `10.77.16.0/24` in the default VRF, `10.77.16.0/24@wireless` in another. */
const inVrf = ([text = '', vrf = defaultVrf]: string[]): string => (vrf === defaultVrf ? text : `${text}@${vrf}`);

/** Fixed width, so that addresses sort by value, IPv4 before IPv6, VRF by VRF. */
const byValue = (ip: Ip): string => `${ip.family}${ip.value.toString(16).padStart(ip.family === 4 ? 8 : 32, '0')}`;
const vrfFirst = (vrf: string): string => (vrf === defaultVrf ? '' : vrf);

/** One spelling for an address or prefix in a key, its VRF after `@`. */
function canonical(typed: string): string {
  const [text = '', name] = typed.split('@');
  const network = parsePrefix(text);
  const host = network.ok ? undefined : parseIp(text);
  const spelled = network.ok ? formatPrefix(network.value) : host?.ok ? formatIp(host.value) : text;
  return name === undefined || name === defaultVrf ? spelled : `${spelled}@${name}`;
}

export const vrf = kind({
  name: 'vrf',
  path: 'vrfs',
  title: 'VRF',
  titles: 'VRFs',
  about: 'A routing table of its own: the same prefix may exist in each.',
  group: 'addressing',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'wireless' },
    title: { type: 'text', title: 'Title' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'note'],
});

export const vlan = kind({
  name: 'vlan',
  path: 'vlans',
  title: 'VLAN',
  titles: 'VLANs',
  about: 'A VLAN of a site.',
  group: 'addressing',
  key: { parts: ['site', 'number'] },
  fields: {
    site: { type: 'ref', to: 'site', title: 'Site', required: true, inside: true },
    number: { type: 'int', title: 'Number', required: true, min: 1, max: 4094, example: '304' },
    title: { type: 'text', title: 'Title', example: 'management', max: 32 },
    use: { type: 'ref', to: 'use', title: 'Use' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'use', 'note'],
  sort: ['number'],
});

export const prefix = kind({
  name: 'prefix',
  path: 'prefixes',
  title: 'Prefix',
  titles: 'Prefixes',
  about: 'A block of addresses in a VRF, and how it is handed out.',
  group: 'addressing',
  key: {
    parts: ['cidr', 'vrf'],
    make: inVrf,
    split: (key) => key.split('@'),
    canonical,
    order: ([cidr = '', name = defaultVrf]) => {
      const p = mustParse(parsePrefix(cidr));
      const length = p.length.toString().padStart(3, '0');
      return `${vrfFirst(name)} ${byValue({ family: p.family, value: p.first })}/${length}`;
    },
  },
  fields: {
    cidr: { type: 'cidr', title: 'Prefix', required: true, fixed: true, example: '10.77.16.0/24' },
    vrf: { type: 'ref', to: 'vrf', title: 'VRF', default: defaultVrf, fixed: true },
    description: { type: 'text', title: 'Description' },
    site: { type: 'ref', to: 'site', title: 'Site', inside: true },
    vlan: { type: 'ref', to: 'vlan', title: 'VLAN', inside: true },
    use: { type: 'ref', to: 'use', title: 'Use' },
    gateway: { own: true, type: 'ip', title: 'Gateway', example: '10.77.16.1' },
    heldBack: {
      own: true,
      type: 'ranges',
      title: 'Held back',
      example: '10.77.16.2-10.77.16.10',
      about: 'Never handed out by itself; may be assigned by name',
    },
    pool: {
      own: true,
      type: 'ranges',
      title: 'DHCP pool',
      example: '10.77.16.200-10.77.16.239',
      about: 'For leases; never assigned to an interface',
    },
    quarantine: {
      own: true,
      type: 'ranges',
      title: 'Quarantine pool',
      example: '10.77.16.240-10.77.16.250',
      about: 'For booting clients that match no device; they get an address and no boot file',
    },
    sweep: {
      own: true,
      type: 'choice',
      title: 'May be swept',
      choices: ['no', 'look', 'sign-in'],
      default: 'no',
      about:
        'Whether its addresses may be gone through for devices; sign-in: unknown hosts are signed in on, too, by a first-contact or factory login',
    },
    handOut: {
      type: 'text',
      title: 'Who gets which',
      example: 'access from .11; core number .2',
      about: 'Which addresses devices get, duty by duty; by their number, or from a place on',
    },
    restSeconds: {
      type: 'int',
      title: 'Rest after release',
      unit: 's',
      max: 31_536_000,
      about: 'For how long an address that was given back is handed to nobody else by itself',
    },
    nameServers: {
      type: 'text',
      title: 'Name servers',
      example: '10.77.0.53, 10.77.0.54',
      about: 'What DHCP clients here are told; left empty, the settings decide',
    },
    timeServers: { type: 'text', title: 'Time servers', about: 'As name servers' },
    domain: { type: 'text', title: 'Domain', example: 'crew.brackwater.example', about: 'As name servers' },
    relays: {
      type: 'text',
      title: 'Relays',
      example: '10.77.16.2, 10.77.16.3',
      about:
        'Addresses that DHCP relays of it have or send from, beside its gateway and those on interfaces of the records',
    },
    leaseSeconds: { type: 'int', title: 'Lease time', unit: 's', min: 60, about: 'As name servers' },
    answers: {
      type: 'choice',
      title: 'DHCP answers',
      choices: ['all', 'known', 'none'],
      default: 'all',
      about:
        'known: another DHCP server answers here, too, and whoever is nobody of the records is left to it; none: that one gives all addresses (zpine dhcp data), and this one files alone',
    },
    signs: {
      type: 'choice',
      title: 'Signs of life',
      choices: ['strangers', 'known', 'none'],
      default: 'strangers',
      about:
        'Whose traps and log lines are taken: strangers, too, who then stand on the list of strangers; those of known devices; nobody’s',
    },
    meetsADay: {
      own: true,
      type: 'int',
      title: 'Meets a day',
      min: 0,
      max: 500,
      default: 0,
      about:
        'How many strangers that talk are signed in to by themselves in a day, by the rules of sweeps; one whose box waits for its device is recognised then. 0: none',
    },
    meets: {
      type: 'code',
      title: 'Meets whom',
      max: 100,
      about: 'Only those whose sign of life or model has this word in it',
      example: 'LF-24',
    },
    owner: { type: 'ref', to: 'owner', title: 'Owner' },
    parent: { type: 'ref', to: 'prefix', title: 'Inside', derived: true, about: 'The smallest prefix that covers it' },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'description', 'site', 'vlan', 'use', 'gateway'],
});

export const address = kind({
  name: 'address',
  path: 'addresses',
  title: 'Address',
  titles: 'Addresses',
  about: 'An address that is taken: on an interface, or reserved.',
  group: 'addressing',
  key: {
    parts: ['address', 'vrf'],
    make: inVrf,
    split: (key) => key.split('@'),
    canonical,
    order: ([text = '', name = defaultVrf]) => `${vrfFirst(name)} ${byValue(mustParse(parseIp(text)))}`,
  },
  fields: {
    address: { type: 'ip', title: 'Address', required: true, fixed: true, example: '10.77.16.11' },
    vrf: { type: 'ref', to: 'vrf', title: 'VRF', default: defaultVrf, fixed: true },
    interface: {
      own: true,
      type: 'ref',
      to: 'interface',
      title: 'Interface',
      part: true,
      about: 'Left empty, the address is reserved',
    },
    shared: {
      type: 'bool',
      title: 'Shared',
      default: false,
      about: 'Several interfaces carry it, such as a gateway that two routers answer for: see its carriers',
    },
    description: { type: 'text', title: 'Description' },
    prefix: { type: 'ref', to: 'prefix', title: 'Prefix', required: true, derived: true, inside: true },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'interface', 'prefix', 'description'],
});

export const carrier = kind({
  name: 'carrier',
  path: 'carriers',
  title: 'Carrier',
  titles: 'Carriers',
  about: 'An interface that carries a shared address, together with others.',
  group: 'addressing',
  // Keys of interfaces have slashes and colons in them already.
  key: { parts: ['address', 'interface'], make: (parts) => parts.join('~'), split: (key) => key.split('~') },
  fields: {
    address: { type: 'ref', to: 'address', title: 'Address', required: true, fixed: true, part: true },
    interface: { own: true, type: 'ref', to: 'interface', title: 'Interface', required: true, fixed: true, part: true },
    priority: {
      type: 'int',
      title: 'Priority',
      max: 255,
      about: 'Who answers first, where the protocol asks for it: the highest',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'priority', 'note'],
});

export const siteplan = kind({
  name: 'siteplan',
  path: 'site-plans',
  title: 'Site plan',
  titles: 'Site plans',
  about: 'A recipe by which a site gets its blocks, VLANs, prefixes, loopbacks and links.',
  group: 'addressing',
  key: { parts: ['name'] },
  fields: {
    name: { type: 'name', title: 'Name', required: true, example: 'landing' },
    title: { type: 'text', title: 'Title', example: 'A landing with one closet' },
    steps: {
      type: 'json',
      title: 'Steps',
      required: true,
      nested: true,
      example: '[{"vlan": 304, "title": "management"}]',
      about: 'What is made, in this order',
    },
    note: { type: 'note', title: 'Note' },
  },
  list: ['key', 'title', 'note'],
});
