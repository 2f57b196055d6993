/** A check is a template of which every line is a finding: none, and it holds. What it cannot know, it does not say. */
import type { Node, Template } from '../template/ast.ts';
import { TemplateStop, type SourcePlace } from '../template/faults.ts';

export const checkStates = ['holds', 'broken', 'unknown'] as const;
export type CheckState = (typeof checkStates)[number];

export interface Judged {
  state: CheckState;
  findings: string[];
  /** Why it is not known. */
  why: string;
}

/** What a check asks for that is no record. */
export interface Uses {
  running: boolean;
  stored: boolean;
  /** Whether somebody gets in by the factory login. */
  factory: boolean;
  /** What the ends of its cables carry. */
  carried: boolean;
  questions: string[];
  /** Where `answers` stands without the name of a question. */
  unnamed: SourcePlace | undefined;
}

export const MOST_FINDINGS = 200;
const MOST_SIGNS = 500;

type Part = Node | Record<string, unknown>;

const isName = (value: unknown, name: string): boolean => {
  const part = value as { kind?: unknown; name?: unknown } | null;
  return typeof part === 'object' && part?.kind === 'name' && part.name === name;
};

/** The question that an expression names behind `answers`. */
function questionIn(part: { kind?: unknown; of?: unknown; name?: unknown; index?: unknown }): string | undefined {
  if (!isName(part.of, 'answers')) return undefined;
  if (part.kind === 'member' && typeof part.name === 'string') return part.name;
  const index = part.index as { kind?: unknown; value?: unknown; parts?: unknown[] } | undefined;
  if (part.kind !== 'index') return undefined;
  if (index?.kind === 'literal' && typeof index.value === 'string') return index.value;
  const [only, ...others] = index?.kind === 'text' ? (index.parts ?? []) : [];
  return typeof only === 'string' && others.length === 0 ? only : undefined;
}

/** By its text alone: branches that are never taken count, too. */
export function usesOf({ body }: Pick<Template, 'body'>): Uses {
  const uses: Uses = {
    running: false,
    stored: false,
    factory: false,
    carried: false,
    questions: [],
    unnamed: undefined,
  };
  const questions = new Set<string>();
  const look = (value: unknown): void => {
    if (Array.isArray(value)) return value.forEach(look);
    if (typeof value !== 'object' || value === null) return;
    const part = value as Part;
    const question = questionIn(part);
    if (question !== undefined) {
      questions.add(question);
      return;
    }
    if (isName(part, 'answers')) uses.unnamed ??= (part as { at: SourcePlace }).at;
    for (const name of ['running', 'stored', 'factory', 'carried'] as const) if (isName(part, name)) uses[name] = true;
    for (const inner of Object.values(part)) look(inner);
  };
  look(body);
  // What is carried is read from what runs, and what is stored is held against that.
  return { ...uses, running: uses.running || uses.carried || uses.stored, questions: [...questions].sort() };
}

/** `lines`: runs the check, and gives its text. */
export function judged(lines: () => string, missing: readonly string[]): Judged {
  if (missing.length > 0) return { state: 'unknown', findings: [], why: missing.join('; ') };
  try {
    const findings = lines()
      .split('\n')
      .map((line) => line.trim().slice(0, MOST_SIGNS))
      .filter((line) => line !== '');
    const [first, ...rest] = [...new Set(findings)];
    if (first === undefined) return { state: 'holds', findings: [], why: '' };
    const shown = [first, ...rest].slice(0, MOST_FINDINGS);
    if (rest.length >= MOST_FINDINGS) shown.push(`and ${rest.length + 1 - MOST_FINDINGS} more`);
    return { state: 'broken', findings: shown, why: '' };
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    const { code, message, line } = error.fault;
    return { state: 'unknown', findings: [], why: code === 'require' ? message : `line ${line}: ${message}` };
  }
}
