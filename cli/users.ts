/** Who may sign in, the tokens of programs, and one's own password. */
import { Option, type Command } from 'commander';
import { roles, type Role } from '@zpine/contract/roles';
import { clientOf, outputOf } from './context.ts';
import { askNewSecret, askSecret } from './prompt.ts';
import { ago, out, table } from './print.ts';
import { UsageError } from './refusals.ts';

const roleOption = (about: string): Option => new Option('--role <role>', about).choices([...roles]);

export function addUsers(program: Command): void {
  addUserNoun(program.command('user').description('Who may sign in. For administrators.'));
  addSessionNoun(program.command('session').description('Where you are signed in, and how that ends.'));
  addTokenNoun(program.command('token').description('Tokens: what programs and the command line sign in with.'));
  program
    .command('password')
    .description('change your own password; asks for the one of now and twice for the new one (or reads two lines)')
    .action(async () => {
      const current = await askSecret('current password: ');
      const password = await askNewSecret('new password');
      await clientOf().call('session.password', { body: { current, password } });
      out('changed; you are signed out everywhere else');
    });
}

function addUserNoun(noun: Command): void {
  addAccess(noun);
  noun
    .command('list')
    .description('everybody who may sign in')
    .action(async (_options: object, command: Command) => {
      const { items } = await clientOf().call('user.list');
      show(
        command,
        items,
        ['user', 'role', 'title', 'may sign in', 'acts at', 'until'],
        items.map((user) => [
          user.name,
          user.role,
          user.title ?? '',
          user.disabled ? 'no' : 'yes',
          placesOf(user),
          user.role === 'installer' ? (user.sitesUntil?.slice(0, 10) ?? '') : '',
        ]),
      );
    });
  noun
    .command('add')
    .argument('<name>', 'letters, digits and . _ -')
    .argument('<role>', roles.join(', '))
    .option('--title <title>', 'the full name')
    .description('let somebody sign in; asks twice for the first password (or reads one line)')
    .addHelpText('after', "\nExample:\n  zpine user add t.berg engineer --title 'Tora Berg'")
    .action(async (name: string, role: Role, { title }: { title?: string }) => {
      const password = await askNewSecret(`first password of ${name}`);
      const user = await clientOf().call('user.add', { body: { name, role, password, ...(title ? { title } : {}) } });
      out(`${user.name} may sign in as ${user.role}`);
    });
  noun
    .command('edit')
    .argument('<name>')
    .addOption(roleOption('what they may do'))
    .option('--title <title>', 'the full name')
    .option('--sites <sites>', 'where an installer acts: sites with commas between, all, or none')
    .option('--until <day>', 'the last day of that, or none')
    .option('--shut-out', 'may not sign in any more; sessions and tokens end')
    .option('--let-in', 'may sign in again')
    .description('change what a user is called and may do')
    .addHelpText('after', '\nExample:\n  zpine user edit quay --sites ard,cob --until 2026-12-31')
    .action(async (name: string, options: EditOptions) => {
      const { role, title, shutOut, letIn, sites, until } = options;
      const body = {
        ...(role === undefined ? {} : { role }),
        ...(title === undefined ? {} : { title }),
        ...(sites === undefined ? {} : { sites: sitesIn(sites) }),
        ...(until === undefined ? {} : { sitesUntil: until === 'none' ? null : endOf(until) }),
        ...(shutOut ? { disabled: true } : letIn ? { disabled: false } : {}),
      };
      const user = await clientOf().call('user.edit', { params: { name }, body });
      out(`${user.name}, ${user.role}${user.disabled ? ', may not sign in' : ''}`);
    });
  noun
    .command('password')
    .argument('<name>')
    .description('give a user another password; asks for it twice (or reads one line); ends their sessions')
    .action(async (name: string) => {
      const password = await askNewSecret(`new password of ${name}`);
      await clientOf().call('user.edit', { params: { name }, body: { password } });
      out(`${name} has another password, and is signed out everywhere`);
    });
}

interface EditOptions {
  role?: Role;
  title?: string;
  shutOut?: true;
  letIn?: true;
  sites?: string;
  until?: string;
}

const placesOf = (user: { role: string; sites: string[] | 'all' }): string =>
  user.role === 'viewer'
    ? 'looks only'
    : user.role !== 'installer' || user.sites === 'all'
      ? 'every site'
      : user.sites.join(', ') || 'no site';

function sitesIn(text: string): string[] | 'all' {
  if (text === 'all') return 'all';
  return text === 'none'
    ? []
    : text
        .split(',')
        .map((one) => one.trim())
        .filter(Boolean);
}

/** The end of a day. */
function endOf(day: string): string {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(day)) throw new UsageError(`"${day}" is not a day such as 2026-12-31`);
  return `${day}T23:59:59Z`;
}

function addAccess(noun: Command): void {
  noun
    .command('access')
    .argument('<name>')
    .description('what lets a user in now: where they are signed in, and their tokens')
    .action(async (name: string, _options: object, command: Command) => {
      const seen = await clientOf().call('user.access', { params: { name } });
      if (outputOf(command).json) return out(JSON.stringify(seen, null, 2));
      if (seen.sessions.length === 0) out(`${name} is signed in nowhere`);
      else out(table(['session', 'since', 'last used', 'from', 'with'], seen.sessions.map(sessionRow)));
      out('');
      if (seen.tokens.length === 0) return out(`${name} has no tokens`);
      out(
        table(
          ['token', 'for', 'role', 'until', 'last used'],
          seen.tokens.map((token) => [
            String(token.id),
            token.title,
            token.role,
            token.expiresAt.slice(0, 10),
            usedText(token.usedAt),
          ]),
        ),
      );
    });
  noun
    .command('revoke')
    .argument('<name>')
    .option('--token <id>', 'only this token')
    .description('take back what lets a user in now: all sessions and tokens, or one token')
    .action(async (name: string, { token }: { token?: string }) => {
      const body = token === undefined ? {} : { token: Number(token) };
      const done = await clientOf().call('user.revoke', { params: { name }, body });
      out(`${name}: ${done.sessions} sessions ended, ${done.tokens} tokens taken back`);
    });
}

const usedText = (at: string | null): string => (at === null ? 'never' : `${ago(at)} ago`);

const sessionRow = (one: {
  id: number;
  createdAt: string;
  usedAt: string;
  address: string;
  agent: string;
}): string[] => [
  String(one.id),
  `${ago(one.createdAt)} ago`,
  usedText(one.usedAt),
  one.address,
  one.agent.slice(0, 40),
];

function addSessionNoun(noun: Command): void {
  noun
    .command('list')
    .description('where you are signed in with a password: the console, mostly')
    .action(async (_options: object, command: Command) => {
      const { items } = await clientOf().call('session.list');
      show(command, items, ['session', 'since', 'last used', 'from', 'with'], items.map(sessionRow));
    });
  noun
    .command('end')
    .argument('[session]', 'as session list has it; all of them if not given')
    .description('sign out elsewhere')
    .action(async (id: string | undefined) => {
      const { ended } = await clientOf().call('session.end', { body: id === undefined ? {} : { session: id } });
      out(`${ended} sessions ended`);
    });
}

function addTokenNoun(noun: Command): void {
  noun
    .command('list')
    .description('your tokens, without their secrets')
    .action(async (_options: object, command: Command) => {
      const { items } = await clientOf().call('token.list');
      show(
        command,
        items,
        ['token', 'for', 'role', 'until', 'last used'],
        items.map((token) => [
          String(token.id),
          token.title,
          token.role,
          token.expiresAt.slice(0, 10),
          token.usedAt === null ? 'never' : `${ago(token.usedAt)} ago`,
        ]),
      );
    });
  noun
    .command('add')
    .argument('<title>', 'what it is for')
    .addOption(roleOption('at most your own role, which is the default'))
    .option('--days <days>', 'how long it is good for', '90')
    .description('make a token; its secret is printed this once, alone on standard output')
    .addHelpText('after', "\nExample:\n  zpine token add 'nightly export' --role viewer --days 365")
    .action(async (title: string, { role, days }: { role?: Role; days: string }, command: Command) => {
      const body = { title, days: Number(days), ...(role === undefined ? {} : { role }) };
      const made = await clientOf().call('token.add', { body });
      out(outputOf(command).json ? JSON.stringify(made, null, 2) : made.secret);
    });
  noun
    .command('remove')
    .argument('<id>', 'as token list has it')
    .description('take a token of yours back')
    .action(async (id: string) => {
      await clientOf().call('token.remove', { params: { id } });
      out(`token ${id} is good for nothing any more`);
    });
}

function show(command: Command, items: object[], heads: string[], rows: string[][]): void {
  if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
  out(table(heads, rows));
}
