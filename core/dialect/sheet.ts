/** A dialect sheet: what has to be known of a network operating system to boot, reach, read and change its devices. */
import { z } from 'zod';
import { compilePattern } from '../text/pattern.ts';
import { blankSchema, filledIn, holesIn, sampleValues } from './blanks.ts';
import { operationFaults, operationSchema } from './operations.ts';
import type { SheetFault } from './sheetFault.ts';

/** A pattern, checked when the sheet is read. */
const pattern = (about: string, ...groups: string[]) =>
  z
    .string()
    .min(1)
    .max(1000)
    .superRefine((source, context) => {
      try {
        const { groups: has } = compilePattern(source);
        for (const group of groups)
          if (!has.includes(group))
            context.addIssue({ code: 'custom', message: `it has no part named ${group}: (?<${group}>...)` });
      } catch (error) {
        context.addIssue({ code: 'custom', message: `no pattern: ${error instanceof Error ? error.message : ''}` });
      }
    })
    .describe(about);

const command = (about: string) =>
  z
    .string()
    .min(1)
    .max(2000)
    .refine((text) => !/[\u0000-\u001f\u007f]/.test(text), 'a command is one line without control characters')
    .describe(about);

const commands = (about: string) => z.array(command(about)).max(20).describe(about);

const name = z.string().regex(/^[a-z][a-z0-9-]{0,39}$/, 'a name has a-z, 0-9 and -, and begins with a letter');

const question = z.strictObject({
  about: z.string().max(200).optional().describe('What it tells, in a few words'),
  command: command('What is asked; {blank} is what stands in a blank'),
  blanks: z.record(name, blankSchema).default({}).describe('What has to be said with the question'),
  rows: z
    .union([pattern('A line that is a row'), z.array(pattern('A line that is a row')).min(1).max(10)])
    .optional()
    .describe('Each line that fits gives a row; the named parts are its fields. Several: the first that fits'),
  fields: z
    .array(pattern('A line that holds fields'))
    .max(40)
    .optional()
    .describe('All named parts of lines that fit give one row together; what comes several times is listed'),
  states: z
    .record(z.string().min(1).max(40), z.record(z.string().min(1).max(40), pattern('How this device says it')))
    .default({})
    .describe('Of fields: words that are alike in all dialects, each with a pattern of what this one says for it'),
});

const capturedFile = z.strictObject({
  command: command('What prints it'),
  encoding: z.enum(['text', 'base64', 'hex']).default('text').describe('How it is printed; base64 and hex for binary'),
  put: command('What puts it back; {base64} is its content').optional(),
});

/** A question that a command asks back. */
const asked = z.strictObject({
  ask: pattern('The end of what the device has written when it asks'),
  say: z.string().max(200).describe('What is typed'),
});

/** A line as a device may write it: the named parts say what makes no difference. */
const spelling = z.strictObject({
  line: pattern(
    'A line with the blocks it stands in; a part named fold is the same in upper and lower case, one named list is numbers and ranges in any order',
  ),
  as: z.string().max(200).optional().describe('How the line itself is meant; {part} is a named part of the pattern'),
});

/** A timed way back: whoever is locked out by a change has only to wait. */
const guard = z.strictObject({
  begin: command('What begins it, before a change; {seconds} is its time').refine(
    (text) => text.includes('{seconds}'),
    'it has no {seconds} in it',
  ),
  hold: command('What says that the change stays'),
  seconds: z.int().min(10).max(3600).default(180).describe('Its time; a push has to get in again within it'),
});

const change = z.strictObject({
  enter: commands('What begins a change').default([]),
  leave: commands('What ends it').default([]),
  nesting: z
    .enum(['entered', 'path'])
    .default('entered')
    .describe('Blocks are entered by their own line, or every line is sent with the blocks that it stands in'),
  out: command('What leaves a block that was entered').optional(),
  join: z.string().max(10).default(' / ').describe('What stands between a block and a line, where paths are sent'),
  take: command('What takes a line; {line} is the line, {quoted} the line as one word of a shell').default('{line}'),
  takeAway: command('What takes a line away'),
  check: command('What checks the change as a whole before it is put in force').optional(),
  apply: command('What puts it in force').optional(),
  discard: command('What throws it away').optional(),
  guard: guard.optional().describe('How a change takes itself back when nobody holds it'),
  waits: z
    .strictObject({
      for: pattern('A reason with which a line is turned down that will be taken soon: what it needs has to start'),
      seconds: z.int().min(1).max(1800).default(120).describe('How long it is tried'),
    })
    .optional(),
});

const restart = z.strictObject({
  command: command('What restarts the device'),
  answers: z.array(asked).max(10).default([]).describe('What it asks then, and what is said'),
  backSeconds: z.int().min(5).max(3600).default(300).describe('How long it may take until one can sign in again'),
});

const wipe = z.strictObject({
  command: command('What empties the memory of the device'),
  answers: z.array(asked).max(10).default([]).describe('What it asks then, and what is said'),
  restarts: z.boolean().default(false).describe('It restarts by itself then'),
});

/** {url} is where it is fetched by HTTP; {server} and {file} are for TFTP. */
const images = z.strictObject({
  room: z
    .strictObject({
      command: command('What tells how much room there is'),
      free: pattern('A line with the bytes that are free', 'bytes'),
    })
    .optional(),
  fetch: command('What makes the device fetch an image; {url}, or {server} and {file}'),
  fetchSeconds: z.int().min(5).max(7200).default(1800).describe('How long that may take'),
  remove: command('What removes a file from its store; {file}').optional(),
  next: command('What makes it start with a file from its next restart on; {file}'),
  starts: z.strictObject({
    command: command('What tells which files it runs and would start with'),
    now: pattern('A line with the file that it runs', 'file'),
    next: pattern('A line with the file that it would start with', 'file'),
  }),
  holds: name.default('files').describe('The question whose rows have file, bytes and sha256 or sha512'),
});

/** A configuration put in as a whole, to be in force after a restart. */
const whole = z.strictObject({
  begin: command('What begins it; the lines follow, as they are'),
  end: command('The line that ends it'),
});

const raise = z.strictObject({
  command: command('What asks for more rights'),
  ask: pattern('How the device asks for the second password'),
  raised: pattern('The prompt of a session that has them'),
});

const ports = z.strictObject({
  line: pattern('A line with the blocks it stands in, about a port', 'port'),
  still: pattern('A line that shuts it', 'port'),
  live: pattern('A state in which it is up, in the answer to interfaces'),
  settleSeconds: z.int().min(0).max(120).default(6).describe('How long it may take to come up'),
});

const boot = z.strictObject({
  vendorClass: z.string().min(1).max(60).describe('How the vendor class (option 60) of its devices begins'),
  file: z
    .string()
    .regex(/\{device\}/, 'the name of the file has {device} in it')
    .max(100)
    .describe('The name of its first file'),
  always: z.array(z.int().min(1).max(254)).max(40).default([]).describe('Options told even when not asked for'),
  transports: z
    .array(z.enum(['tftp', 'http', 'https']))
    .min(1)
    .default(['tftp'])
    .describe('By what it fetches its first file'),
  serial: pattern('The serial in a client identifier (option 61) of text', 'serial').optional(),
});

const lineForm = (about: string, ...groups: string[]) => pattern(about, ...groups);

/** Lines of a configuration with the blocks they stand in, joined by ` / `. */
const wayIn = z.strictObject({
  address: lineForm(
    'An address of an interface; a part named vlan makes it one of a sub-interface, one named needs is the VLAN it lies in',
    'on',
    'address',
  ).optional(),
  gateway: lineForm('The way out', 'gateway').optional(),
  user: lineForm('A user and the password, plain or as a digest', 'user', 'password').optional(),
  sealed: lineForm('Whether such a line holds a digest').optional(),
  key: lineForm('A user and a public key, as OpenSSH writes it', 'user', 'key').optional(),
  shell: lineForm('SSH is on').optional(),
  others: z
    .array(pattern('A line with the blocks it stands in'))
    .max(20)
    .optional()
    .describe('Lines that open another way in than SSH; left out: it does not tell'),
  callHome: lineForm('Where it reports that it is up', 'url').optional(),
  carries: lineForm('Which VLANs a port carries, with commas between them', 'port', 'vlans').optional(),
  still: lineForm('A port that is off', 'port').optional(),
});

/** Lines with the blocks that they stand in, joined by ` / `, and what of them is the value of a setting. */
const says = z
  .array(
    z.strictObject({
      setting: z.string().min(1).max(63).describe('A setting of the catalogue: time.servers'),
      line: lineForm('A line that says it', 'value'),
    }),
  )
  .max(60);

/** How files of a host are read, put and taken away; `{path}` is a path of signs that stand for themselves in a shell. */
const filing = z.strictObject({
  read: command('What prints the content of {path} in base64'),
  missing: pattern('What it says of a file that is not there'),
  about: command('What tells owner and mode of {path}').optional(),
  tells: pattern('How it tells them', 'owner', 'mode').optional(),
  begin: commands('What makes an empty file at {beside}, in {folder}, which nobody else may read').min(1),
  add: command('What adds {base64} to it'),
  owner: command('What gives it {owner}').optional(),
  mode: command('What gives it {mode}').optional(),
  end: command('What moves {beside} into the place of {path}'),
  remove: command('What takes {path} away'),
  digest: command('What prints the SHA-256 of {path}').optional(),
  // A packet has 32768 bytes at the most (RFC 4253, section 6.1), and base64 makes four of three.
  pieceBytes: z.int().min(100).max(24_000).default(18_000).describe('So many bytes are sent at a time'),
});

export const dialectSheet = z.strictObject({
  title: z.string().min(1).max(60).describe('What people call it'),
  about: z.string().max(500).optional(),
  channel: z
    .enum(['prompt', 'exec'])
    .default('prompt')
    .describe('A terminal with a prompt, or every command for itself (RFC 4254, section 6.5)'),
  prompt: pattern('The last line of what was received when the device waits for a command').optional(),
  refusals: z
    .array(pattern('A line that says that a command was not taken'))
    .max(20)
    .default([])
    .describe('The part named why is the reason'),
  paging: z
    .strictObject({
      off: commands('What switches paging off').default([]),
      more: pattern('The line at which it stops').optional(),
      next: z.string().max(5).default(' ').describe('What is typed to go on'),
    })
    .prefault({}),
  raise: raise.optional().describe('How more rights are asked for, where a second password is given'),
  reads: z
    .array(pattern('A command that only reads'))
    .min(1)
    .max(50)
    .describe('All other commands are refused when somebody only asks'),
  bare: z
    .strictObject({
      user: pattern('The end of what it has written when it asks who is there'),
      password: pattern('The end of what it has written when it asks for the password'),
      refused: pattern('A line that says that somebody is not let in'),
    })
    .optional()
    .describe('How it asks for user and password on a line without encryption (RFC 854)'),
  running: command('What prints the running configuration'),
  stored: command('What prints what is stored').optional(),
  keep: command('What stores what runs').optional(),
  change: change.optional().describe('How its configuration is changed'),
  restart: restart.optional().describe('How a device is restarted'),
  wipe: wipe.optional().describe('How its memory is emptied, so that it boots without a configuration'),
  images: images.optional().describe('How a device is brought to another image'),
  whole: whole.optional().describe('How a whole configuration is put into what is stored'),
  blocks: z.enum(['indent', 'bracket', 'brace', 'flat']).describe('How lines stand in one another'),
  comment: z.string().min(1).max(5).default('#').describe('What begins a comment'),
  volatile: z.array(pattern('A line that differs from one reading to the next')).max(50).default([]),
  secrets: z
    .array(pattern('A line with a secret', 'secret'))
    .max(50)
    .default([])
    .describe('A part named form tells how it is written: plain, or as a digest'),
  heads: z
    .array(z.string().min(1).max(60))
    .max(200)
    .default([])
    .describe('Beginnings of lines that make a family: of one family all lines are ours, or none'),
  single: z
    .array(pattern('A line with the blocks it stands in', 'head'))
    .max(50)
    .default([])
    .describe('Lines of which a block has one of a kind: a new one takes the place of the old'),
  ordered: z
    .array(pattern('A line with the blocks it stands in', 'head'))
    .max(50)
    .default([])
    .describe('Lines whose order counts, among those of one block with the same head; new ones come to the end'),
  usual: z
    .array(pattern('A line with the blocks it stands in'))
    .max(100)
    .default([])
    .describe('Lines that say what is so anyway, and that devices may leave out'),
  spellings: z
    .array(spelling)
    .max(100)
    .default([])
    .describe('Where two lines are the same although they are written otherwise'),
  hidden: pattern('What stands in place of a secret that the device does not show').optional(),
  builds: z
    .array(pattern('A line with the blocks it stands in'))
    .max(50)
    .default([])
    .describe('What must be there before other lines, in this order: cards, ports, VLANs, interfaces'),
  exclusive: z
    .array(pattern('A line with the blocks it stands in', 'what'))
    .max(50)
    .default([])
    .describe('What may stand in a single place only, such as an address: it goes from one before it comes to another'),
  opens: z
    .array(pattern('A line with the blocks it stands in'))
    .max(50)
    .default([])
    .describe('Lines that begin a block, even where nothing stands in it'),
  files: z.record(name, capturedFile).default({}).describe('What is captured beside running and stored configuration'),
  filing: filing.optional().describe('How files of its hosts are read and put'),
  questions: z.record(name, question).default({}),
  operations: z.record(name, operationSchema).default({}).describe('Named acts that are no configuration'),
  ports: ports.optional().describe('How ports are told in its lines, and in its answer to the question interfaces'),
  boot: boot.optional().describe('How its devices boot without a configuration'),
  says: says.default([]).describe('What its lines say that settings say, too: taken over with a network that runs'),
  interfaceNames: z
    .array(
      z.strictObject({
        records: pattern('A name in the records'),
        device: z.string().max(60).describe('The name on the device; {part} is a named part of the pattern'),
      }),
    )
    .max(20)
    .default([]),
  wayIn: wayIn.optional().describe('How an edition is read for the way back in'),
});

export type DialectSheet = z.output<typeof dialectSheet>;

/** What the schema cannot say: what belongs together. */
export function togetherFaults(sheet: DialectSheet): SheetFault[] {
  const faults: SheetFault[] = [];
  const add = (path: (string | number)[], message: string) => faults.push({ path, message });
  if (sheet.channel === 'prompt' && sheet.prompt === undefined)
    add(['channel'], 'a terminal needs a prompt: say how its last line looks');
  if (sheet.channel === 'exec' && sheet.raise) add(['raise'], 'more rights are asked for at a prompt only');
  if (sheet.change) {
    if (sheet.change.nesting === 'entered' && sheet.blocks !== 'flat' && sheet.change.out === undefined)
      add(['change', 'nesting'], 'blocks that are entered need a word to leave them: out');
    for (const field of ['take', 'takeAway'] as const)
      if (!/\{(line|quoted)\}/.test(sheet.change[field]))
        add(['change', field], 'it has neither {line} nor {quoted} in it');
    if (sheet.channel === 'exec' && (sheet.change.enter.length > 0 || sheet.change.leave.length > 0))
      add(['change', 'enter'], 'where every command stands for itself, there is nothing to enter or leave');
  }
  for (const [key, { command: asks, blanks }] of Object.entries(sheet.questions))
    for (const hole of holesIn(asks))
      if (!Object.hasOwn(blanks, hole)) add(['questions', key, 'command'], `there is no blank {${hole}}`);
  faults.push(...operationFaults(sheet));
  if (sheet.filing && (sheet.filing.about === undefined) !== (sheet.filing.tells === undefined))
    add(['filing', 'about'], 'about and tells go together');
  for (const [field, text] of [
    ['running', sheet.running],
    ['stored', sheet.stored],
    ...Object.entries(sheet.questions).map(
      ([key, { command: asks, blanks }]) =>
        [`questions.${key}.command`, filledIn(asks, sampleValues(blanks), sheet.channel === 'exec')] as const,
    ),
    ...Object.entries(sheet.files).map(([key, file]) => [`files.${key}.command`, file.command] as const),
    ...(['read', 'about', 'digest'] as const).map(
      (key) => [`filing.${key}`, sheet.filing?.[key]?.replaceAll('{path}', '/etc/motd')] as const,
    ),
  ] as const)
    if (text !== undefined && !isRead(sheet, text))
      add(field.split('.'), `"${text}" is not a command that only reads, by this sheet's own reads`);
  return faults;
}

/** Whether a command only reads, by the sheet's own word. */
const isRead = (sheet: Pick<DialectSheet, 'reads'>, text: string): boolean =>
  !/[\u0000-\u001f\u007f]/.test(text) && sheet.reads.some((source) => compilePattern(source).test(text));
