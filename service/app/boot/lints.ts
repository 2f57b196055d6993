/** What of a boot profile is possible, and would not be taken by the devices that it is for. */
import { codeOf, optionName } from '@zpine/core/dhcp/options';
import { LONGEST_FILE } from '@zpine/core/dhcp/reply';
import { decodeMessage } from '@zpine/core/dhcp/message';
import { fileName, saidWords, type Transport } from '@zpine/core/dhcp/profiles';
import type { DialectSheet } from '@zpine/core/dialect/sheet';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import type { OwnOption } from '@zpine/core/dhcp/ownOptions';
import { ownOptionOf } from '../settings/options.ts';

type Profile = Stored<'bootprofile'>;

/** `detail`: a sentence without its full stop. `remedy`: a command that mends it, or leads there. */
export type Lint = { detail: string; remedy: string };

export async function profileLints(tx: Tx, profile: Profile): Promise<Lint[]> {
  const sheet = await sheetOf(tx, profile);
  const own = [
    ...(sheet ? bySheet(profile, sheet) : []),
    ...(await tooLong(tx, profile)),
    ...(await goneTexts(tx, profile)),
  ].map((detail) => ({ detail, remedy: `zpine bootprofile show ${profile.key}` }));
  return [...own, ...(await neverAsked(tx, profile))];
}

/** That of its dialect, or of the dialect of its model. */
async function sheetOf(tx: Tx, { dialect, model }: Profile): Promise<DialectSheet | undefined> {
  const id = dialect ?? (model === null ? null : ((await byIds(tx, 'model', [model])).get(model)?.dialect ?? null));
  const record = id === null ? undefined : (await allOf(tx, 'dialect')).find((one) => one.id === id);
  return record && tx.dialects.of(record.key, record.sheet)?.sheet;
}

const endingOf = (name: string): string => /\.[A-Za-z0-9]+$/.exec(name)?.[0] ?? '';

function bySheet({ transport, file, names, classes }: Profile, { title, boot }: DialectSheet): string[] {
  if (!boot) return [];
  const out: string[] = [];
  const ending = endingOf(boot.file);
  const wrong = [file, ...saidWords(names)].filter((name) => ending !== '' && endingOf(name) !== ending);
  if (wrong.length > 0) out.push(`${title} takes files that end in ${ending}, and ${wrong.join(', ')} does not`);
  if (!boot.transports.includes(transport as Transport))
    out.push(`${title} fetches its first file by ${boot.transports.join(' or ')} alone, and would not follow a URL`);
  const strange = saidWords(classes).filter(
    (one) => !/^[0-9]+:/.test(one) && !one.startsWith(boot.vendorClass) && !boot.vendorClass.startsWith(one),
  );
  if (strange.length > 0)
    out.push(`devices of ${title} call themselves ${boot.vendorClass}, and not ${strange.join(', ')}`);
  return out;
}

/** RFC 2131, section 2: the field has 128 bytes, with a NUL at its end. */
async function tooLong(tx: Tx, { dialect, model, duty, file, transport }: Profile): Promise<string[]> {
  if (transport !== 'tftp') return [];
  const [longest] = await tx.select<{ name: string }>(
    `SELECT d.name FROM device d LEFT JOIN model m ON m.id = d.model_id
     WHERE (? IS NULL OR d.model_id = ?) AND (? IS NULL OR d.duty_id = ?) AND (? IS NULL OR COALESCE(d.dialect_id, m.dialect_id) = ?)
     ORDER BY LENGTH(d.name) DESC LIMIT 1`,
    [model, model, duty, duty, dialect, dialect],
  );
  const name = longest && fileName(file, { device: longest.name, serial: '', mac: '', model: '' });
  return name !== undefined && name.length > LONGEST_FILE
    ? [`for ${longest?.name} its name has ${name.length} bytes: a TFTP client reads ${LONGEST_FILE} of them`]
    : [];
}

async function goneTexts(tx: Tx, { legs }: Profile): Promise<string[]> {
  if (!Array.isArray(legs)) return [];
  const known = new Set((await allOf(tx, 'template')).map(({ key }) => key));
  return (legs as { template?: string }[]).flatMap(({ template }, i) =>
    template !== undefined && !known.has(template)
      ? [`leg ${i + 1} is made of ${template}, and there is no such template`]
      : [],
  );
}

/** So many of the last exchanges are looked at. */
const LOOKED_AT = 200;
const FILE = [codeOf('tftp-server-name'), codeOf('bootfile-name'), codeOf('tftp-server-addresses')];

/** By what clients of the profile asked for, as far as anything was kept of them. */
async function neverAsked(tx: Tx, profile: Profile): Promise<Lint[]> {
  const { dialect, model, duty, classes, unasked, transport, key } = profile;
  const rows = await tx.select<{ request: Buffer }>(
    `SELECT b.request FROM boot_record b JOIN device d ON d.id = b.device_id LEFT JOIN model m ON m.id = d.model_id
     WHERE b.protocol = 'dhcp' AND b.request IS NOT NULL
       AND (? IS NULL OR d.model_id = ?) AND (? IS NULL OR d.duty_id = ?) AND (? IS NULL OR COALESCE(d.dialect_id, m.dialect_id) = ?)
     ORDER BY b.id DESC LIMIT ${LOOKED_AT}`,
    [model, model, duty, duty, dialect, dialect],
  );
  const wanted = saidWords(classes);
  const asked = new Set<number>();
  let seen = 0;
  for (const { request } of rows) {
    const message = decodeMessage(request);
    const said = message.ok ? message.value.options.get(codeOf('vendor-class')) : undefined;
    const called = said ? Buffer.from(said).toString() : '';
    if (!message.ok || (wanted.length > 0 && !wanted.some((one) => called.startsWith(one)))) continue;
    seen += 1;
    for (const code of message.value.options.get(codeOf('parameter-request-list')) ?? []) asked.add(code);
  }
  if (seen === 0) return [];
  const told = new Set(saidWords(unasked));
  const isTold = (code: number, name: string) => told.has(String(code)) || told.has(name);
  const packets = seen === 1 ? 'the only packet of its clients' : `the last ${seen} packets of its clients`;
  const none = seen === 1 ? `${packets} does not ask` : `none of ${packets} asks`;
  const out: Lint[] = (await optionsSaid(tx, profile))
    .filter(({ at, name }) => !asked.has(at.code) && !isTold(at.code, name))
    .map(({ at, name }) => ({
      detail: `${none} for option ${at.code} (${name}), and nobody tells it unasked`,
      remedy: `zpine setting edit ${name} --tell unasked`,
    }));
  const file = transport !== 'tftp' ? [codeOf('bootfile-name')] : FILE;
  if (!file.some((code) => asked.has(code) || isTold(code, optionName(code))))
    out.push({
      detail: `${none} for option ${file.join(', ')}: they have the name of their file from the header alone`,
      remedy: `zpine bootprofile edit ${key} --unasked ${file.join(',')}`,
    });
  return out;
}

/** Options that are told when they are asked for, and of which something is said to all clients of the profile. */
async function optionsSaid(tx: Tx, { id, dialect, model, duty }: Profile): Promise<OwnOption[]> {
  const settings = (await allOf(tx, 'setting')).filter(
    ({ dhcpOption, tell }) => dhcpOption !== null && tell === 'asked',
  );
  if (settings.length === 0) return [];
  const rows = await tx.select<{ setting_id: number }>(
    `SELECT DISTINCT setting_id FROM setting_value WHERE setting_id IN (?) AND (layer_kind = 'everywhere'
       OR (layer_kind = 'dialect' AND layer_id = ?) OR (layer_kind = 'model' AND layer_id = ?)
       OR (layer_kind = 'duty' AND layer_id = ?) OR (layer_kind = 'bootprofile' AND layer_id = ?))`,
    [settings.map((one) => one.id), dialect, model, duty, id],
  );
  const said = new Set(rows.map((row) => Number(row.setting_id)));
  return settings
    .filter((one) => one.defaultValue !== null || said.has(one.id))
    .flatMap((one) => ownOptionOf(one) ?? []);
}
