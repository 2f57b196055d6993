/** What a Furrow switch understands of a configuration: one row a line, by the block that it stands in. */
export interface GrammarRow {
  form: RegExp;
  /** The line begins a block of this name. */
  opens?: string;
  /** A new line of this family takes the place of the one before. */
  single?: string;
  /** It may stand several times. */
  repeats?: boolean;
  /** A reason not to take it. */
  refuse?: (match: RegExpExecArray, hardware: Hardware) => string | undefined;
}

export interface Hardware {
  model: string;
  /** Sockets by the slot that they are in; a switch without slots has all of its own in slot 1. */
  sockets: Readonly<Record<string, number>>;
}

const stretches = ({ sockets }: Hardware): string =>
  Object.entries(sockets)
    .map(([slot, n]) => `${slot}/1 to ${slot}/${n}`)
    .join(', ') || 'none';

const IP = '(\\d{1,3}\\.\\d{1,3}\\.\\d{1,3}\\.\\d{1,3})';
const octetsFit = (text: string | undefined): boolean =>
  (text ?? '')
    .split(/[./]/)
    .slice(0, 4)
    .every((part) => Number(part) <= 255);
const address = (match: RegExpExecArray): string | undefined =>
  octetsFit(match[1]) ? undefined : 'that is no address';
const lane = (text: string | undefined): string | undefined =>
  Number(text) >= 1 && Number(text) <= 4094 ? undefined : 'lanes go from 1 to 4094';

export const grammar: Record<string, GrammarRow[]> = {
  '': [
    { form: /^name ([A-Za-z0-9][A-Za-z0-9._-]{0,62})$/, single: 'name' },
    { form: /^system \S+ from (?:tftp|http):\/\/\S+$/, single: 'system' },
    { form: /^clock zone ([A-Za-z0-9_+/-]+)$/, single: 'clock zone' },
    { form: new RegExp(`^clock follow ${IP}$`), refuse: address },
    { form: /^resolve suffix ([a-z0-9.-]+)$/, single: 'resolve suffix' },
    { form: new RegExp(`^resolve via ${IP}$`), refuse: address },
    { form: new RegExp(`^journal to ${IP}$`), refuse: address },
    { form: new RegExp(`^alert to ${IP} word (\\S+)$`), refuse: address },
    { form: /^greeting$/, opens: 'greeting' },
    { form: /^account ([a-z][a-z0-9._-]{0,31})$/, opens: 'account' },
    { form: /^lane (\d{1,4})$/, opens: 'lane', refuse: (m) => lane(m[1]) },
    {
      form: /^socket (\d{1,2}(?:\/\d{1,2})?)\/(\d{1,3})$/,
      opens: 'socket',
      refuse: (m, hardware) =>
        Number(m[2]) >= 1 && Number(m[2]) <= (hardware.sockets[m[1] ?? ''] ?? 0)
          ? undefined
          : `${hardware.model} has sockets ${stretches(hardware)}`,
    },
    { form: /^face (lane \d{1,4}|loop \d{1,3})$/, opens: 'face' },
    { form: new RegExp(`^way (?:${IP}/\\d{1,2}) by \\d+\\.\\d+\\.\\d+\\.\\d+$`), refuse: address },
    { form: /^shell (on|off)$/, single: 'shell' },
    // A terminal without encryption.
    { form: /^bare (on|off)$/, single: 'bare' },
    { form: /^report to (https?:\/\/\S+)$/, single: 'report to' },
    // The second password, that those who only look need to change anything.
    { form: /^climb by (\S+)$/, single: 'climb by' },
  ],
  greeting: [{ form: /^\|(?: .*)?$/, repeats: true }],
  account: [
    { form: /^phrase (?:sealed \$6\$\S+|plain \S+)$/, single: 'phrase' },
    { form: /^key [a-z0-9@.-]+ [A-Za-z0-9+/]+=*$/, repeats: true },
    { form: /^rank (full|look)$/, single: 'rank' },
  ],
  lane: [{ form: /^title ".*"$/, single: 'title' }],
  socket: [
    { form: /^about ".*"$/, single: 'about' },
    { form: /^lane (\d{1,4})$/, single: 'lane', refuse: (m) => lane(m[1]) },
    {
      form: /^lanes (\d{1,4}(?:,\d{1,4})*)$/,
      single: 'lanes',
      refuse: (m) => (m[1] ?? '').split(',').map(lane).find(Boolean),
    },
    { form: /^state (live|still)$/, single: 'state' },
  ],
  face: [{ form: new RegExp(`^at (${IP}/\\d{1,2})$`), single: 'at', refuse: address }],
};
