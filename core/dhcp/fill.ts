/** Values of options with names in them: `@{device.name}` is filled in for whoever asks. */
import { checkTemplate, type Catalogue } from '../template/check.ts';
import { compileTemplate } from '../template/compile.ts';
import { faultText, TemplateStop } from '../template/faults.ts';
import { ArgumentFault } from '../template/functions.ts';
import { render } from '../template/render.ts';
import { mapOf, text } from '../template/shapes.ts';
import type { Val } from '../template/values.ts';
import { fail, ok, type Parsed } from '../fault.ts';
import type { SettingValue } from '../settings/layers.ts';
import type { Client } from './client.ts';
import { ipv4Of } from './ipv4.ts';
import type { LeaseOffer } from './look.ts';

const optionNames: Catalogue = {
  names: {
    device: mapOf(
      {
        name: text('Its name'),
        serial: text('Of its box; null for none'),
        mac: text('Of its box; null for none'),
        model: text('larkfield/lf-24; null for none'),
        duty: text(),
        site: text('The code of its site; null for none'),
      },
      'The device',
    ),
    client: mapOf(
      {
        mac: text('The hardware address in its packet'),
        class: text('Its vendor class (option 60)'),
        relay: text('null on the wire of the service'),
        circuit: text('What the relay says of its port'),
      },
      'Who asks',
    ),
    prefix: mapOf({ cidr: text(), mask: text(), gateway: text('null for none') }, 'Where it boots'),
    address: text('The address that it is given'),
    server: text('The address of this service'),
    file: text('The name or URL of its first file; null where it is given none'),
    folder: text('The name or URL below which its further files lie; null where it is given none'),
  },
  secrets: [],
};

export type Named = {
  device: {
    name: string;
    serial: string | null;
    mac: string | null;
    model: string | null;
    duty: string | null;
    site: string | null;
  };
  client: Pick<Client, 'mac' | 'vendorClass' | 'relay' | 'circuit'>;
  place: LeaseOffer;
  server: string;
  /** The name or URL of its first file, where it is given one. */
  file: string | null;
  /** The name or URL below which its further files lie. */
  folder: string | null;
};

const NAME = 'option';

const refused = (): never => {
  throw new ArgumentFault('digests are not made for options of DHCP');
};
const host = { sha256: refused, sha512crypt: refused };

/** Whether anything in a value is filled in. */
export const hasNames = (value: SettingValue): boolean =>
  Array.isArray(value) ? value.some(hasNames) : typeof value === 'string' && value.includes('@{');

/** What is wrong with a text that has names in it, before there is anybody who asks. */
export const faultIn = (source: string): string | undefined => {
  const [fault] = checkTemplate(NAME, source, () => undefined, optionNames);
  return fault && faultText(fault);
};

/** Of one line each: what is told is a word, not a page. */
export function filled(value: SettingValue, named: Named): Parsed<SettingValue, 'option-fill'> {
  if (!hasNames(value)) return ok(value);
  if (!Array.isArray(value)) return filledText(String(value), named);
  const out: SettingValue[] = [];
  for (const one of value) {
    const read = filledText(String(one), named);
    if (!read.ok) return read;
    if (read.value !== '') out.push(read.value);
  }
  return ok(out);
}

function filledText(source: string, named: Named): Parsed<string, 'option-fill'> {
  try {
    const [file] = render(
      compileTemplate(NAME, source, () => undefined),
      { data: dataOf(named), secrets: {}, host },
    );
    return ok((file?.text ?? '').trim());
  } catch (error) {
    if (error instanceof TemplateStop) return fail('option-fill', { first: error.fault.message });
    throw error;
  }
}

const dataOf = ({ device, client, place: { address, link }, server, file, folder }: Named): Record<string, Val> => ({
  device,
  client: { mac: client.mac, class: client.vendorClass, relay: client.relay, circuit: client.circuit },
  prefix: { cidr: `${ipv4Of(link.first)}/${link.length}`, mask: link.mask, gateway: link.gateway },
  address,
  server,
  file,
  folder,
});
