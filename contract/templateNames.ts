/** Every name that a template sees, with its type and meaning. The service puts the data together. */
import type { SettingType } from '@zpine/core/settings/layers';
import { bool, listOf, mapOf, mapOfAll, number, secretShape, type Shape, text } from '@zpine/core/template/shapes';
import type { Catalogue } from '@zpine/core/template/check';

export interface CatalogueEntry {
  name: string;
  about: string;
  valueType: SettingType;
  secret: boolean;
}

const interfaceShape = mapOf(
  {
    name: text('As the device writes it'),
    form: text('port, aggregate, vlan, sub-interface, loopback or routed'),
    description: text(),
    enabled: bool(),
    mode: text('access, trunk or routed; null where nobody said it'),
    vlan: number('Its VLAN, untagged; null for none'),
    tagged: listOf(number(), 'The numbers of its tagged VLANs'),
    on: text('The interface below it; null for none'),
    tag: number('Its tag on that; null for the untagged one'),
    memberOf: text('The aggregate that it belongs to; null for none'),
    speed: number('In Mbit/s; null where it finds it by itself'),
    addresses: listOf(text(), 'With their lengths'),
    vrf: text(),
    mac: text(),
  },
  'An interface',
);

const vlanShape = mapOf({ number: number(), title: text(), use: text() }, 'A VLAN');

export const fixedNames: Record<string, Shape> = {
  device: mapOf(
    {
      name: text('Its name'),
      duty: text('Its duty; null for none'),
      owner: text(),
      note: text(),
      position: number('The lowest U it takes; null for none'),
      management: mapOf(
        {
          interface: text('The name of the management interface'),
          vlan: number('Its VLAN; null for none'),
          address: text('With its length: 10.77.16.11/24'),
          prefix: text('10.77.16.0/24'),
          gateway: text('null where the prefix names none'),
          vrf: text(),
        },
        'How the service reaches it; null until it has a management address',
      ),
      main: mapOf(
        { interface: text('self0'), address: text('With its length: 10.77.255.2/32') },
        'What stands for it: the address of its main interface, or else that for management',
      ),
    },
    'The device',
  ),
  box: mapOf({ serial: text(), mac: text(), model: text() }, 'The hardware that is fitted; null for none'),
  site: mapOf({ code: text(), title: text(), timeZone: text() }, 'Its site; null for none'),
  area: mapOf({ name: text(), title: text() }, 'The area of the site; null for none'),
  room: mapOf({ name: text(), title: text() }, 'Its room; null for none'),
  rack: mapOf({ name: text(), title: text(), heightU: number() }, 'Its rack; null for none'),
  model: mapOf({ vendor: text(), name: text(), title: text(), heightU: number() }, 'Its model; null for none'),
  dialect: text('The name of its dialect; null for none'),
  ports: listOf(interfaceShape, 'The interfaces that sit on ports'),
  interfaces: listOf(interfaceShape, 'All interfaces, in their own order'),
  cards: listOf(
    mapOf({ slot: text('3, or 3/1 for a card in a card'), model: text(), serial: text() }),
    'The cards of its slots',
  ),
  vlans: listOf(vlanShape, 'The VLANs of its site, by number'),
  addresses: listOf(mapOf({ address: text(), interface: text(), prefix: text(), vrf: text() }), 'Its addresses'),
  links: listOf(
    mapOf({ interface: text(), device: text(), port: text(), addresses: listOf(text()) }),
    'The other ends of its cables',
  ),
  access: mapOf(
    {
      user: text('As whom it signs in; null for nobody'),
      publicKey: text('The public half of its key (access.key), as OpenSSH writes it; null for none'),
    },
    'How the service signs in',
  ),
  boot: mapOf(
    {
      server: text('The address that it boots from'),
      file: text('The URL of its first file; null where its dialect has none'),
      image: text('The URL of the image that it should run; null for none'),
      folder: text('The URL below which its further files lie; null where its dialect has no first one'),
      life: text('Where it reports that it lives; one part is filled in on the wire'),
    },
    'Where the next steps of booting lie',
  ),
  image: mapOf(
    {
      name: text(),
      version: text('As the device says it that runs it'),
      file: text('The name under which it is fetched'),
      bytes: number('Null until its content is there, as its digests'),
      sha256: text(),
      sha512: text(),
    },
    'The image that it should run, by image.wanted; null for none',
  ),
};

const typeShapes: Record<SettingType, Shape> = {
  text: text(),
  number: number(),
  bool: bool(),
  address: text(),
  prefix: text(),
  'list-of-text': listOf(text()),
  'list-of-addresses': listOf(text()),
  map: mapOfAll({ is: 'any' }),
};
const secretShapes: Partial<Record<SettingType, Shape>> = {
  map: mapOfAll(secretShape()),
  'list-of-text': listOf(secretShape()),
};

/** `time.servers` lies at `set.time.servers`. */
function settingShapes(entries: readonly CatalogueEntry[]): Shape {
  const root = mapOf({}, 'The effective settings; unset ones are null');
  for (const { name, about, valueType, secret } of entries) {
    const parts = name.split('.');
    let here = root;
    for (const part of parts.slice(0, -1)) {
      if (here.is !== 'map') break;
      here = here.fields[part] ??= mapOf({});
    }
    const shape = secret ? (secretShapes[valueType] ?? secretShape()) : typeShapes[valueType];
    if (here.is === 'map') here.fields[parts.at(-1) ?? ''] = { ...shape, about };
  }
  return root;
}

export const catalogueOf = (entries: readonly CatalogueEntry[]): Catalogue => ({
  names: { ...fixedNames, set: settingShapes(entries) },
  secrets: entries.filter((e) => e.secret && e.valueType === 'text').map((e) => e.name),
});
