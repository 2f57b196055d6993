/** The demo data with a service and the command line signed in. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

export interface DemoBench extends ReturnType<typeof zpineIn> {
  bench: TestBench;
  /** A folder that goes with the bench. */
  home: string;
  end: () => Promise<void>;
}

export async function demoBench(): Promise<DemoBench> {
  const home = mkdtempSync(join(tmpdir(), 'zpine-addressing-'));
  const bench = await demoService(bootNet().env, 'dist/console');
  const cli = zpineIn(home);
  await cli.zpineWith(`${PASSWORD}\n`, {}, 'sign-in', bench.url, '--user', 'engineer');
  const end = async () => {
    await bench.stop();
    rmSync(home, { recursive: true, force: true });
  };
  return { ...cli, bench, home, end };
}
