/** What the guide says to type, chapter by chapter. */
import { readFileSync } from 'node:fs';
import { walkDocument } from './walk.ts';

/** The site plan that the guide shows whole. */
const plan = /```yaml\n(- name: landing[\s\S]*?)```/.exec(readFileSync('docs/guide.md', 'utf8'))?.[1] ?? '';

/** The list in groups that it shows whole. */
const groups = /```ini\n([\s\S]*?)```/.exec(readFileSync('docs/guide.md', 'utf8'))?.[1] ?? '';

walkDocument('docs/guide.md', {
  files: {
    'copies.csv': 'name,positionU,serial,mac\nske-acc-11,8,LF24-0301-03,00:00:5e:00:53:c3\n',
    'pairs.csv': 'from,to,kind,colour,lengthCm,marking\nard-acc-1:1/9,ard-pp-1:9,cat6,blue,100,ARD-109\n',
    'landing.yaml': plan,
    'word.txt': 'harbour-trap\n',
    'furrow-access.pine': readFileSync('demo/templates/furrow-access.pine', 'utf8'),
    'devices.csv': 'name,model,site,duty\nhar-acc-71,larkfield/lf-24,har,access\n',
    'landings.csv': 'name,Hardware,Room no.,site,duty\nhar-acc-72,larkfield/lf-24,7,har,access\n',
    'estate/room.csv': 'site,name\nhar,attic\n',
    'estate/base.yaml': 'rack:\n  - { room: har/attic, name: a1, heightU: 12 }\n',
    'settings.csv': 'setting,layer,of,mode,value\ntime.servers,site,mos,set,10.77.0.5\n',
    'pallet.txt': 'LF24-0501-01\n0000.5e00.53d1\n',
    'shelf.txt': 'LF24-0501-07\n0000.5e00.53d7\n',
    'furrow-2.6.0.img': 'image furrow * 2.6.0\n',
    'groups.ini': groups,
    'hosts.txt': '127.0.0.1\tlocalhost\n10.77.0.61\thar-acc-61.brackwater.example har-acc-61\n',
  },
  before: {
    // Somebody switches the box off and on again: its memory is empty.
    'zpine arrival watch ard-acc-1 --until-served':
      './run lab off ardle && ./run lab erase ardle && ./run lab on ardle',
    // What is written to a file and taken in again must not change meanwhile.
    'zpine export > estate.yaml': 'zpine arrival watch ard-acc-1 --until-served --limit 60',
  },
  asks: [
    'zpine device edit --where',
    'zpine device clone',
    'zpine device remove',
    'zpine device retire',
    'zpine site remove',
    'zpine vlan add',
    'zpine interface edit',
    'zpine rack fill',
    'zpine cable pairs',
    'zpine import',
    'zpine device paste groups',
    'zpine prefix',
    'zpine siteplan apply',
    'zpine site copy',
    'zpine box scan',
    'zpine device hardware',
    'zpine device declare-found',
    'zpine device found',
    'zpine edition publish',
  ],
  answers: { 'zpine device paste': ['rope-walk-77'] },
  // The password that it got is another one: the watching ends with the diagnosis.
  refused: ['zpine arrival open ard-acc-1 && ./run lab on ardle'],
  // Nobody talks in the demo before somebody lets him.
  notTyped: ['zpine sign list', 'zpine stranger meet', 'zpine stranger recognise 12', 'zpine edition make mos-acc-4'],
});
