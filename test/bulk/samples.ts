/** Records of any kind, made from its description alone: what they refer to is made first. */
import type { Client } from '@zpine/contract/client';
import type { Field, Value } from '@zpine/contract/fields';
import { fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';

/** Of the same text in every record of a kind, so that one word finds them all. */
export const NOTE = 'Beside the zanzibar crate';

let made = 100;

/** Values that the rules of a kind ask for, beyond their type. */
const particular: Partial<Record<KindName, Record<string, (n: number) => Value>>> = {
  prefix: { cidr: (n) => `10.200.${n % 250}.0/24` },
  address: { address: (n) => `10.201.0.${n % 250}` },
  filler: { positionU: (n) => (n % 20) + 1 },
  setting: { name: (n) => `sample.n${n}`, about: () => 'A sample' },
  card: { slot: (n) => String(n % 100) },
  siteplan: { steps: () => [{ vlan: 304, title: 'management' }] },
  template: { source: () => 'name @{device.name}\n' },
  check: { source: () => '@if not box\nhas no box\n@end\n' },
  bootprofile: { file: () => '{device}.sample' },
  routine: { source: () => 'journal to 10.77.0.7\n' },
  exception: { until: () => '2999-12-31' },
};

function valueOf(kind: KindName, name: string, field: Field, n: number): Value {
  const own = particular[kind]?.[name];
  if (own) return own(n);
  switch (field.type) {
    case 'name':
      return `${kind}-${n}`;
    case 'portName':
      return `9/${n}`;
    case 'code':
      return `S-${kind}-${n}`;
    case 'int':
      return n;
    case 'text':
      return `Sample ${n}`;
    case 'choice':
      return field.choices?.[0] ?? '';
    case 'colour':
      return '#123456';
    default:
      throw new Error(`a sample of ${field.type} for ${kind}.${name} is not known: say one in test/bulk/samples.ts`);
  }
}

/** The fields of a new record: its key, what is required, a note. Nothing of it stands twice. */
async function sampleFields(client: Client, kind: KindName): Promise<Record<string, Value>> {
  const k = kindOf(kind);
  const n = (made += 1);
  const out: Record<string, Value> = { note: NOTE };
  if (kind === 'address') await ensureCover(client);
  Object.assign(out, await before[kind]?.(client, n));
  for (const [name, field] of fieldsOf(k)) {
    const wanted = k.key.parts.includes(name) || (field.required && field.default === undefined);
    if (name in out) continue;
    if (!wanted || field.derived || field.byVerb || (field.default !== undefined && field.to)) continue;
    out[name] = field.to ? (await addSample(client, field.to as KindName)).key : valueOf(kind, name, field, n);
  }
  return out;
}

/** What must be there first, and the fields that say so. */
const before: Partial<Record<KindName, (client: Client, n: number) => Promise<Record<string, Value>>>> = {
  card: async (client, n) => {
    const vendor = (await addSample(client, 'vendor')).key;
    const form = `form-${n}`;
    const around = await client.add('model', { vendor, name: `chassis-${n}`, slots: `{0..99} ${form}` });
    const model = await client.add('model', { vendor, name: `card-${n}`, fits: form });
    const device = await client.add('device', { name: `slotted-${n}`, model: around.key });
    return { device: device.key, model: model.key };
  },
  carrier: async (client) => ({ address: (await addSample(client, 'address', { shared: true })).key }),
  cable: () => Promise.resolve({ farEnd: 'the next landing' }),
  // Two for the same clients would be refused.
  bootprofile: (_client, n) => Promise.resolve({ classes: `sample ${n}` }),
};

const ensureCover = async (client: Client): Promise<void> => {
  const { count } = await client.list('prefix', { cidr: '10.201.0.0/24', count: 'true' });
  if (count === 0) await client.add('prefix', { cidr: '10.201.0.0/24' });
};

export async function addSample(
  client: Client,
  kind: KindName,
  more: Record<string, Value> = {},
): Promise<{ id: number; key: string; version: number }> {
  return client.add(kind, { ...(await sampleFields(client, kind)), ...more });
}

/** What makes another record of it: the parts of the key that are not references, if it has some. */
export async function otherNames(client: Client, kind: KindName): Promise<Record<string, Value>> {
  const k = kindOf(kind);
  const fields = await sampleFields(client, kind);
  const named = k.key.parts.filter((part) => k.fields[part]?.type !== 'ref');
  const own = named.length > 0 ? named : k.key.parts;
  // A copy of a boot profile is for other clients, and one of an image has a file of its own.
  const others = { bootprofile: ['classes'], image: ['file'] }[kind as string] ?? [];
  return Object.fromEntries([...own, ...others].map((part) => [part, fields[part] ?? null]));
}
