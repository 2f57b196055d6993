/** Boot files: names of records, given to the address that was leased to the device, inside its arrival window. */
import { faultText, TemplateStop } from '@zpine/core/template/faults';
import { maskedText } from '@zpine/core/template/render';
import type { RenderedFile } from '@zpine/core/template/run';
import { utf8Bytes } from '@zpine/core/text/utf8';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, byIds, byKeys, find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { applyEvent, openArrival } from '../arrivals/arrivals.ts';
import { dialectIdOf } from '../devices/inForce.ts';
import { onTheWire, renderInputs } from '../editions/content.ts';
import { contextOf } from '../editions/context.ts';
import { filesOf, publishedOf } from '../editions/rows.ts';
import { fragmentsOf, insertedBy } from '../editions/templates.ts';
import { dialectOf } from '../fleet/dialects.ts';
import { firstFileFor } from './firstFile.ts';
import { profilesFor, type NamedFile } from '@zpine/core/dhcp/profiles';
import type { FileAnswer } from './fileAnswer.ts';
import { imageFile, imageOnUpgrade, imageWantedAs } from './imageFile.ts';
import { bootProfiles, filesNamed } from './profiles.ts';
import { windowWord } from './windowWord.ts';
import { saveBootRecord } from './records.ts';

/** Who was acknowledged the address that a file is asked for from. */
export type FileHolder = { device: number | null; mac: string; word: string };

/** `transport`: `word` is that of the URL. */
export type Asked = { name: string; from: string } & ({ transport: 'tftp' } | { transport: 'http'; word: string });

/** `harbour-sw.furrow` and, for further files of an edition, `harbour-sw/motd`. */
const wanted = (name: string): string => name.replace(/^\/+/, '');

/** The device that a URL is of, while its window is open. */
async function deviceOfWord(tx: Tx, word: string): Promise<number | undefined> {
  const [, told] = /^([0-9a-z]{1,11})-/.exec(word) ?? [];
  const id = parseInt(told ?? '', 36);
  const arrival = Number.isSafeInteger(id) ? await openArrival(tx, id) : undefined;
  if (arrival && windowWord(tx, id, arrival.opened_at.getTime()) === word) return id;
  // What an edition has in it is filled in with the word of the sign of life.
  const once = await tx.one<{ device_id: number }>(
    'SELECT device_id FROM arrival WHERE token = ? AND ended_at IS NULL AND closes_at > ?',
    [word, tx.aboutNow()],
  );
  return once && Number(once.device_id);
}

/**
 * `lease`: who has the address, as far as anybody has. Where another server gives the addresses, nobody knows: there a
 * URL that is of the device and its window is enough.
 */
export async function fileFor(
  tx: Tx,
  asked: Asked,
  lease: FileHolder | undefined,
  elsewhere = false,
): Promise<FileAnswer> {
  const { name, from, transport } = asked;
  const upgraded = await imageOnUpgrade(tx, { ...asked, name: wanted(name) });
  if (upgraded) {
    await record(tx, asked, upgraded, { device: upgraded.ok ? (upgraded.device ?? undefined) : undefined });
    return upgraded;
  }
  const byWord = asked.transport === 'http' ? await deviceOfWord(tx, asked.word) : undefined;
  const id = lease ? lease.device : elsewhere ? (byWord ?? null) : null;
  const device = id === null ? undefined : (await byIds(tx, 'device', [id], true)).get(id);
  const foreign = asked.transport === 'http' && device && byWord !== device.id;
  const answer = foreign
    ? ({ ok: false, code: 'access', why: `the URL is not that of ${device.key} and its arrival window` } as const)
    : device
      ? await fileOf(tx, device, wanted(name), lease?.mac)
      : ((lease && (await firstFileFor(tx, wanted(name), from, lease.word))) ??
        (await refuseForeign(tx, wanted(name), from, lease !== undefined)));
  await record(tx, asked, answer, { mac: lease?.mac, device: device?.id });
  const arrival = device && (await openArrival(tx, device.id));
  if (arrival) {
    const evidence = { file: name, from };
    if (answer.ok && answer.image !== undefined) {
      const { bytes } = answer.shown;
      await applyEvent(tx, arrival, { kind: 'image-asked', bytes, evidence: { ...evidence, image: answer.image } });
    } else if (answer.ok) {
      const edition = (await publishedOf(tx, device.id))?.id;
      await applyEvent(
        tx,
        arrival,
        { kind: 'file-asked', evidence: { ...evidence, transport: transport.toUpperCase() } },
        { ...(edition === undefined ? {} : { edition }), address: from },
      );
    } else await applyEvent(tx, arrival, { kind: 'file-refused', evidence: { ...evidence, why: answer.why } });
  }
  return answer;
}

const record = (
  tx: Tx,
  { name, from, transport }: Asked,
  answer: FileAnswer,
  by: { mac?: string | undefined; device?: number | undefined },
): Promise<void> =>
  saveBootRecord(tx, {
    protocol: transport,
    what: 'read',
    outcome: answer.ok ? 'answered' : 'refused',
    address: from,
    ...by,
    detail: answer.ok ? `${name}, ${answer.shown.bytes} bytes` : `${name}: ${answer.why}`,
  });

/** `mac`: by which it took its address, where its box has none in the records. */
async function fileOf(tx: Tx, device: Stored<'device'>, name: string, mac: string | undefined): Promise<FileAnswer> {
  const [box] = await find(tx, 'box', { device_id: device.id });
  const files = filesNamed(await bootProfiles(tx), {
    device,
    dialect: await dialectIdOf(tx, device),
    described: await dialectOf(tx, device),
    model: device.model === null ? null : await keyOf(tx, 'model', device.model),
    box: { serial: box?.serial ?? null, mac: box?.mac ?? (mac || null) },
  });
  const [main] = files.filter(({ leg }) => leg === undefined);
  if (main === undefined) return { ok: false, code: 'access', why: `nothing is known of how ${device.key} boots` };
  const edition = await publishedOf(tx, device.id);
  if (!edition) return { ok: false, code: 'access', why: `no edition of ${device.key} is published` };
  const named = files.find((one) => one.name === name);
  const arrival = await openArrival(tx, device.id);
  const closed = { ok: false, code: 'access', why: `the arrival window of ${device.key} is closed` } as const;
  const image = named ? undefined : await imageWantedAs(tx, device, name);
  if (image) return arrival ? imageFile(tx, device.id, image) : closed;
  if (named?.leg) return arrival ? legFile(tx, device, named, arrival.token) : closed;
  const file = (await filesOf(tx, edition.id)).find((one) =>
    one.name === '' ? named !== undefined : name === `${device.key}/${one.name}`,
  );
  if (!file) return { ok: false, code: 'not-found', why: `${device.key} has no such file; its first is ${main.name}` };
  if (!arrival) return closed;
  const answer = given(tx, device, null, file, onTheWire(file.text, arrival.token));
  return answer.ok ? { ...answer, further: file.name !== '' } : answer;
}

const given = (
  tx: Tx,
  device: Stored<'device'>,
  leg: number | null,
  file: Pick<RenderedFile, 'text' | 'secrets'>,
  text: string,
): FileAnswer => ({
  ok: true,
  content: utf8Bytes(text) ?? new Uint8Array(),
  device: device.id,
  leg,
  shown: { bytes: Buffer.byteLength(maskedText(file)), fingerprint: tx.sealer.fingerprint(file.text) },
});

/** Made when it is fetched: a leg has no edition of its own. */
async function legFile(
  tx: Tx,
  device: Stored<'device'>,
  { profile, leg }: NamedFile,
  token: string,
): Promise<FileAnswer> {
  const template = (await allOf(tx, 'template')).find(({ key }) => key === leg?.template);
  if (!leg || !template)
    return { ok: false, code: 'not-found', why: `${profile.title} names the template ${leg?.template}, which is gone` };
  try {
    const fragments = insertedBy(template, await fragmentsOf(tx));
    const { data, secrets } = await contextOf(tx, device);
    const inputs = { template: template.key, source: template.source, fragments, data, secrets };
    const [file] = renderInputs(inputs, tx.sealer, String(device.id));
    if (!file) return { ok: false, code: 'not-found', why: `${template.key} makes no file` };
    return given(tx, device, profile.legs.indexOf(leg), file, onTheWire(file.text, token));
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    return { ok: false, code: 'access', why: `${template.key} could not be made: ${faultText(error.fault)}` };
  }
}

/** Nobody's address: it hears the same of every name, so that it cannot find out which devices there are. */
async function refuseForeign(tx: Tx, name: string, from: string, leased: boolean): Promise<FileAnswer> {
  const key = name.split('/')[0]?.replace(/\.[a-z]+$/, '') ?? '';
  const known = (await byKeys(tx, 'device', [key.toLowerCase()])).size > 0;
  const why = known
    ? leased
      ? `${from} is leased to nobody who is known`
      : `${from} is not leased to ${key}`
    : 'no device has a file of this name';
  return { ok: false, code: 'not-found', why };
}

/** How a transfer ended. */
export async function transferred(
  tx: Tx,
  file: {
    device: number | null;
    leg: number | null;
    name: string;
    bytes: number;
    fingerprint: string;
    transport: 'tftp' | 'http';
    /** The key of the image that it is. */
    image?: string | undefined;
    further?: boolean | undefined;
  },
  end: { ok: true; seconds: number } | { ok: false; why: string },
): Promise<void> {
  const arrival = file.device === null ? undefined : await openArrival(tx, file.device);
  if (!end.ok)
    await saveBootRecord(tx, {
      protocol: file.transport,
      what: 'read',
      outcome: 'broken',
      device: file.device ?? undefined,
      detail: `${file.name}: ${end.why}`,
    });
  if (!arrival) return;
  const evidence = { file: file.name, bytes: file.bytes };
  const whole = { ...evidence, fingerprint: file.fingerprint, seconds: end.ok ? end.seconds : 0 };
  if (end.ok && file.image !== undefined)
    await applyEvent(tx, arrival, {
      kind: 'image-complete',
      seconds: await restartOf(tx, file.device),
      evidence: { ...whole, image: file.image },
    });
  else if (end.ok && file.leg !== null)
    await applyEvent(tx, arrival, {
      kind: 'leg-complete',
      leg: file.leg,
      seconds: await restartOf(tx, file.device),
      evidence: whole,
    });
  else if (end.ok)
    await applyEvent(tx, arrival, {
      kind: file.further === true ? 'further-complete' : 'file-complete',
      evidence: whole,
    });
  else await applyEvent(tx, arrival, { kind: 'file-broken', evidence: { ...evidence, why: end.why } });
}

/** How long the device may take from one leg to the next, in seconds. */
async function restartOf(tx: Tx, device: number | null): Promise<number> {
  const record = device === null ? undefined : (await byIds(tx, 'device', [device])).get(device);
  if (!record) return 0;
  const dialect = await dialectIdOf(tx, record);
  const [best] = profilesFor(await bootProfiles(tx), { dialect, model: record.model, duty: record.duty }).filter(
    ({ legs }) => legs.length > 0,
  );
  const profile = best && (await allOf(tx, 'bootprofile')).find(({ id }) => id === best.id);
  return (profile?.restartMinutes ?? 5) * 60;
}
