/** Which interfaces of a device are watched: those of a cable, a label, a VLAN or a use of one; all, or none. */
import { fail, ok, type Parsed } from '../fault.ts';

export type WatchChoice =
  { kind: 'all' | 'none' | 'cabled' } | { kind: 'label' | 'use'; name: string } | { kind: 'vlan'; number: number };

/** `all`, `none`, `cabled`, `label:uplink`, `use:voice`, `vlan:304`. */
export function parseWatchChoice(text: string): Parsed<WatchChoice, 'watch-choice'> {
  const said = text.trim().toLowerCase();
  if (said === 'all' || said === 'none' || said === 'cabled') return ok({ kind: said });
  const [, kind, name] = /^(label|use|vlan):([a-z0-9][a-z0-9._-]{0,62})$/.exec(said) ?? [];
  if ((kind === 'label' || kind === 'use') && name !== undefined) return ok({ kind, name });
  const number = Number(name);
  if (kind === 'vlan' && number >= 1 && number <= 4094) return ok({ kind, number });
  return fail('watch-choice', { value: text });
}

/** What the records know of an interface of a device. */
export interface KnownInterface {
  /** As the device calls it. */
  name: string;
  labels: readonly string[];
  vlans: readonly number[];
  uses: readonly string[];
  /** A cable leads from its port to another device. */
  cabled: boolean;
}

const fits = (choice: WatchChoice, one: KnownInterface): boolean => {
  switch (choice.kind) {
    case 'all':
      return true;
    case 'none':
      return false;
    case 'cabled':
      return one.cabled;
    case 'label':
      return one.labels.includes(choice.name);
    case 'use':
      return one.uses.includes(choice.name);
    case 'vlan':
      return one.vlans.includes(choice.number);
  }
};

/** Whether an interface that a device names is watched; what the records do not know only where all are. */
export function watchedBy(
  choices: readonly WatchChoice[],
  known: readonly KnownInterface[],
): (name: string) => boolean {
  if (choices.some(({ kind }) => kind === 'all')) return () => true;
  const names = new Set(known.filter((one) => choices.some((choice) => fits(choice, one))).map(({ name }) => name));
  return (name) => names.has(name);
}
