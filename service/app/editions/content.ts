/** An edition's text and inputs as they are kept: masked in the open, whole under seal. */
import { createHash } from 'node:crypto';
import { readPlaces, type FilePlace } from '@zpine/core/config/filing';
import { compileTemplate, type Compiled } from '@zpine/core/template/compile';
import { maskedText, render, SECRET_MASK } from '@zpine/core/template/render';
import type { RenderedFile, Span } from '@zpine/core/template/run';
import { Marked, secretText, type Val } from '@zpine/core/template/values';
import { fitsSha512crypt, sha512crypt } from '@zpine/core/text/sha512crypt';
import type { Stored } from '@zpine/contract/kinds';
import type { Sealer } from '../../store/sealing.ts';
import { ONE_TIME } from './context.ts';
import { sha256Hex } from '../../store/digests.ts';

/** Everything that a rendering depends on, so that it can be done again. */
export interface Inputs {
  template: string;
  source: string;
  fragments: Record<string, string>;
  data: Record<string, Val>;
  secrets: Record<string, Val>;
  /** Where its outputs go; left out where they go nowhere. */
  places?: FilePlace[];
}

/** What a template makes of a device: its text, what it inserts, and where its outputs go. */
export function inputsWith(
  { key, source, files }: Pick<Stored<'template'>, 'key' | 'source' | 'files'>,
  fragments: Record<string, string>,
  { data, secrets }: Pick<Inputs, 'data' | 'secrets'>,
): Inputs {
  const { places } = readPlaces(files);
  return { template: key, source, fragments, data, secrets, ...(places.length > 0 ? { places } : {}) };
}

export type Files = RenderedFile[];

export const sha512 = (bytes: Uint8Array): Uint8Array => createHash('sha512').update(bytes).digest();

/** Five thousand rounds each: the same password for the same device is worked out once. */
const crypts = new Map<string, string>();
const MOST_CRYPTS = 5000;

/** The salt stays the same for a device and a secret, so that the same inputs give the same text. */
function cryptFor(sealer: Sealer, device: string, password: string): string {
  const salt = sealer.digest(`salt ${device} ${password}`).toString('base64').replaceAll('+', '.').slice(0, 12);
  const key = `${salt} ${sealer.digest(password).toString('base64')}`;
  let made = crypts.get(key);
  if (made === undefined) {
    made = sha512crypt(password, salt, sha512);
    if (crypts.size >= MOST_CRYPTS) crypts.clear();
    crypts.set(key, made);
  }
  return made;
}

export const renderInputs = (inputs: Inputs, sealer: Sealer, device: string, trace = false): Files =>
  renderWith(inputs, (password) => cryptFor(sealer, device, password), trace);

/** `crypt`: what stands in the text for a password. */
export function renderWith(inputs: Inputs, crypt: (password: string) => string, trace = false): Files {
  const { data, secrets } = inputs;
  return render(compiledOf(inputs), { data, secrets, trace, host: { sha256: sha256Hex, sha512crypt: crypt } });
}

/** Many devices have one template: it is read and compiled once. */
const compiled = new Map<string, Compiled>();
const MOST_COMPILED = 50;
let last: { source: string; fragments: object; made: Compiled } | undefined;

function compiledOf({ template, source, fragments }: Inputs): Compiled {
  if (last?.source === source && last.fragments === fragments) return last.made;
  const key = JSON.stringify([template, source, fragments]);
  let made = compiled.get(key);
  if (made === undefined) {
    made = compileTemplate(template, source, (name) => fragments[name]);
    if (compiled.size >= MOST_COMPILED) compiled.clear();
    compiled.set(key, made);
  }
  last = { source, fragments, made };
  return made;
}

/** JSON with secrets as `{"secret": text}`, which no data of ours has. */
const SECRET = '\u{e000}secret';
export const writeInputs = (inputs: Inputs): string =>
  JSON.stringify(inputs, (_key, value: unknown) => (value instanceof Marked ? { [SECRET]: value.text } : value));
export const readInputs = (text: string): Inputs =>
  JSON.parse(text, (_key, value: unknown) =>
    typeof value === 'object' && value !== null && SECRET in value ? secretText(String(value[SECRET])) : value,
  ) as Inputs;

/** Equal for editions of equal files: name and text of each, and where they go. */
export const digestOfFiles = (
  sealer: Sealer,
  files: Pick<Files[number], 'name' | 'text'>[],
  places: readonly FilePlace[] = [],
): string =>
  sealer.fingerprint(
    JSON.stringify([...files.map((f) => [f.name, f.text]), ...(places.length > 0 ? [['', '', places]] : [])]),
  );

/** Equal for equal inputs. */
export const digestOfInputs = (sealer: Sealer, inputs: Inputs): string => sealer.fingerprint(writeInputs(inputs));

export interface ShownFile {
  name: string;
  text: string;
  parts: { name: string; owned: boolean; fromLine: number; toLine: number }[];
}

/** The one-time part of a URL, as it is shown. */
const ONCE_SHOWN = 'ONE-TIME';

/** Without secrets, parts by line. */
export function maskedFiles(files: Files): ShownFile[] {
  return files.map((file) => {
    const lineOf = lineFinder(file);
    return {
      name: file.name,
      text: maskedText(file).replaceAll(ONE_TIME, ONCE_SHOWN),
      parts: file.parts.map(({ name, owned, from, to }) => ({
        name,
        owned,
        fromLine: lineOf(from),
        toLine: Math.max(lineOf(from), lineOf(to, true)),
      })),
    };
  });
}

/** The line at which a place of a file stands for those who see its secrets masked; `behind`: of what ends there. */
function lineFinder({ text, secrets }: Files[number]): (at: number, behind?: boolean) => number {
  const ends: number[] = [];
  let [line, next] = [0, 0];
  for (let i = text.indexOf('\n'); i >= 0; i = text.indexOf('\n', i + 1)) {
    while (next < secrets.length && (secrets[next]?.[1] ?? 0) <= i) next += 1;
    if (i < (secrets[next]?.[0] ?? Infinity)) ends[line++] = i;
  }
  return (at, behind = false) => {
    let [low, high] = [0, ends.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((ends[middle] ?? 0) < (behind ? at - 1 : at)) low = middle + 1;
      else high = middle;
    }
    return low + 1;
  };
}

/** What goes to the device: the one-time part filled in. */
export const onTheWire = (text: string, token: string): string => text.replaceAll(ONE_TIME, token);

/**
 * What a device shows, with the one-time part as the edition has it: any that stands where the edition has one, as nobody
 * knows which it was given. What counts is that it calls home at the right place.
 */
export function offTheWireAny(text: string, edition: string): string {
  let out = text;
  const places = edition.match(new RegExp(`\\S*${ONE_TIME}\\S*`, 'g')) ?? [];
  for (const place of new Set(places)) {
    const [before = '', behind = ''] = place.split(ONE_TIME);
    for (let at = out.indexOf(before); before !== '' && at >= 0; at = out.indexOf(before, at + before.length)) {
      const from = at + before.length;
      const [token = ''] = /^[A-Za-z0-9_-]+/.exec(out.slice(from, from + 200)) ?? [];
      if (token !== '' && out.startsWith(behind, from + token.length))
        out = out.slice(0, from) + ONE_TIME + out.slice(from + token.length);
    }
  }
  return out;
}

/** Whether a password is the one behind a digest; undefined where its method is not known. */
export const passwordOpens = (password: string, digest: string): boolean | undefined =>
  digest.startsWith('$6$') ? fitsSha512crypt(password, digest, sha512) : undefined;

/** Hides in other texts (what a device runs, lines that differ) the secrets that an edition holds. */
export function hideSecrets(text: string, files: Files): string {
  let out = text.replaceAll(ONE_TIME, ONCE_SHOWN);
  const secrets = new Set(files.flatMap((file) => file.secrets.map(([from, to]: Span) => file.text.slice(from, to))));
  for (const secret of [...secrets].sort((a, b) => b.length - a.length))
    if (secret.length >= 3) out = out.replaceAll(secret, SECRET_MASK);
  return out;
}
