/** Why an arrival does not go on, in words, with what to do about it. */
export type DiagnosisCode = keyof typeof table;

export interface Diagnosis {
  code: DiagnosisCode;
  evidence: Record<string, string | number | boolean | string[]>;
  /** ISO 8601; null until it is stored. */
  since: string | null;
  tries: number;
}

type Evidence = Diagnosis['evidence'];
interface Row {
  /** In a few words. */
  title: string;
  detail: (e: Evidence) => string;
  remedy: string | ((e: Evidence) => string);
}

const list = (value: unknown): string =>
  Array.isArray(value) ? value.slice(0, 3).join('; ') + (value.length > 3 ? `; and ${value.length - 3} more` : '') : '';

const table = {
  'no-packet': {
    title: 'no packet',
    detail: () => 'its window is open, and no DHCP packet of it came',
    remedy:
      'see whether it is powered and cabled, holds no configuration of its own, and whether the relay of its VLAN leads here',
  },
  'runs-already': {
    title: 'runs already',
    detail: (e) =>
      `it asks for nothing, and something answers at its address with a configuration of its own: ${e.detail ?? ''}`,
    remedy:
      'erase what it has stored, and let it boot; or, if that is meant to stay, see that the service is let in: zpine arrival prove',
  },
  'not-answered': {
    title: 'not answered',
    detail: (e) => `a DHCP packet of it came, and it was given no answer: ${e.why ?? ''}`,
    remedy: (e) => (e.remedy ? String(e.remedy) : 'see the packet, and what speaks against it: zpine boot log'),
  },
  'no-request': {
    title: 'offer not taken',
    detail: () => 'it was offered an address and did not ask for it',
    remedy: 'see whether another DHCP server answers it, and whether replies come through the relay',
  },
  'not-back': {
    title: 'not back for its next file',
    detail: () => 'it fetched the file of an earlier leg, or its image, and has not come back since',
    remedy:
      'see at its console whether it took that file and restarts; the text of a leg has to end with a restart, an image has to be for its model',
  },
  'no-file-request': {
    title: 'no file request',
    detail: () => 'it has its address and did not ask for its file',
    remedy: 'see whether it can reach the boot address, and takes options 66, 67 or 150',
  },
  'file-refused': {
    title: 'file refused',
    detail: (e) => `it asked for "${e.file ?? ''}" and was refused: ${e.why ?? ''}`,
    remedy: 'publish an edition and open its arrival window; the name must be the one it was told',
  },
  'file-broken': {
    title: 'transfer broken off',
    detail: (e) => `the transfer of "${e.file ?? ''}" ended early: ${e.why ?? ''}`,
    remedy: 'it will ask again; when it does not, look for loss between it and the boot address',
  },
  'file-incomplete': {
    title: 'file not complete',
    detail: () => 'it began to fetch its file and did not end',
    remedy: 'look for loss or a firewall between it and the boot address: TFTP answers from another port than 69',
  },
  'no-sign-of-life': {
    title: 'no sign of life',
    detail: () => 'it has its file, and neither called home nor answered at its management address',
    remedy: 'see whether the management VLAN reaches its uplink, and whether gateway and address are right',
  },
  'ssh-waiting': {
    title: 'not reached yet',
    detail: () => 'it does not answer at its management address yet',
    remedy: 'it is tried again',
  },
  'ssh-refused': {
    title: 'SSH refused',
    detail: (e) => `signing in failed: ${e.detail ?? ''}`,
    remedy: 'see whether the account of the edition and the access settings agree, then make and publish a new edition',
  },
  'host-key-changed': {
    title: 'host key changed',
    detail: (e) => `another host key than the pinned one was shown: ${e.detail ?? ''}`,
    remedy: 'when the hardware was changed on purpose, forget the pinned key; else somebody stands in between',
  },
  'wrong-box': {
    title: 'other hardware',
    detail: (e) => `${e.what ?? 'hardware'} ${e.found ?? ''} answered, ${e.expected ?? ''} is expected`,
    remedy: 'fit the box that stands there to the device, or put the right one there',
  },
  'other-place': {
    title: 'in another place',
    detail: (e) => `all of it is right, but for where it is: ${e.why ?? ''}`,
    remedy:
      'put it where the records have it, and let it boot again; or correct the records; or say that it is right so: zpine arrival confirm',
  },
  'wrong-image': {
    title: 'another version',
    detail: (e) =>
      `it runs version ${e.found ?? ''}, and image ${e.image ?? ''} with version ${e.expected ?? ''} is wanted`,
    remedy:
      'bring it to that version: zpine upgrade; or let another one serve: image.insist no, in a layer of the device',
  },
  'card-missing': {
    title: 'card not in it',
    detail: (e) => `${list(e.slots)}; ${e.lines ?? 'some'} lines of the edition are not there`,
    remedy: 'put the card into its slot and let it boot again; or correct what is declared: zpine device hardware',
  },
  'line-rejected': {
    title: 'line rejected',
    detail: (e) => `the device turned down: ${list(e.lines)}`,
    remedy:
      'correct the template or the record that the line comes from, publish a new edition, and let the device boot again with an empty memory',
  },
  differs: {
    title: 'differs',
    detail: (e) => `what it runs is not the edition: ${list(e.lines)}`,
    remedy: 'see the comparison; correct the template, or erase the device and let it boot again',
  },
  'left-open': {
    title: 'left open',
    detail: (e) => `${e.what ?? 'a login of its first steps'} lets somebody in still, as user ${e.user ?? ''}`,
    remedy:
      'take that account away by its template, or give it another password there; publish a new edition, and push it',
  },
  'not-kept': {
    title: 'not kept',
    detail: (e) => `its configuration is not stored: ${e.why ?? ''}`,
    remedy: 'it would be lost at the next restart: look at its storage',
  },
} as const satisfies Record<string, Row>;

export const diagnosisCodes = Object.keys(table) as DiagnosisCode[];

export const diagnosisWords = (
  d: Pick<Diagnosis, 'code' | 'evidence'>,
): { title: string; detail: string; remedy: string } => {
  const row: Row = table[d.code];
  const { remedy } = row;
  return {
    title: row.title,
    detail: row.detail(d.evidence),
    remedy: typeof remedy === 'string' ? remedy : remedy(d.evidence),
  };
};
