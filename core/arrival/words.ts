/** What a milestone's evidence says, in a line. */
import type { Milestone } from './arrival.ts';

type Evidence = Record<string, unknown>;

const joined = (...parts: unknown[]): string =>
  parts.filter((part) => typeof part === 'string' && part !== '').join(', ');
const given = (value: unknown, words: (text: string) => string): string =>
  value === undefined || value === null || value === '' ? '' : words(String(value));

const table: Record<Milestone, (e: Evidence) => string> = {
  powered: (e) =>
    joined(
      given(e.by, (by) => `known by ${by}`),
      given(e.relay, (relay) => `behind relay ${relay}`),
      given(e.circuit, (port) => `port ${port}`),
    ),
  offered: (e) => joined(given(e.address, String), given(e.from, String)),
  leased: (e) =>
    joined(
      given(e.address, (address) => `${address} for ${String(e.seconds)} s`),
      given(e.file, (file) => `boot file ${file}`) || 'no boot file',
    ),
  'file asked': (e) => joined(given(e.file, (file) => `${file} by ${String(e.transport)}`)),
  'file complete': (e) =>
    joined(
      given(e.bytes, (bytes) => `${bytes} bytes in ${String(e.seconds)} s`),
      given(e.sha256, (digest) => `SHA-256 ${digest.slice(0, 8)}…`),
    ),
  image: (e) =>
    joined(
      given(e.image, String),
      given(e.bytes, (bytes) => `${bytes} bytes in ${String(e.seconds)} s`),
    ),
  applied: (e) => (e.rejected === undefined ? 'as what it runs shows' : 'no line turned down'),
  'called home': (e) =>
    joined(
      given(e.from, (from) => `from ${from}`),
      given(e.serial, (serial) => `serial ${serial}`),
      e.digestMatches === undefined
        ? ''
        : e.digestMatches
          ? 'its digest is right'
          : 'its digest is not that of the edition',
      given(e.rejected, (count) => (count === '0' ? '' : `${count} lines turned down`)),
    ),
  reached: (e) =>
    joined(
      given(e.user, (user) => `${user}@${String(e.address)}`),
      given(e.model, (model) => `${model} ${String(e.serial)}, version ${String(e.version)}`),
      given(e.hostKey, (key) => `host key ${key.slice(0, 15)}…`),
    ),
  matches: (e) =>
    joined(
      given(e.lines, (lines) => `${lines} lines are right`),
      given(e.elsewhere, (count) => (count === '0' ? '' : `${count} more are left alone`)),
    ),
  kept: (e) => joined(given(e.by, (by) => `by ${by}`)),
  serving: (e) =>
    joined(
      given(e.elsewhere, (why) => why),
      given(e.confirmedBy, (by) => `right so, says ${by}`),
      given(e.reason, (reason) => reason),
    ),
};

export const milestoneWords = (name: string, evidence: Evidence): string =>
  Object.hasOwn(table, name) ? table[name as Milestone](evidence) : '';
