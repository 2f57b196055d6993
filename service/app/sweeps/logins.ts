/**
 * What may be tried on a host whose key nobody has accepted: whoever stands there may be anybody, and learns a password
 * by being given it. So a key, which tells nothing; a login that is meant for first contact; what models let in when new.
 * Never a password that is in use.
 */
import type { SettingValue } from '@zpine/core/settings/layers';
import { find, keysOf } from '../../store/records.ts';
import { sha256 } from '../../store/digests.ts';
import type { Tx } from '../../store/tx.ts';
import { everywhereSettings } from '../settings/effective.ts';
import { openValue, settingValues, type ValueRow } from '../settings/layers.ts';

export interface FirstLogin {
  /** How it is called to people: `the key of zpine`, `first contact`, `factory login of larkfield/lf-24`. */
  title: string;
  user: string;
  password?: string;
  key?: string;
  passphrase?: string;
  /** The same login has the same word. */
  word: string;
}

export interface FirstLogins {
  logins: FirstLogin[];
  /** Which are not tried, and why. */
  remarks: string[];
  port: number;
  algorithms: string[];
  connectSeconds: number;
}

const IN_USE = ['access.password', 'access.second', 'users'];

export async function loginsFor(tx: Tx): Promise<FirstLogins> {
  const everywhere = await everywhereSettings(tx);
  const value = (name: string): SettingValue => everywhere.get(name)?.value ?? null;
  const text = (name: string): string | undefined => {
    const said = value(name);
    return typeof said === 'string' && said !== '' ? said : undefined;
  };
  const used = await passwordsInUse(tx);
  const remarks: string[] = [];
  const logins: FirstLogin[] = [];
  const add = (login: Omit<FirstLogin, 'word'>) => {
    if (login.password !== undefined && used.has(login.password))
      return void remarks.push(`${login.title} is not tried: its password is in use by devices`);
    const word = sha256(JSON.stringify([login.user, login.password, login.key])).toString('base64');
    if (!logins.some((one) => one.word === word)) logins.push({ ...login, word });
  };
  const key = text('access.key');
  const user = text('access.user') ?? 'zpine';
  const passphrase = text('access.passphrase');
  if (key !== undefined) add({ title: `the key of ${user}`, user, key, ...(passphrase ? { passphrase } : {}) });
  const first = text('first-contact.user');
  const firstPassword = text('first-contact.password');
  if (first !== undefined && firstPassword !== undefined)
    add({ title: 'first contact', user: first, password: firstPassword });
  for (const one of await factoryLogins(tx)) add(one);
  if (logins.length === 0 && remarks.length === 0)
    remarks.push(
      'there is no login to try: no key (access.key), no first-contact login (first-contact.user and -password), no factory login of a model',
    );
  const algorithms = value('access.algorithms');
  const port = value('access.port');
  const seconds = value('access.connect-seconds');
  return {
    logins,
    remarks,
    port: typeof port === 'number' ? port : 22,
    algorithms: Array.isArray(algorithms) ? algorithms.map(String) : [],
    connectSeconds: Math.min(MOST_CONNECT_SECONDS, typeof seconds === 'number' ? seconds : MOST_CONNECT_SECONDS),
  };
}

/** Most addresses of a prefix are nobody's: no more than this is waited for each. */
const MOST_CONNECT_SECONDS = 3;

/** All passwords of any layer by which devices are signed in on, or that they have themselves. */
async function passwordsInUse(tx: Tx): Promise<Set<string>> {
  const rows = await valuesOf(tx, IN_USE);
  return new Set(
    rows
      .flatMap((row) => {
        const said = openValue(tx, row);
        return typeof said === 'object' && said !== null && !Array.isArray(said) ? Object.values(said) : [said];
      })
      .filter((one): one is string => typeof one === 'string'),
  );
}

/** What models let in as they come out of their box. */
async function factoryLogins(tx: Tx): Promise<Omit<FirstLogin, 'word'>[]> {
  const users = (await valuesOf(tx, ['access.factory-user'])).filter((row) => row.layer_kind === 'model');
  const passwords = (await valuesOf(tx, ['access.factory-password'])).filter((row) => row.layer_kind === 'model');
  const keys = await keysOf(
    tx,
    'model',
    users.map((row) => Number(row.layer_id)),
  );
  return users.map((row) => {
    const password = passwords.find((one) => Number(one.layer_id) === Number(row.layer_id));
    return {
      title: `the factory login of ${keys.get(Number(row.layer_id)) ?? 'a model'}`,
      user: String(openValue(tx, row)),
      password: password ? String(openValue(tx, password)) : '',
    };
  });
}

async function valuesOf(tx: Tx, names: readonly string[]): Promise<ValueRow[]> {
  const settings = await find(tx, 'setting', { name: [...names] });
  if (settings.length === 0) return [];
  return tx.select<ValueRow>(`SELECT ${settingValues.all} FROM setting_value WHERE setting_id IN (?)`, [
    settings.map(({ id }) => id),
  ]);
}
