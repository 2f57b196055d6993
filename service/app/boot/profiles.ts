/** Boot profiles out of the records, and what a device fetches by them. */
import { readLegs } from '@zpine/core/dhcp/legs';
import {
  namedFiles,
  profileOfSheet,
  profilesFor,
  saidWords,
  type Bootable,
  type BootProfile,
  type NamedFile,
  type Transport,
} from '@zpine/core/dhcp/profiles';
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Stored } from '@zpine/contract/kinds';
import { allOf, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** `text`: the key of the template that is given to strangers. */
function profileOf(record: Stored<'bootprofile'>, text: string | undefined): BootProfile {
  const { id, key, dialect, model, duty, strangerFile } = record;
  return {
    id,
    title: `boot profile ${key}`,
    dialect,
    model,
    duty,
    classes: saidWords(record.classes),
    transport: record.transport as Transport,
    file: record.file,
    names: saidWords(record.names),
    legs: readLegs(record.legs).legs,
    unasked: saidWords(record.unasked),
    stranger: text === undefined || strangerFile === null ? null : { file: strangerFile, template: text },
  };
}

export async function bootProfiles(tx: Tx): Promise<BootProfile[]> {
  const records = await allOf(tx, 'bootprofile');
  const texts = await keysOf(
    tx,
    'template',
    records.flatMap(({ strangerText }) => strangerText ?? []),
  );
  return records.map((record) => profileOf(record, texts.get(record.strangerText ?? 0)));
}

/** A device as it is known here: its box is read where the name of a file asks for it. */
export type Booting = {
  device: Pick<Stored<'device'>, 'key' | 'model' | 'duty'>;
  dialect: number | null;
  described: Dialect | undefined;
  model: string | null;
  box: { serial: string | null; mac: string | null } | null;
};

/** Those that could be the device's, the best one first; with what its sheet says behind them. */
function profilesOf(profiles: readonly BootProfile[], { device, dialect, described }: Booting): BootProfile[] {
  const of: Bootable = { dialect, model: device.model, duty: device.duty };
  const sheet = dialect === null ? undefined : profileOfSheet(dialect, described?.sheet);
  return [...profilesFor(profiles, of), ...(sheet ? [sheet] : [])];
}

/** All names under which the device is given something, as its profiles have them. */
export function filesNamed(profiles: readonly BootProfile[], booting: Booting): NamedFile[] {
  const { device, box, model } = booting;
  const names = { device: device.key, serial: box?.serial ?? null, mac: box?.mac ?? null, model };
  return namedFiles(profilesOf(profiles, booting), names);
}
