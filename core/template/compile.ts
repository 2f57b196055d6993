/** Makes functions of a template, once: names become places in a frame, so that running it looks nothing up. */
import type { Expr, Node, Template } from './ast.ts';
import { evaluator, inTextHint, type Scope, type Value } from './evaluate.ts';
import { faultAt, type SourcePlace, TemplateStop } from './faults.ts';
import { ArgumentFault, sorted } from './functions.ts';
import { parseTemplate } from './parse.ts';
import { MOST_FRAGMENTS } from './bounds.ts';
import { reindented, type Frame, type Run, type Span, spansOf } from './run.ts';
import { isMap, Marked, orderTexts, piecesOf, SIGNS_A_STEP, scalarText, truthy, typeName, type Val } from './values.ts';

type Action = (run: Run) => void;

export interface Compiled {
  name: string;
  run: (run: Run, given: Frame) => void;
}

/** A name that a fragment is given, with the settings that its value comes from. */
interface Given {
  name: string;
  settings: readonly string[];
}
type FragmentOf = (name: string, given: Given[], at: SourcePlace) => Compiled;

/** Gives the source of a fragment; undefined when there is none. */
export type Library = (name: string) => string | undefined;

/** Compiles a template with its fragments. The template must have been checked: a faulty line throws. */
export function compileTemplate(name: string, source: string, library: Library): Compiled {
  const parsed = new Map<string, Template>();
  const templateOf = (fragment: string, text: string | undefined, at?: SourcePlace): Template => {
    const known = parsed.get(fragment);
    if (known) return known;
    if (text === undefined)
      throw new TemplateStop(faultAt(at as SourcePlace, 'fragment-unknown', `there is no fragment "${fragment}"`));
    const { template, faults } = parseTemplate(fragment, text);
    if (faults[0]) throw new TemplateStop(faults[0]);
    parsed.set(fragment, template);
    return template;
  };
  const compiled = new Map<string, Compiled>();
  /** A fragment is compiled when it is first run, for the names that it is given. */
  const fragment: FragmentOf = (wanted, given, at) => {
    const key = JSON.stringify([wanted, given]);
    const known = compiled.get(key);
    if (known) return known;
    const made = compileBody(templateOf(wanted, library(wanted), at), given, fragment);
    compiled.set(key, made);
    return made;
  };
  return compileBody(templateOf(name, source), [], fragment);
}

function compileBody(template: Template, given: Given[], fragment: FragmentOf): Compiled {
  const scope: Scope = {
    names: new Map(given.map(({ name, settings }, slot) => [name, { slot, settings }])),
    slots: { count: given.length },
  };
  const body = new BodyCompiler(fragment).block(template.body, scope);
  return {
    name: template.name,
    run(run, values) {
      const outer = run.frame;
      run.frame = [...values];
      body(run);
      run.frame = outer;
    },
  };
}

class BodyCompiler {
  private readonly fragment: FragmentOf;
  constructor(fragment: FragmentOf) {
    this.fragment = fragment;
  }

  block(nodes: Node[], outer: Scope): Action {
    const scope: Scope = { names: new Map(outer.names), slots: outer.slots };
    const actions = nodes.map((node) => this.action(node, scope));
    const places = nodes.map((node) => node.at);
    const count = actions.length;
    if (count === 1) {
      const [only] = actions;
      const [at] = places;
      return (run) => {
        run.spend(1);
        run.at = at;
        only!(run);
      };
    }
    return (run) => {
      run.spend(count);
      for (let i = 0; i < count; i += 1) {
        run.at = places[i];
        actions[i]!(run);
      }
    };
  }

  private action(node: Node, scope: Scope): Action {
    switch (node.kind) {
      case 'line':
        return line(node, scope);
      case 'let': {
        const value = evaluator(node.value, scope);
        const slot = bind(scope, node.name, value.settings);
        return (run) => {
          run.frame[slot] = value.run(run);
        };
      }
      case 'if':
        return this.choice(node, scope);
      case 'for':
        return this.loop(node, scope);
      case 'insert':
        return this.insert(node, scope);
      case 'part': {
        const body = this.block(node.body, scope);
        return (run) => run.part(node, () => body(run));
      }
      case 'output': {
        const name = evaluator(node.name, scope);
        const body = this.block(node.body, scope);
        return (run) => {
          const text = name.run(run);
          if (typeof text !== 'string')
            run.stop('type', `a file is named by a text, not by ${typeName(text)}`, undefined, node.at);
          else run.output(text, node.at, () => body(run));
        };
      }
      case 'require': {
        const value = evaluator(node.value, scope);
        const message = evaluator(node.message, scope);
        return (run) => {
          if (!held(value, run)) {
            const words = scalarText(message.run(run));
            run.stop('require', typeof words === 'string' ? words : 'a condition does not hold', undefined, node.at);
          }
        };
      }
    }
  }

  private choice(node: Node & { kind: 'if' }, scope: Scope): Action {
    const arms = node.arms.map(({ condition, body }) => ({
      condition: evaluator(condition, scope),
      body: this.block(body, scope),
    }));
    const otherwise = this.block(node.otherwise, scope);
    return (run) => {
      for (const arm of arms) if (truthy(arm.condition.run(run))) return arm.body(run);
      otherwise(run);
    };
  }

  private loop(node: Node & { kind: 'for' }, outer: Scope): Action {
    const list = evaluator(node.list, outer);
    const none = this.block(node.none, outer);
    const scope: Scope = { names: new Map(outer.names), slots: outer.slots };
    const item = bind(scope, node.item, list.settings);
    const index = node.index === undefined ? undefined : bind(scope, node.index, list.settings);
    const where = node.where && evaluator(node.where, scope);
    const by = node.by.map(({ key, down }) => ({ key: evaluator(key, scope), down }));
    const body = this.block(node.body, scope);
    const { at } = node;
    return (run) => {
      let { items, keys } = turnsOf(list.run(run), run, at);
      // A map counts by its keys, a list by its turns.
      const set = (i: number, turn: number): void => {
        run.frame[item] = items[i] ?? null;
        if (index !== undefined) run.frame[index] = keys ? (keys[i] ?? null) : turn;
      };
      const keep = (places: number[]): void => {
        [items, keys] = [places.map((i) => items[i] ?? null), keys && places.map((i) => keys?.[i] ?? '')];
      };
      if (where) {
        run.spend(items.length);
        if (!keys) {
          const kept: Val[] = [];
          for (let i = 0; i < items.length; i += 1) {
            set(i, i);
            if (truthy(where.run(run))) kept.push(items[i] ?? null);
          }
          items = kept;
        } else keep([...items.keys()].filter((i) => (set(i, i), truthy(where.run(run)))));
      }
      if (by.length > 0) {
        run.spend(items.length);
        if (by.length === 1 && !keys && !by[0]!.down) {
          const key = by[0]!.key;
          const pairs = new Array<[Val, Val]>(items.length);
          let strings = true;
          for (let i = 0; i < items.length; i += 1) {
            set(i, i);
            const k = notSecret(run, at, key.run(run));
            if (typeof k === 'string') run.spend(k.length / SIGNS_A_STEP);
            strings &&= typeof k === 'string';
            pairs[i] = [k, items[i] ?? null];
          }
          if (strings) {
            pairs.sort((a, b) => orderTexts(a[0] as string, b[0] as string));
            items = pairs.map((pair) => pair[1]);
          } else keep(guarded(run, at, () => sorted([...items.keys()], (i: number): Val[] => [pairs[i]![0]], [false])));
        } else {
          const keysAt = (i: number): Val[] => (set(i, i), by.map(({ key }) => notSecret(run, at, key.run(run))));
          run.spend(3 * items.length * by.length);
          const down = by.map((b) => b.down);
          keep(guarded(run, at, () => sorted([...items.keys()], keysAt, down)));
        }
      }
      if (items.length === 0) return none(run);
      for (let i = 0; i < items.length; i += 1) {
        run.at = at;
        run.spend(1);
        set(i, i);
        if (!run.traced) body(run);
        else {
          run.loops.push({ name: node.item, value: shown(items[i] ?? null) });
          body(run);
          run.loops.pop();
        }
      }
    };
  }

  private insert(node: Node & { kind: 'insert' }, scope: Scope): Action {
    const values = node.given.map(([, value]) => evaluator(value, scope));
    const names = node.given.map(([name], i) => ({ name, settings: values[i]?.settings ?? [] }));
    const { at, name } = node;
    return (run) => {
      if (run.depth >= MOST_FRAGMENTS)
        run.stop('too-deep', `more than ${MOST_FRAGMENTS} fragments inside each other`, undefined, at);
      const given = values.map((value) => value.run(run));
      const { indent } = run;
      run.depth += 1;
      run.indent = indent + node.indent;
      if (run.traced) run.inserts.push({ template: at.template, line: at.line, fragment: name });
      this.fragment(name, names, at).run(run, given);
      run.endLine();
      if (run.traced) run.inserts.pop();
      run.indent = indent;
      run.depth -= 1;
    };
  }
}

function bind(scope: Scope, name: string, settings: readonly string[]): number {
  const slot = scope.slots.count;
  scope.slots.count += 1;
  scope.names.set(name, { slot, settings });
  return slot;
}

/** Whether a required value is there; a path that leads nowhere is a no. */
function held(value: Value, run: Run): boolean {
  try {
    return truthy(value.run(run));
  } catch (error) {
    if (error instanceof TemplateStop && error.fault.code === 'missing') return false;
    throw error;
  }
}

function guarded<T>(run: Run, at: SourcePlace, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (error instanceof ArgumentFault) run.stop('type', error.message, undefined, at);
    throw error;
  }
}

const notSecret = (run: Run, at: SourcePlace, value: Val): Val =>
  value instanceof Marked ? run.stop('secret', 'nothing is put in order by a secret', undefined, at) : value;

interface Turns {
  items: Val[];
  /** Of a map. */
  keys: string[] | undefined;
}

function turnsOf(value: Val, run: Run, at: SourcePlace): Turns {
  if (Array.isArray(value)) return { items: value, keys: undefined };
  if (isMap(value)) {
    const keys = sorted(Object.keys(value), (key) => [key]);
    return { keys, items: keys.map((key) => value[key] ?? null) };
  }
  return run.stop(
    'type',
    `@for goes through a list or a map, not through ${typeName(value)}`,
    value === null ? 'write ?? []' : undefined,
    at,
  );
}

/** A value as a trace shows it: its name where it has one. */
function shown(value: Val): string {
  if (value instanceof Marked) return 'a secret';
  if (isMap(value)) return shown(value.name ?? value.key ?? value.number ?? null);
  const text = scalarText(value);
  return typeof text === 'string' ? text : typeName(value);
}

function line(node: Node & { kind: 'line' }, scope: Scope): Action {
  const end = node.ended ? '\n' : '';
  const { at } = node;
  if (node.parts.every((part) => typeof part === 'string')) {
    const text = node.parts.join('') + end;
    return (run) => run.put(text, at);
  }
  const parts = node.parts.map((part) => (typeof part === 'string' ? part : textPart(part, scope)));
  const settings = [...new Set(parts.flatMap((part) => (typeof part === 'string' ? [] : part.settings)))];
  const alone = aloneIn(node.parts);
  const valueAt = parts.findIndex((part) => typeof part !== 'string');
  if (alone === undefined && parts.filter((part) => typeof part !== 'string').length === 1) {
    const [before, behind] = [parts.slice(0, valueAt).join(''), parts.slice(valueAt + 1).join('') + end];
    const part = parts[valueAt] as { text: (run: Run) => string | Marked };
    return (run) => {
      const text = part.text(run);
      if (typeof text === 'string' && !run.traced) return run.put(before + text + behind, at);
      const whole = spansOf([before, text].flatMap((piece) => [...piecesOf(piece)]));
      run.emit(whole.text + behind, whole.secrets, at, settings);
    };
  }
  return (run) => {
    // Most lines hold no secret: they are put together as plain text.
    let plain = '';
    let pieces: (string | Marked)[] | undefined;
    for (const part of parts) {
      const text = typeof part === 'string' ? part : part.text(run);
      if (pieces) pieces.push(text);
      else if (typeof text === 'string') plain += text;
      else pieces = [plain, text];
    }
    if (!pieces && (alone === undefined || !plain.includes('\n')))
      return run.traced ? run.emit(plain + end, noSpans, at, settings) : run.put(plain + end, at);
    const whole = spansOf((pieces ?? [plain]).flatMap((piece) => [...piecesOf(piece)]));
    // Whether a secret has several lines shows nowhere: it is always treated as if it had.
    const { text, secrets } =
      alone !== undefined && (pieces ?? whole.text.includes('\n')) ? indented(whole, alone) : whole;
    run.emit(text + end, secrets, at, settings);
  };
}

const noSpans: readonly Span[] = [];

/** Where the only value of a line stands when there are only blanks beside it. */
function aloneIn(parts: (string | Expr)[]): Alone | undefined {
  const values = parts.filter((part) => typeof part !== 'string');
  const blank = parts.every((part) => typeof part !== 'string' || /^[ \t]*$/.test(part));
  if (values.length !== 1 || !blank) return undefined;
  const at = parts.findIndex((part) => typeof part !== 'string');
  return { indent: parts.slice(0, at).join(''), behind: parts.slice(at + 1).join('') };
}

/** The blanks before and behind the only value of a line. */
interface Alone {
  indent: string;
  behind: string;
}

/** Further lines of a value are indented as the first; one final line end is dropped; empty lines stay empty. */
function indented(
  whole: { text: string; secrets: Span[] },
  { indent, behind }: Alone,
): { text: string; secrets: Span[] } {
  const value = whole.text.slice(0, whole.text.length - behind.length);
  const source = value.endsWith('\n') ? value.slice(0, -1) : value;
  const secrets = whole.secrets.map(([from, to]): Span => [Math.min(from, source.length), Math.min(to, source.length)]);
  // The first line has its indentation already; one without anything in it loses it.
  const first = source.split('\n', 1)[0] ?? '';
  const bare = first.trim() === '' && !secrets.some(([from]) => from <= first.length) ? first.length : 0;
  const cut = secrets.map(([from, to]): Span => [from - bare, to - bare]);
  return reindented(source.slice(bare), cut, (line, i) => (i === 0 || line === '' ? '' : indent));
}

function textPart(expr: Expr, scope: Scope): { text: (run: Run) => string | Marked; settings: readonly string[] } {
  const value = evaluator(expr, scope);
  return {
    settings: value.settings,
    text(run) {
      const held = value.run(run);
      if (typeof held === 'string') return held;
      return (
        scalarText(held) ?? run.stop('type', `${typeName(held)} cannot stand in a text`, inTextHint(held), expr.at)
      );
    },
  };
}
