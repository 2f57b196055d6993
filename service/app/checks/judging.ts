/** One device, judged by checks: by its records, by what it runs and has stored, and by what it answered. No database. */
import { answerRows, carriedIn, configFacts } from '@zpine/core/checks/facts';
import { judged } from '@zpine/core/checks/judge';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { PATH } from '@zpine/core/dialect/path';
import { maskedText } from '@zpine/core/template/render';
import type { Val, ValMap } from '@zpine/core/template/values';
import type { Sealer } from '../../store/sealing.ts';
import { renderInputs } from '../editions/content.ts';
import type { Target } from '../fleet/access.ts';
import { hiddenDifferences, hider, unkeptLines } from '../fleet/compared.ts';
import { linksIn, type Look, type Texts } from './looking.ts';
import type { JudgedCheck, PlannedCheck } from './planned.ts';

/** What a device said when it was asked for it; what is left out is told by `why`. */
export interface Asked {
  texts: Texts | undefined;
  /** Rows of fields by question. */
  answers: Map<string, Record<string, string>[]>;
  factory: { user: string; letsIn: boolean } | undefined;
  /** Why something is not known, by `running`, `stored`, `factory`, or the name of a question. */
  why: Map<string, string>;
}

/** What is known without asking it. */
export const notAsked = ({ texts }: Pick<Look, 'texts'>): Asked => ({
  texts,
  answers: new Map(),
  factory: undefined,
  why: new Map(),
});

export function judgeOne(
  target: Target,
  look: Look,
  checks: readonly PlannedCheck[],
  asked: Asked,
  sealer: Sealer,
): JudgedCheck[] {
  const facts = factsOf(target, look, asked, checks);
  const data = { ...look.context.data, ...facts.data };
  return checks.map((check) => {
    const { id, version, name, source } = check;
    const run = () => {
      const inputs = { template: name, source, fragments: {}, data, secrets: look.context.secrets };
      const [file] = renderInputs(inputs, sealer, String(target.device));
      return file ? facts.hide(maskedText(file)) : '';
    };
    return { id, version, check: name, ...judged(run, missingFor(check, facts)) };
  });
}

interface Facts {
  data: Record<string, Val>;
  why: Map<string, string>;
  hide: (text: string) => string;
}

const NO_DIALECT = 'nobody knows how to talk to it: it has no dialect';

function factsOf(target: Target, look: Look, asked: Asked, checks: readonly PlannedCheck[]): Facts {
  const { dialect } = target;
  const why = new Map(asked.why);
  const data: Record<string, Val> = { running: null, stored: null, answers: {}, factory: null, carried: [] };
  if (asked.factory) data.factory = asked.factory;
  else if (!why.has('factory'))
    why.set(
      'factory',
      target.access.factory
        ? 'its factory login was not tried'
        : 'no factory login is known of its model: say access.factory-user and access.factory-password there',
    );
  if (!dialect) {
    for (const name of ['running', 'stored', 'carried']) why.set(name, NO_DIALECT);
    return { data, why, hide: (text) => text };
  }
  const { running, stored, at = '' } = asked.texts ?? {};
  const hide = hider(target, dialect, [], [running ?? '', stored ?? '']);
  const hidden = (text: string) => hide(text.split('\n')).join('\n');
  const facts = (text: string) => configFacts(dialect, { text: hidden(dialect.steady(text)), at });
  const uses = (name: 'running' | 'stored' | 'carried') => checks.some((one) => one.uses[name]);
  if (running !== undefined && uses('running')) data.running = facts(running);
  if (stored !== undefined && uses('stored'))
    data.stored = { ...facts(stored), ...unkept(dialect, running ?? '', stored, hide) };
  for (const [name, text] of [
    ['running', running],
    ['stored', stored],
  ] as const)
    if (text === undefined && !why.has(name))
      why.set(
        name,
        name === 'stored' && dialect.sheet.stored === undefined
          ? 'its dialect does not tell what is stored'
          : `nothing of what it ${name === 'running' ? 'runs' : 'has stored'} was captured yet`,
      );
  if (running !== undefined && uses('carried')) carry(dialect, running, look, data, why);
  data.answers = answersOf(dialect, look, asked);
  return { data, why, hide: hidden };
}

function answersOf(dialect: Dialect, look: Look, asked: Asked): ValMap {
  const interfaces = [...look.context.interfaces.values()];
  return Object.fromEntries(
    [...asked.answers].map(([question, rows]) => [question, answerRows(dialect, question, rows, interfaces)]),
  );
}

/** Lines that stand in one of the two texts alone, with the blocks that they stand in. */
function unkept(
  dialect: Dialect,
  running: string,
  stored: string,
  hide: (lines: readonly string[]) => string[],
): { lacks: Val[]; alone: Val[] } {
  const out: { lacks: Val[]; alone: Val[] } = { lacks: [], alone: [] };
  for (const { above, line, kind, instead } of hiddenDifferences(unkeptLines(dialect, running, stored), hide)) {
    const path = [...above, line].join(PATH);
    if (kind === 'extra') out.alone.push(path);
    else out.lacks.push(instead === null ? path : `${path}, stored as ${instead}`);
  }
  return out;
}

function carry(dialect: Dialect, running: string, look: Look, data: Record<string, Val>, why: Map<string, string>) {
  const here = carriedIn(dialect, running);
  if (!here) {
    why.set('carried', 'its dialect does not tell what its ports carry');
    return;
  }
  data.carried = linksIn(look.context).map(({ interface: name, device, port }) => {
    const far = look.far.get(device) ?? null;
    return {
      interface: name,
      device,
      port,
      here: here.get(name) ?? here.get(dialect.interfaceName(name)) ?? [],
      there: far && (far.get(port) ?? []),
    };
  });
}

/** What a check asks for and nobody knows. */
function missingFor({ uses }: PlannedCheck, { data, why }: Facts): string[] {
  const out = new Set<string>();
  for (const name of ['running', 'stored', 'factory'] as const)
    if (uses[name] && data[name] === null) out.add(why.get(name) ?? `${name} is not known`);
  if (uses.carried && why.has('carried')) out.add(why.get('carried') ?? '');
  const answers = data.answers as ValMap;
  for (const question of uses.questions)
    if (!(question in answers)) out.add(why.get(question) ?? `the device was not asked for its ${question}`);
  return [...out];
}
