/** What the page of the running fleet says to type, from its first line to its last. */
import { walkDocument } from './walk.ts';

walkDocument('docs/fleet.md', {
  files: {
    'word.txt': 'read-by-all\n',
    'addresses.txt': '10.77.0.42\n10.77.0.43\n',
    'list.txt': 'har-acc-7 10.77.0.41\n',
    'commands.csv': 'har-acc-7\ntell clock\n',
    'desk.txt': 'socket @{blank.port}\n  about "@{blank.about}"\n',
    'desks.csv': 'device;port;about\nhar-acc-7;1/2;gate two\n',
    'ports.csv': 'Switch;Port;VLAN;About\n10.77.0.41;1/3;352;spare\n',
    'nightly.pine': 'journal to 10.77.0.8\n',
    'gates.txt': 'socket 1/2\n  about "gate"\n',
    'uplink.pine':
      '@for link of links where link.device\n  @for port of ports where port.name == link.interface and not says(port.description ?? "", link.device)\n@{port.name} leads to @{link.device}, and does not say so\n  @end\n@end\n',
    'columns.csv': 'har-acc-7\n"journal to 10.77.0.8"\n',
  },
  asks: [
    'zpine reach',
    'zpine live take-in',
    'zpine sweep take',
    'zpine errand run',
    'zpine routine run',
    'zpine operation run',
    'zpine push',
    'zpine capture restore',
    'zpine device restart',
    'zpine upgrade har-acc-7',
  ],
  answers: { 'zpine device paste': ['rope-walk-77'] },
  // Not everything holds in the demo.
  refused: ['zpine check run --where', 'zpine upgrade --where'],
});
