/** What can be wrong with hardware, ports, interfaces and cables. */
import { meant, row, type ErrorRow } from './errorRow.ts';

export const hardwareErrors = {
  // Models
  'groups-syntax': row(
    422,
    'Group not understood',
    (p) => `"${p.value}" wants names and, behind a blank, what they are`,
    () => 'write 1/{1..24} 1000base-t, several with ; between',
  ),
  'port-kind-unknown': row(422, 'Unknown kind of port', (p) => `"${p.value}" is none of ${p.known}`, meant),
  'ports-many': row(
    422,
    'Too many ports',
    (p) => `with "${p.value}" it would have more than ${p.max} ports`,
    () => 'look at the numbers in braces; what has more has them on cards',
  ),
  'port-twice': row(422, 'Port named twice', (p) => `two ports would be called ${p.name}`),
  'slot-sign': row(
    422,
    'No slot to name',
    (p) => `"${p.value}" names a slot, and this sits in none`,
    () => 'only ports of a card have {slot} in their names; say what form of slot it fits',
  ),
  'slot-name': row(
    422,
    'Name not possible',
    (p) => `"${p.value}" cannot be the name of a slot: letters, digits and . _ -`,
  ),
  'slots-many': row(422, 'Too many slots', (p) => `with "${p.value}" it would have more than ${p.max} slots`),
  'slot-twice': row(422, 'Slot named twice', (p) => `two slots would be called ${p.name}`),
  'model-is-card': row(
    422,
    'A card',
    (p) => `${p.model} is a card: it goes into a slot and is not a device by itself`,
    (p) => `zpine card add DEVICE:SLOT --model ${p.model}`,
  ),
  'model-no-card': row(
    422,
    'No card',
    (p) => `${p.model} goes into no slot`,
    () => 'say in its model which form of slot it fits',
  ),
  'card-form-lost': row(
    409,
    'Cards of it are in slots',
    (p) => `${p.model} is a card, and ${p.card} is one of them`,
    () => 'take the cards out first',
  ),

  // Cards
  'slot-unknown': row(422, 'No such slot', (p) => `${p.of} has no slot "${p.slot}"; it has ${p.known}`),
  'slot-without-card': row(
    422,
    'Nothing to sit in',
    (p) => `there is no card in slot ${p.around} of ${p.device}, so there is no slot ${p.slot}`,
    (p) => `declare it first: zpine card add ${p.device}:${p.around} --model MODEL`,
  ),
  'card-unfit': row(
    422,
    'Wrong slot',
    (p) => `slot ${p.slot} of ${p.device} takes ${p.takes}, and ${p.model} fits ${p.fits}`,
  ),
  'ports-in-use': row(
    409,
    'Ports in use',
    (p) => `${p.what} would take ports along that are in use: ${p.uses}`,
    () => 'unplug the cables and release the addresses first',
  ),
  'card-in-the-way': row(
    409,
    'Cards in slots that would go',
    (p) => `${p.what} has no slot for the card ${p.card}`,
    () => 'take the card out first',
  ),
  'port-clash': row(
    409,
    'Port named twice',
    (p) => `${p.device} would have two ports ${p.port}`,
    () => 'give the ports of the card names with {slot} in them',
  ),

  // Ports and interfaces
  'port-brought': row(
    409,
    'Comes with the hardware',
    (p) => `${p.port} comes with ${p.source}, and goes with it`,
    () => 'change the model or take the card out',
  ),
  'port-unknown': row(
    422,
    'No such port',
    (p) => `${p.device} has no port "${p.port}"`,
    (p) =>
      p.slot !== undefined
        ? `slot ${p.slot} is empty; declare its card: zpine card add ${p.device}:${p.slot} --model MODEL`
        : p.meant !== undefined
          ? `did you mean ${p.meant}?`
          : `add it by hand if it is there: zpine port add ${p.device}:${p.port} --kind KIND`,
  ),
  'interface-of-port': row(
    409,
    'Belongs to its port',
    (p) => `${p.interface} is the interface of a port that comes with the hardware`,
    () => 'switch it off instead, or change the hardware',
  ),
  'interface-renamed': row(422, 'Named by its port', (p) => `the interface of a port is called as the port: ${p.port}`),
  'field-form': row(422, 'Not for this form', (p) => `an interface of form ${p.form} has no ${p.field}`),
  'form-needs': row(422, 'Missing for this form', (p) => `an interface of form ${p.form} wants ${p.field}`),
  'mode-vlans': row(
    422,
    'Not in this mode',
    (p) => `an interface in mode ${p.mode} has no ${p.field}`,
    (p) => (p.mode === 'access' ? 'a trunk has tagged VLANs: set the mode to trunk' : 'clear it, or change the mode'),
  ),
  'other-device': row(422, 'Another device', (p) => `${p.what} is not on ${p.device}`),
  'base-form': row(422, 'Nothing to sit on', (p) => `${p.what} is of form ${p.form}; a port or an aggregate is wanted`),
  'base-switching': row(
    422,
    'A switched port',
    (p) => `${p.what} is in mode ${p.mode}; what sits on it wants it routed`,
  ),
  'tag-taken': row(409, 'Tag taken', (p) =>
    p.tag === 0 ? `${p.by} is the untagged one on ${p.base} already` : `${p.by} has tag ${p.tag} on ${p.base}`,
  ),
  'member-form': row(422, 'No aggregate', (p) => `${p.what} is of form ${p.form}, and no aggregate`),
  'member-busy': row(
    422,
    'A member has no life of its own',
    (p) => `a member of an aggregate has no ${p.field}`,
    () => 'give it to the aggregate',
  ),
  'speed-high': row(422, 'Too fast', (p) => `${p.port} is ${p.kind}: at most ${p.most} Mbit/s`),
  'numbers-syntax': row(422, 'Not a list of numbers', (p) => `"${p.value}" is not a number, nor a stretch as 316-320`),
  'numbers-range': row(422, 'Out of range', (p) => `"${p.value}" is not within ${p.min} to ${p.max}`),
  'vlan-missing': row(
    422,
    'No such VLAN at the site',
    (p) => `${p.site} has no VLAN ${p.numbers}`,
    (p) => `add it first: zpine vlan add ${p.site}/${p.first} --title TITLE`,
  ),
  'vlan-elsewhere': row(422, 'VLAN of another site', (p) => `${p.device} is at ${p.site}, and ${p.vlan} is not`),
  'vlan-without-site': row(
    422,
    'No site',
    (p) => `${p.device} has no site, so it has no VLANs`,
    () => 'give it a site or a rack first',
  ),
  'vlans-lost': row(
    409,
    'VLANs missing there',
    (p) => `${p.device} uses VLANs that ${p.site} does not have: ${p.numbers}`,
    () => 'add them there first, or clear them on its interfaces',
  ),

  // Cables
  'cable-taken': row(
    409,
    'Port taken',
    (p) => `${p.port} already has a cable, to ${p.to}`,
    (p) => `unplug it first: zpine cable remove ${p.cable}`,
  ),
  'cable-raced': row(
    409,
    'Port taken',
    () => 'somebody plugged a cable into one of these ports a moment ago',
    () => 'look again',
  ),
  'cable-same': row(422, 'Both ends alike', (p) => `both ends would be in ${p.port}`),
  'cable-ends': row(422, 'One far end', () => 'a cable goes to a port, or to something in words; not to both'),
  'cable-nowhere': row(
    422,
    'No far end',
    () => 'a cable has a far end: a port, or something in words',
    () => '--to PORT, or --farEnd WORDS',
  ),
  'cable-unlike': row(
    422,
    'Ports do not fit',
    (p) => `${p.one} (${p.kind}) and ${p.other} (${p.otherKind}) do not fit`,
  ),
  'cable-plug': row(
    422,
    'Plug does not fit',
    (p) => `a cable of kind ${p.cable} does not go into ${p.port} (${p.kind})`,
  ),

  // Devices
  'virtual-place': row(422, 'Virtual', (p) => `${p.device} is virtual: it has no ${p.what}`),
  'not-provisioned': row(
    409,
    'Not provisioned by us',
    (p) => `${p.device} is recorded, and not provisioned by us`,
    (p) => `zpine device edit ${p.device} --provisioned yes`,
  ),

  // Model sheets and copies of sites
  'sheet-syntax': row(422, 'Sheet not understood', (p) => `${p.why}`),
  'sheet-shape': row(
    422,
    'No model sheet',
    () => 'a model sheet is one map of keys and values',
    () => 'begin with vendor: and name:; several in one file are a list',
  ),
  'sheet-twice': row(422, 'Model twice', (p) => `${p.model} is in another sheet of the same import: ${p.file}`),
  'copy-name': row(
    422,
    'Name to be given',
    (p) => `"${p.name}" does not have ${p.code} in it, so nothing can be put in its place`,
    () => 'say its new name',
  ),
} as const satisfies Record<string, ErrorRow>;
