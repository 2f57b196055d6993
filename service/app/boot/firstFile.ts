/**
 * The first file of a stranger: enough to be reached and identified by. It holds an account that was made for the lease
 * it is given to, is known to nobody else, and is gone with the device's own edition.
 */
import { randomInt } from 'node:crypto';
import { secretText } from '@zpine/core/template/values';
import { maskedText } from '@zpine/core/template/render';
import { faultText, TemplateStop } from '@zpine/core/template/faults';
import { fileName, strangerProfile } from '@zpine/core/dhcp/profiles';
import { maskOf } from '@zpine/core/dhcp/ipv4';
import { parsePrefix } from '@zpine/core/addressing/prefix';
import { mustParse } from '@zpine/core/fault';
import { utf8Bytes } from '@zpine/core/text/utf8';
import { allOf, byId } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { strangers, type StrangerRow } from '../arrivals/presentStrangers.ts';
import { renderInputs } from '../editions/content.ts';
import { fragmentsOf, insertedBy } from '../editions/templates.ts';
import type { FirstLogin } from '../sweeps/logins.ts';
import { bootProfiles } from './profiles.ts';
import type { FileAnswer } from './fileAnswer.ts';

type Account = { user: string; password: string };

const SIGNS = 'abcdefghjkmnpqrstuvwxyz23456789';
const word = (length: number): string => Array.from({ length }, () => SIGNS[randomInt(SIGNS.length)]).join('');

/** That of its lease; a new one where it has another address than it had. */
async function accountOf(tx: Tx, row: StrangerRow, address: string): Promise<Account> {
  if (row.account !== null && row.account_at === address) return JSON.parse(tx.sealer.open(row.account)) as Account;
  const account = { user: `first-${word(6)}`, password: word(20) };
  await tx.execute('UPDATE stranger SET account = ?, account_at = ? WHERE id = ?', [
    tx.sealer.seal(JSON.stringify(account)),
    address,
    row.id,
  ]);
  return account;
}

/** So many strangers of a prefix are signed in on. */
const MOST = 200;

/** By address: how strangers of a prefix are signed in on that were given a first file there, and have it still. */
export async function accountsGiven(tx: Tx, prefix: number): Promise<Map<string, FirstLogin>> {
  const rows = await tx.select<{ account: string; account_at: string; client: string }>(
    `SELECT account, account_at, client FROM stranger WHERE prefix_id = ? AND account IS NOT NULL AND account_at = address AND settled_at IS NULL
     ORDER BY last_at DESC LIMIT ${MOST}`,
    [prefix],
  );
  return new Map(
    rows.map(({ account, account_at: at, client }) => {
      const { user, password } = JSON.parse(tx.sealer.open(account)) as Account;
      return [at, { title: `the account of its first file (${client})`, user, password, word: `${at} ${user}` }];
    }),
  );
}

/** Undefined where no stranger of a class with a first file has the address. */
export async function firstFileFor(
  tx: Tx,
  name: string,
  address: string,
  word: string,
): Promise<FileAnswer | undefined> {
  const row = await tx.one<StrangerRow>(
    `SELECT ${strangers.all} FROM stranger WHERE client = ? AND settled_at IS NULL FOR UPDATE`,
    [word],
  );
  if (!row || row.address !== address) return undefined;
  const profile = strangerProfile(await bootProfiles(tx), row.vendor_class === null ? [] : [row.vendor_class]);
  if (!profile?.stranger) return undefined;
  const wanted = fileName(profile.stranger.file, { device: 'stranger', serial: row.serial, mac: row.mac, model: null });
  if (wanted !== name)
    return { ok: false, code: 'not-found', why: `a stranger of its class fetches ${wanted ?? profile.stranger.file}` };
  const text = profile.stranger.template;
  const template = (await allOf(tx, 'template')).find(({ key }) => key === text);
  const prefix = row.prefix_id === null ? undefined : await byId(tx, 'prefix', Number(row.prefix_id));
  if (!template || !prefix) return { ok: false, code: 'not-found', why: `the text ${text} or the prefix is gone` };
  const { length } = mustParse(parsePrefix(prefix.cidr));
  const account = await accountOf(tx, row, address);
  const data = {
    lease: {
      address,
      mask: maskOf(length),
      length: String(length),
      gateway: prefix.gateway,
      user: account.user,
      password: secretText(account.password),
    },
    client: { mac: row.mac, serial: row.serial, class: row.vendor_class },
    boot: { server: tx.place.address },
  };
  try {
    const inputs = {
      template: template.key,
      source: template.source,
      fragments: insertedBy(template, await fragmentsOf(tx)),
      data,
      secrets: {},
    };
    const [file] = renderInputs(inputs, tx.sealer, `stranger ${row.id}`);
    if (!file) return { ok: false, code: 'not-found', why: `the text ${text} makes no file` };
    return {
      ok: true,
      content: utf8Bytes(file.text) ?? new Uint8Array(),
      device: null,
      leg: null,
      shown: { bytes: Buffer.byteLength(maskedText(file)), fingerprint: tx.sealer.fingerprint(file.text) },
    };
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    return { ok: false, code: 'access', why: `${text} could not be made: ${faultText(error.fault)}` };
  }
}
