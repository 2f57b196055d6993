/**
 * Boot profiles: how a kind of device boots. Which of them holds for a client follows from the most particular match: its
 * class says more than its duty, a duty more than a model, a model more than a dialect.
 */
import type { DialectSheet } from '../dialect/sheet.ts';
import type { Client } from './client.ts';

export const transports = ['tftp', 'http', 'https'] as const;
export type Transport = (typeof transports)[number];

/** One boot before the last, with a restart behind it. */
export type Leg = {
  /** The name of what is fetched in it. */
  file: string;
  /** The template that it is made of. */
  template: string;
  /** How a client announces itself in it; left out, legs follow one another. */
  class?: string | undefined;
};

export type BootProfile = {
  /** 0 for what the sheet of a dialect says. */
  id: number;
  /** As people are told: `boot profile harbour`. */
  title: string;
  dialect: number | null;
  model: number | null;
  duty: number | null;
  /** How classes of its clients begin; none: whichever. */
  classes: readonly string[];
  transport: Transport;
  file: string;
  /** More names under which the first file is given. */
  names: readonly string[];
  legs: readonly Leg[];
  /** Options that are told though nobody asks, by number or name. */
  unasked: readonly string[];
  /** What clients of its classes fetch that are nobody's. */
  stranger: { file: string; template: string } | null;
};

/** What a profile is matched with. */
export type Bootable = { dialect: number | null; model: number | null; duty: number | null };

/** All that a client calls itself: 60, 77, and 124 as `4711:loader`. */
export const classesOf = (client: Pick<Client, 'vendorClass' | 'userClasses' | 'enterpriseClasses'>): string[] => [
  ...(client.vendorClass === null ? [] : [client.vendorClass]),
  ...client.userClasses,
  ...client.enterpriseClasses,
];

/** The length of the longest beginning that fits; 0 where any does; undefined where none does. */
function fitting(wanted: readonly string[], said: readonly string[]): number | undefined {
  if (wanted.length === 0) return 0;
  const fits = wanted.filter((begins) => said.some((one) => one.startsWith(begins)));
  return fits.length === 0 ? undefined : Math.max(...fits.map(({ length }) => length));
}

const rank = ({ classes, duty, model, dialect }: BootProfile): number =>
  (classes.length > 0 ? 8 : 0) + (duty === null ? 0 : 4) + (model === null ? 0 : 2) + (dialect === null ? 0 : 1);

/** `classes`: of the client; left out where nobody has asked yet. */
export function profilesFor(
  profiles: readonly BootProfile[],
  device: Bootable,
  classes?: readonly string[],
): BootProfile[] {
  const suits = (wanted: number | null, has: number | null) => wanted === null || wanted === has;
  return profiles
    .flatMap((profile) => {
      const { dialect, model, duty } = profile;
      const length = classes ? fitting(profile.classes, classes) : 0;
      const all = suits(dialect, device.dialect) && suits(model, device.model) && suits(duty, device.duty);
      return all && length !== undefined ? [{ profile, length }] : [];
    })
    .sort(
      (a, b) =>
        rank(b.profile) - rank(a.profile) || b.length - a.length || (a.profile.title < b.profile.title ? -1 : 1),
    )
    .map(({ profile }) => profile);
}

/** For a client that is nobody's: a profile that names its class, and has something for it. */
export function strangerProfile(profiles: readonly BootProfile[], classes: readonly string[]): BootProfile | undefined {
  return profiles
    .flatMap((profile) => {
      const length = profile.stranger && profile.classes.length > 0 ? fitting(profile.classes, classes) : undefined;
      return length === undefined ? [] : [{ profile, length }];
    })
    .sort((a, b) => b.length - a.length || (a.profile.title < b.profile.title ? -1 : 1))[0]?.profile;
}

/** What a sheet says of how its devices boot: where no record says otherwise. */
export function profileOfSheet(dialect: number, sheet: DialectSheet | undefined): BootProfile | undefined {
  if (!sheet?.boot) return undefined;
  return {
    id: 0,
    title: `boot profile of ${sheet.title}`,
    dialect,
    model: null,
    duty: null,
    classes: [],
    transport: 'tftp',
    file: sheet.boot.file,
    names: [],
    legs: [],
    unasked: sheet.boot.always.map(String),
    stranger: null,
  };
}

/** What stands for itself in the name of a file. */
export type FileNames = { device: string; serial: string | null; mac: string | null; model: string | null };
export const fileBlanks = ['device', 'serial', 'mac', 'model'] as const;

const BLANK = /\{([a-z]*)\}/g;
const NAME = /^[A-Za-z0-9._+-]+(\/[A-Za-z0-9._+-]+)*$/;

/** Words with commas between them. */
export const saidWords = (text: string | null): string[] =>
  (text ?? '')
    .split(',')
    .map((word) => word.trim())
    .filter((word) => word !== '');

/** What is wrong with the name of a file, or with a pattern of names; undefined where nothing is. */
export function patternFault(pattern: string): string | undefined {
  const blanks = [...pattern.matchAll(BLANK)].map(([, name = '']) => name);
  const unknown = blanks.find((name) => !(fileBlanks as readonly string[]).includes(name));
  if (unknown !== undefined) return `{${unknown}} is not known`;
  const plain = pattern.replace(BLANK, 'x');
  if (plain === '') return 'it is empty';
  if (plain.split('/').some((part) => /^\.*$/.test(part))) return 'a part of it is empty, or of dots alone';
  return NAME.test(plain) ? undefined : 'signs of it do not stand in a name of a file';
}

/** Undefined where a part of it is not known. `larkfield/lf-24` is `lf-24` here, `02:00:5e:77:00:01` is `02005e770001`. */
export function fileName(pattern: string, names: FileNames): string | undefined {
  let missing = false;
  const text = pattern.replace(/\{(device|serial|mac|model)\}/g, (_, blank: (typeof fileBlanks)[number]) => {
    const held = names[blank];
    if (held === null) missing = true;
    if (blank === 'mac') return held?.replaceAll(':', '') ?? '';
    return (blank === 'model' ? held?.split('/').at(-1) : held) ?? '';
  });
  return missing ? undefined : text;
}

/** The leg that a client is on; undefined for the last one. `done`: files of legs that it fetched in this window. */
export function legOf({ legs }: BootProfile, done: number, classes: readonly string[]): Leg | undefined {
  const said = legs.find((leg) => leg.class !== undefined && fitting([leg.class], classes) !== undefined);
  return said ?? legs.filter((leg) => leg.class === undefined)[done];
}

/** What a name leads to: the edition's first file, or what a leg begins with. */
export type NamedFile = { profile: BootProfile; name: string; leg: Leg | undefined };

/** All names under which a device is given something, as its profiles have them: the first one is the usual. */
export function namedFiles(profiles: readonly BootProfile[], names: FileNames): NamedFile[] {
  const named = (profile: BootProfile, pattern: string, leg: Leg | undefined): NamedFile[] => {
    const name = fileName(pattern, names);
    return name === undefined ? [] : [{ profile, name, leg }];
  };
  return profiles.flatMap((profile) => [
    ...[profile.file, ...profile.names].flatMap((pattern) => named(profile, pattern, undefined)),
    ...profile.legs.flatMap((leg) => named(profile, leg.file, leg)),
  ]);
}

/** How a device calls itself when nobody has heard it yet: as its profile says, or its sheet. */
export const usualClass = (
  profiles: readonly BootProfile[],
  device: Bootable,
  sheet: DialectSheet | undefined,
): string | undefined => profilesFor(profiles, device)[0]?.classes[0] ?? sheet?.boot?.vendorClass;
