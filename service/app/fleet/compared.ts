/** One device: what it runs and what it has stored, held against what it should run. No database, and no secret in what comes out. */
import {
  agreeByDigest,
  compareConfig,
  type Comparison,
  type Difference,
  type SecretsAgree,
} from '@zpine/core/config/compare';
import type { FilePlace } from '@zpine/core/config/filing';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { Masker } from '@zpine/core/secrets/masking';
import type { FileDrift, ShownComparison } from '@zpine/contract/driftShapes';
import { sha256Hex } from '../../store/digests.ts';
import { hideSecrets, offTheWireAny, passwordOpens, type Files } from '../editions/content.ts';
import type { Target } from './access.ts';
import { filesCompared, linesOfFiles, wantedFiles, type FoundFiles } from './filing.ts';

/** What a device is to run. */
export interface IntendedEdition {
  id: number;
  number: number;
  files: Files;
  /** Where its outputs go on the device. */
  places: FilePlace[];
}

/** What came of comparing; secrets are masked. */
export interface FoundDrift {
  edition: { id: number; number: number } | null;
  comparison: ShownComparison | null;
  /** Names of further files of the edition, which are no configuration of the dialect and not compared. */
  further: string[];
  /** All lines that are nobody's, those that are not shown with them. */
  elsewhere: number;
  /** Equal for equal differences; null where nothing differs. */
  digest: string | null;
  /** What runs held against what is stored; null where it is not known. */
  stored: Difference[] | null;
  storedDigest: string | null;
}

/** So many lines that are nobody's are shown; all of them are counted. */
const MOST_ELSEWHERE = 500;

export function comparedWith(target: Target, dialect: Dialect, files: Files, text: string): Comparison {
  const main = files.find((file) => file.name === '') ?? { text: '', parts: [] };
  return compareConfig(main, offTheWireAny(text, main.text), dialect, agreeFor(target));
}

/** By all passwords that are known of the device. */
export function agreeFor({ access, secrets }: Target): SecretsAgree {
  const own = access.password === undefined ? [] : [access.password];
  return agreeByDigest(passwordOpens, [...own, ...secrets]);
}

/** What runs and is not stored is missing, what is stored and does not run is extra. */
export function unkeptLines(dialect: Dialect, running: string, stored: string): Difference[] {
  const whole = { text: running, parts: [{ name: '', owned: true, owns: [''], from: 0, to: running.length }] };
  return compareConfig(whole, stored, dialect).differences;
}

/** What was read of a device. */
export interface ReadTexts {
  running: string;
  /** Left out where a device does not tell, or was not asked. */
  stored: string | undefined;
  /** Files that its edition brings, as far as they were read. */
  files?: FoundFiles | undefined;
}

export function driftOf(
  target: Target,
  dialect: Dialect,
  intended: IntendedEdition | undefined,
  { running, stored, files: found = new Map() }: ReadTexts,
): FoundDrift {
  const hide = hider(target, dialect, intended?.files ?? [], [running, stored ?? '']);
  const compared = intended && comparedWith(target, dialect, intended.files, running);
  const unkept = stored === undefined ? undefined : unkeptLines(dialect, running, stored);
  const differences = compared && hiddenDifferences(compared.differences, hide);
  const kept = unkept && hiddenDifferences(unkept, hide);
  const files = intended ? filesCompared(wantedFiles(intended), found, hide) : [];
  const placed = (intended?.places ?? []).filter(({ path }) => found.has(path)).map(({ output }) => output);
  return {
    edition: intended ? { id: intended.id, number: intended.number } : null,
    comparison:
      compared && differences
        ? {
            ...compared,
            ...hiddenRest(compared, hide),
            matches: compared.matches && files.length === 0,
            differences,
            files,
            at: new Date().toISOString(),
          }
        : null,
    further: (intended?.files ?? []).flatMap(({ name }) => (name === '' || placed.includes(name) ? [] : [name])),
    elsewhere: compared?.elsewhere.length ?? 0,
    digest: digestOf(dialect, differences, files),
    stored: kept ?? null,
    storedDigest: digestOf(dialect, kept),
  };
}

/** All lines in which it is not as it should be, those of files with them. */
export const linesIn = ({ differences, files = [] }: Pick<ShownComparison, 'differences' | 'files'>): number =>
  linesOf(differences) + linesOfFiles(files);

/** Lines that differ, those of blocks with them. */
export const linesOf = (differences: readonly Pick<Difference, 'kind' | 'below'>[]): number =>
  differences.reduce((sum, { kind, below }) => sum + 1 + (kind === 'extra' ? below : 0), 0);

const hiddenRest = (compared: Comparison, hide: Hide): Pick<ShownComparison, 'notComparable' | 'elsewhere'> => ({
  notComparable: hiddenDifferences(compared.notComparable, hide),
  elsewhere: hide(compared.elsewhere.slice(0, MOST_ELSEWHERE)),
});

/** By what is shown of it: a secret that differs on each of them does not make them all different. */
const digestOf = (
  dialect: Dialect,
  differences: readonly Difference[] | undefined,
  files: readonly FileDrift[] = [],
): string | null =>
  (differences?.length ?? 0) + files.length === 0
    ? null
    : sha256Hex(
        JSON.stringify([
          dialect.name,
          (differences ?? []).map(({ kind, above, line, instead }) => [kind, above, line, instead]),
          ...files.map(({ path, deed, why, lines, more }) => [path, deed, why, lines, more]),
        ]),
      );

type Hide = (lines: readonly string[]) => string[];

/** Hides the edition's secrets, all that is known of the device, and what its sheet finds in what it runs; many lines at once. */
export function hider(target: Target, dialect: Dialect, files: Files, texts: readonly string[]): Hide {
  const known = new Masker([...target.secrets, ...texts.flatMap((text) => dialect.secretsIn(text))]);
  return (lines) =>
    lines.length === 0 ? [] : known.mask(dialect.masked(hideSecrets(lines.join('\n'), files))).split('\n');
}

/** Each of their texts is one line, so that all are hidden in one go. */
export function hiddenDifferences(differences: readonly Difference[], hide: Hide): Difference[] {
  if (differences.length === 0) return [];
  const lines = hide(
    differences.flatMap(({ above, line, instead, inside }) => [
      ...above,
      line,
      ...(instead === null ? [] : [instead]),
      ...inside,
    ]),
  );
  let at = 0;
  const next = (): string => lines[at++] ?? '';
  return differences.map((one) => ({
    ...one,
    above: one.above.map(next),
    line: next(),
    instead: one.instead === null ? null : next(),
    inside: one.inside.map(next),
  }));
}
