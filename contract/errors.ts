/**
 * The one table of errors: a stable code, the HTTP status, and the words for people. Codes of the core's parsers stand
 * here too; their words are made from the same params. `remedy` says what to do next.
 */
import { addressingErrors } from './addressingErrors.ts';
import { fleetErrors } from './fleetErrors.ts';
import { hardwareErrors } from './hardwareErrors.ts';
import { importErrors } from './importErrors.ts';
import { batchErrors } from './batchErrors.ts';
import { swapErrors } from './swapErrors.ts';
import { onboardingErrors } from './onboardingErrors.ts';
import { meant, row, type ErrorRow, type Params } from './errorRow.ts';

export { type Params } from './errorRow.ts';

export { type ErrorRow } from './errorRow.ts';

export const errors = {
  // What is wrong with a value
  'mask-sent': row(
    422,
    'A masked secret',
    (p) => `${p.place}: ${p.mask} stands for a secret that is not shown, and is none itself`,
    () => 'put the secret in its place, or a name such as @{set.users.netops}',
  ),
  'value-missing': row(422, 'Value missing', () => 'a value is required here'),
  'value-type': row(422, 'Wrong type', (p) => `${p.expected} is expected here`),
  'value-choice': row(422, 'Not one of the choices', (p) => `"${p.value}" is not one of ${p.choices}`, meant),
  'value-low': row(422, 'Too small', (p) => `the least is ${p.min}`),
  'value-high': row(422, 'Too large', (p) => `the most is ${p.max}`),
  'value-long': row(422, 'Too long', (p) => `at most ${p.max} characters`),
  'value-short': row(422, 'Too short', (p) => `at least ${p.min} characters`),
  'value-shape': row(422, 'Wrong shape', (p) => `this is not of the form that is expected here: ${p.form}`),
  'text-control': row(
    422,
    'Control character',
    () => 'there is a control character in this text',
    () => 'remove it; it often comes along when text is copied from a terminal',
  ),
  'day-unknown': row(
    422,
    'No such day',
    (p) => `"${p.value}" is no day`,
    () => 'write it as 2027-03-31',
  ),
  'zone-unknown': row(
    422,
    'Unknown time zone',
    () => 'no time zone of this name is known',
    () => 'use a name of the tz database, such as Europe/London',
  ),
  'field-unknown': row(422, 'Unknown field', (p) => `there is no field "${p.field}" here`, meant),
  'field-fixed': row(
    422,
    'Fixed field',
    (p) => `${p.field} is given when the record is added and does not change after`,
    () => 'add another record, and remove this one',
  ),
  'cursor-invalid': row(
    400,
    'Page mark not understood',
    () => 'the page mark "after" does not belong to this list',
    () => 'begin again without it',
  ),
  'name-empty': row(422, 'Name missing', () => 'a name is required here'),
  'key-letters': row(
    422,
    'Letters that no key has',
    (p) => `"${p.value}": what a record is found by has letters without accents, digits and signs only`,
  ),
  'name-syntax': row(
    422,
    'Name not possible',
    (p) => `"${p.value}": names have letters a-z, digits and . _ - only`,
    meant,
  ),
  'port-name-syntax': row(
    422,
    'Name not possible',
    (p) => `"${p.value}" is not a name for an interface: no blanks or other signs`,
  ),
  'mac-syntax': row(
    422,
    'Not a MAC address',
    (p) => `"${p.value}" is not a MAC address`,
    () => 'twelve hexadecimal digits, with or without separators',
  ),
  'address-syntax': row(422, 'Not an address', (p) => `"${p.value}" is not an IP address`),
  'address-octet': row(422, 'Not an address', (p) => `"${p.value}": ${p.part} is more than 255`),
  'address-short-form': row(
    422,
    'Short address',
    (p) => `"${p.value}" has fewer than four numbers`,
    () => 'write all four',
  ),
  'address-leading-zero': row(
    422,
    'Leading zeros',
    (p) => `"${p.value}" has leading zeros, which some programs read as octal`,
    meant,
  ),
  'address-zone': row(
    422,
    'Zone in address',
    (p) => `"${p.value}" has a zone, which means something on one host only`,
    meant,
  ),
  'address-mapped': row(422, 'Mapped address', (p) => `"${p.value}" is an IPv4 address written as IPv6`, meant),
  'prefix-syntax': row(422, 'Not a prefix', (p) => `"${p.value}" has no length`, meant),
  'prefix-length': row(422, 'Length not possible', (p) => `"${p.value}": the length is a number from 0 to ${p.max}`),
  'prefix-host-bits': row(
    422,
    'Host bits set',
    (p) => `${p.value} has host bits set`,
    (p) => `the network is ${p.network}; the host is ${p.host}`,
  ),
  'range-syntax': row(
    422,
    'Not a range',
    (p) => `"${p.value}" is not a range of addresses`,
    () => 'write FIRST-LAST, several with commas between',
  ),
  'range-order': row(422, 'Range backwards', (p) => `"${p.value}" ends before it begins`, meant),
  'range-outside': row(422, 'Range outside', (p) => `${p.value} is not wholly inside the prefix`),

  // What does not fit with other records
  'not-found': row(404, 'Not found', (p) => `there is no ${p.kind} "${p.ref}"`, meant),
  'ref-unknown': row(422, 'No such record', (p) => `there is no ${p.kind} "${p.ref}"`, meant),
  taken: row(
    409,
    'Taken',
    (p) => (p.by === undefined ? `"${p.value}" is taken` : `"${p.value}" is taken by ${p.by}`),
    () => 'choose another, or edit the record that has it',
  ),
  'in-use': row(
    409,
    'In use',
    (p) => `${p.kind} ${p.key} is in use: ${p.users}`,
    () => 'remove or change those first',
  ),
  stale: row(
    412,
    'Changed meanwhile',
    (p) => `you have version ${p.yours}, the record is at version ${p.current}`,
    () => 'look at what changed, and save again on top of it',
  ),
  circle: row(422, 'Circle', (p) => `${p.key} would end up inside itself`),
  'site-differs': row(422, 'Sites differ', (p) => `${p.what} is at ${p.there}, not at ${p.here}`),
  'position-outside': row(
    422,
    'Outside the rack',
    (p) => `U ${p.from} to ${p.to} does not fit into ${p.rack}, which has ${p.height} U`,
  ),
  'position-without-rack': row(422, 'No rack', () => 'a position needs a rack'),
  'position-taken': row(409, 'U taken', (p) => `U ${p.u} of ${p.rack} is taken by ${p.by}`),
  'pattern-part': row(
    422,
    'Pattern not understood',
    (p) => `"{${p.part}}" in the pattern ${p.pattern} is none of ${p.known}`,
  ),
  'pattern-number': row(
    422,
    'Pattern not understood',
    (p) => `the pattern ${p.pattern} wants exactly one {n}`,
    () => 'write {site}-acc-{n}, or {nn} for two digits',
  ),
  'pattern-value': row(
    422,
    'Not known yet',
    (p) => `the pattern ${p.pattern} wants to know the ${p.part}`,
    (p) => `say the ${p.part}`,
  ),
  'pattern-name': row(422, 'Name not possible', (p) => `"${p.value}" cannot be the name of a device`),
  'position-raced': row(
    409,
    'U taken',
    () => 'somebody took this place in the rack a moment ago',
    () => 'choose another U',
  ),
  'racks-full': row(
    409,
    'Racks full',
    (p) => `there is room for ${p.free} of ${p.count}`,
    () => 'name more racks, or fewer devices',
  ),
  'position-lost': row(
    409,
    'Would not fit any more',
    (p) => `${p.what} at U ${p.from} to ${p.to} would not fit into ${p.rack}, which has ${p.height} U`,
    () => 'move it first',
  ),
  'position-clash': row(
    409,
    'Would overlap',
    (p) => `${p.what} would take U ${p.u} of ${p.rack}, where ${p.by} stands`,
    () => 'move one of them first',
  ),
  'box-condition': row(
    422,
    'Condition and device disagree',
    (p) => `a box of condition ${p.condition} is not fitted as a device`,
    () => 'make it "fitted", or leave the device empty',
  ),
  'not-on-device': row(422, 'Another device', (p) => `${p.what} is not an interface of ${p.device}`),
  'stage-move': row(409, 'Stage not possible', (p) => `${p.device} is ${p.from}; by hand it can become ${p.allowed}`),

  ...addressingErrors,
  ...hardwareErrors,
  ...onboardingErrors,
  ...batchErrors,
  ...swapErrors,
  ...fleetErrors,
  ...importErrors,

  // Requests and who makes them
  'body-malformed': row(400, 'Malformed body', (p) => `the body is not JSON: ${p.why}`),
  'body-type': row(415, 'Wrong content type', () => 'the body must be application/json'),
  'body-large': row(413, 'Body too large', (p) => `the most is ${p.max} bytes`),
  'body-deep': row(
    400,
    'Body too deep',
    (p) => `lists and maps stand more than ${p.max} deep inside each other; nothing here is`,
  ),
  'header-malformed': row(400, 'Malformed header', (p) => `the header ${p.header} is not understood`),
  'route-unknown': row(404, 'No such address', (p) => `nothing answers to ${p.method} ${p.path}`),
  'method-unknown': row(
    405,
    'Method not possible',
    (p) => `${p.path} does not answer to ${p.method}; it does to ${p.allowed}`,
  ),
  'signed-out': row(401, 'Not signed in', () => 'sign in first, or send a token'),
  'sign-in-refused': row(401, 'Sign-in refused', () => 'the user name or the password is not right'),
  'sign-in-paused': row(
    429,
    'Too many tries',
    () => 'too many sign-ins have failed for this user',
    (p) => `wait ${p.seconds} seconds`,
  ),
  'role-insufficient': row(403, 'Not allowed', (p) => `this needs the role ${p.needs}; yours is ${p.yours}`),
  'password-wrong': row(422, 'Not the password', () => 'this is not your password of now'),
  'password-weak': row(422, 'Password too short', (p) => `a password has at least ${p.min} characters`),
  'password-common': row(
    422,
    'Password known',
    (p) => `this password is easily guessed: ${p.why}`,
    () => 'several words that have nothing to do with each other are hard to guess, and easy to keep',
  ),
  'streams-many': row(429, 'Too many streams', (p) => `${p.max} event streams of yours are open, which is the most`),
  'tokens-many': row(
    409,
    'Too many tokens',
    (p) => `you have ${p.max} tokens, which is the most`,
    () => 'take those back that nothing uses any more: zpine token list',
  ),
  'foreign-page': row(
    403,
    'From another page',
    (p) => `a page of ${p.origin} asked for this, not the console`,
    () => 'programs sign in with a token, which no page has',
  ),
  'last-admin': row(409, 'Last administrator', () => 'the last administrator cannot be removed or lose that role'),
  'idempotency-other': row(
    422,
    'Key used before',
    () => 'this idempotency key was used for another request',
    () => 'make a new key for each request',
  ),

  // The service itself
  'database-away': row(
    503,
    'Database not reached',
    () => 'the database does not answer; nothing was saved',
    () => 'try again in a few seconds',
  ),
  busy: row(
    503,
    'Busy',
    () => 'too many writes meet in one place; nothing was saved',
    () => 'try again in a few seconds',
  ),
  'too-slow': row(
    503,
    'Takes too long',
    () => 'this took longer than anything may that others wait behind; it was stopped and nothing was saved',
    () => 'narrow what is asked for: fewer tests, a smaller selection, a shorter text',
  ),
  'too-large': row(
    422,
    'Takes too much memory',
    () => 'this needed more memory than there is for one request; it was stopped and nothing was saved',
    () => 'ask for less at a time; a large file is imported with zpine import, which sends it in pieces',
  ),
  'client-left': row(408, 'Nobody waits any more', () => 'whoever asked has gone; nothing was saved'),
  internal: row(
    500,
    'Fault in the service',
    (p) => `something went wrong that should not have; the log has it as ${p.id}`,
  ),
} as const satisfies Record<string, ErrorRow>;

export type ErrorCode = keyof typeof errors;
export const isErrorCode = (code: string): code is ErrorCode => code in errors;

/** One fault at one place of the input. `path` leads to the value. */
export interface FieldFault {
  path: (string | number)[];
  code: ErrorCode;
  params: Params;
}

export interface FaultWords {
  pointer: string;
  code: string;
  detail: string;
  remedy?: string;
  /** What the words were made from, for programs that make their own. */
  params: Params;
}

/** As many faults are told in one answer. */
export const MOST_FAULTS = 100;

/** Faults, and how many more there are that were only counted. */
export type Faults = FieldFault[] & { beyond?: number };

/** Adds faults to others, as many as an answer tells; the rest is counted. */
export function gather(into: Faults, more: Faults): void {
  const room = Math.max(0, MOST_FAULTS - into.length);
  for (const fault of more.slice(0, room)) into.push(fault);
  const beyond = Math.max(0, more.length - room) + (more.beyond ?? 0);
  if (beyond > 0) into.beyond = (into.beyond ?? 0) + beyond;
}

/** RFC 9457, with `code` and `errors[]`. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  code: string;
  detail: string;
  remedy?: string;
  errors?: FaultWords[];
  /** How many faults there are beyond those in `errors`. */
  more?: number;
  /** With `stale`: the record as it is now. */
  current?: unknown;
  yours?: number;
}

/** The one error class: a refusal with a code, params, and faults by place. */
export class Refusal extends Error {
  readonly code: ErrorCode;
  readonly params: Params;
  readonly faults: FieldFault[];
  /** Faults beyond those, which were only counted. */
  readonly beyond: number;
  readonly extra: Record<string, unknown>;
  constructor(code: ErrorCode, params: Params = {}, faults: Faults = [], extra: Record<string, unknown> = {}) {
    super(`${code} ${JSON.stringify(params)}`);
    this.name = 'Refusal';
    this.code = code;
    this.params = params;
    this.faults = faults;
    this.beyond = faults.beyond ?? 0;
    this.extra = extra;
  }

  /** A refusal whose code and words are those of its first fault. */
  static of(faults: Faults): Refusal {
    const first = faults[0];
    return first ? new Refusal(first.code, first.params, faults) : new Refusal('internal', { id: 'no-fault' });
  }

  static at(path: (string | number)[], code: ErrorCode, params: Params = {}): Refusal {
    return Refusal.of([{ path, code, params }]);
  }
}

/** RFC 6901. */
export const pointerOf = (path: (string | number)[]): string =>
  path.map((part) => `/${String(part).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');

const wordsOf = (code: ErrorCode, params: Params): { detail: string; remedy?: string } => {
  const entry: ErrorRow = errors[code];
  const remedy = entry.remedy?.(params);
  return remedy ? { detail: entry.detail(params), remedy } : { detail: entry.detail(params) };
};

export function problemOf(refusal: Refusal): Problem {
  const entry: ErrorRow = errors[refusal.code];
  const problem: Problem = {
    type: `/docs/errors#${refusal.code}`,
    title: entry.title,
    status: entry.status,
    code: refusal.code,
    ...wordsOf(refusal.code, refusal.params),
    ...refusal.extra,
  };
  if (refusal.faults.length > 0) {
    problem.errors = refusal.faults.slice(0, MOST_FAULTS).map((f) => ({
      pointer: pointerOf(f.path),
      code: f.code,
      ...wordsOf(f.code, f.params),
      params: f.params,
    }));
    const more = refusal.faults.length - problem.errors.length + refusal.beyond;
    if (more > 0) problem.more = more;
  }
  return problem;
}
