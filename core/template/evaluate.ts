/** Makes a function of an expression. */
import type { BinaryOp, Expr } from './ast.ts';
import { add, divide, isNum, isWhole, modulo, multiply, negate, type Num, subtract, wholeBig } from './decimal.ts';
import type { SourcePlace } from './faults.ts';
import { ArgumentFault, callFunction, functions } from './functions.ts';
import type { Run } from './run.ts';
import {
  equal,
  holdsSecret,
  isMap,
  joined,
  Marked,
  order,
  scalarText,
  SIGNS_A_STEP,
  truthy,
  typeName,
  type Val,
  type ValMap,
} from './values.ts';

export interface Scope {
  names: Map<string, { slot: number; settings: readonly string[] }>;
  /** Shared by all blocks of one template: how large its frame is. */
  slots: { count: number };
}

/** What to write where a value cannot stand in a text. */
export const inTextHint = (value: Val): string =>
  value === null
    ? 'give another value with ??'
    : Array.isArray(value)
      ? 'write join(..., ", ")'
      : 'name one of its entries';

/** `?.` met nothing: the rest of the path is left out. */
const ENDED = Symbol('ended');
type Step = Val | undefined | typeof ENDED;

export interface Value {
  /** The value; stops where a name is missing. */
  run: (run: Run) => Val;
  /** Undefined where something on the path is missing. */
  probe: (run: Run) => Val | undefined;
  /** Names of the settings that it depends on. */
  settings: readonly string[];
}

/** A path within: as `run`, but `?.` that met nothing is told apart from null. */
interface Path {
  step: (run: Run, strict: boolean) => Step;
  settings: readonly string[];
}

const none: readonly string[] = [];

export function evaluator(expr: Expr, scope: Scope): Value {
  if (expr.kind === 'name' || expr.kind === 'member' || expr.kind === 'index') {
    const path = pathOf(expr, scope);
    const settle = (step: Step): Val | undefined => (step === ENDED ? null : step);
    const quick = quickPath(expr, scope);
    return {
      settings: path.settings,
      run: quick
        ? (run) => {
            const found = quick(run);
            // What is not there, or not so plain, is left to the careful way, which also has the words.
            return found === undefined ? (settle(path.step(run, true)) ?? null) : found;
          }
        : (run) => settle(path.step(run, true)) ?? null,
      probe: (run) => settle(path.step(run, false)),
    };
  }
  const { run, probe = run, settings } = plain(expr, scope);
  return { run, probe, settings };
}

/** Plain names behind one another, which most paths are: nothing but lookups; undefined wherever it is not so simple. */
function quickPath(expr: Expr, scope: Scope): ((run: Run) => Val | undefined) | undefined {
  const names: string[] = [];
  let here = expr;
  while (here.kind === 'member' && !here.guarded) {
    names.unshift(here.name);
    here = here.of;
  }
  if (here.kind !== 'name') return undefined;
  const slot = scope.names.get(here.name)?.slot;
  const root = here.name;
  if (root in Object.prototype || names.some((name) => name in Object.prototype)) return undefined;
  const base: (run: Run) => Val | undefined = slot === undefined ? (run) => run.data[root] : (run) => run.frame[slot];
  const [one = '', two = ''] = names;
  if (names.length === 0) return base;
  const get = (value: Val | undefined, name: string): Val | undefined =>
    typeof value === 'object' && value !== null && value.constructor === Object ? (value as ValMap)[name] : undefined;
  if (names.length === 1)
    return slot === undefined ? (run) => get(run.data[root], one) : (run) => get(run.frame[slot], one);
  if (names.length === 2) return (run) => get(get(base(run), one), two);
  return (run) => {
    let value = base(run);
    for (const name of names) value = get(value, name);
    return value;
  };
}

function pathOf(expr: Expr, scope: Scope): Path {
  switch (expr.kind) {
    case 'name': {
      const local = scope.names.get(expr.name);
      if (local) return { step: (run) => run.frame[local.slot], settings: local.settings };
      const { name, at } = expr;
      return {
        settings: none,
        step: (run) =>
          Object.hasOwn(run.data, name)
            ? run.data[name]
            : run.stop('unknown-name', `there is no name "${name}" here`, undefined, at),
      };
    }
    case 'member': {
      const of = pathOf(expr.of, scope);
      const { name, at, guarded } = expr;
      const setting = settingName(expr);
      return {
        settings: setting === undefined ? of.settings : [setting],
        step(run, strict) {
          const base = of.step(run, strict);
          if (base === undefined || base === ENDED) return base;
          if (base === null) {
            if (guarded) return ENDED;
            return strict
              ? run.stop('missing', `there is nothing that could have "${name}"`, 'use ?. or ??', at)
              : undefined;
          }
          if (!isMap(base)) return run.stop('type', `${typeName(base)} has no "${name}"`, undefined, at);
          if (Object.hasOwn(base, name)) return base[name];
          return strict
            ? run.stop('missing', `"${name}" is missing here`, 'use ?? for what may be missing', at)
            : undefined;
        },
      };
    }
    case 'index': {
      const of = pathOf(expr.of, scope);
      const index = evaluator(expr.index, scope);
      const { at } = expr;
      return {
        settings: [...of.settings, ...index.settings],
        step(run, strict) {
          const base = of.step(run, strict);
          if (base === undefined || base === ENDED) return base;
          const key = index.run(run);
          const found = base === null ? undefined : itemOf(base, key, run, at);
          if (found === undefined && strict)
            run.stop(
              'missing',
              `there is nothing at [${String(scalarText(key) ?? '')}]`,
              'use ?? for what may be missing',
              at,
            );
          return found;
        },
      };
    }
    default: {
      const { run, settings } = plain(expr, scope);
      return { step: run, settings };
    }
  }
}

function itemOf(base: Val, key: Val, run: Run, at: SourcePlace): Val | undefined {
  if (Array.isArray(base)) {
    if (!isNum(key) || !isWhole(key))
      return run.stop('type', `an item of a list is named by a whole number, not by ${typeName(key)}`, undefined, at);
    return base[Number(wholeBig(key))];
  }
  if (!isMap(base)) return run.stop('type', `${typeName(base)} has no items`, undefined, at);
  if (typeof key !== 'string')
    return run.stop('type', `an entry of a map is named by a text, not by ${typeName(key)}`, undefined, at);
  return Object.hasOwn(base, key) ? base[key] : undefined;
}

/** `set.time.servers` names the setting `time.servers`, and so does what lies further in. */
function settingName(expr: Expr): string | undefined {
  const names: string[] = [];
  let here: Expr = expr;
  while (here.kind === 'member') {
    names.unshift(here.name);
    here = here.of;
  }
  return here.kind === 'name' && here.name === 'set' ? names.join('.') : undefined;
}

type Plain = Pick<Value, 'run' | 'settings'> & Partial<Pick<Value, 'probe'>>;

function plain(expr: Expr, scope: Scope): Plain {
  switch (expr.kind) {
    case 'literal': {
      const { value } = expr;
      return { run: () => value, settings: none };
    }
    case 'text':
      return textOf(expr, scope);
    case 'list': {
      const items = expr.items.map((item) => evaluator(item, scope));
      return {
        settings: items.flatMap((item) => item.settings),
        run(run) {
          return run.made(items.map((item) => item.run(run)));
        },
      };
    }
    case 'map': {
      const entries = expr.entries.map(([name, value]) => [name, evaluator(value, scope)] as const);
      return {
        settings: entries.flatMap(([, value]) => value.settings),
        run(run) {
          run.spend(entries.length);
          return Object.fromEntries(entries.map(([name, value]) => [name, value.run(run)]));
        },
      };
    }
    case 'call':
      return call(expr, scope);
    case 'fallback': {
      const [left, right] = [evaluator(expr.left, scope), evaluator(expr.right, scope)];
      return {
        run: (run) => left.probe(run) ?? right.run(run),
        probe: (run) => left.probe(run) ?? right.probe(run),
        settings: [...left.settings, ...right.settings],
      };
    }
    case 'unary': {
      const of = evaluator(expr.of, scope);
      const { at } = expr;
      if (expr.op === 'not') return { run: (run) => !truthy(of.run(run)), settings: of.settings };
      return {
        settings: of.settings,
        run(run) {
          const value = of.run(run);
          return isNum(value) ? negate(value) : run.stop('type', `${typeName(value)} has no negative`, undefined, at);
        },
      };
    }
    case 'binary':
      return binary(expr, scope);
    case 'choice': {
      const [condition, yes, no] = [
        evaluator(expr.condition, scope),
        evaluator(expr.yes, scope),
        evaluator(expr.no, scope),
      ];
      const { at } = expr;
      return {
        settings: [...condition.settings, ...yes.settings, ...no.settings],
        run(run) {
          const held = condition.run(run);
          if (held instanceof Marked)
            run.stop('secret', 'a secret decides nothing here', 'use @if to ask whether it is set', at);
          return (truthy(held) ? yes : no).run(run);
        },
      };
    }
    default:
      // Paths have their own way; they come here never.
      return evaluator(expr, scope);
  }
}

function textOf(expr: Expr & { kind: 'text' }, scope: Scope): Plain {
  const parts = expr.parts.map((part) =>
    typeof part === 'string' ? part : { value: evaluator(part, scope), at: part.at },
  );
  return {
    settings: parts.flatMap((part) => (typeof part === 'string' ? [] : part.value.settings)),
    run: (run) =>
      run.made(
        joined(
          parts.map((part) => {
            if (typeof part === 'string') return part;
            const value = part.value.run(run);
            return (
              scalarText(value) ??
              run.stop('type', `${typeName(value)} cannot stand in a text`, inTextHint(value), part.at)
            );
          }),
        ),
      ),
  };
}

function call(expr: Expr & { kind: 'call' }, scope: Scope): Plain {
  const args = expr.args.map((arg) => evaluator(arg, scope));
  const { name, at } = expr;
  const settings = args.flatMap((arg) => arg.settings);
  if (name === 'secret') {
    const wanted = expr.args[0]?.kind === 'literal' ? expr.args[0].value : undefined;
    return {
      settings: typeof wanted === 'string' ? [wanted] : none,
      run(run) {
        const secret = args[0]?.run(run);
        if (typeof secret === 'string' && Object.hasOwn(run.secrets, secret)) return run.secrets[secret] ?? null;
        return run.stop('unknown-name', `there is no secret "${String(secret)}"`, undefined, at);
      },
    };
  }
  // Looked up once; what is not there was a fault of the check.
  const row = Object.hasOwn(functions, name) ? functions[name] : undefined;
  if (!row)
    return { settings, run: (run) => run.stop('unknown-function', `there is no function "${name}"`, undefined, at) };
  return {
    settings,
    run(run) {
      const values: Val[] = new Array<Val>(args.length);
      for (let i = 0; i < args.length; i += 1) values[i] = args[i]!.run(run);
      run.at = at;
      try {
        return run.made(callFunction(row, name, values, run));
      } catch (error) {
        if (error instanceof ArgumentFault) run.stop('type', `${name}: ${error.message}`, undefined, at);
        throw error;
      }
    },
  };
}

function binary(expr: Expr & { kind: 'binary' }, scope: Scope): Plain {
  const [left, right] = [evaluator(expr.left, scope), evaluator(expr.right, scope)];
  const { op, at } = expr;
  const settings = [...left.settings, ...right.settings];
  if (op === 'and') return { run: (run) => truthy(left.run(run)) && truthy(right.run(run)), settings };
  if (op === 'or') return { run: (run) => truthy(left.run(run)) || truthy(right.run(run)), settings };
  return { run: (run) => compute(op, left.run(run), right.run(run), run, at), settings };
}

function compute(op: BinaryOp, a: Val, b: Val, run: Run, at: SourcePlace): Val {
  if (op === '==' || op === '!=') {
    if (a !== null && b !== null && (holdsSecret(a) || holdsSecret(b)))
      run.stop('secret', 'a secret, and what holds one, can be compared only with null', undefined, at);
    return equal(a, b, run.spend) === (op === '==');
  }
  if (op === '+' && isText(a) && isText(b)) {
    run.at = at;
    return run.made(joined([a, b]));
  }
  if (a instanceof Marked || b instanceof Marked)
    run.stop('secret', `"${op}" is not to be asked of a secret`, undefined, at);
  if (op === 'in' || op === 'not in') return within(a, b, run, at) === (op === 'in');
  if (op === '<' || op === '<=' || op === '>' || op === '>=') {
    const difference = a === null || b === null ? undefined : order(a, b);
    if (difference === undefined)
      return run.stop('type', `${typeName(a)} and ${typeName(b)} have no order`, undefined, at);
    return op === '<' ? difference < 0 : op === '<=' ? difference <= 0 : op === '>' ? difference > 0 : difference >= 0;
  }
  if (!isNum(a) || !isNum(b))
    return run.stop('type', `"${op}" does not go with ${typeName(a)} and ${typeName(b)}`, undefined, at);
  if (typeof a !== 'number' || typeof b !== 'number') run.spend(digitsOf(a) + digitsOf(b));
  run.at = at;
  return run.made(arithmetic(op, a, b) ?? run.stop('type', 'a division by zero', undefined, at));
}

/** What numbers that are no host numbers cost to work with. */
const digitsOf = (value: Num): number => (typeof value === 'number' ? 0 : value.coefficient.toString(16).length);

const isText = (value: Val): value is string | Marked => typeof value === 'string' || value instanceof Marked;

function arithmetic(op: BinaryOp, a: Num, b: Num): Num | undefined {
  if (op === '+') return add(a, b);
  if (op === '-') return subtract(a, b);
  if (op === '*') return multiply(a, b);
  return op === '/' ? divide(a, b) : modulo(a, b);
}

function within(a: Val, b: Val, run: Run, at: SourcePlace): boolean {
  if (Array.isArray(b)) {
    if (holdsSecret(b) || holdsSecret(a)) run.stop('secret', 'a secret can be compared only with null', undefined, at);
    return b.some((item) => equal(item, a, run.spend));
  }
  if (typeof b === 'string' && typeof a === 'string') {
    run.spend((a.length + b.length) / SIGNS_A_STEP);
    return b.includes(a);
  }
  if (isMap(b) && typeof a === 'string') return Object.hasOwn(b, a);
  return run.stop('type', `${typeName(a)} cannot be in ${typeName(b)}`, undefined, at);
}
