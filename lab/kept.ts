/** What devices of each dialect have stored that have run for years: a small configuration with a way in. */
export interface KeptOptions {
  name: string;
  /** `10.77.16.11/24` */
  address: string;
  gateway: string;
  user: string;
  password: string;
  timeServers: readonly string[];
  /** Ports that are configured. */
  ports?: number;
  /** Of Furrow: the phrase by which those who only look climb; the user only looks then. */
  climb?: string;
}

function furrowKept(o: KeptOptions): string {
  const ports = Array.from({ length: o.ports ?? 4 }, (_, i) => [
    `socket 1/${i + 1}`,
    `  about "desk ${i + 1}"`,
    '  lane 316',
    '  state live',
  ]);
  return [
    `name ${o.name}`,
    'clock zone Europe/London',
    ...o.timeServers.map((server) => `clock follow ${server}`),
    ...(o.climb === undefined ? [] : [`climb by ${o.climb}`]),
    `account ${o.user}`,
    `  phrase plain ${o.password}`,
    `  rank ${o.climb === undefined ? 'full' : 'look'}`,
    'lane 304',
    '  title "management"',
    'lane 316',
    '  title "staff"',
    ...ports.flat(),
    'face lane 304',
    `  at ${o.address}`,
    `way 0.0.0.0/0 by ${o.gateway}`,
    'shell on',
    '',
  ].join('\n');
}

function quillKept(o: KeptOptions): string {
  const block = (head: string, ...entries: string[]) => [`${head} [`, ...entries.map((entry) => `  ${entry}`), ']'];
  return [
    ...block('host', `name ${o.name}`),
    ...block('clock', ...o.timeServers.map((server) => `server ${server}`), 'zone Europe/London'),
    ...block(`account ${o.user}`, `word plain ${o.password}`),
    ...Array.from({ length: Math.min(6, o.ports ?? 2) }, (_, i) =>
      block(`port cu${i + 1}`, `note "to desk ${i + 1}"`, 'link up'),
    ).flat(),
    ...block('port self0', `address ${o.address}`),
    ...block('route 0.0.0.0/0', `by ${o.gateway}`),
    ...block('door', 'ssh on'),
    '',
  ].join('\n');
}

function shaleKept(o: KeptOptions): string {
  return [
    `host ${o.name}`,
    'zone Europe/London',
    ...o.timeServers.map((server) => `ntp ${server}`),
    `user ${o.user} word ${o.password}`,
    `address eth0 ${o.address}`,
    `route 0.0.0.0/0 ${o.gateway}`,
    ...Array.from({ length: o.ports ?? 2 }, (_, i) => `port front${i + 1} up`),
    '',
  ].join('\n');
}

export const keptOf = { furrow: furrowKept, quill: quillKept, shale: shaleKept } as const;
export const modelOf = { furrow: 'LF-24', quill: 'CB-7', shale: 'TW-8' } as const;
export type LabDialect = keyof typeof keptOf;
