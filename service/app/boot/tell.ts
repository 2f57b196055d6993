/** What a client is told: every option with the record that it comes from. */
import { parsePrefix } from '@zpine/core/addressing/prefix';
import { formatIp, parseIp } from '@zpine/core/addressing/ip';
import { mustParse } from '@zpine/core/fault';
import { codeOf, offeredOptions, type OptionName, type OptionValue } from '@zpine/core/dhcp/options';
import { type Offerable, type Told } from '@zpine/core/dhcp/reply';
import { bootFileOf } from '@zpine/core/dialect/dialect';
import { type DialectSheet } from '@zpine/core/dialect/sheet';
import { layerText } from '@zpine/core/settings/layers';
import { type Stored } from '@zpine/contract/kinds';
import { keyOf } from '../../store/records.ts';
import { type Tx } from '../../store/tx.ts';
import { openArrival } from '../arrivals/arrivals.ts';
import { publishedOf } from '../editions/rows.ts';
import { dialectById } from '../fleet/dialects.ts';
import { dialectIdOf } from '../devices/inForce.ts';
import { listSetting, numberSetting, settingsOf, textSetting, type DeviceSettings } from '../settings/effective.ts';
import { type LeaseOffer } from './leases.ts';

/** Strangers get their address for a short time: they may soon be somebody. */
const STRANGER_SECONDS = 300;
const STANDARD_SECONDS = 3600;

const maskText = (link: Stored<'prefix'>): string => {
  const { length } = mustParse(parsePrefix(link.cidr));
  return formatIp({ family: 4, value: length === 0 ? 0n : (0xffffffffn << BigInt(32 - length)) & 0xffffffffn });
};

const offer = (name: OptionName, value: OptionValue, from: string, always = false): Offerable => ({
  code: codeOf(name),
  value,
  from,
  always,
});

/** Where the value of a setting comes from. */
function settingFrom(settings: DeviceSettings, name: string): string {
  const held = settings.get(name);
  const layers = new Set(
    [...(held?.origin ? [held.origin] : []), ...Object.values(held?.origins ?? {})].map(layerText),
  );
  return `setting ${name}, ${layers.size > 0 ? [...layers].join(' and ') : 'default of the catalogue'}`;
}

const ipv4Only = (addresses: string[]): string[] => addresses.filter((a) => mustParse(parseIp(a)).family === 4);

/** The options that records give. What the prefix says goes before the settings: it knows the wire that the client is on. */
function recordedOptions(link: Stored<'prefix'>, settings: DeviceSettings): Offerable[] {
  return offeredOptions.flatMap(({ code, type, from: { prefix, setting } }): Offerable[] => {
    const own = prefix === undefined ? null : (link as Record<string, unknown>)[prefix];
    const text = typeof own === 'string' ? own : undefined;
    const from = text !== undefined || setting === undefined ? `prefix ${link.key}` : settingFrom(settings, setting);
    if (type === 'addresses') {
      const value = text?.split(', ') ?? ipv4Only(listSetting(settings, setting ?? ''));
      return value.length > 0 ? [{ code, value, from, always: false }] : [];
    }
    const value = text ?? textSetting(settings, setting ?? '');
    return value === undefined ? [] : [{ code, value, from, always: false }];
  });
}

export interface BootAnswer {
  told: Told;
  /** Why a device is given no boot file. */
  noFile: string | null;
}

function linkOptions(link: Stored<'prefix'>, gateway: string | null, gatewayFrom: string): Offerable[] {
  const options = [offer('subnet-mask', maskText(link), `prefix ${link.key}`, true)];
  if (gateway !== null) options.push(offer('routers', [gateway], gatewayFrom, true));
  return options;
}

/** What is known of how a device boots. */
export interface BootFacts {
  settings: DeviceSettings;
  dialectName: string | null;
  sheet: DialectSheet | undefined;
  /** The number of its published edition. */
  edition: number | null;
  /** Its arrival window. */
  open: boolean;
}

export async function answerForDevice(
  tx: Tx,
  device: Stored<'device'>,
  link: Stored<'prefix'>,
  place: LeaseOffer,
): Promise<BootAnswer> {
  const dialectId = await dialectIdOf(tx, device);
  return bootAnswer(tx.place.address, device, link, place, {
    settings: await settingsOf(tx, device),
    dialectName: await keyOf(tx, 'dialect', dialectId),
    sheet: (await dialectById(tx, dialectId))?.sheet,
    edition: (await publishedOf(tx, device.id))?.number ?? null,
    open: (await openArrival(tx, device.id)) !== undefined,
  });
}

/** `server`: the boot address of the service. */
export function bootAnswer(
  server: string,
  device: Stored<'device'>,
  link: Stored<'prefix'>,
  place: LeaseOffer,
  facts: BootFacts,
): BootAnswer {
  const { settings } = facts;
  const options = linkOptions(link, link.gateway, `gateway of ${link.key}`);
  options.push(...recordedOptions(link, settings), offer('host-name', device.key, `name of the device`));
  const { file, noFile, bootOptions } = bootFile(server, device, facts);
  options.push(...bootOptions);
  return {
    noFile,
    told: {
      address: place.address,
      addressFrom: place.from,
      leaseFrom: link.leaseSeconds === null ? settingFrom(settings, 'lease.seconds') : `prefix ${link.key}`,
      leaseSeconds:
        link.leaseSeconds ?? Math.max(60, Math.floor(numberSetting(settings, 'lease.seconds') ?? STANDARD_SECONDS)),
      serverAddress: server,
      ...(file ? { file } : {}),
      options,
    },
  };
}

function bootFile(
  server: string,
  device: Stored<'device'>,
  { sheet, dialectName, edition, open }: BootFacts,
): { file?: NonNullable<Told['file']>; noFile: string | null; bootOptions: Offerable[] } {
  const none = (noFile: string) => ({ noFile, bootOptions: [] });
  const file = sheet && bootFileOf(sheet, device.key);
  if (file === undefined) return none(`nothing is known of how the dialect ${dialectName ?? '(none)'} boots`);
  if (edition === null) return none('no edition of it is published');
  if (!open) return none('its arrival window is closed');
  const from = `boot profile of ${sheet?.title ?? ''}, edition ${edition}`;
  const always = (code: number) => (sheet?.boot?.always ?? []).includes(code);
  return {
    noFile: null,
    file: { name: file, server, from },
    bootOptions: [
      offer('tftp-server-name', server, `boot profile of ${sheet?.title ?? ''}`, always(66)),
      offer('bootfile-name', file, from, always(67)),
      offer('tftp-server-addresses', [server], `boot profile of ${sheet?.title ?? ''}`, always(150)),
    ],
  };
}

/** A stranger learns where it is, and nothing of what we would tell one of our own. */
export function answerForStranger(tx: Tx, link: Stored<'prefix'>, place: LeaseOffer): Told {
  return {
    address: place.address,
    addressFrom: place.from,
    leaseSeconds: STRANGER_SECONDS,
    leaseFrom: 'short for strangers: they may soon be somebody',
    serverAddress: tx.place.address,
    options: linkOptions(link, link.gateway, `gateway of ${link.key}`),
  };
}
