/** What is to be done to a device: the lines of an errand, or what brings it to its edition. */
import { pushSteps } from '@zpine/core/config/push';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { stepsOf, type Step } from '@zpine/core/fleet/errand';
import { offTheWireAny, onTheWire } from '../../app/editions/content.ts';
import type { Target } from '../../app/fleet/access.ts';
import { comparedWith } from '../../app/fleet/compared.ts';
import type { ErrandSeal } from '../../app/fleet/errands.ts';
import type { PushSeal } from '../../app/fleet/pushes.ts';

export interface ChangePlan {
  /** All steps on what runs; those that are right already say so. */
  stepsOn: (running: string) => Step[];
  /** Secrets that it brings. */
  secrets: string[];
  /** The number of the edition that the device is brought to. */
  edition: number | undefined;
  onTheWire: (command: string) => string;
  /** Ports in which, by the records, a cable is plugged. */
  cabled: string[];
  /** What is kept of it under seal. */
  seal: ErrandSeal | PushSeal;
}

export function errandPlan(dialect: Dialect, sealed: string | undefined): ChangePlan {
  const seal = JSON.parse(sealed ?? '{"lines":"","secrets":[]}') as ErrandSeal;
  return {
    stepsOn: (running) => stepsOf(dialect, seal.lines, running),
    secrets: [...seal.secrets, ...dialect.secretsIn(seal.lines)],
    edition: undefined,
    onTheWire: (command) => command,
    cabled: [],
    seal,
  };
}

export function pushPlan(target: Target, dialect: Dialect, sealed: string | undefined): ChangePlan {
  const seal = JSON.parse(sealed ?? '{"edition":0,"files":[],"token":"","secrets":[],"cabled":[]}') as PushSeal;
  const main = seal.files.find((file) => file.name === '')?.text ?? '';
  const address = target.address?.split('/')[0];
  return {
    stepsOn: (running) => {
      const { differences } = comparedWith(target, dialect, seal.files, running);
      if (differences.length === 0) return [];
      const way = dialect.wayIn(offTheWireAny(running, main));
      const vlan = way.addresses.find((one) => one.address.split('/')[0] === address)?.needs;
      const carriers = (way.carriers ?? []).filter(({ vlans }) => vlans.includes(vlan ?? ''));
      return pushSteps(differences, dialect, { vlan, ports: carriers.map(({ port }) => port) });
    },
    secrets: [...seal.secrets, ...dialect.secretsIn(main)],
    edition: seal.edition,
    onTheWire: (command) => onTheWire(command, seal.token),
    cabled: seal.cabled,
    seal,
  };
}
