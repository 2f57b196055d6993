/** The demo data with a service and the command line signed in. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { loadDemo } from '@zpine/demo/load';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { testService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

export interface DemoBench extends ReturnType<typeof zpineIn> {
  bench: TestBench;
  /** A folder that goes with the bench. */
  home: string;
  end: () => Promise<void>;
}

export async function demoBench(): Promise<DemoBench> {
  const home = mkdtempSync(join(tmpdir(), 'zpine-addressing-'));
  const bench = await testService(bootNet().env, 'dist/console');
  await loadDemo(bench.clients.admin, () => undefined);
  const cli = zpineIn(home);
  await cli.zpineWith(`${PASSWORD}\n`, {}, 'sign-in', bench.url, '--user', 'engineer');
  const end = async () => {
    await bench.stop();
    rmSync(home, { recursive: true, force: true });
  };
  return { ...cli, bench, home, end };
}
