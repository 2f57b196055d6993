/** Errors of settings in layers, templates and editions, booting and arriving. */
import { row, type ErrorRow } from './errorRow.ts';

export const onboardingErrors = {
  // Settings
  'setting-text': row(422, 'Not a text', (p) => `"${p.value}" is not a text without control characters`),
  'setting-number': row(422, 'Not a number', (p) => `"${p.value}" is not a number`),
  'setting-bool': row(422, 'Not true or false', (p) => `"${p.value}" is neither true nor false`),
  'setting-list': row(422, 'Not a list', (p) => `"${p.value}" is not a list`),
  'setting-map': row(
    422,
    'Not a map',
    (p) => `"${p.value}" does not go with a map of names and values`,
    () => 'names have letters, digits and . _ -; values are texts, numbers, or true and false',
  ),
  'setting-mode': row(
    422,
    'Mode not possible',
    (p) => `"${p.mode}" goes with lists and maps; this setting is a ${p.type}`,
    () => 'set it',
  ),
  'setting-large': row(422, 'Value too large', (p) => `the most is ${p.max} bytes`),
  'setting-path': row(
    422,
    'In the way of another setting',
    (p) => `${p.name} and ${p.other} cannot both be: one is a part of the other's name`,
  ),
  'setting-used': row(
    409,
    'Values stand',
    (p) => `${p.count} values in layers have the type that ${p.name} has now`,
    () => 'take them away first',
  ),
  'setting-secret-default': row(422, 'Default of a secret', () => 'a secret has no default that everybody could read'),
  'layer-everywhere': row(422, 'No record here', () => 'the layer "everywhere" is of no record'),

  // Templates and editions
  'template-none': row(
    409,
    'No template',
    (p) => `no template matches ${p.device} by dialect, model and duty`,
    () => 'add one, or name one on the device',
  ),
  'template-several': row(
    409,
    'Several templates',
    (p) => `several templates match ${p.device} equally well: ${p.templates}`,
    () => 'make one more specific, or name one on the device',
  ),
  'template-fragment': row(422, 'A fragment', (p) => `${p.template} is a fragment: it is inserted into others`),
  'template-faulty': row(
    422,
    'Faults in the template',
    (p) => `${p.template} has ${p.count} fault${p.count === 1 ? '' : 's'}; the first is\n${p.first}`,
    (p) => `zpine template check ${p.template} lists them all`,
  ),
  'parts-own-twice': row(
    409,
    'A line with two owners',
    (p) =>
      `${p.device}: parts "${p.first}" and "${p.second}" of template ${p.template} both answer for "${p.line}": each would take away what the other wants`,
    (p) => `say whose it is: @part "${p.second}" owns "${p.line} "`,
  ),
  'render-stopped': row(
    422,
    'Rendering stopped',
    (p) => `the configuration of ${p.device} cannot be made:\n${p.first}`,
  ),
  'edition-none': row(
    409,
    'No edition published',
    (p) => `${p.device} has no published edition`,
    (p) => `zpine edition make ${p.device}, then publish it`,
  ),
  'edition-stale': row(
    409,
    'Edition out of date',
    (p) => `what edition ${p.number} of ${p.device} was made from has changed since`,
    (p) => `zpine edition make ${p.device}`,
  ),
  'way-back': row(
    409,
    'The way back in is not sure',
    (p) => `${p.device} would lock the service out: ${p.why}`,
    () => 'correct it, or insist and give a reason',
  ),
  'insist-reason': row(422, 'Reason missing', () => 'insisting needs a reason'),

  // Booting and arriving
  'stage-window': row(409, 'Stage not possible', (p) => `${p.device} is ${p.stage}`),
  'window-none': row(409, 'No window', (p) => `no arrival window of ${p.device} is open`),
  'arrival-not-begun': row(
    409,
    'Nothing to try again',
    (p) => `nothing was heard of ${p.device} yet: nobody is there to sign in on`,
    (p) => `switch it on, and follow it: zpine arrival watch ${p.device}`,
  ),
  'stranger-settled': row(409, 'Settled already', (p) => `stranger ${p.id} has been settled already (${p.as})`),
  'stranger-serial': row(
    422,
    'Serial missing',
    (p) => `the client with MAC ${p.mac} did not tell its serial`,
    () => 'read it off the box and give it',
  ),
  'stranger-other-serial': row(422, 'Another serial', (p) => `it says ${p.said} of itself, not ${p.given}`),
  'box-healthy': row(
    409,
    'It has a healthy box',
    (p) => `${p.device} has box ${p.box}, and nothing says that anything is wrong with it`,
    (p) => `an engineer takes it out: zpine device fit ${p.device} SERIAL --reason "why"`,
  ),
  'site-not-yours': row(
    403,
    'Not your site',
    (p) => `${p.device} is at ${p.site}; you act at ${p.sites}`,
    (p) => `an administrator gives you more: zpine user edit ${p.user} --sites ${p.site} --until DAY`,
  ),
  'serving-not-yours': row(
    409,
    'It is serving',
    (p) => `${p.device} is serving: other hardware does not become it`,
    () => 'an engineer looks at it first, and marks it faulty',
  ),
  'reached-not-yours': row(
    409,
    'It answers',
    (p) => `${p.device} is ${p.stage}, but lets the service in just now: other hardware does not become it`,
    () => 'an engineer looks at it first, and marks it faulty',
  ),
  'box-fitted': row(
    409,
    'Fitted elsewhere',
    (p) => `box ${p.box} is fitted as ${p.device}`,
    () => 'take it out there first',
  ),
  'model-unknown': row(422, 'Model unknown', (p) => `neither box ${p.box} nor ${p.device} has a model in the records`),
  'model-differs': row(422, 'Models differ', (p) => `box ${p.box} is a ${p.is}; ${p.device} is a ${p.wanted}`),
  'dhcp-short': row(422, 'Packet cut off', (p) => `${p.length} bytes are no DHCP message: the least is ${p.least}`),
  'dhcp-cookie': row(422, 'Not DHCP', () => 'the magic cookie 99.130.83.99 is missing'),
  'dhcp-hardware': row(422, 'Hardware address', (p) => `a hardware address of ${p.length} bytes is not possible`),
  'dhcp-op': row(422, 'Operation', (p) => `operation ${p.op} is neither request nor reply`),
  'dhcp-option-cut': row(422, 'Option cut off', (p) => `option ${p.code} is longer than what is left`),
  'dhcp-no-end': row(422, 'No end', () => 'the options have no end mark'),
  'dhcp-no-type': row(422, 'No type', () => 'the message has no type (option 53)'),
  'dhcp-too-large': row(422, 'Too large', (p) => `the message has ${p.length} bytes; ${p.largest} are possible`),
  'dhcp-option-length': row(422, 'Option length', (p) => `an option has ${p.length} bytes; ${p.expected} are expected`),
  'dhcp-option-value': row(422, 'Option value', (p) => `an option has the bytes ${p.value}, which are not text`),
  'dhcp-option-type': row(422, 'Option type', (p) => `"${p.value}" is not ${p.expected}`),
  'tftp-short': row(422, 'Packet cut off', () => 'a TFTP packet has at least four bytes'),
  'tftp-opcode': row(422, 'Operation', (p) => `there is no TFTP operation ${p.opcode}`),
  'tftp-string': row(422, 'Text', () => 'a text in a TFTP packet does not end, or is no UTF-8'),
  'tftp-mode': row(422, 'Mode', (p) => `the transfer mode "${p.mode}" is not served`),
  'tftp-option-twice': row(422, 'Option twice', (p) => `the option ${p.option} comes twice`),
} as const satisfies Record<string, ErrorRow>;
