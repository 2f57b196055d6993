/** Single requests that were made to cost much, and what each has to be answered with. */
import type { Role } from '@zpine/contract/roles';

export interface Bomb {
  path: string;
  body?: string;
  role?: Role;
  /** What it must be answered with. */
  status: number;
  /** And what with. */
  says: RegExp;
  /** At most so many bytes. */
  bytes?: number;
  type?: string;
  headers?: Record<string, string>;
  times?: number;
}

const json = JSON.stringify;
export const many = (n: number, of: (i: number) => string, by = ','): string =>
  Array.from({ length: n }, (_, i) => of(i)).join(by);
const nested = (n: number): string => `${'['.repeat(n)}${']'.repeat(n)}`;
const sheet = (text: string): string => json({ sheet: text });
const imported = (text: string, more: object = {}): string => json({ text, ...more });

export const bombs: Record<string, Bomb> = {
  'a sign-in with 85,000 fields, three times': {
    path: '/session',
    body: `{${many(85_000, (i) => `"f${i}":1`)}}`,
    says: /body-large/,
    status: 413,
    times: 3,
  },
  'a sign-in with as many fields as it may have': {
    path: '/session',
    body: `{${many(1500, (i) => `"f${i}":1`)}}`,
    says: /"more":1/,
    status: 422,
    bytes: 40_000,
  },
  'a sheet of 43,000 keys': {
    path: '/dialect-checks',
    body: sheet(`{${many(43_000, String)}}`),
    role: 'viewer',
    says: /unknown key/,
    status: 200,
  },
  'a sheet of lists inside each other': {
    path: '/dialect-checks',
    body: sheet(nested(5000)),
    role: 'viewer',
    says: /more than 64 deep/,
    status: 200,
  },
  'a sheet of dashes in one line': {
    path: '/dialect-checks',
    body: sheet('- '.repeat(100_000)),
    role: 'viewer',
    says: /more than 64 deep/,
    status: 200,
  },
  'a sheet that stands for itself': {
    path: '/dialect-checks',
    body: sheet('a: &a [x]\nb: *a\n'),
    role: 'viewer',
    says: /stands for another place/,
    status: 200,
  },
  '340,000 empty devices': {
    path: '/devices',
    body: `[${many(340_000, () => '{}')}]`,
    role: 'engineer',
    says: /bulk-many/,
    status: 422,
    bytes: 2000,
  },
  '1,000 devices with 100 unknown fields each': {
    path: '/devices',
    body: `[${many(1000, () => `{${many(100, (i) => `"q${i}":1`)}}`)}]`,
    role: 'engineer',
    says: /"more":1009/,
    status: 422,
    bytes: 60_000,
  },
  'an import of 100,000 kinds': {
    path: '/imports',
    body: imported(`{${many(100_000, (i) => `"k${i}":[]`)}}`),
    role: 'engineer',
    says: /no kind/,
    status: 200,
    bytes: 60_000,
  },
  'an import of a million separators': {
    path: '/imports',
    body: imported('code,;\t'.repeat(1_000_000), { kind: 'site', as: 'csv' }),
    role: 'engineer',
    says: /longer than/,
    status: 200,
    bytes: 5000,
  },
  'an import of 150,000 columns': {
    path: '/imports',
    body: imported(`${many(150_000, (i) => `c${i}`)}\n1,2\n`, { kind: 'site', as: 'csv' }),
    role: 'engineer',
    says: /import-columns/,
    status: 200,
    bytes: 5000,
  },
  'an import of one map with 300,000 keys': {
    path: '/imports',
    body: imported(`site: [{${many(300_000, (i) => `k${i}: 1`)}}]`, { as: 'yaml' }),
    role: 'engineer',
    says: /more than 500000/,
    status: 200,
    bytes: 60_000,
  },
  'lists 200,000 deep in a value': {
    path: '/setting-values',
    body: `{"setting":"motd","layer":"estate","value":${nested(200_000)}}`,
    role: 'engineer',
    says: /body-deep/,
    status: 400,
  },
  'lists 3,000 deep in a body with a key': {
    path: '/sites',
    body: `{"code":"zz","title":${nested(3000)}}`,
    role: 'engineer',
    says: /body-deep/,
    status: 400,
    headers: { 'Idempotency-Key': 'deep' },
  },
  'lists 3,000 deep in an import': {
    path: '/imports',
    body: imported(`{"site":[{"code":${nested(3000)}}]}`),
    role: 'engineer',
    says: /more than 64 deep/,
    status: 200,
  },
  'a template of 150 hashed passwords': {
    path: '/template-tries',
    body: json({
      template: 'furrow-access',
      device: 'ard-acc-1',
      source: '@for i of range(1,150)\nx @{sha512crypt("r@{i}")}\n@end',
    }),
    role: 'engineer',
    says: /too-much/,
    status: 200,
  },
  'a template of a text that doubles': {
    path: '/template-tries',
    body: json({
      template: 'furrow-access',
      device: 'ard-acc-1',
      source: `@let s0 = "xxxxxxxxxxxxxxxx"\n${many(26, (i) => `@let s${i + 1} = s${i} + s${i}`, '\n')}\n${many(40, (i) => `@let u${i} = upper(s26 + "${i}")`, '\n')}`,
    }),
    role: 'engineer',
    says: /too-large/,
    status: 200,
  },
};

const areas = (n: number): string => encodeURIComponent(many(n, (i) => `device.site.area.title!=*a${i}*`, ' '));

Object.assign(bombs, {
  'a selection with eight tests three references away': {
    path: `/interfaces?where=${areas(8)}`,
    role: 'viewer',
    status: 200,
    says: /"items":\[\{/,
  },
  'a selection with more of them': {
    path: `/interfaces?where=${areas(10)}`,
    role: 'viewer',
    status: 422,
    says: /at most 24 tests/,
  },
  'room for blocks that are too small for IPv4': {
    path: '/fitting-prefixes?length=64',
    role: 'viewer',
    status: 200,
    says: /"items":\[/,
  },
  'room for blocks that no family has': {
    path: '/fitting-prefixes?length=64&family=4',
    role: 'viewer',
    status: 422,
    says: /"max":32/,
  },
} satisfies Record<string, Bomb>);
