import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { Contents, TooLarge } from './contents.ts';

const DAY_MS = 86_400_000;
const sha256 = (text: string): string => createHash('sha256').update(text).digest('hex');

describe('contents outside of the database', () => {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-contents-'));
  const contents = new Contents(folder);
  after(() => rmSync(folder, { recursive: true, force: true }));

  async function* pieces(...texts: string[]): AsyncGenerator<Uint8Array> {
    for (const text of texts) yield Promise.resolve(Buffer.from(text));
  }

  it('stand under their digest when they are whole, and not before', async () => {
    const coming = await contents.take(pieces('har', 'bour'), 100);
    expect(coming).to.include({ sha256: sha256('harbour'), bytes: 7 });
    expect(await contents.holds(coming)).to.equal(false);
    await coming.keep();
    expect(await contents.isSound(coming)).to.equal(true);
    expect(await contents.holds({ ...coming, bytes: 8 })).to.equal(false);
    writeFileSync(contents.path(coming.sha256), 'harbous');
    expect(await contents.holds(coming)).to.equal(true);
    expect(await contents.isSound(coming)).to.equal(false);
  });

  it('leave nothing behind when they are too large, end early, or are not wanted after all', async () => {
    const before = readdirSync(folder);
    const large = await contents.take(pieces('four', 'more'), 7).catch((error: unknown) => error);
    expect(large).to.be.instanceOf(TooLarge);
    async function* broken(): AsyncGenerator<Uint8Array> {
      yield Promise.resolve(Buffer.from('half'));
      throw new Error('the line is gone');
    }
    const half = await contents.take(broken(), 100).catch((error: unknown) => error);
    expect((half as Error).message).to.equal('the line is gone');
    await (await contents.take(pieces('not wanted'), 100)).drop();
    expect(readdirSync(folder)).to.deep.equal(before);
  });

  it('are cleared away when nobody has named them for so long, and those that are named are not', async () => {
    const [named, unnamed, lately] = await Promise.all(['a', 'b', 'c'].map((text) => contents.take(pieces(text), 10)));
    for (const one of [named, unnamed, lately]) await one?.keep();
    const old = new Date(Date.now() - 40 * DAY_MS);
    for (const one of [named, unnamed]) utimesSync(contents.path(one?.sha256 ?? ''), old, old);
    writeFileSync(join(folder, '.coming-1-dead'), 'half');
    utimesSync(join(folder, '.coming-1-dead'), old, old);
    expect(await contents.clear(new Set([named?.sha256 ?? '']), 30 * DAY_MS)).to.equal(1);
    const held = await Promise.all(
      [named, unnamed, lately].map((one) => contents.holds({ sha256: one?.sha256 ?? '', bytes: 1 })),
    );
    expect(held).to.deep.equal([true, false, true]);
    expect(readdirSync(folder)).not.to.include('.coming-1-dead');
  });
});
