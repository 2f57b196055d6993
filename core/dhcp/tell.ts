/** What a client is told: every option with the record that it comes from. */
import { layerText, type Effective, type SettingValue } from '../settings/layers.ts';
import { listSetting, numberSetting, textSetting } from '../settings/read.ts';
import type { Client } from './client.ts';
import { filled, hasNames, type Named } from './fill.ts';
import { ipv4Number } from './ipv4.ts';
import type { Link } from './link.ts';
import type { BootDevice, LeaseOffer, Look } from './look.ts';
import { codeNamed, codeOf, offeredOptions, type OptionName, type OptionValue } from './options.ts';
import { optionValueOf, toldOptions, type OwnValue, type ToldOption, type Unwritten } from './ownOptions.ts';
import { classesOf, fileName, legOf, type BootProfile } from './profiles.ts';
import { LONGEST_FILE, type Offerable, type Told } from './reply.ts';

/** Strangers get their address for a short time: they may soon be somebody. */
const STRANGER_SECONDS = 300;
const STANDARD_SECONDS = 3600;
const SHORTEST_SECONDS = 60;

const offer = (name: OptionName, value: OptionValue, from: string, always = false): Offerable => ({
  code: codeOf(name),
  value,
  from,
  always,
});

type Settings = ReadonlyMap<string, Effective>;

/** Where the value of a setting comes from. */
function settingFrom(settings: Settings, name: string): string {
  const held = settings.get(name);
  const layers = new Set(
    [...(held?.origin ? [held.origin] : []), ...Object.values(held?.origins ?? {})].map(layerText),
  );
  return `setting ${name}, ${layers.size > 0 ? [...layers].join(' and ') : 'default of the catalogue'}`;
}

const ipv4Only = (addresses: string[]): string[] => addresses.filter((one) => ipv4Number(one) !== undefined);

/** The options that records give. What the prefix says goes before the settings: it knows the wire that the client is on. */
function recordedOptions(link: Link, settings: Settings): Offerable[] {
  return offeredOptions.flatMap(({ code, type, from: { prefix, setting } }): Offerable[] => {
    const text = prefix === undefined ? undefined : (link.fields[prefix] ?? undefined);
    const from = text !== undefined || setting === undefined ? `prefix ${link.key}` : settingFrom(settings, setting);
    if (type === 'addresses') {
      const value = text?.split(', ') ?? ipv4Only(listSetting(settings, setting ?? ''));
      return value.length > 0 ? [{ code, value, from, always: false }] : [];
    }
    const value = text ?? textSetting(settings, setting ?? '');
    return value === undefined ? [] : [{ code, value, from, always: false }];
  });
}

function linkOptions(link: Link): Offerable[] {
  const options = [offer('subnet-mask', link.mask, `prefix ${link.key}`, true)];
  if (link.gateway !== null) options.push(offer('routers', [link.gateway], `gateway of ${link.key}`, true));
  return options;
}

/** By what a client knows its server, and where from. */
export type Known = Pick<Told, 'serverAddress' | 'serverFrom'>;

type File = NonNullable<Told['file']>;

/** `noFile`: why a device is given no boot file. `now`: ms since 1970. */
export function toldToDevice(
  look: Pick<Look, 'server' | 'profileOf' | 'settingsOf' | 'ownOptions' | 'urlOf'>,
  known: Known,
  device: BootDevice,
  client: Client,
  place: LeaseOffer,
  now: number,
): { told: Told; noFile: string | null } {
  const { link } = place;
  const profile = look.profileOf(device, classesOf(client));
  const settings = look.settingsOf(device, link, profile);
  const { file, folder, noFile } = bootFile(look, device, profile, client, now);
  const seconds = Math.max(SHORTEST_SECONDS, Math.floor(numberSetting(settings, 'lease.seconds') ?? STANDARD_SECONDS));
  const own = ownValues(look, settings, device, client, place, { file: file?.name ?? null, folder });
  const { options, unwritten } = toldOptions(own.values);
  const bootOptions = file && profile ? fileOptions(look.server, file, profile) : [];
  const all = [
    ...linkOptions(link),
    ...recordedOptions(link, settings),
    offer('host-name', device.key, 'name of the device'),
    ...bootOptions,
    ...options.map(offerable),
  ];
  return {
    noFile,
    told: {
      address: place.address,
      addressFrom: place.from,
      leaseFrom: link.leaseSeconds === null ? settingFrom(settings, 'lease.seconds') : `prefix ${link.key}`,
      leaseSeconds: link.leaseSeconds ?? seconds,
      ...known,
      ...(file ? { file } : {}),
      siteTypes: typesOf(options),
      unwritten: [...own.unwritten, ...unwritten],
      options: inLayers(all, settings, look.ownOptions, profile?.unasked ?? []),
    },
  };
}

/** What everybody in a prefix is told alike, as far as it hangs on nobody; by the settings of who stands for all of them. */
export function toldInPrefix(
  look: Pick<Look, 'settingsOf' | 'ownOptions'>,
  standIn: Pick<BootDevice, 'id'>,
  link: Link,
): Pick<Told, 'options' | 'siteTypes'> {
  const settings = look.settingsOf(standIn, link, undefined);
  const values = look.ownOptions.flatMap((option): OwnValue[] => {
    const value = settings.get(option.name)?.value ?? null;
    if (isNothing(value) || hasNames(value)) return [];
    return [{ ...option, value: optionValueOf(option.wire, value), from: settingFrom(settings, option.name) }];
  });
  const { options } = toldOptions(values);
  const all = [...linkOptions(link), ...recordedOptions(link, settings), ...options.map(offerable)];
  return { options: inLayers(all, settings, look.ownOptions, []), siteTypes: typesOf(options) };
}

const offerable = ({ code, value, from, tell }: ToldOption): Offerable => ({
  code,
  value,
  from,
  always: tell === 'unasked',
  withheld: tell === 'withheld',
});

const typesOf = (options: readonly ToldOption[]) =>
  new Map(options.flatMap(({ code, row }) => (row ? [[code, row] as const] : [])));

/** What layers say of how options are told, whoever says their values. */
function inLayers(
  options: Offerable[],
  settings: Settings,
  own: Look['ownOptions'],
  always: readonly string[],
): Offerable[] {
  const codes = (words: readonly string[]) => new Set(words.flatMap((word) => codeSaid(word, own) ?? []));
  const unasked = codes([...always, ...listSetting(settings, 'dhcp.unasked')]);
  const withheld = codes(listSetting(settings, 'dhcp.withheld'));
  if (unasked.size + withheld.size === 0) return options;
  return options.map((one) => ({
    ...one,
    ...(unasked.has(one.code) ? { always: true, withheld: false } : {}),
    ...(withheld.has(one.code) ? { withheld: true, withheldBy: settingFrom(settings, 'dhcp.withheld') } : {}),
  }));
}

/** A number, the name of a registered option, or that of the setting that tells it. */
const codeSaid = (word: string, own: Look['ownOptions']): number | undefined =>
  /^[0-9]{1,3}$/.test(word) ? Number(word) : (codeNamed(word) ?? own.find(({ name }) => name === word)?.at.code);

/** Values of the settings that tell options, with the names in them filled in. */
function ownValues(
  { server, ownOptions }: Pick<Look, 'server' | 'ownOptions'>,
  settings: Settings,
  device: BootDevice,
  client: Client,
  place: LeaseOffer,
  files: Pick<Named, 'file' | 'folder'>,
): { values: OwnValue[]; unwritten: Unwritten[] } {
  const values: OwnValue[] = [];
  const unwritten: Unwritten[] = [];
  const { key: name, model, duty, site } = device;
  const of = { name, serial: device.box?.serial ?? null, mac: device.box?.mac ?? null, model, duty, site };
  for (const option of ownOptions) {
    const value = settings.get(option.name)?.value ?? null;
    if (isNothing(value)) continue;
    const read = filled(value, { device: of, client, place, server, ...files });
    if (!read.ok) unwritten.push({ code: option.at.code, name: option.name, why: String(read.fault.params.first) });
    else if (!isNothing(read.value))
      values.push({
        ...option,
        value: optionValueOf(option.wire, read.value),
        from: settingFrom(settings, option.name),
      });
  }
  return { values, unwritten };
}

const isNothing = (value: SettingValue): boolean =>
  value === null || value === '' || (Array.isArray(value) && value.length === 0);

function bootFile(
  look: Pick<Look, 'server' | 'urlOf'>,
  device: BootDevice,
  profile: BootProfile | undefined,
  client: Client,
  now: number,
): { file?: File; folder: string | null; noFile: string | null } {
  const { edition, window } = device;
  const without = (noFile: string) => ({ folder: null, noFile });
  if (!profile) return without(`nothing is known of how the dialect ${device.dialectName ?? '(none)'} boots`);
  if (edition === null) return without('no edition of it is published');
  if (window === null || window.until <= now) return without('its arrival window is closed');
  const leg = legOf(profile, window.legs, classesOf(client));
  const pattern = leg?.file ?? profile.file;
  const name = fileName(pattern, {
    device: device.key,
    serial: device.box?.serial ?? null,
    mac: device.box?.mac ?? client.mac,
    model: device.model,
  });
  if (name === undefined) return without(`its box is not known, and the first file is called ${pattern}`);
  const what = leg ? `leg ${profile.legs.indexOf(leg) + 1} of ${profile.legs.length + 1}` : `edition ${edition.number}`;
  return {
    noFile: null,
    file: fileAt(look, profile, window.word, name, `${profile.title}, ${what}`),
    folder: fileAt(look, profile, window.word, device.key, profile.title).name,
  };
}

const fileAt = (
  look: Pick<Look, 'server' | 'urlOf'>,
  { transport }: BootProfile,
  word: string,
  name: string,
  from: string,
): File => ({ name: transport === 'tftp' ? name : look.urlOf(transport, word, name), server: look.server, from });

/** A URL names its server itself. */
function fileOptions(server: string, { name, from }: File, { title, transport }: BootProfile): Offerable[] {
  // What the field of the header has no room for is told whether it is asked for or not.
  const told = offer('bootfile-name', name, from, name.length > LONGEST_FILE);
  if (transport !== 'tftp') return [told];
  return [offer('tftp-server-name', server, title), told, offer('tftp-server-addresses', [server], title)];
}

/** A stranger learns where it is, and what those of its class fetch first: nothing that we would tell one of our own. */
export function toldToStranger(
  look: Pick<Look, 'server' | 'strangerProfile' | 'urlOf'>,
  known: Known,
  client: Client,
  place: LeaseOffer,
): Told {
  // What is kept of a stranger is its vendor class: by that it is given the file, too.
  const profile = look.strangerProfile(client.vendorClass === null ? [] : [client.vendorClass]);
  const name =
    profile?.stranger &&
    fileName(profile.stranger.file, { device: 'stranger', serial: client.serial, mac: client.mac, model: null });
  const from = `${profile?.title ?? ''}, first file for strangers`;
  const file = profile && name ? fileAt(look, profile, 'first', name, from) : undefined;
  const options = [...linkOptions(place.link), ...(file && profile ? fileOptions(look.server, file, profile) : [])];
  return {
    address: place.address,
    addressFrom: place.from,
    leaseSeconds: STRANGER_SECONDS,
    leaseFrom: 'short for strangers: they may soon be somebody',
    ...known,
    ...(file ? { file } : {}),
    options: inLayers(options, new Map(), [], profile?.unasked ?? []),
  };
}
