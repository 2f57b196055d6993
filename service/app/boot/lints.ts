/** What of a boot profile is possible, and would not be taken by the devices that it is for. */
import { codeOf, optionName } from '@zpine/core/dhcp/options';
import { LONGEST_FILE } from '@zpine/core/dhcp/reply';
import { decodeMessage } from '@zpine/core/dhcp/message';
import { fileName, saidWords, type Transport } from '@zpine/core/dhcp/profiles';
import type { DialectSheet } from '@zpine/core/dialect/sheet';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { ownOptionOf } from '../settings/options.ts';

type Profile = Stored<'bootprofile'>;

/** Each a sentence without its full stop. */
export async function profileLints(tx: Tx, profile: Profile): Promise<string[]> {
  const sheet = await sheetOf(tx, profile);
  return [
    ...(sheet ? bySheet(profile, sheet) : []),
    ...(await tooLong(tx, profile)),
    ...(await goneTexts(tx, profile)),
    ...(await neverAsked(tx, profile)),
  ];
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
async function neverAsked(tx: Tx, { dialect, model, duty, classes, unasked, transport }: Profile): Promise<string[]> {
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
  const own = (await allOf(tx, 'setting')).flatMap((one) => (one.tell === 'asked' ? (ownOptionOf(one) ?? []) : []));
  const told = new Set(saidWords(unasked));
  const isTold = (code: number, name: string) => told.has(String(code)) || told.has(name);
  const out = own
    .filter(({ at, name }) => !asked.has(at.code) && !isTold(at.code, name))
    .map(
      ({ at, name }) =>
        `none of the last ${seen} packets of its clients asks for option ${at.code} (${name}), and nobody tells it unasked`,
    );
  const file = transport === 'http' ? [codeOf('bootfile-name')] : FILE;
  if (!file.some((code) => asked.has(code) || isTold(code, optionName(code))))
    out.push(
      `none of the last ${seen} packets of its clients asks for option ${file.join(', ')}: they have the name of their file from the header alone`,
    );
  return out;
}
