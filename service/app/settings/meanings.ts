/** Settings that the service itself goes by: what a value of them has to be, beyond its type. */
import { headerIn } from '@zpine/core/fleet/hooks';
import { parseQuietTime } from '@zpine/core/fleet/quietTimes';
import { parseWatchChoice } from '@zpine/core/fleet/watchChoice';
import type { SettingValue } from '@zpine/core/settings/layers';
import { Refusal } from '@zpine/contract/errors';
import { z } from 'zod';
import { hookUrl, mayGoTo } from '../fleet/destinations.ts';
import { mustFindField } from '../records/refs.ts';
import type { Tx } from '../../store/tx.ts';
import { isPublicKey } from '../fleet/publicKey.ts';
import { refuseUnknownImages } from '../images/wanted.ts';
import { refuseUnknownOptions } from './options.ts';

type Meaning = (tx: Tx, value: SettingValue) => Promise<void> | void;

const from =
  (least: number, most: number): Meaning =>
  (_tx, value) => {
    const number = Number(value);
    if (number < least) throw Refusal.at(['value'], 'value-low', { min: least });
    if (number > most) throw Refusal.at(['value'], 'value-high', { max: most });
  };

const mail = z.email();
/** Hours of a year: what is rarer is not done by plan. */
const YEAR_HOURS = 8784;

const each =
  (form: string, fits: (text: string) => boolean): Meaning =>
  (_tx, value) => {
    for (const [i, one] of (Array.isArray(value) ? value : []).entries())
      if (!fits(String(one))) throw Refusal.at(['value', i], 'value-shape', { form });
  };

const oneOf =
  (...choices: string[]): Meaning =>
  (_tx, value) => {
    if (!choices.includes(String(value)))
      throw Refusal.at(['value'], 'value-choice', { value: String(value), choices: choices.join(', ') });
  };

const meanings: Record<string, Meaning> = {
  'access.port': from(1, 65_535),
  'access.bare-port': from(1, 65_535),
  'snmp.port': from(1, 65_535),
  'snmp.auth': oneOf('md5', 'sha', 'sha224', 'sha256', 'sha384', 'sha512'),
  'snmp.privacy': oneOf('des', 'aes', 'aes256b', 'aes256r'),
  'access.connect-seconds': from(1, 600),
  'access.answer-seconds': from(1, 3600),
  'access.parallel': from(1, 1000),
  'access.jump': async (tx, value) => void (await mustFindField(tx, 'device', String(value as string), 'value')),
  'dhcp.unasked': (tx, value) => refuseUnknownOptions(tx, value, false),
  'dhcp.withheld': (tx, value) => refuseUnknownOptions(tx, value, true),
  'image.wanted': refuseUnknownImages,
  'user.keys': (_tx, value) => {
    for (const [user, lines] of Object.entries((value ?? {}) as Record<string, string>))
      for (const line of String(lines)
        .split('\n')
        .filter((one) => one.trim() !== ''))
        if (!isPublicKey(line.trim()))
          throw Refusal.at(['value', user], 'value-shape', {
            form: 'a public key as OpenSSH writes it, such as ssh-ed25519 AAAA…; several with a line each',
          });
  },
  'capture.hours': from(0, YEAR_HOURS),
  'capture.keep': from(1, 10_000),
  'capture.warn-days': from(0, 3660),
  'watch.minutes': from(0, 60 * YEAR_HOURS),
  'watch.mail': each('an e-mail address such as duty@brackwater.example', (text) => mail.safeParse(text).success),
  'watch.hooks': (tx, value) => {
    for (const [i, one] of (Array.isArray(value) ? value : []).entries()) {
      const url = hookUrl(String(one));
      if (!url)
        throw Refusal.at(['value', i], 'value-shape', {
          form: 'a URL such as https://chat.brackwater.example/notices',
        });
      if (!mayGoTo(url, tx.store.hookHosts)) throw Refusal.at(['value', i], 'hook-host', { host: url.host });
    }
  },
  'watch.hook-headers': (_tx, value) => {
    for (const [host, line] of Object.entries(typeof value === 'object' && value !== null ? value : {}))
      if (!headerIn(String(line)))
        throw Refusal.at(['value', host], 'value-shape', { form: 'a header such as Authorization: Bearer ...' });
  },
  'watch.interfaces': each(
    'all, none, cabled, label:NAME, use:NAME or vlan:NUMBER',
    (text) => parseWatchChoice(text).ok,
  ),
  'watch.quiet': each(
    'daily 22:00-06:00, sat,sun 20:00-04:00, or 2026-12-01T20:00/2026-12-02T04:00',
    (text) => parseQuietTime(text).ok,
  ),
};

/** Refuses a value that the service could do nothing with; settings of one's own may be anything of their type. */
export async function refuseMeaningless(tx: Tx, setting: string, value: SettingValue): Promise<void> {
  await meanings[setting]?.(tx, value);
}
