/** Letters: notices of one cause go out together, with where it is, since when, and what else is dark there. */
import { causeOf, type Net } from '@zpine/core/fleet/causes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, byKeys, find, keysOf } from '../../store/records.ts';
import { claimDue, holds, type Lease } from '../../store/claims.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { sitesOf } from '../devices/inForce.ts';
import { dialectsOfDevices } from './liveDevices.ts';
import type { Turn } from './notices.ts';
import { REACH } from './watch.ts';

export const notices = table('notice', {
  id: number,
  at: time,
  device_id: number,
  device_key: text,
  what: text,
  text,
  turn: word<Turn>(),
  cause: text,
  mail_to: text,
  hooks: text,
  letter_id: maybe(number),
});
type NoticeRow = RowOf<typeof notices>;

export const letters = table('letter', {
  id: number,
  at: time,
  mail_to: text,
  subject: text,
  text,
  sent_at: maybe(time),
  fault: maybe(text),
  tries: number,
});
type LetterRow = RowOf<typeof letters>;

interface ListedRow extends NoticeRow {
  sent_at: Date | null;
  fault: string | null;
}

export async function listNotices(tx: Tx, query: QueryOf<'notice.list'>): Promise<ReplyOf<'notice.list'>> {
  const rows = await tx.select<ListedRow>(
    `SELECT ${notices.of('n')}, l.sent_at, l.fault FROM notice n LEFT JOIN letter l ON l.id = n.letter_id ORDER BY n.id DESC LIMIT ${query.limit}`,
  );
  return {
    items: rows.map((row) => ({
      id: Number(row.id),
      at: row.at.toISOString(),
      device: row.device_key,
      what: row.what,
      text: row.text,
      cause: row.cause === '' ? null : row.cause,
      mailedAt: row.sent_at?.toISOString() ?? null,
      mailFault: row.fault,
    })),
  };
}

/** A letter that was written so lately tells of what comes of its cause, too. */
const SAME_HOURS = 6;
const MOST_NOTICES = 2000;

/** Where people find the console; empty where nobody said. */
export interface Writing {
  gatherSeconds: number;
  /** Whether there is a server that takes letters. */
  mails: boolean;
  consoleUrl: string;
}

/** Writes letters of the notices that have waited for others of their cause. Gives how many. */
export async function gatherLetters(tx: Tx, { gatherSeconds, consoleUrl, mails }: Writing): Promise<number> {
  const now = await tx.now();
  const due = await tx.one('SELECT 1 AS one FROM notice WHERE mail_due <= ? - INTERVAL ? SECOND LIMIT 1', [
    now,
    gatherSeconds,
  ]);
  if (!due) return 0;
  const rows = await tx.select<NoticeRow>(
    `SELECT ${notices.all} FROM notice WHERE mail_due <= ? ORDER BY id LIMIT ${MOST_NOTICES} FOR UPDATE SKIP LOCKED`,
    [now],
  );
  if (rows.length === 0) return 0;
  const net = await netAround(tx, rows);
  const groups = new Map<string, NoticeRow[]>();
  for (const row of rows) {
    row.cause = await causeFor(tx, row, net);
    const key = JSON.stringify([row.mail_to, row.hooks, row.turn, row.cause, row.turn === 'other' ? row.id : 0]);
    groups.set(key, [...(groups.get(key) ?? []), row]);
  }
  let written = 0;
  for (const group of groups.values()) written += await writeLetter(tx, group, net, { consoleUrl, mails });
  return written;
}

interface Around extends Net {
  /** The other end of the cable in a port, by the device's own name of it. */
  farEnd: (device: number, name: string) => { device: string; port: string } | undefined;
}

interface CableRow {
  from_device: number;
  from_key: string;
  from_port: string;
  to_device: number;
  to_key: string;
  to_port: string;
}

/** The cables between devices, and who of them is not reached. */
async function netAround(tx: Tx, rows: readonly NoticeRow[]): Promise<Around> {
  const cables = await tx.select<CableRow>(
    `SELECT p.device_id AS from_device, d.natural_key AS from_key, p.name AS from_port, q.device_id AS to_device, e.natural_key AS to_key, q.name AS to_port
     FROM cable c JOIN port p ON p.id = c.from_id JOIN port q ON q.id = c.to_id JOIN device d ON d.id = p.device_id JOIN device e ON e.id = q.device_id
     WHERE p.device_id <> q.device_id`,
  );
  const seen = await tx.select<{ device_key: string; state: string }>(
    'SELECT d.natural_key AS device_key, w.state FROM watched w JOIN device d ON d.id = w.device_id WHERE w.what = ?',
    [REACH],
  );
  const dialects = await dialectsOfDevices(tx, [...new Set(rows.map((row) => Number(row.device_id)))]);
  const neighbours = new Map<string, string[]>();
  const ends = new Map<string, { device: string; port: string }>();
  const link = (from: [number, string, string], to: [string, string]): void => {
    neighbours.set(from[1], [...(neighbours.get(from[1]) ?? []), to[0]]);
    const name = dialects.get(from[0])?.interfaceName(from[2]) ?? from[2];
    ends.set(`${from[0]} ${name}`, { device: to[0], port: to[1] });
  };
  for (const c of cables) {
    link([Number(c.from_device), c.from_key, c.from_port], [c.to_key, c.to_port]);
    link([Number(c.to_device), c.to_key, c.to_port], [c.from_key, c.from_port]);
  }
  return {
    away: new Set(seen.filter(({ state }) => state !== 'reached').map((row) => row.device_key)),
    watched: new Set(seen.map((row) => row.device_key)),
    neighbours: (device) => neighbours.get(device) ?? [],
    farEnd: (device, name) => ends.get(`${device} ${name}`),
  };
}

/** What is well again had the cause that it had when it was not. */
async function causeFor(tx: Tx, row: NoticeRow, net: Around): Promise<string> {
  if (row.turn === 'other') return row.device_key;
  if (row.turn === 'well') {
    const before = await tx.one<{ cause: string }>(
      "SELECT cause FROM notice WHERE device_id = ? AND what = ? AND id < ? AND turn = 'down' ORDER BY id DESC LIMIT 1",
      [row.device_id, row.what, row.id],
    );
    if (before && before.cause !== '') return before.cause;
  }
  const isReach = row.what === REACH;
  const far = isReach ? undefined : net.farEnd(Number(row.device_id), row.what);
  return causeOf({ device: row.device_key, ...(isReach ? {} : { interface: row.what, leadsTo: far?.device }) }, net);
}

async function writeLetter(
  tx: Tx,
  group: NoticeRow[],
  net: Around,
  { consoleUrl, mails }: Pick<Writing, 'consoleUrl' | 'mails'>,
): Promise<number> {
  const [first] = group;
  if (!first) return 0;
  const main =
    group.find((row) => row.device_key === first.cause && row.what === REACH) ??
    group.find((row) => row.device_key === first.cause) ??
    first;
  const ids = group.map(({ id }) => id);
  const standing = await standingLetter(tx, main, group);
  const id =
    standing ??
    (
      await tx.insertRows('letter', [
        {
          at: await tx.now(),
          mail_to: main.mail_to,
          hooks: main.hooks,
          turn: main.turn,
          cause: main.cause,
          ...(await worded(tx, main, group, net, consoleUrl)),
          due_at: mails && main.mail_to !== '' ? await tx.now() : null,
        },
      ])
    )[0];
  await tx.execute('UPDATE notice SET mail_due = NULL, cause = ?, letter_id = ? WHERE id IN (?)', [
    main.cause,
    id,
    ids,
  ]);
  if (standing !== undefined) return 0;
  await sendTo(tx, Number(id), main);
  return 1;
}

/** The same goes to other systems as a message. */
async function sendTo(tx: Tx, letter: number, { hooks, device_id }: NoticeRow): Promise<void> {
  const urls = JSON.parse(hooks) as string[];
  if (urls.length === 0) return;
  const due = await tx.now();
  await tx.insertRows(
    'delivery',
    urls.map((url) => ({ letter_id: letter, device_id, url, due_at: due })),
    '',
  );
}

/** A letter about the cause that tells of these notices already: what comes of it later is no news. */
async function standingLetter(tx: Tx, main: NoticeRow, group: readonly NoticeRow[]): Promise<number | undefined> {
  if (main.turn === 'other' || group.some((row) => row.device_key === main.cause)) return undefined;
  const row = await tx.one<{ id: number; turn: string }>(
    `SELECT id, turn FROM letter WHERE cause = ? AND mail_to = ? AND hooks = ? AND turn <> 'other' AND at > ? - INTERVAL ? HOUR ORDER BY id DESC LIMIT 1`,
    [main.cause, main.mail_to, main.hooks, await tx.now(), SAME_HOURS],
  );
  return row?.turn === main.turn ? Number(row.id) : undefined;
}

const MOST_LINES = 40;

async function worded(
  tx: Tx,
  main: NoticeRow,
  group: readonly NoticeRow[],
  net: Around,
  consoleUrl: string,
): Promise<{ subject: string; text: string }> {
  const device = (await byKeys(tx, 'device', [main.cause])).get(main.cause);
  const place = device && (await placeOf(tx, device));
  const rest = group.filter((row) => row !== main);
  const others = place ? await awayAt(tx, place.siteId, main.cause) : [];
  const far = net.farEnd(Number(main.device_id), main.what);
  const port = main.what === REACH ? undefined : await portWords(tx, main);
  const lines = [
    main.text,
    '',
    place && `site      ${place.words}`,
    port !== undefined && `port      ${main.what}${port === '' ? '' : `, ${port}`}`,
    far && `far end   ${far.device} ${far.port}`,
    `since     ${main.at.toISOString().slice(0, 16).replace('T', ' ')} UTC`,
    ...(rest.length > 0
      ? [
          '',
          main.turn === 'well' ? 'with it:' : 'what comes of it:',
          ...rest.slice(0, MOST_LINES).map((row) => `  ${row.text}`),
        ]
      : []),
    rest.length > MOST_LINES && `  and ${rest.length - MOST_LINES} more`,
    ...(others.length > 0 ? ['', `also not reached there: ${others.join(', ')}`] : []),
    ...(consoleUrl === ''
      ? []
      : ['', `${consoleUrl.replace(/\/$/, '')}/devices/${encodeURIComponent(main.cause)}?show=fleet`]),
  ];
  const subject = main.text.split(':')[0] ?? main.text;
  return {
    subject: `${subject}${place ? ` (${place.site})` : ''}`.slice(0, 300),
    text: `${lines.filter((line) => line !== false && line !== undefined).join('\n')}\n`,
  };
}

interface Place {
  siteId: number;
  site: string;
  words: string;
}

async function placeOf(tx: Tx, device: Stored<'device'>): Promise<Place | undefined> {
  const id = (await sitesOf(tx, [device])).get(device.id);
  const site = id === undefined ? undefined : (await byIds(tx, 'site', [id])).get(id);
  if (!site) return undefined;
  const rack = device.rack === null ? undefined : (await keysOf(tx, 'rack', [device.rack])).get(device.rack);
  return {
    siteId: site.id,
    site: site.key,
    words: [`${site.key} ${site.title ?? ''}`.trim(), rack === undefined ? '' : `rack ${rack}`]
      .filter(Boolean)
      .join(', '),
  };
}

/** Other devices of the site that are not reached now. */
async function awayAt(tx: Tx, site: number, cause: string): Promise<string[]> {
  const rows = await tx.select<{ natural_key: string }>(
    `SELECT d.natural_key FROM watched w JOIN device d ON d.id = w.device_id
     WHERE w.what = ? AND w.state <> 'reached' AND d.site_id = ? AND d.natural_key <> ? ORDER BY d.sort_key LIMIT 20`,
    [REACH, site, cause],
  );
  return rows.map((row) => row.natural_key);
}

/** What the records say of the interface. */
async function portWords(tx: Tx, row: NoticeRow): Promise<string> {
  const dialect = (await dialectsOfDevices(tx, [Number(row.device_id)])).get(Number(row.device_id));
  const own = await find(tx, 'interface', { device_id: row.device_id });
  return own.find(({ name }) => (dialect?.interfaceName(name) ?? name) === row.what)?.description ?? '';
}

export interface Letter {
  id: number;
  to: string;
  subject: string;
  text: string;
  tries: number;
  lease: Lease;
}

/** The next letter that is to be sent. */
export async function claimLetter(tx: Tx): Promise<Letter | undefined> {
  const [row] = await claimDue<LetterRow>(tx, 'letter', {
    columns: letters.all,
    where: 'due_at <= ?',
    values: [await tx.now()],
    order: 'id',
    most: 1,
  });
  if (!row) return undefined;
  await tx.execute('UPDATE letter SET tries = tries + 1 WHERE id = ?', [row.id]);
  return {
    lease: row.lease,
    id: Number(row.id),
    to: row.mail_to,
    subject: row.subject,
    text: row.text,
    tries: row.tries + 1,
  };
}

const MOST_TRIES = 10;

export async function saveLetter(tx: Tx, letter: Letter, fault: string | undefined): Promise<void> {
  // Another has sent it meanwhile, and says what came of it.
  if (!(await holds(tx, letter.lease))) return;
  const now = await tx.now();
  if (fault === undefined)
    await tx.execute('UPDATE letter SET sent_at = ?, due_at = NULL, fault = NULL, claimed_until = NULL WHERE id = ?', [
      now,
      letter.id,
    ]);
  else
    await tx.execute(
      'UPDATE letter SET fault = ?, due_at = IF(?, NULL, ? + INTERVAL ? SECOND), claimed_until = NULL WHERE id = ?',
      [fault.slice(0, 500), letter.tries >= MOST_TRIES, now, letter.tries * 60, letter.id],
    );
  tx.hint('notice', letter.id, null);
}
