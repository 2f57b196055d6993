/** What is to be done to a device: the lines of an errand, or what brings it to its edition. */
import { pushSteps } from '@zpine/core/config/push';
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Uplinks } from '@zpine/core/dialect/sameness';
import type { Expectation } from '@zpine/core/fleet/expectations';
import type { Step } from '@zpine/core/fleet/errand';
import { errandWarnings } from '@zpine/core/fleet/errandWarnings';
import { lookAtErrand, type Missed } from '@zpine/core/fleet/errandSteps';
import { onTheWire } from '../../app/editions/content.ts';
import type { Target } from '../../app/fleet/access.ts';
import { wantedFiles, type WantedFile } from '../../app/fleet/filing.ts';
import { pathFiles, type RestoreSeal } from '../../app/fleet/restores.ts';
import { comparedWith, unkeptLines } from '../../app/fleet/compared.ts';
import type { ErrandSeal } from '../../app/fleet/errands.ts';
import type { PushSeal } from '../../app/fleet/pushes.ts';
import { asWanted } from './fileChange.ts';

export interface ChangePlan {
  /** All steps on what runs; those that are right already say so. `sending`: with what is sent whatever the device shows. */
  stepsOn: (running: string, sending?: boolean) => Step[];
  /** Of an errand: lines that shall go and that nothing fits, when its steps were worked out last. */
  missed: () => Missed[];
  /** Of an errand: what is odd about its lines. */
  warnings: (running: string) => string[];
  /** Lines whose secret the device did not show well enough when its steps were worked out last. */
  notComparable: () => number;
  /** Secrets that it brings. */
  secrets: string[];
  /** The number of the edition that the device is brought to. */
  edition: number | undefined;
  /** What a device is brought to as a whole, in words: half of it is nothing that anybody wanted. */
  of: string | undefined;
  onTheWire: (command: string) => string;
  /** Ports whose cable leads to another device, by the records. */
  cabled: string[];
  /** Files that it brings, or takes away. */
  files: WantedFile[];
  /** What the answers to its questions have to say afterwards. */
  expect: Expectation[];
  /** What is kept of it under seal. */
  seal: ErrandSeal | PushSeal | RestoreSeal;
}

const nothingOdd = { missed: () => [], warnings: () => [] };

export function errandPlan(dialect: Dialect, sealed: string | undefined): ChangePlan {
  const seal = JSON.parse(sealed ?? '{"lines":"","secrets":[]}') as ErrandSeal;
  let missed: Missed[] = [];
  return {
    stepsOn: (running) => {
      const look = lookAtErrand(dialect, seal.lines, running, { away: seal.away === true });
      missed = look.missed;
      return look.steps;
    },
    missed: () => missed,
    warnings: (running) => errandWarnings(dialect, seal.lines, running),
    notComparable: () => 0,
    secrets: [...seal.secrets, ...dialect.secretsIn(seal.lines)],
    edition: undefined,
    of: undefined,
    onTheWire: (command) => command,
    cabled: [],
    files: (seal.files ?? []).map(asWanted),
    expect: seal.expect ?? [],
    seal,
  };
}

/** By what the service comes to a device as it runs now. */
function uplinksOf({ address }: Target, dialect: Dialect, running: string): Uplinks {
  const way = dialect.wayIn(running);
  const host = address?.split('/')[0];
  const vlan = way.addresses.find((one) => one.address.split('/')[0] === host)?.needs;
  const carriers = (way.carriers ?? []).filter(({ vlans }) => vlan !== undefined && vlans.includes(vlan));
  return { vlan, ports: carriers.map(({ port }) => port) };
}

/** All that was captured, and nothing else. */
export function restorePlan(target: Target, dialect: Dialect, sealed: string | undefined): ChangePlan {
  const seal = JSON.parse(sealed ?? '{"text":"","of":"","secrets":[]}') as RestoreSeal;
  const text = seal.text ?? '';
  return {
    stepsOn: (running) =>
      seal.text === null
        ? []
        : pushSteps(unkeptLines(dialect, text, running), dialect, uplinksOf(target, dialect, running)),
    ...nothingOdd,
    notComparable: () => 0,
    secrets: [...seal.secrets, ...dialect.secretsIn(text)],
    edition: undefined,
    of: seal.of === '' ? 'its captured files' : seal.of,
    onTheWire: (command) => command,
    cabled: [],
    files: pathFiles(seal).map(({ file, base64 }) =>
      asWanted({ path: file, base64, owner: null, mode: null, changed: null }),
    ),
    expect: [],
    seal,
  };
}

export function pushPlan(target: Target, dialect: Dialect, sealed: string | undefined): ChangePlan {
  const seal = JSON.parse(
    sealed ?? '{"edition":0,"files":[],"places":[],"token":"","secrets":[],"cabled":[]}',
  ) as PushSeal;
  const main = seal.files.find((file) => file.name === '')?.text ?? '';
  let unsure = 0;
  return {
    ...nothingOdd,
    notComparable: () => unsure,
    stepsOn: (running, sending = false) => {
      const { differences, notComparable } = comparedWith(target, dialect, seal.files, running);
      unsure = notComparable.length;
      const all = sending && seal.blind === true ? [...differences, ...notComparable] : differences;
      return all.length === 0 ? [] : pushSteps(all, dialect, uplinksOf(target, dialect, running));
    },
    secrets: [...seal.secrets, ...dialect.secretsIn(main)],
    edition: seal.edition,
    of: `edition ${seal.edition}`,
    onTheWire: (command) => onTheWire(command, seal.token),
    cabled: seal.cabled,
    files: wantedFiles(seal, seal.token),
    expect: seal.expect ?? [],
    seal,
  };
}
