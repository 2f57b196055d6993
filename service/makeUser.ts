import { Refusal } from '@zpine/contract/errors';
import { faultsOf } from '@zpine/contract/faults';
import { verbRoutes } from '@zpine/contract/routes';
import { addUser } from './app/access/users.ts';
import { readConfig } from './config.ts';
import { logFor } from './log.ts';
import { openStore, prepareStore } from './stores.ts';
import { transact } from './store/transact.ts';

/** `user NAME ROLE [TITLE]`: makes a user; the password comes on standard input. */
export async function makeUser([name = '', role = '', title = '']: string[]): Promise<void> {
  const body = verbRoutes['user.add'].body.safeParse({
    name,
    role,
    ...(title ? { title } : {}),
    password: await readAll(),
  });
  if (!body.success) throw Refusal.of(faultsOf(body.error, { name, role }, ['name', 'role', 'title', 'password']));
  const config = readConfig(process.env);
  await prepareStore(config, logFor({ logLevel: 'silent', logPretty: false }));
  const store = openStore(config, 'job');
  await transact(store, { name: 'console', via: 'service' }, 'user.add', (tx) => addUser(tx, body.data));
  await store.sequelize.close();
  process.stdout.write(`${name} may sign in as ${role}\n`);
}

async function readAll(): Promise<string> {
  let text = '';
  for await (const chunk of process.stdin) text += String(chunk);
  return text.replace(/\r?\n$/, '');
}
