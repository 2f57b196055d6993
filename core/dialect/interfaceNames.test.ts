import { expect } from 'chai';
import { interfaceNames } from './interfaceNames.ts';

describe('names of interfaces', () => {
  const furrow = interfaceNames([
    { records: '^vlan(?<n>[0-9]+)$', device: 'lane {n}' },
    { records: '^(?<name>[0-9]+(/[0-9]+)+)$', device: 'socket {name}' },
  ]);
  const quill = interfaceNames([{ records: '^(?<port>[a-z]+\\d+)\\.0$', device: '{port}' }]);

  it('lead from the records to the device and back', () => {
    for (const [names, records, device] of [
      [furrow, 'vlan304', 'lane 304'],
      [furrow, '1/24', 'socket 1/24'],
      [furrow, '3/1/7', 'socket 3/1/7'],
      [quill, 'cu1.0', 'cu1'],
      [quill, 'cu1.304', 'cu1.304'],
    ] as const) {
      expect(names.toDevice(records), records).to.equal(device);
      expect(names.toRecords(device), device).to.equal(records);
    }
  });

  it('are none where no rule leads back', () => {
    expect(furrow.toRecords('loop 1')).to.equal(undefined);
    expect(furrow.toRecords('lane x')).to.equal(undefined);
    expect(furrow.toRecords('eth0')).to.equal('eth0');
  });
});
