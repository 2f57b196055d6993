/** What a lab keeps, and whom its devices' own lines cut off. */
import { mkdtempSync, rmSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { labControl } from './control.ts';
import { keptOf } from './kept.ts';
import { Lab } from './lab.ts';
import { Mailbox } from './mail.ts';

const MAP = ['default 10.77.0.0/16 127.210.0.0/16 10000'];

describe('a lab', () => {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-lab-'));
  const labs: Lab[] = [];
  const newLab = (): Lab => {
    const lab = new Lab({ dialMap: MAP, server: '10.77.0.10', paceMs: 1, devices: [] }, folder);
    labs.push(lab);
    return lab;
  };
  after(async () => {
    for (const lab of labs) await lab.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  it('keeps the boxes that were made while it ran: where they hang, their faults and their power', async () => {
    const lab = newLab();
    const control = labControl(lab, new Mailbox());
    const post = (path: string, body: object) =>
      control.request(path, {
        method: 'POST',
        body: JSON.stringify(body),
        headers: { 'Content-Type': 'application/json' },
      });
    const box = {
      name: 'crate-9',
      serial: 'LF24-0300-09',
      mac: '02:00:00:03:00:09',
      relay: '10.77.16.1',
      model: 'LF-24',
    };
    expect((await post('/devices', box)).status).to.equal(201);
    await post('/devices/crate-9/faults', { add: ['deaf'] });
    await post('/devices/crate-9/plug', { relay: '10.77.48.1', circuit: 'ske-xr-1:cu2' });
    await post('/devices/crate-9/on', {});
    await lab.stop();
    const again = newLab();
    expect(again.state('crate-9')).to.include({
      serial: box.serial,
      relay: '10.77.48.1',
      circuit: 'ske-xr-1:cu2',
      on: false,
    });
    expect(again.state('crate-9').faults).to.deep.equal(['deaf']);
    again.start();
    expect(again.state('crate-9').on).to.equal(true);
  });

  it('reaches no switch whose own lines keep its VLAN off its uplink, and reaches it again with them', async () => {
    const lab = newLab();
    const kept = keptOf.furrow({
      ...{
        name: 'har-acc-9',
        address: '10.77.0.99/24',
        gateway: '10.77.0.1',
        user: 'netops',
        password: 'tide-table-1',
      },
      timeServers: [],
    });
    lab.add({ name: 'nine', model: 'LF-24', serial: 'LF24-0300-10', mac: '02:00:00:03:00:10', kept, uplink: '1/24' });
    const open = () =>
      new Promise<boolean>((resolve) => {
        const socket = connect({ host: '127.210.0.99', port: 10022 }, () => {
          socket.destroy();
          resolve(true);
        });
        socket.once('error', () => resolve(false));
      });
    const waits = async (wanted: boolean) => {
      for (let n = 0; n < 100 && (await open()) !== wanted; n += 1) await new Promise((next) => setTimeout(next, 20));
      return open();
    };
    const nine = lab.furrow('nine');
    nine.on();
    await new Promise((resolve) => setTimeout(resolve, 100));
    expect(await open()).to.equal(false);
    expect(nine.log.at(-1)?.text).to.equal('nothing goes by 1/24: nobody reaches 10.77.0.99');
    await nine.off();
    nine.options.flash.kept = `${kept}socket 1/24\n  lanes 304,316\n  state live\n`;
    nine.on();
    expect(await waits(true)).to.equal(true);
    await nine.off();
  });
});
