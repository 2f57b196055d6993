/** What a client is told: every option with the record that it comes from. */
import { bootFileOf } from '../dialect/dialect.ts';
import { layerText, type Effective } from '../settings/layers.ts';
import { listSetting, numberSetting, textSetting } from '../settings/read.ts';
import { ipv4Number } from './ipv4.ts';
import type { Link } from './link.ts';
import type { BootDevice, LeaseOffer } from './look.ts';
import { codeOf, offeredOptions, type OptionName, type OptionValue } from './options.ts';
import type { Offerable, Told } from './reply.ts';

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

/** `noFile`: why a device is given no boot file. `now`: ms since 1970. */
export function toldToDevice(
  server: string,
  known: Known,
  device: BootDevice,
  place: LeaseOffer,
  now: number,
): { told: Told; noFile: string | null } {
  const { settings } = device;
  const { link } = place;
  const { file, noFile, bootOptions } = bootFile(server, device, now);
  const seconds = Math.max(SHORTEST_SECONDS, Math.floor(numberSetting(settings, 'lease.seconds') ?? STANDARD_SECONDS));
  return {
    noFile,
    told: {
      address: place.address,
      addressFrom: place.from,
      leaseFrom: link.leaseSeconds === null ? settingFrom(settings, 'lease.seconds') : `prefix ${link.key}`,
      leaseSeconds: link.leaseSeconds ?? seconds,
      ...known,
      ...(file ? { file } : {}),
      options: [
        ...linkOptions(link),
        ...recordedOptions(link, settings),
        offer('host-name', device.key, 'name of the device'),
        ...bootOptions,
      ],
    },
  };
}

function bootFile(
  server: string,
  device: BootDevice,
  now: number,
): { file?: NonNullable<Told['file']>; noFile: string | null; bootOptions: Offerable[] } {
  const none = (noFile: string) => ({ noFile, bootOptions: [] });
  const { sheet, edition, windowUntil } = device;
  const file = sheet && bootFileOf(sheet, device.key);
  if (file === undefined) return none(`nothing is known of how the dialect ${device.dialectName ?? '(none)'} boots`);
  if (edition === null) return none('no edition of it is published');
  if (windowUntil === null || windowUntil <= now) return none('its arrival window is closed');
  const profile = `boot profile of ${sheet?.title ?? ''}`;
  const from = `${profile}, edition ${edition.number}`;
  const always = (code: number) => (sheet?.boot?.always ?? []).includes(code);
  return {
    noFile: null,
    file: { name: file, server, from },
    bootOptions: [
      offer('tftp-server-name', server, profile, always(66)),
      offer('bootfile-name', file, from, always(67)),
      offer('tftp-server-addresses', [server], profile, always(150)),
    ],
  };
}

/** A stranger learns where it is, and nothing of what we would tell one of our own. */
export const toldToStranger = (known: Known, place: LeaseOffer): Told => ({
  address: place.address,
  addressFrom: place.from,
  leaseSeconds: STRANGER_SECONDS,
  leaseFrom: 'short for strangers: they may soon be somebody',
  ...known,
  options: linkOptions(place.link),
});
