import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { ConfigFault, options, readConfig } from './config.ts';

describe('options of the service', () => {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-config-'));
  after(() => rmSync(folder, { recursive: true, force: true }));
  const file = (text: string): string => {
    const path = join(folder, 'options.yaml');
    writeFileSync(path, text);
    return path;
  };

  it('have defaults', () =>
    expect(readConfig({})).to.deep.include({
      listenHost: '127.0.0.1',
      listenPort: 7780,
      databaseName: 'zpine',
      cookieSecure: false,
    }));

  it('come from a file, and the environment wins', () => {
    const config = readConfig({
      ZPINE_CONFIG: file('listenPort: 8001\nsessionHours: 4\ncookieSecure: true\n'),
      ZPINE_LISTEN_PORT: '8002',
    });
    expect(config).to.include({ listenPort: 8002, sessionHours: 4, cookieSecure: true });
  });

  it('are all complained about at once, each with its place', () => {
    const path = file('listenPort: many\nlistenPrt: 1\n');
    expect(() => readConfig({ ZPINE_CONFIG: path, ZPINE_SESSION_HOURS: '0' }))
      .to.throw(ConfigFault)
      .with.property('message')
      .that.matches(new RegExp(`${path}: there is no option "listenPrt"`))
      .and.matches(/listenPort: /)
      .and.matches(/ZPINE_SESSION_HOURS: /);
  });

  it('in a broken file are a fault with the file’s name', () => {
    const path = file('listenPort: [1\n');
    expect(() => readConfig({ ZPINE_CONFIG: path })).to.throw(ConfigFault, path);
    expect(() => readConfig({ ZPINE_CONFIG: join(folder, 'none.yaml') })).to.throw(ConfigFault, 'none.yaml');
  });

  it('are documented, every one', () => {
    const page = readFileSync('docs/options.md', 'utf8');
    for (const [name, { env }] of Object.entries(options))
      expect(page).to.include(`\`${name}\``).and.to.include(`\`${env}\``);
  });
});
