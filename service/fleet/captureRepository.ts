/**
 * Captures in a repository of text files, for those who keep one: what devices run and have stored, secrets masked, a commit
 * for what changed since the last one. What git cannot take is logged, and tried again.
 */
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { currentCaptures, type CurrentCapture } from '../app/fleet/captures.ts';
import type { Actor, Store } from '../store/store.ts';
import { readOnly } from '../store/transact.ts';
import { Faults } from '../store/faults.ts';
import { PollLoop } from '../store/turns.ts';

interface Log {
  warn: (what: object, text: string) => void;
}

const actor: Actor = { name: 'repository', via: 'service' };
/** So many captures are read at a time. */
const SLICE = 200;
/** So many devices are named in the first line of a commit. */
const NAMED = 5;

export class CaptureRepository {
  private readonly store: Store;
  private readonly folder: string;
  private readonly faults: Faults;
  private readonly turns: PollLoop;
  /** The last capture that is in the files; those of an earlier life are written once more, and git finds them the same. */
  private last = 0;

  constructor(store: Store, folder: string, everySeconds: number, log: Log) {
    this.store = store;
    this.folder = folder;
    this.faults = new Faults(log);
    this.turns = new PollLoop(everySeconds * 1000, () => this.safely());
  }

  start(): void {
    this.turns.start();
  }

  stop(): Promise<void> {
    return this.turns.stop();
  }

  private async safely(): Promise<boolean> {
    await this.turn().catch((error: unknown) =>
      this.faults.say(error, 'captures could not be put into their repository'),
    );
    return false;
  }

  private async turn(): Promise<void> {
    mkdirSync(this.folder, { recursive: true });
    if (!existsSync(join(this.folder, '.git'))) await this.git('init', '--quiet');
    const changed = new Set<string>();
    for (let after = this.last; ;) {
      const captures = await readOnly(this.store, actor, (tx) => currentCaptures(tx, after, SLICE));
      for (const one of captures) {
        this.write(one);
        changed.add(one.device);
        after = one.id;
      }
      if (captures.length < SLICE) {
        if (changed.size > 0) await this.commit([...changed].sort());
        this.last = after;
        return;
      }
    }
  }

  private write({ device, file, text }: CurrentCapture): void {
    writeFileSync(join(this.folder, `${device}.${file}`), text);
  }

  private async commit(devices: readonly string[]): Promise<void> {
    await this.git('add', '--all');
    if ((await this.git('status', '--porcelain')) === '') return;
    const more = devices.length > NAMED ? ` and ${devices.length - NAMED} more` : '';
    await this.git('commit', '--quiet', '--message', `Captured: ${devices.slice(0, NAMED).join(', ')}${more}`);
  }

  /** Gives what it said; throws with its own words where it failed. */
  private git(...args: string[]): Promise<string> {
    const who = ['-c', 'user.name=Zealous Pine', '-c', 'user.email=zpine@localhost', '-c', 'commit.gpgsign=false'];
    return new Promise((resolve, reject) => {
      const child = spawn('git', ['-C', this.folder, ...who, ...args], { stdio: ['ignore', 'pipe', 'pipe'] });
      let [out, wrong] = ['', ''];
      child.stdout.on('data', (bytes: Buffer) => (out += bytes.toString()));
      child.stderr.on('data', (bytes: Buffer) => (wrong += bytes.toString()));
      child.once('error', reject);
      child.once('close', (code) =>
        code === 0 ? resolve(out) : reject(new Error(`git ${args[0] ?? ''}: ${(wrong || out).trim()}`)),
      );
    });
  }
}
