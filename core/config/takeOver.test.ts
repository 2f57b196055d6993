import { expect } from 'chai';
import { describe, it } from 'mocha';
import { parseTemplate } from '../template/parse.ts';
import type { Difference } from './compare.ts';
import { meantBy } from './takeOver.ts';

const source = `@part "time"
clock zone @{set.time.zone}
@for server of set.time.servers
clock follow @{server}
@end
@end
@part "lanes"
@for vlan of vlans
lane @{vlan.number}
  title @{quote(vlan.title ?? "lane @{vlan.number}")}
@end
@end
@part "sockets"
@for port of ports where port.mode
socket @{port.name}
  @if port.description
  about @{quote(port.description)}
  @end
  lanes @{join(port.tagged, ",")}
  state @{port.enabled ? "live" : "still"}
@end
@end
@part "names"
@insert "names"
@end
`;
const fragments = new Map([
  ['names', parseTemplate('names', 'resolve suffix @{set.name.domain}\nname @{upper(device.name)}\n').template],
]);
const meant = (...differences: Partial<Difference>[]) =>
  [
    ...meantBy(
      differences.map((one) => ({
        part: 'sockets',
        kind: 'changed',
        above: [],
        line: '',
        instead: null,
        below: 0,
        inside: [],
        ...one,
      })),
      { main: parseTemplate('t', source).template, fragments },
    ).values(),
  ].map((all) => (all.length === 1 ? all[0] : all));

describe('what a difference would mean for the records', () => {
  it('is the value of a setting, by the line that it was made from, in fragments as well', () => {
    expect(
      meant(
        { part: 'time', line: 'clock zone UTC', instead: 'clock zone Europe/Oslo' },
        { part: 'names', line: 'resolve suffix a.example', instead: 'resolve suffix b.example' },
      ),
    ).to.deep.equal([
      { of: 'setting', name: 'time.zone', how: 'set', value: 'Europe/Oslo' },
      { of: 'setting', name: 'name.domain', how: 'set', value: 'b.example' },
    ]);
  });
  it('is an item of a list that came or went', () => {
    expect(
      meant(
        { part: 'time', kind: 'extra', line: 'clock follow 10.77.0.9' },
        { part: 'time', kind: 'missing', line: 'clock follow 10.77.0.5' },
      ),
    ).to.deep.equal([
      { of: 'setting', name: 'time.servers', how: 'add', value: '10.77.0.9' },
      { of: 'setting', name: 'time.servers', how: 'take away', value: '10.77.0.5' },
    ]);
  });
  it('is a field of an interface that its block names: quoted, joined, one of two words', () => {
    const above = ['socket 1/4'];
    expect(
      meant(
        { above, line: 'about "a"', instead: 'about "the \\"crane\\""' },
        { above, kind: 'extra', line: 'about "new"' },
        { above, kind: 'missing', line: 'about "gone"' },
        { above, line: 'lanes 304', instead: 'lanes 304,316' },
        { above, line: 'state live', instead: 'state still' },
      ),
    ).to.deep.equal([
      { of: 'interface', name: '1/4', field: 'description', value: 'the "crane"' },
      { of: 'interface', name: '1/4', field: 'description', value: 'new' },
      { of: 'interface', name: '1/4', field: 'description', value: null },
      { of: 'interface', name: '1/4', field: 'tagged', value: ['304', '316'] },
      { of: 'interface', name: '1/4', field: 'enabled', value: false },
    ]);
  });
  it('is a VLAN with its title, or another title', () => {
    expect(
      meant(
        { part: 'lanes', kind: 'extra', line: 'lane 999', inside: ['title "cove"'] },
        { part: 'lanes', above: ['lane 304'], line: 'title "a"', instead: 'title "b"' },
      ),
    ).to.deep.equal([
      { of: 'vlan', number: 999, title: 'cove' },
      { of: 'vlan', number: 304, title: 'b' },
    ]);
  });
  it('is nothing where no line fits, a function cannot be read backwards, or it is in another part', () => {
    expect(
      meant(
        { part: 'names', line: 'name A', instead: 'name B' },
        { part: 'time', kind: 'extra', line: 'journal to 10.77.0.5' },
        { part: 'lanes', kind: 'extra', line: 'clock follow 10.77.0.9' },
        { above: ['socket 1/4'], line: 'state live', instead: 'state asleep' },
        { part: 'time', kind: 'order', line: 'clock follow 10.77.0.5', instead: 'clock follow 10.77.0.5' },
      ),
    ).to.deep.equal([]);
  });
});
